"""A sheet: its text with its author's comments and order, and the content read from it.

A `Sheet` is an immutable value. Every edit makes a new one through its text, so that what is
shown, what is saved and what is computed can never differ.
"""

from __future__ import annotations

import hashlib
import json
import os
import re
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from difflib import get_close_matches
from functools import cached_property
from pathlib import Path as FilePath
from types import MappingProxyType
from typing import Any, Final

from pydantic import BaseModel, ValidationError

from belltone.files import MOST_SHEET_BYTES, FileError, read_text, write_text
from belltone.geometry.received_files import file_digest
from belltone.sheet.editing import edited, put_entry, rename, set_values, take_away
from belltone.sheet.errors import Finding, Path, SheetError
from belltone.sheet.fields import value_fields
from belltone.sheet.locate import line_of
from belltone.sheet.model import FORMAT_VERSION, Content
from belltone.sheet.part_models import (
    OUTLINE_SHAPES,
    PART_KINDS,
    SECTION_SHAPES,
    VARIANT_TAGS,
    ReceivedPart,
)
from belltone.sheet.units import Dimension

__all__ = ["Sheet", "read_sheet", "write_sheet"]

_NO_MODES: Final = (
    *("title", "note", "excitation", "targets"),
    *("modes", "measured", "report", "shown_in"),
)
_MATERIAL_TAGS: Final = ("isotropic", "ply")


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
        except ValueError as error:  # such as a whole number of thousands of digits
            reason = str(error).split(";")[0]
            raise SheetError(
                [Finding((), f"a number in the sheet cannot be read: {reason}")]
            ) from error
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

    def for_folder(self, folder: FilePath) -> Sheet:
        """The sheet as it reads in another folder: the files it names are where they were."""
        here = (self.folder or FilePath()).resolve()
        there = folder.resolve()
        named: dict[Path, str] = {
            ("parts", title, "file"): part.file
            for title, part in self.content.parts.items()
            if isinstance(part, ReceivedPart)
        }
        measured = self.content.measured
        if measured is not None and measured.file is not None:
            named[("measured", "file")] = measured.file
        values = {
            path: os.path.relpath(here / name, there)
            for path, name in named.items()
            if here != there or FilePath(name).is_absolute()
        }
        moved = self.with_values(values) if values else self
        return Sheet.from_text(moved.text, folder)

    def answer_hash(self, settings: Mapping[str, str] | None = None) -> str:
        """A content hash of all that decides modes, with knobs set to ``settings``.

        Titles, notes, knob ranges, the excitation, the accuracy asked for, what was measured,
        what a report holds and the units shown are left out: none of them changes a mode. What
        was asked for is part of each result's key.
        """
        knobs = {name: knob.value for name, knob in self.content.knobs.items()}
        told: dict[str, Any] = {
            "knobs": {name: (settings or {}).get(name, text) for name, text in knobs.items()},
            # What stands in a file may change while the sheet does not.
            "files": {
                name: file_digest(self.file(part.file))
                for name, part in self.content.parts.items()
                if isinstance(part, ReceivedPart)
            },
        }
        digest = hashlib.sha256(self._decisive)
        digest.update(json.dumps(told, sort_keys=True).encode())
        return digest.hexdigest()

    @cached_property
    def _decisive(self) -> bytes:
        """All that decides modes, but for the values of knobs and what stands in files."""
        data = self.content.model_dump(mode="json")
        for key in (*_NO_MODES, "knobs"):
            data.pop(key)
        data["accuracy"].pop("target")
        for material in data["materials"].values():
            material.pop("note")
        for part in data["parts"].values():
            part.pop("file", None)
        return json.dumps(data, sort_keys=True).encode()

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
        return self._again(edited(self.text, set_values(values)))

    def without_preload(self) -> Sheet:
        """The sheet with its preload, if it has one, not applied."""
        if self.content.preload is None:
            return self
        return self.with_value(("preload", "applied"), False)

    def without(self, path: Path) -> Sheet:
        """Return the sheet without the entry at ``path``; raises `SheetError` likewise."""
        return self._again(edited(self.text, take_away(path)))

    def renamed(self, path: Path, name: str) -> Sheet:
        """Return the sheet with the table at ``path`` under another name, in its place.

        What refers to it by the old name is not changed; raises `SheetError` likewise.
        """
        return self._again(edited(self.text, rename(path, name)))

    def without_knob(self, name: str) -> Sheet:
        """Return the sheet without a knob; values that are this knob get its value instead.

        A formula that names the knob still does so, which is found when the sheet is evaluated.
        """
        text = self.content.knobs[name].value
        own = {path: text for path, (raw, _) in self.values.items() if raw.strip() == name}
        return self.with_values(own).without(("knobs", name))

    def with_part(self, name: str, entry: Mapping[str, Any]) -> Sheet:
        """Return the sheet with one more part, behind the others."""
        return self._again(edited(self.text, put_entry(("parts", name), entry, listed=False)))

    def with_entry(self, path: Path, entry: Mapping[str, Any]) -> Sheet:
        """Return the sheet with one more ``[[path]]`` entry at the end of that list."""
        return self._again(edited(self.text, put_entry(path, entry, listed=True)))


def read_sheet(path: FilePath) -> Sheet:
    """Read a sheet file; raises `SheetError` (also for a file that cannot be read)."""
    try:
        text = read_text(path, MOST_SHEET_BYTES, "a sheet")
    except FileError as error:
        raise SheetError([Finding((), str(error))]) from error
    return Sheet.from_text(text, path.resolve().parent)


def write_sheet(sheet: Sheet, path: FilePath) -> None:
    """Write a sheet's text; see `write_text`."""
    write_text(sheet.text, path)


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
        known = [key for key in _all_keys() if key != path[-1]]
        near = get_close_matches(str(path[-1]), known, n=1)
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
    if kind == "too_long":
        what = "holes" if path[-1] == "holes" else "points"
        hint = "send the part as a mesh"
        if what == "points":
            hint = f"leave out those nearly on a line with others, use bends or arcs, or {hint}"
        return f"more than {context['max_length']} {what} are too many here; {hint}"
    if kind in ("too_short", "string_too_short"):
        return "this must not be empty"
    if kind in _SHAPES:
        return f"{_SHAPES[kind]} is needed here, where “{given}” stands"
    message = str(entry["msg"])
    message = message[0].lower() + message[1:]
    return f"“{given}”: {message}" if isinstance(given, str | int | float) else message


_SHAPES: Final = {
    "model_type": "a table, such as { at = [ … ] },",
    "model_attributes_type": "a table, such as { at = [ … ] },",
    "dict_type": "a table",
    "tuple_type": "a list in square brackets",
    "list_type": "a list in square brackets",
    "string_type": "a text in quotes",
    "int_type": "a whole number",
    "bool_type": "true or false",
}
"""What a value must be, by what its check calls the mistake."""


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
