"""Sparse symmetric factorisation: solutions, and how many eigenvalues lie below a shift."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

__all__ = ["Factor", "SingularShiftError"]

Array = NDArray[np.float64]


class SingularShiftError(ArithmeticError):
    """The shift stands on an eigenvalue; another one nearby will do."""


class Factor:
    """LU factors of a symmetric matrix with pivots kept on the diagonal.

    With diagonal pivots the signs of U's diagonal are those of the pivots of L D Lᵀ, so by
    Sylvester's law of inertia their negatives count the negative eigenvalues (B. N. Parlett,
    The Symmetric Eigenvalue Problem, section 3.3).
    """

    def __init__(self, matrix: sparse.csc_matrix) -> None:
        try:
            self._factors = splu(
                matrix,
                permc_spec="MMD_AT_PLUS_A",
                diag_pivot_thresh=0.0,
                options={"SymmetricMode": True},
            )
        except RuntimeError as error:
            raise SingularShiftError(str(error)) from error
        pivots = self._factors.U.diagonal()
        if not np.all(np.isfinite(pivots)) or not np.all(pivots):
            raise SingularShiftError("a pivot is zero")
        self._pivots = pivots
        self._diagonal = bool(np.array_equal(self._factors.perm_r, self._factors.perm_c))

    def solve(self, right: Array) -> Array:
        """Solve for one or several right-hand sides, given as columns."""
        return np.asarray(self._factors.solve(np.ascontiguousarray(right)))

    @property
    def negatives(self) -> int | None:
        """Number of negative eigenvalues, or ``None`` when a pivot left the diagonal."""
        return int(np.count_nonzero(self._pivots < 0)) if self._diagonal else None
