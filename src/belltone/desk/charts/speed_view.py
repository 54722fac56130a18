"""The speed diagram: frequencies over spin speed, order lines, and where they cross."""

from __future__ import annotations

import math

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.help.terms import set_term
from belltone.desk.look import label_font
from belltone.desk.pictures import ask_write_chart
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.exchange.preload_tables import crossing_columns, crossing_rows
from belltone.progress import Progress
from belltone.store.failures import error_words
from belltone.store.results import ResultStore, store_path
from belltone.tune.speed_diagram import SpeedDiagram, speed_diagram

__all__ = ["SpeedView"]

_PER_RPM = 2 * math.pi / 60


class SpeedView(QWidget):
    """A window of its own over the session; it asks for the diagram when it is told to."""

    def __init__(self, session: Session, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self._session, self._palette = session, palette
        self.setWindowTitle("Speed diagram · Bell Tone")
        set_term(self, "speed diagram")
        self.resize(900, 640)
        column = QVBoxLayout(self)
        top = QHBoxLayout()
        self.words = QLabel()
        self.words.setFont(label_font(9.5))
        self.words.setWordWrap(True)
        self.draw = QPushButton("Draw it")
        self.draw.clicked.connect(self.run_or_stop)
        write = QPushButton("Write the picture…")
        write.clicked.connect(self._ask_write)
        top.addWidget(self.words, 1)
        top.addWidget(write)
        top.addWidget(self.draw)
        column.addLayout(top)
        self.plot = pg.PlotWidget()
        self.plot.setAccessibleName("Frequencies over spin speed")
        self.plot.setLabel("bottom", "spin speed (rpm)")
        self.plot.setMouseEnabled(x=False, y=False)
        self.plot.hideButtons()
        column.addWidget(self.plot, 3)
        self.table = QTableWidget(0, len(crossing_columns()))
        self.table.setHorizontalHeaderLabels(list(crossing_columns()))
        self.table.setAccessibleName("Crossings of order lines with modes")
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(4, QHeaderView.ResizeMode.Stretch)
        column.addWidget(self.table, 2)
        self.diagram: SpeedDiagram | None = None
        self._text = ""
        self._drawn_in = session.design.shown
        session.jobs.changed.connect(self._follow_jobs)
        session.sheet_changed.connect(self._follow_sheet)
        self.set_palette(palette)
        self._say()

    def _ask_write(self) -> None:
        ask_write_chart(self.plot, "speed diagram", self)

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self.plot.setBackground(palette.card)
        for side in ("bottom", "left"):
            axis = self.plot.getAxis(side)
            axis.setPen(palette.line)
            axis.setTextPen(palette.ink)
        self._show()

    def run_or_stop(self) -> None:
        """Find the diagram in worker processes, or stop finding it."""
        session = self._session
        if session.jobs.state("speeds") is not None:
            session.jobs.stop("speeds")
            return
        sheet, path, workers = session.sheet, session.path, session.workplace.pool()

        def work(progress: Progress) -> SpeedDiagram:
            with ResultStore(store_path(path)) as store:
                return speed_diagram(sheet, workers, store, progress)

        def finish(found: SpeedDiagram) -> None:
            self.diagram, self._text = found, sheet.text
            self._show()
            self._say()

        def fail(error: Exception) -> None:
            self.words.setText(error_words(error))

        session.jobs.start("speeds", work, finish, fail)

    def _follow_jobs(self, lane: str) -> None:
        if lane != "speeds":
            return
        state = self._session.jobs.state("speeds")
        self.draw.setText("Draw it" if state is None else "Stop")
        if state is not None and state.total:
            left = state.seconds_left
            time = "" if left is None else f", about {left:.0f} s left"
            self.words.setText(f"{state.done} of {state.total} speeds solved{time}")

    def _follow_sheet(self) -> None:
        self._say()
        if self.diagram is not None and self._drawn_in != self._session.design.shown:
            self._show()

    def _say(self) -> None:
        """What the diagram is of, or why there is none."""
        session = self._session
        preload = session.design.preload
        if preload is None or preload.spin is None:
            self.words.setText(
                "Nothing spins: say under “Loaded before it vibrates” how fast, and about "
                "which axis."
            )
            self.draw.setEnabled(False)
            return
        self.draw.setEnabled(True)
        spin = preload.spin
        orders = ", ".join(f"{order:g}×" for order in spin.orders)
        text = f"Spin now {spin.speed / _PER_RPM:.5g} rpm; orders {orders}."
        if self.diagram is not None and self._text != session.sheet.text:
            text += " The diagram is of the older design."
        self.words.setText(text)

    def _show(self) -> None:
        """Draw the branches, the order lines and the crossings."""
        self.plot.clear()
        diagram, palette = self.diagram, self._palette
        if diagram is None:
            return
        units = self._drawn_in = self._session.design.shown
        self.plot.getAxis("left").setScale(units.factor("frequency"))
        self.plot.setLabel("left", f"frequency ({units.unit('frequency')})")
        sweep = diagram.sweep
        values = sweep.values
        top = 1.08 * max(float(np.nanmax(branch.frequencies)) for branch in sweep.branches)
        for number, branch in enumerate(sweep.branches):
            curve = branch.curve(values)
            if curve is None:
                continue
            known = values[np.isfinite(branch.frequencies)]
            at = np.linspace(known[0], known[-1], 160)
            pen = pg.mkPen(palette.branch(number), width=2.2)
            self.plot.plot(at, curve(at), pen=pen)
            name = pg.TextItem(str(number + 1), color=palette.branch(number), anchor=(0, 0.5))
            name.setFont(label_font(8.5, bold=True))
            name.setPos(at[-1], float(curve(at[-1])))
            self.plot.addItem(name)
        for order in diagram.orders:
            stop = min(float(values[-1]), 60 * 0.93 * top / order)
            pen = pg.mkPen(palette.muted, width=1.2, style=Qt.PenStyle.DashLine)
            self.plot.plot([0.0, stop], diagram.line(order, [0.0, stop]), pen=pen)
            name = pg.TextItem(f"{order:g}×", color=palette.muted, anchor=(1.0, 1.0))
            name.setPos(stop, order * stop / 60)
            self.plot.addItem(name)
        now = pg.InfiniteLine(diagram.spin.speed / _PER_RPM, pen=pg.mkPen(palette.live, width=1.6))
        self.plot.addItem(now)
        for each in diagram.crossings:
            near = each.margin is not None and each.margin < self._session.design.margin
            colour = QColor(palette.alarm if near else palette.ink)
            mark = {0: "o", 1: "t1", -1: "t"}[int(np.sign(each.waves))]
            self.plot.plot(
                [each.speed], [each.frequency], symbol=mark, symbolSize=9, pen=None,
                symbolBrush=colour, symbolPen=pg.mkPen(palette.card),
            )  # fmt: skip
        self.plot.setRange(xRange=(0, float(values[-1]) * 1.04), yRange=(0, top), padding=0)
        self.table.setHorizontalHeaderLabels(list(crossing_columns(units)))
        rows = crossing_rows(diagram, units)
        self.table.setRowCount(len(rows))
        for row, texts in enumerate(rows):
            for place, text in enumerate(texts):
                item = QTableWidgetItem(text)
                side = Qt.AlignmentFlag.AlignLeft if place == 4 else Qt.AlignmentFlag.AlignRight
                item.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, place, item)
