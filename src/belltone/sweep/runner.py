"""Runs a sweep: points in worker processes, each kept as it finishes, branches followed."""

from __future__ import annotations

import contextlib
import itertools
from collections.abc import Collection, Iterable, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design, KnobValue
from belltone.mesh.discretisation import Discretisation, fine_enough
from belltone.modes.failure import PointFailure
from belltone.modes.modeset import Spectrum
from belltone.modes.pairing import pair
from belltone.modes.solve import ModeRequest, request_for
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.reduce.designs import UnmodelledError
from belltone.reduce.model import ReducedModel
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore
from belltone.sweep.branches import LOST, Branch, follow, poor_steps, with_errors
from belltone.sweep.common import chosen_at, one_for_all
from belltone.sweep.models import model_of
from belltone.sweep.plan import SweepPlan, turnable
from belltone.sweep.points import Point, Points
from belltone.sweep.pool import SweepError, results_of
from belltone.sweep.work import Turned, solve_point

__all__ = ["Sweep", "frequency_near", "is_wanted", "run_sweep", "without_errors"]

Array = NDArray[np.float64]

_EXTRA_MODES: Final = 4  # found beyond those asked for, so that branches may change places
_HALVINGS: Final = 5  # a step is looked at down to a thirty-second of its width
_EDGE_HALVINGS: Final = 8  # frequencies fall by half for every two of them
_LOOKED_AT: Final = (0.0, 0.5, 1.0)  # shares of the way at which errors are told


@dataclass(frozen=True)
class Sweep:
    """A finished sweep of one knob.

    ``values`` are all values answered, in the knob's unit; ``asked`` marks those of the plan, the
    others were put between them to follow branches through a crossing; ``exact`` those that were
    solved, the others are read off a model. ``sets`` holds ``None`` where a point has no answer,
    with the reason in ``failures``. ``solutions`` is how many designs were solved in all.
    """

    sheet: Sheet
    knob: KnobValue
    values: Array
    asked: NDArray[np.bool_]
    exact: NDArray[np.bool_]
    sets: tuple[Spectrum | None, ...]
    failures: Mapping[float, PointFailure]
    branches: tuple[Branch, ...]
    request: ModeRequest
    discretisation: Discretisation
    solutions: int

    @property
    def worst_error(self) -> float:
        """The largest error estimate of any frequency on the branches."""
        errors = [
            found.errors[found.rigid_count + branch.places[index]]
            for index, found in enumerate(self.sets)
            for branch in self.branches
            if found is not None and branch.places[index] >= 0
        ]
        return float(max(errors, default=0.0))


