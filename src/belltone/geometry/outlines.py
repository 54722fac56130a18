"""Whether the outline and the holes of a plate make sense together."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.profiles import Line, Segment
from belltone.geometry.shapes import (
    Contour,
    ContourHole,
    Disc,
    Hole,
    Outline,
    Plate,
    Polygon,
    RectangularHole,
    RoundedRectangle,
    RoundHole,
    extent,
)

__all__ = [
    "between_rims",
    "closed_line",
    "contour_problem",
    "inside",
    "plate_problems",
    "polygon_problem",
    "rim_distance",
]

Array = NDArray[np.float64]

_ROUND: Final = 96  # straight pieces a circle is judged by
_TIGHT: Final = 0.5e-3  # of the plate's size; a ligament below this cannot be meshed


def plate_problems(plate: Plate) -> Iterator[tuple[int, str]]:
    """Yield what is wrong, with the number of the hole at fault (-1: the outline)."""
    outline = plate.outline
    problem = None
    if isinstance(outline, Polygon):
        problem = polygon_problem(outline)
    elif isinstance(outline, Contour):
        problem = contour_problem(outline)
    if problem is not None:
        yield -1, problem
        return
    for index, hole in enumerate(plate.holes):
        if isinstance(hole, ContourHole) and (problem := contour_problem(hole.rim)) is not None:
            yield index, problem
            return
    low, high = extent(outline)
    least = _TIGHT * float(np.linalg.norm(high - low))
    rims = [("the outline", closed_line(outline))]
    if isinstance(outline, Disc) and outline.bore:
        rims.append(("the bore", closed_line(Disc(outline.bore))))
    for index, hole in enumerate(plate.holes):
        line = closed_line(hole)
        if not inside(line, rims[0][1]).all():
            yield index, f"the hole “{hole.name}” reaches over the plate's outline"
            continue
        clash = next((name for name, rim in rims[1:] if _overlap(line, rim)), None)
        if clash is not None:
            yield index, f"the hole “{hole.name}” overlaps {clash}"
            continue
        gaps = {name: float(rim_distance(line, rim).min()) for name, rim in rims}
        near = min(gaps, key=lambda name: gaps[name])
        if gaps[near] < least:
            yield (
                index,
                f"only {gaps[near] * 1e3:.2g} mm are left between the hole “{hole.name}” and "
                f"{near}; at least {least * 1e3:.2g} mm are needed",
            )
        rims.append((f"the hole “{hole.name}”", line))


def closed_line(shape: Outline | Hole) -> Array:
    """A closed line of points ``(n, 2)`` round an outline or a hole, bores left out."""
    angle = np.linspace(0.0, 2 * np.pi, _ROUND, endpoint=False)
    circle = np.column_stack([np.cos(angle), np.sin(angle)])
    if isinstance(shape, Polygon):
        return np.array(shape.corners)
    if isinstance(shape, Disc):
        return shape.radius * circle
    if isinstance(shape, RoundHole):
        return np.array(shape.centre) + shape.radius * circle
    if isinstance(shape, RoundedRectangle):
        half = 0.5 * np.array([shape.width, shape.height]) - shape.radius
        return np.sign(np.round(circle, 12)) * half + shape.radius * circle
    if isinstance(shape, RectangularHole):
        return shape.corners
    rim = shape.rim if isinstance(shape, ContourHole) else shape
    return np.concatenate([_sampled(segment) for segment in rim.segments])


def _sampled(segment: Segment) -> Array:
    """Points of a segment but its last, so close that an arc is told from its chords."""
    if isinstance(segment, Line):
        return np.array([segment.start])
    pieces = max(2, math.ceil(_ROUND * abs(segment.last - segment.first) / (2 * np.pi)))
    return segment.position(np.arange(pieces) / pieces)


def contour_problem(contour: Contour) -> str | None:
    """What is wrong with lines and arcs that should close without crossing, if anything."""
    line = closed_line(contour)
    start, along = line, np.roll(line, -1, axis=0) - line
    cross = along[:, None, 0] * along[None, :, 1] - along[:, None, 1] * along[None, :, 0]
    apart = start[None] - start[:, None]
    with np.errstate(divide="ignore", invalid="ignore"):
        first = (apart[..., 0] * along[None, :, 1] - apart[..., 1] * along[None, :, 0]) / cross
        second = (apart[..., 0] * along[:, None, 1] - apart[..., 1] * along[:, None, 0]) / cross
    meet = (first > 0) & (first < 1) & (second > 0) & (second < 1)
    count = len(line)
    index = np.arange(count)
    beside = np.abs(index[:, None] - index[None])
    meet &= (beside > 1) & (beside < count - 1)
    if not meet.any():
        return None
    at = int(np.argwhere(meet)[0][0])
    place = start[at] + first[at][meet[at]][0] * along[at]
    return f"the contour crosses itself at {_place(place)}"


def inside(points: Array, loop: Array) -> NDArray[np.bool_]:
    """Which points ``(n, 2)`` lie inside a closed polygon ``(m, 2)``."""
    found = np.zeros(len(points), bool)
    near = ((points >= loop.min(axis=0)) & (points <= loop.max(axis=0))).all(axis=1)
    if not near.any():
        return found
    stop = np.concatenate([loop[1:], loop[:1]])
    sloping = loop[:, 1] != stop[:, 1]
    (x0, y0), (x1, y1) = loop[sloping].T, stop[sloping].T
    x, y = points[near].T[:, :, None]
    crosses = (y0 > y) != (y1 > y)
    left = x < x0 + (y - y0) * ((x1 - x0) / (y1 - y0))
    found[near] = np.count_nonzero(crosses & left, axis=1) % 2 == 1
    return found


def between_rims(points: Array, rims: Sequence[Array]) -> NDArray[np.bool_]:
    """Which points ``(n, 2)`` lie inside the first of some closed polygons and in no other."""
    kept = inside(points, rims[0])
    for rim in rims[1:]:
        kept &= ~inside(points, rim)
    return kept


def rim_distance(points: Array, loop: Array) -> Array:
    """Distance of points ``(n, 2)`` to a closed polygon ``(m, 2)``."""
    start, stop = loop, np.roll(loop, -1, axis=0)
    along = stop - start
    lengths = np.maximum(np.sum(along**2, axis=1), np.finfo(float).tiny)
    share = np.einsum("nmd,md->nm", points[:, None] - start, along) / lengths
    nearest = start + np.clip(share, 0, 1)[..., None] * along
    return np.asarray(np.linalg.norm(points[:, None] - nearest, axis=2).min(axis=1))


def _overlap(one: Array, other: Array) -> bool:
    return bool(inside(one, other).any() or inside(other, one).any())


def polygon_problem(outline: Polygon) -> str | None:
    """What is wrong with the sides of a polygon, if anything."""
    corners = np.array(outline.corners)
    count = len(corners)
    for i in range(count):
        a, b = corners[i], corners[(i + 1) % count]
        if np.linalg.norm(b - a) == 0:
            return f"two neighbouring corners are the same point, {_place(a)}"
        for j in range(i + 1, count):
            c, d = corners[j], corners[(j + 1) % count]
            neighbours = j == i + 1 or (i == 0 and j == count - 1)
            if not neighbours and _cross(a, b, c, d):
                return (
                    f"the sides from {_place(a)} and from {_place(c)} cross; list the corners in "
                    "the order they follow each other round it"
                )
    return None


def _cross(a: Array, b: Array, c: Array, d: Array) -> bool:
    def side(p: Array, q: Array, r: Array) -> float:
        return float((q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]))

    # Sides on one line do not cross where one ends before the other begins.
    low = np.maximum(np.minimum(a, b), np.minimum(c, d))
    if np.any(low > np.minimum(np.maximum(a, b), np.maximum(c, d))):
        return False
    return side(a, b, c) * side(a, b, d) <= 0 and side(c, d, a) * side(c, d, b) <= 0


def _place(point: Array) -> str:
    return f"({point[0] * 1e3:g} mm, {point[1] * 1e3:g} mm)"
