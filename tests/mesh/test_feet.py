"""The nearest places of walls and members."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from belltone.mesh import feet
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.imprints import JoinedLine, imprints
from belltone.mesh.line import LineMesh
from belltone.mesh.surface import SurfaceMesh
from belltone.system.division import mesh_bodies
from tests.assemblies import design_of, member, plate

Array = NDArray[np.float64]

TUBE = """
[parts.t]
kind = "revolved"
material = "steel"
thickness = "2 mm"
profile = [{ at = ["100 mm", "0 mm"] }, { at = ["100 mm", "300 mm"] }]
"""


COARSE = Discretisation(1, 4)


def mesh_of(text: str, level: Discretisation = COARSE) -> SurfaceMesh | LineMesh:
    (_, mesh), *_ = mesh_bodies(design_of(text), level)
    assert isinstance(mesh, SurfaceMesh | LineMesh)
    return mesh


@settings(max_examples=5)
@given(st.integers(0, 2**31))
def test_feet_on_a_plate(seed: int) -> None:
    mesh = mesh_of(plate("p", 600, 400, (0, 0, 0)))
    at = np.random.default_rng(seed).uniform(-0.5, 0.5, size=(40, 3))
    found = mesh.feet(at)
    wanted = np.clip(at, [-0.3, -0.2, 0], [0.3, 0.2, 0])
    assert found.positions == pytest.approx(wanted, abs=1e-8)
    assert found.weights.sum(axis=1) == pytest.approx(np.ones(40))
    assert found.normals == pytest.approx(np.tile([0, 0, 1.0], (40, 1)))
    assert found.reach == pytest.approx(np.full(40, 0.002))


def test_points_that_stand_off_a_wall_are_looked_for_in_one_element_each(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """All boxes of a plate are nearer than a foot told with a bit of rounding."""
    slid: list[int] = []

    def counted(positions: Array, order: int, points: Array, at: Array) -> tuple[Array, Array]:
        slid.append(len(points))
        return slide(positions, order, points, at)

    slide = feet._slid
    monkeypatch.setattr(feet, "_slid", counted)
    disc = plate("d", 300, 200, (0, 0, 0)).replace(
        'shape = "rectangle", width = "300 mm", height = "200 mm"',
        'shape = "disc", diameter = "300 mm"',
    )
    mesh = mesh_of(disc, Discretisation(2, 3))
    at = np.random.default_rng(3).uniform(-0.1, 0.1, (200, 3)) * [1, 1, 0] + [0, 0, 0.014]
    found = mesh.feet(at)
    assert found.positions == pytest.approx(at * [1, 1, 0], abs=1e-9)
    assert sum(slid) <= 1.1 * len(at)
    assert len(mesh.feet(np.empty((0, 3))).nodes) == 0


def test_feet_on_a_tube() -> None:
    mesh = mesh_of(TUBE, Discretisation(1, 6))
    random = np.random.default_rng(7)
    angle, height = random.uniform(0, 2 * np.pi, 40), random.uniform(0.01, 0.29, 40)
    out = np.column_stack([np.cos(angle), np.sin(angle), 0 * angle])
    at = random.uniform(0.09, 0.13, (40, 1)) * out + height[:, None] * [0, 0, 1]
    found = mesh.feet(at)
    assert found.positions == pytest.approx(0.1 * out + height[:, None] * [0, 0, 1], abs=1e-6)
    assert np.abs(np.sum(found.normals * out, axis=1)) == pytest.approx(np.ones(40), abs=1e-4)


@settings(max_examples=10)
@given(st.integers(0, 2**31))
def test_feet_on_a_bent_member(seed: int) -> None:
    text = member("b", (0, 0, 0), (1000, 0, 0)).replace(
        'from = ["0 mm", "0 mm", "0 mm"]\nto = ["1000 mm", "0 mm", "0 mm"]',
        'path = [{ at = ["1 m", "0 m", "0 m"] }, '
        '{ at = ["0 m", "1 m", "0 m"], through = ["0.70710678 m", "0.70710678 m", "0 m"] }]',
    )
    mesh = mesh_of(text, Discretisation(2, 5))
    random = np.random.default_rng(seed)
    angle = random.uniform(0.05, 1.5, 20)
    out = np.column_stack([np.cos(angle), np.sin(angle), 0 * angle])
    lift = random.uniform(-0.2, 0.2, (20, 1)) * [0, 0, 1.0]
    found = mesh.feet(random.uniform(0.7, 1.3, (20, 1)) * out + lift)
    assert found.positions == pytest.approx(out, abs=1e-5)
    assert found.normals is None


def test_elements_end_along_what_is_joined() -> None:
    mesh = mesh_of(plate("p", 600, 400, (0, 0, 0)))
    assert isinstance(mesh, SurfaceMesh)
    along = np.linspace(-0.25, 0.25, 60)
    across = np.column_stack([along, np.full(60, 0.07), np.full(60, 0.01)])
    slant = np.column_stack([along, along / 2, np.zeros(60)])
    far = across + np.array([0, 0, 0.2])
    marks = imprints(mesh, [JoinedLine(points, 0.02) for points in (across, slant, far)])
    assert len(marks) == 1
    assert marks[0].axis == 1
    assert marks[0].value == pytest.approx((0.07 + 0.2) / 0.4)


def test_a_rib_ends_its_elements_with_those_of_its_wall() -> None:
    rib = """
