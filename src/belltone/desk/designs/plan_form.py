"""The plan of a table of designs: knobs with their values, or the designs themselves, typed."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.help.terms import set_term
from belltone.desk.look import label_font
from belltone.desk.session.session import Session
from belltone.errors import UserError
from belltone.exchange.preload_tables import spin_words
from belltone.exchange.workbooks import read_table, split_table
from belltone.sweep.plan import PlanError, parse_plan
from belltone.sweep.several import (
    Plan,
    grid_plan,
    speed_plan,
    step_plan,
    table_plan,
    usual_speeds,
)

__all__ = ["PlanForm"]

_EVERY, _TOGETHER, _LISTED = "every combination", "in step", "a table of designs"
_SPEEDS = "over spin speed"
_POINTS = 9
_LINE, _ROW, _MOST_ROWS, _TEXT = 300, 29, 4, 110  # pixels, but for the rows in sight
_HELP = "from : to : how many, such as “2 mm : 6 mm : 9”, or values, such as “2 mm, 3 mm, 5 mm”"


class PlanForm(QWidget):
    """Says what designs are to be looked at; `plan` reads it."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.how = QComboBox()
        self.how.addItems([_EVERY, _TOGETHER, _LISTED, _SPEEDS])
        self.how.setAccessibleName("how knobs are turned")
        self.how.currentIndexChanged.connect(self._switch)
        self.file = QPushButton("Read a file…")
        self.file.setToolTip("designs from a CSV or XLSX file, a column for each thing set")
        self.file.clicked.connect(self._ask_file)
        head = QHBoxLayout()
        for widget in (QLabel("Designs:"), self.how, self.file):
            head.addWidget(widget)
        head.addStretch(1)
        self._knobs: dict[str, tuple[QCheckBox, QLineEdit]] = {}
        self._untouched: dict[str, str] = {}
        rows = QWidget()
        self._grid = QGridLayout(rows)
        self._grid.setContentsMargins(0, 0, 4, 0)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(2, 1)
        scroll = QScrollArea()
        scroll.setWidget(rows)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        self.text = QPlainTextEdit()
        self.text.setAccessibleName("table of designs")
        self.text.setFont(label_font(9))
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.text.textChanged.connect(self.changed)
        self.pages = QStackedWidget()
        self.pages.addWidget(scroll)
        self.pages.addWidget(self.text)
        self.pages.addWidget(self._over_speed())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(head)
        column.addWidget(self.pages)
        session.sheet_changed.connect(self._follow)
        self._follow()
        self._switch()

    def _over_speed(self) -> QWidget:
        page = QWidget()
        set_term(page, "speed diagram")
        row = QHBoxLayout(page)
        row.setContentsMargins(0, 0, 0, 0)
        self.speeds = QLineEdit()
        self.speeds.setAccessibleName("spin speeds")
        self.speeds.setToolTip(
            "from : to : how many, such as “0 rpm : 3000 rpm : 13”, or values; empty for those "
            "the sheet states, or from rest to twice its own"
        )
        self.speeds.setFixedWidth(_LINE)
        self.speeds.textChanged.connect(self.changed)
        self.spin = QLabel()
        row.addWidget(self.speeds)
        row.addWidget(self.spin, 1)
        return page

    def over_speed(self) -> None:
        """Have the speed of the spin turned."""
        self.how.setCurrentText(_SPEEDS)

    def plan(self) -> Plan:
        """The plan as it stands; raises `UserError` with what is wrong with it."""
        session, design = self._session, self._session.written
        how = self.how.currentText()
        if how == _SPEEDS:
            return speed_plan(session.written_sheet, design, self.speeds.text().strip())
        if how == _LISTED:
            text = self.text.toPlainText()
            if not text.strip():
                raise PlanError(
                    "type or paste a table: heads in its first row, a design in each below"
                )
            return table_plan(split_table(text), session.sheet, design)
        parts = [
            parse_plan(f"{name} = {values.text()}", design)
            for name, (chosen, values) in self._knobs.items()
            if chosen.isChecked()
        ]
        if not parts:
            raise PlanError("tick a knob that is to be turned")
        if how == _TOGETHER:
            if len(parts) < 2:
                raise PlanError("tick two knobs or more, to be turned in step")
            return step_plan(parts, design)
        return grid_plan(parts, design)

    def read_file(self, path: Path) -> None:
        """Take the designs of a file; raises `UserError`."""
        rows = read_table(path)
        cells = (("" if cell is None else str(cell) for cell in row) for row in rows)
        self.text.setPlainText("\n".join("\t".join(row) for row in cells))
        self.how.setCurrentText(_LISTED)

    def tick(self, name: str, values: str) -> None:
        """Have a knob turned over some values."""
        chosen, line = self._knobs[name]
        line.setText(values)
        chosen.setChecked(True)

    def _ask_file(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, "A table of designs", "", "Tables (*.csv *.tsv *.txt *.xlsx)"
        )
        if not path:
            return
        try:
            self.read_file(Path(path))
        except UserError as error:
            self._session.told.emit(str(error))

    def _switch(self) -> None:
        how = self.how.currentText()
        listed = how == _LISTED
        self.pages.setCurrentIndex({_LISTED: 1, _SPEEDS: 2}.get(how, 0))
        rows = 1 if how == _SPEEDS else min(max(len(self._knobs), 1), _MOST_ROWS)
        self.pages.setFixedHeight(_TEXT if listed else _ROW * rows)
        self.pages.setEnabled(bool(self._knobs) or how in (_LISTED, _SPEEDS))
        if listed and not self.text.toPlainText():
            self.text.setPlaceholderText(self._example())
        self.changed.emit()

    def _example(self) -> str:
        """What a table of this sheet's designs may look like."""
        design = self._session.written
        names = [name for name, knob in design.knobs.items() if knob.literal][:2]
        part = next(iter(self._session.sheet.content.parts))
        place = f"parts.{part}.material"
        heads = [*(f"{name} ({design.knobs[name].unit})".replace(" ()", "") for name in names)]
        values = [f"{design.knobs[name].value:.5g}" for name in names]
        if self._session.sheet.value(("parts", part, "material")) is not None:
            heads.append(place)
            values.append(str(self._session.sheet.value(("parts", part, "material"))))
        return (
            "type or paste designs, one a row, such as\n"
            + "\t".join(heads)
            + "\n"
            + "\t".join(values)
        )

    def _follow(self) -> None:
        """A row for each knob that can be turned; what was typed stays."""
        knobs = {name: knob for name, knob in self._session.written.knobs.items() if knob.literal}
        if list(knobs) != list(self._knobs):
            while self._grid.count():
                item = self._grid.takeAt(0)
                widget = None if item is None else item.widget()
                if widget is not None:
                    widget.deleteLater()
            before, self._knobs = self._knobs, {}
            for row, name in enumerate(knobs):
                old = before.get(name)
                chosen = QCheckBox(name)
                chosen.setChecked(old[0].isChecked() if old else not before and row == 0)
                values = QLineEdit(old[1].text() if old else "")
                values.setAccessibleName(f"values of {name}")
                values.setToolTip(_HELP)
                values.setFixedWidth(_LINE)
                chosen.toggled.connect(self.changed)
                values.textChanged.connect(self.changed)
                values.textEdited.connect(lambda _, own=chosen: own.setChecked(True))
                self._grid.addWidget(chosen, row, 0)
                self._grid.addWidget(values, row, 1)
                self._knobs[name] = chosen, values
            self._grid.setRowStretch(len(knobs), 1)
            self._switch()
        for name, (_, values) in self._knobs.items():
            start, stop = knobs[name].range
            usual = f"{knobs[name].text(start, 4)} : {knobs[name].text(stop, 4)} : {_POINTS}"
            if values.text() in ("", self._untouched.get(name, "")):
                values.setText(usual)
            self._untouched[name] = usual
        self.pages.setEnabled(bool(knobs) or self.how.currentText() in (_LISTED, _SPEEDS))
        preload = self._session.written.preload
        spin = None if preload is None else preload.spin
        self.spin.setText("" if spin is None else spin_words(spin))
        self.speeds.setPlaceholderText("" if spin is None else usual_speeds(spin))
        self.changed.emit()
