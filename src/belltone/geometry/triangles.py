"""Triangles for outlines no simple block scheme fits; each becomes three blocks.

The neighbourhood is chosen once, at one design; afterwards the inner points follow the boundary
as the average of their neighbours (W. T. Tutte, "How to draw a graph", 1963), so the mesh moves
smoothly while dimensions change.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.errors import UserError
from belltone.geometry.outlines import between_rims, rim_distance
from belltone.geometry.seams import SeamPoints

__all__ = [
    "NO_SEAMS",
    "OutlineError",
    "Triangulation",
    "between",
    "coarsest_curve",
    "cut_more",
    "cut_rims",
    "inner_points",
    "piece_lengths",
    "pieces_of",
    "triangulate",
]

Array = NDArray[np.float64]
Loop = Sequence[Array] | Array

_ATTEMPTS: Final = 24
_MOST_TURN: Final = math.pi / 4
_BLUNT: Final = -0.35  # cosine of an angle well above the right one
_GROWTH: Final = 0.7  # of the distance from a rim; so fast pieces become larger
_APART: Final = 0.75  # of the size wanted at a point; no other is nearer
_ROOM: Final = 1.0  # of the distance from a tight curve; so fast pieces become longer
_NEARER: Final = 1.5  # times the distance of a grid; where points may be further apart, others do
_MOST_PLACES: Final = 4e6  # of the finest grid; beyond, a piece is so short by chance alone
_ROUNDS: Final = 4  # of moving graded points to the middle of their neighbours
NO_SEAMS: Final = SeamPoints(np.empty((0, 2)), ())
_CLEAR: Final = 0.55  # inner points keep this share of the spacing away from the boundary


class OutlineError(UserError):
    """An outline that cannot be cut into elements, in words for the user."""


@dataclass(frozen=True)
class Triangulation:
    """Which points form triangles: boundary points first, loop by loop, then ``inner`` others.

    ``divisions`` holds for each loop into how many pieces each of its curves is cut.
    """

    divisions: tuple[tuple[int, ...], ...]
    inner: int
    triangles: tuple[tuple[int, int, int], ...]


def triangulate(loops: Sequence[Sequence[Loop]], spacing: float) -> Triangulation:
    """Triangulate a domain: the first loop outside, the others holes.

    A loop is a list of curves, each given as many points along it: the first of a curve is the
    last of the one before. Raises `OutlineError` where no triangulation is found.
    """
    divisions = [[pieces_of(curve, spacing, _MOST_TURN) for curve in loop] for loop in loops]
    for loop, cut in zip(loops, divisions, strict=True):
        while sum(cut) < 4:
            cut[coarsest_curve(loop, cut)] += 1
    for _ in range(_ATTEMPTS):
        rims = cut_rims(loops, divisions)
        points, triangles, missing = between(rims, spacing)
        if not missing:
            return Triangulation(
                tuple(tuple(cut) for cut in divisions),
                len(points) - sum(map(len, rims)),
                tuple((int(a), int(b), int(c)) for a, b, c in triangles),
            )
        cut_more(divisions, missing)
    raise OutlineError("no mesh was found for this outline and its holes; are two rims too close?")


def cut_rims(loops: Sequence[Sequence[Loop]], divisions: Sequence[Sequence[int]]) -> list[Array]:
    """The points of each loop when its curves are cut into so many pieces."""
    return [
        np.concatenate([_cut(curve, n)[:-1] for curve, n in zip(loop, cut, strict=True)])
        for loop, cut in zip(loops, divisions, strict=True)
    ]


def between(
    rims: Sequence[Array], spacing: float, graded: bool = False, seams: SeamPoints = NO_SEAMS
) -> tuple[Array, NDArray[np.intp], list[tuple[int, int]]]:
    """Points and triangles between rims, and the edges of rims, (rim, edge), no triangle has.

    Points stand even, or closer where the rims' own pieces are short (``graded``). Those of seams
    come next after the rims'; their edges count as those of further rims.
    """
    from scipy.spatial import Delaunay, QhullError  # loads slowly, and few outlines need it

    inner = _graded(rims, spacing, seams) if graded else _grid(rims, spacing)
    points = np.concatenate([*rims, seams.points, inner])
    try:
        simplices = np.asarray(Delaunay(points).simplices, dtype=np.intp)
    except QhullError as error:
        raise OutlineError("the outline has no area") from error
    centres = points[simplices].mean(axis=1)
    kept = simplices[between_rims(centres, rims)]
    triangles = _opened(points, kept, sum(map(len, rims)))
    return points, _left_turning(points, triangles), _missing(triangles, rims, seams)


def cut_more(
    divisions: Sequence[list[int]], missing: Sequence[tuple[int, int]], most: int = 4
) -> None:
    """Cut the curves that edges were missing of into up to ``most`` more pieces."""
    curves = {
        (place, int(np.searchsorted(np.cumsum(divisions[place]), edge, side="right")))
        for place, edge in missing
    }
    for place, curve in curves:
        divisions[place][curve] += min(divisions[place][curve], most)


def inner_points(found: Triangulation, boundary: Array) -> Array:
    """Places ``(inner, 2)`` of the inner points for given boundary points ``(b, 2)``."""
    if not found.inner:
        return np.empty((0, 2))
    count = len(boundary)
    total = count + found.inner
    adjacent = np.zeros((total, total))
    for a, b, c in found.triangles:
        for i, j in ((a, b), (b, c), (c, a)):
            adjacent[i, j] = adjacent[j, i] = 1.0
    rows = adjacent[count:]
    system = np.diag(rows.sum(axis=1)) - rows[:, count:]
    return np.asarray(np.linalg.solve(system, rows[:, :count] @ boundary))


def pieces_of(curve: Loop, spacing: float, most_turn: float) -> int:
    """Into how many pieces of about a length a curve is cut, none turning by more (rad)."""
    return max(_least_pieces(curve, most_turn), round(_length(curve) / spacing))


def piece_lengths(curves: Sequence[Array], most_turn: float) -> list[float]:
    """How long pieces of curves may be beside others that turn tightly, or are short.

    A piece is as long as those of another curve may be, and longer by the distance to it; curves
    that meet end to end do not count for each other.
    """
    lines = [np.asarray(curve) for curve in curves]
    sizes = [_length(line) / max(1, _least_pieces(line, most_turn)) for line in lines]
    ends = [line[[0, -1]] for line in lines]
    near = 1e-9 * float(np.linalg.norm(np.ptp(np.concatenate(lines), axis=0)))
    found = []
    for own, line in enumerate(lines):
        room = math.inf
        for other, there in enumerate(lines):
            apart = np.linalg.norm(ends[own][:, None] - ends[other], axis=2).min()
            if other != own and apart > near:
                away = float(np.linalg.norm(line[:, None] - there, axis=2).min())
                room = min(room, sizes[other] + _ROOM * away)
        found.append(room)
    return found


def coarsest_curve(loop: Sequence[Loop], cut: Sequence[int]) -> int:
    """The curve of a loop whose pieces are longest."""
    return int(np.argmax([_length(curve) / n for curve, n in zip(loop, cut, strict=True)]))


def _length(curve: Loop) -> float:
    return float(np.linalg.norm(np.diff(np.asarray(curve), axis=0), axis=1).sum())


def _least_pieces(curve: Loop, most_turn: float) -> int:
    """So many that a piece turns little enough for a triangle to stand on it."""
    along = np.diff(np.asarray(curve), axis=0)
    angles = np.unwrap(np.arctan2(along[:, 1], along[:, 0]))
    return max(1, math.ceil(abs(float(angles[-1] - angles[0])) / most_turn - 0.05))


def _cut(curve: Loop, pieces: int) -> Array:
    points = np.asarray(curve)
    shares = np.linspace(0, 1, len(points))
    at = np.linspace(0, 1, pieces + 1)
    return np.column_stack([np.interp(at, shares, column) for column in points.T])


def _grid(rims: Sequence[Array], spacing: float) -> Array:
    """Even points well away from the rims."""
    points = _grid_of(rims, spacing)
    kept = np.ones(len(points), bool)
    for rim in rims:
        kept &= rim_distance(points, rim) > _CLEAR * spacing
    return points[kept]


def _grid_of(rims: Sequence[Array], spacing: float) -> Array:
    """Even points between rims."""
    low, high = rims[0].min(axis=0), rims[0].max(axis=0)
    rows = np.arange(low[1] + 0.5 * spacing, high[1], spacing * np.sqrt(0.75))
    places = [
        np.column_stack([x, np.full(len(x), y)])
        for row, y in enumerate(rows)
        for x in [np.arange(low[0] + spacing * (0.5 if row % 2 else 1.0), high[0], spacing)]
    ]
    points = np.concatenate(places) if places else np.empty((0, 2))
    return points[between_rims(points, rims)]


def _grid_near(rims: Sequence[Array], spacing: float, middles: Array, reach: float) -> Array:
    """Those of the same even points over the outline's box that some ``middles`` are near to."""
    low, high = rims[0].min(axis=0), rims[0].max(axis=0)
    rise = spacing * np.sqrt(0.75)
    first_row = np.floor((middles[:, 1] - reach - low[1]) / rise - 0.5)
    row = first_row[:, None] + np.arange(math.ceil(2 * reach / rise) + 3)
    y = low[1] + 0.5 * spacing + row * rise
    start = low[0] + spacing * np.where(row % 2, 0.5, 1.0)
    first = np.floor((middles[:, :1] - reach - start) / spacing)
    place = first[:, :, None] + np.arange(math.ceil(2 * reach / spacing) + 3)
    x = start[:, :, None] + place * spacing
    there = (place >= 0) & (x < high[0]) & ((row >= 0) & (y < high[1]))[:, :, None]
    away = (x - middles[:, 0, None, None]) ** 2 + ((y - middles[:, 1:]) ** 2)[:, :, None]
    there &= away <= reach**2
    rows = np.broadcast_to(row[:, :, None], place.shape)[there]
    _, chosen = np.unique(np.stack([rows, place[there]]), axis=1, return_index=True)
    points = np.stack([x[there], np.broadcast_to(y[:, :, None], x.shape)[there]], axis=1)
    return np.asarray(points[chosen])


