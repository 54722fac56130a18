"""Ties worked in: what is left respects every tie, spans everything, and says nothing twice."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import linalg, sparse

from belltone.system.elimination import eliminate


def with_constant(rows: np.ndarray) -> sparse.csr_matrix:
    return sparse.csr_matrix(np.column_stack([rows, np.zeros(len(rows))]))


def solved(rows: np.ndarray) -> np.ndarray:
    free = eliminate(with_constant(rows), np.ones(rows.shape[1]))
    basis = free.basis.toarray()
    assert basis[free.kept] == pytest.approx(np.eye(basis.shape[1]))
    # The ties that told something are as many as unknowns are gone, and none repeats another.
    gone = rows.shape[1] - basis.shape[1]
    assert len(free.told) == np.linalg.matrix_rank(rows[free.told], tol=1e-8) == gone
    return basis


@given(st.integers(2, 12), st.integers(0, 14), st.integers(0, 2**31))
def test_the_basis_spans_what_the_ties_leave(unknowns: int, ties: int, seed: int) -> None:
    random = np.random.default_rng(seed)
    rows = random.normal(size=(ties, unknowns)) * (random.random((ties, unknowns)) < 0.4)
    # Some ties repeat others, in other words.
    if ties > 3:
        rows[-1] = rows[0] - 2 * rows[1]
    basis = solved(rows)
    rank = np.linalg.matrix_rank(rows, tol=1e-8) if ties else 0
    assert basis.shape[1] == unknowns - rank
    if ties:
        assert np.abs(rows @ basis).max(initial=0.0) < 1e-8 * max(
            1.0, np.abs(basis).max(initial=0.0)
        )
    assert np.linalg.matrix_rank(basis) == basis.shape[1]


def test_a_long_chain_of_ties_is_followed_to_its_end() -> None:
    count = 200
    rows = np.eye(count - 1, count) - np.eye(count - 1, count, 1)
    basis = solved(rows)
    assert basis.shape == (count, 1)
    assert basis[:, 0] == pytest.approx(np.ones(count))


def test_what_is_held_outright_is_gone() -> None:
    rows = np.zeros((3, 5))
    rows[0, 2] = 3.0
    rows[1, [2, 4]] = 1.0, -1.0  # then 4 is held too
    rows[2, 0] = 1e-3
    basis = solved(rows)
    assert basis.shape[1] == 2
    assert np.abs(basis[[0, 2, 4]]).max() == 0.0


def test_weights_choose_what_is_given_up() -> None:
    rows = with_constant(np.array([[1.0, 10.0, 0.0]]))
    assert list(eliminate(rows, np.ones(3)).kept) == [0, 2]
    assert list(eliminate(rows, np.array([1.0, 0.01, 1.0])).kept) == [1, 2]


def test_motions_that_respect_the_ties_are_read_off() -> None:
    rows = np.array([[1.0, -1.0, 0.0, 0.0], [0.0, 1.0, 1.0, -2.0]])
    free = eliminate(with_constant(rows), np.ones(4))
    motions = linalg.null_space(rows)
    assert free.basis @ free.reduced(motions) == pytest.approx(motions)


def test_ties_of_nothing_leave_everything() -> None:
    free = eliminate(sparse.csr_matrix((0, 5)), np.ones(4))
    assert free.basis.toarray() == pytest.approx(np.eye(4))


def test_constants_move_what_they_tie() -> None:
    """Two unknowns tied, one of them set; a later contradiction counts for nothing."""
    rows = np.array([[1.0, 0.0, 0.0, -2.0], [1.0, -1.0, 0.0, 0.0], [0.0, 1.0, 0.0, -7.0]])
    free = eliminate(sparse.csr_matrix(rows), np.ones(3))
    assert free.offset == pytest.approx([2.0, 2.0, 0.0])
    assert list(free.kept) == [2]


def test_a_tie_that_all_but_repeats_another_holds_nothing_more() -> None:
    """What rounding leaves of it would tie what it never named, by a factor of a million and more.

    Here three unknowns move as one; the last tie says so again, by coefficients a little off.
    """
    for off in (1e-8, 1e-12):
        ties = sparse.csr_matrix(
            [
                [1.0, -1.0, 0.0, 0.0, 0.0],
                [0.0, 1.0, -1.0, 0.0, 0.0],
                [1.0, 0.0, -1.0, off, 0.0],
            ]
        )
        free = eliminate(ties, np.ones(4))
        assert len(free.kept) == 2
        assert 3 in free.kept
        as_one = np.array([[1.0, 1.0, 1.0, 0.0]]).T
        assert free.basis @ free.reduced(as_one) == pytest.approx(as_one, abs=1e-7)
