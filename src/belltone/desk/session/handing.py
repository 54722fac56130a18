"""What is handed over of the open sheet: written by the process that makes models."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

from PySide6.QtCore import QObject, Signal

from belltone.desk.session.jobs import LaneState
from belltone.desk.session.models import Models
from belltone.desk.session.trying import Tryable
from belltone.exchange.inputs import replaced
from belltone.progress import Progress
from belltone.sheet.document import Sheet
from belltone.store.failures import error_words
from belltone.sweep.engine import Questions

__all__ = ["HANDING", "Handing"]

HANDING = "handing"


class Handed(Tryable, Protocol):
    """What is handed over; the models stand back meanwhile."""

    models: Models


class Handing(QObject):
    """One thing is written at a time; ``told`` says what became of it, ``failed`` if nothing."""

    changed = Signal()

    def __init__(self, session: Handed, engine: Questions, owner: QObject) -> None:
        super().__init__(owner)
        self._session, self._engine = session, engine
        self.told, self.failed = "", False
        self.what = ""
        session.jobs.changed.connect(lambda lane: self.changed.emit() if lane == HANDING else None)

    @property
    def state(self) -> LaneState | None:
        """How far what is being written is."""
        return self._session.jobs.state(HANDING)

    def forget(self) -> None:
        """Drop everything: another sheet is opened."""
        self._session.jobs.stop(HANDING)
        self.told, self.failed, self.what = "", False, ""
        self.changed.emit()

    def refused(self, target: Path) -> str:
        """Why a file must not be written, if it must not: the sheet is made of it."""
        session = self._session
        found = replaced(target, session.path, session.written_sheet)
        if found is None:
            return ""
        return f"“{target.name}” would replace “{found.name}”, which is read here; write elsewhere"

    def write(
        self,
        what: str,
        question: Callable[..., Any],
        *arguments: Any,
        then: Callable[[Any], str] | None = None,
    ) -> None:
        """Have something written of the sheet as it stands, called ``what`` meanwhile.

        The question is asked with the sheet's text, folder and path before the ``arguments``.
        ``then`` says what became of it; without it, where it was written.
        """
        session, engine = self._session, self._engine
        session.models.give_way()
        sheet: Sheet = session.written_sheet
        place = (sheet.text, sheet.folder, session.path)
        self.told, self.failed, self.what = "", False, what

        def work(progress: Progress) -> Any:
            return engine.ask(question, *place, *arguments, progress=progress)

        def finish(found: Any) -> None:
            self.told = then(found) if then is not None else f"Written: {', '.join(found)}"
            session.models.consider()
            self.changed.emit()

        def fail(error: Exception) -> None:
            self.told, self.failed = f"Not written: {error_words(error)}", True
            session.models.consider()
            self.changed.emit()

        session.jobs.start(HANDING, work, finish, fail)
        self.changed.emit()

    def stop(self) -> None:
        """Stop; nothing half written is left."""
        self._session.jobs.stop(HANDING)
        self.told, self.failed = "Stopped; nothing was written.", False
        self._session.models.consider()
        self.changed.emit()