def _graded(rims: Sequence[Array], spacing: float, seams: SeamPoints) -> Array:
    """Points whose distance grows from the length of the pieces of rims and seams to a spacing."""
    from scipy.spatial import cKDTree

    rim = np.concatenate([*rims, *(0.5 * (each + np.roll(each, -1, axis=0)) for each in rims)])
    sides = [np.linalg.norm(np.roll(each, -1, axis=0) - each, axis=1) for each in rims]
    corner = [0.5 * (side + np.roll(side, 1)) for side in sides]
    length = np.concatenate([*corner, *sides])
    for a, b in seams.edges:
        ends = seams.points[[a, b]]
        rim = np.concatenate([rim, ends, ends.mean(axis=0, keepdims=True)])
        length = np.concatenate([length, np.full(3, np.linalg.norm(ends[1] - ends[0]))])
    taken = rim.copy()
    if not length.min() > 0:
        raise OutlineError("two points of a rim are one")
    least = float(length.min())
    levels = max(1, math.ceil(math.log2(max(spacing / least, 1.0))) + 1)
    box = np.ptp(rims[0], axis=0) * 2.0 ** (levels - 1) / spacing
    if float(np.prod(box)) > _MOST_PLACES:
        raise OutlineError("a piece of a rim or line is too short beside all the others")
    tree = cKDTree(rim)
    for level in range(levels)[::-1]:
        step = spacing / 2**level
        if level:
            # Elsewhere points are wanted further apart than that.
            short = rim[length <= _NEARER * step]
            fresh = _grid_near(rims, step, short, (_NEARER * step - least) / _GROWTH)
        else:
            fresh = _grid_of(rims, step)
        if not len(fresh):
            continue
        away, near = (np.asarray(each) for each in tree.query(fresh, k=min(6, len(rim))))
        wanted = np.min(length[near] + _GROWTH * away, axis=-1)
        wanted = np.minimum(wanted.ravel(), spacing)
        if level:
            here = np.flatnonzero(wanted <= _NEARER * step)
            here = here[between_rims(fresh[here], rims)]
            fresh, wanted = fresh[here], wanted[here]
        for point, own in zip(fresh, wanted, strict=True):
            if np.linalg.norm(taken - point, axis=1).min() > _APART * own:
                taken = np.concatenate([taken, point[None]])
    return _evened(rims, seams.points, taken[len(rim) :])


