"""Triangles without a partner brought together in pairs.

A lone triangle beside a quadrilateral makes a pentagon with it, which can be cut into a triangle
and a quadrilateral otherwise, so that the triangle wanders towards another one.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Container, Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.quad_mending import corner_sines

__all__ = ["least_sine", "without_triangles"]

Array = NDArray[np.float64]
Shape = tuple[int, ...]


def without_triangles(
    points: Array, shapes: Sequence[Shape], kept: Container[tuple[int, int]] = ()
) -> list[Shape]:
    """Shapes with no triangle left but those that cannot reach another; all counter-clockwise.

    None reaches another over ``kept`` edges, which are given in both directions.
    """
    faces: dict[int, Shape] = dict(enumerate(shapes))
    stuck: set[int] = set()
    while True:
        lone = [number for number, face in faces.items() if len(face) == 3 and number not in stuck]
        if len(lone) < 2:
            return list(faces.values())
        way = _way(faces, lone[0], set(lone[1:]), kept)
        if way is None:
            stuck.add(lone[0])
            continue
        here = lone[0]
        for ahead, further in zip(way, [*way[1:], None], strict=True):
            faces = _step(points, faces, here, ahead, further)
            here = ahead


def _edges(face: Shape) -> Iterator[tuple[int, int]]:
    yield from zip(face, (*face[1:], face[0]), strict=True)


def _way(
    faces: dict[int, Shape], start: int, goals: set[int], kept: Container[tuple[int, int]]
) -> list[int] | None:
    """The shortest way over edges from a face to one of some others."""
    owner = {edge: number for number, face in faces.items() for edge in _edges(face)}
    before = {start: start}
    open_faces = deque([start])
    while open_faces:
        here = open_faces.popleft()
        if here in goals:
            way = [here]
            while before[way[-1]] != start:
                way.append(before[way[-1]])
            return way[::-1]
        for a, b in _edges(faces[here]):
            there = owner.get((b, a))
            if there is not None and there not in before and (a, b) not in kept:
                before[there] = here
                open_faces.append(there)
    return None


def _step(
    points: Array, faces: dict[int, Shape], here: int, ahead: int, further: int | None
) -> dict[int, Shape]:
    """The lone triangle ``here`` moved into ``ahead``, beside ``further``; two triangles join."""
    changed = dict(faces)
    triangle, other = faces[here], faces[ahead]
    a, b = next((a, b) for a, b in _edges(triangle) if (b, a) in set(_edges(other)))
    c = next(corner for corner in triangle if corner not in (a, b))
    at = other.index(a)
    rest = [*other[at:], *other[:at]]  # a, then what lies beyond, then b
    ring = [*rest, c]
    if c in other:
        # They share two edges, and the corner between these lies within.
        del changed[here]
        changed[ahead] = tuple(rest[1:] if rest[1] == c else rest[:-1])
        return changed
    if len(other) == 3:
        del changed[here]
        changed[ahead] = tuple(ring)
        return changed
    best: tuple[float, Shape, Shape] | None = None
    wanted = None if further is None else {(q, p) for p, q in _edges(faces[further])}
    for k in range(5):
        cut = tuple(ring[(k + j) % 5] for j in range(3))
        left = tuple(ring[(k + j) % 5] for j in (2, 3, 4, 0))
        if wanted is not None and not wanted & set(_edges(cut)):
            continue
        worth = min(least_sine(points[list(cut)]), least_sine(points[list(left)]))
        if best is None or worth > best[0]:
            best = (worth, cut, left)
    assert best is not None
    changed[here], changed[ahead] = best[2], best[1]
    return changed


def least_sine(corners: Array) -> float:
    """The smallest sine of the angles of a face; negative where one is re-entrant."""
    return float(corner_sines(corners).min())
