"""Lines and circles inside a domain along which its elements are to end."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.outlines import between_rims

__all__ = ["Ring", "Seam", "SeamPoints", "circle_through", "cut_seams", "knots", "stretches"]

Array = NDArray[np.float64]
Point = tuple[float, float]

_BY_RIMS: Final = 2.0  # times how far short of a rim; a stretch so long is parted off there
_SAME: Final = 1e-6  # of a line; so near two places on it are one
_ROUND: Final = 1e-4  # of its radius; a circle's points lie so near to it
_NEAR: Final = 0.5  # of its radius; they are no further from each other


@dataclass(frozen=True)
class Seam:
    """A line between two points of a plane (m); ``inner`` ends stand inside, others on a rim."""

    start: Point
    stop: Point
    inner: tuple[bool, bool]


@dataclass(frozen=True)
class Ring:
    """A circle in a plane (m)."""

    centre: Point
    radius: float


@dataclass(frozen=True, eq=False)
class SeamPoints:
    """Points ``(n, 2)`` along lines, and for each line the numbers of its own, in order."""

    points: Array
    chains: tuple[tuple[int, ...], ...]

    @property
    def edges(self) -> list[tuple[int, int]]:
        """Neighbouring points of all lines."""
        return [pair for chain in self.chains for pair in itertools.pairwise(chain)]


def stretches(seams: Sequence[Seam], loops: Sequence[Array], clear: float) -> list[Array]:
    """The parts ``(2, 2)`` of lines within a domain, those that reach a rim ending short of it.

    Loops are closed chains of points, the outline first, and ``clear`` is how far short (m). What
    is near a rim is a part of its own.
    """
    found: list[Array] = []
    for seam in seams:
        start, run = np.array(seam.start), np.subtract(seam.stop, seam.start)
        length = float(np.linalg.norm(run))
        crossed = [share for loop in loops for share in _crossings(start, run, loop)]
        shares = [0.0, *sorted(each for each in crossed if _SAME < each < 1 - _SAME), 1.0]
        for low, high in itertools.pairwise(shares):
            middle = (start + 0.5 * (low + high) * run)[None]
            if not between_rims(middle, loops)[0]:
                continue
            short = [low > 0 or not seam.inner[0], high < 1 or not seam.inner[1]]
            low, high = low + short[0] * clear / length, high - short[1] * clear / length
            if (high - low) * length > (0.5 * clear if any(short) else 0.0):
                ends = _parted(low, high, [_BY_RIMS * clear / length * each for each in short])
                found += [
                    start + np.array([[one], [two]]) * run for one, two in itertools.pairwise(ends)
                ]
    return found


def circle_through(points: Array) -> Ring | None:
    """The whole circle a closed chain of points ``(n, 2)`` runs round, if it does.

    Points of a circle are near each other; those of a polygon may be its corners alone.
    """
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    size = 0.5 * float(np.ptp(points, axis=0).max())
    if np.linalg.norm(points[-1] - points[0]) > _ROUND * size or steps.max() > _NEAR * size:
        return None
    # The circle of least squares: x² + y² = 2 a x + 2 b y + c.
    rows = np.column_stack([2 * points, np.ones(len(points))])
    (x, y, rest), *_ = np.linalg.lstsq(rows, np.sum(points**2, axis=1))
    radius = float(np.sqrt(max(0.0, rest + x**2 + y**2)))
    off = np.abs(np.linalg.norm(points - (x, y), axis=1) - radius)
    return Ring((float(x), float(y)), radius) if off.max() < _ROUND * radius else None


def _parted(low: float, high: float, by_rims: Sequence[float]) -> list[float]:
    """Shares at which what is near a rim, and may need short pieces, is parted from the rest."""
    if sum(by_rims) > 0.5 * (high - low):
        return [low, high]
    inner = [low + by_rims[0]] * (by_rims[0] > 0) + [high - by_rims[1]] * (by_rims[1] > 0)
    return [low, *inner, high]


def _crossings(start: Array, run: Array, loop: Array) -> list[float]:
    """Shares of a line at which it crosses a closed chain."""
    sides = np.roll(loop, -1, axis=0) - loop
    turn = run[0] * sides[:, 1] - run[1] * sides[:, 0]
    away = loop - start
    with np.errstate(divide="ignore", invalid="ignore"):
        along = (away[:, 0] * sides[:, 1] - away[:, 1] * sides[:, 0]) / turn
        across = (away[:, 0] * run[1] - away[:, 1] * run[0]) / turn
    met = (turn != 0) & (across >= 0) & (across < 1) & (along > 0) & (along < 1)
    return [float(share) for share in along[met]]


def knots(lines: Sequence[Array]) -> list[list[float]]:
    """For each line the shares at which it begins, meets another one, and ends."""
    found = [{0.0, 1.0} for _ in lines]
    for (i, one), (j, other) in itertools.combinations(enumerate(lines), 2):
        runs = one[1] - one[0], other[1] - other[0]
        turn = runs[0][0] * runs[1][1] - runs[0][1] * runs[1][0]
        if abs(turn) < _SAME * float(np.linalg.norm(runs[0]) * np.linalg.norm(runs[1])):
            continue
        away = other[0] - one[0]
        shares = [float(away[0] * run[1] - away[1] * run[0]) / turn for run in runs[::-1]]
        if all(-_SAME < share < 1 + _SAME for share in shares):
            for number, share in zip((i, j), shares, strict=True):
                if min(abs(known - share) for known in found[number]) > _SAME:
                    found[number].add(share)
    return [sorted(each) for each in found]


def cut_seams(lines: Sequence[Array], pieces: Sequence[Sequence[int]]) -> SeamPoints:
    """Points along lines, each stretch between two knots cut into so many pieces.

    Raises ``ValueError`` where lines have other knots than there are numbers for.
    """
    points: list[Array] = []
    chains: list[tuple[int, ...]] = []
    for line, shares, cut in zip(lines, knots(lines), pieces, strict=True):
        near = _SAME * float(np.linalg.norm(line[1] - line[0]))
        steps = [
            np.linspace(low, high, count + 1)[:-1]
            for (low, high), count in zip(itertools.pairwise(shares), cut, strict=True)
        ]
        chain: list[int] = []
        for share in np.append(np.concatenate(steps), 1.0):
            place = line[0] + share * (line[1] - line[0])
            known = [n for n, other in enumerate(points) if np.linalg.norm(other - place) < near]
            if not known:
                points.append(place)
            chain.append(known[0] if known else len(points) - 1)
        chains.append(tuple(chain))
    return SeamPoints(np.array(points).reshape(-1, 2), tuple(chains))
