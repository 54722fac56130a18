"""Finite motions of both kernels: forces and tangents against differences, turned frames."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation
from verification.walls import Array

from belltone.elements.directors import turns, unturned
from belltone.elements.line import LineElements, LineNodes, SectionLaw
from belltone.elements.surface import SurfaceElements
from tests.elements.test_surface_elements import LAYUP, curved, flat

HEAT, PULL = 40.0, 3e4


def bow(order: int) -> LineNodes:
    """One element round an arc, of a section without any symmetry."""
    from belltone.mesh.quadrature import lobatto

    angle = 0.4 * (lobatto(order) + 1)
    positions = np.column_stack([np.sin(angle), 0 * angle, 1 - np.cos(angle)])
    ups = np.column_stack([-np.sin(angle), 0 * angle, np.cos(angle)])
    law = np.diag([4e6, 1e6, 1.2e6, 300.0, 900.0, 500.0])
    law[1, 3] = law[3, 1] = 2e3
    law[4, 5] = law[5, 4] = 100.0

    def section(points: Array) -> SectionLaw:
        form = (1, len(points))
        turning = np.diag([3e-3, 2e-3, 1e-3])
        return SectionLaw(
            np.broadcast_to(law, (*form, 6, 6)),
            np.full(form, 2.0),
            np.broadcast_to(turning, (*form, 3, 3)),
            1.2e-5,
        )

    return LineNodes(order, positions[None], ups[None], section, True)


def line(order: int) -> LineElements:
    return LineElements(bow(order))


def wall(order: int) -> SurfaceElements:
    return SurfaceElements(curved(order), LAYUP)


KERNELS = pytest.mark.parametrize("made", [line, wall])


def pose(
    elements: LineElements | SurfaceElements, size: float
) -> tuple[LineElements | SurfaceElements, Array]:
    """The element bent, stretched and turned at random, smoothly enough to keep its shape."""
    random = np.random.default_rng(5)
    at = elements.positions
    bend = random.standard_normal((3, 3))
    spin = random.standard_normal((3, 3))
    near = at - at.mean(axis=1, keepdims=True)
    turned = turns(size * near @ spin + size)
    return elements.posed(at + size * near @ bend, turned), turned


def moved(
    made: LineElements | SurfaceElements, turned: Array, motion: Array
) -> LineElements | SurfaceElements:
    """The element after one more motion of its unknowns, rotations after the ones it has."""
    six = motion.reshape(1, -1, 6)
    return made.posed(made.positions + six[..., :3], turns(six[..., 3:]) @ turned)


@KERNELS
@pytest.mark.parametrize("order", [1, 3, 4])
def test_the_tangent_is_the_derivative_of_the_forces(
    made: Callable[[int], LineElements | SurfaceElements], order: int
) -> None:
    elements, turned = pose(made(order), 0.2)
    stressed = elements.stressed(None, HEAT, PULL)
    tangent = (elements.matrices()[0] + stressed.stiffness)[0]
    way = np.random.default_rng(3).standard_normal(elements.size)
    step = 1e-5
    ahead, behind = (
        moved(elements, turned, sign * step * way).stressed(None, HEAT, PULL).forces[0]
        for sign in (1.0, -1.0)
    )
    difference = (ahead - behind) / (2 * step)
    # In the turned chart the torque itself turns by half of the step: t x f / 2.
    six = stressed.forces.reshape(-1, 6)
    half = np.zeros_like(six)
    half[:, 3:] = 0.5 * np.cross(way.reshape(-1, 6)[:, 3:], six[:, 3:])
    difference += half.ravel() * -1.0
    assert difference == pytest.approx(tangent @ way, abs=2e-6 * np.abs(tangent @ way).max())
    assert tangent == pytest.approx(tangent.T, abs=1e-9 * np.abs(tangent).max())


@KERNELS
def test_stress_stiffness_of_small_motions_is_that_of_the_first_pose(
    made: Callable[[int], LineElements | SurfaceElements],
) -> None:
    """With next to no motion the finite strains give what the linear ones do."""
    elements = made(3)
    motion = 1e-9 * np.random.default_rng(1).standard_normal(elements.size)
    linear = elements.stressed(motion[None], 0.0)
    still = np.broadcast_to(np.eye(3), (*elements.positions.shape, 3))
    finite = moved(elements, still, motion).stressed(None, 0.0)
    scale = np.abs(linear.forces).max()
    assert finite.forces == pytest.approx(linear.forces, abs=1e-6 * scale)
    stiffest = np.abs(linear.stiffness).max()
    assert finite.stiffness == pytest.approx(linear.stiffness, abs=1e-6 * stiffest)


@KERNELS
@given(vector=st.lists(st.floats(-3.0, 3.0), min_size=3, max_size=3))
@settings(max_examples=20, deadline=None)
def test_a_turned_element_is_not_strained(
    made: Callable[[int], LineElements | SurfaceElements], vector: list[float]
) -> None:
    elements = made(3)
    turn = Rotation.from_rotvec(vector).as_matrix()
    at = elements.positions @ turn.T + np.array([3.0, -2.0, 1.0])
    posed = elements.posed(at, np.broadcast_to(turn, (*at.shape, 3)))
    stretched = elements.stressed(1e-3 * np.ones((1, elements.size)), 0.0).forces
    assert np.abs(posed.stressed(None, 0.0).forces).max() < 1e-6 * np.abs(stretched).max() + 1e-6


def test_warm_wall_free_to_grow_carries_no_stress() -> None:
    elements = SurfaceElements(flat(3), LAYUP_WARM)
    grown = elements.positions * (1 + 1e-5 * HEAT)
    motion = np.zeros((1, (3 + 1) ** 2, 6))
    motion[..., :3] = grown - elements.positions
    forces = elements.stressed(motion.reshape(1, -1), HEAT).forces
    held = elements.stressed(np.zeros((1, elements.size)), HEAT).forces
    assert np.abs(forces).max() < 1e-9 * np.abs(held).max()


LAYUP_WARM = type(LAYUP)(
    (type(LAYUP.plies[0])(type(LAYUP.plies[0].material).isotropic("m", 2700, 70e9, 0.3, 1e-5), 0),),
    (1.0,),
)


@given(vector=st.lists(st.floats(-1.7, 1.7), min_size=3, max_size=3))
def test_rotation_vectors_come_back(vector: list[float]) -> None:
    assert unturned(turns(np.array(vector))) == pytest.approx(np.array(vector), abs=1e-12)
    assert turns(np.array(vector)) == pytest.approx(Rotation.from_rotvec(vector).as_matrix())
