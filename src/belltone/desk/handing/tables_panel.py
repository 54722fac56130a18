"""Tables with numbers as numbers: to a workbook, a CSV file, or the clipboard."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QCheckBox, QLabel, QPushButton

from belltone.desk.handing.write_panel import WritePanel
from belltone.desk.look import label_font
from belltone.desk.questions import write_tables
from belltone.desk.session.session import Session
from belltone.exchange.gathered import SLOW, tables_held
from belltone.exchange.handed_tables import TABLES, TableName

__all__ = ["TablesPanel"]

_WORDS: dict[TableName, str] = {
    "modes": "modes: frequencies, errors, kinds, margins, masses, energies",
    "one knob": "branches over one knob",
    "two knobs": "least margin and frequencies over two knobs",
    "comparison": "variants: every mode matched by shape",
    "crossings": "crossings of the speed diagram",
    "tolerances": "spread of every mode within the tolerances",
}


class TablesPanel(WritePanel):
    """Ticks which tables are wanted."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "tables")
        head = QLabel("Tables, each a sheet of the workbook:")
        head.setFont(label_font(9.5, bold=True))
        self.body.addWidget(head)
        self.ticks: dict[TableName, QCheckBox] = {}
        for name in TABLES:
            tick = QCheckBox(_WORDS[name])
            tick.setFont(label_font(9.5))
            tick.setChecked(name == "modes")
            if name in ("two knobs", "tolerances"):
                tick.setToolTip(f"Takes {SLOW[name]}.")
            self.ticks[name] = tick
            self.body.addWidget(tick)
        self.body.addStretch(1)
        self.copy = QPushButton("Copy")
        self.copy.setToolTip("Put the tables on the clipboard, as a spreadsheet takes them")
        self.copy.clicked.connect(self._copy)
        self.buttons.insertWidget(1, self.copy)
        session.sheet_changed.connect(self.follow)
        session.variants.changed.connect(self.follow)
        self.follow()
        self.refresh()

    def follow(self) -> None:
        """Offer the tables there are."""
        session = self._session
        design = session.written
        there = tables_held(session.written_sheet, design, bool(session.variants.listed))
        for name, tick in self.ticks.items():
            tick.setEnabled(name in there)

    @property
    def chosen(self) -> tuple[TableName, ...]:
        """What is ticked."""
        return tuple(
            name for name, tick in self.ticks.items() if tick.isChecked() and tick.isEnabled()
        )

    def refresh(self) -> None:
        """Follow the work."""
        super().refresh()
        self.copy.setEnabled(self._session.handing.state is None)

    def endings(self) -> tuple[str, str]:
        return ".xlsx", "Workbook (*.xlsx);;CSV (*.csv)"

    def start(self, target: Path) -> None:
        self._session.handing.write("tables", write_tables, target, self.chosen)

    def _copy(self) -> None:
        def then(text: Any) -> str:
            QGuiApplication.clipboard().setText(text)
            return "The tables are on the clipboard."

        self._session.handing.write("tables", write_tables, None, self.chosen, then=then)
