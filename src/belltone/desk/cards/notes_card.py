"""What looks odd in the design: questions, said where they can be read but not in the way."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QLabel, QVBoxLayout

from belltone.desk.look import label_font
from belltone.desk.session.session import Session

__all__ = ["NotesCard"]


class NotesCard(QFrame):
    """The sheet's warnings; hidden while there are none."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setProperty("card", True)
        self.setAccessibleName("Is this meant?")
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 7, 12, 8)
        heading = QLabel("IS THIS MEANT?")
        heading.setFont(label_font(7.5, bold=True))
        heading.setProperty("role", "title")
        self.text = QLabel()
        self.text.setFont(label_font(8.5))
        self.text.setWordWrap(True)
        self.text.setTextFormat(Qt.TextFormat.PlainText)
        column.addWidget(heading)
        column.addWidget(self.text)
        session.sheet_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Follow the sheet."""
        warnings = self._session.design.warnings
        self.text.setText("\n".join(warning.message for warning in warnings))
        self.setVisible(bool(warnings))
