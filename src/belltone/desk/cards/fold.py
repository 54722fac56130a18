"""The head of what can be folded: its title with an arrow, for mouse and keyboard."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QToolButton

from belltone.desk.look import label_font

__all__ = ["FoldButton"]


class FoldButton(QToolButton):
    """A title that folds and unfolds what is below it."""

    def __init__(self, title: str, opened: bool = False) -> None:
        super().__init__()
        self._title = title
        self.setProperty("fold", True)
        self.setFont(label_font(7.5, bold=True))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.show_open(opened)

    def show_open(self, opened: bool) -> None:
        """Say whether what is below is open."""
        self.setText(f"{'▾' if opened else '▸'}  {self._title.upper()}")
        self.setAccessibleName(f"{self._title}, {'open' if opened else 'shut'}")
        self.setToolTip("Shut it" if opened else "Open it: every number, and what can be done")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)
