"""Asks what to do with a sheet's file that somebody else has changed meanwhile."""

from __future__ import annotations

import difflib
from enum import Enum, auto
from pathlib import Path
from typing import Final

from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QLabel,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

__all__ = ["ChangedFileDialog", "Decision", "differences"]

_MOST_LINES: Final = 400


class Decision(Enum):
    """What to do with a file that changed."""

    THEIRS = auto()
    MINE = auto()
    ELSEWHERE = auto()
    LATER = auto()


def differences(theirs: str, mine: str) -> str:
    """The lines that differ, each marked whose it is."""
    marks = {"-": "in the file:   ", "+": "in the window: ", " ": "               "}
    rows = list(difflib.unified_diff(theirs.splitlines(), mine.splitlines(), n=1, lineterm=""))[2:]
    shown = ["  …" if row.startswith("@@") else marks[row[:1]] + row[1:] for row in rows]
    if len(shown) > _MOST_LINES:
        shown = [*shown[:_MOST_LINES], f"… and {len(shown) - _MOST_LINES} lines more"]
    return "\n".join(shown)


class ChangedFileDialog(QDialog):
    """Shows what differs and lets the user choose; nothing is lost by any choice."""

    def __init__(
        self, path: Path, theirs: str, mine: str, saving: bool, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("The file has changed")
        self.decision = Decision.LATER
        column = QVBoxLayout(self)
        text = QLabel(
            f"“{path.name}” was changed by somebody else since it was opened or saved here. "
            "Taking what the file holds is a step you can undo; "
            + ("your own replaces it for good." if saving else "your own stays yours to save.")
        )
        text.setWordWrap(True)
        column.addWidget(text)
        self.shown = QPlainTextEdit(differences(theirs, mine))
        self.shown.setReadOnly(True)
        self.shown.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.shown.setAccessibleName("what differs")
        font = self.shown.font()
        font.setFamily("monospace")
        self.shown.setFont(font)
        column.addWidget(self.shown, 1)
        row = QDialogButtonBox()
        role = QDialogButtonBox.ButtonRole
        choices = [
            ("Take what the file holds", Decision.THEIRS),
            ("Write mine over it" if saving else "Keep what the window shows", Decision.MINE),
        ]
        if saving:
            choices.append(("Save under another name", Decision.ELSEWHERE))
        choices.append(("Decide later", Decision.LATER))
        self.buttons = {
            decision: row.addButton(words, role.ActionRole) for words, decision in choices
        }
        for decision, button in self.buttons.items():
            button.clicked.connect(lambda _=False, decision=decision: self._decide(decision))
        column.addWidget(row)
        self.resize(640, 360)

    def _decide(self, decision: Decision) -> None:
        self.decision = decision
        self.accept()
