"""Sparse symmetric factorisation: solutions, and how many eigenvalues lie below a shift.

The Pardiso solver of the Math Kernel Library does the work where its library is there (x86-64),
SuperLU elsewhere or where ``BELLTONE_SOLVER=superlu`` asks for it.
"""

from __future__ import annotations

import ctypes
import os
import sys
import threading
import weakref
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager, nullcontext
from functools import cache
from pathlib import Path
from typing import Any, Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.keeping import newest
from belltone.system.memory import TooLargeError, free_memory

__all__ = ["Factor", "SingularShiftError", "few_threads", "kernel_library", "solver_name"]

Array = NDArray[np.float64]

_SYMMETRIC_INDEFINITE: Final = -2
_ANALYSE: Final = 11
_FACTORISE: Final = 22
_SOLVE: Final = 33
_FORGET: Final = 0
_RELEASE: Final = -1
_SIDE_BY_SIDE: Final = 6  # matrices of one pattern that are factorised at a time
_KEPT: Final = 3, 12  # analyses beside those in use, at least and at most
_KEPT_ENTRIES: Final = 20_000_000  # of the patterns of all of them, some 15 bytes each
_KEPT_SIZE: Final = 60_000  # unknowns; larger ones would hold much memory for nothing
_ORDER_AT: Final = 4
_SEED: Final = 20_260_901
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

    def __init__(self, matrix: scipy.sparse.csc_matrix) -> None:
        entry = _pardiso() if matrix.shape[0] > _SMALL else None
        self._backend: _SuperLu | _Pardiso
        self._backend = _SuperLu(matrix) if entry is None else _Pardiso(entry, matrix)

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
def kernel_library() -> Any | None:
    """The Math Kernel Library, or ``None`` where it is missing."""
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
        return PyPardisoSolver().libmkl
    except (ImportError, OSError):
        return None


def few_threads(library: Any, size: int) -> AbstractContextManager[None]:
    """Let a call for so many unknowns take one thread where more only wait for one another."""
    return _one_thread(library) if size < _MANY_THREADS else nullcontext()


@contextmanager
def _one_thread(library: Any) -> Iterator[None]:
    threads = library.MKL_Set_Num_Threads_Local
    threads.restype, threads.argtypes = ctypes.c_int, [ctypes.c_int]
    before = threads(1)
    try:
        yield
    finally:
        threads(before)


@cache
def _pardiso() -> Any | None:
    """Pardiso's entry point, or ``None`` where its library is missing."""
    library = kernel_library()
    if library is None:
        return None
    entry = library.pardiso
    entry.restype = None
    entry.argtypes = None

    def call(size: int, *arguments: Any) -> None:
        """Call the solver."""
        with few_threads(library, size):
            entry(*arguments)

    return call


