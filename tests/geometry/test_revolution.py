"""Surfaces of revolution known by their normals."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from belltone.geometry.revolution import revolution_axis

Array = NDArray[np.float64]
ANGLES = np.linspace(0, 2 * math.pi, 48, endpoint=False)


def turned(meridian: list[tuple[float, float, float, float]], angles: Array = ANGLES) -> Array:
    """Places and normals of (radius, height, normal's parts out and up), turned about z."""
    rows = []
    for radius, height, out, up in meridian:
        for angle in angles:
            c, s = math.cos(angle), math.sin(angle)
            rows.append([radius * c, radius * s, height, out * c, out * s, up])
    return np.array(rows)


TUBE = [(1.0, z, 1.0, 0.0) for z in (0.0, 0.5, 1.0, 2.0)]
CONE = [(1.0 - 0.3 * z, z, 1 / math.hypot(1, 0.3), 0.3 / math.hypot(1, 0.3)) for z in (0, 1, 2)]
CAP = [(math.sin(t), math.cos(t), math.sin(t), math.cos(t)) for t in (0.2, 0.6, 1.0, 1.5)]
BOWL = [(1 + 0.2 * math.sin(t), 0.2 * math.cos(t), math.sin(t), math.cos(t)) for t in (0, 1, 2)]


@settings(max_examples=20)
@given(
    st.sampled_from([TUBE, CONE, CAP, BOWL]),
    st.tuples(st.floats(-3, 3), st.floats(-3, 3), st.floats(-3, 3)),
    st.tuples(st.floats(-1, 1), st.floats(-1, 1), st.floats(-1, 1)),
)
def test_the_axis_is_found_wherever_it_stands(
    meridian: list[tuple[float, float, float, float]],
    turn: tuple[float, float, float],
    shift: tuple[float, float, float],
) -> None:
    rows = turned(meridian)
    frame, _ = np.linalg.qr(np.random.default_rng(int(1e6 * abs(turn[0]))).normal(size=(3, 3)))
    found = revolution_axis(rows[:, :3] @ frame.T + shift, rows[:, 3:] @ frame.T)
    assert found is not None
    point, direction = found
    assert abs(float(direction @ frame[:, 2])) == pytest.approx(1.0, abs=1e-9)
    away = point - np.array(shift)
    assert np.linalg.norm(away - (away @ direction) * direction) < 1e-7


def test_what_does_not_turn_all_round_has_none() -> None:
    half = turned(TUBE, np.linspace(0, math.pi, 30))
    assert revolution_axis(half[:, :3], half[:, 3:]) is None
    line = np.linspace(0, 1, 12)
    flat = np.array([(x, y, 0.0) for x in line for y in line])
    up = np.tile([0.0, 0.0, 1.0], (len(flat), 1))
    assert revolution_axis(flat, up) is None
    angle = np.concatenate([flat, flat[:, [0, 2, 1]]])
    both = np.concatenate([up, np.tile([0.0, 1.0, 0.0], (len(flat), 1))])
    assert revolution_axis(angle, both) is None
    assert revolution_axis(flat[:1], up[:1]) is None
    oval = turned(TUBE) * [1.0, 0.6, 1.0, 0.6, 1.0, 1.0]
    oval[:, 3:] /= np.linalg.norm(oval[:, 3:], axis=1, keepdims=True)
    assert revolution_axis(oval[:, :3], oval[:, 3:]) is None
