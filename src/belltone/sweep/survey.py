"""Runs a plan over several knobs or a table of designs, and follows the modes through it."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.errors import UserError
from belltone.mesh.discretisation import Discretisation
from belltone.modes.failure import PointFailure, failure_of
from belltone.modes.modeset import ModeSet, Spectrum
from belltone.modes.solve import ModeRequest, request_for
from belltone.progress import Progress
from belltone.reading.family import DesignFamily, evaluate
from belltone.reduce.designs import UnmodelledError
from belltone.reduce.model import ReducedModel
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.store.results import ResultStore
from belltone.sweep.common import one_for_all
from belltone.sweep.cost import kept_bytes, pays
from belltone.sweep.models import model_of
from belltone.sweep.points import Point, Points
from belltone.sweep.pool import SweepError
from belltone.sweep.runner import without_errors
from belltone.sweep.several import Plan, with_knobs
from belltone.sweep.tracks import Track, linked, open_loops, tracked
from belltone.system.threads import numpy_threads

__all__ = ["Survey", "Variants", "run_survey"]

_EXTRA_MODES: Final = 4  # found beyond those asked for, so that tracks may change places
_LONG: Final = 10.0  # s; what takes longer is told before
_MOST_STEPPED: Final = 200  # links; of more, steps are halved by a model only


class Variants:
    """The designs of a plan's rows."""

    def __init__(self, sheet: Sheet, plan: Plan) -> None:
        self._sheet, self._plan = sheet, plan
        self._families: dict[tuple[Any, ...], DesignFamily | PointFailure] = {}
        self.base = with_knobs(sheet, plan.columns)
        knobs = evaluate(self.base).knobs
        self.knobs = {
            at: knobs[column.knob or column.name]
            for at, column in enumerate(plan.columns)
            if column.turns
        }

    def family(self, row: int) -> DesignFamily | PointFailure:
        """The family a row belongs to, or what is wrong with what it sets."""
        texts = self._texts(row)
        key = tuple(texts.values())
        if key not in self._families:
            try:
                sheet = self.base.with_values(texts) if texts else self.base
                self._families[key] = DesignFamily(sheet)
            except UserError as error:
                self._families[key] = failure_of(error)
        return self._families[key]

    def design(self, row: int) -> Design | PointFailure:
        """The design of a row, or why there is none."""
        family = self.family(row)
        if isinstance(family, PointFailure):
            return family
        try:
            return family.at(self.turned(row))
        except UserError as error:
            return failure_of(error)

    def sheet(self, row: int) -> Sheet:
        """The sheet with all that a row sets; raises `SheetError` where that is no good sheet."""
        texts: dict[Path, Any] = {}
        for at, knob in self.knobs.items():
            path = self._plan.columns[at].path or ("knobs", knob.name, "value")
            texts[path] = knob.exact_text(self._plan.rows[row][at])
        return self._sheet.with_values(texts | self._texts(row))

    def turned(self, row: int, other: int | None = None, share: float = 0.0) -> dict[str, float]:
        """What knobs are turned to (base units), or a share of the way to another row."""
        found: dict[str, float] = {}
        for at, knob in self.knobs.items():
            value = self._plan.rows[row][at]
            if other is not None:
                value += share * (self._plan.rows[other][at] - value)
            found |= knob.turned(value)
        return found

    def point(
        self,
        row: int,
        request: ModeRequest,
        discretisation: Discretisation | None,
        other: int | None = None,
        share: float = 0.0,
    ) -> Point | PointFailure:
        """A row, or a place between two, as workers are asked for it: begun from the middle."""
        family = self.family(row)
        if isinstance(family, PointFailure):
            return family
        turned = self.turned(row, other, share)
        settings = {
            knob.name: knob.exact_text(turned[knob.name] / knob.scale)
            for knob in self.knobs.values()
        }
        like = None if discretisation is None else self.turned(self._plan.middle)
        return Point(family.sheet, turned, settings, request, discretisation, like)

    def _texts(self, row: int) -> dict[Path, Any]:
        return {
            column.path: value
            for column, value in zip(self._plan.columns, self._plan.rows[row], strict=True)
            if column.path is not None and not column.knob
        }


@dataclass(frozen=True, eq=False, kw_only=True)
class Survey:
    """A finished plan: modes or a failure for each row, and the tracks through them.

    ``exact`` marks rows that were solved, the others are read off a model; ``loops`` are those
    round which a mode becomes another. ``nearest`` is the row with an answer that stands nearest
    to the sheet. ``solutions`` is how many designs were solved in all, and ``refusal`` says why
    there is no model where one was wanted.
    """

    sheet: Sheet
    plan: Plan
    sets: tuple[Spectrum | None, ...]
    exact: NDArray[np.bool_]
    failures: Mapping[int, PointFailure]
    tracks: tuple[Track, ...]
    loops: tuple[tuple[int, int, int, int], ...]
    nearest: int
    request: ModeRequest
    discretisation: Discretisation | None
    solutions: int
    refusal: str = ""

    @cached_property
    def variants(self) -> Variants:
        """The designs of the rows."""
        return Variants(self.sheet, self.plan)

    @property
    def worst_error(self) -> float:
        """The largest error estimate of any frequency on the tracks."""
        errors = [
            found.errors[found.rigid_count + track.places[row]]
            for row, found in enumerate(self.sets)
            for track in self.tracks
            if found is not None and track.places[row] >= 0
        ]
        return float(np.nanmax(errors)) if errors else 0.0


