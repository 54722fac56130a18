"""Where the entries of element matrices go in sparse ones, found once and used many times."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from belltone.system.elimination import FreeMotions

__all__ = ["Places", "Reduction"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]
Matrix = sparse.csc_matrix


class Places:
    """Blocks of six by six that pairs of nodes share, over all elements of an assembly.

    ``nodes`` (elements, n) lists those of each kind of element, numbered through; ``count`` is how
    many nodes there are.
    """

    def __init__(self, nodes: Sequence[IntArray], count: int) -> None:
        self.count = count
        keys = np.concatenate(
            [np.empty(0, np.int64)]
            + [
                (own[:, None, :] * count + own[:, :, None]).ravel().astype(np.int64)
                for own in nodes
            ]
        )
        order = np.argsort(keys, kind="stable")
        ordered = keys[order]
        new = np.ones(len(ordered), bool)
        new[1:] = ordered[1:] != ordered[:-1]
        starts = np.flatnonzero(new)
        self._gather = sparse.csr_matrix(
            (np.ones(len(order)), order, np.append(starts, len(order))),
            shape=(len(starts), len(order)),
        )
        self._column, self._row = np.divmod(ordered[starts], max(count, 1))
        self._mirror = np.searchsorted(ordered[starts], self._row * count + self._column)

    def summed(self, matrices: Sequence[Array]) -> Array:
        """Blocks ``(blocks, 6, 6)``, columns first, of matrices of elements."""
        pieces = [np.empty((0, 36))]
        for own in matrices:
            elements, size = own.shape[:2]
            nodes = size // 6
            apart = own.reshape(elements, nodes, 6, nodes, 6).transpose(0, 1, 3, 4, 2)
            pieces.append(apart.reshape(-1, 36))
        return np.asarray(self._gather @ np.concatenate(pieces)).reshape(-1, 6, 6)

    def even(self, blocks: Array) -> Array:
        """The same without what rounding leaves between a block and its mirror image.

        It would blur the signs of pivots.
        """
        return np.asarray(0.5 * (blocks + blocks[self._mirror].transpose(0, 2, 1)))

    @cached_property
    def layout(self) -> tuple[IntArray, NDArray[np.int32], NDArray[np.int32]]:
        """For each entry by columns: its place among those of all blocks, and row; column ends."""
        each = np.bincount(self._column, minlength=self.count)
        first = np.concatenate([[0], np.cumsum(each)])
        # Within the six columns of a node each block gives six rows to every one of them.
        inside = np.arange(len(self._column)) - first[self._column]
        base = 36 * first[self._column] + 6 * inside
        step = 6 * each[self._column]
        six = np.arange(6)
        position = (base[:, None] + step[:, None] * six)[:, :, None] + six
        place = np.empty(position.size, np.intp)
        place[position.ravel()] = np.arange(position.size)
        rows = np.empty(position.size, np.int32)
        rows[position] = (6 * self._row[:, None, None] + six).astype(np.int32)
        ends = np.concatenate([[0], np.cumsum(np.repeat(6 * each, 6))]).astype(np.int32)
        return place, rows, ends

    def whole(self, matrices: Sequence[Array]) -> Matrix:
        """The matrix on all unknowns."""
        place, rows, ends = self.layout
        return _csc(self.summed(matrices).ravel()[place], rows, ends, 6 * self.count)


class Reduction:
    """The same over what ties leave free to move.

    Unknowns that are free or held go straight to their places; those that follow others are few,
    and are worked in by products. ``others`` are matrices on all unknowns whose entries have a
    place too.
    """

    def __init__(self, places: Places, free: FreeMotions, others: Sequence[Matrix]) -> None:
        self._places, self._basis = places, free.basis
        self._size = free.basis.shape[1]
        target = np.full(6 * places.count, -1)
        target[free.kept] = np.arange(self._size)
        each = np.diff(sparse.csr_matrix(free.basis).indptr)
        place, row, ends = places.layout
        held_or_led = target[row] < 0
        held_or_led |= np.repeat(target < 0, np.diff(ends))
        goes = np.flatnonzero(~held_or_led)
        self._source = place[goes]
        rows = target[row[goes]].astype(np.int32)
        kept = np.add.reduceat(np.append(~held_or_led, False), ends[:-1]) * (np.diff(ends) > 0)
        # Free unknowns keep their order, so columns stay in it and rows within them.
        column_ends = np.concatenate([[0], np.cumsum(kept[target >= 0])])
        self._rows, self._ends = rows, column_ends.astype(np.int32)
        self._at: IntArray | None = None
        follows = (target < 0) & (each > 0)
        led = np.flatnonzero(held_or_led)
        column = np.repeat(np.arange(6 * places.count), np.diff(ends))[led]
        led_rows = row[led]
        counts = (follows[led_rows] | follows[column]) & (each[led_rows] > 0) & (each[column] > 0)
        self._led = place[led[counts]], led_rows[counts], column[counts]
        ones = np.ones(len(self._led[0]))
        beside = self._worked_in(ones, [abs(other) for other in others], abs(self._basis))
        if beside.nnz:
            self._take_in(beside)

    def filled(self, matrices: Sequence[Array], *others: Matrix) -> Matrix:
        """The matrix of elements and of others over what is free to move."""
        blocks = self._places.even(self._places.summed(matrices)).ravel()
        straight = blocks[self._source]
        if self._at is None:
            return _csc(straight, self._rows, self._ends, self._size)
        data = np.zeros(len(self._rows))
        data[self._at] = straight
        beside = self._worked_in(blocks[self._led[0]], others, self._basis)
        data[np.searchsorted(self._keys, _keys_of(beside))] += beside.data
        return _csc(data, self._rows, self._ends, self._size)

    def _take_in(self, beside: Matrix) -> None:
        """Make room for the entries of a matrix."""
        keys = _keys_of(_csc(np.empty(len(self._rows)), self._rows, self._ends, self._size))
        wanted = _keys_of(beside)
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

    def _worked_in(self, entries: Array, others: Sequence[Matrix], basis: Matrix) -> Matrix:
        """What entries beside unknowns that follow others, and other matrices, come to."""
        size = 6 * self._places.count
        _, row, column = self._led
        whole = sparse.csc_matrix((entries, (row, column)), (size, size))
        for other in others:
            whole = whole + other
        if not whole.nnz:
            return sparse.csc_matrix((self._size, self._size))
        found = sparse.csc_matrix(basis.T @ whole @ basis)
        found = sparse.csc_matrix(0.5 * (found + found.T))
        found.sort_indices()
        return found


def _keys_of(matrix: Matrix) -> NDArray[np.int64]:
    size = matrix.shape[0]
    column = np.repeat(np.arange(size, dtype=np.int64), np.diff(matrix.indptr))
    return np.asarray(column * size + matrix.indices)


def _csc(
    data: Array, rows: NDArray[np.int32], ends: NDArray[np.int32], size: int
) -> sparse.csc_matrix:
    matrix = sparse.csc_matrix((size, size))
    matrix.data, matrix.indices, matrix.indptr = data, rows, ends
    matrix.has_sorted_indices = True
    matrix.has_canonical_format = True
    return matrix
