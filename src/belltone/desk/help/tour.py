"""A tour of five steps over the real window; it can be left at any time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from PySide6.QtCore import QEvent, QObject, QPoint, QRect, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from belltone.desk.look import label_font, sentence_font
from belltone.drawing.colours import Palette

__all__ = ["Step", "Tour"]

_WIDE: Final = 330
_GAP: Final = 12


@dataclass(frozen=True)
class Step:
    """One step: what it points at, its head and its words."""

    widget: QWidget
    head: str
    words: str


class Tour(QFrame):
    """A card beside each thing in turn, and a ring round it; the window stays usable."""

    ended = Signal()

    def __init__(self, steps: Sequence[Step], palette: Palette, window: QWidget) -> None:
        super().__init__(window)
        self._window = window
        self._steps, self._place = tuple(steps), 0
        self._ring = _Ring(palette, window)
        self.setProperty("card", True)
        self.setAccessibleName("Tour")
        self.setFixedWidth(_WIDE)
        column = QVBoxLayout(self)
        self._head = QLabel()
        self._head.setFont(label_font(10.5, bold=True))
        self._words = QLabel()
        self._words.setFont(sentence_font(10.5))
        self._words.setWordWrap(True)
        self._count = QLabel()
        self._count.setProperty("role", "muted")
        self._count.setFont(label_font(8.5))
        row = QHBoxLayout()
        row.addWidget(self._count, 1)
        self.back, self.next, self.leave = (
            QPushButton(text) for text in ("Back", "Next", "Leave the tour")
        )
        self.back.clicked.connect(lambda: self._go(-1))
        self.next.clicked.connect(lambda: self._go(1))
        self.leave.clicked.connect(self.end)
        for button in (self.leave, self.back, self.next):
            button.setFont(label_font(9))
            row.addWidget(button)
        column.addWidget(self._head)
        column.addWidget(self._words)
        column.addLayout(row)
        window.installEventFilter(self)
        self._show()

    @property
    def step(self) -> int:
        """Which step is shown, from 1."""
        return self._place + 1

    def _go(self, by: int) -> None:
        if self._place + by >= len(self._steps):
            self.end()
            return
        self._place = max(0, self._place + by)
        self._show()

    def _show(self) -> None:
        step = self._steps[self._place]
        self._head.setText(step.head)
        self._words.setText(step.words)
        self._count.setText(f"{self.step} of {len(self._steps)}")
        self.back.setEnabled(self._place > 0)
        last = self._place == len(self._steps) - 1
        self.next.setText("Done" if last else "Next")
        self.show()
        self._put()
        self.next.setFocus()

    def _put(self) -> None:
        """Beside what is pointed at, where there is room."""
        window, step = self._window, self._steps[self._place]
        at = QRect(step.widget.mapTo(window, QPoint(0, 0)), step.widget.size())
        self._ring.setGeometry(at.adjusted(-3, -3, 3, 3).intersected(window.rect()))
        self._ring.show()
        self._ring.raise_()
        high = self._words.heightForWidth(_WIDE - 24) + 96
        self.setFixedHeight(high)
        places = (
            QPoint(at.right() + _GAP, at.top() + _GAP),
            QPoint(at.left() - _WIDE - _GAP, at.top() + _GAP),
            QPoint(at.center().x() - _WIDE // 2, at.top() - high - _GAP),
            QPoint(at.center().x() - _WIDE // 2, at.bottom() + _GAP),
        )
        inside = window.rect()
        fits = (spot for spot in places if inside.contains(QRect(spot, self.size())))
        self.move(next(fits, at.center() - self.rect().center()))
        self.raise_()

    def end(self) -> None:
        """Leave the tour."""
        self._window.removeEventFilter(self)
        self._ring.hide()
        self._ring.deleteLater()
        self.hide()
        self.ended.emit()
        self.deleteLater()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.end()
        else:
            super().keyPressEvent(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize and self.isVisible():
            self._put()
        return super().eventFilter(watched, event)


class _Ring(QWidget):
    """Drawn round what a step points at; hands go through it."""

    def __init__(self, palette: Palette, window: QWidget) -> None:
        super().__init__(window)
        self._colour = QColor(palette.live)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self._colour, 3))
        painter.drawRoundedRect(self.rect().adjusted(2, 2, -2, -2), 7, 7)
        painter.end()
