"""A sheet: its text with its author's comments and order, and the content read from it.

A `Sheet` is an immutable value. Every edit makes a new one through its text, so that what is
shown, what is saved and what is computed can never differ.
"""

from __future__ import annotations

import hashlib
import itertools
import json
import os
import re
import tempfile
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from difflib import get_close_matches
from functools import cached_property
from pathlib import Path as FilePath
from types import MappingProxyType
from typing import Any, Final, cast

import tomlkit
from pydantic import BaseModel, ValidationError
from tomlkit.items import AoT, Array, InlineTable, Item, Table

from belltone.sheet.errors import Finding, Path, SheetError
from belltone.sheet.fields import value_fields
from belltone.sheet.locate import line_of
from belltone.sheet.mesh_files import file_digest
from belltone.sheet.model import FORMAT_VERSION, Content
from belltone.sheet.part_models import OUTLINE_SHAPES, PART_KINDS, SECTION_SHAPES, VARIANT_TAGS
from belltone.sheet.units import Dimension

__all__ = ["Sheet", "read_sheet", "write_sheet", "write_text"]

_MATERIAL_TAGS: Final = ("isotropic", "ply")
_MAX_BYTES: Final = 5_000_000  # a sheet is written by hand; far larger is another kind of file


@dataclass(frozen=True)
class Sheet:
    """The text of a sheet and the content read from it. Make one with `from_text`."""

    text: str
    content: Content
    folder: FilePath | None = field(default=None, compare=False)

    @classmethod
    def from_text(cls, text: str, folder: FilePath | None = None) -> Sheet:
        """Read a sheet; raises `SheetError` with every finding and its line.

        Files it names are looked for in ``folder``.
        """
        try:
            data = tomllib.loads(text)
        except tomllib.TOMLDecodeError as error:
            raise SheetError([_syntax_finding(text, error)]) from error
        except RecursionError as error:
            raise SheetError([Finding((), "the sheet is nested too deeply")]) from error
        _check_format(data, text)
        try:
            content = Content.model_validate(data)
        except ValidationError as error:
            raise SheetError(_translate(error, text, data)) from error
        return cls(text, content, folder)

    @cached_property
    def values(self) -> Mapping[Path, tuple[str, Dimension]]:
        """Every value that measures something: its text and what it measures, by path."""
        found = value_fields(self.content)
        return MappingProxyType({path: (text, dimension) for path, text, dimension in found})

    def _again(self, text: str) -> Sheet:
        """The sheet of another text, in the same folder."""
        return Sheet.from_text(text, self.folder)

    def file(self, name: str) -> FilePath:
        """A file the sheet names."""
        return (self.folder or FilePath()) / name

    def answer_hash(self, settings: Mapping[str, str] | None = None) -> str:
        """A content hash of all that decides modes, with knobs set to ``settings``.

        Titles, notes, knob ranges, the excitation and the accuracy asked for are left out: none
        of them changes a mode. What was asked for is part of each result's key.
        """
        data = self.content.model_dump(mode="json")
        for key in ("title", "note", "excitation", "modes"):
            data.pop(key)
        data["accuracy"].pop("target")
        data["knobs"] = {
            name: (settings or {}).get(name, knob["value"]) for name, knob in data["knobs"].items()
        }
        for material in data["materials"].values():
            material.pop("note")
        for part in data["parts"].values():
            if part["kind"] == "mesh":
                part["file"] = file_digest(self.file(part["file"]))
        return hashlib.sha256(json.dumps(data, sort_keys=True).encode()).hexdigest()

    def line_of(self, path: Path) -> int | None:
        """The line a value stands on, counted from 1."""
        return line_of(self.text, path)

    def value(self, path: Path) -> Any:
        """Return what stands at ``path`` in the text, or ``None``."""
        node: Any = tomllib.loads(self.text)
        for step in path:
            try:
                node = node[step]
            except (KeyError, IndexError, TypeError):
                return None
        return node

    def with_value(self, path: Path, value: Any) -> Sheet:
        """Return the sheet with ``value`` at ``path``, all comments and order kept.

        Missing tables on the way are made. Raises `SheetError` when the result is no sheet.
        """
        return self.with_values({path: value})

    def with_values(self, values: Mapping[Path, Any]) -> Sheet:
        """Return the sheet with several values set in one edit."""
        document = tomlkit.parse(self.text)
        for path, value in values.items():
            _set(document, path, value)
        return self._again(_spaced(tomlkit.dumps(document), self.text))

    def without_preload(self) -> Sheet:
        """The sheet with its preload, if it has one, not applied."""
        if self.content.preload is None:
            return self
        return self.with_value(("preload", "applied"), False)

    def without(self, path: Path) -> Sheet:
        """Return the sheet without the entry at ``path``; raises `SheetError` likewise."""
        document = tomlkit.parse(self.text)
        node: Any = document
        try:
            for step in path[:-1]:
                node = node[step]
            del node[path[-1]]
        except (KeyError, IndexError) as error:
            raise SheetError([Finding(path, "there is nothing here to take away")]) from error
        if isinstance(node, AoT | Array) and not len(node) and len(path) > 1:
            return self._again(tomlkit.dumps(document)).without(path[:-1])
        return self._again(tomlkit.dumps(document))

    def renamed(self, path: Path, name: str) -> Sheet:
        """Return the sheet with the table at ``path`` under another name, last in its group.

        What refers to it by the old name is not changed; raises `SheetError` likewise.
        """
        document = tomlkit.parse(self.text)
        node: Any = document
        try:
            for step in path[:-1]:
                node = node[step]
            table = node.pop(path[-1])
        except (KeyError, IndexError) as error:
            raise SheetError([Finding(path, "there is nothing here to rename")]) from error
        if name in node:
            raise SheetError([Finding(path, f"there is a “{name}” already")])
        node.add(name, table)
        return self._again(_spaced(tomlkit.dumps(document), self.text))

    def without_knob(self, name: str) -> Sheet:
        """Return the sheet without a knob; values that are this knob get its value instead.

        A formula that names the knob still does so, which is found when the sheet is evaluated.
        """
        text = self.content.knobs[name].value
        own = {path: text for path, (raw, _) in self.values.items() if raw.strip() == name}
        return self.with_values(own).without(("knobs", name))

    def with_part(self, name: str, entry: Mapping[str, Any]) -> Sheet:
        """Return the sheet with one more part, behind the others."""
        document = tomlkit.parse(self.text)
        table = tomlkit.table()
        for key, value in entry.items():
            table.add(key, _item(value))
        cast(Any, document["parts"]).add(name, table)
        return self._again(_spaced(tomlkit.dumps(document), self.text))

    def with_entry(self, path: Path, entry: Mapping[str, Any]) -> Sheet:
        """Return the sheet with one more ``[[path]]`` entry at the end of that list."""
        document = tomlkit.parse(self.text)
        node: Any = document
        for step in path[:-1]:
            if step not in node:
                node.add(step, tomlkit.table())
            node = node[step]
        table = tomlkit.table()
        for key, value in entry.items():
            table.add(key, _item(value))
        last = path[-1]
        if last in node and isinstance(node[last], AoT):
            node[last].append(table)
        elif last in node:
            node[last].append(tomlkit.item({k: _item(v) for k, v in entry.items()}))
        else:
            tables = tomlkit.aot()
            tables.append(table)
            node.add(last, tables)
        return self._again(_spaced(tomlkit.dumps(document), self.text))


