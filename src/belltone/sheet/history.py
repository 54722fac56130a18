"""Undo and redo as two lists of labelled sheets."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from belltone.sheet.document import Sheet

__all__ = ["History"]

_LIMIT: Final = 500  # sheets are a few kilobytes; this bounds memory, not patience


@dataclass(frozen=True)
class History:
    """The present sheet, those before it and those undone, each with the edit's label."""

    present: Sheet
    past: tuple[tuple[str, Sheet], ...] = ()
    future: tuple[tuple[str, Sheet], ...] = ()

    def record(self, label: str, sheet: Sheet) -> History:
        """Return the history after an edit; an edit that changes nothing is not recorded."""
        if sheet.text == self.present.text:
            return self
        return History(sheet, (*self.past, (label, self.present))[-_LIMIT:], ())

    def undo(self) -> History:
        """Step back, if there is anything to step back to."""
        if not self.past:
            return self
        label, sheet = self.past[-1]
        return History(sheet, self.past[:-1], (*self.future, (label, self.present)))

    def redo(self) -> History:
        """Step forward again."""
        if not self.future:
            return self
        label, sheet = self.future[-1]
        return History(sheet, (*self.past, (label, self.present)), self.future[:-1])

    @property
    def undo_label(self) -> str | None:
        """What undo would take back."""
        return self.past[-1][0] if self.past else None

    @property
    def redo_label(self) -> str | None:
        """What redo would bring back."""
        return self.future[-1][0] if self.future else None
