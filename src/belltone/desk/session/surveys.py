"""Tables of designs of the open sheet: their plans, the work on them, and what was found."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Protocol

from PySide6.QtCore import QObject, Signal

from belltone.desk.session.identity import carry_over
from belltone.desk.session.models import Models
from belltone.desk.session.trying import Tryable
from belltone.desk.session.workplace import Workplace
from belltone.exchange.sweep_tables import DesignTable, survey_table
from belltone.modes.modeset import ModeSet
from belltone.progress import Progress
from belltone.sheet.document import Sheet
from belltone.sheet.errors import SheetError
from belltone.store.failures import error_words
from belltone.store.results import ResultStore, store_path
from belltone.sweep.cost import Cost, cost_of
from belltone.sweep.several import Plan
from belltone.sweep.survey import Survey, Variants, run_survey
from belltone.tune.outputs import needs_solution
from belltone.tune.speed_diagram import SpeedDiagram, diagram_of

__all__ = ["FoundSurvey", "Surveys"]

LANE = "designs"


class Surveyed(Tryable, Protocol):
    """What designs are looked at of, and who solves."""

    workplace: Workplace
    models: Models


@dataclass(frozen=True)
class FoundSurvey:
    """A plan that was looked at, as a table, and which mode shown each of its tracks is.

    ``speeds`` is the speed diagram it comes to, where it turns the speed of a spin.
    """

    survey: Survey
    table: DesignTable
    identities: tuple[int, ...]
    outputs: tuple[str, ...]
    speeds: SpeedDiagram | None = None


class Surveys(QObject):
    """What was found of plans of designs, and the work that is under way."""

    changed = Signal()

    def __init__(self, session: Surveyed, owner: QObject) -> None:
        super().__init__(owner)
        self._session = session
        self.found: FoundSurvey | None = None
        self.failure = ""
        self.shown: int | None = None  # the row that is tried out
        self._rests: list[tuple[Sheet, Plan, str]] = []

    def forget(self) -> None:
        """Drop everything: another sheet is opened."""
        self._session.jobs.stop(LANE)
        self.found, self.failure, self.shown = None, "", None
        self.changed.emit()

    @property
    def running(self) -> bool:
        """Whether designs are being looked at."""
        return self._session.jobs.state(LANE) is not None

    def cost(self, plan: Plan, outputs: Sequence[str], exact: bool) -> Cost | None:
        """What a plan would cost, as far as the answer shown lets anybody tell."""
        answer = self._session.answer
        if answer is None:
            return None
        modelled = not exact and not needs_solution(outputs)
        return cost_of(plan, answer.modes, answer.seconds, self._session.workplace.count, modelled)

    def run(self, plan: Plan, outputs: Iterable[str], exact: bool) -> None:
        """Look at the designs of a plan, read off a model where it may be and is not ``exact``."""
        session = self._session
        session.give_up()
        sheet, path, told = session.sheet, session.path, tuple(outputs)
        bound = None if exact or needs_solution(told) else session.models.bound
        place = session.workplace.executor(sheet)
        self.failure, self.shown = "", None

        def work(progress: Progress) -> tuple[FoundSurvey, list[str]]:
            with ResultStore(store_path(path)) as store, place as workers:
                survey = run_survey(sheet, plan, workers, store, progress, bound)
                notes = store.notes
            table = survey_table(survey, told)
            return FoundSurvey(survey, table, (), told, diagram_of(survey)), notes

        def finish(done: tuple[FoundSurvey, list[str]]) -> None:
            found, notes = done
            for note in notes:
                session.told.emit(note)
            self.found = replace(found, identities=self._identities(found.survey))
            self.changed.emit()

        def fail(error: Exception) -> None:
            self.failure = error_words(error)
            self.changed.emit()

        session.jobs.start(LANE, work, finish, fail)
        self.changed.emit()

    def stop(self) -> None:
        """Stop; finished designs are kept on disk."""
        if self.running:
            self._session.jobs.stop(LANE)
            self._session.told.emit(
                "Stopped; finished designs are kept, and will not be solved again."
            )
            self.changed.emit()

    @property
    def current(self) -> bool:
        """Whether what was found is of the sheet as it stands, but for what the plan sets."""
        if self.found is None:
            return False
        survey, now = self.found.survey, self._session.written_sheet
        return self._rest(survey.sheet, survey.plan) == self._rest(now, survey.plan)

    def _rest(self, sheet: Sheet, plan: Plan) -> str:
        """`_rest_of`, kept for the two sheets that are asked for with every stroke."""
        for known, of, rest in self._rests:
            if known is sheet and of is plan:
                return rest
        rest = _rest_of(sheet, plan)
        self._rests = [*self._rests[-1:], (sheet, plan, rest)]
        return rest

    def try_row(self, row: int) -> None:
        """Show the design of a row, without writing it."""
        found = self.found
        if found is None or row == self.shown:
            return
        survey = found.survey
        self.shown, modes = row, survey.sets[row]
        known = modes if isinstance(modes, ModeSet) else None
        try:
            sheet = survey.variants.sheet(row)
            problem = self._session.try_out(f"design {row + 1} of the table", sheet, known)
        except SheetError as error:
            problem = str(error)
        if problem is not None:  # told beside the table
            self._session.give_up()

    def take(self) -> None:
        """Write the design that is tried out, as one step."""
        if self._session.trying:
            self.shown = None
            self._session.end_gesture()
            self.changed.emit()

    def give_up(self) -> None:
        """Go back to the design as written."""
        self.shown = None
        self._session.give_up()

    @property
    def failure_shown(self) -> str:
        """Why the row that is chosen has no answer, if it has none."""
        if self.found is None or self.shown is None or self.shown not in self.found.survey.failures:
            return ""
        return self.found.survey.failures[self.shown].detail

    def _identities(self, survey: Survey) -> tuple[int, ...]:
        """Which mode shown each track is, told where the plan comes nearest to the sheet."""
        answer, here = self._session.answer, survey.sets[survey.nearest]
        if answer is None or here is None:
            return tuple(range(len(survey.tracks)))
        at_row = carry_over(answer.modes, answer.identities, here)
        spare = iter(range(max((*at_row, *answer.identities), default=0) + 1, 10_000))
        places = [track.places[survey.nearest] for track in survey.tracks]
        return tuple(at_row[place] if 0 <= place < len(at_row) else next(spare) for place in places)


def _rest_of(sheet: Sheet, plan: Plan) -> str:
    """A sheet but for what a plan sets."""
    try:
        same = Variants(sheet, plan).sheet(0)
    except SheetError:
        return ""
    knobs = {column.name: "" for column in plan.columns if column.path is None}
    return same.answer_hash(knobs)
