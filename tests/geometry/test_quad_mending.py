"""Faces that are folded or shut are mended, and what must stay stays."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from belltone.geometry.quad_mending import Face, corner_sines, mended
from belltone.geometry.seams import Seam
from belltone.geometry.shapes import SIDE_NAMES, Plate, Polygon, RoundHole
from belltone.mesh.plate_blocks import plate_blocks, unfolded
from belltone.mesh.plate_schemes import plate_scheme

Array = NDArray[np.float64]


def net(columns: int, rows: int) -> tuple[Array, list[Face], int]:
    """A net of squares, its rim's points first, and how many these are."""
    xs, ys = range(columns + 1), range(rows + 1)
    every = [(x, y) for y in ys for x in xs]
    rim = [(x, y) for x, y in every if x in (0, columns) or y in (0, rows)]
    order = [*rim, *(place for place in every if place not in rim)]
    number = {place: n for n, place in enumerate(order)}
    faces = [
        (number[x, y], number[x + 1, y], number[x + 1, y + 1], number[x, y + 1])
        for y in range(rows)
        for x in range(columns)
    ]
    return np.array(order, float), faces, len(rim)


def sides(faces: list[Face]) -> dict[tuple[int, int], int]:
    found: dict[tuple[int, int], int] = {}
    for face in faces:
        for side in zip(face, (*face[1:], face[0]), strict=True):
            found[side] = found.get(side, 0) + 1
    return found


def worst(points: Array, faces: list[Face]) -> float:
    return float(corner_sines(points[np.array(faces)]).min())


def area(points: Array, faces: list[Face]) -> float:
    x, y = np.moveaxis(points[np.array(faces)], 2, 0)
    return 0.5 * float(np.sum(x * np.roll(y, -1, axis=1) - y * np.roll(x, -1, axis=1)))


@settings(max_examples=40)
@given(st.integers(0, 10_000), st.integers(3, 6), st.integers(3, 5))
def test_what_is_mended_covers_the_same_and_is_further_open(
    seed: int, columns: int, rows: int
) -> None:
    """Points scattered until faces fold; those of the rim stay, and so does a line inside."""
    points, faces, rim = net(columns, rows)
    fixed = rim + 2  # the first two inside are the line
    scattered = points.copy()
    scattered[fixed:] += np.random.default_rng(seed).uniform(-0.9, 0.9, (len(points) - fixed, 2))
    kept = {(rim, rim + 1), (rim + 1, rim)}
    moved, found = mended(scattered, faces, fixed, kept)
    assert np.array_equal(moved[:fixed], points[:fixed])
    assert area(moved, found) == pytest.approx(columns * rows)
    before, after = sides(faces), sides(found)
    assert max(after.values()) == 1
    assert {side for side in before if side[::-1] not in before} == {
        side for side in after if side[::-1] not in after
    }
    assert kept <= set(after)
    assert worst(moved, found) > min(0.3, worst(scattered, faces) + 1e-9)


def test_a_straight_corner_gets_an_edge_of_its_own() -> None:
    """Two sides of one face along a line: no place of the other points would open it."""
    points = np.array(
        [(0, 0), (1, 0), (2, 0), (3, 0), (4, 0), (4, 2), (2, 3), (0, 2), (1.5, 1.5), (2.5, 1.5)],
        float,
    )
    faces: list[Face] = [
        (0, 1, 2, 8),
        (2, 3, 4, 9),
        (0, 8, 6, 7),
        (8, 2, 9, 6),
        (9, 4, 5, 6),
    ]
    assert worst(points, faces) == pytest.approx(0.0, abs=1e-12)
    moved, found = mended(points, faces, 8)
    assert worst(moved, found) > 0.3
    assert area(moved, found) == pytest.approx(area(points, faces))


def test_faces_along_a_round_rim_are_open_where_the_rim_is() -> None:
    """The inner side of a strip stays beyond the arc and not beyond its chord only."""
    points, faces, rim = net(3, 3)
    low = points[:, 1] == 0
    arc = {(face[0], face[1]) for face in faces if low[face[0]] and low[face[1]]}
    bulges = dict.fromkeys(arc, np.array([0.0, 0.9]))
    moved, found = mended(points, faces, rim, (), bulges)
    raised = moved[np.array([face for face in found if (face[0], face[1]) in arc])]
    assert len(raised) == 3
    assert raised[:, 2:, 1].min() > 0.9
    curved = raised + np.array([[0, 0.9], [0, 0.9], [0, 0], [0, 0]])
    assert corner_sines(curved).min() > 0.15


@pytest.mark.parametrize(
    ("lines", "most"),
    [
        ([((-0.25, -0.07), (0.25, -0.07))], 60),
        ([((-0.25, 0.11), (0.25, 0.11))], 60),
        ([((-0.25, -0.12), (0.25, 0.03))], 80),
        ([((-0.2, -0.1), (0.2, -0.1)), ((-0.15, 0.1), (0.2, 0.12))], 90),
    ],
)
def test_blocks_beside_lines_are_few(
    lines: list[tuple[tuple[float, float], tuple[float, float]]], most: int
) -> None:
    """Without mending every face had to be cut in four: 120 blocks and more."""
    corners = ((-0.25, -0.15), (0.25, -0.15), (0.25, 0.15), (-0.25, 0.15))
    plate = Plate(Polygon(corners, SIDE_NAMES), (RoundHole("hole", (0.08, 0.0), 0.045),))
    seams = tuple(
        Seam(start, stop, (abs(start[0]) < 0.25, abs(stop[0]) < 0.25)) for start, stop in lines
    )
    blocks = plate_blocks(plate, plate_scheme(plate, 0.004, seams), seams)
    assert unfolded(blocks)
    assert len(blocks.blocks) < most
