"""Quadrilaterals for outlines no simple block scheme fits: a strip along each rim, pairs between.

Between the strips stand triangles, and pairs of neighbours make one quadrilateral each, chosen so
that all are as well shaped as they can be. As with triangles the neighbourhood is chosen once;
afterwards the inner points follow the boundary by the weights with which they stood at first (M. S.
Floater, "Mean value coordinates", Comput. Aided Geom. Des. 20 (2003) 19-27), so the mesh moves
smoothly while dimensions change.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.curved_quads import edge_key
from belltone.geometry.outlines import between_rims, rim_distance
from belltone.geometry.quad_mending import mended
from belltone.geometry.quad_repair import least_sine, without_triangles
from belltone.geometry.seams import SeamPoints, cut_seams, knots
from belltone.geometry.triangles import (
    NO_SEAMS,
    OutlineError,
    between,
    coarsest_curve,
    cut_more,
    cut_rims,
    piece_lengths,
    pieces_of,
)

__all__ = [
    "Loop",
    "Paired",
    "Pieces",
    "Quads",
    "graded_pairs",
    "graded_quads",
    "inner_places",
    "pairs_between",
    "quads",
    "weighted",
]

Array = NDArray[np.float64]
Loop = Sequence[Array] | Array
Edge = tuple[int, int]
Face = tuple[int, int, int, int]
Triangle = tuple[int, int, int]
Pieces = tuple[tuple[int, ...], ...]

_MOST_TURN: Final = math.pi / 2
_MOST_TURN_OF_HOLES: Final = math.pi / 4  # a strip's straight outer side would cut the arc
_ROOM: Final = 2.4  # of a strip's width; so far a rim is clear of what lies across
_SHRINKS: Final = 8
_ATTEMPTS: Final = 3
_ATTEMPTS_GRADED: Final = 8  # where holes come near a rim, each cuts it a little finer
_TOUCHING: Final = 1e-6  # of its length; a line so near to another meets it
_BESIDE: Final = 3.0  # times the distance; so long pieces may be beside what is near
_MOST_PIECES: Final = 120  # of rims and lines
_STRIP_SHARE: Final = 0.35  # of the way to a line that comes near a rim
_PAIR: Final = 10.0  # that a triangle has a partner is worth more than any shape
_LEAST_SINE: Final = 0.3  # of the angles of a quadrilateral
_LEAST_SINE_GRADED: Final = 0.12  # where sizes change fast


@dataclass(frozen=True)
class Quads:
    """Which points form quadrilaterals: boundary points, loop by loop, those of seams, inner ones.

    ``divisions`` holds for each loop into how many pieces each of its curves is cut, ``seams`` the
    same of each stretch of a line within. ``weights`` gives each inner point, in order, from
    others: (number, weight) pairs whose weights sum to one.
    """

    divisions: tuple[tuple[int, ...], ...]
    faces: tuple[Face, ...]
    weights: tuple[tuple[tuple[int, float], ...], ...]
    seams: tuple[tuple[int, ...], ...] = ()


def quads(loops: Sequence[Sequence[Loop]], spacing: float, width: float) -> Quads | None:
    """Cut a domain into quadrilaterals of about a size; None where none are found.

    Loops are those of `triangulate`. Strips are of a ``width`` where there is room for it.
    """
    turns = [_MOST_TURN] + [_MOST_TURN_OF_HOLES] * (len(loops) - 1)
    divisions = [
        [pieces_of(curve, spacing, turn) for curve in loop]
        for loop, turn in zip(loops, turns, strict=True)
    ]
    for loop, cut in zip(loops, divisions, strict=True):
        while sum(cut) < 4:
            cut[coarsest_curve(loop, cut)] += 1
    try:
        found = _between(loops, divisions, spacing, width)
    except OutlineError:
        return None
    if found is None:
        return None
    halves = [half for a, b, c, d in found.strips for half in ((a, b, c), (a, c, d))]
    return Quads(
        tuple(map(tuple, divisions)),
        found.faces,
        weighted(found.points, [*halves, *found.triangles], found.rim),
    )


def _beside_lines(curve: Loop, lines: Sequence[Array], spacing: float) -> float:
    """How long pieces of a rim may be beside lines that come near it."""
    points = np.asarray(curve)
    return min([spacing, *(_BESIDE * _apart(line, points) for line in lines)])


def _pieces_along(lines: Sequence[Array], rims: Sequence[Array], spacing: float) -> list[list[int]]:
    """Into how many pieces lines are cut between their knots, shorter where others are near."""
    found: list[list[int]] = []
    for number, (line, shares) in enumerate(zip(lines, knots(lines), strict=True)):
        others = [_apart(line, rim) for rim in rims]
        others += [_apart(line, other) for n, other in enumerate(lines) if n != number]
        size = min([spacing, *(_BESIDE * away for away in others if away > 0)])
        length = float(np.linalg.norm(line[1] - line[0]))
        found.append(
            [
                max(1, round((high - low) * length / size))
                for low, high in itertools.pairwise(shares)
            ]
        )
    return found


def _too_many(*cuts: Sequence[Sequence[int]]) -> bool:
    """Whether something comes so near to a rim or line that following it is out of proportion."""
    return sum(sum(cut) for each in cuts for cut in each) > _MOST_PIECES


def _narrowed(width: float, lines: Sequence[Array], rims: Sequence[Array]) -> float:
    """A width of strips that leaves room between them and lines."""
    return min([width, *(_STRIP_SHARE * _apart(line, rim) for line in lines for rim in rims)])


def _apart(line: Array, points: Array) -> float:
    """How far a line (2, 2) is from others or from points of a rim; zero where lines touch."""
    if len(points) > 2:
        return float(rim_distance(points, line).min())
    if any(len(shares) > 2 for shares in knots([line, points])):
        return 0.0
    away = float(min(rim_distance(points, line).min(), rim_distance(line, points).min()))
    return away if away > _TOUCHING * float(np.linalg.norm(line[1] - line[0])) else 0.0


def graded_quads(
    loops: Sequence[Sequence[Loop]], spacing: float, width: float, lines: Sequence[Array] = ()
) -> Quads | None:
    """The same where holes are small next to the domain: sizes grow away from them.

    Quadrilaterals end along straight ``lines`` (2, 2) within.
    """
    graded = graded_pairs(loops, spacing, width, lines, even=True)
    if graded is None or graded[0].alone:
        return None
    found, divisions, pieces = graded
    halves = [half for a, b, c, d in found.faces for half in ((a, b, c), (a, c, d))]
    return Quads(
        divisions, found.faces, weighted(found.points, halves, found.rim + found.on_seams), pieces
    )


def graded_pairs(
    loops: Sequence[Sequence[Loop]],
    spacing: float,
    width: float,
    lines: Sequence[Array],
    even: bool,
) -> tuple[Paired, Pieces, Pieces] | None:
    """Pairs of triangles whose sizes grow, and into how many pieces rims and lines are cut.

    Only where they are to come out ``even``, triangles left alone are brought together.
    """
    curves = [np.asarray(curve) for loop in loops for curve in loop]
    room = iter(piece_lengths(curves, _MOST_TURN_OF_HOLES))
    divisions = [
        [
            pieces_of(
                curve, min(_beside_lines(curve, lines, spacing), next(room)), _MOST_TURN_OF_HOLES
            )
            for curve in loop
        ]
        for loop in loops
    ]
    if sum(map(sum, divisions)) % 2:
        divisions[0][coarsest_curve(loops[0], divisions[0])] += 1
    outlines = _outlines(loops)
    pieces = _pieces_along(lines, outlines, spacing)
    width = _narrowed(width, lines, outlines)
    if lines and _too_many(divisions, pieces):
        return None
    for _ in range(_ATTEMPTS_GRADED):
        rims, seams = cut_rims(loops, divisions), cut_seams(lines, pieces)
        try:
            found = pairs_between(outlines, rims, spacing, width, True, seams, repaired=even)
        except OutlineError:
            return None
        if found is None:
            return None
        if not found.missing:
            return found, tuple(map(tuple, divisions)), tuple(map(tuple, pieces))
        cut_more([*divisions, *pieces], found.missing, 2)
        if _too_many(divisions, pieces):
            return None
        if sum(map(sum, divisions)) % 2:
            divisions[0][coarsest_curve(loops[0], divisions[0])] += 1
    return None


def _outlines(loops: Sequence[Sequence[Loop]]) -> list[Array]:
    return [np.concatenate([np.asarray(curve)[:-1] for curve in loop]) for loop in loops]


@dataclass(frozen=True, eq=False)
class Paired:
    """Strips along rims and what stands between: ``points``, the ``rim`` first ones on the rims.

    So many ``on_seams`` follow. ``triangles`` are all between the strips, ``pairs`` two of them
    each, ``alone`` those without a partner; ``missing`` edges, (rim, edge), have no triangle.
    """

    points: Array
    rim: int
    strips: tuple[Face, ...]
    triangles: tuple[Triangle, ...] = ()
    pairs: tuple[Face, ...] = ()
    alone: tuple[Triangle, ...] = ()
    missing: tuple[tuple[int, int], ...] = ()
    on_seams: int = 0

    @property
    def faces(self) -> tuple[Face, ...]:
        """All quadrilaterals."""
        return self.strips + self.pairs


def pairs_between(
    lines: Sequence[Array],
    rims: Sequence[Array],
    spacing: float,
    width: float,
    graded: bool = False,
    seams: SeamPoints = NO_SEAMS,
    repaired: bool = True,
) -> Paired | None:
    """A strip of about a ``width`` along each rim, triangles of about a size between, in pairs.

    ``rims`` are the points of each loop, counter-clockwise, the outline first; ``lines`` many
    points along the same loops. ``graded`` makes strips no wider than the pieces they stand on, and
    triangles small where these are short; if ``repaired``, those left alone are then brought
    together, and faces that are nearly shut mended, strips too. No pair reaches across a seam,
    whose edges count as those of further loops. None where there is no room for strips.
    """
    widths = [np.full(len(rim), width, float) for rim in rims]
    if graded:
        widths = [np.minimum(width, _shorter(rim)) for rim in rims]
    rings = _rings(lines, rims, widths)
    if rings is None or not between_rims(seams.points, rings).all():
        return None
    count, along = sum(map(len, rims)), len(seams.points)
    strips: list[Face] = []
    start = 0
    for rim, outer in zip(rims, [True] + [False] * (len(rims) - 1), strict=True):
        for i in range(len(rim)):
            a, b = start + i, start + (i + 1) % len(rim)
            # All rims run counter-clockwise: the wall is on the left of the outline alone.
            face = (a, b, b + count + along, a + count + along)
            strips.append(face if outer else (b, a, a + count + along, b + count + along))
        start += len(rim)
    points, triangles, missing = between(rings, spacing, graded, seams)
    # Points of seams come before those of rings, so that all that stand still come first.
    order = np.r_[count : count + along, :count, count + along : len(points)]
    number = count + np.argsort(order)
    everything = np.concatenate([*rims, points[order]])
    if missing:
        return Paired(everything, count, tuple(strips), missing=tuple(missing), on_seams=along)
    kept = {(count + a, count + b) for a, b in seams.edges}
    kept |= {(b, a) for a, b in kept}
    least = _LEAST_SINE_GRADED if graded else _LEAST_SINE
    faces, alone = _paired(everything, number[triangles], least, kept)
    numbered = [(int(a), int(b), int(c)) for a, b, c in number[triangles]]
    if graded and repaired:
        shapes = without_triangles(everything, [*faces, *(numbered[each] for each in alone)], kept)
        there = {side for face in shapes for side in zip(face, (*face[1:], face[0]), strict=True)}
        if not there >= kept:
            return None  # a point at the end of a seam went with the triangles round it
        # Corners of triangles that are left stay, too: they come right behind what is fixed.
        still = count + along
        left = {point for face in shapes if len(face) == 3 for point in face if point >= still}
        others = {*range(still, len(everything))} - left
        order = np.array([*range(still), *sorted(left), *sorted(others)])
        again = np.argsort(order).tolist()
        shapes = [tuple(again[point] for point in face) for face in [*strips, *shapes]]
        everything, whole = mended(
            everything[order],
            [(a, b, c, d) for a, b, c, d in (face for face in shapes if len(face) == 4)],
            still + len(left),
            kept,
            _bulges(lines, rims),
        )
        lone = tuple((a, b, c) for a, b, c in (face for face in shapes if len(face) == 3))
        return Paired(everything, count, (), (), tuple(whole), lone, on_seams=along)
    return Paired(
        everything,
        count,
        tuple(strips),
        tuple(numbered),
        tuple(faces),
        tuple(numbered[each] for each in alone),
        on_seams=along,
    )


def _bulges(lines: Sequence[Array], rims: Sequence[Array]) -> dict[Edge, Array]:
    """By how much (m) the edges of faces along rims are curved into these, where they are."""
    found: dict[Edge, Array] = {}
    start = 0
    for place, (line, rim) in enumerate(zip(lines, rims, strict=True)):
        at = _nearest(line, rim)
        for i, (one, two) in enumerate(zip(at, np.roll(at, -1), strict=True)):
            middle = line[(one + (two - one) % len(line) // 2) % len(line)]
            a, b = rim[i], rim[(i + 1) % len(rim)]
            bulge = middle - 0.5 * (a + b)
            edge = start + i, start + (i + 1) % len(rim)
            run = b - a if place == 0 else a - b
            if run[0] * bulge[1] - run[1] * bulge[0] > 0:
                found[edge if place == 0 else edge[::-1]] = bulge
        start += len(rim)
    return found


def inner_places(found: Quads, boundary: Array) -> Array:
    """Places ``(inner, 2)`` of the inner points for given boundary points ``(b, 2)``."""
    count = len(boundary)
    rows = np.zeros((len(found.weights), count + len(found.weights)))
    for row, own in zip(rows, found.weights, strict=True):
        for number, weight in own:
            row[number] = weight
    system = np.eye(len(rows)) - rows[:, count:]
    return np.asarray(np.linalg.solve(system, rows[:, :count] @ boundary))


def _between(
    loops: Sequence[Sequence[Loop]], divisions: Sequence[list[int]], spacing: float, width: float
) -> Paired | None:
    """Strips and triangles between them, all of these in pairs.

    Curves are cut into more pieces where that fails.
    """
    outlines = _outlines(loops)
    for _ in range(_ATTEMPTS):
        if sum(map(sum, divisions)) % 2:
            # So there is an even number of triangles, which may go in pairs.
            divisions[0][coarsest_curve(loops[0], divisions[0])] += 1
        rims = cut_rims(loops, divisions)
        found = pairs_between(outlines, rims, spacing, width)
        if found is None:
            return None
        missing: Sequence[tuple[int, int]] = found.missing
        if not missing and not found.alone:
            return found
        if not missing:
            middles = found.points[np.array(found.alone)].mean(axis=1)
            rings = np.split(
                found.points[found.rim : 2 * found.rim], np.cumsum([len(rim) for rim in rims])[:-1]
            )
            missing = _beside(rings, middles)
        cut_more(divisions, missing, 1)
    return None


def _beside(rings: Sequence[Array], places: Array) -> list[tuple[int, int]]:
    """The edges of rings, (ring, edge), that are long and near to places."""
    found: set[tuple[int, int]] = set()
    edges = [(place, edge) for place, ring in enumerate(rings) for edge in range(len(ring))]
    start = np.concatenate(rings)
    stop = np.concatenate([np.roll(ring, -1, axis=0) for ring in rings])
    length = np.linalg.norm(stop - start, axis=1)
    for place in places:
        away = np.linalg.norm(0.5 * (start + stop) - place, axis=1)
        found.add(edges[int(np.argmin(away / length))])
    return sorted(found)


def _nearest(line: Array, rim: Array) -> NDArray[np.intp]:
    """For each point of a rim the number of the nearest of many along the same loop."""
    return np.asarray(np.argmin(np.linalg.norm(rim[:, None] - line, axis=2), axis=1))


def _shorter(rim: Array) -> Array:
    """The shorter of the two pieces that meet at each point of a rim."""
    sides = np.linalg.norm(np.roll(rim, -1, axis=0) - rim, axis=1)
    return np.asarray(np.minimum(sides, np.roll(sides, 1)))


def _rings(
    lines: Sequence[Array], rims: Sequence[Array], wished: Sequence[Array]
) -> list[Array] | None:
    """Points beside those of each rim, across the strip there; None where there is no room."""
    rings: list[Array] = []
    for place, (line, rim) in enumerate(zip(lines, rims, strict=True)):
        at = _nearest(line, rim)
        sides = [rim - line[at - 1], line[(at + 1) % len(line)] - rim]
        along = [side / np.linalg.norm(side, axis=1, keepdims=True) for side in sides]
        inwards = 1.0 if place == 0 else -1.0
        away = inwards * sum(np.column_stack([-side[:, 1], side[:, 0]]) for side in along)
        # Round a corner the strip is as wide as along both its sides.
        away = away / np.maximum(0.5 * np.sum(away**2, axis=1, keepdims=True), 0.5)
        widths = wished[place][:, None].copy()
        left = np.arange(len(rim))
        for _ in range(_SHRINKS):
            across = widths[left] * away[left]
            tried = np.concatenate([rim[left] + _ROOM * across, rim[left] + across])
            left = left[~between_rims(tried, lines).reshape(2, -1).all(axis=0)]
            if not len(left):
                break
            widths[left] *= 0.7
        else:
            return None
        rings.append(rim + widths * away)
    return rings


def _paired(
    points: Array, triangles: NDArray[np.intp], least: float, kept: Container[Edge]
) -> tuple[list[Face], list[int]]:
    """Quadrilaterals of neighbouring triangles, as many as can be, and the triangles left alone.

    None lies across a ``kept`` edge.
    """
    from scipy.optimize import Bounds, LinearConstraint, milp  # loads slowly, few outlines need it

    across: dict[Edge, list[tuple[int, Face]]] = {}
    for number, (a, b, c) in enumerate(triangles.tolist()):
        for i, j, tip in ((a, b, c), (b, c, a), (c, a, b)):
            across.setdefault(edge_key(i, j), []).append((number, (tip, i, -1, j)))
    owners: list[tuple[int, int]] = []
    faces: list[Face] = []
    worth: list[float] = []
    for edge, each in across.items():
        if len(each) == 2 and edge not in kept:
            (one, (tip, i, _, j)), (other, (far, *_)) = each
            face = (tip, i, far, j)
            sine = least_sine(points[list(face)])
            if sine > least:
                owners.append((one, other))
                faces.append(face)
                worth.append(_PAIR + sine)
    rows = np.zeros((len(triangles), len(faces)))
    for column, pair in enumerate(owners):
        rows[list(pair), column] = 1
    if not faces:
        return [], list(range(len(triangles)))
    chosen = milp(
        -np.array(worth),
        constraints=LinearConstraint(rows, 0, 1),
        integrality=np.ones(len(faces), np.intp),
        bounds=Bounds(0, 1),
    )
    if chosen.x is None:
        return [], list(range(len(triangles)))
    taken = chosen.x > 0.5
    alone = np.flatnonzero(rows @ taken < 1)
    return [face for face, here in zip(faces, taken, strict=True) if here], alone.tolist()


def weighted(
    points: Array, triangles: Sequence[tuple[int, int, int]], boundary: int
) -> tuple[tuple[tuple[int, float], ...], ...]:
    """Mean value coordinates of each inner point in its neighbours."""
    weights: list[Mapping[int, float]] = [{} for _ in range(len(points) - boundary)]
    for a, b, c in triangles:
        for i, j, k in ((a, b, c), (b, c, a), (c, a, b)):
            if i >= boundary:
                one, two = points[j] - points[i], points[k] - points[i]
                sizes = np.linalg.norm(one), np.linalg.norm(two)
                cosine = float(one @ two / (sizes[0] * sizes[1]))
                half = math.tan(0.5 * math.acos(min(1.0, max(-1.0, cosine))))
                own = dict(weights[i - boundary])
                for number, size in ((j, sizes[0]), (k, sizes[1])):
                    own[number] = own.get(number, 0.0) + half / float(size)
                weights[i - boundary] = own
    return tuple(
        tuple((number, value / sum(own.values())) for number, value in own.items())
        for own in weights
    )
