"""Finds the line a key of a TOML text stands on, so that every finding can name it."""

from __future__ import annotations

import re
from typing import Final

from belltone.sheet.errors import Path

__all__ = ["line_of"]

_KEY: Final = r"""(?:"[^"]*"|'[^']*'|[A-Za-z0-9_-]+)"""
_DOTTED: Final = rf"{_KEY}(?:\s*\.\s*{_KEY})*"
_HEADER: Final = re.compile(rf"^\s*(\[\[?)\s*({_DOTTED})\s*\]\]?")
_ENTRY: Final = re.compile(rf"^\s*({_DOTTED})\s*=")


def line_of(text: str, path: Path) -> int | None:
    """Return the line, counted from 1, of the longest part of ``path`` found in the text.

    A value inside an inline table or a list is placed on the line of its key.
    """
    best: tuple[int, int] | None = None
    here: Path = ()
    counts: dict[Path, int] = {}
    for number, row in enumerate(text.splitlines(), start=1):
        if header := _HEADER.match(row):
            here = _keys(header[2])
            here = _inside_lists(here[:-1], counts) + here[-1:]
            if header[1] == "[[":
                index = counts.get(here, -1) + 1
                counts[here] = index
                here = (*here, index)
            found = here
        elif entry := _ENTRY.match(row):
            found = here + _keys(entry[1])
        else:
            continue
        depth = len(found)
        if found == path[:depth] and (best is None or depth > best[0]):
            best = (depth, number)
    return best[1] if best else None


def _keys(dotted: str) -> Path:
    return tuple(key.strip("\"'") for key in re.findall(_KEY, dotted))


def _inside_lists(path: Path, counts: dict[Path, int]) -> Path:
    """Add the running index after every step that is a list of tables."""
    full: Path = ()
    for step in path:
        full = (*full, step)
        if full in counts:
            full = (*full, counts[full])
    return full