def run_survey(
    sheet: Sheet,
    plan: Plan,
    workers: Executor,
    store: ResultStore | None = None,
    progress: Progress | None = None,
    bound: float | None = None,
) -> Survey:
    """Answer every row of a plan and follow the modes from row to row.

    With a ``bound`` (relative) the rows of a grid are read off a model, as in `run_sweep`, where
    it has more designs than a model takes solutions. Rows
    with choices are solved each on the elements its accuracy asks for, all others on the same.
    Raises `PlanError`, `SheetError`, `SweepError`, or ``Cancelled`` with all finished points kept.
    """
    with numpy_threads(many=False):  # a model is many small matrices
        return _Run(sheet, plan, workers, store, progress or Progress()).done(bound)


class _Run:
    """One run of a plan."""

    def __init__(
        self,
        sheet: Sheet,
        plan: Plan,
        workers: Executor,
        store: ResultStore | None,
        progress: Progress,
    ) -> None:
        self._sheet, self._plan, self._store, self._progress = sheet, plan, store, progress
        self._workers = workers
        self._design = evaluate(sheet)
        self._request = request_for(self._design, _EXTRA_MODES)
        self._variants = Variants(sheet, plan)
        preload = self._design.preload
        onward = plan.one_sheet and preload is not None and preload.large
        self._points: Points[Any] = Points(workers, store, progress, onward)
        self._level: Discretisation | None = None
        self._model: ReducedModel | None = None
        self._refusal = ""
        self._modelled: dict[int, NDArray[np.float64]] = {}
        self._seconds: float | None = None  # for a design, by all workers together

    def done(self, bound: float | None) -> Survey:
        plan, points = self._plan, self._points
        looked_at = {*plan.corners, plan.middle}
        if plan.one_sheet:
            turned = self._variants.turned
            ends, middle = [turned(row) for row in plan.corners], turned(plan.middle)
            parts = self._request, self._workers, self._progress
            self._level = one_for_all(self._variants.base, ends, middle, *parts)
            begun = time.perf_counter()
            self._solve(sorted(looked_at), looked_at)
            if points.solutions:
                self._seconds = (time.perf_counter() - begun) / points.solutions
        if bound is not None and pays(plan):
            self._model_within(bound)
        lacking = [row for row in range(len(plan)) if row not in points.answers]
        exact = [row for row in lacking if not self._from_model(row)]
        self._tell_cost(len(exact))
        self._solve(exact, looked_at)
        answers = [points.answers[row] for row in range(len(plan))]
        sets = [None if isinstance(own, PointFailure) else own for own in answers]
        failures = {row: own for row, own in enumerate(answers) if isinstance(own, PointFailure)}
        if len(failures) == len(plan):
            raise SweepError(f"no design of the plan has an answer: {failures[0].detail}")
        edges = plan.edges()
        stepped = self._between if plan.one_sheet else None
        links = linked(edges, [self._alike(row, own) for row, own in enumerate(sets)], stepped)
        nearest = self._nearest(sets)
        tracks = tracked(sets, links, nearest)
        told = self._with_errors(sets, tracks)
        return Survey(
            sheet=self._sheet,
            plan=plan,
            sets=tuple(told),
            exact=np.array([row not in self._modelled for row in range(len(plan))]),
            failures=failures,
            tracks=self._wanted(tracks, sets),
            loops=tuple(open_loops(plan.cells(), sets, links)),
            nearest=nearest,
            request=self._request,
            discretisation=self._level,
            solutions=points.solutions + (0 if self._model is None else self._model.solutions),
            refusal=self._refusal,
        )

    def _tell_cost(self, count: int) -> None:
        """Say before it begins what takes long."""
        if self._seconds is not None and count * self._seconds > _LONG:
            known = next(iter(self._points.answers.values()), None)
            kept = 0.0 if not isinstance(known, ModeSet) else kept_bytes(known) * len(self._plan)
            self._progress.announce(
                f"{count} designs are to be solved, about {count * self._seconds:.0f} s and "
                f"{kept / 1e6:.0f} MB; each is kept as it is done, so it may be stopped and gone "
                "on with"
            )

    def _solve(self, rows: Sequence[int], looked_at: set[int]) -> None:
        asked: dict[Any, Point] = {}
        for row in rows:
            point = self._variants.point(row, self._request, self._level)
            if isinstance(point, PointFailure):
                self._points.answers[row] = point
            else:
                asked[row] = point
        told = looked_at if self._level is not None else set(rows)
        self._points.solve(asked, told)

    def _model_within(self, bound: float) -> None:
        """Have a model answer from now on, where it is within the bound."""
        values = list(zip(*self._plan.rows, strict=True))
        ends = {
            knob.name: (min(values[at]) * knob.scale, max(values[at]) * knob.scale)
            for at, knob in self._variants.knobs.items()
        }
        assert self._level is not None
        parts = self._variants.base, ends, self._request, self._level, bound
        try:
            self._model = model_of(*parts, self._store, self._progress)
        except UnmodelledError as error:
            self._refusal = str(error)

    def _from_model(self, row: int) -> bool:
        """Whether the model answers a row; failures are told by the exact solution."""
        found = self._told(self._variants.turned(row))
        if found is None:
            return False
        self._modelled[row] = found.errors
        self._points.answers[row] = without_errors(found)
        return True

    def _alike(self, row: int, found: Spectrum | None) -> Spectrum | None:
        """Modes to be compared with those of a model: of a row that was solved, as it tells them.

        A model reads all shapes at one design, where what moves with a knob stands elsewhere.
        """
        if found is None or row in self._modelled or self._model is None:
            return found
        told = self._told(self._variants.turned(row))
        if told is None or told.rigid_count != found.rigid_count:
            return found
        if len(told) != len(found):
            return found
        off = np.abs(told.frequencies - found.frequencies)
        same = off <= (told.errors + self._model.bound) * told.frequencies
        return told if np.all(same) else found

    def _told(self, turned: Mapping[str, float]) -> Spectrum | None:
        if self._model is None:
            return None
        found = self._model.at(*(turned[knob] for knob in self._model.knobs))
        return None if isinstance(found, PointFailure) else found

    def _between(self, first: int, second: int, share: float) -> Spectrum | None:
        """The modes between two rows, by the model or, in small plans, solved for."""
        told = self._told(self._variants.turned(first, second, share))
        if told is not None or len(self._plan) > _MOST_STEPPED:
            return told
        name = first, second, share
        if name not in self._points.answers:
            point = self._variants.point(first, self._request, self._level, second, share)
            if isinstance(point, PointFailure):
                return None
            self._points.solve({name: point})
        found = self._points.answers[name]
        return None if isinstance(found, PointFailure) else found

    def _nearest(self, sets: Sequence[Spectrum | None]) -> int:
        """The row with an answer whose knobs are nearest to those of the sheet."""
        knobs = self._variants.knobs
        here = np.array([knob.value for knob in knobs.values()])
        values = np.array([[row[at] for at in knobs] for row in self._plan.rows], float)
        width = np.ptp(values, axis=0) if knobs else np.ones(0)
        away = np.linalg.norm((values - here) / np.where(width > 0, width, 1.0), axis=1)
        return min(
            (row for row, found in enumerate(sets) if found is not None),
            key=lambda row: float(away[row]),
        )

    def _with_errors(
        self, sets: Sequence[Spectrum | None], tracks: Sequence[Track]
    ) -> list[Spectrum | None]:
        """Give every row the largest errors its tracks have where they were told."""
        told: list[float] = []
        for track in tracks:
            own = [
                float(found.errors[found.rigid_count + track.places[row]])
                for row, found in enumerate(sets)
                if found is not None and track.places[row] >= 0
            ]
            known = [error for error in own if np.isfinite(error)]
            told.append(max(known, default=np.nan))
        most = float(np.nanmax(told)) if np.isfinite(told).any() else np.nan
        result: list[Spectrum | None] = []
        for row, found in enumerate(sets):
            if found is None:
                result.append(None)
                continue
            errors = found.errors.copy()
            for track, error in zip(tracks, told, strict=True):
                at = found.rigid_count + track.places[row]
                if track.places[row] >= 0 and not np.isfinite(errors[at]):
                    errors[at] = error if np.isfinite(error) else most
            if row in self._modelled:
                errors = errors + self._modelled[row]
            result.append(replace(found, errors=errors))
        return result

    def _wanted(
        self, tracks: Sequence[Track], sets: Sequence[Spectrum | None]
    ) -> tuple[Track, ...]:
        """The tracks anywhere among the modes the sheet asks for, the lowest first."""
        limit = self._request.up_to or 0.0
        count = self._design.count
        lowest: dict[int, float] = {}
        for number, track in enumerate(tracks):
            wanted = False
            own = []
            for row, (place, found) in enumerate(zip(track.places, sets, strict=True)):
                if found is not None and place >= 0:
                    own.append(track.frequency(row, found))
                    wanted |= place < count or own[-1] <= limit
            if wanted:
                lowest[number] = min(own)
        return tuple(tracks[number] for number in sorted(lowest, key=lowest.__getitem__))
