"""Answers held against each other, each two of them once, and what takes long off the window."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PySide6.QtCore import QObject, Signal

from belltone.compare.among import Among, among
from belltone.compare.likeness import Side, laid_alike
from belltone.compare.matched import Comparison
from belltone.desk.session.answer import Answer
from belltone.desk.session.jobs import Jobs
from belltone.store.failures import error_words

__all__ = ["LANE", "Compared"]

LANE = "compare"
_MOST: Final = 24

Key = tuple[tuple[str, int], ...]


class Compared(QObject):
    """Comparisons made so far; the oldest are forgotten.

    Where both designs are laid out alike one is made at once, else in the background; ``changed``
    tells when it is there.
    """

    changed = Signal()

    def __init__(self, jobs: Jobs, owner: QObject) -> None:
        super().__init__(owner)
        self._jobs = jobs
        self._known: dict[Key, tuple[tuple[Side, ...], Among | None, str]] = {}

    def of(self, first: Answer, second: Answer, names: tuple[str, str]) -> Comparison | None:
        """Two answers, under names by which reasons call them; ``None`` while it is being made."""
        found = self.several([(names[0], first), (names[1], second)])
        return None if found is None else found.comparisons[0]

    def several(self, named: Sequence[tuple[str, Answer]]) -> Among | None:
        """All answers against the first; ``None`` while that is being made, or cannot be."""
        key = tuple((name, id(answer.modes)) for name, answer in named)
        known = self._known.get(key)
        if known is not None:
            return known[1]
        sides = tuple(Side(name, answer.design, answer.modes) for name, answer in named)
        if all(laid_alike(sides[0], other) for other in sides[1:]):
            return self._keep(key, sides, among(sides))
        if self._jobs.state(LANE) is not None:
            return None  # whoever asks is told when that is done, and asks again

        def finish(found: Among) -> None:
            self._keep(key, sides, found)
            self.changed.emit()

        def fail(error: Exception) -> None:
            self._known[key] = sides, None, error_words(error)
            self.changed.emit()

        self._jobs.start(LANE, lambda _progress: among(sides), finish, fail)
        return None

    def failure(self, named: Sequence[tuple[str, Answer]]) -> str:
        """Why answers could not be compared, where they could not."""
        known = self._known.get(tuple((name, id(answer.modes)) for name, answer in named))
        return "" if known is None else known[2]

    def _keep(self, key: Key, sides: tuple[Side, ...], found: Among) -> Among:
        # Sides are kept with it, so that no other modes can come to have their identity.
        self._known[key] = sides, found, ""
        while len(self._known) > _MOST:
            del self._known[next(iter(self._known))]
        return found
