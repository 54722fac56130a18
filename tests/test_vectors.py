"""Cross products of many vectors, against those of numpy."""

from __future__ import annotations

import numpy as np
import pytest

from belltone.vectors import cross


@pytest.mark.parametrize(
    ("first", "second"),
    [((3,), (3,)), ((3,), (7, 3)), ((4, 1, 5, 3), (4, 6, 5, 3)), ((0, 3), (0, 3))],
)
def test_it_is_the_cross_product_to_the_last_digit(
    first: tuple[int, ...], second: tuple[int, ...]
) -> None:
    chance = np.random.default_rng(3)
    one, two = chance.normal(size=first), chance.normal(size=second)
    wanted = np.cross(one, two)
    assert np.array_equal(cross(one, two), wanted)
    room = np.full((*wanted.shape[:-1], 6), 7.0)
    assert np.array_equal(cross(one, two, into=room[..., 3:]), wanted)
    assert np.array_equal(room[..., 3:], wanted)
    assert np.all(room[..., :3] == 7.0)
