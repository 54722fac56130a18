"""Lines and arcs of drawings: curves followed, loose ends chained, contours nested."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.errors import UserError
from belltone.geometry.outlines import closed_line, inside
from belltone.geometry.profiles import Arc, Line, Segment, arc_through
from belltone.geometry.shapes import Contour
from belltone.sheet.units import format_number

__all__ = [
    "CURVE",
    "SAME",
    "UNITS",
    "BendLine",
    "DrawingError",
    "Drawn",
    "arcs_along",
    "box_of",
    "chained",
    "contour_of",
    "drawn_of",
    "few_points",
    "fewer_pieces",
    "fewer_points",
    "nested",
    "pair",
]

Array = NDArray[np.float64]

UNITS: Final = {"mm": 1e-3, "cm": 1e-2, "m": 1.0, "in": 0.0254, "ft": 0.3048}
CURVE: Final = 2e-5
"""Of a drawing's size; so near arcs follow splines and ellipses."""
_FEWER: Final = 1e-4  # of a size; so near arcs follow many short pieces
SAME: Final = 1e-6
"""Of a size; what differs by less is the same."""
_MOST_LOOSE: Final = 5_000  # lines and arcs that are put end to end
_MOST_POINTS: Final = 150  # a contour of a sheet has no more


class DrawingError(UserError):
    """A drawing no plate can be made of, in words for the user."""


@dataclass(frozen=True)
class BendLine:
    """A line to bend along (m), by an ``angle`` (rad), over an inner ``radius`` (m), up or down.

    What is ``None`` the drawing does not say.
    """

    start: tuple[float, float]
    stop: tuple[float, float]
    layer: str
    angle: float | None = None
    radius: float | None = None
    up: bool | None = None


@dataclass(frozen=True)
class Drawn:
    """What is drawn (m): ``loose`` lines and arcs, closed ``loops``, bend lines, and ``notes``."""

    size: float
    loose: tuple[Segment, ...]
    loops: tuple[tuple[Segment, ...], ...]
    notes: tuple[str, ...]
    bends: tuple[BendLine, ...] = field(default=())


def drawn_of(
    lines: Iterable[Sequence[Segment]],
    size: float,
    curved: int,
    notes: Sequence[str],
    bends: Sequence[BendLine] = (),
) -> Drawn:
    """What is drawn, of lines each end to end: those that close are loops, others loose.

    So many ``curved`` ones were followed by arcs.
    """
    loose: list[Segment] = []
    loops: list[tuple[Segment, ...]] = []
    for segments in lines:
        ends = (segments[0].start, segments[-1].stop) if len(segments) > 1 else None
        if ends is not None and math.dist(*ends) <= SAME * size:
            loops.append(tuple(segments))
        else:
            loose += segments
    told = list(notes)
    if curved:
        near = format_number(CURVE * size * 1e3, 2)
        told.append(f"{curved} curves are followed by arcs to {near} mm")
    return Drawn(size, tuple(loose), tuple(loops), tuple(told), tuple(bends))


def arcs_along(points: Array, near: float) -> Iterator[Segment]:
    """Points of a curve by arcs over three of them each, halved until they are near enough."""
    if len(points) < 3:
        yield Line(pair(points[0]), pair(points[-1]))
        return
    middle = len(points) // 2
    segment = _over(points[0], points[middle], points[-1])
    if len(points) > 4 and _off(segment, points) > near:
        yield from arcs_along(points[: middle + 1], near)
        yield from arcs_along(points[middle:], near)
    else:
        yield segment


def _over(start: Array, through: Array, stop: Array) -> Segment:
    try:
        return arc_through(pair(start), pair(through), pair(stop))
    except (ValueError, ZeroDivisionError):  # they lie on one line, or are one point
        return Line(pair(start), pair(stop))


