"""How the parts of a design are divided into elements, so that these end where parts are joined."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MemberValue, PartValue, SurfaceValue
from belltone.design.values import Design
from belltone.geometry.features import AXIS
from belltone.geometry.seams import Ring, Seam
from belltone.geometry.shapes import Contour, Plate, Polygon
from belltone.mesh.blocks import Blocks
from belltone.mesh.crossings import crossings
from belltone.mesh.discretisation import Discretisation, SurfacePlan
from belltone.mesh.grading import HardPlace
from belltone.mesh.imprints import (
    JoinedLine,
    JoinedPoint,
    end_of,
    followed,
    hard_place,
    imprints,
    round_circle,
    traced,
)
from belltone.mesh.surface import SurfaceMesh
from belltone.mesh.surface_division import FoldedMeshError, planned_blocks, surface_mesh
from belltone.mesh.surface_plan import plan_surface
from belltone.system.bodies import Mesh
from belltone.system.joined_places import (
    joined_lines,
    joined_points,
    on_plate,
    ring_on_plate,
    welded_lines,
    within_plate,
)
from belltone.system.kept_meshes import KeptMeshes
from belltone.system.kinds import Division, kind_of
from belltone.system.matching_rims import matched
from belltone.vectors import cross

__all__ = ["hard_places", "mesh_bodies", "welds_unfollowed", "with_plans"]

_COARSE: Final = Discretisation(1, 4)  # of the mesh on which joined lines are found
_HAIR: Final = 1e-5  # of a line

Array = NDArray[np.float64]


def with_plans(design: Design, discretisation: Discretisation) -> Discretisation:
    """The discretisation with a plan for each surface of the design, made where it has none.

    Raises ``ValueError`` where an outline cannot be meshed.
    """
    if len(discretisation.plans) == len(design.surfaces):
        return discretisation
    plans = [_planned(design, wall) for wall in design.surfaces]

    def blocks_of(wall: SurfaceValue, plan: SurfacePlan) -> Blocks:
        return planned_blocks(wall, plan, _places_of(design, wall, plan))

    return replace(discretisation, plans=matched(design, plans, blocks_of))


def mesh_bodies(
    design: Design, discretisation: Discretisation, kept: KeptMeshes | None = None
) -> Iterator[tuple[PartValue, Mesh]]:
    """Divide the parts of a design, in order; walls that are ``kept`` from a neighbour are not."""
    kept = kept or KeptMeshes()
    plans = with_plans(design, discretisation).plans
    walls = {
        part.name: _wall_mesh(design, part, discretisation, plan, kept)
        for part, plan in zip(design.surfaces, plans, strict=True)
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
                    used[side.part] += crossings(member, walls[other.part])
    division = Division(discretisation, used, walls)
    for part in design.parts:
        yield part, kind_of(part).divided(part, division)


def _wall_mesh(
    design: Design,
    wall: SurfaceValue,
    discretisation: Discretisation,
    plan: SurfacePlan,
    kept: KeptMeshes,
) -> SurfaceMesh:
    """One wall, elements ending along the lines something is joined to it."""
    joined = list(joined_lines(design, wall))

    def divided(plan: SurfacePlan) -> SurfaceMesh:
        places = _places_of(design, wall, plan)
        lines = _not_seams(wall, joined, plan)
        if not lines:
            return kept.mesh(wall, discretisation, plan, places=places)
        coarse = kept.mesh(wall, _COARSE, plan, places=places)
        return kept.mesh(wall, discretisation, plan, imprints(coarse, lines), places, coarse.blocks)

    try:
        return divided(plan)
    except FoldedMeshError:
        # The design has moved too far from the one the plan was made for.
        return divided(_planned(design, wall))


def _planned(design: Design, wall: SurfaceValue) -> SurfacePlan:
    held: dict[str, bool] = {}
    for support in design.supports:
        feature = support.place.feature
        if support.place.part == wall.name and feature is not None and len(support.directions):
            held[feature] = held.get(feature, True) and not support.turns
    return plan_surface(wall, hard_places(design, wall), held, _joined_edges(design, wall))


def _joined_edges(design: Design, wall: SurfaceValue) -> set[str]:
    """The names of edges of a wall that joints tie to others; all of them where none is named."""
    found: set[str] = set()
    for joint in design.joints:
        if joint.how in ("none", "spots"):
            continue
        for side in (joint.first, joint.second):
            if side.part != wall.name:
                continue
            if side.place is None:
                found |= {name for name, kind in wall.features.items() if kind.sort == "edge"}
            elif side.place.feature is not None:
                found.add(side.place.feature)
    return found


def hard_places(
    design: Design, wall: SurfaceValue, plan: SurfacePlan | None = None
) -> tuple[HardPlace, ...]:
    """Places of a wall where something acts on a spot or at a point, or where a rib ends.

    With a ``plan`` that was made for them, they are only told where they are now.
    """
    acting = _acting_places(design, wall)
    return (*acting, *_rib_ends(design, wall, acting, plan))


def _places_of(design: Design, wall: SurfaceValue, plan: SurfacePlan) -> tuple[HardPlace, ...]:
    """The hard places a plan was made for, where they are now."""
    return hard_places(design, wall, plan) if plan.placed else ()


def welds_unfollowed(design: Design, plans: Sequence[SurfacePlan]) -> bool:
    """Whether something is welded to a wall along lines at which its elements do not end.

    Such answers settle slowly, and from one order to the next show little of their error.
    """
    for wall, plan in zip(design.surfaces, plans, strict=True):
        lines = _not_seams(wall, welded_lines(design, wall), plan)
        if lines:
            places = _places_of(design, wall, plan)
            if _unfollowed(surface_mesh(wall, _COARSE, plan, places=places), lines):
                return True
    return False


def _not_seams(
    wall: SurfaceValue, lines: Sequence[JoinedLine], plan: SurfacePlan
) -> list[JoinedLine]:
    """Those along which blocks do not end anyway by a plan."""

    def is_seam(line: JoinedLine) -> bool:
        straight = plan.along_seams and _straight(line.points)
        return straight or (plan.round_rings and ring_on_plate(wall, line) is not None)

    return [line for line in lines if not (line.size and is_seam(line))]


def _unfollowed(mesh: SurfaceMesh, lines: Sequence[JoinedLine]) -> bool:
    for trace in traced(mesh, lines):
        # On a plate they lie along some of it; where they span a hole there is nothing to follow.
        lies_along = isinstance(mesh.surface.shape, Plate) or trace.lies_along
        if lies_along and not followed(mesh, trace):
            return True
    return False


def _acting_places(design: Design, wall: SurfaceValue) -> tuple[HardPlace, ...]:
    size = 2 * wall.thickness.mean
    found: list[HardPlace] = []
    for place in design.used_places():
        if place.part == wall.name and place.feature is None:
            hung = [each for each in design.masses if each.place == place]
            held = [each for each in design.supports if each.place == place]
            mass = sum(each.mass for each in hung) if hung and not held else math.inf
            if any(each.turns for each in held) or any(each.turns for each in hung):
                # It acts on a disc as wide as the wall is thick, and a couple bends the wall
                # round that far more sharply than a force does.
                found.append(round_circle(place.segment, place.at, 0.25 * size))
            else:
                found.append(HardPlace(place.segment, place.at, size, mass))
    found += _turned_corners(design, wall)
    return (*found, *_joined_at(wall, list(joined_points(design, wall))))


def _turned_corners(design: Design, wall: SurfaceValue) -> Iterator[HardPlace]:
    """Corners of a plate that something turns: it acts on what lies on the wall of a disc.

    A push across a corner only twists the wall round it. One in the plane matters to few modes, and
    a corner is mostly held so to keep the whole from sliding: elements get smaller there on demand.
    """
    outline = wall.shape.outline if isinstance(wall.shape, Plate) else None
    if not isinstance(outline, Polygon | Contour):
        return
    turned = [hung.place for hung in design.masses if hung.turns]
    turned += [support.place for support in design.supports if support.turns]
    if design.preload is not None:
        moves = design.preload.moves
        turned += [each.place for each in moves if np.any(each.directions[:, 3:])]
    for joint in design.joints:
        if joint.how not in ("none", "hinged"):
            turned += [side.place for side in (joint.first, joint.second) if side.place is not None]
    names = {place.feature for place in turned if place.part == wall.name}
    for name, at in outline.named_corners.items():
        if name in names:
            yield round_circle(0, at, 0.5 * wall.thickness.mean)


def _joined_at(wall: SurfaceValue, points: Sequence[JoinedPoint]) -> Iterator[HardPlace]:
    """The places of points that are joined; on a flat wall they are known without a mesh."""
    coarse: SurfaceMesh | None = None
    flat, within = np.zeros((len(points), 3)), np.zeros(len(points), bool)
    if points and isinstance(wall.shape, Plate):
        flat = on_plate(wall, np.array([point.point for point in points]))
        within = within_plate(wall.shape, flat[:, :2])
    for point, (x, y, off), known in zip(points, flat.tolist(), within, strict=True):
        if known:
            if abs(off) <= point.reach:
                yield round_circle(0, (x, y), point.radius)
            continue
        coarse = coarse or surface_mesh(wall, _COARSE, plan_surface(wall))
        hard = hard_place(coarse, point)
        if hard is not None:
            yield hard


def _rib_ends(
    design: Design, wall: SurfaceValue, acting: tuple[HardPlace, ...], plan: SurfacePlan | None
) -> Iterator[HardPlace]:
    """Where ribs, and edges of other walls, end inside a wall they are welded to.

    Blocks are cut for them where elements cannot end along those lines. On plates, blocks can end
    along straight ones: each is the seam of one of its ends.
    """
    lines = welded_lines(design, wall)
    if isinstance(wall.shape, Plate):
        yield from _ends_on_plate(wall, lines, acting, plan)
    elif any(line.ends for line in lines):
        size = 2 * wall.thickness.mean
        mesh = surface_mesh(wall, _COARSE, plan_surface(wall, acting), places=acting)
        ribs = [trace for trace in traced(mesh, lines) if trace.lies_along]
        cut = not all(followed(mesh, rib) for rib in ribs)
        for rib in ribs:
            for end in rib.line.ends:
                yield replace(end_of(mesh, rib, end, size), cut=cut)


def _ends_on_plate(
    wall: SurfaceValue,
    lines: Sequence[JoinedLine],
    acting: tuple[HardPlace, ...],
    plan: SurfacePlan | None,
) -> Iterator[HardPlace]:
    if not lines:
        return
    if plan is None:
        bare = surface_mesh(wall, _COARSE, plan_surface(wall, acting), places=acting)
        cut = _unfollowed(bare, lines)
    else:
        cut = plan.along_seams or plan.round_rings
    size = 2 * wall.thickness.mean
    rings: set[Ring] = set()
    for line in lines:
        ring = ring_on_plate(wall, line) if cut else None
        if ring is not None:
            if not any(_same(ring, known) for known in rings):
                start = (ring.centre[0] + ring.radius, ring.centre[1])
                yield HardPlace(0, start, size, cut=False, seam=ring)
            rings.add(ring)
            continue
        places = [(float(x), float(y)) for x, y, _ in on_plate(wall, line.points[[0, -1]])]
        seam = None
        if cut and _straight(line.points):
            seam = Seam(places[0], places[1], (0 in line.ends, -1 in line.ends))
            if not line.ends:
                yield HardPlace(0, places[0], size, cut=False, seam=seam)
        for end in line.ends:
            yield HardPlace(0, places[end], size, cut=cut, seam=seam)
            seam = None


def _same(one: Ring, other: Ring) -> bool:
    """Whether two circles are one, as those of tubes on both sides of a plate."""
    apart = math.dist(one.centre, other.centre) + abs(one.radius - other.radius)
    return apart < _HAIR * one.radius


def _straight(line: Array) -> bool:
    run = line[-1] - line[0]
    away = np.linalg.norm(cross(line - line[0], run), axis=1)
    return bool(away.max() < _HAIR * float(run @ run))
