"""Marks of branches, so that no meaning hangs on colour alone."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainterPath, QPolygonF

from belltone.drawing.colours import MARKS

__all__ = ["mark_path"]


def mark_path(identity: int, centre: QPointF, radius: float) -> QPainterPath:
    """The outline that goes with a branch's colour."""
    path = QPainterPath()
    mark = MARKS[identity % len(MARKS)]
    if mark == "round":
        path.addEllipse(centre, radius, radius)
        return path
    corners = {
        "square": [(-0.9, -0.9), (0.9, -0.9), (0.9, 0.9), (-0.9, 0.9)],
        "kite": [(0, -1.15), (1.15, 0), (0, 1.15), (-1.15, 0)],
        "hexagon": [
            (math.sin(k * math.pi / 3) * 1.1, math.cos(k * math.pi / 3) * 1.1) for k in range(6)
        ],
        "shield": [(-0.95, -0.95), (0.95, -0.95), (0.95, 0.3), (0, 1.2), (-0.95, 0.3)],
    }[mark]
    points = [QPointF(centre.x() + radius * x, centre.y() + radius * y) for x, y in corners]
    path.addPolygon(QPolygonF(points))
    path.closeSubpath()
    return path
