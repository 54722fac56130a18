"""What can be found, and which of it comes nearest to what is typed."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Final

__all__ = ["Find", "nearest"]

_MOST: Final = 60


@dataclass(frozen=True)
class Find:
    """One thing to be found: its words, what sort it is, a detail, and what choosing it does."""

    text: str
    sort: str
    detail: str = ""
    act: Callable[[], object] = field(default=lambda: None, compare=False)


def nearest(finds: Iterable[Find], typed: str) -> list[Find]:
    """The finds that hold every word typed, the nearest first.

    A word may stand in the words, the sort or the detail; beginnings of words count more, and
    words of the thing itself more than its detail. Nothing typed finds nothing.
    """
    words = typed.lower().split()
    if not words:
        return []
    scored = [(_away(each, words), place, each) for place, each in enumerate(finds)]
    found = sorted((away, place) for away, place, _ in scored if away is not None)
    kept = {place: each for _, place, each in scored}
    return [kept[place] for _, place in found[:_MOST]]


def _away(find: Find, words: list[str]) -> float | None:
    """How far a find is from the words; ``None`` where one of them is nowhere in it."""
    text, rest = find.text.lower(), f"{find.sort} {find.detail}".lower()
    away = 0.01 * len(text)
    if text == " ".join(words):
        away -= 10.0
    for word in words:
        if text.startswith(word):
            continue
        if f" {word}" in f" {text}".replace("_", " ").replace("“", " "):
            away += 1.0
        elif word in text:
            away += 2.0
        elif f" {word}" in f" {rest}":
            away += 4.0
        elif word in rest:
            away += 6.0
        else:
            return None
    return away
