"""Quadrilaterals for plates with holes: few, well shaped, moved by the weights of their points."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from belltone.geometry.quads import Quads, inner_places, quads

Array = np.ndarray  # type: ignore[type-arg]
SHIFT = np.array([0.3, -0.1])


def square(low: float, high: float, x: float = 0.0, y: float = 0.0) -> list[Array]:
    corners = np.array([[low, low], [high, low], [high, high], [low, high]]) + np.array([x, y])
    return [np.linspace(corners[i], corners[(i + 1) % 4], 9) for i in range(4)]


def circle(radius: float, x: float, y: float) -> list[Array]:
    angles = np.linspace(-0.75 * np.pi, 1.25 * np.pi, 65)
    points = np.column_stack([np.cos(angles), np.sin(angles)]) * radius + np.array([x, y])
    return [points[16 * i : 16 * i + 17] for i in range(4)]


def boundary(found: Quads, loops: list[list[Array]]) -> Array:
    pieces = []
    for loop, cuts in zip(loops, found.divisions, strict=True):
        for curve, cut in zip(loop, cuts, strict=True):
            at = np.linspace(0, len(curve) - 1, cut + 1)[:-1]
            steps = np.arange(len(curve))
            pieces.append(np.column_stack([np.interp(at, steps, axis) for axis in curve.T]))
    return np.concatenate(pieces)


def places(found: Quads, loops: list[list[Array]]) -> Array:
    rim = boundary(found, loops)
    return np.concatenate([rim, inner_places(found, rim)])


def areas(found: Quads, points: Array) -> Array:
    corners = points[np.array(found.faces)]
    first, second = corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1]
    return np.asarray(0.5 * (first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0]))


def test_two_holes_take_few_quadrilaterals_that_leave_nothing_out() -> None:
    loops = [square(-1, 1), square(-0.2, 0.2, -0.45, -0.4), square(-0.15, 0.15, 0.5, 0.4)]
    found = quads(loops, 0.8, 0.12)
    assert found is not None
    points = places(found, loops)
    assert np.all(areas(found, points) > 0)
    assert areas(found, points).sum() == pytest.approx(4 - 0.16 - 0.09)
    assert len(found.faces) < 60
    # Every point belongs to one, and inner edges to two.
    assert set(np.ravel(found.faces)) == set(range(len(points)))
    edges: dict[frozenset[int], int] = {}
    for face in found.faces:
        for one, other in zip(face, (*face[1:], face[0]), strict=True):
            key = frozenset((one, other))
            edges[key] = edges.get(key, 0) + 1
    rim = sum(map(sum, found.divisions))
    assert sorted(edges.values()) == [1] * rim + [2] * (len(edges) - rim)


@settings(max_examples=15, deadline=None)
@given(st.floats(-0.1, 0.1), st.floats(-0.1, 0.1))
def test_inner_points_follow_a_hole(x: float, y: float) -> None:
    loops = [square(-1, 1), circle(0.25, -0.4, -0.3), circle(0.2, 0.45, 0.35)]
    found = quads(loops, 0.7, 0.15)
    assert found is not None
    moved = [loops[0], loops[1], circle(0.2, 0.45 + x, 0.35 + y)]
    assert np.all(areas(found, places(found, moved)) > 0)
    # What only shifts, shifts the points by as much.
    shifted = [[curve + SHIFT for curve in loop] for loop in loops]
    assert places(found, shifted) == pytest.approx(places(found, loops) + SHIFT)


def test_where_there_is_no_room_for_strips_there_are_none() -> None:
    loops = [square(-1, 1), square(-0.2, 0.2, -0.79999, 0), square(-0.2, 0.2, 0.5, 0.4)]
    assert quads(loops, 0.5, 0.2) is None