def _evened(rims: Sequence[Array], still: Array, inner: Array) -> Array:
    """Points moved to the middle of their neighbours, some times over; none leaves the domain."""
    from scipy.spatial import Delaunay

    count = sum(map(len, rims)) + len(still)
    for _ in range(_ROUNDS if len(inner) else 0):
        points = np.concatenate([*rims, still, inner])
        triangles = Delaunay(points).simplices
        total, uses = np.zeros_like(points), np.zeros(len(points))
        for one, two in ((0, 1), (1, 2), (2, 0)):
            for a, b in ((one, two), (two, one)):
                np.add.at(total, triangles[:, a], points[triangles[:, b]])
                np.add.at(uses, triangles[:, a], 1.0)
        moved = (total / np.maximum(uses, 1.0)[:, None])[count:]
        inner = np.where(between_rims(moved, rims)[:, None], moved, inner)
    return inner


def _missing(
    triangles: NDArray[np.intp], rims: Sequence[Array], seams: SeamPoints
) -> list[tuple[int, int]]:
    """Edges of rims and seams no triangle has, as (loop, edge)."""
    there = {(min(i, j), max(i, j)) for a, b, c in triangles for i, j in ((a, b), (b, c), (c, a))}
    missing: list[tuple[int, int]] = []
    start = 0
    for place, rim in enumerate(rims):
        count = len(rim)
        for edge in range(count):
            i, j = start + edge, start + (edge + 1) % count
            if (min(i, j), max(i, j)) not in there:
                missing.append((place, edge))
        start += count
    for place, chain in enumerate(seams.chains, len(rims)):
        for edge, (i, j) in enumerate(itertools.pairwise(chain)):
            if (start + min(i, j), start + max(i, j)) not in there:
                missing.append((place, edge))
    return missing


