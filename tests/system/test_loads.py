"""External loads: sums, directions that stay or follow, spin and weight of what hangs, meshes."""

from __future__ import annotations

import math
from pathlib import Path

import meshio
import numpy as np
import pytest
from verification.walls import Array

from belltone.elements.directors import turns
from belltone.elements.surface import SurfaceElements
from belltone.mesh.discretisation import Discretisation
from belltone.modes.solve import request_for
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.system.assembly import Assembly
from belltone.system.loads import Loads, gyroscopic
from tests.assemblies import modes_at
from tests.elements.test_surface_elements import LAYUP, flat
from tests.modes.test_preload_references import CLAMPED, SMALL, beam, force, held, material


def loads_of(text: str, divisions: int = 1, order: int = 3) -> tuple[Assembly, Loads]:
    design = evaluate(Sheet.from_text(text))
    assert design.preload is not None
    assembly = Assembly(design, Discretisation(divisions, order))
    return assembly, Loads(assembly, design.preload)


def sums(assembly: Assembly, forces: Array) -> tuple[Array, Array]:
    """Force and moment about the origin of all nodes together."""
    six = forces.reshape(-1, 6)
    moments = six[:, 3:] + np.cross(assembly.coordinates, six[:, :3])
    return six[:, :3].sum(axis=0), moments.sum(axis=0)


def plate_text(preload: str, extra: str = "") -> str:
    return f"""{material(7850)}
[parts.wall]
kind = "plate"
outline = {{ shape = "rectangle", width = "400 mm", height = "300 mm" }}
thickness = "4 mm"
material = "steel"
{extra}
{held("wall.west", CLAMPED)}
[preload]
{preload}
"""


def test_a_force_on_an_edge_is_shared_out_whole_and_by_its_own_axes() -> None:
    pushed = '[[preload.forces]]\nsite = "wall.east"\nforce = ["0 N", "40 N", "6 N"]\n'
    assembly, loads = loads_of(plate_text(pushed))
    total, moment = sums(assembly, loads.at(assembly.bodies, None).forces)
    assert total == pytest.approx([0, 40, 6])
    assert moment == pytest.approx(np.cross([0.2, 0, 0], [0, 40, 6]), abs=1e-9)
    assembly, loads = loads_of(plate_text(pushed + 'axes = "own"\n'))
    total, _ = sums(assembly, loads.at(assembly.bodies, None).forces)
    # An edge's own axes run along it, out of the wall, along its normal.
    assert abs(total) == pytest.approx([40, 0, 6], abs=1e-9)
    assert total[0] == pytest.approx(40)


def test_pressure_under_a_liquid_pushes_as_its_wedge_does() -> None:
    upright = 'placement = { turn = ["90 deg", "0 deg", "0 deg"] }'
    wet = """[[preload.pressures]]
site = "wall.face"
pressure = "0 Pa"
on = "inner"
follows = false
growth = ["0 kPa/m", "0 kPa/m", "-10 kPa/m"]
level = ["0 mm", "0 mm", "150 mm"]
"""
    assembly, loads = loads_of(plate_text(wet, upright))
    total, moment = sums(assembly, loads.at(assembly.bodies, None).forces)
    push = 10e3 * 0.3**2 / 2 * 0.4
    assert np.linalg.norm(total) == pytest.approx(push)
    assert abs(total[1]) == pytest.approx(push)
    # It pushes a third of the depth above the bottom.
    assert abs(moment[0]) == pytest.approx(push * 0.05)


def test_pressure_turns_with_the_surface_or_does_not() -> None:
    elements = SurfaceElements(flat(3), LAYUP)
    turn = turns(np.array([0.4, -0.9, 0.3]))
    at = elements.positions @ turn.T * 1.1
    posed = elements.posed(at, np.broadcast_to(turn, (*at.shape, 3)))
    values = np.full(elements.points().shape[:2], 1e5)
    before, after = (each.pushed(values).forces.reshape(-1, 6)[:, :3] for each in (elements, posed))
    assert after == pytest.approx(1.21 * before @ turn.T, abs=1e-9 * np.abs(before).max())


def test_the_stiffness_of_a_pressure_that_follows_is_its_derivative_but_at_the_rim() -> None:
    """On motions that leave the rim alone the even part is all of it."""
    elements = SurfaceElements(flat(4), LAYUP)
    random = np.random.default_rng(2)
    inner = np.zeros((5, 5), dtype=bool)
    inner[1:-1, 1:-1] = True
    way = np.where(inner.ravel()[:, None], random.standard_normal((25, 3)), 0.0)
    values = np.full(elements.points().shape[:2], 2e5)
    still = np.broadcast_to(np.eye(3), (1, 25, 3, 3))
    step = 1e-6

    def forces(sign: float) -> Array:
        moved = elements.posed(elements.positions + sign * step * way, still)
        return moved.pushed(values).forces.reshape(25, 6)[inner.ravel(), :3]

    expected = -(forces(1.0) - forces(-1.0)) / (2 * step)
    six = np.hstack([way, np.zeros((25, 3))]).ravel()
    found = (elements.pushed(values).stiffness[0] @ six).reshape(25, 6)[inner.ravel(), :3]
    assert found == pytest.approx(expected, abs=1e-6 * np.abs(expected).max())


