"""Answers held against each other, each two of them once."""

from __future__ import annotations

from typing import Final

from belltone.compare.likeness import Side
from belltone.compare.matched import Comparison, compare
from belltone.desk.session.answer import Answer

__all__ = ["Compared"]

_MOST: Final = 24


class Compared:
    """Comparisons made so far; the oldest are forgotten."""

    def __init__(self) -> None:
        self._known: dict[tuple[int, int], tuple[Side, Side, Comparison]] = {}

    def of(self, first: Answer, second: Answer, names: tuple[str, str]) -> Comparison:
        """Two answers, under names by which reasons call them."""
        key = id(first.modes), id(second.modes)
        known = self._known.get(key)
        if known is not None and (known[0].name, known[1].name) == names:
            return known[2]
        sides = (
            Side(names[0], first.design, first.modes),
            Side(names[1], second.design, second.modes),
        )
        made = compare(*sides)
        # Sides are kept with it, so that no other modes can come to have their identity.
        self._known[key] = (*sides, made)
        while len(self._known) > _MOST:
            del self._known[next(iter(self._known))]
        return made
