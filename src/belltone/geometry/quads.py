"""Quadrilaterals for outlines no simple block scheme fits: a strip along each rim, pairs between.

Between the strips stand triangles, and pairs of neighbours make one quadrilateral each, chosen so
that all are as well shaped as they can be. As with triangles the neighbourhood is chosen once;
afterwards the inner points follow the boundary by the weights with which they stood at first (M. S.
Floater, "Mean value coordinates", Comput. Aided Geom. Des. 20 (2003) 19-27), so the mesh moves
smoothly while dimensions change.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.curved_quads import edge_key
from belltone.geometry.outlines import inside
from belltone.geometry.quad_repair import evened, least_sine, without_triangles
from belltone.geometry.triangles import (
    OutlineError,
    between,
    coarsest_curve,
    cut_more,
    cut_rims,
    piece_lengths,
    pieces_of,
)

__all__ = ["Paired", "Quads", "graded_quads", "inner_places", "pairs_between", "quads"]

Array = NDArray[np.float64]
Loop = Sequence[Array] | Array
Edge = tuple[int, int]
Face = tuple[int, int, int, int]
Triangle = tuple[int, int, int]

_MOST_TURN: Final = math.pi / 2
_MOST_TURN_OF_HOLES: Final = math.pi / 4  # a strip's straight outer side would cut the arc
_ROOM: Final = 2.4  # of a strip's width; so far a rim is clear of what lies across
_SHRINKS: Final = 8
_ATTEMPTS: Final = 3
_PAIR: Final = 10.0  # that a triangle has a partner is worth more than any shape
_LEAST_SINE: Final = 0.3  # of the angles of a quadrilateral
_LEAST_SINE_GRADED: Final = 0.12  # where sizes change fast


@dataclass(frozen=True)
class Quads:
    """Which points form quadrilaterals: boundary points first, loop by loop, then inner ones.

    ``divisions`` holds for each loop into how many pieces each of its curves is cut. ``weights``
    gives each inner point, in order, from others: (number, weight) pairs whose weights sum to one.
    """

    divisions: tuple[tuple[int, ...], ...]
    faces: tuple[Face, ...]
    weights: tuple[tuple[tuple[int, float], ...], ...]


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
        _weights(found.points, [*halves, *found.triangles], found.rim),
    )


def graded_quads(loops: Sequence[Sequence[Loop]], spacing: float, width: float) -> Quads | None:
    """The same where holes are small next to the domain: sizes grow away from them."""
    curves = [np.asarray(curve) for loop in loops for curve in loop]
    room = iter(piece_lengths(curves, _MOST_TURN_OF_HOLES))
    divisions = [
        [pieces_of(curve, min(spacing, next(room)), _MOST_TURN_OF_HOLES) for curve in loop]
        for loop in loops
    ]
    if sum(map(sum, divisions)) % 2:
        divisions[0][coarsest_curve(loops[0], divisions[0])] += 1
    lines = [np.concatenate([np.asarray(curve)[:-1] for curve in loop]) for loop in loops]
    try:
        found = pairs_between(lines, cut_rims(loops, divisions), spacing, width, graded=True)
    except OutlineError:
        return None
    if found is None or found.missing or found.alone:
        return None
    halves = [half for a, b, c, d in found.faces for half in ((a, b, c), (a, c, d))]
    return Quads(
        tuple(map(tuple, divisions)), found.faces, _weights(found.points, halves, found.rim)
    )


@dataclass(frozen=True, eq=False)
class Paired:
    """Strips along rims and what stands between: ``points``, the ``rim`` first ones on the rims.

    ``triangles`` are all between the strips, ``pairs`` two of them each, ``alone`` those without a
    partner; ``missing`` edges, (rim, edge), have no triangle.
    """

    points: Array
    rim: int
    strips: tuple[Face, ...]
    triangles: tuple[Triangle, ...] = ()
    pairs: tuple[Face, ...] = ()
    alone: tuple[Triangle, ...] = ()
    missing: tuple[tuple[int, int], ...] = ()

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
) -> Paired | None:
    """A strip of about a ``width`` along each rim, triangles of about a size between, in pairs.

    ``rims`` are the points of each loop, counter-clockwise, the outline first; ``lines`` many
    points along the same loops. ``graded`` makes strips no wider than the pieces they stand on, and
    triangles small where these are short. None where there is no room for strips.
    """
    widths = [np.full(len(rim), width) for rim in rims]
    if graded:
        widths = [np.minimum(width, _shorter(rim)) for rim in rims]
    rings = _rings(lines, rims, widths)
    if rings is None:
        return None
    count = sum(map(len, rims))
    strips: list[Face] = []
    start = 0
    for rim, outer in zip(rims, [True] + [False] * (len(rims) - 1), strict=True):
        for i in range(len(rim)):
            a, b = start + i, start + (i + 1) % len(rim)
            # All rims run counter-clockwise: the wall is on the left of the outline alone.
            face = (a, b, b + count, a + count)
            strips.append(face if outer else (b, a, a + count, b + count))
        start += len(rim)
    points, triangles, missing = between(rings, spacing, graded)
    everything = np.concatenate([*rims, points])
    if missing:
        return Paired(everything, count, tuple(strips), missing=tuple(missing))
    pairs, alone = _paired(points, triangles, _LEAST_SINE_GRADED if graded else _LEAST_SINE)
    numbered = [(int(a), int(b), int(c)) for a, b, c in triangles + count]
    if graded:
        four = [tuple(corner + count for corner in face) for face in pairs]
        shapes = without_triangles(everything, [*four, *(numbered[each] for each in alone)])
        everything = evened(everything, [*strips, *shapes], count)
        return Paired(
            everything,
            count,
            tuple(strips),
            (),
            tuple((a, b, c, d) for a, b, c, d in (face for face in shapes if len(face) == 4)),
            tuple((a, b, c) for a, b, c in (face for face in shapes if len(face) == 3)),
        )
    return Paired(
        everything,
        count,
        tuple(strips),
        tuple(numbered),
        tuple((a + count, b + count, c + count, d + count) for a, b, c, d in pairs),
        tuple(numbered[number] for number in alone),
    )


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
    lines = [np.concatenate([np.asarray(curve)[:-1] for curve in loop]) for loop in loops]
    for _ in range(_ATTEMPTS):
        if sum(map(sum, divisions)) % 2:
            # So there is an even number of triangles, which may go in pairs.
            divisions[0][coarsest_curve(loops[0], divisions[0])] += 1
        rims = cut_rims(loops, divisions)
        found = pairs_between(lines, rims, spacing, width)
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


def _shorter(rim: Array) -> Array:
    """The shorter of the two pieces that meet at each point of a rim."""
    sides = np.linalg.norm(np.roll(rim, -1, axis=0) - rim, axis=1)
    return np.asarray(np.minimum(sides, np.roll(sides, 1)))


def _rings(
    lines: Sequence[Array], rims: Sequence[Array], wished: Sequence[Array]
) -> list[Array] | None:
    """Points beside those of each rim, across the strip there; None where there is no room."""

    def clear(points: Array) -> NDArray[np.bool_]:
        kept = inside(points, lines[0])
        for line in lines[1:]:
            kept &= ~inside(points, line)
        return kept

    rings: list[Array] = []
    for place, (line, rim) in enumerate(zip(lines, rims, strict=True)):
        at = np.argmin(np.linalg.norm(rim[:, None] - line, axis=2), axis=1)
        sides = [rim - line[at - 1], line[(at + 1) % len(line)] - rim]
        along = [side / np.linalg.norm(side, axis=1, keepdims=True) for side in sides]
        inwards = 1.0 if place == 0 else -1.0
        away = inwards * sum(np.column_stack([-side[:, 1], side[:, 0]]) for side in along)
        # Round a corner the strip is as wide as along both its sides.
        away = away / np.maximum(0.5 * np.sum(away**2, axis=1, keepdims=True), 0.5)
        widths = wished[place][:, None]
        for _ in range(_SHRINKS):
            room = clear(rim + _ROOM * widths * away) & clear(rim + widths * away)
            if room.all():
                break
            widths = np.where(room[:, None], widths, 0.7 * widths)
        else:
            return None
        rings.append(rim + widths * away)
    return rings


def _paired(
    points: Array, triangles: NDArray[np.intp], least: float
) -> tuple[list[Face], list[int]]:
    """Quadrilaterals of neighbouring triangles, as many as can be, and the triangles left alone."""
    from scipy.optimize import Bounds, LinearConstraint, milp  # loads slowly, few outlines need it

    across: dict[Edge, list[tuple[int, Face]]] = {}
    for number, (a, b, c) in enumerate(triangles.tolist()):
        for i, j, tip in ((a, b, c), (b, c, a), (c, a, b)):
            across.setdefault(edge_key(i, j), []).append((number, (tip, i, -1, j)))
    owners: list[tuple[int, int]] = []
    faces: list[Face] = []
    worth: list[float] = []
    for each in across.values():
        if len(each) == 2:
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


def _weights(
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
