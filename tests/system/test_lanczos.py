import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import linalg, sparse

from belltone.progress import Cancelled, Progress
from belltone.system.factor import Factor, SingularShiftError
from belltone.system.lanczos import lowest_modes


def pencil(values: list[float], seed: int = 0) -> tuple[sparse.csc_matrix, sparse.csc_matrix]:
    """A dense symmetric pair with the eigenvalues given."""
    random = np.random.default_rng(seed)
    size = len(values)
    lower = np.tril(random.standard_normal((size, size)), -1) * 0.3 + np.eye(size)
    mass = lower @ lower.T
    turn, _ = np.linalg.qr(random.standard_normal((size, size)))
    root = linalg.cholesky(mass, lower=True) @ turn
    stiffness = root @ np.diag(values) @ root.T
    return sparse.csc_matrix((stiffness + stiffness.T) / 2), sparse.csc_matrix(mass)


NONE = np.zeros((0, 0))


def no_rigid(size: int) -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:
    return np.zeros((size, 0))


@given(st.integers(1, 60), st.integers(1, 30), st.integers(0, 5))
def test_eigenvalues_are_those_of_the_dense_solver(size: int, count: int, seed: int) -> None:
    random = np.random.default_rng(seed)
    values = list(np.cumsum(random.uniform(0.01, 5.0, size)))
    stiffness, mass = pencil(values, seed)
    found = lowest_modes(stiffness, mass, no_rigid(size), count)
    dense = linalg.eigh(stiffness.toarray(), mass.toarray(), eigvals_only=True)
    assert len(found.values) == min(count, size)
    assert found.values == pytest.approx(dense[: len(found.values)], rel=1e-9)
    assert found.complete is not False
    unit = found.vectors.T @ (mass @ found.vectors)
    assert unit == pytest.approx(np.eye(len(unit)), abs=1e-10)
    rest = stiffness @ found.vectors - (mass @ found.vectors) * found.values
    # Vectors stand to 1e-6 of the inverted operator; that leaves their values exact to 1e-12.
    assert np.abs(rest).max() < 1e-5 * dense[-1]


@pytest.mark.parametrize("multiplicity", [2, 4, 7])
def test_equal_eigenvalues_are_all_found(multiplicity: int) -> None:
    """Seven-fold is more than the block; only the count can know of the rest."""
    values = [1.0] + [2.0] * multiplicity + [float(v) for v in range(3, 60)]
    stiffness, mass = pencil(values)
    found = lowest_modes(stiffness, mass, no_rigid(len(values)), multiplicity + 2)
    assert found.values == pytest.approx([1.0] + [2.0] * multiplicity + [3.0], rel=1e-9)
    assert found.complete


def test_a_cluster_is_not_cut() -> None:
    values = [1.0, 2.0, 2.0, 2.0, 5.0, 6.0, 7.0, 8.0]
    stiffness, mass = pencil(values)
    assert len(lowest_modes(stiffness, mass, no_rigid(8), 2).values) == 4


def test_everything_up_to_a_limit() -> None:
    values = [float(v) for v in range(1, 80)]
    stiffness, mass = pencil(values)
    found = lowest_modes(stiffness, mass, no_rigid(79), 1, up_to=30.5)
    assert found.values == pytest.approx(values[:30], rel=1e-9)
    assert found.complete


def test_rigid_modes_are_left_out() -> None:
    values = [0.0, 0.0, 0.0] + [float(v) for v in range(1, 40)]
    stiffness, mass = pencil(values)
    _, vectors = linalg.eigh(stiffness.toarray(), mass.toarray())
    found = lowest_modes(stiffness, mass, vectors[:, :3], 5)
    assert found.values == pytest.approx([1, 2, 3, 4, 5], rel=1e-8)
    assert found.complete
    assert np.abs(vectors[:, :3].T @ (mass @ found.vectors)).max() < 1e-9


def test_a_system_of_rigid_modes_only() -> None:
    stiffness, mass = pencil([0.0, 0.0])
    found = lowest_modes(stiffness, mass, linalg.inv(linalg.cholesky(mass.toarray())), 5)
    assert len(found.values) == 0


def test_answers_repeat_exactly() -> None:
    stiffness, mass = pencil([float(v) for v in range(1, 50)])
    first = lowest_modes(stiffness, mass, no_rigid(49), 10)
    second = lowest_modes(stiffness, mass, no_rigid(49), 10)
    assert np.array_equal(first.vectors, second.vectors)


def test_stopping_is_heard() -> None:
    progress = Progress()
    progress.cancel()
    stiffness, mass = pencil([1.0, 2.0, 3.0])
    with pytest.raises(Cancelled):
        lowest_modes(stiffness, mass, no_rigid(3), 1, progress=progress)


@given(st.lists(st.floats(-10, 10).filter(lambda v: abs(v) > 1e-3), min_size=1, max_size=30))
def test_inertia_counts_negative_eigenvalues(values: list[float]) -> None:
    stiffness, _ = pencil(values)
    negatives = Factor(stiffness).negatives
    expected = int((linalg.eigvalsh(stiffness.toarray()) < 0).sum())
    assert negatives is None or negatives == expected


def test_a_singular_matrix_is_told() -> None:
    with pytest.raises(SingularShiftError):
        Factor(sparse.csc_matrix(np.zeros((3, 3))))
