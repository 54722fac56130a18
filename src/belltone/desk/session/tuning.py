"""Sweeps and clear intervals of the open sheet, run in worker processes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Protocol

import numpy as np
from PySide6.QtCore import QObject, Signal, SignalInstance

from belltone.design.values import Design
from belltone.desk.session.answer import Answer
from belltone.desk.session.identity import carry_over
from belltone.desk.session.jobs import Jobs
from belltone.desk.session.models import Models
from belltone.desk.session.sheet_file import Filed
from belltone.desk.session.workplace import Workplace
from belltone.modes.modeset import Mode
from belltone.modes.solve import request_for
from belltone.progress import Progress
from belltone.reduce.model import Line
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path as SheetPath
from belltone.store.failures import error_words
from belltone.store.results import ResultStore, store_path
from belltone.sweep.modelled import modelled_sweep
from belltone.sweep.plan import default_plan
from belltone.sweep.runner import Sweep, run_sweep
from belltone.tune.clear import ClearInterval, clear_intervals

__all__ = ["SweepAnswer", "Tuning"]


class Bench(Filed, Protocol):
    """What is tuned: a sheet with its design and answer, and the work under way on it."""

    jobs: Jobs
    design: Design
    answer: Answer | None
    wrong: dict[SheetPath, tuple[str, str]]
    told: SignalInstance
    sheet_changed: SignalInstance
    answer_changed: SignalInstance
    models: Models
    workplace: Workplace

    @property
    def sheet(self) -> Sheet:
        """The sheet as it stands."""

    @property
    def turning(self) -> str | None:
        """The knob that is being turned, if one is."""

    @property
    def written(self) -> Design:
        """The design as written, whatever knob is being turned."""

    chosen: int

    @property
    def chosen_mode(self) -> Mode | None:
        """The mode looked at."""

    def edit(
        self, label: str, change: Callable[[Sheet], Sheet], gesture: str | None = None
    ) -> str | None:
        """Change the sheet; returns what would be wrong with it, if anything."""


@dataclass(frozen=True)
class SweepAnswer:
    """A sweep, its clear intervals (``None`` while being found), and its branches' identities."""

    sweep: Sweep
    identities: tuple[int, ...]
    excitation: tuple[Any, ...]
    intervals: tuple[ClearInterval, ...] | None


