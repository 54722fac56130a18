"""Reach: the value of a knob that brings a chosen mode to a frequency."""

from __future__ import annotations

import itertools
from concurrent.futures import Executor
from dataclasses import dataclass
from typing import Final

import numpy as np

from belltone.design.values import KnobValue
from belltone.errors import UserError
from belltone.modes.pairing import pair
from belltone.modes.solve import request_for, solve_modes
from belltone.progress import Progress
from belltone.reading.evaluate import evaluate
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore
from belltone.sweep.branches import Branch
from belltone.sweep.plan import PlanError, SweepPlan, default_plan, turnable
from belltone.sweep.runner import Sweep, frequency_near, run_sweep
from belltone.tune.roots import root_between

__all__ = ["Reach", "ReachError", "reach"]

_POINTS: Final = 17  # enough to see every turn of a branch; answers are then solved for
_MOST_DIGITS: Final = 12
_NEARLY: Final = 0.7  # of the tolerance, which rounding may take by the slope of the curve


class ReachError(UserError):
    """A frequency that cannot be reached as asked for."""


@dataclass(frozen=True)
class Reach:
    """The answer: knob value (its unit), the frequency there (Hz), and the mode's new number.

    ``text`` is the value as it goes into the sheet, and ``frequency`` was solved at that text.
    ``others`` are further values that reach the target too.
    """

    knob: KnobValue
    value: float
    text: str
    frequency: float
    number: int
    others: tuple[float, ...]
    sheet: Sheet


def reach(
    sheet: Sheet,
    number: int,
    target: float,
    knob_name: str,
    workers: Executor,
    tolerance: float | None = None,
    within: tuple[float, float] | None = None,
    store: ResultStore | None = None,
    progress: Progress | None = None,
) -> Reach:
    """Bring flexible mode ``number`` to ``target`` (Hz) within ``tolerance`` (Hz; 0.01 % if none).

    The mode is followed by shape over the knob's range (or ``within``, in the knob's unit).
    Raises `ReachError` when no value does it, naming the frequencies the range can reach;
    `PlanError` for a knob that cannot be turned.
    """
    progress = progress or Progress()
    design = evaluate(sheet)
    knob = turnable(design, knob_name)
    if not target > 0:
        raise ReachError("the target must be a frequency above 0 Hz")
    tolerance = 1e-4 * target if tolerance is None else tolerance
    if not tolerance > 0:
        raise ReachError("the tolerance must be a frequency above 0 Hz")
    plan = _plan(knob, within)
    sweep = run_sweep(sheet, plan, workers, store, progress)
    branch = _branch_of(sweep, sheet, number)
    roots = _roots(sweep, branch, target, tolerance, progress)
    if not roots:
        raise ReachError(_out_of_range(sweep, branch, number, target))
    best = min(roots, key=lambda root: abs(root - knob.value))
    text, frequency, place = _written(sweep, branch, knob, best, target, tolerance)
    return Reach(
        knob,
        best,
        text,
        frequency,
        place + 1,
        tuple(root for root in roots if root != best),
        sheet.with_value(("knobs", knob_name, "value"), text),
    )


def _plan(knob: KnobValue, within: tuple[float, float] | None) -> SweepPlan:
    if within is None:
        plan = default_plan(knob, _POINTS)
    else:
        if not within[0] < within[1]:
            raise PlanError("the range to search must end above its start")
        values = np.linspace(within[0], within[1], _POINTS)
        plan = SweepPlan(knob.name, tuple(float(value) for value in values))
    # The design as it stands is a point too, so that its mode number names a branch.
    return SweepPlan(knob.name, tuple(sorted({*plan.values, knob.value})))


def _branch_of(sweep: Sweep, sheet: Sheet, number: int) -> Branch:
    """The branch that is mode ``number`` of the design as it stands."""
    here = int(np.flatnonzero(sweep.values == sweep.knob.value)[0])
    found = sweep.sets[here]
    if found is None:
        raise ReachError("the design as it stands has no answer")
    design = evaluate(sheet)
    own = solve_modes(design, request_for(design))
    if not 1 <= number <= len(own.flexible):
        raise ReachError(f"there is no mode {number}; there are modes 1 to {len(own.flexible)}")
    partners, _ = pair(own, found, [number - 1])
    for branch in sweep.branches:
        if branch.places[here] == partners[0]:
            return branch
    raise ReachError(f"mode {number} could not be followed over the range of “{sweep.knob.name}”")


def _roots(
    sweep: Sweep, branch: Branch, target: float, tolerance: float, progress: Progress
) -> list[float]:
    """Solve for every crossing of the target between neighbouring points of the sweep."""
    known = np.flatnonzero(np.isfinite(branch.frequencies))
    roots: list[float] = [
        float(sweep.values[index])
        for index in known
        if abs(branch.frequencies[index] - target) <= 0.1 * tolerance
    ]

    def distance(value: float) -> float:
        progress.check()
        found = frequency_near(sweep, branch, value)
        if found is None:
            raise LookupError
        return found[0] - target

    curve = branch.curve(sweep.values)
    crossings = [] if curve is None else list(curve.solve(target, extrapolate=False))
    for first, second in itertools.pairwise(known):
        before, after = branch.frequencies[first] - target, branch.frequencies[second] - target
        if before * after >= 0:
            continue
        low, high = float(sweep.values[first]), float(sweep.values[second])
        # The step in the knob that moves the frequency by a tenth of the tolerance.
        step = 0.1 * tolerance * (high - low) / max(abs(after - before), tolerance)
        guess = next((float(root) for root in crossings if low < root < high), 0.5 * (low + high))
        try:
            root = root_between(distance, (low, before), (high, after), guess, step)
        except LookupError:
            continue
        if all(abs(root - other) > 10 * step for other in roots):
            roots.append(root)
    return sorted(roots)


def _written(
    sweep: Sweep,
    branch: Branch,
    knob: KnobValue,
    value: float,
    target: float,
    tolerance: float,
) -> tuple[str, float, int]:
    """Round the value to as few digits as still meet the tolerance, solved at the rounded value."""
    low, high = float(sweep.values[0]), float(sweep.values[-1])
    curve = branch.curve(sweep.values)
    steepness = 0.0 if curve is None else abs(float(curve.derivative()(value)))
    for digits in range(4, _MOST_DIGITS + 1):
        rounded = float(f"{value:.{digits}g}")
        if not low <= rounded <= high or steepness * abs(rounded - value) > _NEARLY * tolerance:
            continue
        found = frequency_near(sweep, branch, rounded)
        if found is not None and abs(found[0] - target) <= tolerance:
            return knob.exact_text(rounded), found[0], found[2]
    raise ReachError(
        f"{target:g} Hz lies within reach, but not to {tolerance:g} Hz; the mode moves too "
        f"steeply with “{knob.name}” there. Allow a larger tolerance"
    )


def _out_of_range(sweep: Sweep, branch: Branch, number: int, target: float) -> str:
    low, high = np.nanargmin(branch.frequencies), np.nanargmax(branch.frequencies)
    knob = sweep.knob
    return (
        f"mode {number} does not reach {target:g} Hz between "
        f"{knob.text(float(sweep.values[0]))} and {knob.text(float(sweep.values[-1]))} of "
        f"“{knob.name}”: it goes from {branch.frequencies[low]:.4g} Hz "
        f"(at {knob.text(float(sweep.values[low]))}) to {branch.frequencies[high]:.4g} Hz "
        f"(at {knob.text(float(sweep.values[high]))})"
    )
