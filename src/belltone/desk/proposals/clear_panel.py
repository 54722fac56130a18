"""Clear: which knobs, what is to be best, what is found, and going there."""

from __future__ import annotations

import math

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.knob_box import KnobTicks
from belltone.desk.look import label_font, tell
from belltone.desk.session.proposals import SEARCH, Asked
from belltone.desk.session.session import Session
from belltone.desk.spared import spared_kinds
from belltone.drawing.colours import Palette
from belltone.exchange.tables import percent
from belltone.exchange.tuning_tables import cleared_lines
from belltone.sheet.units import format_number
from belltone.tune.clearing import CONDITIONS
from belltone.tune.proposals import Proposal
from belltone.tune.search import Aim

__all__ = ["ClearPanel"]

_AIMS = {
    "the least change": Aim.CHANGE,
    "the least mass": Aim.MASS,
    "the widest margin": Aim.MARGIN,
}
_PRICED = (0.0, 0.5, 1.0, 1.5, 2.0)  # margins to be priced, in shares of that of the sheet


class ClearPanel(QWidget):
    """Asks for searches and lists what they propose."""

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette = session, palette
        column = QVBoxLayout(self)
        column.addWidget(self._question())
        self.words = QLabel()
        self.words.setFont(label_font(9.5))
        self.words.setWordWrap(True)
        self.words.setAccessibleName("what the search came to")
        column.addWidget(self.words)
        self.table = QTableWidget(0, 0)
        self.table.setAccessibleName("Proposals")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.verticalHeader().setDefaultSectionSize(25)
        self.table.currentCellChanged.connect(lambda row, *_: self._try(row))
        self.table.cellDoubleClicked.connect(lambda *_: self._session.proposals.take())
        column.addWidget(self.table, 3)
        buttons = QHBoxLayout()
        self.there = QPushButton("Go there")
        self.there.setToolTip("write the proposal that is shown into the sheet, as one step")
        self.there.clicked.connect(session.proposals.take)
        self.back = QPushButton("Back to the sheet")
        self.back.clicked.connect(self.give_up)
        self.drop = QPushButton("Drop")
        self.drop.setToolTip("take the chosen proposal off the list")
        self.drop.clicked.connect(lambda: session.proposals.drop(self.table.currentRow()))
        self.price = QPushButton("What do other margins cost?")
        self.price.clicked.connect(lambda: self._search(priced=True))
        self.pin = QPushButton("Pin")
        self.pin.setToolTip("pin the proposal that is shown as a variant")
        self.pin.clicked.connect(session.variants.pin_shown)
        for button in (self.there, self.pin, self.back, self.drop):
            buttons.addWidget(button)
        buttons.addStretch(1)
        buttons.addWidget(self.price)
        column.addLayout(buttons)
        self.plot = pg.PlotWidget()
        self.plot.setAccessibleName("What margins cost")
        self.plot.setMenuEnabled(False)
        self.plot.setMouseEnabled(x=False, y=False)
        self.plot.hideButtons()
        self.plot.setToolTip("click a point to search for a design with that margin")
        column.addWidget(self.plot, 2)
        for signal in (
            session.proposals.changed,
            session.proposals.tried_changed,
            session.sheet_changed,
            session.answer_changed,
        ):
            signal.connect(self.refresh)
        session.jobs.changed.connect(lambda lane: self.refresh() if lane == SEARCH else None)
        self._drawn: object = None
        self._drawn_in = session.design.shown
        self.refresh()

    def _question(self) -> QWidget:
        whole = QWidget()
        rows = QVBoxLayout(whole)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(5)
        self.knobs = KnobTicks(self._session, "Turn")
        self.knobs.changed.connect(self.refresh)
        rows.addWidget(self.knobs)
        second = QHBoxLayout()
        self.aim = QComboBox()
        self.aim.addItems(list(_AIMS))
        self.aim.setAccessibleName("what is to be best")
        self.keep = QLineEdit()
        self.keep.setPlaceholderText(f"mass < 18 kg (or {', '.join(list(CONDITIONS)[1:])})")
        self.keep.setAccessibleName("conditions to be kept")
        self.spare = QLineEdit()
        self.spare.setPlaceholderText("none; such as twist")
        self.spare.setToolTip("kinds of modes that may stand in bands, parted by semicolons")
        self.spare.setAccessibleName("kinds of modes that may stand in bands")
        self.run = QPushButton("Clear the bands")
        self.run.clicked.connect(self.run_or_stop)
        for text, widget, stretch in (
            ("for", self.aim, 0),
            ("keeping", self.keep, 3),
            ("sparing", self.spare, 2),
        ):
            second.addWidget(QLabel(text))
            second.addWidget(widget, stretch)
        second.addWidget(self.run)
        rows.addLayout(second)
        return whole

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self._drawn = None
        self.refresh()

    # -- asking ---------------------------------------------------------------------------------

    def run_or_stop(self) -> None:
        """Search, or stop with the best so far."""
        if self._session.proposals.searching:
            self._session.proposals.stop()
        else:
            self._search()

    def _search(self, margin: float | None = None, priced: bool = False) -> None:
        stated, answer = self._session.written.margin or 0.05, self._session.answer
        self._session.proposals.search(
            Asked(
                self.knobs.chosen,
                _AIMS[self.aim.currentText()],
                _parted(self.keep.text()),
                spared_kinds(self.spare.text(), () if answer is None else answer.modes.kinds),
                margin,
                tuple(share * stated for share in _PRICED) if priced else (),
            )
        )

    def _try(self, row: int) -> None:
        if row >= 0:
            self._session.proposals.try_proposal(row)

    def give_up(self) -> None:
        """Go back to the sheet as written."""
        self.table.setCurrentCell(-1, -1)
        self._session.proposals.give_up()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.table.hasFocus():
            self._session.proposals.take()
        else:
            super().keyPressEvent(event)

    # -- showing --------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Follow the session."""
        session, proposals = self._session, self._session.proposals
        state = session.jobs.state(SEARCH)
        self.run.setText("Clear the bands" if state is None else "Stop")
        asked = bool(session.written.bands or session.written.targets)
        able = asked and bool(self.knobs.chosen) and session.answer is not None
        self.run.setEnabled(able or state is not None)
        priced = able and state is None and bool(session.written.bands)
        self.price.setEnabled(priced and _AIMS[self.aim.currentText()] is not Aim.MARGIN)
        self.there.setEnabled(proposals.shown is not None and bool(session.trying))
        for button in (self.back, self.pin):
            button.setEnabled(bool(session.trying))
        self.drop.setEnabled(bool(proposals.listed) and self.table.currentRow() >= 0)
        self._say()
        units = session.design.shown
        if proposals.listed is not self._drawn or units != self._drawn_in:
            self._drawn, self._drawn_in = proposals.listed, units
            self._list()
        self._draw_trade()

    def _say(self) -> None:
        session, proposals = self._session, self._session.proposals
        role, state = "muted", session.jobs.state(SEARCH)
        if state is not None:
            step = state.step or "making the model"
            done = f", {state.done} of {state.total}" if state.total else ""
            tried = proposals.tried
            best = "" if tried is None else f" · best so far: {tried.words}"
            text = f"{step}{done}{best}"
        elif proposals.failure:
            text, role = proposals.failure, "alarm"
        elif not (session.written.bands or session.written.targets):
            text = "State under “Shaken by” what shakes it, or a target, before it can be cleared."
        elif not self.knobs:
            text = "No knob yet: right-click a number and make one of it."
        elif proposals.found is None:
            text = "The knobs ticked are turned until no mode stands in a band or its margin."
        elif not proposals.current:
            text, role = "These proposals are of an older sheet; search again.", "alarm"
        else:
            found = proposals.found
            shown = 1 + len(found.binding) if found.best.clear else None
            lines = cleared_lines(found, self._session.design.shown)[:shown]
            priced = len(found.trade)
            lines = [line.strip() for line in lines if not line.startswith("with a margin")]
            text = "; ".join(lines) + ("" if not priced else ".")
            text = text[0].upper() + text[1:]
            role = "clear" if found.best.clear else "alarm"
        tell(self.words, text, role)

    def _list(self) -> None:
        listed = self._session.proposals.listed
        knobs = list(dict.fromkeys(name for each in listed for name in each.texts))
        told = list(dict.fromkeys(name for each in listed for name in each.told))
        units = self._session.design.shown
        heads = [
            "stands",
            *knobs,
            "change (% of range)",
            "least margin (%)",
            *(f"{name} ({units.told_in(CONDITIONS[name])[0]})".replace(" ()", "") for name in told),
        ]
        self.table.blockSignals(True)
        self.table.clear()
        self.table.setColumnCount(len(heads))
        self.table.setHorizontalHeaderLabels(heads)
        self.table.setRowCount(len(listed))
        for row, found in enumerate(listed):
            for column, text in enumerate(self._cells(found, knobs, told)):
                item = QTableWidgetItem(text)
                if column == 0:
                    colour = self._palette.clear if found.clear else self._palette.alarm
                    item.setForeground(QColor(colour))
                    item.setToolTip("; ".join(each.words for each in found.missed))
                self.table.setItem(row, column, item)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.setCurrentCell(-1, -1)
        self.table.blockSignals(False)

    def _cells(self, found: Proposal, knobs: list[str], told: list[str]) -> list[str]:
        design, units = self._session.written, self._session.design.shown
        values = []
        for name in knobs:
            text = found.texts.get(name)
            values.append(design.knobs[name].text() if text is None else _short(text))
        return [
            "clear" if found.clear else "not clear",
            *values,
            format_number(100 * found.change, 3),
            format_number(100 * found.margin, 3) if math.isfinite(found.margin) else "",
            *(
                format_number(found.told[name] * units.told_in(CONDITIONS[name])[1], 5)
                if name in found.told
                else ""
                for name in told
            ),
        ]

    def _draw_trade(self) -> None:
        palette, proposals = self._palette, self._session.proposals
        found = proposals.found if proposals.current else None
        known = [] if found is None else [each for each in found.trade if each[1] is not None]
        self.plot.setVisible(bool(known))
        if found is None or not known:
            return
        self.plot.clear()
        self.plot.setBackground(palette.card)
        mass, units = found.aim is Aim.MASS, self._session.design.shown
        none = [percent(margin) for margin, cost in found.trade if cost is None]
        beyond = f" · no design of these knobs is clear by {', '.join(none)}" if none else ""
        for side, text in (
            ("bottom", f"margin (%){beyond}"),
            ("left", units.head("mass", "mass") if mass else "change (% of range)"),
        ):
            axis = self.plot.getAxis(side)
            axis.enableAutoSIPrefix(False)
            axis.setPen(QColor(palette.muted))
            axis.setTextPen(QColor(palette.ink))
            self.plot.setLabel(side, text, color=palette.ink)
        x = np.array([100 * margin for margin, _ in known])
        scale = units.factor("mass") if mass else 100.0
        y = scale * np.array([cost for _, cost in known], float)
        self.plot.addItem(pg.PlotCurveItem(x, y, pen=pg.mkPen(palette.live, width=1.8)))
        spots = pg.ScatterPlotItem(x, y, size=11, brush=QColor(palette.live), pen=None, data=x)
        spots.sigClicked.connect(lambda _item, points: self._search(points[0].data() / 100))
        self.plot.addItem(spots)


def _parted(text: str) -> tuple[str, ...]:
    return tuple(part.strip() for part in text.split(",") if part.strip())


def _short(text: str) -> str:
    """A value as it goes into the sheet, with as many digits as tell it."""
    number, _, unit = text.partition(" ")
    return f"{format_number(float(number), 6)} {unit}".strip()
