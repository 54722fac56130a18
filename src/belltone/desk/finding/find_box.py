"""The box to find anything: type, choose with the arrows, Enter goes there."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Final

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHeaderView,
    QLabel,
    QLineEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.finding.finds import Find, nearest
from belltone.desk.look import label_font

__all__ = ["FindBox"]

_WIDE: Final = 620
_STEPS: Final = {
    Qt.Key.Key_Down: 1,
    Qt.Key.Key_Up: -1,
    Qt.Key.Key_PageDown: 10,
    Qt.Key.Key_PageUp: -10,
}


class FindBox(QDialog):
    """Lists what comes nearest to what is typed; ``gather`` is asked once, when it opens."""

    def __init__(self, gather: Callable[[], Iterable[Find]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find anything")
        self._finds = list(gather())
        self._shown: list[Find] = []
        self.chosen: Find | None = None
        column = QVBoxLayout(self)
        self.typed = QLineEdit()
        self.typed.setProperty("plain", True)
        self.typed.setFont(label_font(11))
        self.typed.setPlaceholderText(
            "a command, number, site, part, material, knob, mode, demo or word of help"
        )
        self.typed.setAccessibleName("Find anything")
        self.typed.textChanged.connect(self._fill)
        self.typed.installEventFilter(self)
        self.list = QTreeWidget()
        self.list.setColumnCount(3)
        self.list.setHeaderHidden(True)
        self.list.setRootIsDecorated(False)
        self.list.setUniformRowHeights(True)
        self.list.setFont(label_font(9))
        self.list.setAccessibleName("What was found")
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        header = self.list.header()
        header.setStretchLastSection(True)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        for place, wide in enumerate((250, 80)):
            header.resizeSection(place, wide)
        self.list.itemActivated.connect(lambda _item, _column: self.accept())
        self.list.itemClicked.connect(lambda _item, _column: self.accept())
        self.note = QLabel("Nothing typed yet.")
        self.note.setProperty("role", "muted")
        self.note.setFont(label_font(8.5))
        column.addWidget(self.typed)
        column.addWidget(self.list, 1)
        column.addWidget(self.note)
        self.resize(_WIDE, 380)

    def _fill(self, typed: str) -> None:
        self._shown = nearest(self._finds, typed)
        self.list.clear()
        for find in self._shown:
            self.list.addTopLevelItem(QTreeWidgetItem([find.text, find.sort, find.detail]))
        self._mark(0)
        found = f"{len(self._shown)} found · arrows choose, Enter goes there"
        nothing = f"Nothing holds “{typed.strip()}”; try fewer or other words."
        self.note.setText(found if self._shown else nothing if typed.strip() else "")

    @property
    def _row(self) -> int:
        return self.list.currentIndex().row()

    def _mark(self, row: int) -> None:
        item = self.list.topLevelItem(min(max(row, 0), len(self._shown) - 1))
        if item is not None:
            self.list.setCurrentItem(item)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Arrows move in the list while the keyboard stays in the box."""
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            step = _STEPS.get(Qt.Key(event.key()))
            if step is not None and self._shown:
                self._mark(self._row + step)
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.accept()
                return True
        return super().eventFilter(watched, event)

    def accept(self) -> None:
        """Go to what is marked; with nothing marked the box stays."""
        if 0 <= self._row < len(self._shown):
            self.chosen = self._shown[self._row]
            super().accept()
