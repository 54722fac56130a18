"""Motions of one design made to fit the ties of another."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import sparse

from belltone.reduce.fitting import Fitting
from belltone.reduce.forms import barycentric, independent, interpolated, ritz
from belltone.system.elimination import FreeMotions, eliminate

NODES = 4


def free(*rows: dict[int, float]) -> FreeMotions:
    """What ties, each given by its coefficients, leave of the motions of some nodes."""
    table = np.zeros((len(rows), 6 * NODES + 1))
    for number, row in enumerate(rows):
        for column, value in row.items():
            table[number, column] = value
    return eliminate(sparse.csr_matrix(table), np.ones(6 * NODES))


TIES = (
    free(),
    free({0: 1.0}, {7: 1.0}),
    free({0: 1.0, 6: -1.0}, {1: 0.5, 7: 0.5, 13: -1.0}),
    free({2: 1.0, 8: -0.7, 14: -0.3, 9: 0.01}),
)


@pytest.mark.parametrize("ties", TIES)
def test_motions_that_fit_stay(ties: FreeMotions) -> None:
    reduced = np.random.default_rng(1).standard_normal((ties.basis.shape[1], 3))
    found = Fitting(ties, 2.0)(np.asarray(ties.basis @ reduced))
    assert found == pytest.approx(reduced, abs=1e-12)


@pytest.mark.parametrize("ties", TIES)
def test_nothing_that_fits_is_nearer(ties: FreeMotions) -> None:
    random = np.random.default_rng(2)
    wanted = random.standard_normal((6 * NODES, 1))
    weights = np.tile([1.0, 1.0, 1.0, 0.04, 0.04, 0.04], NODES)[:, None]
    best = Fitting(ties, 2.0)(wanted)

    def away(reduced: np.ndarray) -> float:
        return float(np.sum(weights * (np.asarray(ties.basis @ reduced) - wanted) ** 2))

    for _ in range(20):
        assert away(best) <= away(best + 0.1 * random.standard_normal(best.shape))


@given(
    st.lists(st.floats(-1, 1), min_size=4, max_size=7, unique=True),
    st.floats(-1, 1),
)
def test_polynomials_are_interpolated_exactly(places: list[float], value: float) -> None:
    at = np.array(sorted(places))
    if np.diff(at).min() < 0.02:
        return
    table = np.array([[1.0, x - 2 * x**2, x**3] for x in at])
    found = interpolated(at, table, value)
    assert found == pytest.approx([1.0, value - 2 * value**2, value**3], abs=1e-6)


def test_weights_do_not_overflow() -> None:
    places = np.linspace(0, 1e-6, 20)
    assert np.all(np.isfinite(barycentric(places)))
    assert interpolated(places, places[:, None], 3.3e-7)[0] == pytest.approx(3.3e-7, rel=1e-6)


def test_what_says_nothing_new_is_left_out() -> None:
    vectors = np.random.default_rng(3).standard_normal((30, 4))
    vectors = np.hstack([vectors, vectors[:, :1] + 1e-9 * vectors[:, 1:2], 1e6 * vectors[:, 2:3]])
    turn = independent(vectors.T @ vectors)
    assert turn.shape == (6, 4)
    basis = vectors @ turn
    assert basis.T @ basis == pytest.approx(np.eye(4), abs=1e-9)


def test_small_problems_are_solved_in_what_is_independent() -> None:
    vectors = np.random.default_rng(4).standard_normal((10, 3))
    doubled = np.hstack([vectors, vectors])
    stiffness = np.diag(np.arange(1.0, 11.0))
    once = ritz(vectors.T @ stiffness @ vectors, vectors.T @ vectors)[0]
    twice = ritz(doubled.T @ stiffness @ doubled, doubled.T @ doubled)[0]
    assert twice == pytest.approx(once, rel=1e-9)
