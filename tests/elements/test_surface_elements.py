"""The surface kernel: rigid motions, patch tests, masses, thin walls."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation
from verification.walls import Array

from belltone.elements.surface import SurfaceElements, SurfaceNodes
from belltone.mesh.quadrature import lobatto
from belltone.sections.layups import LayupValue, PlyMaterialValue, PlyValue
from belltone.system.rigid import sheet_motions

YOUNG, RATIO, DENSITY, THICK = 70e9, 0.3, 2700.0, 0.02
LAYUP = LayupValue((PlyValue(PlyMaterialValue.isotropic("m", DENSITY, YOUNG, RATIO), 0.0),), (1.0,))
ORDERS = pytest.mark.parametrize("order", [1, 2, 4, 6])
SKEWED = np.array([[0.0, 0.0], [1.1, 0.1], [0.9, 0.8], [-0.2, 0.6]])
DIAGONALS = SKEWED[2] - SKEWED[0], SKEWED[3] - SKEWED[1]
AREA = 0.5 * (DIAGONALS[0][0] * DIAGONALS[1][1] - DIAGONALS[0][1] * DIAGONALS[1][0])


def local(order: int) -> tuple[Array, Array]:
    """Node places on the unit square, the first coordinate fastest."""
    line = 0.5 * (lobatto(order) + 1)
    up, across = np.meshgrid(line, line, indexing="ij")
    return across.ravel(), up.ravel()


def flat(order: int, corners: Array = SKEWED, turn: Array | None = None) -> SurfaceNodes:
    """One flat element over four corners, turned in space."""
    u, v = local(order)
    shape = np.column_stack([(1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v])
    places = np.column_stack([shape @ corners, np.zeros(len(u))])
    turn = np.eye(3) if turn is None else turn
    return SurfaceNodes(
        order,
        (places @ turn.T)[None],
        np.tile(turn[:, 2], (1, len(u), 1)),
        np.tile(turn[:, 0], (1, len(u), 1)),
        np.full((1, len(u)), THICK),
    )


def curved(order: int, radius: float = 0.5) -> SurfaceNodes:
    """One element on a cylinder, a sixth of it round."""
    u, v = local(order)
    angle = u * np.pi / 3
    out = np.column_stack([np.cos(angle), np.sin(angle), np.zeros(len(u))])
    return SurfaceNodes(
        order,
        (radius * out + np.outer(v, [0, 0, 0.4]))[None],
        out[None],
        np.tile([0.0, 0.0, 1.0], (1, len(u), 1)),
        np.full((1, len(u)), THICK),
    )


@ORDERS
@pytest.mark.parametrize("nodes", [flat, curved])
def test_rigid_motions_cost_nothing(order: int, nodes: object) -> None:
    element = nodes(order)  # type: ignore[operator]
    stiffness, _ = (matrix[0] for matrix in SurfaceElements(element, LAYUP).matrices())
    motions = sheet_motions(element.positions[0])
    assert np.abs(stiffness @ motions).max() < 1e-11 * np.abs(stiffness).max()
    # And nothing else is free: six zero eigenvalues, none of them negative.
    values = np.linalg.eigvalsh(stiffness)
    assert np.count_nonzero(np.abs(values) < 1e-9 * values[-1]) == 6


def motions_of(nodes: SurfaceNodes, field: object) -> Array:
    """Node motions (1, 1, size) of a displacement and rotation field of (x, y)."""
    x, y, _ = nodes.positions[0].T
    return np.array([field(a, b) for a, b in zip(x, y, strict=True)]).reshape(1, 1, -1)  # type: ignore[operator]


@ORDERS
def test_constant_stretch_is_exact_on_a_skewed_element(order: int) -> None:
    strain = np.array([[2e-3, 0.4e-3], [0.4e-3, -1e-3]])

    def field(x: float, y: float) -> list[float]:
        ux, uy = strain @ [x, y]
        return [ux, uy, 0, 0, 0, 0]

    nodes = flat(order)
    energy = SurfaceElements(nodes, LAYUP).strain_energy(motions_of(nodes, field))[0].sum(axis=0)
    law = LAYUP.plies[0].material.stiffness_at(0.0)[0]
    vector = np.array([strain[0, 0], strain[1, 1], 2 * strain[0, 1]])
    assert energy[0] == pytest.approx(0.5 * AREA * THICK * vector @ law @ vector, rel=1e-9)
    assert energy[1:] == pytest.approx([0, 0], abs=1e-12 * energy[0])


@pytest.mark.parametrize("order", [2, 4, 6])
def test_energy_by_degree_is_all_of_it_and_stands_where_it_belongs(order: int) -> None:
    square = flat(order, np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 0.8], [0.0, 0.8]]))
    elements = SurfaceElements(square, LAYUP)
    random = np.random.default_rng(3).normal(size=(2, 1, elements.size))
    random.reshape(2, -1, 6)[..., 5] = 0.0  # what turns about the normal costs a little more
    whole = elements.strain_energy(random)[..., :2].sum(axis=2)
    parts = elements.energy_by_degree(random)
    assert parts.sum(axis=(2, 3)) == pytest.approx(whole, rel=1e-3)

    def stretched(x: float, y: float) -> list[float]:
        return [x**2, 0, 0, 0, 0, 0]  # its strain grows along the first side alone

    found = elements.energy_by_degree(motions_of(square, stretched))[0, 0]
    assert found[0, :2].min() > 0.01 * found.sum()
    assert found[0, :2].sum() == pytest.approx(found.sum(), rel=1e-9)


@ORDERS
def test_constant_bending_and_twist(order: int) -> None:
    curvature = np.array([[0.3, 0.1], [0.1, -0.2]])

    def field(x: float, y: float) -> list[float]:
        place = np.array([x, y])
        slope = curvature @ place
        # The normal follows the surface: turns about x and y are the slopes.
        return [0, 0, 0.5 * place @ slope, slope[1], -slope[0], 0]

    nodes = flat(order)
    energy = SurfaceElements(nodes, LAYUP).strain_energy(motions_of(nodes, field))[0].sum(axis=0)
    law = LAYUP.plies[0].material.stiffness_at(0.0)[0] * THICK**3 / 12
    vector = np.array([curvature[0, 0], curvature[1, 1], 2 * curvature[0, 1]])
    wanted = 0.5 * AREA * vector @ law @ vector
    if order == 1:
        # Bilinear motion cannot follow a curved surface; the tied shear keeps what it can.
        assert energy[1] == pytest.approx(wanted, rel=1e-9)
        return
    assert energy[1] == pytest.approx(wanted, rel=1e-9)
    assert energy[2] < 1e-9 * wanted


@ORDERS
def test_mass_and_rotary_inertia(order: int) -> None:
    nodes = flat(order)
    _, mass = (matrix[0] for matrix in SurfaceElements(nodes, LAYUP).matrices())
    assert mass == pytest.approx(mass.T, abs=1e-12 * np.abs(mass).max())
    motions = sheet_motions(nodes.positions[0])
    whole = motions.T @ mass @ motions
    assert np.diag(whole)[:3] == pytest.approx(DENSITY * THICK * AREA)
    # Turning the wall about its own normal line through the origin has no share of thickness.
    spin = np.zeros((nodes.positions.shape[1], 6))
    spin[:, 3] = 1.0
    about_x = spin.ravel() @ mass @ spin.ravel()
    assert about_x == pytest.approx(DENSITY * AREA * THICK**3 / 12)


@settings(max_examples=15, deadline=None)
@given(
    st.integers(1, 5),
    st.tuples(*[st.floats(-3, 3)] * 3),
    st.lists(st.floats(-0.12, 0.12), min_size=8, max_size=8),
)
def test_turning_the_wall_turns_its_matrices(
    order: int, turn: tuple[float, float, float], bent: list[float]
) -> None:
    corners = SKEWED + np.reshape(bent, (4, 2))
    spin = Rotation.from_rotvec(turn).as_matrix()
    one = SurfaceElements(flat(order, corners), LAYUP).matrices()
    two = SurfaceElements(flat(order, corners, spin), LAYUP).matrices()
    big = np.kron(np.eye(2 * (order + 1) ** 2), spin)
    for plain, turned in zip(one, two, strict=True):
        assert turned[0] == pytest.approx(big @ plain[0] @ big.T, abs=1e-9 * np.abs(plain).max())


def test_the_metric_changes_through_a_thick_curved_wall() -> None:
    # A ring swelling evenly: hoop strain w / (R + z), so its energy goes by ln, not by h / R.
    radius, thick = 0.1, 0.04
    nodes = curved(4, radius)
    nodes = SurfaceNodes(
        4, nodes.positions, nodes.directors, nodes.first_axes, np.full((1, 25), thick)
    )
    out = nodes.directors[0]
    motion = np.hstack([out, np.zeros_like(out)]).reshape(1, 1, -1)
    energy = SurfaceElements(nodes, LAYUP).strain_energy(motion)[0].sum()
    modulus = YOUNG / (1 - RATIO**2)
    hoop = np.log((radius + thick / 2) / (radius - thick / 2))
    assert energy == pytest.approx(0.5 * modulus * hoop * (np.pi / 3) * 0.4, rel=2e-3)
    flat_law = 0.5 * modulus * (thick / radius) * (np.pi / 3) * 0.4
    assert abs(energy / flat_law - 1) > 0.01


def test_a_laminate_couples_stretch_and_bending_as_its_plies_say() -> None:
    ply = PlyMaterialValue("p", 1600, 130e9, 10e9, 0.3, 5e9, 5e9, 3.5e9)
    two = LayupValue((PlyValue(ply, 0.0), PlyValue(ply, np.pi / 2)), (0.5, 0.5))
    nodes = flat(3, np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]]))
    stiffness, _ = SurfaceElements(nodes, two).matrices()
    x = nodes.positions[0][:, 0]
    stretch = np.zeros((16, 6))
    stretch[:, 0] = x
    bend = np.zeros((16, 6))
    bend[:, 2], bend[:, 4] = 0.5 * x**2, -x
    law = [ply.stiffness_at(a)[0][0, 0] for a in (0.0, np.pi / 2)]
    coupling = (law[1] - law[0]) * THICK**2 / 8  # B11 of two plies, the second one outside
    found = stretch.ravel() @ stiffness[0] @ bend.ravel()
    # Upward curvature shortens the outer face: the sign of bending strain is minus the curvature.
    assert found == pytest.approx(-coupling, rel=1e-9)
