"""Pieces of a sheet as text: copied from one sheet, put into another."""

from __future__ import annotations

import contextlib
import tomllib
from collections.abc import Iterable, Iterator
from typing import Any, Final

import tomlkit

from belltone.sheet.document import Sheet
from belltone.sheet.errors import Finding, Path, SheetError
from belltone.sheet.expressions import ExpressionError, parse
from belltone.sheet.model import Content
from belltone.sheet.renaming import part_renamed

__all__ = ["clip_of", "entry_of", "with_clip"]

_NAMED: Final = ("knobs", "materials", "sites")
"""Tables whose entries are shared: one of the same name in the other sheet stays as it is there."""
_KNOWN: Final = tuple(name for name in Content.model_fields if name not in ("belltone", "title"))


def clip_of(sheet: Sheet, paths: Iterable[Path]) -> str:
    """The entries at some paths as text, with the sites, own materials and knobs they use."""
    data = tomllib.loads(sheet.text)
    kept: dict[str, Any] = {}
    for path in paths:
        node: Any = data
        for step in path:
            node = _within(node, step)
        if node is not None:
            _put(kept, path, node)
    for _ in range(3):  # a site may be given by a knob, and a knob by other knobs
        words = set(_words(kept))
        for group in _NAMED:
            for name, entry in data.get(group, {}).items():
                if name in words:
                    _put(kept, (group, name), entry)
    return tomlkit.dumps({key: kept[key] for key in data if key in kept})


def with_clip(sheet: Sheet, text: str) -> tuple[Sheet, list[str]]:
    """The sheet with the pieces a text holds, and what is to be told of that.

    Entries of lists are added; parts whose name is taken get another one; knobs, sites and
    materials of a name there is stay as they are. Raises `SheetError` for other texts.
    """
    try:
        clip = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        told = "what was copied is no text of a sheet"
        raise SheetError([Finding((), f"{told}: {error}")]) from error
    unknown = [key for key in clip if key not in (*_KNOWN, "belltone", "title")]
    if unknown or not any(key in _KNOWN for key in clip):
        told = f"it has “{unknown[0]}”, which no sheet has" if unknown else "it is empty"
        raise SheetError([Finding((), f"what was copied is no piece of a sheet: {told}")])
    notes: list[str] = []
    for name in list(clip.get("parts", {})):
        fresh = _free(name, sheet.content.parts)
        if fresh != name:
            clip = part_renamed(clip, name, fresh)
            notes.append(f"the part “{name}” is here as “{fresh}”")
    present = tomllib.loads(sheet.text)
    for group in _NAMED:
        for name, entry in clip.get(group, {}).items():
            there = present.get(group, {}).get(name)
            if there is None:
                sheet = sheet.with_values({(group, name): entry})
            elif there != entry:
                notes.append(f"“{name}” stays as it is here")
    for name, entry in clip.get("parts", {}).items():
        sheet = sheet.with_part(name, entry)
    for key, value in clip.items():
        if key not in (*_NAMED, "parts", "belltone", "title", "note", "report", "shown_in"):
            sheet = _merged(sheet, (key,), value)
    return sheet, notes


def _merged(sheet: Sheet, path: Path, value: Any) -> Sheet:
    """Entries of lists are added where they are not there yet, values put in place."""
    if isinstance(value, dict):
        for key, inner in value.items():
            sheet = _merged(sheet, (*path, key), inner)
        return sheet
    if isinstance(value, list) and value and isinstance(value[0], dict):
        for entry in value:
            if entry not in (sheet.value(path) or []):
                sheet = sheet.with_entry(path, entry)
        return sheet
    return sheet.with_value(path, value)


def entry_of(path: Path) -> Path:
    """The path of the entry a value belongs to: one of a list, or what a table calls by a name."""
    for place, step in enumerate(path):
        if isinstance(step, int):
            return path[: place + 1]
        if place == 1 and path[0] in (*_NAMED, "parts"):
            return path[:2]
    return path[:1]


def _within(node: Any, step: str | int) -> Any:
    if isinstance(node, dict):
        return node.get(step)
    if isinstance(node, list) and isinstance(step, int) and step < len(node):
        return node[step]
    return None


def _put(kept: dict[str, Any], path: Path, node: Any) -> None:
    """Put a node in its place; one entry of a list stands alone in a list."""
    if isinstance(path[-1], int):
        path, node = path[:-1], [node]
    for step in path[:-1]:
        kept = kept.setdefault(str(step), {})
    kept[str(path[-1])] = node


def _words(node: Any) -> Iterator[str]:
    """All texts, and the names that formulas among them use."""
    if isinstance(node, dict):
        for value in node.values():
            yield from _words(value)
    elif isinstance(node, list):
        for value in node:
            yield from _words(value)
    elif isinstance(node, str):
        yield node
        with contextlib.suppress(ExpressionError):  # a name or a note
            yield from parse(node).names


def _free(name: str, taken: Iterable[str]) -> str:
    present, number, fresh = set(taken), 2, name
    while fresh in present:
        fresh, number = f"{name}_{number}", number + 1
    return fresh
