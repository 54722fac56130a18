"""Where the entries of element matrices go in sparse ones, found once and used many times."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import Any, Final, TypeVar

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.keeping import newest
from belltone.system.elimination import FreeMotions, eliminate
from belltone.system.kept_meshes import KeptMeshes

__all__ = ["Places", "Reduction", "Structure", "combined"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]
Matrix = scipy.sparse.csc_matrix
_Sparse = TypeVar("_Sparse", scipy.sparse.csc_matrix, scipy.sparse.csr_matrix)

_KEPT: Final = 2, 12  # reductions of one discretisation, at least and at most
_FEW: Final = 150  # unknowns; products of so many are sooner made without zeros left out
_KEPT_ENTRIES: Final = 40_000_000  # of element matrices, four bytes each, in all of them


class Places:
    """Blocks of six by six that pairs of nodes share, over all elements of an assembly.

    ``nodes`` (elements, n) lists those of each kind of element, numbered through; ``count`` is how
    many nodes there are. ``row`` and ``column`` are the nodes of each block, by columns, and
    ``block`` gives for each kind of element those of its pairs ``(elements, n, n)``.
    """

    def __init__(self, nodes: Sequence[IntArray], count: int) -> None:
        self.count = count
        keys = [(own[:, None, :] * count + own[:, :, None]).astype(np.int64) for own in nodes]
        each = np.cumsum([0] + [own.size for own in keys])
        flat = np.concatenate([np.empty(0, np.int64)] + [own.ravel() for own in keys])
        found, places = np.unique(flat, return_inverse=True)
        self.column, self.row = np.divmod(found, max(count, 1))
        self.block = tuple(
            places[start : start + own.size].reshape(own.shape)
            for start, own in zip(each, keys, strict=False)
        )

    @cached_property
    def _all(self) -> _Slots:
        return _Slots(self, np.arange(6 * self.count), np.zeros(6 * self.count, bool))

    def whole(self, matrices: Sequence[Array]) -> Matrix:
        """The matrix on all unknowns."""
        slots = self._all
        return _csc(slots.filled(matrices)[0], slots.rows, slots.ends, 6 * self.count)


class _Slots:
    """Where entries of element matrices go among the stored ones of a sparse matrix by columns.

    ``target`` numbers the unknowns that are free, -1 elsewhere; entries beside unknowns that
    ``follow`` others get slots of their own behind the rest.
    """

    def __init__(self, places: Places, target: NDArray[np.intp], follow: NDArray[np.bool_]) -> None:
        free = (target >= 0).reshape(-1, 6)
        row, column = places.row, places.column
        # Within the columns of a node each block gives its free rows to every one of them.
        rows_of = free.sum(axis=1)[row]
        before = np.cumsum(rows_of) - rows_of
        first = np.searchsorted(column, np.arange(places.count))
        before -= np.append(before, 0)[first][column]
        each = np.bincount(column, rows_of, places.count).astype(np.intp)
        ends = np.concatenate([[0], np.cumsum(np.repeat(each, free.sum(axis=1)))])
        start = np.append(ends, 0)[target].reshape(-1, 6)
        inner: IntArray = np.cumsum(free, axis=1) - free
        count = int(ends[-1])
        slot = (before[:, None] + inner[row]).astype(np.int32)[:, :, None] + start.astype(np.int32)[
            column
        ][:, None]
        if not free.all():
            slot[~(free[row][:, :, None] & free[column][:, None])] = count
        self.ends = ends.astype(np.int32)
        rows = np.empty(count + 1, np.int32)
        rows[slot] = target.astype(np.int32).reshape(-1, 6)[row][:, :, None]
        self.rows = rows[:count]
        self.led = np.empty(0, np.intp), np.empty(0, np.intp)
        if follow.any():
            own, least = follow.reshape(-1, 6), free | follow.reshape(-1, 6)
            beside = np.flatnonzero(own[row].any(axis=1) | own[column].any(axis=1))
            up, down = row[beside], column[beside]
            led = (own[up][:, :, None] | own[down][:, None]) & (
                least[up][:, :, None] & least[down][:, None]
            )
            block, high, across = np.nonzero(led)
            self.led = 6 * up[block] + high, 6 * down[block] + across
            slot[beside[block], high, across] = count + 1 + np.arange(len(block))
        self._count, self._total = count, count + 1 + len(self.led[0])
        self._index = tuple(
            np.ascontiguousarray(slot[pairs].transpose(0, 1, 3, 2, 4)).reshape(-1)
            for pairs in places.block
        )

    @property
    def entries(self) -> int:
        """How many entries of element matrices it has a place for."""
        return sum(len(index) for index in self._index)

    def filled(self, matrices: Sequence[Array]) -> tuple[Array, Array]:
        """The stored entries of the sum of matrices, and those beside unknowns that follow."""
        # What is held comes to the place between both.
        data = np.zeros(self._total)
        for index, own in zip(self._index, matrices, strict=True):
            np.add.at(data, index, own.reshape(-1))
        return data[: self._count], data[self._count + 1 :]


class Reduction:
    """The same over what ties leave free to move.

    Unknowns that are free or held go straight to their places; those that follow others are few,
    and are worked in by products. ``others`` are matrices on all unknowns whose entries have a
    place too. Only where entries are counts here; what ties weigh is given anew for each matrix.
    """

    def __init__(self, places: Places, free: FreeMotions, others: Sequence[Matrix]) -> None:
        self._places = places
        self._made_for = _pattern_of(free, others)
        self._size = free.basis.shape[1]
        self._numbers = np.arange(6 * places.count)
        target = np.full(6 * places.count, -1)
        target[free.kept] = np.arange(self._size)
        each = np.diff(free.by_rows.indptr)
        self._slots = _Slots(places, target, (target < 0) & (each > 0))
        self._rows, self._ends = self._slots.rows, self._slots.ends
        self._at: IntArray | None = None
        ones = np.ones(len(self._slots.led[0]))
        beside, _ = self._worked_in(ones, [_ones(other) for other in others], _ones(free.by_rows))
        if len(beside):
            self._take_in(beside)

    @property
    def entries(self) -> int:
        """How many entries of element matrices it has a place for."""
        return self._slots.entries

    def fits(self, places: Places, free: FreeMotions, others: Sequence[Matrix]) -> bool:
        """Whether it holds for these too."""
        return places is self._places and _same(self._made_for, _pattern_of(free, others))

    def filled(self, matrices: Sequence[Array], free: FreeMotions, *others: Matrix) -> Matrix:
        """The matrix of elements and of others over what is ``free`` to move."""
        straight, led = self._slots.filled(matrices)
        if self._at is None:
            return _csc(straight, self._rows, self._ends, self._size)
        data = np.zeros(len(self._rows))
        data[self._at] = straight
        beside, worked_in = self._worked_in(led, others, free.by_rows)
        data[np.searchsorted(self._keys, beside)] += worked_in
        return _csc(data, self._rows, self._ends, self._size)

    def _take_in(self, wanted: NDArray[np.int64]) -> None:
        """Make room for entries, by their keys."""
        keys = _keys_of(self._rows, self._ends)
        at = np.searchsorted(keys, wanted)
        missing = np.append(keys, -1)[at] != wanted
        at, wanted = at[missing], wanted[missing]
        self._keys = np.insert(keys, at, wanted)
        known = np.ones(len(self._keys), bool)
        known[at + np.arange(len(at))] = False
        self._at = np.flatnonzero(known)
        columns, rows = np.divmod(wanted, self._size)
        self._rows = np.insert(self._rows, at, rows.astype(np.int32))
        added = np.cumsum(np.bincount(columns, minlength=self._size)).astype(np.int32)
        self._ends = self._ends + np.concatenate([[np.int32(0)], added])

    def _worked_in(
        self, entries: Array, others: Sequence[Matrix], basis: scipy.sparse.csr_matrix
    ) -> tuple[NDArray[np.int64], Array]:
        """What entries beside unknowns that follow others, and other matrices, come to.

        By columns: the keys of the entries there are, and the entries.
        """
        high, across = self._slots.led
        rows = np.concatenate([high, *(other.indices for other in others)])
        columns = np.concatenate(
            [across, *(np.repeat(self._numbers, np.diff(other.indptr)) for other in others)]
        )
        if not len(rows):
            return np.empty(0, np.int64), np.empty(0)
        # They lie beside few of all unknowns.
        used = np.zeros(len(self._numbers), bool)
        used[rows] = used[columns] = True
        present, number = np.flatnonzero(used), np.cumsum(used) - 1
        data = np.concatenate([entries, *(other.data for other in others)])
        own = basis[present]
        given = np.unique(own.indices)
        shape = len(present), len(given)
        if max(shape) <= _FEW:
            between = np.zeros((len(present), len(present)))
            np.add.at(between, (number[rows], number[columns]), data)
            weights = np.zeros(shape)
            at = np.repeat(np.arange(shape[0]), np.diff(own.indptr))
            weights[at, np.searchsorted(given, own.indices)] = own.data
            dense = weights.T @ between @ weights
            dense = 0.5 * (dense + dense.T)
            column, row = np.nonzero(dense)  # of a symmetric one
            return given[column].astype(np.int64) * self._size + given[row], dense[column, row]
        whole = scipy.sparse.csc_matrix(
            (data, (number[rows], number[columns])), (len(present), len(present))
        )
        found = scipy.sparse.csc_matrix(own.T @ whole @ own)
        found = scipy.sparse.csc_matrix(0.5 * (found + found.T))
        found.sort_indices()
        return _keys_of(found.indices, found.indptr), found.data


class Structure:
    """What matrices of one discretisation share while knobs turn; made again where it changed."""

    def __init__(self) -> None:
        self._nodes: tuple[IntArray, ...] = ()
        self._places: Places | None = None
        self._reductions: list[Reduction] = []
        self._free: tuple[list[NDArray[Any]], FreeMotions] | None = None
        self.meshes = KeptMeshes()

    def free(self, ties: scipy.sparse.csr_matrix, weights: Array) -> FreeMotions:
        """What ties leave free; see `eliminate`. Where they are as before, what they left then."""
        # As they come: they are put in order where they are worked in.
        made_for = [each.copy() for each in (ties.indptr, ties.indices, ties.data, weights)]
        if self._free is None or not _same(self._free[0], made_for):
            self._free = made_for, eliminate(ties, weights)
        return self._free[1]

    def places(self, nodes: Sequence[IntArray], count: int) -> Places:
        """The blocks that pairs of nodes share; see `Places`."""
        known = self._places
        if known is None or known.count != count or not _same(nodes, self._nodes):
            known, self._nodes = Places(nodes, count), tuple(nodes)
            self._places = known
        return known

    def reduction(self, places: Places, free: FreeMotions, others: Sequence[Matrix]) -> Reduction:
        """The way of their entries to what is free to move; see `Reduction`."""
        fitting = (each for each in self._reductions if each.fits(places, free, others))
        known = next(fitting, None) or Reduction(places, free, others)
        # Back and forth across where ties change hands, all ways are wanted again.
        self._reductions = newest(known, self._reductions, _KEPT_ENTRIES, *_KEPT)
        return known


def _same(some: Sequence[NDArray[Any]], others: Sequence[NDArray[Any]]) -> bool:
    return len(some) == len(others) and all(
        one is other or np.array_equal(one, other) for one, other in zip(some, others, strict=True)
    )


def _pattern_of(free: FreeMotions, others: Sequence[Matrix]) -> list[NDArray[Any]]:
    found: list[NDArray[Any]] = [free.kept]
    for matrix in (free.basis, *others):
        found += [matrix.indptr, matrix.indices]
    return found


def _ones(matrix: _Sparse) -> _Sparse:
    """The same pattern with ones, none of which cancel."""
    ones = matrix.copy()
    ones.data = np.ones_like(ones.data)
    return ones


def combined(one: Matrix, share: float, other: Matrix) -> Matrix:
    """``one + share * other``; where both have one pattern, in that."""
    if (
        one.nnz == other.nnz
        and np.array_equal(one.indptr, other.indptr)
        and (one.indices is other.indices or np.array_equal(one.indices, other.indices))
    ):
        return _csc(one.data + share * other.data, one.indices, one.indptr, one.shape[0])
    return scipy.sparse.csc_matrix(one + share * other)


def _keys_of(rows: NDArray[Any], ends: NDArray[Any]) -> NDArray[np.int64]:
    """Entries of a square matrix numbered through, by columns."""
    size = len(ends) - 1
    column = np.repeat(np.arange(size, dtype=np.int64), np.diff(ends))
    return np.asarray(column * size + rows)


def _csc(
    data: Array, rows: NDArray[np.int32], ends: NDArray[np.int32], size: int
) -> scipy.sparse.csc_matrix:
    matrix = scipy.sparse.csc_matrix((size, size))
    matrix.data, matrix.indices, matrix.indptr = data, rows, ends
    matrix.has_sorted_indices = True
    matrix.has_canonical_format = True
    return matrix
