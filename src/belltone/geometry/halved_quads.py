"""Quadrilaterals where pairs of triangles do not come out even: faces cut through their middles.

A face with any number of corners makes as many quadrilaterals, each from a corner, the middles of
both sides there and the middle of the face; those of strips along rims make two. So this always
succeeds where there are triangles.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.curved_quads import edge_key
from belltone.geometry.quads import Loop, Paired, Pieces, Quads, graded_pairs, weighted
from belltone.geometry.seams import cut_seams
from belltone.geometry.triangles import cut_rims

__all__ = ["halved_quads"]

Array = NDArray[np.float64]

_COARSER: Final = 1.7  # times the size wanted; halves are then a little smaller


def halved_quads(
    loops: Sequence[Sequence[Loop]], spacing: float, width: float, lines: Sequence[Array] = ()
) -> Quads | None:
    """Cut a domain into quadrilaterals as `graded_quads` does; None only where triangles fail."""
    found = graded_pairs(loops, _COARSER * spacing, width, lines, even=False)
    if found is None:
        return None
    paired = found[0]
    divisions, pieces = (tuple(tuple(2 * n for n in cut) for cut in cuts) for cuts in found[1:])
    points, faces = _halved(paired, loops, lines, divisions, pieces)
    still = sum(map(sum, divisions)) + len(cut_seams(lines, pieces).points)
    halves = [half for a, b, c, d in faces for half in ((a, b, c), (a, c, d))]
    return Quads(divisions, tuple(faces), weighted(points, halves, still), pieces)


def _halved(
    paired: Paired,
    loops: Sequence[Sequence[Loop]],
    lines: Sequence[Array],
    divisions: Pieces,
    pieces: Pieces,
) -> tuple[Array, list[tuple[int, int, int, int]]]:
    """Points, those of rims and seams first and in order, and faces between them."""
    seams = cut_seams(lines, pieces)
    places = [*np.concatenate(cut_rims(loops, divisions)), *seams.points]
    number: dict[int, int] = {}
    middles: dict[tuple[int, int], int] = {}
    old = new = 0
    for cut in divisions:
        count = sum(cut) // 2
        for k in range(count):
            number[old + k] = new + 2 * k
            middles[edge_key(old + k, old + (k + 1) % count)] = new + 2 * k + 1
        old, new = old + count, new + 2 * count
    before = cut_seams(lines, [[count // 2 for count in cut] for cut in pieces])
    for chain, finer in zip(before.chains, seams.chains, strict=True):
        for (a, b), (first, middle, last) in zip(
            itertools.pairwise(chain),
            zip(finer[:-1:2], finer[1::2], finer[2::2], strict=True),
            strict=True,
        ):
            number[old + a], number[old + b] = new + first, new + last
            middles[edge_key(old + a, old + b)] = new + middle
    for point in range(old + len(before.points), len(paired.points)):
        number[point] = len(places)
        places.append(paired.points[point])

    def between(a: int, b: int) -> int:
        key = edge_key(a, b)
        if key not in middles:
            middles[key] = len(places)
            places.append(0.5 * (paired.points[a] + paired.points[b]))
        return middles[key]

    faces: list[tuple[int, int, int, int]] = []
    # Strips, from the rim to the ring beside it, are narrow enough.
    for a, b, c, d in paired.strips:
        outer, inner = between(a, b), between(c, d)
        faces += [(number[a], outer, inner, number[d]), (outer, number[b], number[c], inner)]
    for face in (*paired.pairs, *paired.alone):
        sides = [between(a, b) for a, b in zip(face, (*face[1:], face[0]), strict=True)]
        middle = len(places)
        places.append(np.mean([places[side] for side in sides], axis=0))
        for k, corner in enumerate(face):
            faces.append((number[corner], sides[k], middle, sides[k - 1]))
    return np.array(places), faces
