"""Where on a wall joints may tie other parts to it: along lines, and at points."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MemberValue, MeshValue, SurfaceValue
from belltone.design.values import Design
from belltone.geometry.features import AXIS, END, START
from belltone.geometry.outlines import between_rims, rim_distance
from belltone.geometry.seams import Ring, circle_through
from belltone.geometry.shapes import Plate
from belltone.mesh.imprints import JoinedLine, JoinedPoint
from belltone.mesh.plate_rims import rims
from belltone.system.kinds import location, place_lines

__all__ = [
    "joined_lines",
    "joined_points",
    "on_plate",
    "ring_on_plate",
    "welded_lines",
    "within_plate",
]

_HAIR: Final = 1e-5  # of the wall's size
_CLEAR: Final = 0.25  # thicknesses; what is nearer to a rim stands on it

Array = NDArray[np.float64]


def welded_lines(design: Design, wall: SurfaceValue) -> list[JoinedLine]:
    """Those that bend a wall with a kink; of a plate only what lies over it, and not along a rim.

    Along rims blocks end anyway.
    """
    lines = [line for line in joined_lines(design, wall) if line.size]
    if isinstance(wall.shape, Plate):
        lines = [line for line in lines if _lies_inside(wall, wall.shape, line)]
    return lines


def on_plate(wall: SurfaceValue, points: Array) -> Array:
    """Points ``(n, 3)`` as seen from a plate's middle: along both its axes, and off it (m)."""
    middle = [0.0, 0.0, wall.offset * wall.thickness.mean]
    return np.asarray((points - wall.origin) @ wall.frame - middle)


def _lies_inside(wall: SurfaceValue, plate: Plate, line: JoinedLine) -> bool:
    """Whether some of a line lies within a plate; it may reach over rims and holes."""
    places = on_plate(wall, line.points)
    if np.abs(places[:, 2]).max() > line.reach:
        return False
    flat = places[:, :2]
    from_rims = np.min([rim_distance(flat, loop) for loop in rims(plate)], axis=0)
    return bool(np.any(within_plate(plate, flat) & (from_rims > _HAIR * wall.size)))


def ring_on_plate(wall: SurfaceValue, line: JoinedLine) -> Ring | None:
    """The circle a line runs round on a plate, where all of it is clear of the plate's rims."""
    if not isinstance(wall.shape, Plate):
        return None
    flat = on_plate(wall, line.points)[:, :2]
    ring = circle_through(flat)
    if ring is None or not within_plate(wall.shape, flat).all():
        return None
    near = min(rim_distance(flat, loop).min() for loop in rims(wall.shape))
    return ring if near > _CLEAR * wall.thickness.mean else None


def within_plate(plate: Plate, flat: Array) -> NDArray[np.bool_]:
    """Which points ``(n, 2)`` of its plane a plate covers, but for slivers along curved rims."""
    return between_rims(flat, rims(plate))


def joined_points(design: Design, wall: SurfaceValue) -> Iterator[JoinedPoint]:
    """Spots, and ends of members that are no ribs, that joints may tie to a wall."""
    for joint in design.joints:
        if joint.how == "none" or joint.rigid or wall.name not in joint.parts:
            continue
        half = 0.5 * wall.thickness.mean
        for spot in joint.spots:
            reach = half + min(joint.tolerance, wall.size) + 0.5 * design.part_of(spot.part).depth
            yield JoinedPoint(location(design, spot), joint.radius, reach)
        other = joint.first if joint.second.part == wall.name else joint.second
        part = design.part_of(other.part)
        if joint.spots or not isinstance(part, MemberValue) or part.on == wall.name:
            continue
        ends = [part.place_of(end) for end in (START, END)]
        for place in ends if other.place is None else [other.place]:
            if place.feature is None:
                reach = half + min(joint.tolerance, wall.size)
                yield JoinedPoint(location(design, place), 0.5 * part.sections.depth, reach)


def _inner_ends(
    wall: SurfaceValue, line: Array, ends: tuple[int, ...], depth: float
) -> tuple[int, ...]:
    """Which ends of a line on a wall stand inside it, where what it carries enters all at once."""
    if not ends:
        return ()
    room = wall.thickness.mean + depth
    away = dict(zip((0, -1), _from_rim(wall, line), strict=True))
    return tuple(end for end in ends if away[end] > room)


def _from_rim(wall: SurfaceValue, line: Array) -> list[float]:
    """How far both ends of a line are from the nearest edge of a wall (m)."""
    rims = [
        rim
        for name, feature in wall.features.items()
        if feature.sort == "edge" and not feature.whole
        for rim in place_lines(wall, wall.place_of(name))
    ]
    if not rims:
        return [math.inf, math.inf]
    start = np.concatenate([rim[:-1] for rim in rims])
    run = np.concatenate([np.diff(rim, axis=0) for rim in rims])
    length = np.maximum(np.sum(run**2, axis=1), 1e-300)
    found: list[float] = []
    for point in (line[0], line[-1]):
        share = np.clip(np.sum((point - start) * run, axis=1) / length, 0.0, 1.0)
        found.append(float(np.linalg.norm(start + share[:, None] * run - point, axis=1).min()))
    return found


def _stands_off(wall: SurfaceValue, line: Array, reach: float) -> bool:
    """Whether a line surely leaves a wall, as an edge does that stands up from it."""
    if not isinstance(wall.shape, Plate):
        return False  # told by the wall's mesh
    return bool(np.abs(on_plate(wall, line)[:, 2]).max() > reach)


def joined_lines(design: Design, wall: SurfaceValue) -> Iterator[JoinedLine]:
    """Edges of other walls and axes of members that joints may tie to a wall."""
    for joint in design.joints:
        sides = (joint.first, joint.second)
        if joint.how in ("none", "spots") or wall.name not in joint.parts:
            continue
        other = sides[0] if sides[1].part == wall.name else sides[1]
        part = design.part_of(other.part)
        if not part.is_solid:
            continue
        places = (
            [other.place]
            if other.place is not None
            else [
                part.place_of(name)
                for name, feature in part.features.items()
                if feature.sort in ("edge", AXIS) and not feature.whole
            ]
        )
        if isinstance(part, MeshValue):
            continue  # its edges are short, and seldom run along a coordinate
        reach = part.depth + 0.5 * wall.thickness.mean + min(joint.tolerance, wall.size)
        lines = [line for place in places for line in place_lines(part, place)]
        lines = [line for line in lines if len(line) > 2]
        welded = [joint.how == "welded" and not _stands_off(wall, line, reach) for line in lines]
        ends = _loose_ends([line for line, kinked in zip(lines, welded, strict=True) if kinked])
        for line, kinked in zip(lines, welded, strict=True):
            if kinked:
                inner = _inner_ends(wall, line, next(ends), part.depth)
                yield JoinedLine(line, reach, inner, 2 * wall.thickness.mean)
            else:
                yield JoinedLine(line, reach)


def _loose_ends(lines: Sequence[Array]) -> Iterator[tuple[int, ...]]:
    """Which ends, 0 and -1, of each of some lines no other one goes on from."""
    ends = np.array([line[end] for line in lines for end in (0, -1)]).reshape(-1, 3)
    for number, line in enumerate(lines):
        near = _HAIR * float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum())
        met = np.linalg.norm(ends[:, None] - ends[[2 * number, 2 * number + 1]], axis=2) < near
        yield tuple(end for end, count in zip((0, -1), met.sum(axis=0), strict=True) if count == 1)
