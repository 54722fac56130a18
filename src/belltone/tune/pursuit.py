"""One mode followed along a knob by as few solutions as will do, each telling its slope too."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass, field
from typing import Final

import numpy as np
import scipy

from belltone.design.values import KnobValue
from belltone.mesh.discretisation import Discretisation
from belltone.modes.failure import PointFailure
from belltone.modes.modeset import ModeSet
from belltone.modes.pairing import pair
from belltone.modes.request import ModeRequest
from belltone.progress import Progress
from belltone.sheet.document import Sheet
from belltone.sweep.branches import LOST, SURE
from belltone.sweep.pool import results_of
from belltone.sweep.work import PointWithSlopes, solve_with_slopes

__all__ = ["Pursuit", "Stand"]

_HALVINGS: Final = 8  # of a step across which the mode is not surely known again
_MARGIN: Final = 0.05  # of a gap, beside its ends
_TRUSTED: Final = 0.02  # of the change along a step; what a curve may be off in its middle


@dataclass(frozen=True)
class Stand:
    """The mode at one value of the knob (its unit): its frequency (Hz), slope and place there.

    ``slope`` (Hz for a unit of the knob) is no number where it is not known.
    """

    value: float
    frequency: float
    slope: float
    number: int
    modes: ModeSet


@dataclass
class Pursuit:
    """Follows a mode of a sheet over a range of a knob.

    ``stands`` are those found, by value. ``failures`` are values without an answer; ``unknown``
    those at which the mode was not surely among the answers.
    """

    sheet: Sheet
    knob: KnobValue
    request: ModeRequest
    workers: Executor
    progress: Progress
    stands: list[Stand] = field(default_factory=list)
    failures: dict[float, PointFailure] = field(default_factory=dict)
    unknown: dict[float, PointWithSlopes] = field(default_factory=dict)
    discretisation: Discretisation | None = None
    solved: int = 0

    def begin(self, choose: Callable[[ModeSet], int]) -> Stand | PointFailure:
        """Solve the design as it stands to its accuracy; ``choose`` says which mode is followed."""
        (answer,) = self._solve([self.knob.value], told=True)
        if isinstance(answer, PointFailure):
            return answer
        self.discretisation = answer.modes.discretisation
        return self._take(self.knob.value, answer, choose(answer.modes))

    def look(self, values: Iterable[float], told: bool = False) -> None:
        """Solve at some values and find the mode there by what is known nearest to each."""
        fresh = [value for value in values if value not in self._values()]
        for value, answer in zip(fresh, self._solve(fresh, told), strict=True):
            if isinstance(answer, PointFailure):
                self.failures[value] = answer
            elif not self._link(value, answer, SURE):
                self.unknown[value] = answer

    def close_gaps(self, target: float) -> Iterator[None]:
        """Look into gaps to what is not surely known, as often as there is need.

        Where the tangent of the stand beside a gap meets the target (Hz) within it, there, else
        half-way; first where it does, then nearest to the knob's value.
        """
        for _ in range(_HALVINGS):
            looks = []
            for low, high in itertools.pairwise(sorted(self._values())):
                ends = self.at(low), self.at(high)
                stand = ends[0] or ends[1]
                if stand is None or None not in ends:
                    continue
                ahead = self.ahead(stand, target)
                meets = low + _MARGIN * (high - low) < ahead < high - _MARGIN * (high - low)
                value = ahead if meets else 0.5 * (low + high)
                looks.append((not meets, abs(value - self.knob.value), value))
            for _, _, value in sorted(looks):
                self.look([value])
                for other in sorted(self.unknown, key=lambda each: abs(each - value)):
                    if self._link(other, self.unknown[other], SURE):
                        del self.unknown[other]
                yield
        # However close one looks, the shape changes over: what is most alike goes on.
        if self.take_doubtful():
            yield

    def take_doubtful(self) -> bool:
        """Take what is most alike for the mode where it is not surely known; whether any was."""
        taken = [self._link(value, self.unknown.pop(value), LOST) for value in list(self.unknown)]
        return any(taken)

    def check_curves(self) -> Iterator[None]:
        """Look into the middle of every step whose curve is not yet known to be true there."""
        trusted: set[tuple[float, float]] = set()
        for _ in range(_HALVINGS):
            doubtful = [
                (low, high) for low, high in self.steps() if (low.value, high.value) not in trusted
            ]
            if not doubtful:
                return
            for low, high in doubtful:
                middle = 0.5 * (low.value + high.value)
                foreseen = float(curve(low, high)(middle))
                self.look([middle])
                found = self.at(middle)
                room = abs(high.frequency - low.frequency) + abs(foreseen - low.frequency)
                if found is None or abs(found.frequency - foreseen) <= _TRUSTED * room:
                    trusted |= {(low.value, middle), (middle, high.value), (low.value, high.value)}
                yield

    def steps(self) -> list[tuple[Stand, Stand]]:
        """Neighbouring stands between which the mode is known, from the knob's value outwards."""
        found = [
            (low, high)
            for low, high in itertools.pairwise(self.stands)
            if not any(low.value < value < high.value for value in (*self.failures, *self.unknown))
        ]
        return sorted(
            found, key=lambda step: min(abs(each.value - self.knob.value) for each in step)
        )

    def again(self, stand: Stand, finer: bool) -> Stand:
        """Solve at a stand once more and tell its error; to the accuracy asked for if ``finer``."""
        if finer:
            self.discretisation = None
        (answer,) = self._solve([stand.value], told=True)
        if isinstance(answer, PointFailure):
            return stand
        self.discretisation = answer.modes.discretisation
        partners, _ = pair(stand.modes, answer.modes, [stand.number])
        self.stands = [each for each in self.stands if each is not stand]
        return self._take(stand.value, answer, int(partners[0]))

    def slope(self, stand: Stand) -> float:
        """How steep the mode is at a stand, read off the nearest one where it was not told."""
        others = [each for each in self.stands if each is not stand]
        if np.isfinite(stand.slope) or not others:
            return stand.slope
        near = min(others, key=lambda each: abs(each.value - stand.value))
        return (near.frequency - stand.frequency) / (near.value - stand.value)

    def ahead(self, stand: Stand, target: float) -> float:
        """Where the tangent of a stand meets a frequency (Hz); no number where it does not."""
        slope = self.slope(stand)
        return stand.value + (target - stand.frequency) / slope if slope else np.nan

    def at(self, value: float) -> Stand | None:
        """The mode at a value looked at, if it is known there."""
        return next((stand for stand in self.stands if stand.value == value), None)

    def _values(self) -> set[float]:
        return {*(stand.value for stand in self.stands), *self.failures, *self.unknown}

    def _nearest(self, value: float) -> Stand:
        return min(self.stands, key=lambda stand: abs(stand.value - value))

    def _solve(self, values: Sequence[float], told: bool) -> list[PointWithSlopes | PointFailure]:
        self.progress.report(self.solved, self.solved + len(values), f"{self.knob.name}: modes")
        futures = [
            self.workers.submit(
                solve_with_slopes,
                self.sheet.text,
                self.knob.turned(value),
                self.knob.name,
                self.request,
                self.discretisation,
                self.sheet.folder,
                told,
            )
            for value in values
        ]
        self.solved += len(values)
        return results_of(futures, self.progress)

    def _link(self, value: float, answer: PointWithSlopes, sure: float) -> bool:
        near = self._nearest(value)
        ahead = near.frequency
        if np.isfinite(near.slope):
            ahead = max(ahead + near.slope * (value - near.value), 0.1 * ahead)
        if not len(answer.modes.flexible):
            return False
        partners, certainty = pair(near.modes, answer.modes, [near.number], np.array([ahead]))
        if partners[0] < 0 or certainty[0] < sure:
            return False
        self._take(value, answer, int(partners[0]))
        return True

    def _take(self, value: float, answer: PointWithSlopes, number: int) -> Stand:
        slope = float(answer.slopes[number]) * self.knob.scale
        stand = Stand(value, float(answer.modes.flexible[number]), slope, number, answer.modes)
        self.stands = sorted([*self.stands, stand], key=lambda each: each.value)
        return stand


def curve(low: Stand, high: Stand) -> scipy.interpolate.CubicHermiteSpline:
    """The cubic through two stands with their slopes, straight where one has none."""
    values, frequencies = [low.value, high.value], [low.frequency, high.frequency]
    secant = (high.frequency - low.frequency) / (high.value - low.value)
    slopes = [each.slope if np.isfinite(each.slope) else secant for each in (low, high)]
    return scipy.interpolate.CubicHermiteSpline(values, frequencies, slopes)
