"""Where members pass from one element of a wall to the next, so that their own can end there."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MemberValue
from belltone.geometry.shapes import Plate
from belltone.mesh.quadrature import lagrange, lobatto
from belltone.mesh.surface import SurfaceMesh
from belltone.vectors import cross

__all__ = ["crossings"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_LOOKS: Final = 401  # along a member, for the elements it crosses
_PIECES: Final = 32  # straight ones of an element's side, which may be an arc
_PARTS: Final = 8  # into which what is looked through is parted
_PARTINGS: Final = 5
_HAIR: Final = 1e-5  # of the wall's size
_OVER: Final = 1e-4  # of the wall's size; what lies farther beside its foot is not over the wall
_PARALLEL: Final = 1e-9  # sine of an angle
_AT_ITS_END: Final = 1e-6  # of an element's side, or of a member; so near two places are one


def crossings(member: MemberValue, wall: SurfaceMesh) -> list[float]:
    """Distances along a member (m) at which it passes from one element of a wall to the next.

    A rib that ends its elements there can follow all the wall does, and no more. What spans a hole
    follows nothing there.
    """
    flat = isinstance(wall.surface.shape, Plate) and member.path.straight
    shares = _of_straight(member, wall) if flat else _of_curved(member, wall)
    return [float(place) for place in shares * member.length]


def _of_straight(member: MemberValue, wall: SurfaceMesh) -> Array:
    """Shares at which a straight member crosses the sides of a flat wall's elements."""
    ends = member.path.at(np.array([0.0, 1.0]))[0]
    plane = wall.surface.frame[:, :2]
    start, run = ends[0] @ plane, (ends[1] - ends[0]) @ plane
    first, last = _sides(wall)
    begin, side = first @ plane - start, (last - first) @ plane
    turn = run[0] * side[:, 1] - run[1] * side[:, 0]
    sizes = np.linalg.norm(side, axis=1) * float(np.linalg.norm(run))
    met = np.abs(turn) > _PARALLEL * sizes
    begin, side, turn = begin[met], side[met], turn[met]
    along = (begin[:, 0] * side[:, 1] - begin[:, 1] * side[:, 0]) / turn
    across = (begin[:, 0] * run[1] - begin[:, 1] * run[0]) / turn
    inside = (across > -_AT_ITS_END) & (across < 1 + _AT_ITS_END)
    found = np.sort(along[inside & (along > _AT_ITS_END) & (along < 1 - _AT_ITS_END)])
    return found[np.diff(found, prepend=-1.0) > _AT_ITS_END]


def _sides(wall: SurfaceMesh) -> tuple[Array, Array]:
    """Where straight pieces of the sides of elements begin and end, ``(n, 3)`` each."""
    shapes, _ = lagrange(lobatto(wall.order), np.linspace(-1.0, 1.0, _PIECES + 1))
    places = shapes @ wall.coordinates[wall.sides[0]]
    return places[:, :-1].reshape(-1, 3), places[:, 1:].reshape(-1, 3)


def _of_curved(member: MemberValue, wall: SurfaceMesh) -> Array:
    """The same of any member over any wall, by looking for the nearest element all along it."""

    def looked_at(at: Array) -> tuple[IntArray, NDArray[np.bool_]]:
        """The element nearest to places along the member, and whether they lie over the wall."""
        places, tangents, ups = member.path.at(at)
        # A hair to its side, so that a member along an edge of elements stays with one row of them.
        points = places + _HAIR * wall.size * cross(ups, tangents)
        element, weights, feet = wall.locate_points(points)
        normals = np.einsum("nk,nkd->nd", weights, wall.directors[element])
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        away = points - feet
        beside = away - np.sum(away * normals, axis=1, keepdims=True) * normals
        return element, np.linalg.norm(beside, axis=1) <= _OVER * wall.size

    shares = np.linspace(0.0, 1.0, _LOOKS)
    element, over = looked_at(shares)
    # Over a hole nothing is followed, whatever element of its rim is nearest.
    at = np.flatnonzero((np.diff(element) != 0) & (over[:-1] | over[1:]))
    low, high, before = shares[at], shares[at + 1], element[at]
    steps = np.arange(1, _PARTS) / _PARTS
    for _ in range(_PARTINGS if len(at) else 0):
        between = low[:, None] + steps * (high - low)[:, None]
        still = looked_at(between.ravel())[0].reshape(between.shape) == before[:, None]
        # As far as it stays with the element before, and no further.
        stays = np.logical_and.accumulate(still, axis=1).sum(axis=1)
        width = (high - low) / _PARTS
        low = low + stays * width
        high = low + width
    return np.asarray(0.5 * (low + high))
