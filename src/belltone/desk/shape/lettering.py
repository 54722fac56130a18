"""What is written and marked over a picture of the component: names, axes, sites, a heading."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPen, QPolygonF

from belltone.design.values import Design
from belltone.desk.look import label_font
from belltone.desk.session.pointing import Point
from belltone.drawing.colours import Palette
from belltone.drawing.eye import Eye
from belltone.system.kinds import location

__all__ = ["Lettering", "told_box"]

Line = Sequence[tuple[float, float]]
"""Points in pixels of the picture."""

_TOLD: Final = (
    int(Qt.AlignmentFlag.AlignBottom)
    | int(Qt.AlignmentFlag.AlignHCenter)
    | int(Qt.TextFlag.TextWordWrap)
)


def told_box(room: QRect, text: str) -> QRect:
    """Where in a picture's room it is told why nothing moves."""
    inside = room.adjusted(70, 0, -12, -10)
    return QFontMetrics(label_font(9)).boundingRect(inside, _TOLD, text).adjusted(-8, -4, 8, 4)


@dataclass(frozen=True)
class Lettering:
    """Writes over one picture.

    ``room`` is the widget's place for it; the picture has ``ratio`` pixels for each of its own.
    """

    painter: QPainter
    palette: Palette
    eye: Eye
    room: QRect
    ratio: float

    def waiting(self, text: str, box: QRect, failed: bool) -> None:
        """Tell why nothing moves yet."""
        self.painter.setFont(label_font(9))
        self.painter.fillRect(box, self._ground(225))
        self.painter.setPen(QColor(self.palette.alarm if failed else self.palette.muted))
        self.painter.drawText(box.adjusted(8, 4, -8, -4), _TOLD, text)

    def heading(self, head: str, text: str) -> None:
        """A heading, and a line below it."""
        wide = self.room.width() - 16
        for line, at, high, font, colour in (
            (head, 4, 16, label_font(9, bold=True), self.palette.ink),
            (text, 20, 14, label_font(8), self.palette.muted),
        ):
            self.painter.setFont(font)
            self.painter.setPen(QColor(colour))
            metrics = self.painter.fontMetrics()
            fitted = metrics.elidedText(line, Qt.TextElideMode.ElideRight, wide)
            self.painter.drawText(QRectF(8, at, wide, high), fitted)

    def rings(self, spots: Sequence[Point]) -> None:
        """Rings round points (m), where they are at rest."""
        if not spots:
            return
        found = self.eye.project(np.array(spots), self._height) / self.ratio
        self.painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((self.palette.card, 4.5), (self.palette.live, 2.2)):
            self.painter.setPen(QPen(QColor(colour), width))
            for x, y, _ in found.tolist():
                self.painter.drawEllipse(QPointF(x, y), 6.0, 6.0)

    def marked(self, lines: Sequence[Line]) -> None:
        """A site's lines, or its point."""
        colour = QColor(self.palette.live)
        for line in lines:
            points = QPolygonF([QPointF(x / self.ratio, y / self.ratio) for x, y in line])
            self.painter.setPen(QPen(colour, 4, c=Qt.PenCapStyle.RoundCap))
            if len(line) == 1:
                self.painter.setBrush(colour)
                self.painter.drawEllipse(points.at(0), 6, 6)
                self.painter.setBrush(Qt.BrushStyle.NoBrush)
            else:
                self.painter.drawPolyline(points)

    def label(self, text: str, beside: QPointF) -> None:
        """A name beside a point of the widget."""
        self.painter.setFont(label_font(9, bold=True))
        wide = self.painter.fontMetrics().horizontalAdvance(text) + 14
        at = beside + QPointF(14, -26)
        left = min(max(at.x(), 2.0), max(2.0, self.room.width() - wide - 2.0))
        box = QRectF(left, max(at.y(), 2.0), wide, 20)
        self.painter.setPen(Qt.PenStyle.NoPen)
        self.painter.setBrush(QColor(self.palette.live))
        self.painter.drawRoundedRect(box, 4, 4)
        self.painter.setPen(QColor(self.palette.card))
        self.painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def names(self, design: Design, taken: Sequence[QRect] = ()) -> None:
        """Name supports and masses beside where they are, never over one another or what is taken.

        One that finds no room is left out: the mouse at its place tells it.
        """
        self.painter.setFont(label_font(8))
        metrics = self.painter.fontMetrics()
        names = [(s.name, location(design, s.place)) for s in design.supports]
        names += [
            (
                f"{m.name}, {design.shown.mass_text(m.mass)}",
                location(design, m.place) + np.array(m.offset),
            )
            for m in design.masses
        ]
        occupied = [QRectF(box) for box in taken]
        for name, place in names:
            x, y = self.eye.on_picture(place, self._height)
            at = QPointF(x / self.ratio, y / self.ratio)
            box = self._room_for(at, metrics.horizontalAdvance(name) + 8, occupied)
            if box is None:
                continue
            occupied.append(box)
            self.painter.setPen(QPen(QColor(self.palette.line), 1))
            below = box.top() > at.y()
            start, end = (14, box.top()) if below else (-14, box.bottom())
            self.painter.drawLine(QPointF(at.x(), at.y() + start), QPointF(at.x(), end))
            self.painter.fillRect(box, self._ground(200))
            self.painter.setPen(QColor(self.palette.muted))
            self.painter.drawText(box, Qt.AlignmentFlag.AlignCenter, name)

    def axes(self) -> None:
        """The directions of the axes, in the corner."""
        origin = QPointF(30, self.room.height() - 28)
        self.painter.setFont(label_font(8))
        for name, (right, down) in zip("xyz", self.eye.axes, strict=True):
            tip = QPointF(origin.x() + 20 * right, origin.y() + 20 * down)
            self.painter.setPen(QPen(QColor(self.palette.muted), 1.3))
            self.painter.drawLine(origin, tip)
            if math.hypot(right, down) > 0.25:
                out = QPointF(origin.x() + 27 * right, origin.y() + 27 * down)
                box = QRectF(out.x() - 7, out.y() - 7, 14, 14)
                self.painter.drawText(box, Qt.AlignmentFlag.AlignCenter, name)

    @property
    def _height(self) -> int:
        """Of the picture, in its pixels."""
        return round(self.room.height() * self.ratio)

    def _ground(self, opacity: int) -> QColor:
        ground = QColor(self.palette.card)
        ground.setAlpha(opacity)
        return ground

    def _room_for(self, at: QPointF, width: float, taken: Sequence[QRectF]) -> QRectF | None:
        """Where a name of a place finds room: below it, else above."""
        left = min(max(at.x() - width / 2, 2.0), self.room.width() - width - 2.0)
        rows = range(self.room.height() // 16)
        tops = [at.y() + 34 + 16 * row for row in rows]
        tops += [at.y() - 49 - 16 * row for row in rows]
        for top in tops:
            box = QRectF(left, top, width, 15)
            inside = top >= 2 and box.bottom() <= self.room.height() - 2
            if inside and not any(box.intersects(other) for other in taken):
                return box
        return None
