"""What makes a chart over spin speed a speed diagram: order lines, crossings, the speed stated."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor

from belltone.desk.look import label_font
from belltone.drawing.colours import Palette
from belltone.tune.speed_diagram import SpeedDiagram

__all__ = ["draw_orders", "speed_notes"]

_WITH, _AGAINST, _STILL = "t1", "t", "o"  # marks of whirl with the spin, against it, and of none
_ROOM = 0.93  # of the height; the name of an order stands above its line


def speed_notes(diagram: SpeedDiagram) -> list[str]:
    """What is to be said beside the chart."""
    found = [diagram.note] if diagram.note else []
    if any(each.waves for each in diagram.crossings):
        found.append("▲ whirls with the spin, ▼ against it")
    return found


def draw_orders(
    plot: pg.PlotWidget,
    diagram: SpeedDiagram,
    palette: Palette,
    scales: tuple[float, float],
    top: float,
    margin: float,
) -> None:
    """Draw over a chart up to a height ``top`` (as drawn).

    ``scales`` are what is drawn for an rpm across and for a Hz upwards. Crossings nearer to the
    stated speed than ``margin`` (a share of it) are alarming.
    """
    across, upwards = scales
    fastest = float(diagram.speeds.max())
    for order in diagram.orders:
        stop = min(fastest, 60 * _ROOM * top / upwards / order)
        pen = pg.mkPen(palette.muted, width=1.2, style=Qt.PenStyle.DashLine)
        height = order * stop / 60 * upwards
        plot.addItem(pg.PlotCurveItem([0.0, stop * across], [0.0, height], pen=pen, antialias=True))
        name = pg.TextItem(f"{order:g}×", color=palette.ink, anchor=(1.0, 1.0))
        name.setFont(label_font(8.5))
        name.setPos(stop * across, height)
        plot.addItem(name)
    pen = pg.mkPen(palette.live, width=1.4, style=Qt.PenStyle.DotLine)
    plot.addItem(pg.InfiniteLine(diagram.now * across, pen=pen))
    for each in diagram.crossings:
        near = each.margin is not None and each.margin < margin
        mark = {0: _STILL, 1: _WITH, -1: _AGAINST}[int(np.sign(each.waves))]
        colour = QColor(palette.alarm if near else palette.ink)
        plot.addItem(
            pg.ScatterPlotItem(
                [each.speed * across], [each.frequency * upwards], size=11, symbol=mark,
                brush=colour, pen=pg.mkPen(palette.card),
            )
        )  # fmt: skip
