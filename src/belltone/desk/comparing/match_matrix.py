"""The matrix of modal assurance as a picture with numbers; a click shows both shapes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QHelpEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from belltone.compare.matched import Comparison
from belltone.desk.look import label_font
from belltone.drawing.colours import Palette, ramp
from belltone.sheet.shown_units import AS_TYPED, ShownUnits

__all__ = ["MatchMatrix"]

_LEFT, _TOP = 82, 44
_MOST_CELL, _LEAST_NUMBER = 34.0, 19.0  # pixels
_PALE = 0.55  # from here on numbers are written light on dark


class MatchMatrix(QWidget):
    """Modes of the first design down, of the second across; cells are chosen by hand or keys."""

    cell_chosen = Signal(int, int)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._palette = palette
        self._found: Comparison | None = None
        self._partners: dict[int, int] = {}
        self.chosen: tuple[int, int] | None = None
        self._units = AS_TYPED
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Modal assurance")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 170)

    def sizeHint(self) -> QSize:
        return QSize(440, 320)

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self.update()

    def show_comparison(self, found: Comparison | None, units: ShownUnits = AS_TYPED) -> None:
        """Show another comparison, with frequencies in the units chosen."""
        self._found, self.chosen = found, None
        self._units = units
        self._partners = {}
        if found is not None:
            first, second = found.first.modes.skipped, found.second.modes.skipped
            self._partners = {
                each.number - first - 1: each.number_after - second - 1
                for each in found.matches
                if each.number is not None and each.number_after is not None
            }
        self.update()

    def choose(self, row: int | None, column: int | None) -> None:
        """Mark a cell by its places among the flexible modes of both."""
        self.chosen = None if row is None or column is None else (row, column)
        self.update()

    @property
    def _values(self) -> NDArray[np.float64]:
        return np.zeros((0, 0)) if self._found is None else self._found.assurance

    def _cell(self) -> tuple[float, float]:
        rows, columns = self._values.shape
        across = (self.width() - _LEFT - 8) / max(columns, 1)
        down = (self.height() - _TOP - 6) / max(rows, 1)
        return min(across, 1.6 * _MOST_CELL), min(down, _MOST_CELL)

    def place_of(self, row: int, column: int) -> QRectF:
        """Where a cell is drawn."""
        wide, high = self._cell()
        return QRectF(_LEFT + column * wide, _TOP + row * high, wide, high)

    def cell_at(self, place: QPointF) -> tuple[int, int] | None:
        """The cell at a place."""
        wide, high = self._cell()
        column, row = (place.x() - _LEFT) // wide, (place.y() - _TOP) // high
        rows, columns = self._values.shape
        if 0 <= row < rows and 0 <= column < columns:
            return int(row), int(column)
        return None

    # -- painting -------------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        self._paint(painter)
        painter.end()

    def picture(self) -> QImage:
        """The matrix as a picture twice as sharp as the screen."""
        image = QImage(self.size() * 2, QImage.Format.Format_RGB32)
        image.fill(QColor(self._palette.card))
        image.setDevicePixelRatio(2.0)
        painter = QPainter(image)
        self._paint(painter)
        painter.end()
        return image

    def _paint(self, painter: QPainter) -> None:
        palette, found = self._palette, self._found
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(palette.card))
        if found is None:
            return
        self._paint_heads(painter, found)
        colours = ramp((palette.card, *palette.motion[1:]))
        wide, high = self._cell()
        numbers = min(wide, high) >= _LEAST_NUMBER
        painter.setFont(label_font(7.5))
        for row, values in enumerate(self._values):
            for column, value in enumerate(values):
                box = self.place_of(row, column).adjusted(0.5, 0.5, -0.5, -0.5)
                share = min(max(float(value), 0.0), 1.0)
                painter.fillRect(box, QColor(*map(int, colours[round(share * (len(colours) - 1))])))
                if numbers and value >= 0.005:
                    painter.setPen(QColor(palette.card if share > _PALE else palette.ink))
                    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, _short(share))
                if self._partners.get(row) == column:
                    painter.setPen(QPen(QColor(palette.ink), 1.2))
                    painter.drawRect(box)
        if self.chosen is not None:
            painter.setPen(QPen(QColor(palette.live), 2.6))
            painter.drawRect(self.place_of(*self.chosen).adjusted(1, 1, -1, -1))
        if self.hasFocus():
            painter.setPen(QPen(QColor(palette.live), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))

    def _paint_heads(self, painter: QPainter, found: Comparison) -> None:
        palette = self._palette
        painter.setFont(label_font(8, bold=True))
        painter.setPen(QColor(palette.ink))
        metrics = painter.fontMetrics()
        units, cut = self._units, Qt.TextElideMode.ElideRight
        for name, start, room in (
            (f"{found.second.name} →", QPointF(_LEFT, 13), self.width() - _LEFT - 8),
            (f"{found.first.name} ↓", QPointF(4, 13), _LEFT - 8),
        ):
            painter.drawText(start, metrics.elidedText(name, cut, room))
        painter.setFont(label_font(7.5))
        painter.setPen(QColor(palette.muted))
        wide, high = self._cell()
        first, second = found.first.modes, found.second.modes
        unit = QRectF(2, _TOP - 15, _LEFT - 8, 13)
        side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(unit, side, f"mode · {units.unit('frequency')}")
        for row, frequency in enumerate(first.flexible):
            box = QRectF(2, _TOP + row * high, _LEFT - 8, high)
            if high >= 9:
                told = units.number(float(frequency), "frequency", 4)
                painter.drawText(box, side, f"{first.skipped + row + 1} · {told}")
        for column, frequency in enumerate(second.flexible):
            at = _LEFT + column * wide
            middle = Qt.AlignmentFlag.AlignCenter
            if wide >= 12:
                painter.drawText(QRectF(at, 17, wide, 13), middle, str(second.skipped + column + 1))
            if wide >= 30:
                text = units.number(float(frequency), "frequency", 4)
                painter.drawText(QRectF(at, 29, wide, 13), middle, text)

    # -- hands ----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        cell = self.cell_at(event.position())
        if cell is not None and event.button() == Qt.MouseButton.LeftButton:
            self._take(*cell)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
        }
        step = steps.get(Qt.Key(event.key()))
        rows, columns = self._values.shape
        if step is None or not rows or not columns:
            event.ignore()
            return
        row, column = self.chosen or (0, 0)
        self._take(min(max(row + step[0], 0), rows - 1), min(max(column + step[1], 0), columns - 1))

    def _take(self, row: int, column: int) -> None:
        self.choose(row, column)
        self.cell_chosen.emit(row, column)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and self._found is not None:
            cell = self.cell_at(QPointF(event.pos()))
            if cell is None:
                QToolTip.hideText()
            else:
                QToolTip.showText(event.globalPos(), self._words(*cell), self)
            return True
        return super().event(event)

    def _words(self, row: int, column: int) -> str:
        assert self._found is not None
        sides = (self._found.first, row), (self._found.second, column)
        modes = [side.modes.mode(side.modes.rigid_count + place) for side, place in sides]
        lines = [
            f"{side.name}: mode {mode.number}, "
            f"{self._units.frequency_text(mode.frequency)}, {mode.kind}"
            for (side, _), mode in zip(sides, modes, strict=True)
        ]
        value = float(self._values[row, column])
        return "\n".join([*lines, f"modal assurance {value:.3f}"])


def _short(share: float) -> str:
    """A share to two digits, without its nought."""
    return "1" if share >= 0.995 else f"{share:.2f}"[1:]