def read_sheet(path: FilePath) -> Sheet:
    """Read a sheet file; raises `SheetError` (also for a file that cannot be read)."""
    try:
        if path.stat().st_size > _MAX_BYTES:
            raise SheetError([Finding((), f"“{path}” is too large for a sheet")])
        text = path.read_bytes().decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise SheetError([Finding((), f"“{path}” is not a text file in UTF-8")]) from error
    except OSError as error:
        reason = error.strerror or "unknown reason"
        raise SheetError([Finding((), f"“{path}” cannot be read: {reason}")]) from error
    return Sheet.from_text(text.replace("\r\n", "\n"), path.resolve().parent)


def write_sheet(sheet: Sheet, path: FilePath) -> None:
    """Write a sheet's text; see `write_text`."""
    write_text(sheet.text, path)


def write_text(text: str, path: FilePath) -> None:
    """Write a text file so that a crash leaves the old file or the new one, never half of one.

    The permissions of a file that is replaced are kept; a link is followed; a pipe or a device is
    written to, never replaced. Raises ``OSError``.
    """
    target = path.resolve()
    if target.exists() and not target.is_file() and not target.is_dir():
        with target.open("w", encoding="utf-8", newline="\n") as stream:
            stream.write(text)
        return
    handle, temporary = tempfile.mkstemp(dir=target.parent, prefix=f".{target.name}.")
    try:
        with os.fdopen(handle, "w", encoding="utf-8", newline="\n") as stream:
            stream.write(text)
            stream.flush()
            os.fsync(stream.fileno())
        mode = target.stat().st_mode & 0o7777 if target.exists() else 0o666 & ~_umask()
        os.chmod(temporary, mode)
        os.replace(temporary, target)
    except BaseException:
        FilePath(temporary).unlink(missing_ok=True)
        raise
    folder = os.open(target.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _syntax_finding(text: str, error: tomllib.TOMLDecodeError) -> Finding:
    place = re.search(r"\(at line (\d+), column (\d+)\)", str(error))
    reason = str(error).split(" (at ")[0]
    if place is None:
        return Finding((), f"the text ends too early: {reason}", text.count("\n") + 1)
    line = int(place[1])
    rows = text.splitlines()
    shown = rows[line - 1].strip() if line <= len(rows) else ""
    return Finding((), f"“{shown}” is not valid TOML: {reason}", line)


def _check_format(data: Mapping[str, Any], text: str) -> None:
    version = data.get("belltone")
    if version is None:
        message = f"this is not a sheet: its first line must be “belltone = {FORMAT_VERSION}”"
        raise SheetError([Finding((), message)])
    if isinstance(version, bool) or version != FORMAT_VERSION:
        message = (
            f"this sheet has format {version!r}, and this program reads format {FORMAT_VERSION}; "
            "a newer program is needed"
        )
        raise SheetError([Finding(("belltone",), message, line_of(text, ("belltone",)))])


def _translate(error: ValidationError, text: str, data: Mapping[str, Any]) -> list[Finding]:
    """Turn validation errors into findings, one for each place."""
    findings: dict[Path, Finding] = {}
    for entry in error.errors():
        path = _real_path(entry["loc"], data)
        if entry["type"] == "union_tag_invalid":
            path = (*path, str(entry["ctx"]["discriminator"]).strip("'"))
        message = _message(entry, path)
        if path not in findings:
            findings[path] = Finding(path, message, line_of(text, path))
    outer = {path[:depth] for path in findings for depth in range(len(path))}
    return [finding for path, finding in findings.items() if path not in outer]


def _real_path(location: tuple[int | str, ...], data: Mapping[str, Any]) -> Path:
    """Drop the steps that name a variant of a union, which are not keys of the file."""
    node: Any = data
    path: list[int | str] = []
    for index, step in enumerate(location):
        last = index == len(location) - 1
        if isinstance(node, dict) and (step in node or (last and "[" not in str(step))):
            if step not in node and step in (*VARIANT_TAGS, *_MATERIAL_TAGS, "str"):
                continue
            path.append(step)
            node = node.get(step)
        elif isinstance(node, list) and isinstance(step, int):
            path.append(step)
            node = node[step] if step < len(node) else None
    return tuple(path)


def _message(entry: Any, path: Path) -> str:
    kind, context, given = entry["type"], entry.get("ctx", {}), entry.get("input")
    if kind == "missing":
        return f"“{path[-1]}” is missing"
    if kind == "extra_forbidden":
        near = get_close_matches(str(path[-1]), _all_keys(), n=1)
        hint = f"; did you mean “{near[0]}”?" if near else ""
        return f"there is no key “{path[-1]}” here{hint}"
    if kind in ("literal_error", "union_tag_invalid"):
        expected = context.get("expected") or context.get("expected_tags")
        shown = context.get("tag", given) if kind == "union_tag_invalid" else given
        return f"“{shown}” is not one of {expected}"
    if kind == "union_tag_not_found":
        key = str(context.get("discriminator", "")).strip("'")
        choices = list(OUTLINE_SHAPES if "outline" in path else SECTION_SHAPES)
        if "holes" in path:
            choices = ["round", "rectangular"]
        if key == "kind":
            choices = list(PART_KINDS)
        return f"“{key}” is missing; it is one of {', '.join(choices)}"
    if kind in ("too_short", "string_too_short"):
        return "this must not be empty"
    message = str(entry["msg"])
    message = message[0].lower() + message[1:]
    return f"“{given}”: {message}" if isinstance(given, str | int | float) else message


def _all_keys() -> list[str]:
    keys: set[str] = set()
    stack: list[Any] = [Content, *PART_KINDS.values(), *OUTLINE_SHAPES.values()]
    stack += SECTION_SHAPES.values()
    while stack:
        model = stack.pop()
        if isinstance(model, type) and issubclass(model, BaseModel):
            for name, info in model.model_fields.items():
                keys.add(info.alias or name)
                stack.append(info.annotation)
        stack.extend(getattr(model, "__args__", ()))
    return sorted(keys)


def _spaced(text: str, before: str) -> str:
    """Put an empty line around tables that an edit has added, as a person would."""
    kept = set(itertools.pairwise(before.splitlines()))
    rows: list[str] = []
    for row in text.splitlines():
        if row.startswith("[") and rows and rows[-1].strip() and (rows[-1], row) not in kept:
            rows.append("")
        rows.append(row)
    return "\n".join(rows) + "\n"


def _item(value: Any) -> Item:
    if isinstance(value, Mapping):
        table = tomlkit.inline_table()
        for key, entry in value.items():
            table.append(key, _item(entry))
        return table
    if isinstance(value, tuple):
        value = list(value)
    return cast(Item, tomlkit.item(value))


def _set(document: tomlkit.TOMLDocument, path: Path, value: Any) -> None:
    node: Any = document
    for depth, step in enumerate(path[:-1]):
        if isinstance(step, str) and step not in node:
            nested = isinstance(node, Table | tomlkit.TOMLDocument)
            fresh: Any = tomlkit.table(is_super_table=depth == 0) if nested else {}
            if not nested:
                fresh = tomlkit.inline_table()
            node.add(step, fresh) if nested else node.append(step, fresh)
        node = node[step]
    last = path[-1]
    old = node[last] if isinstance(last, int) or last in node else None
    item = _item(value)
    if isinstance(old, Item) and not isinstance(old, Table | InlineTable | AoT):
        item.trivia.comment_ws = old.trivia.comment_ws
        item.trivia.comment = old.trivia.comment
        item.trivia.trail = old.trivia.trail
    node[last] = item
