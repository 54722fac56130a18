"""Sparse symmetric factorisation: solutions, and how many eigenvalues lie below a shift.

The Pardiso solver of the Math Kernel Library does the work where its library is there (x86-64),
SuperLU elsewhere or where ``BELLTONE_SOLVER=superlu`` asks for it.
"""

from __future__ import annotations

import ctypes
import os
import sys
import weakref
from functools import cache
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

from belltone.system.memory import TooLargeError, free_memory

__all__ = ["Factor", "SingularShiftError", "solver_name"]

Array = NDArray[np.float64]

_SYMMETRIC_INDEFINITE: Final = -2
_ANALYSE: Final = 11
_FACTORISE: Final = 22
_SOLVE: Final = 33
_RELEASE: Final = -1
_SHARE: Final = 0.9  # of the free memory a factorisation may take
_ROOM: Final = 400e6  # bytes the library takes before it has done anything, measured
_FOR_EACH: Final = 60.0  # bytes for each number of the matrix while it is analysed, measured
_SMALL: Final = 900  # unknowns; below, SuperLU has done before the other has set itself up
_MANY_THREADS: Final = 40_000  # unknowns; below, a second thread brought nothing on an idle machine
_NEGATIVES_AT: Final = 22  # place of the count of negative pivots among Pardiso's parameters
_REFINEMENTS_AT: Final = 7


class SingularShiftError(ArithmeticError):
    """The shift stands on an eigenvalue; another one nearby will do."""


class Factor:
    """L D Lᵀ of a symmetric matrix.

    By Sylvester's law of inertia the negative pivots count the negative eigenvalues (B. N. Parlett,
    The Symmetric Eigenvalue Problem, section 3.3).
    """

    def __init__(self, matrix: sparse.csc_matrix) -> None:
        pardiso = None
        if matrix.shape[0] > _SMALL:
            # Short of memory the library does not fail: it tries for minutes, or ends the program.
            room, free = _ROOM + _FOR_EACH * matrix.nnz, free_memory()
            if room > free:
                raise TooLargeError(f"a matrix of {matrix.shape[0]} unknowns", room, free)
            pardiso = _pardiso()
        self._backend: _SuperLu | _Pardiso
        self._backend = _SuperLu(matrix) if pardiso is None else _Pardiso(pardiso, matrix)

    def solve(self, right: Array) -> Array:
        """Solve for one or several right-hand sides, given as columns."""
        if not right.size:
            return np.zeros_like(right)
        return self._backend.solve(right)

    @property
    def negatives(self) -> int | None:
        """Number of negative eigenvalues, or ``None`` when it cannot be told."""
        return self._backend.negatives


def solver_name() -> str:
    """Which library factorises."""
    return "SuperLU" if _pardiso() is None else "Pardiso"


@cache
def _pardiso() -> Any | None:
    """Pardiso's entry point, or ``None`` where its library is missing."""
    if os.environ.get("BELLTONE_SOLVER") == "superlu":
        return None
    # Its threads would spin for a while after each call and take the processor from numpy's.
    os.environ.setdefault("KMP_BLOCKTIME", "0")
    # Left alone, the package looks through all folders of the environment for the library.
    for found in sorted(Path(sys.prefix, "lib").glob("libmkl_rt.so*")):
        os.environ.setdefault("PYPARDISO_MKL_RT", str(found))
    try:
        from pypardiso import PyPardisoSolver

        # Its own `solve` compares the whole matrix on every call, which costs more than solving;
        # so only the library it found is used, and called directly.
        library = PyPardisoSolver().libmkl
    except (ImportError, OSError):
        return None
    entry = library.pardiso
    entry.restype = None
    entry.argtypes = None
    threads = library.MKL_Set_Num_Threads_Local
    threads.restype = ctypes.c_int
    threads.argtypes = [ctypes.c_int]

    def call(size: int, *arguments: Any) -> None:
        """Call the solver; below some size its threads only wait for one another."""
        before = threads(1) if size < _MANY_THREADS else None
        entry(*arguments)
        if before is not None:
            threads(before)

    return call


