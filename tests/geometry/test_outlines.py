"""Which points are inside polygons, against the turns polygons make about them."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as some
from numpy.typing import NDArray

from belltone.geometry.outlines import between_rims, inside

Array = NDArray[np.float64]


def turns(points: Array, loop: Array) -> NDArray[np.intp]:
    """How often a closed polygon turns about points."""
    arms = loop[None] - points[:, None]
    angle = np.arctan2(arms[..., 1], arms[..., 0])
    steps = np.diff(np.concatenate([angle, angle[:, :1]], axis=1), axis=1)
    whole = ((steps + np.pi) % (2 * np.pi) - np.pi).sum(axis=1)
    return np.rint(whole / (2 * np.pi)).astype(np.intp)


@given(some.integers(0, 10_000))
def test_points_are_inside_where_the_polygon_turns_about_them(seed: int) -> None:
    random = np.random.default_rng(seed)
    angle = np.sort(random.uniform(0, 2 * np.pi, random.integers(3, 30)))
    reach = random.uniform(0.5, 1.5, len(angle))
    star = np.column_stack([reach * np.cos(angle), reach * np.sin(angle)])
    points = random.uniform(-2, 2, (60, 2))
    assert np.array_equal(inside(points, star), turns(points, star) % 2 == 1)
    hole = 0.3 * star + [0.1, 0.0]
    wanted = inside(points, star) & ~inside(points, hole)
    assert np.array_equal(between_rims(points, [star, hole]), wanted)
    assert not inside(points[:0], star).size
    assert not inside(star + 10.0, star).any()
