"""A chart of a table of designs: frequencies, and anything else told on an axis of its own."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from belltone.desk.designs.order_lines import draw_orders
from belltone.desk.look import label_font
from belltone.desk.pictures import ask_write_chart
from belltone.desk.session.surveys import FoundSurvey
from belltone.drawing.colours import MARKS, Palette
from belltone.exchange.sweep_tables import DesignTable
from belltone.sheet.shown_units import AS_TYPED, ShownUnits
from belltone.tune.speed_diagram import SpeedDiagram

__all__ = ["DesignChart"]

Array = NDArray[np.float64]

_NOTHING = "nothing"
_SYMBOLS = dict(zip(MARKS, ("o", "s", "d", "h", "p"), strict=True))
_MOST_DOTS = 4000


class DesignChart(QWidget):
    """Draws the rows it is told to; a click on a dot chooses its row."""

    row_chosen = Signal(int)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._palette = palette
        self._found: FoundSurvey | None = None
        self._units, self._margin = AS_TYPED, 0.0
        self._rows: Sequence[int] = ()
        self._row: int | None = None
        self.across, self.right = QComboBox(), QComboBox()
        self.across.setAccessibleName("across")
        self.right.setAccessibleName("on the right axis")
        self.write = QPushButton("Write the picture…")
        self.write.clicked.connect(self._ask_write)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        for text, box in (("Frequencies over", self.across), ("and on the right axis", self.right)):
            row.addWidget(QLabel(text))
            row.addWidget(box)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
            box.currentIndexChanged.connect(lambda _: self.draw())
        row.addStretch(1)
        row.addWidget(self.write)
        self.plot = pg.PlotWidget()
        self.plot.setAccessibleName("Frequencies of the designs")
        self.plot.setMenuEnabled(False)
        self.plot.setMouseEnabled(x=False, y=False)
        self.plot.hideButtons()
        item = self.plot.getPlotItem()
        item.layout.setContentsMargins(4, 10, 6, 2)
        self.beside = pg.ViewBox(enableMenu=False)
        self.beside.setMouseEnabled(x=False, y=False)
        item.scene().addItem(self.beside)
        item.getAxis("right").linkToView(self.beside)
        self.beside.setXLink(item.vb)
        item.vb.sigResized.connect(self._follow_size)
        for name in ("left", "right", "bottom"):
            axis = item.getAxis(name)
            axis.enableAutoSIPrefix(False)
            axis.setStyle(tickFont=label_font(8))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(row)
        column.addWidget(self.plot, 1)

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self.draw()

    def show_table(
        self,
        found: FoundSurvey | None,
        rows: Sequence[int],
        units: ShownUnits = AS_TYPED,
        margin: float = 0.0,
    ) -> None:
        """Draw some rows of a table; what is drawn over what stays where the table has it.

        Its frequencies are in ``units``; ``margin`` (a share) is how near is too near to a band.
        """
        self._found, self._rows, self._units, self._margin = found, rows, units, margin
        names = [] if found is None else _numeric(found.table)
        self._fill(self.across, names)
        self._fill(self.right, [_NOTHING, *names])
        self.draw()

    def mark(self, row: int | None) -> None:
        """Show which row is looked at."""
        if row != self._row:
            self._row = row
            self.draw()

    @staticmethod
    def _fill(box: QComboBox, names: list[str]) -> None:
        if names == [box.itemText(at) for at in range(box.count())]:
            return
        chosen = box.currentText()
        box.blockSignals(True)
        box.clear()
        box.addItems(names)
        if chosen in names:
            box.setCurrentText(chosen)
        box.blockSignals(False)

    def _ask_write(self) -> None:
        ask_write_chart(self.plot, "designs", self)

    def _follow_size(self) -> None:
        self.beside.setGeometry(self.plot.getPlotItem().vb.sceneBoundingRect())

    # -- drawing --------------------------------------------------------------------------------

    def draw(self) -> None:
        """Draw everything anew."""
        palette, item = self._palette, self.plot.getPlotItem()
        self.plot.clear()
        self.beside.clear()
        self.plot.setBackground(palette.card)
        for name in ("left", "right", "bottom"):
            axis = item.getAxis(name)
            axis.setPen(QColor(palette.muted))
            axis.setTextPen(QColor(palette.ink))
        found, rows = self._found, list(self._rows)
        second = self.right.currentText()
        item.showAxis("right", show=found is not None and second not in ("", _NOTHING))
        self.write.setEnabled(found is not None)
        if found is None or not rows or not self.across.currentText():
            return
        table = found.table
        heads = list(table.heads)
        at = heads.index(self.across.currentText())
        x = _numbers(table, at)
        style = {"font-size": "9pt", "color": palette.ink}
        item.setLabel("bottom", heads[at], **style)
        groups = _groups(found, at, rows)
        dots = len(rows) * len(found.survey.tracks) <= _MOST_DOTS
        places = [n for n, column in enumerate(table.columns) if column.role == "frequency"]
        item.setLabel("left", f"frequency ({table.columns[places[0]].unit})", **style)
        for identity, column in zip(found.identities, places, strict=True):
            y = _numbers(table, column)
            colour = QColor(palette.branch(identity))
            self._series(
                self.plot, x, y, groups, colour, _SYMBOLS[MARKS[identity % len(MARKS)]], dots
            )
        if second not in ("", _NOTHING):
            colour = QColor(palette.load)
            column = heads.index(second)
            item.setLabel("right", heads[column], **{**style, "color": palette.load})
            item.getAxis("right").setTextPen(colour)
            self._series(self.beside, x, _numbers(table, column), groups, colour, "x", dots, True)
            self._fit(self.beside, _numbers(table, column)[rows])
        every = np.concatenate([_numbers(table, column)[rows] for column in places])
        known = x[rows][np.isfinite(x[rows])]
        if len(known):
            low, high = float(known.min()), float(known.max())
            self.plot.setXRange(low, high if high > low else low + 1.0, padding=0.03)
        self._fit(self.plot.getPlotItem().vb, every)
        if found.speeds is not None and table.columns[at].role == "input":
            self._draw_orders(found.speeds, x, every)
        if self._row is not None and np.isfinite(x[self._row]):
            line = pg.InfiniteLine(float(x[self._row]), pen=pg.mkPen(palette.live, width=1.6))
            self.plot.addItem(line)
        self._follow_size()

    def _draw_orders(self, diagram: SpeedDiagram, x: Array, every: Array) -> None:
        """Over the speed of a spin: from nothing, with all orders."""
        top = 1.08 * float(np.nanmax(every))
        fastest = int(np.argmax(diagram.speeds))
        across = float(x[fastest] / diagram.speeds[fastest])
        scales = across, self._units.factor("frequency")
        draw_orders(self.plot, diagram, self._palette, scales, top, self._margin)
        self.plot.setRange(xRange=(0.0, 1.03 * float(x[fastest])), yRange=(0.0, top), padding=0)

    @staticmethod
    def _fit(box: pg.ViewBox, values: Array) -> None:
        known = values[np.isfinite(values)]
        if len(known):
            low, high = float(known.min()), float(known.max())
            box.setYRange(low, high if high > low else low + 1.0, padding=0.08)

    def _series(
        self,
        box: pg.PlotWidget | pg.ViewBox,
        x: Array,
        y: Array,
        groups: list[list[int]],
        colour: QColor,
        symbol: str,
        dots: bool,
        dashed: bool = False,
    ) -> None:
        """One column: lines along what it is drawn over, and a dot for each design."""
        style = Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine
        thin = QColor(colour)
        thin.setAlpha(255 if len(groups) == 1 else 150)
        for group in groups:
            if len(group) > 1:
                pen = pg.mkPen(thin, width=1.6, style=style)
                line = pg.PlotCurveItem(
                    x[group], y[group], pen=pen, connect="finite", antialias=True
                )
                box.addItem(line)
        if not dots:
            return
        told = [row for group in groups for row in group if np.isfinite(y[row])]
        spots = pg.ScatterPlotItem(
            x[told], y[told], data=told, size=7, symbol=symbol, brush=colour, pen=None
        )
        spots.sigClicked.connect(lambda _item, points: self.row_chosen.emit(int(points[0].data())))
        box.addItem(spots)


def _numeric(table: DesignTable) -> list[str]:
    """The heads of columns with numbers in them, what was set first."""
    found = []
    for at, column in enumerate(table.columns):
        if column.role in ("input", "output") and any(
            isinstance(row[at], float) for row in table.rows
        ):
            found.append(column.text)
    return found


def _numbers(table: DesignTable, column: int) -> Array:
    cells = [row[column] for row in table.rows]
    return np.array([cell if isinstance(cell, float) else np.nan for cell in cells], float)


def _groups(found: FoundSurvey, across: int, rows: Sequence[int]) -> list[list[int]]:
    """Rows that differ in nothing set but what is drawn across, in its order; else one by one."""
    table, plan = found.table, found.survey.plan
    if not plan.shape:
        return [[row] for row in rows]
    x = _numbers(table, across)
    inputs = [at for at, column in enumerate(table.columns) if column.role == "input"]
    if not plan.is_grid or (across not in inputs and len(inputs) == 1):
        return [list(rows)]
    groups: dict[tuple[object, ...], list[int]] = {}
    fixed = [at for at in inputs if at != across]
    if across not in inputs:
        fixed = inputs[1:]
    for row in rows:
        groups.setdefault(tuple(table.rows[row][at] for at in fixed), []).append(row)
    return [sorted(group, key=lambda row: x[row]) for group in groups.values()]
