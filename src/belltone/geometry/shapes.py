"""The shapes of plates and shells in numbers (m, rad), each in its part's own axes."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.profiles import Arc, Line, Profile, Segment
from belltone.geometry.skins import Skin

__all__ = [
    "CORNER_NAMES",
    "SIDE_NAMES",
    "Contour",
    "ContourHole",
    "Disc",
    "Extruded",
    "Hole",
    "Lofted",
    "Outline",
    "Plate",
    "Polygon",
    "RectangularHole",
    "Revolved",
    "RoundHole",
    "RoundedRectangle",
    "SurfaceShape",
    "extent",
    "extent_of",
    "on_axis",
    "thickness_share",
]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

SIDE_NAMES: Final = ("south", "east", "north", "west")
CORNER_NAMES: Final = ("south-west", "south-east", "north-east", "north-west")
FULL_TURN: Final = 2 * math.pi


@dataclass(frozen=True)
class Polygon:
    """Straight sides between corners, counter-clockwise.

    Sides and corners are named by the ``compass``, or numbered in the order their author listed
    the points, which was clockwise where ``reversed``.
    """

    corners: tuple[tuple[float, float], ...]
    compass: bool = False
    reversed: bool = False

    @property
    def side_names(self) -> tuple[str, ...]:
        """One name for the side that leaves each corner."""
        if self.compass:
            return SIDE_NAMES
        count = len(self.corners)
        numbers = [(count - 2 - i) % count if self.reversed else i for i in range(count)]
        return tuple(f"edge {number + 1}" for number in numbers)

    @property
    def corner_names(self) -> tuple[str, ...]:
        """One name for each corner."""
        if self.compass:
            return CORNER_NAMES
        count = len(self.corners)
        numbers = [count - 1 - i if self.reversed else i for i in range(count)]
        return tuple(f"corner {number + 1}" for number in numbers)

    @property
    def named_corners(self) -> dict[str, tuple[float, float]]:
        """Where each corner is (m), by its name."""
        return dict(zip(self.corner_names, self.corners, strict=True))


@dataclass(frozen=True)
class RoundedRectangle:
    """Rectangle about the origin with rounded corners."""

    width: float
    height: float
    radius: float


@dataclass(frozen=True)
class Disc:
    """Circle about the origin; a ``bore`` above zero makes it a ring."""

    radius: float
    bore: float = 0.0


@dataclass(frozen=True)
class Contour:
    """Lines and arcs end to end, counter-clockwise.

    Sides and corners are numbered in the order their author listed them, which was clockwise where
    ``reversed``.
    """

    segments: tuple[Segment, ...]
    reversed: bool = False

    @property
    def side_names(self) -> tuple[str, ...]:
        """One name for each segment."""
        count = len(self.segments)
        return tuple(f"edge {count - i if self.reversed else i + 1}" for i in range(count))

    @property
    def corner_names(self) -> tuple[str, ...]:
        """One name for the point each segment leaves from."""
        count = len(self.segments)
        numbers = [(count - i) % count if self.reversed else i for i in range(count)]
        return tuple(f"corner {number + 1}" for number in numbers)

    @property
    def named_corners(self) -> dict[str, tuple[float, float]]:
        """Where each corner is (m), by its name."""
        starts = ((float(x), float(y)) for x, y in (segment.start for segment in self.segments))
        return dict(zip(self.corner_names, starts, strict=True))

    def moved(self, turn: Array, move: Array) -> Contour:
        """The contour turned or mirrored about the origin, and moved; still counter-clockwise."""
        mirrored = bool(np.linalg.det(turn) < 0)
        angle = math.atan2(turn[1, 0], turn[0, 0])
        found: list[Segment] = []
        for segment in self.segments:
            if isinstance(segment, Line):
                ends = (turn @ np.array(end) + move for end in (segment.start, segment.stop))
                start, stop = ((float(x), float(y)) for x, y in ends)
                found.append(Line(stop, start) if mirrored else Line(start, stop))
            else:
                x, y = (float(value) for value in turn @ np.array(segment.centre) + move)
                first, last = segment.first + angle, segment.last + angle
                if mirrored:
                    first, last = angle - segment.last, angle - segment.first
                found.append(Arc((x, y), segment.radius, first, last))
        if mirrored:
            return Contour(tuple(found[::-1]), not self.reversed)
        return Contour(tuple(found), self.reversed)


Outline = Polygon | RoundedRectangle | Disc | Contour


@dataclass(frozen=True)
class RoundHole:
    """A circular hole: name, centre and radius."""

    name: str
    centre: tuple[float, float]
    radius: float


@dataclass(frozen=True)
class RectangularHole:
    """A rectangular hole: name, centre, width and height, turned by an angle."""

    name: str
    centre: tuple[float, float]
    width: float
    height: float
    turned: float = 0.0

    @property
    def corners(self) -> Array:
        """Its corners ``(4, 2)``, counter-clockwise."""
        half = 0.5 * np.array([self.width, self.height])
        square = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half
        c, s = math.cos(self.turned), math.sin(self.turned)
        return np.asarray(np.array(self.centre) + square @ np.array([[c, s], [-s, c]]))


@dataclass(frozen=True)
class ContourHole:
    """A hole of any shape: name, where its own origin is, and its rim."""

    name: str
    centre: tuple[float, float]
    rim: Contour


Hole = RoundHole | RectangularHole | ContourHole


@dataclass(frozen=True)
class Plate:
    """A flat wall in its own x-y plane; the normal is z."""

    outline: Outline
    holes: tuple[Hole, ...] = ()


@dataclass(frozen=True)
class Revolved:
    """A profile in (radius, z) turned about z from x towards y; normal to the profile's right."""

    profile: Profile
    angle: float = FULL_TURN

    @property
    def full(self) -> bool:
        """Whether it closes on itself."""
        return self.angle >= FULL_TURN * (1 - 1e-12)


