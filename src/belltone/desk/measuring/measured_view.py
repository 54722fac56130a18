"""A window beside the main one: what was measured, which modes that is, and a fit to it."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Final

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QGuiApplication, QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
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

from belltone.desk.help.terms import set_term
from belltone.desk.look import label_font, tell
from belltone.desk.measuring.fit_panel import FitPanel
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.errors import UserError
from belltone.exchange.measurements import (
    held_columns,
    held_rows,
    pasted,
    read_measured,
    spread_words,
)

__all__ = ["MeasuredView"]

_HOW: Final = {"by the most that is told": None, "by shape": "shape", "by kind": "kind",
               "by order": "order"}  # fmt: skip
_FAR: Final = 0.05  # relative; a mode further off is shown as alarming


class MeasuredView(QWidget):
    """Lists measured frequencies beside their modes; the sheet keeps them."""

    def __init__(self, session: Session, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self._session, self._palette = session, palette
        self.setWindowTitle("What was measured · Bell Tone")
        set_term(self, "measured")
        self.resize(900, 640)
        top = QHBoxLayout()
        self.line = QLineEdit()
        self.line.setAccessibleName("measured frequencies")
        self.line.setPlaceholderText("frequencies, such as “37.4 Hz; 50.2 Hz”")
        self.line.returnPressed.connect(self.add_typed)
        self.add = QPushButton("Add")
        self.add.clicked.connect(self.add_typed)
        self.paste = QPushButton("Paste")
        self.paste.setToolTip("A table with a column “frequency (Hz)”, perhaps “kind” and “mode”")
        self.paste.clicked.connect(lambda: self.add_text(QGuiApplication.clipboard().text()))
        self.file = QPushButton("Read a file…")
        self.file.setToolTip("A table (CSV, XLSX), or a universal file with shapes at points")
        self.file.clicked.connect(self._ask_file)
        self.how = QComboBox()
        self.how.addItems(list(_HOW))
        self.how.setAccessibleName("how frequencies find their modes")
        self.how.activated.connect(self._set_how)
        for widget in (self.line, self.add, self.paste, self.file, QLabel("Matched"), self.how):
            top.addWidget(widget, 1 if widget is self.line else 0)
        self.table = QTableWidget(0, len(held_columns()))
        self.table.setAccessibleName("Measured frequencies and their modes")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(25)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.itemSelectionChanged.connect(self._choose)
        self.drop = QPushButton("Drop")
        self.drop.setToolTip("Take the chosen frequencies out of the list (Delete)")
        self.drop.clicked.connect(self.drop_chosen)
        self.words = QLabel()
        self.words.setFont(label_font(9.5))
        self.words.setWordWrap(True)
        self.words.setAccessibleName("how far off the modes are")
        below = QHBoxLayout()
        below.addWidget(self.words, 1)
        below.addWidget(self.drop)
        self.fit = FitPanel(session)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 10, 10)
        column.addLayout(top)
        column.addWidget(self.table, 3)
        column.addLayout(below)
        column.addWidget(self.fit, 2)
        for signal in (session.sheet_changed, session.answer_changed, session.measuring.changed):
            signal.connect(self.refresh)
        self.refresh()

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self.refresh()

    # -- what was measured ----------------------------------------------------------------------

    def add_typed(self) -> None:
        """Add what is typed; it stays typed where it is wrong."""
        if self.line.text().strip() and self.add_text(self.line.text()):
            self.line.clear()

    def add_text(self, text: str) -> bool:
        """Add frequencies from text; returns whether they could be read."""
        try:
            told = pasted(text)
        except UserError as error:
            tell(self.words, str(error), "alarm")
            return False
        numbers = told.numbers or (None,) * len(told)
        notes = told.notes or ("",) * len(told)
        rows = zip(told.frequencies, told.kinds, numbers, notes, strict=True)
        return self._keep([*self._listed, *(_entry(*row) for row in rows)])

    def read_file(self, path: Path) -> None:
        """Have the sheet name a file of measured frequencies, after a look whether it is one."""
        try:
            read_measured(path)
        except UserError as error:
            tell(self.words, str(error), "alarm")
            return
        folder = self._session.written_sheet.folder
        name = str(path)
        if folder is not None and path.resolve().is_relative_to(folder.resolve()):
            name = str(path.resolve().relative_to(folder.resolve()))
        place = ("measured", "file")
        problem = self._session.edit(
            "file of measured frequencies", lambda sheet: sheet.with_value(place, name)
        )
        if problem:
            tell(self.words, problem, "alarm")

    def drop_chosen(self) -> None:
        """Take the chosen frequencies out; all of a file go with it."""
        rows = {index.row() for index in self.table.selectionModel().selectedRows()}
        held = self._session.measuring.held
        places = {held[row].place for row in rows if row < len(held)}
        listed = self._listed
        if any(place >= len(listed) for place in places):
            place = ("measured", "file")
            self._session.edit("file of measured frequencies", lambda sheet: sheet.without(place))
        kept = [entry for at, entry in enumerate(listed) if at not in places]
        if len(kept) != len(listed):
            self._keep(kept)

    @property
    def _listed(self) -> list[dict[str, Any]]:
        said = self._session.written_sheet.content.measured
        if said is None:
            return []
        return [
            {key: value for key, value in mode.model_dump(mode="json").items() if value}
            for mode in said.modes
        ]

    def _keep(self, entries: list[dict[str, Any]]) -> bool:
        place = ("measured", "modes")
        problem = self._session.edit(
            "measured frequencies", lambda sheet: sheet.with_value(place, entries)
        )
        if problem:
            tell(self.words, problem, "alarm")
        return problem is None

    def _ask_file(self) -> None:
        told, _ = QFileDialog.getOpenFileName(
            self,
            "Measured frequencies",
            "",
            "Measurements (*.csv *.xlsx *.unv *.uff);;All files (*)",
        )
        if told:
            self.read_file(Path(told))

    def _set_how(self) -> None:
        value = _HOW[self.how.currentText()]
        place = ("measured", "match")
        if self._session.written_sheet.content.measured is not None:
            self._session.edit(
                "matching",
                lambda sheet: sheet.with_value(place, value) if value else sheet.without(place),
            )

    # -- showing --------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Follow the sheet and the answer."""
        measuring = self._session.measuring
        told, held = measuring.told, measuring.held
        said = self._session.sheet.content.measured
        match = None if said is None else said.match
        self.how.setCurrentIndex(list(_HOW.values()).index(match))
        units = self._session.design.shown
        heads = held_columns(units)
        rows = held_rows(held, told.notes if told is not None else (), units)
        self.table.setHorizontalHeaderLabels(list(heads))
        self.table.blockSignals(True)
        self.table.setRowCount(len(rows))
        for row, cells in enumerate(rows):
            difference = held[row].difference
            far = difference is None or abs(difference) > _FAR
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                if heads[column] not in ("kind", "note"):
                    item.setTextAlignment(
                        Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                    )
                if far:
                    item.setForeground(QColor(self._palette.alarm))
                self.table.setItem(row, column, item)
        self.table.blockSignals(False)
        self.drop.setEnabled(bool(rows))
        if measuring.problem:
            tell(self.words, measuring.problem, "alarm")
        elif told is None:
            tell(
                self.words,
                "Nothing was measured yet: type frequencies, paste a table, or read a file.",
                "muted",
            )
        else:
            older = " (of the older design)" if self._session.stale else ""
            tell(self.words, f"Matched by {measuring.how}; {spread_words(held)}{older}.", "")

    def _choose(self) -> None:
        """The mode of the chosen frequency is shown."""
        rows = sorted({index.row() for index in self.table.selectionModel().selectedRows()})
        held, answer = self._session.measuring.held, self._session.answer
        if not rows or rows[0] >= len(held) or answer is None:
            return
        number = held[rows[0]].number
        if number is not None:
            place = answer.modes.rigid_count + number - 1 - answer.modes.skipped
            self._session.choose(answer.identities[place])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        elif event.key() == Qt.Key.Key_Delete:
            self.drop_chosen()
        else:
            super().keyPressEvent(event)


def _entry(frequency: float, kind: str, number: int | None, note: str) -> dict[str, Any]:
    """A measured frequency as the sheet keeps it."""
    said = {"kind": kind, "mode": number, "note": note}
    known = {key: value for key, value in said.items() if value}
    return {"frequency": f"{frequency:.8g} Hz", **known}
