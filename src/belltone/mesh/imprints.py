"""Where something is joined to a wall, so that its elements can end or become small there.

Across such a line the bending of a wall has a kink, which no element with the line inside it can
follow. Only lines that run along one coordinate of a block are taken.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.grading import HardPlace
from belltone.mesh.quadrature import lobatto
from belltone.mesh.surface import Imprint, SurfaceMesh

__all__ = ["JoinedLine", "JoinedPoint", "hard_place", "imprints"]

Array = NDArray[np.float64]

_STRAIGHT: Final = 2e-3  # of a block; so little a coordinate may change along a line
_INSIDE: Final = 0.02  # nearer to a block's edge than this, a line is the edge
_ROOM: Final = 2.0  # radii; the half-size of the elements round a joined point
_SHORTEST: Final = 0.1  # of a block; a shorter line is not worth elements of its own


@dataclass(frozen=True)
class JoinedLine:
    """Points of a line ``(n, 3)`` and how far from a wall it still is joined to it (m)."""

    points: Array
    reach: float


@dataclass(frozen=True)
class JoinedPoint:
    """A point (3,) joined over a circle of a radius, and how far from a wall it still is (m)."""

    point: Array
    radius: float
    reach: float


def imprints(mesh: SurfaceMesh, lines: Sequence[JoinedLine]) -> tuple[Imprint, ...]:
    """Where lines run along a coordinate of a block of a wall's mesh, each place once."""
    found: list[Imprint] = []
    local = 0.5 * (lobatto(mesh.order) + 1)
    first, second = (grid.ravel() for grid in np.meshgrid(local, local))
    for line in lines:
        element, weights, places = mesh.locate_points(line.points)
        on_wall = np.linalg.norm(places - line.points, axis=1) <= line.reach
        spans = mesh.spans[element]
        u = spans[:, 0] + (weights @ first) * (spans[:, 1] - spans[:, 0])
        v = spans[:, 2] + (weights @ second) * (spans[:, 3] - spans[:, 2])
        for block in np.unique(mesh.block[element[on_wall]]):
            here = on_wall & (mesh.block[element] == block)
            for axis, (still, runs) in enumerate(((u[here], v[here]), (v[here], u[here]))):
                value = float(np.median(still))
                if (
                    np.ptp(still) < _STRAIGHT
                    and np.ptp(runs) > _SHORTEST
                    and _INSIDE < value < 1 - _INSIDE
                ):
                    entry = Imprint(int(block), axis, value)
                    if not any(entry.same(other) for other in found):
                        found.append(entry)
    return tuple(found)


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
