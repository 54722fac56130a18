"""Knobs that are fitted to what was measured, and what that came to."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
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

from belltone.desk.look import label_font, tell
from belltone.desk.session.measuring import FIT
from belltone.desk.session.session import Session
from belltone.errors import UserError
from belltone.exchange.fit_tables import FIT_COLUMNS, fit_lines, fit_rows
from belltone.sheet.plain import plain_value
from belltone.sheet.units import DIMENSIONS

__all__ = ["FitPanel"]


class FitPanel(QWidget):
    """Ticks which knobs may be turned, has them fitted, and takes what was found."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.ticks: dict[str, QCheckBox] = {}
        head = QLabel("Fit:")
        head.setFont(label_font(9.5, bold=True))
        self._knobs = QHBoxLayout()
        self.within = QLineEdit("0.5 %")
        self.within.setMaximumWidth(70)
        self.within.setAccessibleName("how exactly it was measured")
        self.within.setToolTip("How far a measured frequency may be off: one standard deviation")
        self.run = QPushButton("Fit them")
        self.run.clicked.connect(self.run_or_stop)
        self.take = QPushButton("Take it")
        self.take.setToolTip("Write the fitted knobs into the sheet, as one step")
        self.take.clicked.connect(self.take_found)
        top = QHBoxLayout()
        top.addWidget(head)
        top.addLayout(self._knobs)
        top.addStretch(1)
        for widget in (QLabel("measured within"), self.within, self.run, self.take):
            top.addWidget(widget)
        self.table = QTableWidget(0, len(FIT_COLUMNS))
        self.table.setHorizontalHeaderLabels(list(FIT_COLUMNS))
        self.table.setAccessibleName("Fitted knobs")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(25)
        header = self.table.horizontalHeader()
        header.setStretchLastSection(True)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.words = QLabel()
        self.words.setFont(label_font(9.5))
        self.words.setWordWrap(True)
        self.words.setAccessibleName("what the fit came to")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(top)
        column.addWidget(self.table, 1)
        column.addWidget(self.words)
        session.measuring.changed.connect(self.refresh)
        session.sheet_changed.connect(self.refresh)
        session.jobs.changed.connect(lambda lane: self.refresh() if lane == FIT else None)
        self.refresh()

    @property
    def chosen(self) -> list[str]:
        """The knobs that are ticked."""
        return [name for name, tick in self.ticks.items() if tick.isChecked()]

    def run_or_stop(self) -> None:
        """Fit, or stop fitting."""
        measuring = self._session.measuring
        if measuring.fitting:
            measuring.stop()
            return
        try:
            deviation = plain_value(self.within.text(), DIMENSIONS["share"])
        except UserError as error:
            tell(self.words, str(error), "alarm")
            return
        if not 0 < deviation < 1:
            tell(self.words, "“measured within” needs a share above 0 % and below 100 %", "alarm")
            return
        measuring.fit(self.chosen, deviation)

    def take_found(self) -> None:
        """Show the design fitted and write it as one step."""
        problem = self._session.measuring.try_fit()
        if problem is not None:
            tell(self.words, problem, "alarm")
            return
        self._session.end_gesture()

    def refresh(self) -> None:
        """Follow the sheet's knobs and the fit."""
        self._list_knobs()
        session, measuring = self._session, self._session.measuring
        state = session.jobs.state(FIT)
        self.run.setText("Fit them" if state is None else "Stop")
        self.run.setEnabled(state is not None or (measuring.told is not None and bool(self.chosen)))
        self.take.setEnabled(measuring.current and state is None)
        found = measuring.found if measuring.current else None
        rows = [] if found is None else fit_rows(found)
        self.table.setRowCount(len(rows))
        for row, cells in enumerate(rows):
            for column, text in enumerate(cells):
                self.table.setItem(row, column, QTableWidgetItem(text))
        if state is not None:
            tell(self.words, f"fitting, step {state.done + 1}", "muted")
        elif measuring.failure:
            tell(self.words, measuring.failure, "alarm")
        elif found is not None:
            tell(self.words, "\n".join(fit_lines(found)), "alarm" if found.unexplained else "clear")
        elif measuring.found is not None:
            tell(self.words, "What was fitted is of an older sheet; fit it again.", "muted")
        elif not self.ticks:
            tell(self.words, "A fit turns knobs: right-click a number and make one of it.", "muted")
        else:
            tell(
                self.words,
                "Tick what is not known well: stiffness of supports and joints, a modulus, a "
                "thickness. The least change that explains what was measured is looked for.",
                "muted",
            )

    def _list_knobs(self) -> None:
        names = [name for name, knob in self._session.written.knobs.items() if knob.literal]
        if names == list(self.ticks):
            return
        while (item := self._knobs.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        before = self.ticks
        self.ticks = {}
        for name in names:
            tick = QCheckBox(name)
            tick.setChecked(name in before and before[name].isChecked())
            tick.toggled.connect(lambda _checked: self.refresh())
            self._knobs.addWidget(tick)
            self.ticks[name] = tick
