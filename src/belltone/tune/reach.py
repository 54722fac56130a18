"""Reach: the value of a knob that brings a chosen mode to a frequency."""

from __future__ import annotations

import itertools
from concurrent.futures import Executor
from dataclasses import dataclass
from typing import Final

import numpy as np

from belltone.design.values import Design, KnobValue
from belltone.errors import UserError
from belltone.modes.failure import PointFailure
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import request_for
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sweep.plan import PlanError, turnable
from belltone.tune.pursuit import Pursuit, Stand, curve

__all__ = ["Reach", "ReachError", "reach"]

_EXTRA_MODES: Final = 4  # found beyond those asked for, so that modes may change stands
_LEAST_DIGITS: Final = 4
_MOST_DIGITS: Final = 12
_ROUNDING: Final = 0.3  # of the tolerance, which rounding the value may take
_GUESSED_DIGITS: Final = 6
_NEAR: Final = 0.02  # of the target; a guess so near is gone on from
_MOST: Final = 40  # steps; halving alone would have settled every bracket by then
_REFINEMENTS: Final = 6  # solutions until a value found is as exact as asked
_ONE: Final = 1e-3  # of the range; roots nearer than this are one
_SLOW: Final = 0.5  # a bracket that two steps have not shrunk by so much is halved


class ReachError(UserError):
    """A frequency that cannot be reached as asked for."""