class _Analysis:
    """What one pattern of entries comes to: the order of elimination and the place of each factor.

    It holds for every matrix of the pattern, and some may be factorised by it side by side.
    """

    def __init__(self, entry: Any, matrix: scipy.sparse.csc_matrix) -> None:
        self._entry = entry
        self.size = matrix.shape[0]
        self._ends, self._rows = matrix.indptr, matrix.indices
        # The upper triangle by rows is the lower triangle by columns.
        columns = np.repeat(np.arange(self.size), np.diff(matrix.indptr))
        self._lower = np.flatnonzero(matrix.indices >= columns)
        each = np.bincount(columns[self._lower], minlength=self.size)
        self._starts = np.concatenate([[1], 1 + np.cumsum(each)]).astype(np.int32)
        self._columns = (matrix.indices[self._lower] + 1).astype(np.int32)
        self._order = elimination_order(matrix, entry)
        self._handle = np.zeros(64, dtype=np.int64)
        self.parameters = _parameters()
        self.parameters[_ORDER_AT] = 1
        self._free = list(range(1, _SIDE_BY_SIDE + 1))
        self._lock = threading.Lock()
        # The library holds the factors; they go when this object does, or the program ends.
        weakref.finalize(self, _release, entry, self._handle, self.parameters, self.size)
        self.call(_ANALYSE, 1, self.values(matrix))
        # In kB: the peak of the analysis, what stays of it, and what the factors take.
        _, stays, factors = (float(self.parameters[at]) for at in (14, 15, 16))
        needed, free = 1024 * (stays + factors), free_memory()
        if needed > _SHARE * free:
            raise TooLargeError(f"a matrix of {self.size} unknowns", needed, free)

    def fits(self, matrix: scipy.sparse.csc_matrix) -> bool:
        """Whether a matrix has this pattern, and there is room for its factors."""
        return (
            bool(self._free)
            and len(self._rows) == len(matrix.indices)
            and np.array_equal(self._ends, matrix.indptr)
            and (self._rows is matrix.indices or np.array_equal(self._rows, matrix.indices))
        )

    @property
    def entries(self) -> int:
        """How many entries the pattern has."""
        return len(self._rows)

    def values(self, matrix: scipy.sparse.csc_matrix) -> Array:
        """The entries the library reads of a matrix."""
        return np.ascontiguousarray(matrix.data[self._lower], dtype=np.float64)

    def take(self) -> int:
        """A number for the factors of one more matrix."""
        with self._lock:
            return self._free.pop()

    def give_back(self, number: int) -> None:
        """These factors are wanted no more."""
        self.call(_FORGET, number, np.zeros(1))
        with self._lock:
            self._free.append(number)

    def call(
        self, phase: int, number: int, values: Array, right: Array | None = None
    ) -> tuple[Array, NDArray[np.int32]]:
        """Call the library for one of the matrices; returns what was found, and its parameters."""
        wide = np.zeros((self.size, 1), order="F") if right is None else right
        found = np.empty_like(wide, order="F")
        with self._lock:
            _call(
                self._entry,
                self._handle,
                self.parameters,
                phase,
                number,
                (values, self._starts, self._columns, self._order),
                wide,
                found,
            )
            return found, self.parameters.copy()


_kept: list[_Analysis] = []
"""The last ones used: knobs turn, loads rise and shifts move, and the pattern stays."""
_keeping = threading.Lock()


def _analysis(entry: Any, matrix: scipy.sparse.csc_matrix) -> _Analysis:
    with _keeping:
        known = next((each for each in _kept if each.fits(matrix)), None)
    if known is None:
        # Short of memory the library does not fail: it tries for minutes, or ends the program.
        room, free = _ROOM + _FOR_EACH * matrix.nnz, free_memory()
        if room > free:
            raise TooLargeError(f"a matrix of {matrix.shape[0]} unknowns", room, free)
        known = _Analysis(entry, matrix)
    if known.size <= _KEPT_SIZE:
        with _keeping:
            _kept[:] = newest(known, _kept, _KEPT_ENTRIES, *_KEPT)
    return known


class _Pardiso:
    """Symmetric indefinite factors with two-by-two pivots."""

    def __init__(self, entry: Any, matrix: scipy.sparse.csc_matrix) -> None:
        if not matrix.has_sorted_indices:
            matrix.sort_indices()
        if matrix.nnz < matrix.shape[0] or not np.all(np.isfinite(matrix.data)):
            raise SingularShiftError("the matrix is empty or not finite")
        self._analysis = _analysis(entry, matrix)
        self._values = self._analysis.values(matrix)
        self._number = self._analysis.take()
        weakref.finalize(self, self._analysis.give_back, self._number).atexit = False
        _, told = self._analysis.call(_FACTORISE, self._number, self._values)
        if told[13] > 0:
            raise SingularShiftError("a pivot is zero")
        self.negatives: int | None = int(told[_NEGATIVES_AT])

    def solve(self, right: Array) -> Array:
        wide = np.asfortranarray(right.reshape(len(right), -1), dtype=np.float64)
        found, _ = self._analysis.call(_SOLVE, self._number, self._values, wide)
        return found.reshape(right.shape, order="A") if right.ndim == 1 else found


