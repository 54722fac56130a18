"""How the parts of a design are divided into elements, so that these end where parts are joined."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MemberValue, MeshValue, PartValue, PointValue, SurfaceValue
from belltone.design.values import Design
from belltone.geometry.features import AXIS, END, START
from belltone.geometry.seams import Seam
from belltone.geometry.shapes import Plate
from belltone.mesh.discretisation import Discretisation, SurfacePlan
from belltone.mesh.grading import HardPlace
from belltone.mesh.imprints import (
    JoinedLine,
    JoinedPoint,
    end_of,
    followed,
    hard_place,
    imprints,
    traced,
)
from belltone.mesh.surface import Imprint, SurfaceMesh
from belltone.mesh.surface_division import FoldedMeshError, surface_mesh
from belltone.mesh.surface_plan import plan_surface
from belltone.system.bodies import Mesh
from belltone.system.kinds import Division, kind_of, location, place_lines

__all__ = ["ends_unfollowed", "hard_places", "mesh_bodies", "with_plans"]

_COARSE_ORDER: Final = 4  # of the mesh on which joined lines are found
_LOOKS: Final = 401  # along a rib, for the elements it crosses
_PARTS: Final = 8  # into which what is looked through is parted
_PARTINGS: Final = 5
_HAIR: Final = 1e-5  # of the wall's size
_OVER: Final = 1e-4  # of the wall's size; what lies farther beside its foot is not over the wall

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]


def with_plans(design: Design, discretisation: Discretisation) -> Discretisation:
    """The discretisation with a plan for each surface of the design, made where it has none.

    Raises ``ValueError`` where an outline cannot be meshed.
    """
    surfaces = [part for part in design.parts if isinstance(part, SurfaceValue)]
    if len(discretisation.plans) == len(surfaces):
        return discretisation
    plans = tuple(plan_surface(wall, hard_places(design, wall)) for wall in surfaces)
    return replace(discretisation, plans=plans)


def mesh_bodies(design: Design, discretisation: Discretisation) -> Iterator[tuple[PartValue, Mesh]]:
    """Divide the parts of a design, in order."""
    plans = iter(with_plans(design, discretisation).plans)
    walls = {
        part.name: _wall_mesh(design, part, discretisation, next(plans))
        for part in design.parts
        if isinstance(part, SurfaceValue)
    }
    used: dict[str, list[float]] = {part.name: [] for part in design.parts}
    for place in design.used_places():
        if place.part in used and place.feature is None:
            used[place.part].append(place.along)
    for joint in design.joints:
        for side, other in ((joint.first, joint.second), (joint.second, joint.first)):
            if side.place is not None and side.place.feature == AXIS and other.part in walls:
                member = design.part_of(side.part)
                if isinstance(member, MemberValue):
                    used[side.part] += _crossings(member, walls[other.part])
    division = Division(discretisation, used, walls)
    for part in design.parts:
        yield part, kind_of(part).divided(part, division)


def _crossings(member: MemberValue, wall: SurfaceMesh) -> list[float]:
    """Distances along a member (m) at which it passes from one element of a wall to the next.

    A rib that ends its elements there can follow all the wall does, and no more. What spans a hole
    follows nothing there.
    """

    def looked_at(at: Array) -> tuple[IntArray, NDArray[np.bool_]]:
        """The element nearest to places along the member, and whether they lie over the wall."""
        places, tangents, ups = member.path.at(at)
        # A hair to its side, so that a member along an edge of elements stays with one row of them.
        points = places + _HAIR * wall.size * np.cross(ups, tangents)
        element, weights, feet = wall.locate_points(points)
        normals = np.einsum("nk,nkd->nd", weights, wall.directors[element])
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        away = points - feet
        beside = away - np.sum(away * normals, axis=1, keepdims=True) * normals
        return element, np.linalg.norm(beside, axis=1) <= _OVER * wall.size

    shares = np.linspace(0.0, 1.0, _LOOKS)
    element, over = looked_at(shares)
    # Over a hole nothing is followed, whatever element of its rim is nearest.
    at = np.flatnonzero((np.diff(element) != 0) & (over[:-1] | over[1:]))
    low, high, before = shares[at], shares[at + 1], element[at]
    steps = np.arange(1, _PARTS) / _PARTS
    for _ in range(_PARTINGS if len(at) else 0):
        between = low[:, None] + steps * (high - low)[:, None]
        still = looked_at(between.ravel())[0].reshape(between.shape) == before[:, None]
        # As far as it stays with the element before, and no further.
        stays = np.logical_and.accumulate(still, axis=1).sum(axis=1)
        width = (high - low) / _PARTS
        low = low + stays * width
        high = low + width
    return [float(place) for place in 0.5 * (low + high) * member.length]


def _wall_mesh(
    design: Design, wall: SurfaceValue, discretisation: Discretisation, plan: SurfacePlan
) -> SurfaceMesh:
    """One wall, elements ending along the lines something is joined to it."""
    coarse = replace(discretisation, divisions=1, order=_COARSE_ORDER)
    lines = list(_joined_lines(design, wall))

    def divided(plan: SurfacePlan) -> SurfaceMesh:
        places = hard_places(design, wall) if plan.placed else ()
        marks: tuple[Imprint, ...] = ()
        if lines:
            marks = imprints(surface_mesh(wall, coarse, plan, places=places), lines)
        return surface_mesh(wall, discretisation, plan, marks, places)

    try:
        return divided(plan)
    except FoldedMeshError:
        # The design has moved too far from the one the plan was made for.
        return divided(plan_surface(wall, hard_places(design, wall)))


def hard_places(design: Design, wall: SurfaceValue) -> tuple[HardPlace, ...]:
    """Places of a wall where something acts on a spot or at a point, or where a rib ends."""
    acting = _acting_places(design, wall)
    return (*acting, *_rib_ends(design, wall, acting))


def ends_unfollowed(design: Design, plans: Sequence[SurfacePlan]) -> bool:
    """Whether a rib ends inside a wall whose elements do not end along it, and settle slowly."""
    walls = [part for part in design.parts if isinstance(part, SurfaceValue)]
    for wall, plan in zip(walls, plans, strict=True):
        if not plan.along_seams and any(line.ends for line in _joined_lines(design, wall)):
            acting = _acting_places(design, wall)
            if any(place.cut for place in _rib_ends(design, wall, acting)):
                return True
    return False


def _acting_places(design: Design, wall: SurfaceValue) -> tuple[HardPlace, ...]:
    size = 2 * wall.thickness.mean
    found: list[HardPlace] = []
    for place in design.used_places():
        if place.part == wall.name and place.feature is None:
            hung = [each for each in design.masses if each.place == place]
            alone = hung and all(support.place != place for support in design.supports)
            mass = sum(each.mass for each in hung) if alone else math.inf
            found.append(HardPlace(place.segment, place.at, size, mass))
    points = list(_joined_points(design, wall))
    if points:
        coarse = surface_mesh(wall, Discretisation(1, _COARSE_ORDER), plan_surface(wall))
        joined = (hard_place(coarse, point) for point in points)
        found += [hard for hard in joined if hard is not None]
    return tuple(found)


def _rib_ends(
    design: Design, wall: SurfaceValue, acting: tuple[HardPlace, ...]
) -> Iterator[HardPlace]:
    """Where ribs, and edges of other walls, end inside a wall they are welded to.

    Blocks are cut for them where elements cannot end along those lines. On plates, blocks can end
    along straight ones: each is the seam of one of its ends.
    """
    lines = [line for line in _joined_lines(design, wall) if line.size]
    if not any(line.ends for line in lines):
        return
    coarse = Discretisation(1, _COARSE_ORDER)
    mesh = surface_mesh(wall, coarse, plan_surface(wall, acting), places=acting)
    ribs = [trace for trace in (traced(mesh, line) for line in lines) if trace.lies_along]
    cut = not all(followed(mesh, rib) for rib in ribs)
    size = 2 * wall.thickness.mean
    for rib in ribs:
        ends = rib.line.ends
        seam = None
        if cut and isinstance(wall.shape, Plate) and _straight(rib.line.points):
            start, stop = (end_of(mesh, rib, end, size) for end in (0, -1))
            seam = Seam(start.at, stop.at, (0 in ends, -1 in ends))
            if not ends:
                yield replace(start, cut=False, seam=seam)
        for end in ends:
            yield replace(end_of(mesh, rib, end, size), cut=cut, seam=seam)
            seam = None


def _straight(line: Array) -> bool:
    run = line[-1] - line[0]
    away = np.linalg.norm(np.cross(line - line[0], run), axis=1)
    return bool(away.max() < _HAIR * float(run @ run))


def _joined_points(design: Design, wall: SurfaceValue) -> Iterator[JoinedPoint]:
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
    return bool(np.abs((line - wall.origin) @ wall.frame[:, 2]).max() > reach)


def _joined_lines(design: Design, wall: SurfaceValue) -> Iterator[JoinedLine]:
    """Edges of other walls and axes of members that joints may tie to a wall."""
    for joint in design.joints:
        sides = (joint.first, joint.second)
        if joint.how in ("none", "spots") or wall.name not in joint.parts:
            continue
        other = sides[0] if sides[1].part == wall.name else sides[1]
        part = design.part_of(other.part)
        if isinstance(part, PointValue):
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