@dataclass(frozen=True)
class Reach:
    """The answer: knob value (its unit), the frequency there (Hz), and the mode's new number.

    ``text`` is the value as it goes into the sheet, and ``frequency`` was solved at that text.
    ``others`` are further values near which the mode reaches the target too, read off its curve.
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
    progress: Progress | None = None,
    guess: float | None = None,
) -> Reach:
    """Bring flexible mode ``number`` to ``target`` (Hz) within ``tolerance`` (Hz; 0.01 % if none).

    The mode is followed by shape over the knob's range (or ``within``, in the knob's unit), with
    the discretisation that the design as it stands needs. A ``guess`` of the value, from a model,
    is tried first, and where the mode stands near its target there nothing else is. Raises
    `ReachError` when no value does it, naming the frequencies the range can reach; `PlanError` for
    a knob that cannot be turned.
    """
    design = evaluate(sheet)
    knob = turnable(design, knob_name)
    if not target > 0:
        raise ReachError("the target must be a frequency above 0 Hz")
    tolerance = 1e-4 * target if tolerance is None else tolerance
    if not tolerance > 0:
        raise ReachError("the tolerance must be a frequency above 0 Hz")
    low, high = knob.range if within is None else within
    if not low < high:
        raise PlanError(
            f"“{knob.name}” is zero and has no range; state its “from” and “to”"
            if within is None
            else "the range to search must end above its start"
        )
    request = request_for(design, _EXTRA_MODES)
    pursuit = Pursuit(sheet, knob, request, workers, progress or Progress())
    search = _Search(pursuit, number, target, tolerance, design, (low, high), guess)
    found = search.found()
    text = knob.exact_text(found.value)
    return Reach(
        knob,
        found.value,
        text,
        found.frequency,
        found.number + 1 + found.modes.skipped,
        search.others(found.value),
        sheet.with_value(("knobs", knob_name, "value"), text),
    )


@dataclass(frozen=True)
class _Search:
    """Looks where a mode followed stands at its target, within a range of the knob."""

    pursuit: Pursuit
    number: int
    target: float
    tolerance: float
    design: Design
    ends: tuple[float, float]
    guess: float | None = None

    def found(self) -> Stand:
        """The stand at which the target is met; where several are, of the step nearest by."""
        pursuit = self.pursuit
        here = pursuit.begin(self._chosen)
        if isinstance(here, PointFailure):
            raise ReachError(f"the design as it stands has no answer: {here.detail}")
        if self._met(here) and self.ends[0] <= here.value <= self.ends[1]:
            return here
        if (stand := self._guessed()) is not None:
            return self._accurate(stand)
        pursuit.look(self.ends)
        for _ in itertools.chain([None], pursuit.close_gaps(self.target), pursuit.check_curves()):
            if (found := self._in_a_step()) is not None:
                return self._accurate(found)
        raise ReachError(self._out_of_range())

    def _guessed(self) -> Stand | None:
        """The stand at the guess, where that is near the target."""
        if self.guess is None or not self.ends[0] <= self.guess <= self.ends[1]:
            return None
        tried = float(f"{self.guess:.{_GUESSED_DIGITS}g}")
        self.pursuit.look([tried], told=True)
        stand = self.pursuit.at(tried)
        if stand is None or abs(stand.frequency / self.target - 1) > _NEAR:
            return None
        return stand

    def others(self, found: float) -> tuple[float, ...]:
        """Where else the curves through all stands known meet the target.

        What is only likely to be the mode counts here too.
        """
        self.pursuit.take_doubtful()
        roots = [root for low, high in self._steps() for root in self._crossings(low, high)]
        apart = _ONE * (self.ends[1] - self.ends[0])
        return tuple(sorted(root for root in roots if abs(root - found) > apart))

    def _chosen(self, modes: ModeSet) -> int:
        limit = self.pursuit.request.up_to or 0.0
        known = max(self.design.count, int(np.count_nonzero(modes.flexible <= limit)))
        known = min(known, len(modes.flexible))
        place = self.number - 1 - modes.skipped
        if not 0 <= place < known:
            first, last = modes.skipped + 1, modes.skipped + known
            raise ReachError(f"there is no mode {self.number}; there are modes {first} to {last}")
        return place

    def _steps(self) -> list[tuple[Stand, Stand]]:
        low, high = self.ends
        return [
            step for step in self.pursuit.steps() if low <= step[0].value and step[1].value <= high
        ]

    def _in_a_step(self) -> Stand | None:
        for low, high in self._steps():
            if (low.frequency - self.target) * (high.frequency - self.target) <= 0:
                found = self._between(low, high)
                if found is not None:
                    return found
            elif len(crossings := self._crossings(low, high)) > 1:
                # The curve turns beyond the target and comes back.
                self.pursuit.look([0.5 * (crossings[0] + crossings[1])])
        return None

    def _crossings(self, low: Stand, high: Stand) -> list[float]:
        roots = curve(low, high).solve(self.target, extrapolate=False)
        return [float(root) for root in roots if np.isfinite(root)]

    def _between(self, low: Stand, high: Stand) -> Stand | None:
        """Newton's steps on the curve through both ends, halved where they are slow.

        ``None`` where the mode is lost on the way.
        """
        widths: list[float] = []
        for step in range(_MOST):
            for end in (low, high):
                if self._met(end):
                    return end
            widths.append(high.value - low.value)
            inside = [root for root in self._crossings(low, high) if low.value < root < high.value]
            if not inside or (len(widths) > 2 and widths[-1] > _SLOW * widths[-3]):
                tried = 0.5 * (low.value + high.value)
            else:
                best = min(inside, key=lambda root: abs(root - self.pursuit.knob.value))
                steep = abs(float(curve(low, high).derivative()(best)))
                tried = self._short(best, steep, (low.value, high.value))
            self.pursuit.look([tried], told=step > 0)
            found = self.pursuit.at(tried)
            if found is None:
                return None
            if (found.frequency - self.target) * (low.frequency - self.target) > 0:
                low = found
            else:
                high = found
        raise self._too_steep()

    def _short(self, value: float, steep: float, ends: tuple[float, float]) -> float:
        """A value between two ends with as few digits as the tolerance allows."""
        for digits in range(_LEAST_DIGITS, _MOST_DIGITS + 1):
            short = float(f"{value:.{digits}g}")
            if (
                ends[0] < short < ends[1]
                and steep * abs(short - value) <= _ROUNDING * self.tolerance
            ):
                return short
        raise self._too_steep()

    def _accurate(self, found: Stand) -> Stand:
        """The same as accurate as the sheet asks for, which may take a finer discretisation."""
        pursuit = self.pursuit
        for _ in range(_REFINEMENTS):
            error = found.modes.errors[found.modes.rigid_count + found.number]
            if not error <= self.design.accuracy:
                # Where the error was not told, the discretisation may well do.
                found = pursuit.again(found, finer=not np.isnan(error))
            elif self._met(found):
                return found
            else:
                ahead = pursuit.ahead(found, self.target)
                tried = self._short(ahead, abs(pursuit.slope(found)), self.ends)
                pursuit.look([tried], told=True)
                stand = pursuit.at(tried)
                if stand is None:
                    break
                found = stand
        raise self._too_steep()

    def _met(self, stand: Stand) -> bool:
        return abs(stand.frequency - self.target) <= self.tolerance

    def _too_steep(self) -> ReachError:
        return ReachError(
            f"{self.target:g} Hz lies within reach, but not to {self.tolerance:g} Hz; the mode "
            f"moves too steeply with “{self.pursuit.knob.name}” there. Allow a larger tolerance"
        )

    def _out_of_range(self) -> str:
        knob = self.pursuit.knob
        inside = [
            stand for stand in self.pursuit.stands if self.ends[0] <= stand.value <= self.ends[1]
        ]
        if len(inside) < 2:
            return f"mode {self.number} could not be followed over the range of “{knob.name}”"
        low = min(inside, key=lambda stand: stand.frequency)
        high = max(inside, key=lambda stand: stand.frequency)
        return (
            f"mode {self.number} does not reach {self.target:g} Hz between "
            f"{knob.text(inside[0].value)} and {knob.text(inside[-1].value)} of "
            f"“{knob.name}”: it goes from {low.frequency:.4g} Hz (at {knob.text(low.value)}) "
            f"to {high.frequency:.4g} Hz (at {knob.text(high.value)})"
        )