class _Pardiso:
    """Symmetric indefinite factors with two-by-two pivots."""

    def __init__(self, entry: Any, matrix: sparse.csc_matrix) -> None:
        self._entry = entry
        # The upper triangle by rows is the lower triangle by columns.
        lower = sparse.tril(matrix, format="csc")
        lower.sort_indices()
        self._size = matrix.shape[0]
        self._values = np.ascontiguousarray(lower.data, dtype=np.float64)
        self._starts = lower.indptr.astype(np.int32) + 1
        self._columns = lower.indices.astype(np.int32) + 1
        self._handle = np.zeros(64, dtype=np.int64)
        self._parameters = np.zeros(64, dtype=np.int32)
        self._parameters[0] = 1  # parameters are given, not defaults
        self._parameters[1] = 2  # nested dissection
        self._parameters[_REFINEMENTS_AT] = 0
        self._parameters[9] = 8  # tiny pivots are lifted to 1e-8 of the matrix
        self._parameters[17] = -1
        self._parameters[20] = 1  # two-by-two pivots
        self._parameters[23] = 1  # parallel in two levels
        if len(self._values) < self._size or not np.all(np.isfinite(self._values)):
            raise SingularShiftError("the matrix is empty or not finite")
        nothing = np.zeros((self._size, 1), order="F")
        # The library holds the factors; they go when this object does, or the program ends.
        weakref.finalize(self, _release, entry, self._handle, self._parameters, self._size)
        self._call(_ANALYSE, nothing, np.zeros_like(nothing))
        # In kB: the peak of the analysis, what stays of it, and what the factors take.
        _, stays, factors = (float(self._parameters[at]) for at in (14, 15, 16))
        needed, free = 1024 * (stays + factors), free_memory()
        if needed > _SHARE * free:
            raise TooLargeError(f"a matrix of {self._size} unknowns", needed, free)
        self._call(_FACTORISE, nothing, np.zeros_like(nothing))
        if self._parameters[13] > 0:
            raise SingularShiftError("a pivot is zero")

    def solve(self, right: Array) -> Array:
        wide = np.asfortranarray(right.reshape(self._size, -1), dtype=np.float64)
        found = np.empty_like(wide, order="F")
        self._call(_SOLVE, wide, found)
        return found.reshape(right.shape, order="A") if right.ndim == 1 else found

    @property
    def negatives(self) -> int | None:
        return int(self._parameters[_NEGATIVES_AT])

    def _call(self, phase: int, right: Array, found: Array) -> None:
        error = ctypes.c_int32(0)
        self._entry(
            self._size,
            _place(self._handle),
            _number(1),
            _number(1),
            _number(_SYMMETRIC_INDEFINITE),
            _number(phase),
            _number(self._size),
            _place(self._values),
            _place(self._starts),
            _place(self._columns),
            None,
            _number(right.shape[1]),
            _place(self._parameters),
            _number(0),
            _place(right),
            _place(found),
            ctypes.byref(error),
        )
        if error.value == -2:
            raise MemoryError("there is not enough memory to factorise a matrix of this size")
        if error.value != 0:
            raise SingularShiftError(f"the matrix cannot be factorised (code {error.value})")


def _number(value: int) -> Any:
    return ctypes.byref(ctypes.c_int32(value))


def _place(array: NDArray[Any]) -> ctypes.c_void_p:
    return ctypes.c_void_p(array.ctypes.data)


def _release(entry: Any, handle: NDArray[Any], parameters: NDArray[Any], size: int) -> None:
    entry(
        size,
        _place(handle),
        _number(1),
        _number(1),
        _number(_SYMMETRIC_INDEFINITE),
        _number(_RELEASE),
        _number(size),
        *(None,) * 4,
        _number(1),
        _place(parameters),
        _number(0),
        *(None,) * 2,
        _number(0),
    )


class _SuperLu:
    """LU factors with pivots kept on the diagonal, whose signs are those of L D Lᵀ."""

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
        return np.asarray(self._factors.solve(np.ascontiguousarray(right)))

    @property
    def negatives(self) -> int | None:
        return int(np.count_nonzero(self._pivots < 0)) if self._diagonal else None