def test_spin_and_weight_reach_the_middle_of_what_hangs() -> None:
    text = (
        beam("20 mm", "10 mm", held("b.start", CLAMPED), "")
        + """
[[masses]]
site = "b.end"
mass = "3 kg"
offset = ["0 mm", "100 mm", "0 mm"]
[preload]
acceleration = ["0 m/s^2", "0 m/s^2", "-10 m/s^2"]
spin = { speed = "20 rad/s", axis = "z" }
"""
    )
    assembly, loads = loads_of(text)
    total, moment = sums(assembly, loads.at(assembly.bodies, None).forces)
    bar = 7850 * 2e-4
    out = 400 * (bar * 0.5 + 3.0)
    assert total == pytest.approx([out, 400 * 3 * 0.1, -10 * (bar + 3)])
    weight = np.array([0.0, 0.0, -10.0])
    expected = np.cross([0.5, 0, 0], bar * weight) + np.cross([1.0, 0.1, 0], 3 * weight)
    assert moment == pytest.approx(expected, abs=1e-9)


def test_gyroscopic_forces_do_no_work() -> None:
    text = (
        beam("20 mm", "10 mm", held("b.start", CLAMPED), SMALL + force("b.end", x=1.0))
        + """
[[masses]]
site = "b.end"
mass = "2 kg"
inertia = "0.01 kg*m^2"
"""
    )
    assembly, _ = loads_of(text)
    axis = np.array([0.0, 0.6, 0.8])
    skew = gyroscopic(assembly, assembly.bodies, None, axis).toarray()
    assert skew == pytest.approx(-skew.T, abs=1e-12)
    moves = np.zeros((len(assembly.coordinates), 6, 2))
    moves[:, 0, 0] = moves[:, 1, 1] = 1.0
    flat_moves = moves.reshape(-1, 2)
    mass = 7850 * 2e-4 + 2.0
    assert flat_moves[:, 1] @ skew @ flat_moves[:, 0] == pytest.approx(mass * 0.8)


def test_a_received_mesh_is_loaded_like_the_plate_it_is(tmp_path: Path) -> None:
    """Pulled, heated and pressed, within what flat facets allow."""
    x, y = np.meshgrid(np.linspace(-0.2, 0.2, 17), np.linspace(-0.15, 0.15, 13))
    points = np.column_stack([x.ravel(), y.ravel(), np.zeros(x.size)])
    corner = (np.arange(12)[:, None] * 17 + np.arange(16)).ravel()
    faces = np.column_stack([corner, corner + 1, corner + 18, corner + 17])
    meshio.Mesh(points, [("quad", faces)]).write(tmp_path / "cover.vtu")
    received = """[parts.wall]
kind = "mesh"
file = "cover.vtu"
unit = "m"
thickness = "4 mm"
material = "steel"
"""
    plate = plate_text("").split("[parts.wall]")[1].split("[[supports]]")[0]
    edge = {"wall.west": "wall.rim 1"}
    rest = "[modes]\ncount = 4\n"
    for preload in (
        '[[preload.warmths]]\nchange = "-8 K"\n',
        '[[preload.pressures]]\nsite = "wall.face"\npressure = "2 kPa"\non = "inner"\n',
        '[preload]\nspin = { speed = "3000 rpm", axis = "z" }\n',
    ):
        found = []
        for part, site in (
            ("[parts.wall]" + plate, "wall.outline"),
            (received, edge["wall.west"]),
        ):
            text = material(7850) + part + held(site, CLAMPED) + rest + preload
            design = evaluate(Sheet.from_text(text, tmp_path))
            modes = modes_at(design, request_for(design), Discretisation(1, 4))
            assert modes.base is not None
            assert modes.base.imbalance < 1e-8
            found.append(modes)
        one, other = found
        assert other.flexible[:4] == pytest.approx(one.flexible[:4], rel=1e-2)
        largest = [
            next(each.value for each in modes.base.largest if each.what == "displacement")  # type: ignore[union-attr]
            for modes in found
            if modes.base is not None and "pressures" in preload
        ]
        if largest:
            assert largest[1] == pytest.approx(largest[0], rel=2e-2)
    assert math.isfinite(found[0].flexible[0])
