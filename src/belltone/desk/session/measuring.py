"""What was measured of the open sheet: held against the modes shown, and fitted."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from PySide6.QtCore import QObject, Signal

from belltone.compare.fit import Fit
from belltone.compare.likeness import Side
from belltone.compare.measured import Held, MatchBy, ModesAtPoints, held_against, how_matched
from belltone.desk.questions import find_fit
from belltone.desk.session.answer import Answer
from belltone.desk.session.models import Models
from belltone.desk.session.trying import Tryable
from belltone.errors import UserError
from belltone.exchange.measurements import measured_of
from belltone.progress import Progress
from belltone.sheet.document import Sheet
from belltone.store.failures import error_words
from belltone.sweep.engine import Questions

__all__ = ["FIT", "Measuring"]

FIT = "fit"


class Measured(Tryable, Protocol):
    """What was measured; the models stand back while it is fitted."""

    models: Models


class Measuring(QObject):
    """Follows the sheet's list and the answer shown; both are worked out when first asked for."""

    changed = Signal()

    def __init__(self, session: Measured, engine: Questions, owner: QObject) -> None:
        super().__init__(owner)
        self._session, self._engine = session, engine
        self.found: Fit | None = None
        self.failure = ""  # of the fit
        self.problem = ""  # of what the sheet says was measured
        self._of = ""
        self._sheet: Sheet | None = None
        self._told: ModesAtPoints | None = None
        self._held_of: tuple[Answer, ModesAtPoints] | None = None
        self._held: tuple[Held, ...] = ()

    def forget(self) -> None:
        """Drop everything: another sheet is opened."""
        self._session.jobs.stop(FIT)
        self.found, self.failure, self._of = None, "", ""
        self._sheet = None
        self.changed.emit()

    @property
    def told(self) -> ModesAtPoints | None:
        """What the sheet says was measured, if anything."""
        sheet = self._session.sheet
        before = self._sheet
        if before is None or before.content.measured != sheet.content.measured:
            self.problem = ""
            try:
                self._told = measured_of(sheet)
            except UserError as error:
                self._told, self.problem = None, str(error)
        self._sheet = sheet
        return self._told if self._told is not None and len(self._told) else None

    @property
    def how(self) -> MatchBy:
        """How frequencies are matched."""
        said, told = self._session.sheet.content.measured, self.told
        if told is None:
            return "order"
        return how_matched(told, None if said is None else said.match)

    @property
    def held(self) -> tuple[Held, ...]:
        """Every measured frequency against its mode in the answer shown."""
        answer, told = self._session.answer, self.told
        if answer is None or told is None:
            return ()
        known = self._held_of
        if known is None or known[0] is not answer or known[1] is not told:
            side = Side("", answer.design, answer.modes)
            self._held = held_against(side, told, self.how)
            self._held_of = answer, told
        return self._held

    @property
    def current(self) -> bool:
        """Whether what was fitted is of the sheet as written."""
        return self.found is not None and self._of == self._session.written_sheet.text

    @property
    def fitting(self) -> bool:
        """Whether a fit is under way."""
        return self._session.jobs.state(FIT) is not None

    def fit(self, knobs: Sequence[str], deviation: float) -> None:
        """Fit knobs in the background."""
        session, engine = self._session, self._engine
        session.give_up()
        session.models.give_way()
        sheet, how = session.written_sheet, self.how
        self.failure = ""

        def work(progress: Progress) -> Fit:
            place = (sheet.text, sheet.folder)
            found: Fit = engine.ask(
                find_fit, *place, tuple(knobs), deviation, how, progress=progress
            )
            return found

        def finish(found: Fit) -> None:
            self.found, self._of = found, sheet.text
            session.models.consider()
            self.changed.emit()

        def fail(error: Exception) -> None:
            self.failure = error_words(error)
            session.models.consider()
            self.changed.emit()

        session.jobs.start(FIT, work, finish, fail)
        self.changed.emit()

    def stop(self) -> None:
        """Stop fitting."""
        self._session.jobs.stop(FIT)
        self._session.models.consider()
        self.changed.emit()

    def try_fit(self) -> str | None:
        """Show the design fitted, without writing it; returns what stands against it."""
        if self.found is None:
            return "nothing was fitted"
        return self._session.try_out("the fit to what was measured", self.found.sheet)
