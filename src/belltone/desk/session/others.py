"""Designs that stand beside the sheet's own: itself without preload, and the ghost on the ruler."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import QObject, SignalInstance

from belltone.compare.matched import Match
from belltone.desk.session.answer import Answer
from belltone.desk.session.compared import Compared
from belltone.desk.session.jobs import Jobs
from belltone.desk.session.sheet_file import Filed
from belltone.desk.session.variants import Variants
from belltone.modes.modeset import Mode
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.store.failures import error_words
from belltone.sweep.engine import Questions
from belltone.tune.questions import FoundModes, find_modes

__all__ = ["LANE", "Others"]

LANE = "bare"


class Accompanied(Filed, Protocol):
    """A sheet with an answer, a mode chosen in it, and variants."""

    jobs: Jobs
    answer: Answer | None
    compared: Compared
    variants: Variants
    told: SignalInstance
    choice_changed: SignalInstance

    @property
    def chosen_mode(self) -> Mode | None:
        """The mode chosen."""


class Others(QObject):
    """Finds the modes there would be without preload, and the chosen mode's partners."""

    def __init__(self, session: Accompanied, engine: Questions, owner: QObject) -> None:
        super().__init__(owner)
        self._session, self._engine = session, engine
        self.bare: Answer | None = None

    def forget(self) -> None:
        """Another sheet is opened."""
        self._session.jobs.stop(LANE)
        self.bare = None

    def find_bare(self, sheet: Sheet) -> None:
        """Find in the background the modes there would be without the preload."""
        if sheet.content.preload is None or not sheet.content.preload.applied:
            self.forget()
            return
        without = sheet.without_preload()
        if self.bare is not None and self.bare.sheet.text == without.text:
            return
        self.bare = None
        session, engine = self._session, self._engine
        place = (without.text, without.folder, session.path)

        def work(progress: Progress) -> FoundModes:
            found: FoundModes = engine.ask(find_modes, *place, progress=progress)
            return found

        def finish(found: FoundModes) -> None:
            self.bare = Answer(without, evaluate(without), found.modes, (), found.seconds)
            session.choice_changed.emit()

        session.jobs.start(LANE, work, finish, lambda error: session.told.emit(error_words(error)))

    @property
    def bare_partner(self) -> int | None:
        """Place of the chosen mode among those without preload, found by its shape."""
        match = self.bare_match
        if self.bare is None or match is None or match.number is None:
            return None
        return self.bare.modes.rigid_count + match.number - 1 - self.bare.modes.skipped

    @property
    def bare_match(self) -> Match | None:
        """The chosen mode without preload and with it; ``None`` before that is known."""
        if self.bare is None:
            return None
        return self._match(self.bare, ("without preload", "with preload"))

    @property
    def ghost(self) -> tuple[str, Answer] | None:
        """The other design whose modes stand on the ruler too, and what it is called."""
        variants = self._session.variants
        if variants.ghost:
            found = variants.answer(variants.ghost)
            return None if found is None else (f"“{variants.ghost}”", found)
        return None if self.bare is None else ("without preload", self.bare)

    @property
    def ghost_match(self) -> Match | None:
        """The chosen mode in the ghost and now."""
        ghost = self.ghost
        return None if ghost is None else self._match(ghost[1], (ghost[0], "the sheet"))

    def _match(self, other: Answer, names: tuple[str, str]) -> Match | None:
        mode, answer = self._session.chosen_mode, self._session.answer
        if mode is None or answer is None:
            return None
        found = self._session.compared.of(other, answer, names)
        if found is None:
            return None
        return next((each for each in found.matches if each.number_after == mode.number), None)
