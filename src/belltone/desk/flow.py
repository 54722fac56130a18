"""Layouts that wrap: widgets side by side like words of a text."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize
from PySide6.QtWidgets import QLabel, QLayout, QLayoutItem, QSizePolicy, QSlider, QWidget

__all__ = ["FlowLayout", "FlowRow"]

_ROW = 24  # pixels


class FlowLayout(QLayout):
    """Lays widgets out like words of a text: left to right, wrapped at the edge.

    A widget with the property “hug” stands close to the one before it, as punctuation does; one
    with “row” begins a row. They are looked at when it comes.
    """

    def __init__(self, parent: QWidget | None = None, spacing: int = 4) -> None:
        super().__init__(parent)
        self._items: list[tuple[QLayoutItem, bool, bool]] = []  # hugs, begins a row
        self._gap = spacing
        self._heights: dict[int, int] = {}  # by width; Qt asks for the same ones over and over
        self._least: QSize | None = None
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem) -> None:
        widget = item.widget()
        hugs, begins = (
            widget is not None and bool(widget.property(name)) for name in ("hug", "row")
        )
        self._items.append((item, hugs, begins))

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index][0] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index)[0] if 0 <= index < len(self._items) else None

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        if width not in self._heights:
            self._heights[width] = self._arrange(QRect(0, 0, width, 0), place=False)
        return self._heights[width]

    def invalidate(self) -> None:
        self._heights.clear()
        self._least = None
        super().invalidate()

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        if self._least is None:
            self._least = QSize(0, 0)
            for item, _, _ in self._items:
                self._least = self._least.expandedTo(item.minimumSize())
        return self._least

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._arrange(rect, place=True)

    def _arrange(self, rect: QRect, place: bool) -> int:
        x, y, row = rect.x(), rect.y(), 0
        left, right = x, rect.right() + 1
        for item, hugs, begins in self._items:
            size = item.sizeHint()
            width, height = size.width(), size.height()
            if x > left and hugs:
                x -= self._gap
            if x > left and (begins or (x + width > right and not hugs)):
                x, y, row = left, y + row + 2, 0
            if place:
                item.setGeometry(QRect(QPoint(x, y), size))
            x += width + self._gap
            row = max(row, height)
        return y + row - rect.y()


class FlowRow(QWidget):
    """Controls side by side, in as many rows as the width asks for."""

    def __init__(self, spacing: int = 4) -> None:
        super().__init__()
        self._flow = FlowLayout(self, spacing)
        policy = self.sizePolicy()
        policy.setHeightForWidth(True)
        policy.setVerticalPolicy(QSizePolicy.Policy.Minimum)
        self.setSizePolicy(policy)

    def add(self, widget: QWidget) -> None:
        """Put a control behind the others; words and sliders stand in the middle of their row."""
        if isinstance(widget, QLabel | QSlider):
            widget.setMinimumHeight(_ROW)
        self._flow.addWidget(widget)
