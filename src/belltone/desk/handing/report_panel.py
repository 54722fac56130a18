"""What a report holds, by ticks that the sheet keeps."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QCheckBox, QFormLayout, QGridLayout, QLabel, QLineEdit

from belltone.desk.handing.write_panel import WritePanel
from belltone.desk.look import label_font
from belltone.desk.questions import write_report
from belltone.desk.session.session import Session
from belltone.exchange.gathered import SLOW, held, usual_parts
from belltone.exchange.report.titles import TITLES
from belltone.sheet.model import REPORT_PARTS, ReportPart

__all__ = ["ReportPanel"]


class ReportPanel(WritePanel):
    """Ticks what stands in the report, and has it written as HTML or PDF."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "report")
        self.ticks: dict[ReportPart, QCheckBox] = {}
        grid = QGridLayout()
        for at, part in enumerate(REPORT_PARTS):
            tick = QCheckBox(TITLES[part])
            tick.setFont(label_font(9.5))
            if part in SLOW:
                tick.setToolTip(f"Takes {SLOW[part]}.")
            tick.clicked.connect(self._keep)
            self.ticks[part] = tick
            grid.addWidget(tick, at % 7, at // 7)
        head = QLabel("The report holds:")
        head.setFont(label_font(9.5, bold=True))
        self.body.addWidget(head)
        self.body.addLayout(grid)
        form = QFormLayout()
        self.author = QLineEdit()
        self.author.setAccessibleName("who made the report")
        self.note = QLineEdit()
        self.note.setAccessibleName("a note on the report's first page")
        for line, key, text in ((self.author, "author", "By"), (self.note, "note", "Note")):
            form.addRow(text, line)
            line.editingFinished.connect(
                lambda line=line, key=key: self._set(key, line.text().strip())
            )
        self.body.addLayout(form)
        self.body.addStretch(1)
        session.sheet_changed.connect(self.follow)
        session.variants.changed.connect(self.follow)
        self.follow()
        self.refresh()

    def follow(self) -> None:
        """Tick what the sheet says, and leave out what there is nothing of."""
        session = self._session
        pinned = bool(session.variants.listed)
        sheet, design = session.written_sheet, session.written
        possible = held(sheet, design, pinned)
        chosen = usual_parts(sheet, design, pinned)
        for part, tick in self.ticks.items():
            tick.setEnabled(part in possible)
            tick.setChecked(part in chosen)
        said = sheet.content.report
        for line, text in ((self.author, said.author), (self.note, said.note)):
            if not line.hasFocus() and line.text() != text:
                line.setText(text)

    @property
    def chosen(self) -> tuple[ReportPart, ...]:
        """What is ticked, in order."""
        return tuple(
            part for part, tick in self.ticks.items() if tick.isChecked() and tick.isEnabled()
        )

    def _keep(self) -> None:
        """The sheet keeps what is ticked, and what of it cannot be had at the moment."""
        said = self._session.written_sheet.content.report.contents or ()
        kept = [
            part
            for part, tick in self.ticks.items()
            if (tick.isChecked() if tick.isEnabled() else part in said)
        ]
        self._set("contents", kept)

    def _set(self, key: str, value: Any) -> None:
        said = self._session.written_sheet.content.report.model_dump(mode="json")
        if said[key] != value and (value or said[key]):
            path = ("report", key)
            self._session.edit("what the report holds", lambda sheet: sheet.with_value(path, value))

    def endings(self) -> tuple[str, str]:
        return ".html", "Web page (*.html);;PDF (*.pdf)"

    def start(self, target: Path) -> None:
        self._session.handing.write("report", write_report, target, self.chosen)
