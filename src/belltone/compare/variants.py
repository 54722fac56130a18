"""Variants: designs pinned under a name, in one file beside their sheet.

The file is TOML: ``belltone_variants = 1`` and a list ``variants``, each with a ``name``, a
``note`` and the whole text of a ``sheet``, so that a variant is a sheet that can be cut out and
used by itself. It is written anew, in one piece, at every change.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Final

import tomlkit

from belltone.errors import UserError
from belltone.files import MOST_SHEET_BYTES, FileError, read_text, write_text
from belltone.sheet.document import Sheet

__all__ = [
    "Variant",
    "VariantsError",
    "change_variants",
    "dropped",
    "free_name",
    "moved",
    "pinned",
    "read_variants",
    "renamed",
    "variants_of",
    "variants_path",
    "variants_text",
]

_VERSION: Final = 1
_MOST: Final = 100
_ENDING: Final = ".variants.toml"
_CONTROL: Final = re.compile(r"[^\t\n\x20-\x7e\u00a0-\uffff]|\r")


class VariantsError(UserError):
    """A file of variants that cannot be read, or a name that cannot be had."""


@dataclass(frozen=True)
class Variant:
    """A design under a name: the text of its sheet, and what its author notes about it."""

    name: str
    text: str
    note: str = ""

    def sheet(self, folder: Path | None = None) -> Sheet:
        """The sheet it is; raises `SheetError` where the text is none."""
        return Sheet.from_text(self.text, folder)


Variants = tuple[Variant, ...]


def variants_path(sheet: Path) -> Path:
    """Where the variants of a sheet's file are kept: beside it."""
    return sheet.with_name(sheet.stem + _ENDING)


def read_variants(path: Path) -> Variants:
    """The variants of a file, none where there is no file; raises `VariantsError`."""
    if not path.exists():
        return ()
    try:
        return variants_of(read_text(path, _MOST * MOST_SHEET_BYTES, "a file of variants"))
    except FileError as error:
        raise VariantsError(str(error)) from error
    except VariantsError as error:
        raise VariantsError(f"“{path.name}”: {error}") from error


def variants_of(text: str) -> Variants:
    """The variants a text holds; raises `VariantsError`."""
    try:
        data = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError, ValueError) as error:
        raise VariantsError(f"this is no file of variants: {error}") from error
    if data.get("belltone_variants") != _VERSION:
        raise VariantsError(
            f"a file of variants begins with “belltone_variants = {_VERSION}”; this one has "
            f"“{data.get('belltone_variants')}”"
        )
    entries: Any = data.get("variants", [])
    if not isinstance(entries, list):
        raise VariantsError("“variants” is no list of tables")
    found: list[Variant] = []
    for number, entry in enumerate(entries, start=1):
        texts = [entry.get(key, "") for key in ("name", "sheet", "note")]
        if not all(isinstance(each, str) for each in texts) or not texts[0].strip():
            raise VariantsError(f"variant {number} needs a “name” and a “sheet”, both texts")
        if texts[0] in (each.name for each in found):
            raise VariantsError(f"two variants are called “{texts[0]}”")
        found.append(Variant(*texts))
    return tuple(found)


def variants_text(variants: Iterable[Variant]) -> str:
    """A file of variants."""
    document = tomlkit.document()
    document.add("belltone_variants", tomlkit.item(_VERSION))
    entries = tomlkit.aot()
    for each in variants:
        table = tomlkit.table()
        table.add("name", each.name)
        if each.note:
            table.add("note", each.note)
        # As it stands where that can be said without escapes, so that it can be read and compared.
        plain = "'''" not in each.text and not _CONTROL.search(each.text)
        lines = "\r" not in each.text  # which lines of a text would lose
        table.add("sheet", tomlkit.string(each.text, multiline=lines, literal=plain))
        entries.append(table)
    document.add("variants", entries)
    return document.as_string()


def change_variants(path: Path, change: Callable[[Variants], Variants]) -> Variants:
    """Change the variants of a file and return them; what others wrote meanwhile stays.

    Raises `VariantsError` where the file cannot be read, which is then left as it is, or the change
    cannot be made, and ``OSError`` where it cannot be written.
    """
    before = read_variants(path)
    after = change(before)
    if after != before:
        write_text(variants_text(after), path)
    return after


def free_name(variants: Variants, wanted: str = "") -> str:
    """A name no variant has yet: the one wanted, or with a number behind it."""
    taken = {each.name for each in variants}
    base = wanted.strip() or "variant"
    if base not in taken and wanted.strip():
        return base
    number = next(n for n in range(1, len(taken) + 2) if f"{base} {n}" not in taken)
    return f"{base} {number}"


def pinned(variants: Variants, variant: Variant) -> Variants:
    """With another one at the end; raises `VariantsError`."""
    _check_name(variants, variant.name)
    if len(variants) >= _MOST:
        raise VariantsError(f"there are {_MOST} variants, which is all there may be; drop some")
    return (*variants, variant)


def dropped(variants: Variants, name: str) -> Variants:
    """Without one."""
    return tuple(each for each in variants if each.name != name)


def renamed(variants: Variants, name: str, new: str, note: str | None = None) -> Variants:
    """With one under another name, or with another note; raises `VariantsError`."""
    if new != name:
        _check_name(variants, new)
    return tuple(
        each
        if each.name != name
        else replace(each, name=new.strip(), note=each.note if note is None else note)
        for each in variants
    )


def moved(variants: Variants, name: str, place: int) -> Variants:
    """With one brought to another place."""
    own = [each for each in variants if each.name == name]
    rest = [each for each in variants if each.name != name]
    return tuple(rest[:place] + own + rest[place:])


def _check_name(variants: Variants, name: str) -> None:
    if not name.strip():
        raise VariantsError("a variant needs a name")
    if any(each.name == name.strip() for each in variants):
        raise VariantsError(f"there is a variant “{name.strip()}” already; choose another name")
