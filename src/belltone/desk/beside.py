"""Windows beside the main one: each is made when it is first asked for, and kept."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar, cast

from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QWidget

from belltone.drawing.colours import Palette

__all__ = ["Beside"]

W = TypeVar("W", bound=QWidget)


class Beside:
    """Makes windows by their kind and brings them to the front."""

    def __init__(self, explain: Callable[[], object]) -> None:
        self._explain = explain
        self._made: dict[type[QWidget], QWidget] = {}
        self.last: QWidget | None = None  # brought to the front

    def of(self, kind: type[W]) -> W | None:
        """The window of a kind, if it was ever asked for."""
        return cast("W | None", self._made.get(kind))

    def bring(self, kind: type[W], make: Callable[[], W], palette: Palette) -> W:
        """Show a window in front, made first if it is not there yet."""
        found = self.of(kind)
        if found is None:
            found = make()
            self._made[kind] = found
            QShortcut(QKeySequence("F1"), found, self._explain)
        take = getattr(found, "set_palette", None)
        if take is not None:  # some draw nothing of their own
            take(palette)
        self.last = found
        found.show()
        found.raise_()
        found.activateWindow()
        return found
