"""Pulls: how far every mode moves for a percent of every knob, as one picture."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.look import label_font
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette

__all__ = ["PullPanel"]


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
        session.answer_changed.connect(self.refresh)
        session.choice_changed.connect(self.refresh)
        self.refresh()

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

    def _wash(self, pull: float, largest: float) -> QColor:
        """Raising in one colour and lowering in another, stronger for more."""
        colour = QColor(self._palette.energy if pull > 0 else self._palette.live)
        colour.setAlpha(int(170 * min(1.0, abs(pull) / (largest or 1.0))))
        return colour
