"""Both factorisations solve and count alike."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import sparse

from belltone.system import factor
from belltone.system.factor import Factor, SingularShiftError, solver_name
from belltone.system.products import Symmetric


def chain(size: int, shift: float) -> sparse.csc_matrix:
    """A chain of springs, less a shift: its eigenvalues are 2 - 2 cos(k pi / (n + 1))."""
    ones = np.ones(size)
    bands = [-ones[:-1], 2 * ones - shift, -ones[:-1]]
    return sparse.csc_matrix(sparse.diags_array(bands, offsets=[-1, 0, 1]))


@pytest.mark.parametrize("size", [50, 3000])
@pytest.mark.parametrize("shift", [0.0, 0.37, 1.9])
def test_solutions_and_counts(size: int, shift: float) -> None:
    matrix = chain(size, shift)
    values = 2 - 2 * np.cos(np.arange(1, size + 1) * np.pi / (size + 1))
    found = Factor(matrix)
    assert found.negatives == np.count_nonzero(values < shift)
    right = np.random.default_rng(1).standard_normal((size, 5))
    solved = found.solve(right)
    assert matrix @ solved == pytest.approx(right, abs=1e-7)
    assert found.solve(right[:, 0]) == pytest.approx(solved[:, 0], abs=1e-7)


def forget_libraries() -> None:
    factor.kernel_library.cache_clear()
    factor._pardiso.cache_clear()


def test_without_the_fast_library_the_answer_is_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    matrix = chain(2000, 0.41)
    right = np.ones(2000)
    vectors = np.random.default_rng(1).standard_normal((2000, 5))
    usual, product = Factor(matrix), Symmetric(matrix) @ vectors
    forget_libraries()
    try:
        with monkeypatch.context() as without:
            without.setenv("BELLTONE_SOLVER", "superlu")
            assert solver_name() == "SuperLU"
            other = Factor(matrix)
            assert other.negatives == usual.negatives
            assert other.solve(right) == pytest.approx(usual.solve(right), rel=1e-6, abs=1e-8)
            assert Symmetric(matrix) @ vectors == pytest.approx(product, abs=1e-12)
    finally:
        forget_libraries()


def test_a_shift_on_an_eigenvalue_is_told() -> None:
    with pytest.raises(SingularShiftError):
        Factor(sparse.csc_matrix((4, 4)))


@pytest.mark.parametrize("beside", [1e-3, 0.0])
def test_the_lower_triangle_alone_is_read(beside: float) -> None:
    matrix = chain(50, 0.37)
    right = np.arange(50.0)
    wanted = Factor(matrix).solve(right)
    other = matrix.tolil()
    for place in range(49):
        other[place, place + 1] += 0.1
    other[0, 40] = beside  # not even in the same places
    assert Factor(sparse.csc_matrix(other)).solve(right) == pytest.approx(wanted, rel=1e-12)
