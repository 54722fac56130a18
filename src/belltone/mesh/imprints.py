"""Lines along which something is joined to a wall, so that its elements can end there.

Across such a line the bending of a wall has a kink, which no element with the line inside it can
follow. Only lines that run along one coordinate of a block are taken.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.quadrature import lobatto
from belltone.mesh.surface import Imprint, SurfaceMesh

__all__ = ["JoinedLine", "JoinedPoint", "imprints"]

Array = NDArray[np.float64]

_STRAIGHT: Final = 2e-3  # of a block; so little a coordinate may change along a line
_INSIDE: Final = 0.02  # nearer to a block's edge than this, a line is the edge
_ROOM: Final = 2.0  # radii; the half-size of the element round a joined point
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


def imprints(
    mesh: SurfaceMesh, lines: Sequence[JoinedLine], points: Sequence[JoinedPoint] = ()
) -> tuple[Imprint, ...]:
    """Where lines run along a coordinate of a block of a wall's mesh, each place once.

    Round points that are joined stand elements of their size: what is pushed there gives way the
    more, the smaller the circle is, and large elements would not show it.
    """
    found: list[Imprint] = []
    for joined in points:
        found += [
            mark for mark in _round(mesh, joined) if not any(mark.same(other) for other in found)
        ]
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


def _round(mesh: SurfaceMesh, joined: JoinedPoint) -> list[Imprint]:
    """Both sides of a point along both coordinates of its block."""
    element, weights, places = mesh.locate_points(joined.point[None])
    if np.linalg.norm(places[0] - joined.point) > joined.reach:
        return []
    number = int(element[0])
    low_u, high_u, low_v, high_v = mesh.spans[number]
    local = 0.5 * (lobatto(mesh.order) + 1)
    first, second = (grid.ravel() for grid in np.meshgrid(local, local))
    u = low_u + float(weights[0] @ first) * (high_u - low_u)
    v = low_v + float(weights[0] @ second) * (high_v - low_v)
    corners = mesh.coordinates[mesh.connectivity[number]].reshape(mesh.order + 1, mesh.order + 1, 3)
    wide = np.linalg.norm(corners[:, -1] - corners[:, 0], axis=1).mean() / (high_u - low_u)
    high = np.linalg.norm(corners[-1] - corners[0], axis=1).mean() / (high_v - low_v)
    block = int(mesh.block[number])
    found: list[Imprint] = []
    for axis, at, size in ((0, u, wide), (1, v, high)):
        step = _ROOM * joined.radius / float(size)
        found += [
            Imprint(block, axis, value)
            for value in (at - step, at + step)
            if _INSIDE < value < 1 - _INSIDE
        ]
    return found