def _off(segment: Segment, points: Array) -> float:
    """How far points are from a segment that begins and ends with them."""
    if isinstance(segment, Arc):
        if abs(segment.last - segment.first) > math.pi:
            return math.inf
        away = np.linalg.norm(points - np.array(segment.centre), axis=1) - segment.radius
        return float(np.abs(away).max())
    along = np.subtract(segment.stop, segment.start)
    length = float(np.linalg.norm(along))
    if length == 0:
        return math.inf
    apart = points - np.array(segment.start)
    return float(np.abs(apart[:, 0] * along[1] - apart[:, 1] * along[0]).max()) / length


def pair(point: Array) -> tuple[float, float]:
    """A point as two numbers."""
    return float(point[0]), float(point[1])


def _turned(segment: Segment) -> Segment:
    if isinstance(segment, Line):
        return Line(segment.stop, segment.start)
    return replace(segment, first=segment.last, last=segment.first)


def chained(loose: Sequence[Segment], gap: float) -> tuple[list[tuple[Segment, ...]], float]:
    """Closed chains of segments whose ends meet within a gap, and the widest gap closed.

    Raises `DrawingError` where a chain stays open.
    """
    if len(loose) > _MOST_LOOSE:
        raise DrawingError(
            f"{len(loose)} lines and arcs are drawn, where outlines of {_MOST_LOOSE} at most are "
            "followed; choose the layers that hold them"
        )
    ends = np.array([(each.start, each.stop) for each in loose]).reshape(-1, 2, 2)
    free = np.ones(len(loose), bool)
    chains: list[tuple[Segment, ...]] = []
    widest = 0.0
    while free.any():
        first = int(np.argmax(free))
        free[first] = False
        chain = [loose[first]]
        while True:
            end = np.array(chain[-1].stop)
            back = float(np.linalg.norm(end - np.array(chain[0].start)))
            away = np.where(free[:, None], np.linalg.norm(ends - end, axis=2), np.inf)
            at, side = divmod(int(np.argmin(away)), 2)
            far = float(away[at, side])
            if len(chain) > 1 and back <= gap and (back <= far or far > gap):
                widest = max(widest, back)
                break
            if far > gap:
                place = ", ".join(format_number(float(each) * 1e3, 6) for each in end)
                nearest = min(far, back)
                raise DrawingError(
                    f"a contour is open at ({place}) mm: the next end is "
                    f"{format_number(nearest * 1e3, 3)} mm away; close it, allow a wider gap, or "
                    "choose the layers that hold outlines"
                )
            widest = max(widest, far)
            free[at] = False
            chain.append(_turned(loose[at]) if side else loose[at])
        chains.append(tuple(_met(chain)))
    return chains, widest


def _met(chain: Sequence[Segment]) -> Iterator[Segment]:
    """Segments moved to meet end to end: lines take the ends of arcs beside them."""
    count = len(chain)
    for at, segment in enumerate(chain):
        if isinstance(segment, Arc):
            yield segment
            continue
        before, after = chain[at - 1], chain[(at + 1) % count]
        start = before.stop if isinstance(before, Arc) else segment.start
        stop = after.start
        yield Line(start, stop)


def contour_of(segments: Sequence[Segment]) -> Contour:
    """A closed chain, counter-clockwise."""
    found = Contour(tuple(segments))
    x, y = closed_line(found).T
    if np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)) < 0:
        return Contour(tuple(_turned(each) for each in segments[::-1]))
    return found