def run_sweep(
    sheet: Sheet,
    plan: SweepPlan,
    workers: Executor,
    store: ResultStore | None = None,
    progress: Progress | None = None,
    bound: float | None = None,
) -> Sweep:
    """Solve every point of a plan and follow the branches.

    With a ``bound`` (relative) points are read off a model whose frequencies are told to be within
    it; those where it is not, and the ends and the middle, are solved. Points found in ``store``
    are not solved again; every new one is kept there as it finishes.
    Raises `PlanError`, `SheetError`, `SweepError`, or ``Cancelled`` with all finished points kept.
    """
    progress = progress or Progress()
    design = evaluate(sheet)
    knob = turnable(design, plan.knob)
    request = request_for(design, _EXTRA_MODES)
    discretisation = _hardest(sheet, knob, plan, request, workers, progress)
    middle = plan.values[len(plan.values) // 2]
    large = design.preload is not None and design.preload.large
    parts = (workers, store, progress, knob.turned(middle), large)
    solver = _PointSolver(sheet, knob, request, discretisation, *parts)
    looked_at = _looked_at(plan.values)
    first = plan.values if bound is None else sorted(looked_at)
    solver.solve(first, looked_at)
    if solver.too_coarse(middle):
        more, _ = chosen_at(sheet, [knob.turned(middle)], request, workers, progress)
        finer = fine_enough([discretisation, *more, discretisation])
        if finer != discretisation:
            discretisation = finer
            solver = _PointSolver(sheet, knob, request, discretisation, *parts)
            solver.solve(first, looked_at)
    if bound is not None:
        solver.model_within(bound, plan.values)
    solver.solve(plan.values, looked_at)
    for _ in range(_HALVINGS):
        values = sorted(solver.answers)
        poor = poor_steps(values, [_set(solver.answers[value]) for value in values])
        between = [0.5 * (values[index] + values[index + 1]) for index in poor]
        if not between:
            break
        solver.solve(between)
    _to_the_edge(solver)
    values = sorted(solver.answers)
    sets = tuple(_set(solver.answers[value]) for value in values)
    failures = {
        value: found for value, found in solver.answers.items() if isinstance(found, PointFailure)
    }
    if len(failures) == len(values):
        raise SweepError(f"no point of the sweep has an answer: {failures[values[0]].detail}")
    branches = follow(values, sets, knob.value)
    sets = solver.with_model_errors(values, with_errors(values, sets, branches))
    wanted = [branch for branch in branches if is_wanted(branch, sets, design)]
    planned = set(plan.values)
    return Sweep(
        sheet,
        knob,
        np.array(values),
        np.array([value in planned for value in values]),
        np.array([value not in solver.modelled for value in values]),
        sets,
        failures,
        tuple(sorted(wanted, key=lambda branch: np.nanmin(branch.frequencies))),
        request,
        discretisation,
        solver.solutions,
    )


def frequency_near(
    sweep: Sweep, branch: Branch, value: float, workers: Executor, progress: Progress
) -> tuple[float, Spectrum, int] | None:
    """Solve at ``value`` and find the branch there by its shape at the nearest known value.

    Returns its frequency, the modes and its place among the flexible ones; ``None`` when there
    is no answer or the branch is not among its modes.
    """
    known = [index for index, place in enumerate(branch.places) if place >= 0]
    nearest = min(known, key=lambda index: abs(sweep.values[index] - value))
    reference = sweep.sets[nearest]
    assert reference is not None
    place = branch.places[nearest]
    if sweep.values[nearest] == value:
        return float(reference.flexible[place]), reference, place
    asked = workers.submit(
        solve_point,
        sweep.sheet.text,
        sweep.knob.turned(value),
        sweep.request,
        sweep.discretisation,
        sweep.sheet.folder,
    )
    (found,) = results_of([asked], progress)
    if isinstance(found, PointFailure):
        return None
    curve = branch.curve(sweep.values)
    foreseen = float(reference.flexible[place]) if curve is None else float(curve(value))
    if not len(found.flexible):
        return None
    if not np.isfinite(foreseen):
        foreseen = float(reference.flexible[place])
    partners, certainty = pair(reference, found, [place], np.array([foreseen]))
    if certainty[0] < LOST:
        return None
    best = int(partners[0])
    return float(found.flexible[best]), found, best


def _to_the_edge(solver: _PointSolver) -> None:
    """Follow a frequency that falls to zero down to where the component buckles."""
    for _ in range(_EDGE_HALVINGS):
        values = sorted(solver.answers)
        between = [
            0.5 * (low + high)
            for low, high in itertools.pairwise(values)
            if _buckled(solver.answers[low]) != _buckled(solver.answers[high])
        ]
        if not between:
            return
        solver.solve(between)


def _buckled(answer: Spectrum | PointFailure) -> bool:
    return isinstance(answer, PointFailure) and answer.buckled


def _set(answer: Spectrum | PointFailure) -> Spectrum | None:
    return None if isinstance(answer, PointFailure) else answer


def is_wanted(branch: Branch, sets: Sequence[Spectrum | None], design: Design) -> bool:
    """Whether the branch is anywhere among the modes the sheet asks for."""
    limit = request_for(design).up_to or 0.0
    return any(
        place >= 0 and (place < design.count or found.flexible[place] <= limit)
        for place, found in zip(branch.places, sets, strict=True)
        if found is not None
    )


def _looked_at(values: Sequence[float]) -> set[float]:
    """The points whose errors are told: the ends and the middle."""
    last = len(values) - 1
    return {values[round(share * last)] for share in _LOOKED_AT}


def _hardest(
    sheet: Sheet,
    knob: KnobValue,
    plan: SweepPlan,
    request: ModeRequest,
    workers: Executor,
    progress: Progress,
) -> Discretisation:
    """One discretisation for the whole sweep, fine enough for its ends."""
    ends = [knob.turned(value) for value in sorted({plan.values[0], plan.values[-1]})]
    middle = knob.turned(plan.values[len(plan.values) // 2])
    return one_for_all(sheet, ends, middle, request, workers, progress)


class _PointSolver:
    """Answers points of one sweep by its model or its workers; lives for that sweep."""

    def __init__(
        self,
        sheet: Sheet,
        knob: KnobValue,
        request: ModeRequest,
        discretisation: Discretisation,
        workers: Executor,
        store: ResultStore | None,
        progress: Progress,
        like: Turned,
        large: bool,
    ) -> None:
        self._sheet, self._knob, self._request = sheet, knob, request
        self._discretisation, self._like = discretisation, like
        self._store, self._progress = store, progress
        self._points: Points[float] = Points(workers, store, progress, onward=large)
        self.modelled: dict[float, Array] = {}  # errors of the model, where it answered
        self._model: ReducedModel | None = None

    @property
    def answers(self) -> Mapping[float, Spectrum | PointFailure]:
        """What is known, by the knob's value."""
        return self._points.answers

    @property
    def solutions(self) -> int:
        """How many designs were solved."""
        return self._points.solutions + (0 if self._model is None else self._model.solutions)

    def too_coarse(self, value: float) -> bool:
        """Whether the error told at a value is more than was asked for."""
        found = self.answers.get(value)
        if not isinstance(found, Spectrum):
            return False
        wanted = found.errors[: found.rigid_count + self._request.count]
        return bool(np.any(wanted > self._request.accuracy))

    def model_within(self, bound: float, values: Sequence[float]) -> None:
        """Have a model answer from now on, where it is within the bound and no value is known."""
        knob = self._knob
        ends = {knob.name: (values[0] * knob.scale, values[-1] * knob.scale)}
        parts = (self._sheet, ends, self._request, self._discretisation, bound)
        with contextlib.suppress(UnmodelledError):
            self._model = model_of(*parts, self._store, self._progress)

    def with_model_errors(
        self, values: Sequence[float], sets: Sequence[Spectrum | None]
    ) -> tuple[Spectrum | None, ...]:
        """Add to the errors of the discretisation those of the model."""
        return tuple(
            replace(found, errors=found.errors + self.modelled[value])
            if found is not None and value in self.modelled
            else found
            for value, found in zip(values, sets, strict=True)
        )

    def _from_model(self, value: float) -> bool:
        """Whether the model answers a value."""
        if self._model is None:
            return False
        found = self._model.at(value * self._knob.scale)
        if found is None or isinstance(found, PointFailure):
            return False  # failures are told by the exact solution
        self.modelled[value] = found.errors
        self._points.answers[value] = without_errors(found)
        return True

    def solve(self, values: Iterable[float], looked_at: Collection[float] = ()) -> None:
        """Answer the values not known yet, and tell the errors at some."""
        lacking = [value for value in values if value not in self.answers]
        asked = {value: self._point(value) for value in lacking if not self._from_model(value)}
        self._points.solve(asked, looked_at)

    def _point(self, value: float) -> Point:
        knob = self._knob
        settings = {knob.name: knob.exact_text(value)}
        parts = knob.turned(value), settings, self._request, self._discretisation, self._like
        return Point(self._sheet, *parts)


def without_errors(found: Spectrum) -> Spectrum:
    """The same with errors that are still to be told."""
    unknown = np.where(np.arange(len(found)) < found.rigid_count, 0.0, np.nan)
    return replace(found, errors=unknown)