class Tuning(QObject):
    """What was swept on the session's sheet, and the work that is under way."""

    sweep_changed = Signal()

    def __init__(self, session: Bench, owner: QObject) -> None:
        super().__init__(owner)
        self._session = session
        self.sweep: SweepAnswer | None = None
        self.modelled: SweepAnswer | None = None
        self._curves_of: Line | None = None
        self._looked_at = ""
        self.sweep_failure = ""
        self._was_wrong = False
        self._was_current = False
        session.sheet_changed.connect(self._follow_sheet)
        session.answer_changed.connect(self._follow_fields)
        session.models.changed.connect(self._follow_model)

    def forget(self) -> None:
        """Drop everything: another sheet is opened."""
        for lane in ("sweep", "clear", "curves"):
            self._session.jobs.stop(lane)
        self.sweep, self.sweep_failure = None, ""
        self.modelled = self._curves_of = None
        self.sweep_changed.emit()

    # -- curves of a model ----------------------------------------------------------------------

    def look_at(self, knob: str) -> None:
        """Show the branches of a knob, and make its model before those of others."""
        self._looked_at = knob
        if knob in self._session.design.knobs:
            self._session.models.first(knob)
            self._follow_model(knob)

    @property
    def shown(self) -> SweepAnswer | None:
        """What the map shows: the curves of the model of the knob looked at, else a sweep."""
        modelled = self.modelled
        if modelled is not None and modelled.sweep.knob.name == self._looked_at:
            current = self.sweep_is_current and self.sweep is not None
            same = current and self.sweep.sweep.knob.name == self._looked_at  # type: ignore[union-attr]
            if self._model_holds or not same:
                return modelled
        return self.sweep or modelled

    @property
    def shown_is_current(self) -> bool:
        """Whether what the map shows belongs to the design as written."""
        shown = self.shown
        if shown is None:
            return False
        return self._model_holds if shown is self.modelled else self.sweep_is_current

    @property
    def shown_is_whole(self) -> bool:
        """Whether what the map shows goes over all of the knob's range, or all that was swept."""
        shown = self.shown
        if shown is None:
            return False
        sweep = shown.sweep
        if shown is not self.modelled:
            return True
        low, high = sweep.knob.range
        slack = 1e-9 * (high - low)
        return float(sweep.values[0]) <= low + slack and float(sweep.values[-1]) >= high - slack

    @property
    def clear(self) -> tuple[tuple[ClearInterval, ...] | None, bool]:
        """The clear intervals of the knob shown, and whether their ends were solved for.

        ``None`` while they are being found.
        """
        shown, exact = self.shown, self.sweep
        if shown is None:
            return None, False
        same = exact is not None and exact.sweep.knob.name == shown.sweep.knob.name
        if exact is not None and same and exact.intervals is not None and self.sweep_is_current:
            return exact.intervals, True
        return shown.intervals, shown is not self.modelled

    @property
    def _model_holds(self) -> bool:
        if self.modelled is None or self._session.wrong:
            return False
        if self._session.turning not in (None, self.modelled.sweep.knob.name):
            return False
        return self._is_of_this_design(self.modelled.sweep)

    def _follow_model(self, knob: str) -> None:
        """Draw the branches of the knob looked at, as far as its model goes."""
        model = self._session.models.of(knob)
        if knob != self._looked_at or model is None:
            self.sweep_changed.emit()
            return
        if model == self._curves_of and self.modelled is not None and self._model_holds:
            return
        self._curves_of = model
        sheet, design = self._session.sheet, self._session.written
        excitation = self._excitation()

        def work(progress: Progress) -> SweepAnswer:
            sweep = modelled_sweep(sheet, design, model, progress)
            clear = clear_intervals(sweep, design.bands, design.margin, None, progress)
            return SweepAnswer(sweep, (), excitation, clear)

        def finish(found: SweepAnswer) -> None:
            identities = self._branch_identities(found.sweep)
            self.modelled = replace(found, identities=identities)
            self.sweep_changed.emit()

        self._session.jobs.start(
            "curves", work, finish, lambda error: self._session.told.emit(error_words(error))
        )

    # -- sweeps ---------------------------------------------------------------------------------

    def run_sweep(self, knob: str, points: int) -> None:
        """Sweep a knob over its range in worker processes."""
        sheet, design, path = self._session.sheet, self._session.design, self._session.path
        place = self._session.workplace.executor(sheet)
        self.sweep_failure = ""

        def work(progress: Progress) -> tuple[Sweep, list[str]]:
            plan = default_plan(design.knobs[knob], points)
            with ResultStore(store_path(path)) as store, place as workers:
                return run_sweep(sheet, plan, workers, store, progress), store.notes

        def finish(found: tuple[Sweep, list[str]]) -> None:
            sweep, notes = found
            for note in notes:
                self._session.told.emit(note)
            self._take_sweep(sweep)

        def fail(error: Exception) -> None:
            self.sweep_failure = error_words(error)
            self.sweep_changed.emit()

        self._session.jobs.start("sweep", work, finish, fail)
        self.sweep_changed.emit()

    def stop_sweep(self) -> None:
        """Stop the sweep; its finished points are kept on disk."""
        if self._session.jobs.state("sweep") is not None:
            self._session.jobs.stop("sweep")
            self._session.told.emit(
                "Sweep stopped; its finished points are kept and will not be redone."
            )
            self.sweep_changed.emit()

    def _take_sweep(self, found: Sweep) -> None:
        identities = self._branch_identities(found)
        self.sweep = SweepAnswer(found, identities, (), None)
        self._was_current = self.sweep_is_current
        self._find_clear()
        self.sweep_changed.emit()

    def _branch_identities(self, sweep: Sweep) -> tuple[int, ...]:
        """Tell which branch of the sweep is which mode shown, at the knob's present value."""
        if self._session.answer is None:
            return tuple(range(len(sweep.branches)))
        value = self._session.answer.design.knobs.get(sweep.knob.name, sweep.knob).value
        solved = [index for index, found in enumerate(sweep.sets) if found is not None]
        if not solved:
            return ()
        here = min(solved, key=lambda index: abs(sweep.values[index] - value))
        found = sweep.sets[here]
        assert found is not None
        at_point = carry_over(self._session.answer.modes, self._session.answer.identities, found)
        identities: list[int] = []
        spare = max((*at_point, *self._session.answer.identities), default=0) + 1
        for branch in sweep.branches:
            place = branch.places[here]
            if place >= 0:
                identities.append(at_point[place])
            else:
                identities.append(spare)
                spare += 1
        return tuple(identities)

    def _follow_fields(self) -> None:
        """A field that holds something unusable makes a sweep one of an older design."""
        if bool(self._session.wrong) != self._was_wrong:
            self._was_wrong = not self._was_wrong
            self.sweep_changed.emit()

    def _follow_sheet(self) -> None:
        """After an edit clear intervals may need finding again."""
        if self.sweep_failure:
            self.sweep_failure = ""
            self.sweep_changed.emit()
        if self.modelled is not None:
            if self._model_holds:
                if self.modelled.excitation != self._excitation():
                    self.modelled = None
                    self._follow_model(self._looked_at)
            elif not self._session.wrong:
                self._follow_model(self._looked_at)
            self.sweep_changed.emit()
        if self.sweep is None:
            return
        current = self.sweep_is_current
        if current and self.sweep.excitation != self._excitation():
            self._find_clear()
        elif current == self._was_current:
            return
        self._was_current = current
        self.sweep_changed.emit()

    @property
    def sweep_is_current(self) -> bool:
        """Whether the sweep shown belongs to the design written, but for the knob it sweeps."""
        if self.sweep is None:
            return False
        sweep = self.sweep.sweep
        limit = request_for(self._session.design).up_to or 0.0
        return (
            self._is_of_this_design(sweep)
            and limit <= (sweep.request.up_to or 0.0)
            and not self._session.wrong
        )

    def _is_of_this_design(self, sweep: Sweep) -> bool:
        """Whether a sweep is of the design as written, but for the knob it sweeps."""
        name, knobs = sweep.knob.name, self._session.written.knobs
        if name not in knobs or not knobs[name].literal:
            return False
        same = {name: ""}
        return sweep.sheet.answer_hash(same) == self._session.sheet.answer_hash(same)

    def _excitation(self) -> tuple[Any, ...]:
        return (self._session.design.bands, self._session.design.margin)

    def _find_clear(self) -> None:
        assert self.sweep is not None
        answer, bands, margin = self.sweep, self._session.design.bands, self._session.design.margin
        place = self._session.workplace
        pending = replace(answer, excitation=self._excitation(), intervals=None)
        self.sweep = pending

        def work(progress: Progress) -> tuple[ClearInterval, ...]:
            with place.processes() as workers:
                return clear_intervals(answer.sweep, bands, margin, workers, progress)

        def finish(found: tuple[ClearInterval, ...]) -> None:
            if self.sweep is pending:
                self.sweep = replace(pending, intervals=found)
                self.sweep_changed.emit()

        self._session.jobs.start(
            "clear", work, finish, lambda error: self._session.told.emit(error_words(error))
        )

    def nearest_clear(self) -> float | None:
        """The nearest value of the swept knob at which every band is clear, if one is known."""
        shown, (intervals, _) = self.shown, self.clear
        if shown is None or not intervals or not self.shown_is_current:
            return None
        value = self._session.design.knobs[shown.sweep.knob.name].value
        inside = [interval.clamp(value) for interval in intervals]
        return min(inside, key=lambda candidate: abs(candidate - value))

    def value_for(self, identity: int, frequency: float) -> tuple[str, float] | None:
        """The knob looked at and where, by its model, a mode comes nearest to a frequency (Hz).

        Where several values bring it there, the one nearest to the present value.
        """
        modelled = self.modelled
        if modelled is None or not self._model_holds or identity not in modelled.identities:
            return None
        sweep = modelled.sweep
        curve = sweep.branches[modelled.identities.index(identity)].curve(sweep.values)
        name = sweep.knob.name
        if curve is None or name not in self._session.written.knobs:
            return None
        now = self._session.written.knobs[name].value
        roots = [float(root) for root in curve.solve(frequency, extrapolate=False)]
        if roots:
            return name, min(roots, key=lambda value: abs(value - now))
        nearest = int(np.argmin(np.abs(curve(curve.x) - frequency)))
        return name, float(curve.x[nearest])
