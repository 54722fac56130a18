"""What stands on the frequency ruler beside the modes themselves."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Final

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from belltone.design.values import BandValue
from belltone.desk.charts.scale import Scale
from belltone.desk.look import label_font
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.sheet.units import format_number
from belltone.tune.bands import forbidden

__all__ = ["BEYOND", "LEFT", "RIGHT", "RulerMarks", "nice_step"]

LEFT: Final = 34
"""Pixels left of the axis."""
RIGHT: Final = 40
"""Pixels right of it."""
BEYOND: Final = 12
"""Pixels beyond the end of the axis where something still shows."""
_GHOST: Final = ((0.0, -5.0), (4.0, 0.0), (0.0, 5.0), (-4.0, 0.0))  # a hollow lozenge


class RulerMarks:
    """Paints bands, the axis, measured frequencies, targets, ghosts, spreads and designs tried.

    ``axis`` is how far down the axis runs (pixels).
    """

    def __init__(self, session: Session, palette: Palette, scale: Scale, axis: int) -> None:
        self._session, self._palette = session, palette
        self._scale, self._axis = scale, axis
        self._width = scale.width + LEFT + RIGHT
        self._end = self._width - RIGHT + BEYOND

    def paint_behind(self, painter: QPainter, bands: Sequence[BandValue]) -> None:
        """All that stands behind the pegs; ``bands`` as a hand has them."""
        self._paint_bands(painter, bands)
        self._paint_axis(painter)
        self._paint_measured(painter)
        self._paint_targets(painter)
        self._paint_ghosts(painter)
        self._paint_spreads(painter)

    def _paint_bands(self, painter: QPainter, bands: Sequence[BandValue]) -> None:
        scale, axis = self._scale, self._axis
        design, palette = self._session.design, self._palette
        font = label_font(8)
        painter.setFont(font)
        metrics = QFontMetricsF(font)
        taken: list[QRectF] = []
        for band in sorted(bands, key=lambda each: each.low):
            below, above = forbidden(band, design.margin)
            top = 17.0
            wide = QRectF(
                scale.x_of(below),
                top,
                scale.x_of(above) - scale.x_of(below),
                axis - top,
            )
            wide = wide.intersected(QRectF(0, top, self._width, axis - top))
            if wide.isEmpty():
                continue  # out of view
            painter.fillRect(wide, QColor(palette.margin_wash))
            left, right = scale.x_of(band.low), scale.x_of(band.high)
            inner = QRectF(left, top, max(2.0, right - left), axis - top)
            painter.fillRect(inner, QColor(palette.alarm_wash))
            hatch = QColor(palette.alarm)
            hatch.setAlpha(110)
            painter.fillRect(inner, QBrush(hatch, Qt.BrushStyle.BDiagPattern))
            width = metrics.horizontalAdvance(band.name)
            label = QRectF(wide.center().x() - width / 2 - 3, 2, width + 6, 14)
            if label.left() < 2:
                label.moveLeft(2)
            for other in taken:
                if label.intersects(other):
                    label.moveLeft(other.right() + 2)
            taken.append(label)
            painter.setPen(QColor(palette.alarm))
            painter.drawText(label, Qt.AlignmentFlag.AlignCenter, band.name)

    def _paint_axis(self, painter: QPainter) -> None:
        scale, axis = self._scale, self._axis
        painter.setFont(label_font(8))
        painter.setPen(QPen(QColor(self._palette.ink), 1.2))
        painter.drawLine(QPointF(LEFT, axis), QPointF(self._end, axis))
        units = self._session.design.shown
        factor = units.factor("frequency")
        step = nice_step(factor * scale.span, scale.width / 90)
        low, high = (5 * factor * end / step for end in (scale.low, scale.high))
        first, last = math.ceil(low - 0.001), int(high + 0.001)
        ticks = range(first, last + 1)
        named = next((tick for tick in ticks if tick % 5 == 0), None)
        for tick in ticks:
            frequency = tick * step / 5
            x = scale.x_of(frequency / factor)
            long = tick % 5 == 0
            painter.setPen(QPen(QColor(self._palette.ink if long else self._palette.muted), 1))
            painter.drawLine(QPointF(x, axis), QPointF(x, axis + (6 if long else 3)))
            if long:
                text = format_number(frequency, 9)
                if tick == named:
                    text += f" {units.unit('frequency')}"
                box = QRectF(x - 40, axis + 7, 80, 14)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_measured(self, painter: QPainter) -> None:
        """What was measured stands below the axis, with a thread to the mode it is."""
        scale, axis = self._scale, self._axis
        colour = QColor(self._palette.live)
        for each in self._session.measuring.held:
            x = scale.x_of(each.measured)
            if x > self._end:
                continue
            tip = QPointF(x, axis + 1)
            mark = QPolygonF([tip, tip + QPointF(-4.5, 8), tip + QPointF(4.5, 8)])
            painter.setPen(QPen(colour, 1.2))
            painter.setBrush(colour if each.computed is not None else Qt.BrushStyle.NoBrush)
            painter.drawPolygon(mark)
            if each.computed is not None:
                painter.drawLine(tip, QPointF(scale.x_of(each.computed), axis - 7))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_targets(self, painter: QPainter) -> None:
        """Where modes are to stand: a gate as wide as it may be off."""
        scale, axis = self._scale, self._axis
        palette = self._palette
        painter.setFont(label_font(7.5))
        for target in self._session.design.targets:
            if target.frequency is None:
                continue
            left, right = (
                scale.x_of(target.frequency + side * target.within) for side in (-1.0, 1.0)
            )
            left, right = min(left, right - 3.0), max(right, left + 3.0)
            painter.setPen(QPen(QColor(palette.clear), 1.6))
            for x in (left, right):
                painter.drawLine(QPointF(x, axis), QPointF(x, 18))
            box = QRectF(0.5 * (left + right) - 60, 4, 120, 13)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, target.name)

    def _paint_ghosts(self, painter: QPainter) -> None:
        """Where modes of another design stand: hollow pegs, the chosen one's joined to its own."""
        scale, axis = self._scale, self._axis
        ghost = self._session.others.ghost
        if ghost is None:
            return
        colour = QColor(self._palette.muted)
        dashed = QPen(colour, 1.1, Qt.PenStyle.DashLine)
        match = self._session.others.ghost_match
        modes = ghost[1].modes
        for number, frequency in enumerate(modes.flexible, start=modes.skipped + 1):
            x = scale.x_of(float(frequency))
            if x > self._end:
                continue
            head = QPointF(x, axis - 12)
            painter.setPen(dashed)
            painter.drawLine(QPointF(x, axis), head)
            painter.setPen(QPen(colour, 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon([head + QPointF(*corner) for corner in _GHOST])
            chosen = self._session.chosen_mode
            if match is not None and match.number == number and chosen is not None:
                now = scale.x_of(chosen.frequency)
                painter.setPen(QPen(QColor(self._palette.branch(self._session.chosen)), 1.6))
                painter.drawLine(QPointF(x, axis - 3), QPointF(now, axis - 3))
                toward = 4.0 if now < x else -4.0
                for side in (-3.0, 3.0):
                    painter.drawLine(QPointF(now, axis - 3), QPointF(now + toward, axis - 3 + side))

    def _paint_spreads(self, painter: QPainter) -> None:
        """Where 99 of 100 designs within the tolerances have each mode: a bar on the axis."""
        scale, axis = self._scale, self._axis
        proposals, answer = self._session.proposals, self._session.answer
        found = proposals.tolerances
        if found is None or answer is None or not proposals.tolerances_are_current:
            return
        for spread in found.spreads:
            identity = answer.identity_at(
                answer.modes.rigid_count + spread.number - 1 - answer.modes.skipped
            )
            colour = QColor(self._palette.branch(identity or 0))
            colour.setAlpha(120)
            left, right = scale.x_of(spread.low), scale.x_of(spread.high)
            painter.fillRect(QRectF(left, axis - 7, max(right - left, 1.5), 7), colour)

    def paint_tried(self, painter: QPainter) -> None:
        """Where modes of the design that a search is looking at would stand."""
        scale, axis = self._scale, self._axis
        tried = self._session.proposals.tried
        if tried is None:
            return
        palette = self._palette
        colour = QColor(palette.clear if tried.meets else palette.live)
        painter.setPen(QPen(colour, 2.0))
        painter.setBrush(colour)
        for frequency in tried.frequencies:
            x = scale.x_of(float(frequency))
            if x > self._end:
                break
            painter.drawLine(QPointF(x, axis), QPointF(x, axis - 12))
            painter.drawPolygon(
                [QPointF(x, axis - 10)] + [QPointF(x + side, axis - 17) for side in (-4.0, 4.0)]
            )


def nice_step(span: float, wanted: float) -> float:
    """A round step that divides ``span`` into about ``wanted`` parts."""
    rough = span / max(1.0, wanted)
    power = 10.0 ** math.floor(math.log10(rough))
    return next(power * factor for factor in (1, 2, 5, 10) if power * factor >= rough * 0.999)
