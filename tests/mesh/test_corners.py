"""Corners where moments grow without bound: which they are, and elements that grow from them."""

from __future__ import annotations

import math

import numpy as np
import pytest
from verification.walls import plate, rectangle, wall

from belltone.design.parts import SurfaceValue
from belltone.mesh.corners import sharp_corners
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.surface_division import planned_blocks, surface_mesh
from belltone.mesh.surface_plan import plan_surface

THICK = 0.004


def polygon(*corners: tuple[float, float]) -> SurfaceValue:
    points = ", ".join(f'["{x!r} m", "{y!r} m"]' for x, y in corners)
    return wall(plate(f'shape = "polygon", points = [{points}]', THICK))


def rhombus(degrees: float) -> SurfaceValue:
    """With sides of 0.6 m and a blunt corner of so many degrees at the origin's neighbour."""
    turn = math.radians(180 - degrees)
    x, y = 0.6 * math.cos(turn), 0.6 * math.sin(turn)
    return polygon((0, 0), (0.6, 0), (0.6 + x, y), (x, y))


ELL = polygon((0, 0), (0.6, 0), (0.6, 0.3), (0.3, 0.3), (0.3, 0.6), (0, 0.6))
INWARD = (0.3, 0.3)


def corners_of(value: SurfaceValue, held: dict[str, bool]) -> set[tuple[float, float]]:
    """Where they are in the chart (m)."""
    blocks = planned_blocks(value, plan_surface(value))
    sharp = sharp_corners(value, blocks, held)
    found = set()
    for block in blocks.blocks:
        for place, vertex in zip(((0, 0), (1, 0), (1, 1), (0, 1)), block.vertices, strict=True):
            if vertex in sharp:
                x, y = np.asarray(block.chart(*np.array(place, float)[:, None])).ravel()[:2]
                found.add((round(float(x), 6), round(float(y), 6)))
    return found


@pytest.mark.parametrize("hinged", [True, False])
def test_a_held_corner_that_turns_inward_is_sharp(hinged: bool) -> None:
    assert corners_of(ELL, {"outline": hinged}) == {INWARD}


def test_blunt_corners_are_sharp_where_hinged_alone() -> None:
    blunt = rhombus(150)
    assert corners_of(blunt, {"outline": True}) == {(0.6, 0.0), (0.519615, 0.3)}
    assert not corners_of(blunt, {"outline": False})
    # What is clamped on one side is no hinge, whatever is said of the outline.
    sides = planned_blocks(blunt, plan_surface(blunt)).edges
    assert not corners_of(blunt, dict.fromkeys(sides, False) | {"outline": True})


@pytest.mark.parametrize(
    "value",
    [
        wall(plate(rectangle(0.6, 0.4), THICK)),
        rhombus(120),
        rhombus(90),
        wall(plate('shape = "disc", diameter = "0.5 m"', THICK)),
        wall(
            plate(
                'shape = "rounded rectangle", width = "0.6 m", height = "0.4 m", radius = "60 mm"',
                THICK,
            )
        ),
    ],
)
def test_square_and_round_corners_are_not(value: SurfaceValue) -> None:
    assert not corners_of(value, {"outline": True})


def test_what_is_not_held_is_not() -> None:
    assert not corners_of(ELL, {})


HALVED = polygon((0, 0), (0.3, 0), (0.6, 0), (0.6, 0.4), (0, 0.4))
MIDDLE = (0.3, 0.0)


@pytest.mark.parametrize("hinged", [True, False])
def test_where_a_straight_edge_is_held_no_further_is_sharp(hinged: bool) -> None:
    assert corners_of(HALVED, {"edge 1": hinged}) == {MIDDLE}


def test_where_a_straight_edge_is_held_otherwise_is_sharp() -> None:
    assert corners_of(HALVED, {"edge 1": False, "edge 2": True}) == {MIDDLE}
    assert not corners_of(HALVED, {"edge 1": True, "edge 2": True})
    assert not corners_of(HALVED, {"edge 1": False, "edge 2": False})


def test_a_corner_of_the_sharpest_kind_begins_with_the_smallest_elements() -> None:
    blocks = planned_blocks(ELL, plan_surface(ELL))
    (hinged,) = sharp_corners(ELL, blocks, {"outline": True}).values()
    (clamped,) = sharp_corners(ELL, blocks, {"outline": False}).values()
    assert (hinged, clamped) == (1.0, 5.0)


def test_elements_grow_from_a_sharp_corner() -> None:
    plan = plan_surface(ELL, held={"outline": True})
    mesh = surface_mesh(ELL, Discretisation(1, 3), plan)
    bare = surface_mesh(ELL, Discretisation(1, 3), plan_surface(ELL))
    place = np.array([*INWARD, 0.0])

    def sizes(mesh: object, near: bool) -> float:
        corners = mesh.coordinates[mesh.connectivity]  # type: ignore[attr-defined]
        at = np.linalg.norm(corners - place, axis=2).min(axis=1) < 1e-9
        spans = np.ptp(corners[at if near else ~at], axis=1).max(axis=1)
        return float(spans.max())

    assert sizes(bare, near=True) > 20 * THICK
    assert sizes(mesh, near=True) < 2 * THICK
    # The wall is whole, and what is far from the corner is as large as it was.
    assert mesh.node_areas.sum() == pytest.approx(0.27, rel=1e-9)
    assert sizes(mesh, near=False) > 30 * THICK
    # Divided once more, the small ones stay: they are as small as the wall is thick.
    twice = surface_mesh(ELL, Discretisation(2, 3), plan)
    # Not divided; strips about as narrow as the layer lose the element they had for it.
    assert 0.99 < sizes(twice, near=True) / sizes(mesh, near=True) < 1.5
    assert sizes(twice, near=False) < 0.7 * sizes(mesh, near=False)
