"""Searches for clear designs and what tolerances do, on the open sheet."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Protocol

from PySide6.QtCore import QObject, Signal

from belltone.desk.session.models import Models
from belltone.desk.session.trying import Tryable
from belltone.progress import Progress
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.store.failures import error_words
from belltone.sweep.engine import Questions
from belltone.tune.others import Other
from belltone.tune.proposals import Cleared, Proposal, Tried
from belltone.tune.questions import find_cleared, find_others, find_tolerances
from belltone.tune.search import Aim
from belltone.tune.tolerances import Tolerances

__all__ = ["OTHERS", "SEARCH", "TOLERANCES", "Asked", "Proposals"]

SEARCH, TOLERANCES, OTHERS = "search", "tolerances", "others"
"""The lanes of all three."""


class Tuned(Tryable, Protocol):
    """What is tuned; the models stand back meanwhile."""

    models: Models


@dataclass(frozen=True)
class Asked:
    """A search as it is asked for: knobs, aim, conditions and kinds spared as typed.

    ``margin`` is one instead of that of the sheet; ``margins`` are those to be priced.
    """

    knobs: tuple[str, ...]
    aim: Aim
    conditions: tuple[str, ...] = ()
    spared: tuple[str, ...] = ()
    margin: float | None = None
    margins: tuple[float, ...] = ()


class Proposals(QObject):
    """What was found, what is being tried, and which proposal is shown."""

    changed = Signal()
    tried_changed = Signal()

    def __init__(self, session: Tuned, engine: Questions, owner: QObject) -> None:
        super().__init__(owner)
        self._session, self._engine = session, engine
        self._forget()

    def _forget(self) -> None:
        self.listed: tuple[Proposal, ...] = ()
        self.found: Cleared | None = None
        self.tried: Tried | None = None
        self.tolerances: Tolerances | None = None
        self.others: tuple[Other, ...] | None = None
        self._others_of = ""
        self.failure = self.tolerance_failure = ""
        self.shown: int | None = None
        self._of = self._tolerances_of = ""

    def forget(self) -> None:
        """Drop everything: another sheet is opened."""
        for lane in (SEARCH, TOLERANCES, OTHERS):
            self._session.jobs.stop(lane)
        self._forget()
        self.changed.emit()
        self.tried_changed.emit()

    @property
    def searching(self) -> bool:
        """Whether a search is under way."""
        return self._session.jobs.state(SEARCH) is not None

    @property
    def current(self) -> bool:
        """Whether what was found is of the sheet as it stands, whatever its knobs."""
        return self.found is not None and self._of == self._rest()

    @property
    def tolerances_are_current(self) -> bool:
        """Whether the tolerances followed are those of the sheet as it stands."""
        return self.tolerances is not None and self._tolerances_of == _followed(self._session.sheet)

    def _rest(self) -> str:
        """The sheet but for the values of its knobs; what is asked of it counts."""
        sheet = self._session.written_sheet
        shape = sheet.answer_hash(dict.fromkeys(sheet.content.knobs, ""))
        asked = sheet.content.model_dump(mode="json", include={"excitation", "targets"})
        return f"{shape} {asked}"

    # -- searching ------------------------------------------------------------------------------

    def search(self, asked: Asked) -> None:
        """Search in the background; what is tried on the way is shown on the ruler."""
        session = self._session
        session.give_up()
        session.models.give_way()
        self.shown, self.failure, self.tried = None, "", None
        sheet, engine, rest = session.sheet, self._engine, self._rest()
        place = (sheet.text, sheet.folder, session.path, asked.knobs, asked.aim)
        rules = (asked.conditions, asked.spared, asked.margin, asked.margins)

        def work(progress: Progress) -> Cleared:
            found: Cleared = engine.ask(find_cleared, *place, *rules, progress=progress)
            return found

        def look(tried: Tried) -> None:
            if isinstance(tried, Tried):  # models on the way are shown too
                self.tried = tried
                self.tried_changed.emit()

        def finish(found: Cleared) -> None:
            known = {tuple(each.texts.values()) for each in found.proposals}
            older = self.listed if self._of == rest else ()
            kept = [each for each in older if tuple(each.texts.values()) not in known]
            fresh = [each for each in found.proposals if each is not found.present]
            if found.best is found.present:
                fresh = [found.best, *fresh]
            if asked.margins:
                self.found = found
            else:  # what margins cost stays as it was told
                trade = self.found.trade if self.found is not None and self._of == rest else ()
                self.found = replace(found, trade=trade)
            self.listed, self._of = (*fresh, *kept), rest
            self.tried = None
            session.models.consider()
            self.tried_changed.emit()
            self.changed.emit()

        def fail(error: Exception) -> None:
            self.failure, self.tried = error_words(error), None
            session.models.consider()
            self.tried_changed.emit()
            self.changed.emit()

        session.jobs.start(SEARCH, work, finish, fail, look)
        self.changed.emit()

    def stop(self) -> None:
        """Stop; the best that was tried so far is shown, to be solved."""
        session, tried = self._session, self.tried
        if not self.searching:
            return
        session.jobs.stop(SEARCH)
        session.models.consider()
        self.tried = None
        self.tried_changed.emit()
        if tried is not None:
            texts: dict[Path, str] = {
                ("knobs", name, "value"): text for name, text in tried.texts.items()
            }
            session.try_out("best so far", session.sheet.with_values(texts))
            session.told.emit(f"Stopped; the best so far is shown: {tried.words}.")
        self.changed.emit()

    def try_proposal(self, row: int) -> None:
        """Show a proposal, without writing it."""
        if row == self.shown or not 0 <= row < len(self.listed):
            return
        self.shown = row
        found = self.listed[row]
        problem = self._session.try_out(f"proposal {row + 1}", found.sheet, found.modes)
        if problem is not None:
            self._session.told.emit(problem)
        self.changed.emit()

    def take(self) -> None:
        """Write the design that is shown, as one step."""
        if self._session.trying:
            self.shown = None
            self._session.end_gesture()
            self.changed.emit()

    def give_up(self) -> None:
        """Go back to the sheet as written."""
        self.shown = None
        self._session.give_up()
        self.changed.emit()

    def drop(self, row: int) -> None:
        """Take a proposal off the list."""
        if 0 <= row < len(self.listed):
            if self.shown is not None:
                self.give_up()
            self.listed = (*self.listed[:row], *self.listed[row + 1 :])
            self.changed.emit()

    # -- what else moves it ---------------------------------------------------------------------

    @property
    def others_are_current(self) -> bool:
        """Whether the pulls of other numbers are of the sheet as it stands."""
        return self.others is not None and self._others_of == self._session.sheet.text

    def find_others(self) -> None:
        """Find how every number that is no knob yet pulls, in the background."""
        session, engine = self._session, self._engine
        session.give_up()
        session.models.give_way()
        sheet = session.sheet
        place = (sheet.text, sheet.folder, session.path)

        def work(progress: Progress) -> tuple[Other, ...]:
            found: tuple[Other, ...] = engine.ask(find_others, *place, progress=progress)
            return found

        def finish(found: tuple[Other, ...]) -> None:
            self.others, self._others_of = found, sheet.text
            session.models.consider()
            self.changed.emit()

        def fail(error: Exception) -> None:
            session.told.emit(error_words(error))
            session.models.consider()
            self.changed.emit()

        session.jobs.start(OTHERS, work, finish, fail)
        self.changed.emit()

    # -- tolerances -----------------------------------------------------------------------------

    def follow_tolerances(self, samples: int) -> None:
        """Follow designs within the tolerances in the background."""
        session = self._session
        session.give_up()
        session.models.give_way()
        sheet, engine = session.sheet, self._engine
        place = (sheet.text, sheet.folder, session.path, samples)
        self.tolerance_failure = ""

        def work(progress: Progress) -> Tolerances:
            found: Tolerances = engine.ask(find_tolerances, *place, progress=progress)
            return found

        def finish(found: Tolerances) -> None:
            self.tolerances, self._tolerances_of = found, _followed(sheet)
            session.models.consider()
            self.changed.emit()
            self.tried_changed.emit()

        def fail(error: Exception) -> None:
            self.tolerance_failure = error_words(error)
            session.models.consider()
            self.changed.emit()

        session.jobs.start(TOLERANCES, work, finish, fail)
        self.changed.emit()

    def stop_tolerances(self) -> None:
        """Stop following designs."""
        self._session.jobs.stop(TOLERANCES)
        self._session.models.consider()
        self.changed.emit()


def _followed(sheet: Sheet) -> str:
    """What designs within tolerances depend on: not how the sheet is called, told or shown."""
    asked = sheet.content.model_dump(
        mode="json", exclude={"title", "note", "measured", "report", "shown_in"}
    )
    return str(asked)
