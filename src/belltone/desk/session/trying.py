"""What looks at other designs asks of a session: to show one, to keep it, to go back."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import SignalInstance

from belltone.desk.session.answer import Answer
from belltone.desk.session.jobs import Jobs
from belltone.desk.session.sheet_file import Filed
from belltone.modes.modeset import ModeSet
from belltone.sheet.document import Sheet

__all__ = ["Tryable"]


class Tryable(Filed, Protocol):
    """A sheet with its answer, of which other designs are tried out."""

    jobs: Jobs
    answer: Answer | None
    told: SignalInstance

    @property
    def sheet(self) -> Sheet:
        """The sheet as it stands."""

    @property
    def written_sheet(self) -> Sheet:
        """The sheet as written, whatever is shown."""

    @property
    def trying(self) -> str:
        """What a design that is shown and not written would be called."""

    def try_out(self, label: str, sheet: Sheet, modes: ModeSet | None = None) -> str | None:
        """Show another design and write nothing."""

    def end_gesture(self) -> None:
        """Write what is shown."""

    def give_up(self) -> None:
        """Go back to the sheet as written."""
