"""Curves in space that members follow: straight runs, arcs, and curves laid on a surface."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.profiles import ProfileError, arc_through
from belltone.vectors import cross

__all__ = ["Bow", "MemberPath", "Piece", "Straight", "Traced", "first_up", "space_path"]

Array = NDArray[np.float64]


class Piece(Protocol):
    """A smooth piece of a path."""

    @property
    def length(self) -> float:
        """Length (m)."""

    def locate(self, share: Array) -> tuple[Array, Array, Array]:
        """Positions (m), unit tangents and unit ups at shares ``(n,)`` of it, each ``(n, 3)``."""


@dataclass(frozen=True)
class Straight:
    """A straight run; ``up`` is a unit vector square to it."""

    start: Array
    stop: Array
    up: Array

    @property
    def length(self) -> float:
        """Length (m)."""
        return float(np.linalg.norm(self.stop - self.start))

    def locate(self, share: Array) -> tuple[Array, Array, Array]:
        """Positions, tangents and ups."""
        tangent = (self.stop - self.start) / self.length
        places = self.start + share[:, None] * (self.stop - self.start)
        count = len(share)
        return places, np.tile(tangent, (count, 1)), np.tile(self.up, (count, 1))


@dataclass(frozen=True)
class Bow:
    """Part of a circle: it turns ``arm`` about ``axis`` (unit) through ``angle`` (rad, above 0)."""

    centre: Array
    axis: Array
    arm: Array
    angle: float
    up: Array

    @property
    def length(self) -> float:
        """Length (m)."""
        return float(np.linalg.norm(self.arm) * self.angle)

    def locate(self, share: Array) -> tuple[Array, Array, Array]:
        """Positions, tangents and ups; the ups turn with the arm."""
        arms = _turned(self.arm, self.axis, share * self.angle)
        tangents = cross(self.axis, arms) / np.linalg.norm(self.arm)
        return self.centre + arms, tangents, _turned(self.up, self.axis, share * self.angle)


@dataclass(frozen=True, eq=False)
class Traced:
    """A curve given by a function of the share, as laid on a surface: positions and ups."""

    trace: Callable[[Array], tuple[Array, Array]]

    @cached_property
    def length(self) -> float:
        """Length (m)."""
        places, _ = self.trace(np.linspace(0.0, 1.0, 257))
        return float(np.linalg.norm(np.diff(places, axis=0), axis=1).sum())

    def locate(self, share: Array) -> tuple[Array, Array, Array]:
        """Positions, tangents by differences, and ups made square to them."""
        step = 1e-6
        low, high = np.clip(share - step, 0.0, 1.0), np.clip(share + step, 0.0, 1.0)
        places, ups = self.trace(share)
        tangents = self.trace(high)[0] - self.trace(low)[0]
        tangents /= np.linalg.norm(tangents, axis=1, keepdims=True)
        ups = ups - np.sum(ups * tangents, axis=1, keepdims=True) * tangents
        return places, tangents, ups / np.linalg.norm(ups, axis=1, keepdims=True)


@dataclass(frozen=True, eq=False)
class MemberPath:
    """Pieces end to end; ``closed`` when the last meets the first.

    The section turns evenly about the axis by ``twist`` (rad) from the start to the end.
    """

    pieces: tuple[Piece, ...]
    closed: bool = False
    twist: float = 0.0

    @cached_property
    def length(self) -> float:
        """Length of all pieces (m)."""
        return sum(piece.length for piece in self.pieces)

    @cached_property
    def breaks(self) -> Array:
        """Shares of the length at which pieces begin and end, 0 and 1 included."""
        ends = np.cumsum([0.0, *(piece.length for piece in self.pieces)])
        breaks = np.asarray(ends / ends[-1])
        breaks[-1] = 1.0
        return breaks

    @cached_property
    def ends(self) -> tuple[Array, Array]:
        """Where it starts and ends (m)."""
        first, last = self.pieces[0], self.pieces[-1]
        return first.locate(np.zeros(1))[0][0], last.locate(np.ones(1))[0][0]

    @property
    def straight(self) -> bool:
        """Whether it is one straight run, untwisted."""
        return len(self.pieces) == 1 and isinstance(self.pieces[0], Straight) and not self.twist

    def piece_at(self, share: float) -> int:
        """The piece a share of the whole length falls on; of two that meet, the first."""
        return int(np.clip(np.searchsorted(self.breaks, share) - 1, 0, len(self.pieces) - 1))

    def locate(self, piece: int, share: Array) -> tuple[Array, Array, Array]:
        """Positions, tangents and ups on a piece at shares of the whole length."""
        low, high = self.breaks[piece], self.breaks[piece + 1]
        local = np.clip((share - low) / (high - low), 0.0, 1.0)
        places, tangents, ups = self.pieces[piece].locate(local)
        if self.twist:
            angle = self.twist * share[:, None]
            ups = np.cos(angle) * ups + np.sin(angle) * cross(tangents, ups)
        return places, tangents, ups

    def at(self, share: Array) -> tuple[Array, Array, Array]:
        """Positions, tangents and ups at shares of the whole length, each ``(n, 3)``."""
        found = np.empty((3, len(share), 3))
        pieces = np.clip(np.searchsorted(self.breaks, share) - 1, 0, len(self.pieces) - 1)
        for piece in np.unique(pieces):
            here = pieces == piece
            found[:, here] = self.locate(int(piece), share[here])
        return found[0], found[1], found[2]

    def mapped(self, turn: Array, move: Array) -> MemberPath:
        """The path turned (or mirrored) by a matrix about the origin and moved then."""
        return MemberPath(
            tuple(_mapped(piece, turn, move) for piece in self.pieces),
            self.closed,
            self.twist * float(np.sign(np.linalg.det(turn))),
        )


def _mapped(piece: Piece, turn: Array, move: Array) -> Piece:
    if isinstance(piece, Straight):
        return Straight(turn @ piece.start + move, turn @ piece.stop + move, turn @ piece.up)
    if isinstance(piece, Bow):
        axis = np.sign(np.linalg.det(turn)) * (turn @ piece.axis)
        return Bow(turn @ piece.centre + move, axis, turn @ piece.arm, piece.angle, turn @ piece.up)
    assert isinstance(piece, Traced)
    trace = piece.trace

    def mapped(share: Array) -> tuple[Array, Array]:
        places, ups = trace(share)
        return places @ turn.T + move, ups @ turn.T

    return Traced(mapped)


def first_up(tangent: Array, wished: Array | None) -> Array:
    """The up of a section: the direction wished, or global z where that is possible, else y.

    Raises ``ValueError`` where the wished direction points along the tangent.
    """
    if wished is not None:
        size = float(np.linalg.norm(wished))
        if np.linalg.norm(cross(tangent, wished)) < 1e-6 * max(1e-300, size):
            raise ValueError("“up” must not point along the member")
        up = wished
    else:
        up = np.array([0.0, 0.0, 1.0] if abs(tangent[2]) < 0.999 else [0.0, 1.0, 0.0])
    up = up - (up @ tangent) * tangent
    return np.asarray(up / np.linalg.norm(up))


def space_path(
    points: Sequence[Array],
    bends: Sequence[float],
    through: Sequence[Array | None],
    up: Array | None,
    closed: bool = False,
    twist: float = 0.0,
) -> MemberPath:
    """Join points by straight runs, or by arcs over a third point, and round corners.

    ``bends[i]`` is the radius at point i (0: sharp), ``through[i]`` what the run that reaches
    point i passes over. The section keeps its up where the path is straight and is carried round
    bends and corners without rolling. Raises `ProfileError`, or ``ValueError`` for a bad ``up``.
    """
    count = len(points)
    order = [*range(1, count), 0] if closed else list(range(1, count))
    ends = [[points[index - 1], points[index]] for index in order]
    for place, index in enumerate(order):
        if not np.linalg.norm(ends[place][1] - ends[place][0]) > 0:
            raise ProfileError(index, "this point is the same as the one before it")
    bows: dict[int, Bow] = {}
    for place, index in enumerate(order):
        if bends[index] == 0 or (not closed and index == count - 1):
            continue
        following = (place + 1) % len(order)
        if through[index] is not None or through[order[following]] is not None:
            raise ProfileError(index, "a corner between arcs cannot be rounded")
        bows[place] = _corner(index, ends[place], ends[following], points[index], bends[index])
    pieces: list[Piece] = []
    for place, index in enumerate(order):
        start, stop = ends[place]
        middle = through[index]
        whole = points[index] - points[index - 1]
        if middle is not None:
            try:
                pieces.append(_over(start, middle, stop))
            except ValueError as error:
                raise ProfileError(index, str(error)) from None
        else:
            if (stop - start) @ whole < -1e-9 * (whole @ whole):
                raise ProfileError(index, "the bends at both ends of this run do not fit on it")
            if np.linalg.norm(stop - start) > 1e-9 * np.linalg.norm(whole):
                pieces.append(Straight(start, stop, np.zeros(3)))
        if place in bows:
            pieces.append(bows[place])
    return MemberPath(_carried(pieces, up), closed, twist)


def _carried(pieces: Sequence[Piece], wished: Array | None) -> tuple[Piece, ...]:
    """Give every piece its up, carried from one to the next without rolling."""
    ends = np.array([0.0, 1.0])
    result: list[Piece] = []
    up: Array | None = None
    before = np.zeros(3)
    for piece in pieces:
        tangent = piece.locate(ends)[1][0]
        up = first_up(tangent, wished) if up is None else _tilted(up, before, tangent)
        placed: Piece
        if isinstance(piece, Straight):
            placed = Straight(piece.start, piece.stop, up)
        else:
            assert isinstance(piece, Bow)
            placed = Bow(piece.centre, piece.axis, piece.arm, piece.angle, up)
        _, tangents, ups = placed.locate(ends)
        before, up = tangents[1], ups[1]
        result.append(placed)
    return tuple(result)


def _tilted(up: Array, before: Array, after: Array) -> Array:
    """Turn a direction as the tangent turns at a sharp corner."""
    axis = cross(before, after)
    sine = float(np.linalg.norm(axis))
    if sine < 1e-12:
        return up
    angle = math.atan2(sine, float(before @ after))
    return np.asarray(_turned(up, axis / sine, np.array([angle]))[0])


def _turned(vector: Array, axis: Array, angle: Array) -> Array:
    """A vector turned about a unit axis by angles ``(n,)``: Rodrigues' formula."""
    cosine, sine = np.cos(angle)[:, None], np.sin(angle)[:, None]
    along = (vector @ axis) * axis
    return np.asarray(cosine * (vector - along) + sine * cross(axis, vector) + along)