def nested(contours: Sequence[Contour]) -> tuple[Contour, list[Contour]]:
    """The contour all others lie in, and those; raises `DrawingError` where there is none."""
    lines = [closed_line(each) for each in contours]
    areas = [0.5 * abs(float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))) for x, y in
             (line.T for line in lines)]  # fmt: skip
    first = int(np.argmax(areas))
    holes = [at for at in range(len(contours)) if at != first]
    for at in holes:
        if not inside(lines[at], lines[first]).all():
            place = ", ".join(
                format_number(float(each) * 1e3, 5) for each in lines[at].mean(axis=0)
            )
            raise DrawingError(
                f"a contour about ({place}) mm lies beside or across the largest one; a plate has "
                "one outline: choose the layers that hold it"
            )
        for other in holes:
            if other != at and inside(lines[at], lines[other]).all():
                place = ", ".join(
                    format_number(float(each) * 1e3, 5) for each in lines[at].mean(axis=0)
                )
                raise DrawingError(
                    f"a contour about ({place}) mm lies in a hole; choose the layers that hold the "
                    "plate's outline and its holes"
                )
    return contours[first], [contours[at] for at in holes]


def box_of(contour: Contour) -> tuple[Array, Array]:
    """Lower and upper corner of the box round a contour (m)."""
    line = closed_line(contour)
    return line.min(axis=0), line.max(axis=0)


def fewer_points(contour: Contour, size: float) -> tuple[Contour, list[str]]:
    """A contour of too many points by fewer arcs, and what there is to say of it."""
    count = len(contour.segments)
    if count <= _MOST_POINTS:
        return contour, []
    share = np.linspace(0.0, 1.0, 9)
    points = np.concatenate(
        [
            segment.position(share if isinstance(segment, Arc) else share[[0, -1]])[:-1]
            for segment in contour.segments
        ]
    )
    # It begins at its sharpest corner, so that none is rounded off at the ends.
    before, after = points - np.roll(points, 1, axis=0), np.roll(points, -1, axis=0) - points
    size_of = np.linalg.norm(before, axis=1) * np.linalg.norm(after, axis=1)
    start = int(np.argmin(np.sum(before * after, axis=1) / np.maximum(size_of, 1e-300)))
    points = np.roll(points, -start, axis=0)
    found, told = _followed(np.concatenate([points, points[:1]]), count, size)
    return (Contour(tuple(found)), told) if found else (contour, [])


def fewer_pieces(pieces: Sequence[Segment], size: float) -> tuple[Sequence[Segment], list[str]]:
    """An open line of too many pieces by fewer arcs, and what there is to say of it."""
    if len(pieces) < _MOST_POINTS:
        return pieces, []
    points = np.array([pieces[0].start, *(piece.stop for piece in pieces)])
    found, told = _followed(points, len(pieces), size)
    return (found, told) if found else (pieces, [])


def _followed(points: Array, count: int, size: float) -> tuple[list[Segment], list[str]]:
    """Lines and arcs along points, with the words for it; none where these are too many still."""
    near = _FEWER * size
    found = list(_longest(points, near))
    if len(found) > _MOST_POINTS:
        return [], []  # whoever writes it says that it is too many
    words = f"{count} short pieces are followed by {len(found)} lines and arcs"
    return found, [f"{words} to {format_number(near * 1e3, 2)} mm"]


def _longest(points: Array, near: float) -> Iterator[Segment]:
    """Lines and arcs along straight pieces, each over as many of these as lie near enough."""
    at, last = 0, len(points) - 1
    while at < last:
        best: Segment = Line(pair(points[at]), pair(points[at + 1]))
        reach, step = 1, 2
        while at + reach < last and step:
            ahead = min(at + reach + step, last)
            segment = _over(points[at], points[(at + ahead) // 2], points[ahead])
            own = points[at : ahead + 1]
            between = np.concatenate([own, 0.5 * (own[1:] + own[:-1])])
            if _off(segment, between) <= near:
                best, reach, step = segment, ahead - at, 2 * step
            else:
                step //= 2
        yield best
        at += reach


def few_points(points: Sequence[str]) -> None:
    """Raises `DrawingError` where a contour has more points than a sheet takes."""
    if len(points) > _MOST_POINTS:
        raise DrawingError(
            f"a contour has {len(points)} points, where a plate's has {_MOST_POINTS} at most; "
            "draw it with arcs in place of many short lines"
        )
