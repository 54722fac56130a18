"""Where branches of a sweep meet: crossings, and veerings with how close they come."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.modes.matching import assurance
from belltone.sweep.branches import Branch
from belltone.sweep.runner import Sweep

__all__ = ["Meeting", "meetings"]

Array = NDArray[np.float64]

_CLOSE: Final = 0.05  # of the frequency; farther apart two branches do not veer
_PAIR: Final = 1e-5  # of the frequency; nearer all along, two modes are a pair and never meet
_WIDE: Final = 2.0  # times the least gap; there shapes are plain again


@dataclass(frozen=True)
class Meeting:
    """Two branches (counted from 1) at a value of the knob, in its unit.

    ``closeness`` is how near their frequencies come, relative: nothing where they cross, their
    shapes kept; more where they veer away again with their shapes exchanged.
    """

    value: float
    frequency: float
    first: int
    second: int
    closeness: float

    @property
    def crosses(self) -> bool:
        """Whether they cross."""
        return self.closeness == 0


def meetings(sweep: Sweep) -> tuple[Meeting, ...]:
    """All crossings and veerings, in the order of the knob's values."""
    curves = [branch.curve(sweep.values) for branch in sweep.branches]
    found: list[Meeting] = []
    for one, other in itertools.combinations(range(len(curves)), 2):
        first, second = curves[one], curves[other]
        if first is None or second is None:
            continue
        found += _crossings(first, second, one, other)
        found += _veerings(sweep, first, second, (one, other))
    return tuple(sorted(found, key=lambda each: (each.value, each.first, each.second)))


def _crossings(
    first: scipy.interpolate.PchipInterpolator,
    second: scipy.interpolate.PchipInterpolator,
    one: int,
    other: int,
) -> Iterator[Meeting]:
    low, high = max(first.x[0], second.x[0]), min(first.x[-1], second.x[-1])
    if not low < high:
        return
    places = np.unique(np.concatenate([first.x, second.x]))
    places = places[(places >= low) & (places <= high)]
    apart = np.asarray(first(places) - second(places))
    if np.all(np.abs(apart) <= _PAIR * np.abs(first(places))):
        return  # a pair all along
    for at in np.flatnonzero(np.sign(apart[:-1]) * np.sign(apart[1:]) < 0):
        value = float(
            scipy.optimize.brentq(lambda x: float(first(x) - second(x)), places[at], places[at + 1])
        )
        yield Meeting(value, float(first(value)), one + 1, other + 1, 0.0)


def _veerings(
    sweep: Sweep,
    first: scipy.interpolate.PchipInterpolator,
    second: scipy.interpolate.PchipInterpolator,
    numbers: tuple[int, int],
) -> Iterator[Meeting]:
    """Where two branches come closest and go on with each other's shapes."""
    one, other = (sweep.branches[number] for number in numbers)
    known = np.flatnonzero(np.isfinite(one.frequencies) & np.isfinite(other.frequencies))
    gaps = np.abs(one.frequencies - other.frequencies)[known]
    for at in range(1, len(known) - 1):
        if not (gaps[at] <= gaps[at - 1] and gaps[at] < gaps[at + 1]):
            continue
        low, high = (float(sweep.values[known[beside]]) for beside in (at - 1, at + 1))
        least = scipy.optimize.minimize_scalar(
            lambda x: abs(float(first(x) - second(x))), bounds=(low, high), method="bounded"
        )
        closeness = float(least.fun) / float(first(least.x))
        if not _PAIR < closeness <= _CLOSE:
            continue
        wide = _WIDE * float(least.fun)
        before = next((own for own in range(at, -1, -1) if gaps[own] >= wide), 0)
        after = next((own for own in range(at, len(known)) if gaps[own] >= wide), len(known) - 1)
        if _exchanged(sweep, one, other, int(known[before]), int(known[after])):
            value = float(least.x)
            yield Meeting(value, float(first(value)), numbers[0] + 1, numbers[1] + 1, closeness)


def _exchanged(sweep: Sweep, one: Branch, other: Branch, before: int, after: int) -> bool:
    """Whether a branch has at one point the shape another had at an earlier one."""

    def shape(branch: Branch, at: int) -> NDArray[Any]:
        found = sweep.sets[at]
        assert found is not None
        return np.asarray(found.signatures[[found.rigid_count + branch.places[at]]])

    kept, swapped = (assurance(shape(one, before), shape(own, after)) for own in (one, other))
    return bool(swapped > kept)
