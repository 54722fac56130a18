"""Plane profiles of lines and arcs: where they run, and which way."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = ["Arc", "Line", "Profile", "ProfileError", "arc_through", "rounded"]

_SHARP: Final = 0.05  # sine of the turn that makes a corner sharp

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]
Point = tuple[float, float]


class ProfileError(ValueError):
    """A profile that cannot be drawn; ``index`` is the point at fault, counted from 0."""

    def __init__(self, index: int, message: str) -> None:
        super().__init__(message)
        self.index = index


@dataclass(frozen=True)
class Line:
    """A straight segment between two points (m)."""

    start: Point
    stop: Point

    @property
    def length(self) -> float:
        """Length (m)."""
        return math.dist(self.start, self.stop)

    def position(self, share: Array) -> Array:
        """Points ``(n, 2)`` at shares of the length."""
        start, stop = np.array(self.start), np.array(self.stop)
        return np.asarray(start + share[:, None] * (stop - start))

    def slope(self, share: Array) -> Array:
        """Derivative of the position by the share, ``(n, 2)``."""
        return np.tile(np.subtract(self.stop, self.start), (len(share), 1))


@dataclass(frozen=True)
class Arc:
    """Part of a circle: centre and radius (m), from one angle to another (rad)."""

    centre: Point
    radius: float
    first: float
    last: float

    @property
    def length(self) -> float:
        """Length (m)."""
        return self.radius * abs(self.last - self.first)

    @property
    def start(self) -> Point:
        """Where it begins."""
        return self._at(self.first)

    @property
    def stop(self) -> Point:
        """Where it ends."""
        return self._at(self.last)

    def _at(self, angle: float) -> Point:
        return (
            self.centre[0] + self.radius * math.cos(angle),
            self.centre[1] + self.radius * math.sin(angle),
        )

    def position(self, share: Array) -> Array:
        """Points ``(n, 2)`` at shares of the length."""
        angle = self.first + share * (self.last - self.first)
        circle = np.column_stack([np.cos(angle), np.sin(angle)])
        return np.asarray(np.array(self.centre) + self.radius * circle)

    def slope(self, share: Array) -> Array:
        """Derivative of the position by the share, ``(n, 2)``."""
        angle = self.first + share * (self.last - self.first)
        turning = np.column_stack([-np.sin(angle), np.cos(angle)])
        return np.asarray(self.radius * (self.last - self.first) * turning)


Segment = Line | Arc


@dataclass(frozen=True)
class Profile:
    """Segments end to end; ``closed`` when the last meets the first."""

    segments: tuple[Segment, ...]
    closed: bool = False

    @property
    def length(self) -> float:
        """Length of all segments (m)."""
        return sum(segment.length for segment in self.segments)

    def at(self, segments: int | IntArray, shares: Array) -> tuple[Array, Array]:
        """Points and slopes ``(n, 2)`` at shares of a segment, or of one for each."""
        which = np.broadcast_to(segments, shares.shape)
        places, slopes = np.empty((2, len(shares), 2))
        for number in np.unique(which).tolist():
            own, segment = which == number, self.segments[number]
            places[own], slopes[own] = segment.position(shares[own]), segment.slope(shares[own])
        return places, slopes

    def kinks(self) -> frozenset[int]:
        """The segments before whose start the profile turns sharply."""
        ends = np.array([0.0, 1.0])
        found: set[int] = set()
        for index in range(0 if self.closed else 1, len(self.segments)):
            before, after = (
                self.segments[index - 1].slope(ends)[1],
                self.segments[index].slope(ends)[0],
            )
            sine = abs(before[0] * after[1] - before[1] * after[0])
            if sine > _SHARP * np.linalg.norm(before) * np.linalg.norm(after) or before @ after < 0:
                found.add(index)
        return frozenset(found)

    def place(self, along: float) -> tuple[int, float]:
        """The segment, and the share of it, a distance along the profile (m) falls on."""
        rest = along
        for index, segment in enumerate(self.segments):
            if rest <= segment.length or index == len(self.segments) - 1:
                return index, min(max(rest / segment.length, 0.0), 1.0)
            rest -= segment.length
        raise AssertionError("a profile has at least one segment")


def arc_through(start: Point, through: Point, stop: Point) -> Arc:
    """The arc from ``start`` over ``through`` to ``stop``; raises ``ValueError`` on a line."""
    (ax, ay), (bx, by), (cx, cy) = start, through, stop
    double = 2 * (ax * (by - cy) + bx * (cy - ay) + cx * (ay - by))
    size = max(math.dist(start, through), math.dist(through, stop), math.dist(start, stop))
    if abs(double) < 1e-9 * size * size:
        raise ValueError("the three points of the arc lie on a line")
    squares = [ax * ax + ay * ay, bx * bx + by * by, cx * cx + cy * cy]
    centre = (
        (squares[0] * (by - cy) + squares[1] * (cy - ay) + squares[2] * (ay - by)) / double,
        (squares[0] * (cx - bx) + squares[1] * (ax - cx) + squares[2] * (bx - ax)) / double,
    )
    angles = [math.atan2(y - centre[1], x - centre[0]) for x, y in (start, through, stop)]
    turn = 2 * math.pi
    to_middle, to_stop = ((angle - angles[0]) % turn for angle in angles[1:])
    last = angles[0] + (to_stop if to_middle < to_stop else to_stop - turn)
    return Arc(centre, math.dist(start, centre), angles[0], last)


def rounded(
    points: Sequence[Point], bends: Sequence[float], through: Sequence[Point | None], closed: bool
) -> Profile:
    """Join points by lines, or by arcs over a third point, and round corners.

    ``bends`` holds the radius at each point (0: sharp); ``through[i]`` the point the segment that
    reaches point i runs over. Raises `ProfileError`.
    """
    count = len(points)
    if count < (3 if closed else 2):
        raise ProfileError(0, f"a profile needs at least {3 if closed else 2} points")
    order = [*range(1, count), 0] if closed else list(range(1, count))
    ends: list[list[Point]] = []
    for index in order:
        before = points[index - 1]
        if math.dist(before, points[index]) == 0:
            raise ProfileError(index, "this point is the same as the one before it")
        ends.append([before, points[index]])
    arcs: dict[int, Arc] = {}
    for place, index in enumerate(order):
        corner = bends[index]
        if corner == 0 or (not closed and index == count - 1):
            continue
        following = (place + 1) % len(order)
        if through[index] is not None or through[order[following]] is not None:
            raise ProfileError(index, "a corner between arcs cannot be rounded")
        arcs[place] = _bend(index, ends[place], ends[following], points[index], corner)
    segments: list[Segment] = []
    for place, index in enumerate(order):
        start, stop = ends[place]
        middle = through[index]
        if middle is not None:
            try:
                segments.append(arc_through(start, middle, stop))
            except ValueError as error:
                raise ProfileError(index, str(error)) from None
        else:
            whole = math.dist(points[index - 1], points[index])
            if np.dot(np.subtract(stop, start), np.subtract(points[index], points[index - 1])) < (
                -1e-9 * whole * whole
            ):
                raise ProfileError(index, "the bends at both ends of this side do not fit on it")
            if math.dist(start, stop) > 1e-9 * whole:
                segments.append(Line(start, stop))
        if place in arcs:
            segments.append(arcs[place])
    return Profile(tuple(segments), closed)


def _bend(index: int, before: list[Point], after: list[Point], corner: Point, radius: float) -> Arc:
    """Cut both sides back to the tangent points and return the arc between them."""
    one = np.subtract(before[0], corner)
    two = np.subtract(after[1], corner)
    one, two = one / np.linalg.norm(one), two / np.linalg.norm(two)
    cosine = float(np.clip(one @ two, -1.0, 1.0))
    if abs(cosine) > 1 - 1e-12:
        raise ProfileError(index, "there is no corner to round here")
    half = 0.5 * math.acos(cosine)
    back = radius / math.tan(half)
    if back > math.dist(before[0], corner) * (1 + 1e-9) or back > math.dist(after[1], corner) * (
        1 + 1e-9
    ):
        raise ProfileError(
            index, f"a bend of {radius * 1e3:g} mm does not fit between its neighbours"
        )
    middle = (one + two) / np.linalg.norm(one + two)
    centre = np.array(corner) + middle * radius / math.sin(half)
    start, stop = np.array(corner) + back * one, np.array(corner) + back * two
    before[1] = (float(start[0]), float(start[1]))
    after[0] = (float(stop[0]), float(stop[1]))
    first = math.atan2(*(start - centre)[::-1])
    last = math.atan2(*(stop - centre)[::-1])
    turn = (last - first + math.pi) % (2 * math.pi) - math.pi
    return Arc((float(centre[0]), float(centre[1])), radius, first, first + turn)