def _opened(points: Array, triangles: NDArray[np.intp], rim: int) -> NDArray[np.intp]:
    """Turn the long side of triangles squeezed into a blunt corner of the boundary.

    Three points on one arc would make a triangle with a straight angle once its sides bend.
    """
    faces = [tuple(map(int, face)) for face in triangles]
    edges: dict[frozenset[int], list[int]] = {}
    for number, face in enumerate(faces):
        for i in range(3):
            edges.setdefault(frozenset((face[i], face[(i + 1) % 3])), []).append(number)
    for number, face in enumerate(list(faces)):
        if faces[number] != face:
            continue
        for i in range(3):
            tip, a, b = face[i], face[(i + 1) % 3], face[(i + 2) % 3]
            sides = [edges[frozenset((tip, end))] for end in (a, b)]
            across = edges[frozenset((a, b))]
            if max(map(len, sides)) > 1 or len(across) < 2 or max(tip, a, b) >= rim:
                continue
            arms = points[[a, b]] - points[tip]
            cosine = float(arms[0] @ arms[1] / np.prod(np.linalg.norm(arms, axis=1)))
            other = next(n for n in across if n != number)
            if cosine > _BLUNT:
                continue
            far = next(v for v in faces[other] if v not in (a, b))
            faces[number], faces[other] = (tip, a, far), (tip, far, b)
            for pair in ((a, far), (b, far)):
                edges[frozenset(pair)] = [
                    n for n in (number, other) if set(pair) <= set(faces[n])
                ] + [n for n in edges[frozenset(pair)] if n not in (number, other)]
            edges[frozenset((tip, far))] = [number, other]
            del edges[frozenset((a, b))]
            break
    return np.array(faces, dtype=np.intp)


def _left_turning(points: Array, triangles: NDArray[np.intp]) -> NDArray[np.intp]:
    a, b, c = (points[triangles[:, corner]] for corner in range(3))
    area = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]
    triangles = triangles[np.abs(area) > 1e-12 * np.abs(area).max()]
    area = area[np.abs(area) > 1e-12 * np.abs(area).max()]
    turned = triangles.copy()
    turned[area < 0] = triangles[area < 0][:, ::-1]
    return turned
