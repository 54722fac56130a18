"""Triangles that find a partner, and sizes that grow."""

import itertools
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy.spatial import Delaunay

from belltone.geometry.quad_repair import least_sine, without_triangles
from belltone.geometry.quads import graded_quads, pairs_between
from belltone.geometry.triangles import piece_lengths

Array = NDArray[np.float64]


def area(points: Array, shape: tuple[int, ...]) -> float:
    x, y = points[list(shape)].T
    return 0.5 * float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))


def edges(shapes: list[tuple[int, ...]]) -> dict[tuple[int, int], int]:
    found: dict[tuple[int, int], int] = {}
    for shape in shapes:
        for a, b in zip(shape, (*shape[1:], shape[0]), strict=True):
            found[(a, b)] = found.get((a, b), 0) + 1
    return found


@settings(max_examples=30)
@given(st.integers(0, 10_000), st.integers(6, 30))
def test_lone_triangles_meet_and_the_domain_stays(seed: int, count: int) -> None:
    points = np.random.default_rng(seed).uniform(0, 1, (count, 2))
    faces = [tuple(map(int, face)) for face in Delaunay(points).simplices]
    faces = [face if area(points, face) > 0 else face[::-1] for face in faces]
    found = without_triangles(points, faces)
    triangles = sum(len(face) == 3 for face in found)
    assert triangles == len(faces) % 2
    assert sum(area(points, face) for face in found) == pytest.approx(
        sum(area(points, face) for face in faces)
    )
    # The outline is the same, and every inner edge is run both ways.
    before, after = edges(faces), edges(found)
    assert {e for e in before if e[::-1] not in before} == {
        e for e in after if e[::-1] not in after
    }
    assert max(after.values()) == 1


def circle(x: float, y: float, radius: float) -> list[Array]:
    angles = np.linspace(0, 2 * math.pi, 65)
    return [np.column_stack([x + radius * np.cos(angles), y + radius * np.sin(angles)])]


def box(width: float, height: float) -> list[Array]:
    corners = np.array([(0, 0), (width, 0), (width, height), (0, height), (0, 0)], float)
    share = np.linspace(0, 1, 17)[:, None]
    return [a + share * (b - a) for a, b in itertools.pairwise(corners)]


def test_sizes_grow_away_from_small_holes() -> None:
    """A plate with eight screws and a bore: all quadrilaterals, well shaped, and not many."""
    loops = [box(400, 150)]
    loops += [circle(x, y, 4.5) for x in (25, 140, 260, 375) for y in (20, 130)]
    loops += [circle(200, 75, 30)]
    found = graded_quads(loops, 60.0, 9.0)
    assert found is not None
    assert all(len(set(face)) == 4 for face in found.faces)
    assert len(found.faces) < 400
    assert min(map(min, found.divisions[1:])) >= 8


def test_pieces_are_short_beside_tight_rims() -> None:
    edge = box(400, 150)
    lengths = piece_lengths([*edge, *circle(25, 12, 4)], math.pi / 4)
    # The lower and left sides are near the hole, the others far off.
    assert lengths[0] == pytest.approx(8 + math.pi, abs=0.5)
    assert lengths[3] == pytest.approx(21 + math.pi, abs=0.5)
    assert lengths[1] > 300
    assert lengths[4] > 10


def test_no_room_for_strips_is_told() -> None:
    thin = np.concatenate([side[:-1] for side in box(100, 0.001)])
    corners = np.array([(0, 0), (100, 0), (100, 0.001), (0, 0.001)])
    assert pairs_between([thin], [corners], 50, 5) is None


@pytest.mark.parametrize("pieces", [(3, 2, 2, 2), (5, 3, 4, 3), (7, 4, 5, 3)])
def test_a_triangle_that_is_left_keeps_its_corners(pieces: tuple[int, ...]) -> None:
    """An odd rim leaves one; what is mended round it still covers all, once."""
    sides = box(60, 40)
    rim = np.concatenate(
        [
            side[0] + np.arange(n)[:, None] / n * (side[-1] - side[0])
            for side, n in zip(sides, pieces, strict=True)
        ]
    )
    line = np.concatenate([side[:-1] for side in sides])
    found = pairs_between([line], [rim], 14.0, 3.0, graded=True)
    assert found is not None
    assert len(found.alone) == 1
    shapes = [*found.faces, *found.alone]
    assert sum(area(found.points, shape) for shape in shapes) == pytest.approx(60 * 40)
    assert min(area(found.points, shape) for shape in shapes) > 0
    assert max(edges([*shapes]).values()) == 1
    assert min(least_sine(found.points[list(face)]) for face in found.faces) > 0.15
