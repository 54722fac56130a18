"""Meshes of plates and shells: exact geometry, sites, and smooth motion with a dimension."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from verification.walls import plate, rectangle, shell, wall

from belltone.design.parts import SurfaceValue
from belltone.design.place import Place
from belltone.mesh import plate_schemes
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.surface import SurfaceMesh
from belltone.mesh.surface_division import FoldedMeshError, surface_mesh
from belltone.mesh.surface_plan import plan_surface
from belltone.system.kinds import place_lines, place_position

HOLE = 'holes = [{{ name = "port", shape = "round", at = ["{x} m", "{y} m"], diameter = "0.2 m" }}]'
OUTLINES = {
    "rectangle": (rectangle(1, 0.6), "", 0.6),
    "rounded": (
        'shape = "rounded rectangle", width = "1 m", height = "0.6 m", radius = "0.1 m"',
        "",
        0.6 - (4 - np.pi) * 0.01,
    ),
    "disc": ('shape = "disc", diameter = "1 m"', "", np.pi / 4),
    "ring": ('shape = "ring", diameter = "1 m", bore = "0.4 m"', "", np.pi / 4 * 0.84),
    "parallelogram": (
        'shape = "parallelogram", width = "1 m", side = "0.6 m", angle = "60 deg"',
        "",
        0.6 * np.sin(np.pi / 3),
    ),
    "round hole": (rectangle(1, 0.6), HOLE.format(x=0.1, y=-0.05), 0.6 - np.pi * 0.01),
    "square hole": (
        rectangle(1, 0.6),
        'holes = [{ name = "port", shape = "rectangular", at = ["0 m", "0 m"], '
        'width = "0.2 m", height = "0.1 m", turned = "20 deg" }]',
        0.58,
    ),
    "two holes": (
        rectangle(1, 0.6),
        'holes = [{ name = "a", shape = "round", at = ["-0.2 m", "0 m"], diameter = "0.2 m" }, '
        '{ name = "b", shape = "round", at = ["0.25 m", "0.1 m"], diameter = "0.16 m" }]',
        0.6 - np.pi * (0.01 + 0.0064),
    ),
    "angle": (
        'shape = "polygon", points = [["0 m", "0 m"], ["1 m", "0 m"], ["1 m", "0.3 m"], '
        '["0.3 m", "0.3 m"], ["0.3 m", "0.8 m"], ["0 m", "0.8 m"]]',
        "",
        0.45,
    ),
}


def mesh_of(value: SurfaceValue, order: int = 5, divisions: int = 1) -> SurfaceMesh:
    """Its own mesh."""
    return surface_mesh(value, Discretisation(divisions, order), plan_surface(value))


@pytest.mark.parametrize("name", OUTLINES)
def test_areas_are_exact(name: str) -> None:
    outline, extra, area = OUTLINES[name]
    mesh = mesh_of(wall(plate(outline, 0.01, extra + "\n")))
    assert mesh.node_areas.sum() == pytest.approx(area, rel=2e-6)
    # Every node belongs to an element, and neighbouring elements share theirs.
    assert np.array_equal(np.unique(mesh.connectivity), np.arange(len(mesh.coordinates)))
    apart = np.linalg.norm(mesh.coordinates[:, None] - mesh.coordinates[None], axis=2)
    np.fill_diagonal(apart, 1.0)
    assert apart.min() > 1e-6


@pytest.mark.parametrize(
    ("profile", "extra", "area"),
    [
        ('{ at = ["0.5 m", "0 m"] }, { at = ["0.5 m", "1 m"] }', "", np.pi),
        ('{ at = ["0.3 m", "0 m"] }, { at = ["0.6 m", "0.4 m"] }', "", np.pi * 0.9 * 0.5),
        # Half a sphere, closed at its top, and a quarter of it.
        (
            '{ at = ["1 m", "0 m"] }, { at = ["0 m", "1 m"], '
            'through = ["0.7071067811865476 m", "0.7071067811865476 m"] }',
            "",
            2 * np.pi,
        ),
        (
            '{ at = ["1 m", "0 m"] }, { at = ["0 m", "1 m"], '
            'through = ["0.7071067811865476 m", "0.7071067811865476 m"] }',
            'turn = "90 deg"',
            np.pi / 2,
        ),
    ],
)
def test_areas_of_revolution(profile: str, extra: str, area: float) -> None:
    mesh = mesh_of(wall(shell("revolved", profile, 0.01, extra + "\n")), order=8)
    assert mesh.node_areas.sum() == pytest.approx(area, rel=2e-6)
    inward = np.einsum("eni,eni->en", mesh.directors, mesh.coordinates[mesh.connectivity])
    assert np.all(inward > -1e-9)  # normals point to the profile's right, which is outwards


def test_a_bent_channel_has_the_length_of_its_profile() -> None:
    points = (
        '{ at = ["-0.1 m", "0.1 m"] }, { at = ["-0.1 m", "0 m"], bend = "0.02 m" }, '
        '{ at = ["0.1 m", "0 m"], bend = "0.02 m" }, { at = ["0.1 m", "0.1 m"] }'
    )
    value = wall(shell("extruded", points, 0.002, 'length = "0.5 m"\n'))
    length = 0.4 - 2 * (2 * 0.02 - np.pi / 2 * 0.02)
    mesh = mesh_of(value, order=6)
    assert mesh.node_areas.sum() == pytest.approx(0.5 * length, rel=1e-8)
    # The inner face is drawn: the middle of the wall lies half a thickness further out.
    inner = wall(shell("extruded", points, 0.002, 'length = "0.5 m"\nface = "inner"\n'))
    lowest = mesh_of(inner, order=6).coordinates[:, 2].min()
    assert lowest == pytest.approx(-0.001)


def test_sites_have_their_own_axes() -> None:
    value = wall(plate(*OUTLINES["round hole"][:1], 0.01, OUTLINES["round hole"][1] + "\n"))
    mesh = mesh_of(value)
    east = mesh.site(Place("s", "wall", feature="east"))
    assert east.shares.sum() == pytest.approx(1.0)
    assert east.positions[:, 0] == pytest.approx(0.5)
    assert np.abs(east.frames[:, 0] @ [0, 1, 0]) == pytest.approx(1.0)
    assert east.frames[:, 1] @ [1, 0, 0] == pytest.approx(1.0)  # out of the plate
    assert east.frames[:, 2] @ [0, 0, 1] == pytest.approx(1.0)
    rim = mesh.site(Place("s", "wall", feature="port"))
    towards = np.array([0.1, -0.05, 0]) - rim.positions
    assert np.linalg.norm(towards, axis=1) == pytest.approx(0.1)
    into = np.einsum("si,si->s", rim.frames[:, 1], towards) / 0.1
    assert into == pytest.approx(1.0, abs=1e-3)  # out of the wall is into the hole
    corner = mesh.site(Place("s", "wall", feature="north-west"))
    assert corner.positions[0] == pytest.approx([-0.5, 0.3, 0])
    point = mesh.site(Place("s", "wall", at=(-0.3, 0.12)))
    assert point.positions[0] == pytest.approx([-0.3, 0.12, 0])
    assert point.weights.sum() == pytest.approx(1.0)
    spread = point.weights[0] @ mesh.coordinates[point.nodes[0]]
    # The footprint is as wide as the wall is thick; its middle stays where the point is.
    assert spread == pytest.approx([-0.3, 0.12, 0], abs=5e-5)
    face = mesh.site(Place("s", "wall", feature="face"))
    assert face.shares.sum() == pytest.approx(1.0)


@pytest.mark.parametrize("feature", ["west", "outline", "port", "south-east"])
def test_places_without_a_mesh_are_those_of_the_mesh(feature: str) -> None:
    value = wall(plate(OUTLINES["round hole"][0], 0.01, OUTLINES["round hole"][1] + "\n"))
    place = Place("s", "wall", feature=feature)
    lines = np.concatenate(place_lines(value, place))
    site = mesh_of(value).site(place)
    away = np.linalg.norm(site.positions[:, None] - lines[None], axis=2).min(axis=1)
    assert away.max() < 0.02
    assert np.isfinite(place_position(value, place)).all()


@settings(max_examples=12, deadline=None)
@given(st.floats(-0.2, 0.2), st.floats(-0.1, 0.1))
def test_the_mesh_moves_with_a_hole(x: float, y: float) -> None:
    """One plan serves every place of the hole, and a small step moves every node a little."""
    plan = plan_surface(wall(plate(rectangle(1, 0.6), 0.01, HOLE.format(x=0.0, y=0.0) + "\n")))
    meshes = [
        surface_mesh(
            wall(plate(rectangle(1, 0.6), 0.01, HOLE.format(x=at, y=y) + "\n")),
            Discretisation(1, 4),
            plan,
        )
        for at in (x, x + 1e-4)
    ]
    assert np.array_equal(meshes[0].connectivity, meshes[1].connectivity)
    moved = np.linalg.norm(meshes[1].coordinates - meshes[0].coordinates, axis=1)
    assert moved.max() < 2e-4


@pytest.mark.parametrize("way", ["quads", "graded quads", "triangles"])
def test_two_holes_move_smoothly(way: str, monkeypatch: pytest.MonkeyPatch) -> None:
    # As where holes are so crowded that no quadrilaterals, or none of one size, fit between them.
    if way != "quads":
        monkeypatch.setattr(plate_schemes, "quads", lambda *_args: None)
    if way == "triangles":
        monkeypatch.setattr(plate_schemes, "graded_quads", lambda *_args: None)
    outline, extra, _ = OUTLINES["two holes"]
    base = wall(plate(outline, 0.01, extra + "\n"))
    monkeypatch.setattr(plate_schemes, "_COMPARED", ())  # what costs less may be of another kind
    plate_schemes.plate_scheme.cache_clear()  # what other tests have found
    plan = plan_surface(base)
    plate_schemes.plate_scheme.cache_clear()
    assert plan.scheme is not None
    assert plan.scheme.name == way.split()[-1]
    areas = []
    for at in (0.25, 0.27, 0.29):
        value = wall(plate(outline, 0.01, extra.replace("0.25 m", f"{at} m") + "\n"))
        mesh = surface_mesh(value, Discretisation(1, 4), plan)
        areas.append(mesh.node_areas.sum())
    assert areas == pytest.approx([areas[0]] * 3, rel=1e-6)
    far = wall(plate(outline, 0.01, extra.replace("0.25 m", "-0.4 m").replace("-0.2 m", "0.3 m")))
    with pytest.raises(FoldedMeshError):
        surface_mesh(far, Discretisation(1, 4), plan)


def test_a_narrow_element_stands_beside_every_rim() -> None:
    mesh = mesh_of(wall(plate(rectangle(1, 1), 0.02)), order=1, divisions=2)
    ends = np.unique(np.round(mesh.coordinates[:, 0] + 0.5, 9))
    assert ends[1] == pytest.approx(0.02)
    assert 1 - ends[-2] == pytest.approx(0.02)


def test_what_elements_say_of_a_node_is_made_one_value_but_for_folds() -> None:
    flat = mesh_of(wall(plate(rectangle(1, 0.6), 0.01)), order=3, divisions=2)
    places = flat.coordinates[flat.connectivity]
    even = np.stack([places[..., 0] * places[..., 1], places[..., 1]], axis=-1)
    assert flat.smoothed(even) == pytest.approx(even, abs=1e-12)
    steps = np.arange(len(flat.connectivity), dtype=float)[:, None, None] + 0 * even
    mean = flat.smoothed(steps)
    at_node: dict[int, set[float]] = {}
    for nodes, values in zip(flat.connectivity, mean[..., 0], strict=True):
        for node, value in zip(nodes.tolist(), values.tolist(), strict=True):
            at_node.setdefault(node, set()).add(round(value, 9))
    assert all(len(values) == 1 for values in at_node.values())
    assert mean.min() >= 0
    assert mean.max() <= steps.max()
    profile = '{ at = ["0 m", "0 m"] }, { at = ["0.3 m", "0 m"] }, { at = ["0.3 m", "0.2 m"] }'
    bent = mesh_of(wall(shell("extruded", profile, 0.002, 'length = "0.4 m"\n')), order=3)
    on_fold = np.isclose(bent.coordinates[:, 1:].T, [[0.3], [0.0]], atol=1e-6).all(axis=0)
    assert on_fold.any()
    assert np.array_equal(bent.seams, on_fold)


@pytest.mark.parametrize("at", [(0.0, 0.0), (0.05, 0.0), (0.3, 0.2), (0.21213, 0.21213)])
def test_what_is_held_at_a_point_acts_on_a_whole_disc(at: tuple[float, float]) -> None:
    """Also where blocks meet at the point: the disc reaches into all of them."""
    value = wall(plate('shape = "disc", diameter = "1 m"', 0.02))
    for order in (4, 6):
        mesh = surface_mesh(value, Discretisation(4, order), plan_surface(value))
        site = mesh.site(Place("spot", "wall", at=at))
        away = mesh.coordinates[site.nodes[0], :2] - at
        weights = site.weights[0]
        assert weights.sum() == pytest.approx(1.0)
        assert weights @ away == pytest.approx([0.0, 0.0], abs=1e-6 * 0.1)
        # Of an even disc a quarter of the square of its radius, along every direction.
        moments = np.einsum("n,ni,nj->ij", weights, away, away)
        assert moments == pytest.approx(np.eye(2) * 0.25 * 0.01**2, abs=2e-2 * 0.25 * 0.01**2)
