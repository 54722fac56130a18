"""Where something is joined to a wall, so that its elements can end or become small there.

Across such a line the bending of a wall has a kink, which no element with the line inside it can
follow. Only lines that run along one coordinate of a block are taken. Where such a line ends inside
a wall, elements end there along the other coordinate, too, and grow from both.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.grading import HardPlace
from belltone.mesh.quadrature import lobatto
from belltone.mesh.surface import Imprint, SurfaceMesh

__all__ = [
    "JoinedLine",
    "JoinedPoint",
    "Traced",
    "end_of",
    "followed",
    "hard_place",
    "imprints",
    "round_circle",
    "traced",
]

Array = NDArray[np.float64]

_STRAIGHT: Final = 2e-3  # of a block; so little a coordinate may change along a line
_INSIDE: Final = 0.02  # nearer to a block's edge than this, a line is the edge
_ROOM: Final = 1.1  # radii; half the size of the elements round a joined point
_ROOMY: Final = 1.5  # times that; so much larger they may be
_SHORTEST: Final = 0.1  # of a block; a shorter line is not worth elements of its own
_ON: Final = 1e-3  # of a block; a line so near to a block's edge lies on it


@dataclass(frozen=True)
class JoinedLine:
    """Points of a line ``(n, 3)`` and how far from a wall it still is joined to it (m).

    One that is welded bends the wall with a kink, and ``size`` is that of the elements wanted
    beside it (m), else zero. ``ends`` are those points of it, first and last, inside the wall.
    """

    points: Array
    reach: float
    ends: tuple[int, ...] = ()
    size: float = 0.0


@dataclass(frozen=True)
class JoinedPoint:
    """A point (3,) joined over a circle of a radius, and how far from a wall it still is (m)."""

    point: Array
    radius: float
    reach: float


def round_circle(segment: int, at: tuple[float, float], radius: float) -> HardPlace:
    """A place of a wall's chart on a circle (m) round which something is tied.

    What is pushed there gives way the more, the smaller the circle is, and elements much larger
    than it would not show it. Those that are smaller would all be tied together by the circle.
    """
    return HardPlace(segment, at, 2 * _ROOM * radius, roomy=_ROOMY)


@dataclass(frozen=True)
class Traced:
    """A line over the blocks of a mesh: of each point the block and where on it, ``(n, 2)``.

    ``on_wall`` tells which points are near enough to be joined.
    """

    line: JoinedLine
    block: NDArray[np.intp]
    at: Array
    on_wall: NDArray[np.bool_]

    @property
    def lies_along(self) -> bool:
        """Whether all of it lies on the wall."""
        return bool(self.on_wall.all())

    def runs(self) -> Iterator[_Run]:
        """Its stretches on blocks, but for those too short to be worth elements."""
        for block in np.unique(self.block[self.on_wall]):
            here = np.flatnonzero(self.on_wall & (self.block == block))
            long = np.ptp(self.at[here], axis=0)
            if long.max() > _SHORTEST:
                still = int(np.argmin(long))
                axis = still if long[still] < _STRAIGHT else None
                yield _Run(int(block), here, self.at[here], axis)


@dataclass(frozen=True)
class _Run:
    """The stretch of a line on one block: which of its points, and both their coordinates there.

    ``axis`` is the coordinate that stays as it is, if one does.
    """

    block: int
    numbers: NDArray[np.intp]
    at: Array
    axis: int | None

    @property
    def value(self) -> float:
        """Of the coordinate that stays as it is."""
        assert self.axis is not None
        return float(np.median(self.at[:, self.axis]))


def traced(mesh: SurfaceMesh, lines: Sequence[JoinedLine]) -> list[Traced]:
    """Follow lines over a mesh, all of them at once."""
    if not lines:
        return []
    block, at, away = _on_blocks(mesh, np.concatenate([line.points for line in lines]))
    ends = np.cumsum([len(line.points) for line in lines])
    pieces = (slice(end - len(line.points), end) for line, end in zip(lines, ends, strict=True))
    return [
        Traced(line, block[own], at[own], away[own] <= line.reach)
        for line, own in zip(lines, pieces, strict=True)
    ]


def _on_blocks(mesh: SurfaceMesh, points: Array) -> tuple[NDArray[np.intp], Array, Array]:
    """The blocks nearest to points ``(n, 3)``, where on them ``(n, 2)``, and how far off (m)."""
    local = 0.5 * (lobatto(mesh.order) + 1)
    first, second = (grid.ravel() for grid in np.meshgrid(local, local))
    element, weights, places = mesh.locate_points(points)
    spans = mesh.spans[element]
    u = spans[:, 0] + (weights @ first) * (spans[:, 1] - spans[:, 0])
    v = spans[:, 2] + (weights @ second) * (spans[:, 3] - spans[:, 2])
    away = np.linalg.norm(places - points, axis=1)
    return mesh.block[element], np.column_stack([u, v]), away


def imprints(mesh: SurfaceMesh, lines: Sequence[JoinedLine]) -> tuple[Imprint, ...]:
    """Where lines run along a coordinate of a block of a wall's mesh, each place once."""
    found: list[Imprint] = []
    for trace in traced(mesh, lines):
        line = trace.line
        for run in trace.runs():
            if run.axis is None:
                continue
            found.append(Imprint(run.block, run.axis, run.value, line.size))
            for end in line.ends:
                at = run.at[run.numbers == end % len(line.points), 1 - run.axis]
                found += [Imprint(run.block, 1 - run.axis, float(place), line.size) for place in at]
    found = [each for each in found if _INSIDE < each.value < 1 - _INSIDE]
    found.sort(key=lambda each: each.size == 0.0)  # of two that are one, that with a size
    once: list[Imprint] = []
    for entry in found:
        if not any(entry.same(other) for other in once):
            once.append(entry)
    return tuple(once)


def followed(mesh: SurfaceMesh, trace: Traced) -> bool:
    """Whether elements can end all along a line, and where it ends."""
    classes = mesh.blocks.edge_classes()
    runs, line = list(trace.runs()), trace.line
    shown = {int(number) for run in runs for number in run.numbers}
    if any(end % len(line.points) not in shown for end in line.ends):
        return False
    for run in runs:
        if run.axis is None or _ON < min(run.value, 1 - run.value) < _INSIDE:
            return False
        a, b, _, d = mesh.blocks.blocks[run.block].vertices
        if {classes.of(a, b)[0], classes.of(a, d)[0]} & classes.two_way:
            return False
    return True


def end_of(mesh: SurfaceMesh, trace: Traced, end: int, size: float) -> HardPlace:
    """The first or last (-1) point of a line as a place with elements of a size (m) round it."""
    return HardPlace(*_chart_place(mesh, int(trace.block[end]), trace.at[end]), size)


def _chart_place(mesh: SurfaceMesh, number: int, at: Array) -> tuple[int, tuple[float, float]]:
    block = mesh.blocks.blocks[number]
    place = block.chart(at[:1], at[1:])[0]
    return block.segment, (float(place[0]), float(place[1]))


def hard_place(mesh: SurfaceMesh, joined: JoinedPoint) -> HardPlace | None:
    """A joined point as a place of the wall's chart; none where it is too far off the wall."""
    block, at, away = _on_blocks(mesh, joined.point[None])
    if away[0] > joined.reach:
        return None
    return round_circle(*_chart_place(mesh, int(block[0]), at[0]), joined.radius)