def elimination_order(matrix: scipy.sparse.csc_matrix, entry: Any) -> NDArray[np.int32]:
    """In which order unknowns are eliminated, from 1, each at its own place.

    Unknowns with the same neighbours, as all those inside one element, go together, so that nested
    dissection looks at a graph a twentieth in size and less (C. Ashcraft, "Compressed graphs and
    the minimum degree algorithm", SIAM J. Sci. Comput. 16 (1995) 1404-1411).
    """
    size = matrix.shape[0]
    weights = np.random.default_rng(_SEED).integers(1, 2**62, size)
    starts = matrix.indptr[:-1]
    if size and np.any(np.diff(matrix.indptr) == 0):
        raise SingularShiftError("an unknown has no stiffness")
    sums = np.add.reduceat(weights[matrix.indices], starts)  # alike where neighbours are
    _, first, group = np.unique(sums, return_index=True, return_inverse=True)
    count = len(first)
    chosen = matrix[:, first]
    columns = np.repeat(np.arange(count), np.diff(chosen.indptr))
    rows = group[chosen.indices]
    lower = rows > columns
    graph = scipy.sparse.csc_matrix(
        (
            np.ones(np.count_nonzero(lower) + count),
            (
                np.append(rows[lower], np.arange(count)),
                np.append(columns[lower], np.arange(count)),
            ),
        ),
        shape=(count, count),
    )
    graph.sort_indices()
    parameters = _parameters()
    parameters[_ORDER_AT] = 2
    handle = np.zeros(64, dtype=np.int64)
    order = np.zeros(count, dtype=np.int32)
    nothing = np.zeros((count, 1), order="F")
    arrays = (
        np.where(graph.indices == np.repeat(np.arange(count), np.diff(graph.indptr)), count, -0.5),
        (graph.indptr + 1).astype(np.int32),
        (graph.indices + 1).astype(np.int32),
        order,
    )
    try:
        _call(entry, handle, parameters, _ANALYSE, 1, arrays, nothing, np.empty_like(nothing))
    finally:
        _release(entry, handle, parameters, count)
    rank = np.empty(count, dtype=np.intp)
    rank[order - 1] = np.arange(count)
    return (np.argsort(rank[group], kind="stable") + 1).astype(np.int32)


def _parameters() -> NDArray[np.int32]:
    parameters = np.zeros(64, dtype=np.int32)
    parameters[0] = 1  # parameters are given, not defaults
    parameters[1] = 2  # nested dissection
    parameters[_REFINEMENTS_AT] = 0
    parameters[9] = 8  # tiny pivots are lifted to 1e-8 of the matrix
    parameters[17] = -1
    parameters[20] = 1  # two-by-two pivots
    parameters[23] = 1  # parallel in two levels
    return parameters


def _call(
    entry: Any,
    handle: NDArray[Any],
    parameters: NDArray[Any],
    phase: int,
    number: int,
    arrays: tuple[Array, NDArray[Any], NDArray[Any], NDArray[Any]],
    right: Array,
    found: Array,
) -> None:
    error = ctypes.c_int32(0)
    size = len(arrays[1]) - 1
    entry(
        size,
        _place(handle),
        _number(_SIDE_BY_SIDE),
        _number(number),
        _number(_SYMMETRIC_INDEFINITE),
        _number(phase),
        _number(size),
        *map(_place, arrays),
        _number(right.shape[1]),
        _place(parameters),
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
        _number(_SIDE_BY_SIDE),
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

    def __init__(self, matrix: scipy.sparse.csc_matrix) -> None:
        try:
            self._factors = scipy.sparse.linalg.splu(
                _mirrored(matrix),
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


def _mirrored(matrix: scipy.sparse.csc_matrix) -> scipy.sparse.csc_matrix:
    """The lower triangle on both sides of the diagonal.

    One triangle alone is read, as by the other library: what rounding leaves between both would
    blur the signs of pivots.
    """
    other = matrix.T.tocsc()
    rows, ends = matrix.indices, matrix.indptr
    if not (np.array_equal(rows, other.indices) and np.array_equal(ends, other.indptr)):
        lower = scipy.sparse.tril(matrix, format="csc")
        return scipy.sparse.csc_matrix(lower + scipy.sparse.tril(matrix, -1, format="csc").T)
    below = rows >= np.repeat(np.arange(len(ends) - 1), np.diff(ends))
    mirrored = matrix.copy()
    mirrored.data = np.where(below, matrix.data, other.data)
    return mirrored
