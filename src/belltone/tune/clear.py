"""The clear intervals of a knob: where no branch stands in any band or its margin."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy

from belltone.design.values import BandValue
from belltone.progress import Progress
from belltone.sweep.branches import Branch
from belltone.sweep.runner import Sweep, frequency_near
from belltone.tune.bands import forbidden
from belltone.tune.roots import root_between

__all__ = ["BandVisit", "ClearInterval", "band_visits", "clear_intervals"]

_EDGE: Final = 1e-4  # edges are found to this share of the swept range


@dataclass(frozen=True)
class ClearInterval:
    """Values of the knob, in its unit, between which every band is clear."""

    start: float
    stop: float

    def clamp(self, value: float, inset: float = 0.02) -> float:
        """The value of this interval nearest to ``value``, a little inside, with few digits."""
        room = inset * (self.stop - self.start)
        nearest = min(max(value, self.start + room), self.stop - room)
        rounded = (float(f"{nearest:.{digits}g}") for digits in range(3, 17))
        return next((each for each in rounded if self.start <= each <= self.stop), nearest)


@dataclass(frozen=True)
class BandVisit:
    """A branch that stands in a band (or only its margin) over part of the knob's range."""

    branch: int
    band: str
    start: float
    stop: float
    margin_only: bool


@dataclass(frozen=True)
class _Edge:
    value: float
    branch: Branch
    level: float


def clear_intervals(
    sweep: Sweep,
    bands: Sequence[BandValue],
    margin: float,
    workers: Executor | None,
    progress: Progress | None = None,
) -> tuple[ClearInterval, ...]:
    """Find the clear intervals; their inner edges are solved for, not read off the curves.

    Without ``workers`` nothing is solved, and they are. Where a point has no answer, the steps on
    both sides of it do not count as clear.
    """
    progress = progress or Progress()
    edges = _edges(sweep, bands, margin)
    low, high = float(sweep.values[0]), float(sweep.values[-1])
    cuts = sorted({low, high, *(edge.value for edge in edges), *_gaps(sweep)})
    by_value = {edge.value: edge for edge in edges}
    pieces: list[tuple[float, float]] = []
    for start, stop in itertools.pairwise(cuts):
        if not _is_clear(sweep, bands, margin, 0.5 * (start + stop)):
            continue
        if pieces and pieces[-1][1] == start:
            pieces[-1] = (pieces[-1][0], stop)
        else:
            pieces.append((start, stop))
    exact: list[ClearInterval] = []
    for start, stop in pieces:
        progress.check()
        left, right = (
            _exact(sweep, by_value[value], workers, progress)
            if value in by_value and workers is not None
            else value
            for value in (start, stop)
        )
        if left < right:
            exact.append(ClearInterval(left, right))
    return tuple(exact)


def band_visits(sweep: Sweep, bands: Sequence[BandValue], margin: float) -> tuple[BandVisit, ...]:
    """List which branch stands in which band or margin, and over which values of the knob."""
    visits: list[BandVisit] = []
    for number, branch in enumerate(sweep.branches, start=1):
        curve = branch.curve(sweep.values)
        if curve is None:
            continue
        for band in (each for each in bands if each.shakes(branch.kind, branch.swing)):
            below, above = forbidden(band, margin)
            cuts = _cuts(curve, (below, above))
            for start, stop in itertools.pairwise(cuts):
                if below < float(curve(0.5 * (start + stop))) < above:
                    grid = curve(np.linspace(start, stop, 200))
                    hit = bool(np.any((grid >= band.low) & (grid <= band.high)))
                    visits.append(BandVisit(number, band.name, start, stop, not hit))
    return tuple(visits)


def _cuts(curve: scipy.interpolate.PchipInterpolator, levels: tuple[float, float]) -> list[float]:
    """The ends of a curve and where it meets the levels, ascending."""
    roots = [np.atleast_1d(curve.solve(level, extrapolate=False)) for level in levels]
    inner = [float(root) for found in roots for root in found if np.isfinite(root)]
    return sorted({float(curve.x[0]), float(curve.x[-1]), *inner})


def _edges(sweep: Sweep, bands: Sequence[BandValue], margin: float) -> list[_Edge]:
    edges: list[_Edge] = []
    for branch in sweep.branches:
        curve = branch.curve(sweep.values)
        if curve is None:
            continue
        shaking = [band for band in bands if band.shakes(branch.kind, branch.swing)]
        for level in {level for band in shaking for level in forbidden(band, margin)}:
            roots = np.atleast_1d(curve.solve(level, extrapolate=False))
            edges += [_Edge(float(root), branch, level) for root in roots if np.isfinite(root)]
    return edges


def _gaps(sweep: Sweep) -> list[float]:
    """Known values beside points without an answer."""
    beside: list[float] = []
    for index, found in enumerate(sweep.sets):
        if found is None:
            beside += [
                float(sweep.values[at])
                for at in (index - 1, index + 1)
                if 0 <= at < len(sweep.sets)
            ]
    return beside


def _is_clear(sweep: Sweep, bands: Sequence[BandValue], margin: float, value: float) -> bool:
    after = int(np.searchsorted(sweep.values, value))
    if sweep.sets[after] is None or sweep.sets[after - 1] is None:
        return False
    for branch in sweep.branches:
        curve = branch.curve(sweep.values)
        frequency = float(curve(value)) if curve is not None else np.nan
        if not np.isfinite(frequency):
            continue
        for band in (each for each in bands if each.shakes(branch.kind, branch.swing)):
            below, above = forbidden(band, margin)
            if below < frequency < above:
                return False
    return True


def _exact(sweep: Sweep, edge: _Edge, workers: Executor, progress: Progress) -> float:
    """Solve for the value at which the branch really meets the level, near the curve's answer."""
    after = int(np.clip(np.searchsorted(sweep.values, edge.value), 1, len(sweep.values) - 1))
    low, high = float(sweep.values[after - 1]), float(sweep.values[after])
    tolerance = _EDGE * float(sweep.values[-1] - sweep.values[0])

    def distance(value: float) -> float:
        found = frequency_near(sweep, edge.branch, value, workers, progress)
        if found is None:
            raise LookupError
        return found[0] - edge.level

    try:
        ends = [(value, distance(value)) for value in (low, high)]
        if ends[0][1] * ends[1][1] > 0:
            return edge.value  # it touches the level and turns back within the step
        return root_between(distance, ends[0], ends[1], edge.value, tolerance)
    except LookupError:
        return edge.value
