"""Where a function that takes long passes zero."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.tune.roots import root_between


@given(st.floats(-0.9, 0.9), st.floats(0.2, 5.0), st.floats(-1.0, 1.0))
def test_any_bracket_is_settled(root: float, steepness: float, guess: float) -> None:
    tried: list[float] = []

    def function(x: float) -> float:
        tried.append(x)
        return math.sinh(steepness * (x - root))

    found = root_between(function, (-1.0, function(-1.0)), (1.0, function(1.0)), guess, 1e-6)
    assert found == pytest.approx(root, abs=2e-6)
    assert len(tried) < 30


def test_a_good_guess_takes_two() -> None:
    tried: list[float] = []

    def function(x: float) -> float:
        tried.append(x)
        return x**3 - 2

    ends = (1.2, 1.2**3 - 2), (1.3, 1.3**3 - 2)
    assert root_between(function, *ends, 1.26, 1e-6) == pytest.approx(2 ** (1 / 3), abs=1e-6)
    assert len(tried) == 2


def test_a_known_zero_is_taken() -> None:
    assert root_between(lambda x: x, (0.0, 0.0), (1.0, 1.0), 0.5, 1e-9) == 0.0
