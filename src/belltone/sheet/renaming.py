"""Another name for a thing of the sheet, and for everything that refers to it."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Iterator
from typing import Any, Final

from belltone.sheet.document import Sheet
from belltone.sheet.errors import Finding, Path, SheetError

__all__ = ["part_renamed", "renamed_everywhere"]

_SITE_KEYS: Final = ("site", "linked_to", "between", "spots")
_PART_KEYS: Final = (*_SITE_KEYS, "part", "on", "of")
_PLAIN_NAME: Final = re.compile(r"[^\W\d]\w*")
_COPY: Final = (".", " ")
"""What follows a part's name in the name of one of its sites, and in that of a copy."""


def renamed_everywhere(sheet: Sheet, path: Path, name: str) -> Sheet:
    """The sheet with the knob, part, site, material, hole or entry at ``path`` under another name.

    Formulas, supports, joints, loads and all else that named it follow. Raises `SheetError` for
    a name that is taken or cannot be one.
    """
    group = str(path[0])
    if not name.strip():
        raise SheetError([Finding(path, "a name must not be empty")])
    if isinstance(path[-1], int) or len(path) > 2:
        return _entry_renamed(sheet, path, name)
    old = str(path[1])
    if old == name:
        return sheet
    if name in (sheet.value((group,)) or {}):
        raise SheetError([Finding(path, f"there is a “{name}” already; choose another name")])
    if group == "knobs":
        if not _PLAIN_NAME.fullmatch(name):
            told = f"“{name}” is no name of a knob; use letters, digits and _ only, no spaces"
            raise SheetError([Finding(path, told)])
        follow = _in_formulas(sheet, old, name)
    elif group == "parts":
        follow = _by_keys(_PART_KEYS, lambda text: _of_part(text, old, name))
    elif group == "sites":
        follow = _by_keys(_SITE_KEYS, lambda text: name if text == old else None)
    else:
        follow = _by_keys(("material",), lambda text: name if text == old else None)
    changed = _followed(sheet, follow)
    return changed.renamed(path, name)


def part_renamed(data: dict[str, Any], old: str, new: str) -> dict[str, Any]:
    """Plain data of a sheet, or of a piece of one, with a part under another name."""
    follow = _by_keys(_PART_KEYS, lambda text: _of_part(text, old, new))

    def changed(node: Any, path: Path) -> Any:
        if isinstance(node, dict):
            return {key: changed(value, (*path, key)) for key, value in node.items()}
        if isinstance(node, list):
            return [changed(value, (*path, index)) for index, value in enumerate(node)]
        return (follow(path, node) or node) if isinstance(node, str) else node

    result: dict[str, Any] = changed(data, ())
    parts = result.get("parts", {})
    result["parts"] = {new if name == old else name: entry for name, entry in parts.items()}
    return result


Follow = Callable[[Path, str], str | None]


def _entry_renamed(sheet: Sheet, path: Path, name: str) -> Sheet:
    """An entry of a list, with its name in ``name``; a hole's rim is a site, a mass may repeat."""
    own = (*path, "name") if path[-1] != "name" else path
    old = str(sheet.value(own) or "")
    if old == name:
        return sheet
    if old and path[0] == "parts" and "holes" in path:
        before, after = f"{path[1]}.{old}", f"{path[1]}.{name}"
        sheet = _followed(sheet, _by_keys((*_SITE_KEYS, "of"), _equal(before, after)))
    elif old and path[0] == "masses":
        sheet = _followed(sheet, _by_keys(("of",), _equal(old, name)))
    return sheet.with_value(own, name)


def _equal(before: str, after: str) -> Callable[[str], str | None]:
    return lambda text: after if text == before else None


def _followed(sheet: Sheet, follow: Follow) -> Sheet:
    values: dict[Path, Any] = {}
    for path, text in _texts(tomllib.loads(sheet.text), ()):
        fresh = follow(path, text)
        if fresh is not None and fresh != text:
            values[path] = fresh
    return sheet.with_values(values) if values else sheet


def _texts(node: Any, path: Path) -> Iterator[tuple[Path, str]]:
    if isinstance(node, dict):
        for key, value in node.items():
            yield from _texts(value, (*path, key))
    elif isinstance(node, list):
        for index, value in enumerate(node):
            yield from _texts(value, (*path, index))
    elif isinstance(node, str):
        yield path, node


def _by_keys(keys: tuple[str, ...], change: Callable[[str], str | None]) -> Follow:
    """Change what stands under one of these keys, alone or in a list."""

    def follow(path: Path, text: str) -> str | None:
        key = next((step for step in reversed(path) if isinstance(step, str)), "")
        return change(text) if key in keys else None

    return follow


def _of_part(text: str, old: str, new: str) -> str | None:
    """A part, one of its sites or members, or a copy of it."""
    if text == old:
        return new
    rest = text.removeprefix(old)
    return new + rest if rest != text and rest.startswith(_COPY) else None


def _in_formulas(sheet: Sheet, old: str, new: str) -> Follow:
    """Change a knob's name where a value uses it, and where a report names it."""
    word = re.compile(rf"(?<![\w.]){re.escape(old)}(?!\w)")
    knob_keys = ("value", "from", "to", "step", "stock", "tolerance", "deviation")

    def follow(path: Path, text: str) -> str | None:
        measures = path in sheet.values
        of_knob = path[0] == "knobs" and len(path) > 2 and path[2] in knob_keys
        if measures or of_knob:
            return word.sub(new, text)
        return new if path[:2] == ("report", "knobs") and text == old else None

    return follow
