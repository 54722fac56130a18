"""Pulls: how far every mode moves for a percent of every knob, as one picture."""

from __future__ import annotations

import numpy as np
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

from belltone.desk.look import label_font
from belltone.desk.session.proposals import OTHERS
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.sheet.errors import Path, path_text
from belltone.sheet.units import UNIT_NAMES
from belltone.tune.others import Other

__all__ = ["PullPanel"]

_OTHERS = ("number", "now", "its pull (%)", "mass (%)", "pull per kg (%)")
_WEIGHTLESS = 1e-4  # percent of the mass for a percent; what makes less costs none


class PullPanel(QWidget):
    """Knobs by modes; a click chooses both."""

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette = session, palette
        self._drawn: object = None
        column = QVBoxLayout(self)
        self.words = QLabel()
        self.words.setFont(label_font(9.5))
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        self.table = QTableWidget(0, 0)
        self.table.setAccessibleName("Pulls of knobs on modes")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.table.cellClicked.connect(self._choose)
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.else_words = QLabel()
        self.else_words.setFont(label_font(9.5))
        self.ask = QPushButton("What else moves it?")
        self.ask.setToolTip("find how every number that is no knob yet pulls")
        self.ask.clicked.connect(session.proposals.find_others)
        self.make = QPushButton("Make it a knob")
        self.make.clicked.connect(self._make)
        row.addWidget(self.else_words, 1)
        row.addWidget(self.ask)
        row.addWidget(self.make)
        column.addLayout(row)
        self.others = QTableWidget(0, len(_OTHERS))
        self.others.setHorizontalHeaderLabels(_OTHERS)
        self.others.setAccessibleName("Pulls of other numbers on the chosen mode")
        self.others.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.others.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.others.verticalHeader().hide()
        self.others.cellDoubleClicked.connect(lambda *_: self._make())
        column.addWidget(self.others, 2)
        self._ranked: list[Other] = []
        session.proposals.changed.connect(self._rank)
        session.sheet_changed.connect(self._rank)
        session.choice_changed.connect(self._rank)
        session.answer_changed.connect(self.refresh)
        session.choice_changed.connect(self.refresh)
        self.refresh()
        self._rank()

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self._drawn = None
        self.refresh()

    def _choose(self, row: int, column: int) -> None:
        answer = self._session.answer
        if answer is None or answer.pulls is None:
            return
        name = list(answer.pulls)[row]
        self._session.knob_chosen.emit(name)
        if column > 0:
            self._session.choose(answer.identities[column - 1])

    def refresh(self) -> None:
        """Follow the session."""
        answer = self._session.answer
        pulls = None if answer is None else answer.pulls
        if not pulls or answer is None:
            self.table.setRowCount(0)
            self._drawn = None
            self.words.setText("Pulls appear once the design is solved and has a knob.")
            return
        self.words.setText(
            "Percent of every frequency, and of the mass, for one percent more of the knob. "
            "A click chooses knob and mode."
        )
        shown = (id(pulls), answer.identities, self._session.chosen)
        if shown == self._drawn:
            return
        self._drawn = shown
        first = 1 + answer.modes.skipped
        heads = ["mass", *(f"mode {first + at}" for at in range(len(answer.identities)))]
        self.table.setColumnCount(len(heads))
        self.table.setRowCount(len(pulls))
        self.table.setHorizontalHeaderLabels(heads)
        self.table.setVerticalHeaderLabels(list(pulls))
        largest = max(float(np.abs(pull.frequencies).max(initial=0.0)) for pull in pulls.values())
        for row, pull in enumerate(pulls.values()):
            for column, own in enumerate([pull.mass, *pull.frequencies]):
                item = QTableWidgetItem(f"{own:+.3f}")
                item.setTextAlignment(Qt.AlignmentFlag.AlignCenter)
                item.setBackground(self._wash(float(own), largest))
                chosen = column > 0 and answer.identities[column - 1] == self._session.chosen
                item.setFont(label_font(9, bold=chosen))
                self.table.setItem(row, column, item)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)

    def _rank(self) -> None:
        """List other numbers by how strongly they pull the chosen mode."""
        session, proposals, mode = self._session, self._session.proposals, self._session.chosen_mode
        running = session.jobs.state(OTHERS) is not None
        self.ask.setEnabled(session.answer is not None and not running)
        others = proposals.others if proposals.others_are_current else None
        place = None if mode is None or session.answer is None else mode.number - 1
        if place is not None and session.answer is not None:
            place -= session.answer.modes.skipped
        if others is None or mode is None or mode.rigid or place is None or place < 0:
            self._ranked = []
            self.others.setRowCount(0)
            self.make.setEnabled(False)
            text = "Looking at every number …" if running else ""
            self.else_words.setText(text)
            return
        self.else_words.setText(
            f"What else moves mode {mode.number}, by a percent and by a kilogram:"
        )
        self._ranked = sorted(others, key=lambda each: -abs(float(each.pull.frequencies[place])))
        self.others.setRowCount(len(self._ranked))
        self.make.setEnabled(bool(self._ranked))
        mass = session.answer.modes.mass if session.answer is not None else 0.0
        for row, other in enumerate(self._ranked):
            own, more = float(other.pull.frequencies[place]), other.pull.mass
            heavy = abs(more) > _WEIGHTLESS and mass > 0
            cells = (
                path_text(other.path),
                other.text,
                f"{own:+.3f}",
                f"{more:+.3f}",
                f"{100 * own / (more * mass):+.3g}" if heavy else "costs no mass",
            )
            for column, text in enumerate(cells):
                self.others.setItem(row, column, QTableWidgetItem(text))
        header = self.others.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)

    def _make(self) -> None:
        """Make a knob of the number chosen, or of the first."""
        if not self._ranked:
            return
        session, row = self._session, max(0, self.others.currentRow())
        other = self._ranked[row]
        names = [str(step) for step in other.path if isinstance(step, str)]
        taken, count = set(session.design.knobs), 1
        name = word = names[-1]
        while name in taken or name in UNIT_NAMES:
            count += 1
            name = f"{word}_{count}"
        values: dict[Path, str] = {("knobs", name, "value"): other.text, other.path: name}
        problem = session.edit(f"knob {name}", lambda sheet: sheet.with_values(values))
        if problem is not None:
            session.told.emit(problem)

    def _wash(self, pull: float, largest: float) -> QColor:
        """Raising in one colour and lowering in another, stronger for more."""
        colour = QColor(self._palette.energy if pull > 0 else self._palette.live)
        colour.setAlpha(int(170 * min(1.0, abs(pull) / (largest or 1.0))))
        return colour