@dataclass(frozen=True)
class Extruded:
    """A profile in (y, z) drawn along x; normal to the profile's right, seen against x."""

    profile: Profile
    length: float


@dataclass(frozen=True)
class Lofted:
    """A wall between two profiles in (y, z), ``span`` apart along x.

    On the way the profile turns by ``twist`` (rad) about x, scales to ``taper`` of its size, and
    its origin moves by ``sweep`` (y, z; m); all evenly.
    """

    profile: Profile
    profile_at_end: Profile
    span: float
    twist: float = 0.0
    taper: float = 1.0
    sweep: tuple[float, float] = (0.0, 0.0)


SurfaceShape = Plate | Revolved | Extruded | Lofted | Skin


def on_axis(point: tuple[float, float], size: float) -> bool:
    """Whether a point of a revolved profile stands on the axis."""
    return abs(point[0]) <= 1e-9 * size


def thickness_share(
    shape: SurfaceShape, along: str, segments: int | IntArray, first: Array, second: Array
) -> Array:
    """How far chart coordinates are along one of the part's directions, from 0 to 1.

    ``along`` is x or y on plates; profile, around (revolved) or along (extruded, lofted) on shells;
    a skin has its own thickness everywhere.
    """
    if isinstance(shape, Plate):
        low, high = extent(shape.outline)
        axis = "xy".index(along)
        value = (first, second)[axis]
        return np.asarray((value - low[axis]) / (high[axis] - low[axis]))
    if isinstance(shape, Skin):
        return shape.share(segments, first, second)
    if along == "profile":
        lengths = np.array([piece.length for piece in shape.profile.segments])
        before = np.cumsum(lengths) - lengths
        return np.asarray((before[segments] + first * lengths[segments]) / shape.profile.length)
    whole = {Revolved: "angle", Extruded: "length", Lofted: "span"}[type(shape)]
    return np.asarray(second / getattr(shape, whole))


def extent(outline: Outline) -> tuple[Array, Array]:
    """Lower and upper corner of the box round an outline (m)."""
    if isinstance(outline, Polygon):
        corners = np.array(outline.corners)
        return corners.min(axis=0), corners.max(axis=0)
    if isinstance(outline, Contour):
        share = np.linspace(0.0, 1.0, 33)
        points = np.concatenate([segment.position(share) for segment in outline.segments])
        return points.min(axis=0), points.max(axis=0)
    half = (
        np.full(2, outline.radius)
        if isinstance(outline, Disc)
        else 0.5 * np.array([outline.width, outline.height])
    )
    return -half, half


def extent_of(shape: SurfaceShape) -> float:
    """The lesser of a shape's two extents (m): across and up, or along and round its profile."""
    if isinstance(shape, Plate):
        low, high = extent(shape.outline)
        return float(min(high - low))
    if isinstance(shape, Skin):
        return math.sqrt(shape.area)
    if isinstance(shape, Revolved):
        radius = max(max(piece.start[0], piece.stop[0]) for piece in shape.profile.segments)
        return min(shape.profile.length, radius * shape.angle)
    depth = shape.length if isinstance(shape, Extruded) else shape.span
    return min(shape.profile.length, depth)
