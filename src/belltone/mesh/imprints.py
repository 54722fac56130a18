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

__all__ = ["JoinedLine", "JoinedPoint", "followed", "hard_place", "imprints", "lies_along"]

Array = NDArray[np.float64]

_STRAIGHT: Final = 2e-3  # of a block; so little a coordinate may change along a line
_INSIDE: Final = 0.02  # nearer to a block's edge than this, a line is the edge
_ROOM: Final = 2.0  # radii; the half-size of the elements round a joined point
_SHORTEST: Final = 0.1  # of a block; a shorter line is not worth elements of its own
_ON: Final = 1e-3  # of a block; a line so near to a block's edge lies on it


@dataclass(frozen=True)
class JoinedLine:
    """Points of a line ``(n, 3)`` and how far from a wall it still is joined to it (m).

    ``ends`` are those points of it, first and last, that stand inside the wall, and ``size`` that
    of the elements wanted there (m).
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


@dataclass(frozen=True)
class _Run:
    """The stretch of a line on one block: the block, and both coordinates of points ``(n, 2)``.

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


def imprints(mesh: SurfaceMesh, lines: Sequence[JoinedLine]) -> tuple[Imprint, ...]:
    """Where lines run along a coordinate of a block of a wall's mesh, each place once."""
    found: list[Imprint] = []
    for line in lines:
        for run in _runs(mesh, line):
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


def lies_along(mesh: SurfaceMesh, line: JoinedLine) -> bool:
    """Whether all of a line lies on a wall."""
    places = mesh.locate_points(line.points)[2]
    return bool(np.all(np.linalg.norm(places - line.points, axis=1) <= line.reach))


def followed(mesh: SurfaceMesh, line: JoinedLine) -> bool:
    """Whether elements can end all along a line, and where it ends."""
    classes = mesh.blocks.edge_classes()
    runs = list(_runs(mesh, line))
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


def _runs(mesh: SurfaceMesh, line: JoinedLine) -> Iterator[_Run]:
    """The stretches of a line on blocks, but for those too short to be worth elements."""
    local = 0.5 * (lobatto(mesh.order) + 1)
    first, second = (grid.ravel() for grid in np.meshgrid(local, local))
    element, weights, places = mesh.locate_points(line.points)
    on_wall = np.linalg.norm(places - line.points, axis=1) <= line.reach
    spans = mesh.spans[element]
    u = spans[:, 0] + (weights @ first) * (spans[:, 1] - spans[:, 0])
    v = spans[:, 2] + (weights @ second) * (spans[:, 3] - spans[:, 2])
    both = np.column_stack([u, v])
    for block in np.unique(mesh.block[element[on_wall]]):
        here = np.flatnonzero(on_wall & (mesh.block[element] == block))
        long = np.ptp(both[here], axis=0)
        if long.max() > _SHORTEST:
            still = int(np.argmin(long))
            axis = still if long[still] < _STRAIGHT else None
            yield _Run(int(block), here, both[here], axis)


def hard_place(mesh: SurfaceMesh, joined: JoinedPoint) -> HardPlace | None:
    """A joined point as a place of the wall's chart; none where it is too far off the wall.

    What is pushed there gives way the more, the smaller the circle is, and elements much larger
    than it would not show it.
    """
    element, weights, places = mesh.locate_points(joined.point[None])
    if np.linalg.norm(places[0] - joined.point) > joined.reach:
        return None
    number = int(element[0])
    low_u, high_u, low_v, high_v = mesh.spans[number]
    local = 0.5 * (lobatto(mesh.order) + 1)
    first, second = (grid.ravel() for grid in np.meshgrid(local, local))
    u = low_u + float(weights[0] @ first) * (high_u - low_u)
    v = low_v + float(weights[0] @ second) * (high_v - low_v)
    block = mesh.blocks.blocks[int(mesh.block[number])]
    at = block.chart(np.array([u]), np.array([v]))[0]
    return HardPlace(block.segment, (float(at[0]), float(at[1])), 2 * _ROOM * joined.radius)
