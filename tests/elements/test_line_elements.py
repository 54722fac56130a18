from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.design.parts import PointValue
from belltone.design.place import Place
from belltone.design.values import Design, MassValue
from belltone.elements.directors import cross_matrices
from belltone.elements.line import STRAINS
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.line import line_mesh
from belltone.mesh.point import PointMesh
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.system.kinds import body_of
from belltone.system.lumps import hung_mass, lump_of
from belltone.system.rigid import sheet_motions
from tests.conftest import bar_text

RECTANGLE = 'shape = "solid rectangle", width = "50 mm", height = "30 mm"'
TAPER = 'shape = "solid rectangle", width = "20 mm", height = "10 mm"'


@pytest.mark.parametrize("order", [1, 2, 3, 5, 8])
@pytest.mark.parametrize("taper", ["", TAPER])
def test_rigid_motions_cost_nothing(bar: Callable[..., Design], order: int, taper: str) -> None:
    design = bar(RECTANGLE, taper=taper)
    member = design.parts[0]
    mesh = line_mesh(member, [], Discretisation(2, order))
    elements = body_of(member, mesh).elements
    motions = sheet_motions(mesh.coordinates).reshape(-1, 6, 6)
    gathered = motions[mesh.connectivity].reshape(len(mesh.stretches), -1, 6)
    forces = np.einsum("eij,ejm->eim", elements.matrices()[0], gathered)
    stiffest = np.abs(elements.matrices()[0]).max()
    # Sums of some thousand products of rounding 1e-16 each.
    assert np.abs(forces).max() < 1e-11 * stiffest


@pytest.mark.parametrize("order", [1, 2, 4, 7])
def test_constant_strains_are_exact(bar: Callable[..., Design], order: int) -> None:
    """Patch test: stretch and twist of unit size store E A / 2 and G J / 2 on a metre."""
    design = bar(RECTANGLE)
    member = design.parts[0]
    mesh = line_mesh(member, [], Discretisation(3, order))
    elements = body_of(member, mesh).elements
    section = member.section.properties(0.3)
    x = mesh.coordinates[:, 0]
    motions = np.zeros((2, len(x), 6))
    motions[0, :, 0] = x
    motions[1, :, 3] = x
    gathered = motions[:, mesh.connectivity].reshape(2, len(mesh.stretches), -1)
    energy = elements.strain_energy(gathered).sum(axis=1)
    material = member.material
    assert energy[0, STRAINS.index("axial")] == pytest.approx(
        0.5 * material.youngs_modulus * float(section.area)
    )
    assert energy[1, STRAINS.index("twist")] == pytest.approx(
        0.5 * material.shear_modulus * float(section.torsion_constant)
    )
    assert energy.sum() == pytest.approx(energy[0, 0] + energy[1, 3])


@pytest.mark.parametrize("order", [1, 2, 4, 7])
def test_the_mass_of_a_straight_push_is_the_members(bar: Callable[..., Design], order: int) -> None:
    for taper in ("", TAPER):
        design = bar(RECTANGLE, taper=taper)
        member = design.parts[0]
        mesh = line_mesh(member, [], Discretisation(2, order))
        mass = body_of(member, mesh).elements.matrices()[1]
        push = np.tile([1.0, 0, 0, 0, 0, 0], order + 1)
        assert np.einsum("i,eij,j->", push, mass, push) == pytest.approx(member.mass, rel=1e-12)


@given(st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: np.linalg.norm(v) > 0.1))
def test_turning_the_member_turns_its_matrices(stop: tuple[float, float, float]) -> None:
    length = float(np.linalg.norm(stop))
    straight = evaluate(Sheet.from_text(bar_text(RECTANGLE, f"{length!r} m")))
    points = 'from = ["0 m", "0 m", "0 m"]\nto = [' + ", ".join(f'"{x!r} m"' for x in stop) + "]"
    slanted_text = bar_text(RECTANGLE, f"{length!r} m").replace(f'length = "{length!r} m"', points)
    slanted = evaluate(Sheet.from_text(slanted_text))
    turn = np.kron(np.eye(2 * 4), slanted.parts[0].frame)
    one, other = (
        body_of(
            design.parts[0], line_mesh(design.parts[0], [0.4 * length], Discretisation(1, 3))
        ).elements
        for design in (straight, slanted)
    )
    for which in (0, 1):
        expected = turn.T @ one.matrices()[which] @ turn
        assert other.matrices()[which] == pytest.approx(expected, abs=1e-9 * np.abs(expected).max())


@given(st.tuples(*[st.floats(-2, 2)] * 3), st.tuples(*[st.floats(-2, 2)] * 3))
def test_cross_matrices(first: tuple[float, ...], second: tuple[float, ...]) -> None:
    a, b = np.array(first), np.array(second)
    assert cross_matrices(a) @ b == pytest.approx(np.cross(a, b), abs=1e-12)


def test_a_hung_body_moves_about_its_own_centre() -> None:
    """Kinetic energy of a turn about the centre: the centre stands still."""
    offset, inertia = np.array([0.1, -0.2, 0.3]), np.array([1.0, 2.0, 3.0])
    point = PointMesh(PointValue("p", np.zeros(3)))
    place = Place("p", "p")
    hung = MassValue("m", place, 5.0, (1.0, 2.0, 3.0), (0.1, -0.2, 0.3))
    matrix = hung_mass([lump_of(hung, point.site(place))], None, 6)
    turn = np.array([0.3, 0.5, -0.7])
    motion = np.concatenate([-np.cross(turn, offset), turn])
    assert motion @ matrix @ motion == pytest.approx(turn @ (inertia * turn))
    push = np.array([1.0, 2, 3, 0, 0, 0])
    assert push @ matrix @ push == pytest.approx(5 * 14)
