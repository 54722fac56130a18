"""Tolerances: what they do to every mode, and which knob is to blame."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.look import label_font, tell
from belltone.desk.session.proposals import TOLERANCES
from belltone.desk.session.session import Session
from belltone.exchange.tuning_tables import spread_columns, spread_rows, tolerance_lines

__all__ = ["TolerancePanel"]

_USUAL = 10_000


class TolerancePanel(QWidget):
    """Follows designs within the tolerances of the sheet when it is told to."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        column = QVBoxLayout(self)
        top = QHBoxLayout()
        self.made = QLabel()
        self.made.setFont(label_font(9.5))
        self.made.setWordWrap(True)
        self.samples = QSpinBox()
        self.samples.setRange(100, 1_000_000)
        self.samples.setSingleStep(1000)
        self.samples.setValue(_USUAL)
        self.samples.setSuffix(" designs")
        self.samples.setAccessibleName("designs to be followed")
        self.run = QPushButton("Follow them")
        self.run.clicked.connect(self.run_or_stop)
        top.addWidget(self.made, 1)
        top.addWidget(self.samples)
        top.addWidget(self.run)
        column.addLayout(top)
        self.words = QLabel()
        self.words.setFont(label_font(9.5))
        self.words.setWordWrap(True)
        self.words.setAccessibleName("what the tolerances come to")
        column.addWidget(self.words)
        self.table = QTableWidget(0, 0)
        self.table.setAccessibleName("Modes within the tolerances")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(25)
        column.addWidget(self.table, 1)
        session.proposals.changed.connect(self.refresh)
        session.sheet_changed.connect(self.refresh)
        session.jobs.changed.connect(lambda lane: self.refresh() if lane == TOLERANCES else None)
        self.refresh()

    def run_or_stop(self) -> None:
        """Follow designs, or stop."""
        if self._session.jobs.state(TOLERANCES) is not None:
            self._session.proposals.stop_tolerances()
        else:
            self._session.proposals.follow_tolerances(self.samples.value())

    def refresh(self) -> None:
        """Follow the session."""
        session, proposals = self._session, self._session.proposals
        knobs = [knob for knob in session.written.knobs.values() if knob.spread is not None]
        state = session.jobs.state(TOLERANCES)
        self.run.setText("Follow them" if state is None else "Stop")
        self.run.setEnabled((bool(knobs) and session.answer is not None) or state is not None)
        told = []
        for knob in knobs:
            assert knob.spread is not None
            size = knob.spread.at(knob.value)
            how = ", deviation " if knob.spread.deviation else " ±"
            told.append(f"{knob.name} {knob.text(digits=4)}{how}{knob.text(size, 3)}")
        self.made.setText(
            "Made: " + "; ".join(told)
            if told
            else "No knob has a tolerance yet; say at its “more…” how exactly it is made."
        )
        if state is not None:
            done = f", {state.done} of {state.total}" if state.total else ""
            tell(self.words, f"{state.step or 'making the model'}{done}", "muted")
        elif proposals.tolerance_failure:
            tell(self.words, proposals.tolerance_failure, "alarm")
        elif proposals.tolerances is None:
            tell(self.words, "Their spread is drawn on the ruler, once they are followed.", "muted")
        elif not proposals.tolerances_are_current:
            tell(self.words, "These are of an older sheet; follow them again.", "alarm")
        else:
            found = proposals.tolerances
            tell(self.words, "\n".join(tolerance_lines(found)), "clear" if not found.near else "")
        self._list()

    def _list(self) -> None:
        found = self._session.proposals.tolerances
        if found is None:
            self.table.setRowCount(0)
            return
        units = self._session.design.shown
        heads, rows = spread_columns(found, units), spread_rows(found, units)
        self.table.setColumnCount(len(heads))
        self.table.setHorizontalHeaderLabels(heads)
        self.table.setRowCount(len(rows))
        for row, cells in enumerate(rows):
            for column, text in enumerate(cells):
                self.table.setItem(row, column, QTableWidgetItem(text))
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
