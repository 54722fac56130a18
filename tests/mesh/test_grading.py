"""Blocks that become small towards points: nothing lost, nothing else cut, and they move along."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from verification.walls import plate, rectangle, shell, wall

from belltone.mesh.discretisation import Discretisation
from belltone.mesh.grading import HardPlace
from belltone.mesh.plate_blocks import openness
from belltone.mesh.surface import SurfaceMesh
from belltone.mesh.surface_division import FoldedMeshError, surface_mesh
from belltone.mesh.surface_plan import plan_surface

PLATE = wall(plate(rectangle(1, 0.6), 0.01))
RING = wall(plate('shape = "ring", diameter = "1 m", bore = "0.4 m"', 0.01))
TUBE = wall(shell("revolved", '{ at = ["0.3 m", "0 m"] }, { at = ["0.3 m", "0.5 m"] }', 0.002))
SIZE = 0.02


def mesh_at(value: object, *places: HardPlace, order: int = 4) -> SurfaceMesh:
    plan = plan_surface(value, places)  # type: ignore[arg-type]
    return surface_mesh(value, Discretisation(1, order), plan, places=places)  # type: ignore[arg-type]


def size_at(mesh: SurfaceMesh, place: HardPlace) -> float:
    """The longest side of the element at a place."""
    at = mesh.surface.locate(place.segment, *np.array([[place.at[0]], [place.at[1]]]))[0]
    element = mesh.locate_points(at)[0][0]
    grid = mesh.coordinates[mesh.connectivity[element]].reshape(mesh.order + 1, -1, 3)
    sides = (grid[0], grid[-1], grid[:, 0], grid[:, -1])
    return max(float(np.linalg.norm(np.diff(side, axis=0), axis=1).sum()) for side in sides)


@settings(max_examples=40, deadline=None)
@given(st.floats(-0.5, 0.5), st.floats(-0.3, 0.3))
@example(0.0, 0.0)
@example(0.5, 0.3)
@example(-0.5, 0.01)
@example(0.48, -0.28)
@example(0.1, 0.3)
def test_elements_at_a_place_are_small_and_the_rest_is_whole(x: float, y: float) -> None:
    place = HardPlace(0, (x, y), SIZE)
    mesh = mesh_at(PLATE, place)
    assert mesh.node_areas.sum() == pytest.approx(0.6, rel=1e-9)
    assert size_at(mesh, place) <= 3.5 * SIZE
    # Neighbours share their nodes.
    assert np.array_equal(np.unique(mesh.connectivity), np.arange(len(mesh.coordinates)))
    keys = np.unique(np.round(mesh.coordinates, 9), axis=0)
    assert len(keys) == len(mesh.coordinates)
    assert len(mesh.connectivity) < 60


@pytest.mark.parametrize(("value", "area"), [(RING, np.pi * 0.21), (TUBE, np.pi * 0.3)])
def test_places_on_edges_between_blocks_are_cut_on_both_sides(value: object, area: float) -> None:
    places = [
        HardPlace(0, at, SIZE)
        for at in ([(0.35, 0.0), (0.25, 0.25)] if value is RING else [(0.5, 0.0), (0.5, np.pi / 4)])
    ]
    mesh = mesh_at(value, *places, order=6)
    assert mesh.node_areas.sum() == pytest.approx(area, rel=1e-5)
    for place in places:
        assert size_at(mesh, place) <= 3.5 * SIZE


def test_named_edges_keep_their_length_where_a_place_is_on_them() -> None:
    place = HardPlace(0, (0.1, 0.3), SIZE)
    mesh = mesh_at(PLATE, place)
    for name, length in (("north", 1.0), ("south", 1.0), ("east", 0.6)):
        chain = mesh.blocks.edges[name]
        nodes = [mesh.vertices[vertex] for pair in chain for vertex in pair]
        steps = np.diff(mesh.coordinates[nodes], axis=0)
        assert np.linalg.norm(steps, axis=1).sum() == pytest.approx(length)
        # Strips beside the rims end on every side; the place divides its own alone.
        assert (len(chain) > 3) == (name == "north")


FLANGE = wall(plate(rectangle(0.8, 0.15), 0.002))


@settings(max_examples=40, deadline=None)
@given(st.floats(-0.37, 0.37), st.floats(-0.05, 0.05), st.floats(-0.37, 0.37))
@example(-0.3, -0.03, 0.3)
@example(-0.3, 0.0, -0.25)
def test_long_walls_are_cut_short_before_small_blocks_are(x: float, y: float, more: float) -> None:
    """No wedge is left along a side, and what leads to a place has no narrow elements of a rim."""
    places = [HardPlace(0, (x, y), 0.03), HardPlace(0, (more, 0.03), 0.03)]
    mesh = mesh_at(FLANGE, *places)
    assert mesh.node_areas.sum() == pytest.approx(0.12, rel=1e-9)
    assert size_at(mesh, places[0]) <= 3.5 * 0.03
    assert len(mesh.connectivity) < 45
    grid = mesh.coordinates[mesh.connectivity].reshape(-1, 5, 5, 3)
    sines = []
    for i, j, beside_i, beside_j in ((0, 0, 1, 1), (0, 4, 1, 3), (4, 0, 3, 1), (4, 4, 3, 3)):
        along = grid[:, i, beside_j] - grid[:, i, j]
        up = grid[:, beside_i, j] - grid[:, i, j]
        area = np.linalg.norm(np.cross(along, up), axis=1)
        sines.append(area / np.linalg.norm(along, axis=1) / np.linalg.norm(up, axis=1))
    assert np.median(np.min(sines, axis=0)) > 0.8  # 0.2 to 0.5 with wedges


@pytest.mark.parametrize("x", [-0.36, -0.2, 0.0, 0.3, 0.38])
def test_long_walls_are_cut_as_planned_wherever_the_place_goes(x: float) -> None:
    """Also where a strip would be cut but on one side of it now, the blocks stay as many."""
    plan = plan_surface(FLANGE, [HardPlace(0, (-0.25, 0.0), 0.03)])
    assert any(cut.axis is not None for cut in plan.cuts)
    place = HardPlace(0, (x, 0.01), 0.03)
    mesh = surface_mesh(FLANGE, Discretisation(1, 4), plan, places=[place])
    assert mesh.node_areas.sum() == pytest.approx(0.12, rel=1e-9)
    assert mesh.node_areas.min() > 0


FEET = [(x, y) for x in (-0.45, 0.45) for y in (-0.27, 0.27)]


@pytest.mark.parametrize(
    "spots",
    [
        FEET,
        [*FEET, (0.0, 0.27), (0.0, -0.27)],
        [(-0.2, 0.05), (0.15, -0.1)],
        [(0.1, 0.1), (0.1, -0.1)],
    ],
)
def test_places_of_one_block_are_parted_before_blocks_lead_to_them(
    spots: list[tuple[float, float]],
) -> None:
    """Cut about one after the other, blocks were wedges that hardly bend."""
    places = [HardPlace(0, at, SIZE) for at in spots]
    mesh = mesh_at(PLATE, *places)
    assert mesh.node_areas.sum() == pytest.approx(0.6, rel=1e-9)
    assert max(size_at(mesh, place) for place in places) <= 3.5 * SIZE
    assert openness(mesh.blocks) > 0.2
    moved = [HardPlace(0, (0.97 * x, y + 0.003), SIZE) for x, y in spots]
    plan = plan_surface(PLATE, places)
    again = surface_mesh(PLATE, Discretisation(1, 4), plan, places=moved)
    assert len(again.connectivity) == len(mesh.connectivity)
    assert max(size_at(again, place) for place in moved) <= 4 * SIZE


def test_feet_near_corners_have_strips_along_both_rims() -> None:
    """Twice as wide as feet are away from rims, so that each stands in the middle of one."""
    places = [HardPlace(0, at, SIZE) for at in FEET]
    plan = plan_surface(PLATE, places)
    lines = [cut for cut in plan.cuts if cut.others]
    assert len(lines) == 4
    corners = mesh_at(PLATE, *places).blocks
    ends = np.unique(
        np.round([block.chart(np.zeros(1), np.zeros(1))[0] for block in corners.blocks], 6)[:, 0]
    )
    assert {-0.4, 0.4} <= set(ends.tolist())


def test_the_small_block_follows_its_place() -> None:
    first = HardPlace(0, (0.1, 0.05), SIZE)
    plan = plan_surface(PLATE, [first])
    assert plan.cuts
    meshes = [
        surface_mesh(
            PLATE, Discretisation(1, 3), plan, places=[HardPlace(0, (0.1 + step, 0.05), SIZE)]
        )
        for step in (0.0, 1e-4, 0.1)
    ]
    assert np.array_equal(meshes[0].connectivity, meshes[1].connectivity)
    moved = np.linalg.norm(meshes[1].coordinates - meshes[0].coordinates, axis=1)
    assert 0.5e-4 < moved.max() < 2e-4
    assert size_at(meshes[2], HardPlace(0, (0.2, 0.05), SIZE)) <= 3.5 * SIZE


def test_a_place_that_leaves_its_block_is_told() -> None:
    plan = plan_surface(RING, [HardPlace(0, (0.35, 0.05), SIZE)])
    with pytest.raises(FoldedMeshError, match="left its block"):
        surface_mesh(RING, Discretisation(1, 3), plan, places=[HardPlace(0, (-0.35, 0.05), SIZE)])


def test_a_light_mass_needs_no_small_elements() -> None:
    heavy, light = (HardPlace(0, (0.1, 0.05), SIZE, mass) for mass in (40.0, 0.4))
    assert plan_surface(PLATE, [heavy]).cuts
    assert not plan_surface(PLATE, [light]).cuts


def test_a_place_off_the_wall_cuts_nothing() -> None:
    off = HardPlace(0, (0.0, 0.0), SIZE)  # in the bore
    assert plan_surface(RING, [off]).cuts == ()
    assert mesh_at(RING, off).node_areas.sum() == pytest.approx(np.pi * 0.21, rel=1e-5)