[parts.r]
kind = "rib"
on = "p"
material = "steel"
from = { at = ["-280 mm", "70 mm"] }
to = { at = ["280 mm", "70 mm"] }
section = { shape = "solid rectangle", width = "4 mm", height = "20 mm" }
"""
    design = design_of(plate("p", 600, 400, (0, 0, 0)), rib)
    meshes = {part.name: mesh for part, mesh in mesh_bodies(design, Discretisation(1, 4))}
    wall, line = meshes["p"], meshes["r"]
    assert isinstance(wall, SurfaceMesh)
    assert isinstance(line, LineMesh)
    ends = set(np.round(wall.coordinates[wall.connectivity[:, 0], 0], 6))
    inner = line.positions[1:, 0, 0]
    assert len(inner)
    assert set(np.round(inner, 6)) <= ends
    assert 0.07 in np.round(wall.coordinates[:, 1], 6)
    # It stands on the outer face.
    assert line.coordinates[:, 2] == pytest.approx(np.full(len(line.coordinates), 0.012))


def test_feet_of_points_in_a_hole_are_on_its_rim() -> None:
    """What lies in the middle of a rim's curve is where steps without its curvature creep."""
    hole = 'holes = [{ name = "h", shape = "round", at = ["80 mm", "0 mm"], diameter = "90 mm" }]\n'
    text = plate("p", 600, 400, (0, 0, 0)).replace("outline", f"{hole}outline", 1)
    mesh = mesh_of(text, Discretisation(1, 6))
    assert isinstance(mesh, SurfaceMesh)
    random = np.random.default_rng(3)
    angle, away = random.uniform(0, 2 * np.pi, 60), random.uniform(0.002, 0.044, 60)
    way = np.column_stack([np.cos(angle), np.sin(angle), 0 * angle])
    centre = np.array([0.08, 0.0, 0.0])
    found = mesh.feet(centre + away[:, None] * way)
    assert found.positions == pytest.approx(centre + 0.045 * way, abs=2e-5)


def test_a_rib_across_a_hole_is_divided_on_the_wall_alone() -> None:
    """Over the hole nothing is followed, whatever element of the rim is nearest."""
    hole = 'holes = [{ name = "h", shape = "round", at = ["80 mm", "0 mm"], diameter = "90 mm" }]\n'
    rib = """
[parts.r]
kind = "rib"
on = "p"
material = "steel"
section = { shape = "solid rectangle", width = "4 mm", height = "20 mm" }
from = { at = ["-300 mm", "0 mm"] }
to = { at = ["300 mm", "0 mm"] }
"""
    text = plate("p", 600, 400, (0, 0, 0)).replace("outline", f"{hole}outline", 1) + rib
    (_, _), (_, line) = mesh_bodies(design_of(text), COARSE)
    assert isinstance(line, LineMesh)
    ends = 300 + 1e3 * np.unique(line.coordinates[line.connectivity[:, [0, -1]], 0])
    inside = ends[(ends > 336) & (ends < 424)]
    assert len(inside) == 0, ends
