"""Branches: modes followed by shape from one value of a knob to the next."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.modes.modeset import Spectrum
from belltone.modes.pairing import pair

__all__ = ["LOST", "SURE", "Branch", "follow", "poor_steps", "with_errors"]

Array = NDArray[np.float64]

SURE: Final = 0.85
"""Assurance below which a step is halved to look closer."""
LOST: Final = 0.3
"""Assurance below which a branch ends and another begins."""
_TOP: Final = 2  # so many modes at the top of a list may leave or enter it unseen


@dataclass(frozen=True)
class Branch:
    """One mode along the sweep.

    ``places`` gives its place among the flexible modes at each value (-1 where it is not among
    those found), ``frequencies`` its frequency there (NaN likewise). ``certainty`` is the lowest
    assurance met between neighbouring values, ``veers`` the values beside which it stayed poor
    however close we looked: there the shape changes over. ``swing`` are its largest effective
    masses along x, y and z, as shares of the whole.
    """

    places: tuple[int, ...]
    frequencies: Array
    kind: str
    certainty: float
    veers: tuple[float, ...]
    swing: tuple[float, ...] | None = None

    def curve(self, values: Array) -> scipy.interpolate.PchipInterpolator | None:
        """Frequency over the knob where the branch is known, or ``None`` for a single point."""
        known = np.isfinite(self.frequencies)
        if np.count_nonzero(known) < 2:
            return None
        return scipy.interpolate.PchipInterpolator(
            values[known], self.frequencies[known], extrapolate=False
        )


def poor_steps(values: Sequence[float], sets: Sequence[Spectrum | None]) -> list[int]:
    """Return the steps (their first index) across which some mode is not surely recognised."""
    poor: list[int] = []
    for index in range(len(values) - 1):
        first, second = sets[index], sets[index + 1]
        if first is None or second is None:
            continue
        _, certainty = pair(first, second)
        watched = certainty[: max(1, len(certainty) - _TOP)]
        if len(watched) and watched.min() < SURE:
            poor.append(index)
    return poor


def follow(
    values: Sequence[float], sets: Sequence[Spectrum | None], now: float
) -> tuple[Branch, ...]:
    """Follow every mode through all values; points without an answer are stepped over.

    A branch has the kind it has nearest to ``now``, the knob's value in the sheet.
    """
    trails: list[_Trail] = []
    previous: int | None = None
    for index, found in enumerate(sets):
        if found is None:
            continue
        taken: set[int] = set()
        if previous is not None:
            before = sets[previous]
            assert before is not None
            open_trails = [trail for trail in trails if trail.places.get(previous, -1) >= 0]
            expected = np.array([trail.foreseen(values, index) for trail in open_trails])
            order = [trail.places[previous] for trail in open_trails]
            partners, certainty = pair(before, found, order, expected)
            for trail, partner, sure in zip(open_trails, partners, certainty, strict=True):
                if partner >= 0 and sure >= LOST:
                    trail.add(index, int(partner), float(found.flexible[partner]), float(sure))
                    taken.add(int(partner))
                    if sure < SURE:
                        trail.veers.append(values[index])
        for place in range(len(found.flexible)):
            if place not in taken:
                trail = _Trail()
                trail.add(index, place, float(found.flexible[place]), 1.0)
                trails.append(trail)
        previous = index
    return tuple(trail.branch(values, sets, now) for trail in trails)


def with_errors(
    values: Sequence[float], sets: Sequence[Spectrum | None], branches: Sequence[Branch]
) -> tuple[Spectrum | None, ...]:
    """Give every point the errors its branches have where they were told.

    Between two such points the larger of both counts, beyond them the nearest; a branch too short
    to have one gets the largest of all.
    """
    errors = [None if found is None else found.errors.copy() for found in sets]
    most = max(
        (float(np.nanmax(own)) for own in errors if own is not None and np.isfinite(own).any()),
        default=np.nan,
    )
    for branch in branches:
        told = [
            (index, float(errors[index][found.rigid_count + place]))  # type: ignore[index]
            for index, (found, place) in enumerate(zip(sets, branch.places, strict=True))
            if found is not None and place >= 0
        ]
        known = [(index, error) for index, error in told if np.isfinite(error)]
        for index, error in told:
            if np.isfinite(error):
                continue
            found, own = sets[index], errors[index]
            assert found is not None
            assert own is not None
            before = [each for at, each in known if at < index][-1:]
            after = [each for at, each in known if at > index][:1]
            own[found.rigid_count + branch.places[index]] = max(before + after, default=most)
    return tuple(
        None if found is None or own is None else replace(found, errors=own)
        for found, own in zip(sets, errors, strict=True)
    )


class _Trail:
    """A branch while it is being followed."""

    def __init__(self) -> None:
        self.places: dict[int, int] = {}
        self.frequencies: dict[int, float] = {}
        self.certainty = 1.0
        self.veers: list[float] = []

    def add(self, index: int, place: int, frequency: float, certainty: float) -> None:
        self.places[index] = place
        self.frequencies[index] = frequency
        self.certainty = min(self.certainty, certainty)

    def foreseen(self, values: Sequence[float], index: int) -> float:
        """Carry the last slope on to the next value."""
        known = sorted(self.frequencies)
        last = known[-1]
        if len(known) < 2:
            return self.frequencies[last]
        before = known[-2]
        slope = (self.frequencies[last] - self.frequencies[before]) / (
            values[last] - values[before]
        )
        ahead = self.frequencies[last] + slope * (values[index] - values[last])
        return max(ahead, 0.1 * self.frequencies[last])

    def branch(
        self, values: Sequence[float], sets: Sequence[Spectrum | None], now: float
    ) -> Branch:
        nearest = min(self.places, key=lambda index: abs(values[index] - now))
        found = sets[nearest]
        assert found is not None
        return Branch(
            tuple(self.places.get(index, -1) for index in range(len(values))),
            np.array([self.frequencies.get(index, np.nan) for index in range(len(values))]),
            found.kinds[found.rigid_count + self.places[nearest]],
            self.certainty,
            tuple(self.veers),
            self._swing(sets),
        )

    def _swing(self, sets: Sequence[Spectrum | None]) -> tuple[float, ...]:
        """What shakes it anywhere counts as shaking all of it."""
        rows = [
            own.swings[own.rigid_count + place]
            for index, place in self.places.items()
            if (own := sets[index]) is not None
        ]
        return tuple(np.max(rows, axis=0).tolist())
