"""Flat triangles: patch tests, rigid motions, and how fast they come near."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import linalg

from belltone.elements.facets import FacetElements, FacetWalls

E, NU, RHO, H = 2e11, 0.3, 8000.0, 0.05


def walls(count: int, weight: float = 1.0, thickness: float = H, ratio: float = NU) -> FacetWalls:
    full = [np.full(count, value) for value in (thickness, E, ratio, RHO, 0.0, weight)]
    return FacetWalls(*full)


def grid(
    wide: int, high: int, length: float, width: float, quads: bool = False
) -> tuple[np.ndarray, np.ndarray, FacetWalls, np.ndarray]:
    """Points, triangles, walls and node numbers of a flat rectangle."""
    x, y = np.meshgrid(
        np.linspace(0, length, wide + 1), np.linspace(0, width, high + 1), indexing="ij"
    )
    points = np.column_stack([x.ravel(), y.ravel(), 0 * x.ravel()])
    index = np.arange(len(points)).reshape(wide + 1, high + 1)
    a, b, c, d = (
        part.ravel() for part in (index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:])
    )
    pairs = [(a, b, c), (a, c, d)] + ([(a, b, d), (b, c, d)] if quads else [])
    triangles = np.concatenate([np.column_stack(pair) for pair in pairs])
    return points, triangles, walls(len(triangles), 0.5 if quads else 1.0), index


def assembled(
    points: np.ndarray, triangles: np.ndarray, made: FacetWalls
) -> tuple[np.ndarray, np.ndarray]:
    stiffness, mass = FacetElements(points[triangles], made).matrices()
    size = 6 * len(points)
    totals = np.zeros((2, size, size))
    for element, corners in enumerate(triangles):
        degrees = (6 * corners[:, None] + np.arange(6)).ravel()
        totals[0][np.ix_(degrees, degrees)] += stiffness[element]
        totals[1][np.ix_(degrees, degrees)] += mass[element]
    return totals[0], totals[1]


def skewed() -> tuple[np.ndarray, np.ndarray, FacetWalls]:
    points, triangles, made, index = grid(3, 3, 1.0, 0.7)
    points[index[1, 1]] += [0.05, -0.03, 0]
    points[index[2, 1]] += [-0.04, 0.06, 0]
    points[:, 0] += 0.2 * points[:, 1]
    return points, triangles, made


def rigid(points: np.ndarray) -> np.ndarray:
    motions = np.zeros((len(points), 6, 6))
    motions[:, :, :3] = np.eye(6)[:, :3]
    for axis in range(3):
        motions[:, :3, 3 + axis] = np.cross(np.eye(3)[axis], points)
        motions[:, 3 + axis, 3 + axis] = 1.0
    return motions.reshape(-1, 6)


@pytest.mark.parametrize("field", ["stretch", "squeeze", "shear", "bend x", "bend y", "twist"])
def test_constant_strains_are_exact_on_skewed_triangles(field: str) -> None:
    points, triangles, made = skewed()
    stiffness, _ = assembled(points, triangles, made)
    x, y = points[:, 0], points[:, 1]
    motion = np.zeros((len(points), 6))
    area = 0.7
    plane, bending = E * H / (1 - NU**2), E * H**3 / (12 * (1 - NU**2))
    if field == "stretch":
        motion[:, 0] = x
        energy = 0.5 * plane
    elif field == "squeeze":
        motion[:, 0], motion[:, 1] = x, -NU * y
        energy = 0.5 * E * H
    elif field == "shear":
        motion[:, 0], motion[:, 5] = y, -0.5
        energy = 0.5 * E * H / (2 * (1 + NU))
    elif field == "bend x":
        motion[:, 2], motion[:, 4] = 0.5 * x**2, -x
        energy = 0.5 * bending
    elif field == "bend y":
        motion[:, 2], motion[:, 3] = 0.5 * y**2, y
        energy = 0.5 * bending
    else:
        motion[:, 2], motion[:, 3], motion[:, 4] = x * y, x, -y
        energy = bending * (1 - NU)
    found = 0.5 * motion.ravel() @ stiffness @ motion.ravel()
    assert found == pytest.approx(energy * area, rel=1e-9)
    forces = (stiffness @ motion.ravel()).reshape(-1, 6)
    inside = [5, 6, 9, 10]
    assert np.abs(forces[inside]).max() < 1e-9 * np.abs(forces).max()


@given(st.integers(0, 2**31))
def test_rigid_motions_cost_nothing_wherever_a_triangle_stands(seed: int) -> None:
    random = np.random.default_rng(seed)
    points = random.normal(size=(3, 3))
    one, two = points[1] - points[0], points[2] - points[0]
    if np.linalg.norm(np.cross(one, two)) < 0.1:
        return
    elements = FacetElements(points[None], walls(1))
    (stiffness,), (mass,) = elements.matrices()
    motions = rigid(points)
    assert np.abs(stiffness @ motions).max() < 1e-9 * np.abs(stiffness).max()
    assert linalg.eigvalsh(stiffness).min() > -1e-9 * np.abs(stiffness).max()
    area = 0.5 * np.linalg.norm(np.cross(one, two))
    weight = motions[:, :3].T @ mass @ motions[:, :3]
    assert weight == pytest.approx(np.eye(3) * area * H * RHO, rel=1e-9, abs=1e-9 * weight.max())


def test_energies_by_kind_add_up_to_the_stiffness() -> None:
    points, triangles, made = skewed()
    elements = FacetElements(points[triangles], made)
    stiffness, _ = elements.matrices()
    random = np.random.default_rng(3)
    motions = random.normal(size=(4, len(triangles), 18))
    energies = elements.strain_energy(motions)
    whole = 0.5 * np.einsum("mti,tij,mtj->mt", motions, stiffness, motions)
    assert energies.sum(axis=2) == pytest.approx(whole)
    assert elements.areas.sum() == pytest.approx(0.7)


@pytest.mark.parametrize("quads", [False, True])
def test_one_element_deep_strips_bend_in_their_plane(quads: bool) -> None:
    """A strip eight times longer than deep under end moments: its tip moves M L² / 2 E I."""
    points, triangles, _, index = grid(8, 1, 8.0, 1.0, quads)
    made = walls(len(triangles), 0.5 if quads else 1.0, 0.1, 0.25)
    stiffness, _ = assembled(points, triangles, made)
    force = np.zeros(len(stiffness))
    force[6 * index[-1, 0]], force[6 * index[-1, 1]] = 1.0, -1.0
    held = (6 * index[0][:, None] + np.arange(6)).ravel()
    free = np.setdiff1d(np.arange(len(force)), held)
    motion = np.zeros(len(force))
    motion[free] = np.linalg.solve(stiffness[np.ix_(free, free)], force[free])
    tip = abs(motion[6 * index[-1, 0] + 1])
    assert tip == pytest.approx(64 / (2 * E * 0.1 / 12), rel=0.02)


@pytest.mark.parametrize(("quads", "rate"), [(False, 3.0), (True, 3.0)])
def test_a_cantilever_plate_converges(quads: bool, rate: float) -> None:
    """P13m: square cantilever plate; errors fall with the square of the element size."""
    reference = np.array([0.417912, 1.02371, 2.56227, 3.27374, 3.7249])
    errors = []
    for count in (6, 12):
        points, triangles, made, index = grid(count, count, 10.0, 10.0, quads)
        stiffness, mass = assembled(points, triangles, made)
        held = set((6 * index[0][:, None] + np.arange(6)).ravel().tolist())
        free = [u for u in range(len(mass)) if u not in held and u % 6 in (2, 3, 4)]
        pick = np.ix_(free, free)
        values = linalg.eigh(stiffness[pick], mass[pick], subset_by_index=(0, 4))[0]
        errors.append(np.abs(np.sqrt(values) / (2 * np.pi) / reference - 1).max())
    assert errors[1] < 0.015
    assert errors[0] / errors[1] > rate


@pytest.mark.parametrize("thin", [1e-2, 1e-4])
def test_bending_does_not_lock(thin: float) -> None:
    """A clamped square plate, thick or thin: 35.99 sqrt(D / rho h) / a²."""
    points, triangles, _, index = grid(10, 10, 1.0, 1.0)
    made = walls(len(triangles), 1.0, thin)
    stiffness, mass = assembled(points, triangles, made)
    rim = np.unique(np.concatenate([index[0], index[-1], index[:, 0], index[:, -1]]))
    held = set((6 * rim[:, None] + np.arange(6)).ravel().tolist())
    free = [u for u in range(len(mass)) if u not in held and u % 6 in (2, 3, 4)]
    pick = np.ix_(free, free)
    value = linalg.eigh(stiffness[pick], mass[pick], subset_by_index=(0, 0))[0][0]
    stiff = E * thin**3 / (12 * (1 - NU**2))
    assert np.sqrt(value) == pytest.approx(35.99 * np.sqrt(stiff / (RHO * thin)), rel=0.02)