def _over(start: Array, middle: Array, stop: Array) -> Bow:
    one = stop - start
    one = one / np.linalg.norm(one)
    normal = cross(middle - start, stop - start)
    if np.linalg.norm(normal) < 1e-9 * float((stop - start) @ (stop - start)):
        raise ValueError("the three points of the arc lie on a line")
    normal = normal / np.linalg.norm(normal)
    two = cross(normal, one)

    def flat(point: Array) -> tuple[float, float]:
        return float((point - start) @ one), float((point - start) @ two)

    arc = arc_through(flat(start), flat(middle), flat(stop))
    centre = start + arc.centre[0] * one + arc.centre[1] * two
    sense = 1.0 if arc.last > arc.first else -1.0
    return Bow(centre, sense * normal, start - centre, abs(arc.last - arc.first), np.zeros(3))


def _corner(
    index: int, before: list[Array], after: list[Array], corner: Array, radius: float
) -> Bow:
    """Cut both runs back to the tangent points and return the arc between them."""
    one, two = before[0] - corner, after[1] - corner
    lengths = float(np.linalg.norm(one)), float(np.linalg.norm(two))
    one, two = one / lengths[0], two / lengths[1]
    cosine = float(np.clip(one @ two, -1.0, 1.0))
    if abs(cosine) > 1 - 1e-12:
        raise ProfileError(index, "there is no corner to round here")
    half = 0.5 * math.acos(cosine)
    back = radius / math.tan(half)
    if back > min(lengths) * (1 + 1e-9):
        raise ProfileError(
            index, f"a bend of {radius * 1e3:g} mm does not fit between its neighbours"
        )
    middle = (one + two) / np.linalg.norm(one + two)
    centre = corner + middle * radius / math.sin(half)
    before[1], after[0] = corner + back * one, corner + back * two
    axis = cross(two, one)
    axis = axis / np.linalg.norm(axis)
    arm = before[1] - centre
    if cross(axis, arm) @ -one < 0:
        axis = -axis
    return Bow(centre, axis, arm, math.pi - 2 * half, np.zeros(3))
