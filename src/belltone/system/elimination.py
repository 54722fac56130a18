"""Linear ties between unknowns, worked in by expressing some of them by the others."""

from __future__ import annotations

from functools import cached_property
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

__all__ = ["FreeMotions", "eliminate"]

Array = NDArray[np.float64]

_SAME: Final = 1e-6  # relative; a tie weaker than this repeats others, and what is left is chance
_AMISS: Final = 1e-6  # of the largest constant; less is rounding
_EQUAL: Final = 0.5  # of the largest; coefficients between are as good to divide by
_NOTHING: Final = 1e-13  # of a tie's largest coefficient; smaller ones are rounding


class FreeMotions:
    """What ties leave free.

    ``basis`` (unknowns, free) gives every unknown from the ``free`` ones, which keep their meaning:
    the rows of ``kept`` unknowns are those of the identity. ``offset`` (unknowns,) is what the
    unknowns come to when all free ones are zero. ``told`` are the ties, by row, that say something
    those before them do not; ``contradicted`` those that could not be met for those before them.
    """

    def __init__(
        self,
        basis: scipy.sparse.csc_matrix,
        kept: NDArray[np.intp],
        offset: Array,
        told: NDArray[np.intp],
        contradicted: tuple[int, ...] = (),
    ) -> None:
        self.basis = basis
        self.kept = kept
        self.offset = offset
        self.told = told
        self.contradicted = contradicted

    @cached_property
    def by_rows(self) -> scipy.sparse.csr_matrix:
        """The basis by rows."""
        return scipy.sparse.csr_matrix(self.basis)

    def reduced(self, motions: Array) -> Array:
        """Motions ``(unknowns, k)`` that respect all ties, by the free unknowns alone."""
        return np.asarray(motions[self.kept])


def eliminate(ties: scipy.sparse.csr_matrix, weights: Array) -> FreeMotions:
    """Solve ties ``(rows, unknowns + 1)``, each of which must be zero; the last column is constant.

    Gauss elimination row by row: each tie gives up the unknown with the largest coefficient times
    weight that earlier ties have left; ties that say nothing new are dropped. ``weights``
    (unknowns,) make coefficients of unlike unknowns comparable. Where two ties contradict each
    other, the first one counts.
    """
    size = ties.shape[1]
    weights = np.append(weights, 0.0)
    held, holding, rest, numbers = _held_outright(ties)
    told = holding.tolist()
    contradicted: list[int] = []
    constants = abs(ties[:, [size - 1]]).max() if ties.shape[0] else 0.0
    given: dict[int, dict[int, float]] = {}
    indptr, indices, data = rest.indptr, rest.indices.tolist(), rest.data.tolist()
    scale = weights.tolist()
    named = np.bincount(rest.indices, minlength=size).tolist()
    for row in range(rest.shape[0]):
        low, high = int(indptr[row]), int(indptr[row + 1])
        if low == high:
            continue
        work = dict(zip(indices[low:high], data[low:high], strict=True))
        size_before = max(abs(value) * scale[column] for column, value in work.items())
        _substitute(work, given)
        if not work:
            continue
        pivot = _pivot(work, scale, named)
        if pivot == size - 1 or abs(work[pivot]) * scale[pivot] <= _SAME * size_before:
            if abs(work.get(size - 1, 0.0)) > _AMISS * constants:
                contradicted.append(int(numbers[row]))
            continue
        told.append(int(numbers[row]))
        top = work.pop(pivot)
        least = _NOTHING * abs(top)
        given[pivot] = {
            column: -value / top for column, value in work.items() if abs(value) > least
        }
    return _resolved(size, held, given, np.sort(np.array(told, np.intp)), tuple(contradicted))


def _pivot(work: dict[int, float], scale: list[float], named: list[int]) -> int:
    """The unknown a tie gives up, of those with nearly the largest coefficient.

    It is that which the fewest ties name: where one line follows another, others would drag all
    along the line into each other. Of these it is the first, so that rounding does not choose among
    equals, and the same one goes while dimensions change.
    """
    sizes = {column: abs(value) * scale[column] for column, value in work.items()}
    least = _EQUAL * max(sizes.values())
    return min(
        (column for column, size in sizes.items() if size >= least),
        key=lambda column: (named[column], column),
    )


def _held_outright(
    ties: scipy.sparse.csr_matrix,
) -> tuple[NDArray[np.intp], NDArray[np.intp], scipy.sparse.csr_matrix, NDArray[np.intp]]:
    """Unknowns that a tie of their own holds at zero, and the rows of those ties.

    Then the other ties without those unknowns, and their rows.
    """
    ties = scipy.sparse.csr_matrix(ties)
    ties.eliminate_zeros()
    ties.sum_duplicates()
    held = np.zeros(ties.shape[1], dtype=bool)
    holding: list[NDArray[np.intp]] = [np.zeros(0, np.intp)]
    numbers = np.arange(ties.shape[0])
    while True:
        alone = np.diff(ties.indptr) == 1
        # A constant alone says nothing of any unknown.
        first = np.append(ties.indices, 0)[np.minimum(ties.indptr[:-1], len(ties.indices))]
        alone &= first != ties.shape[1] - 1
        if not alone.any():
            return np.flatnonzero(held), np.concatenate(holding), ties, numbers
        unknowns, firsts = np.unique(ties.indices[ties.indptr[:-1][alone]], return_index=True)
        held[unknowns] = True
        holding.append(numbers[alone][firsts])
        numbers = numbers[~alone]
        ties = scipy.sparse.csr_matrix(ties[~alone])
        ties.data[held[ties.indices]] = 0.0
        ties.eliminate_zeros()


def _substitute(work: dict[int, float], given: dict[int, dict[int, float]]) -> None:
    """Put in what is known of unknowns given up earlier, until none of them is left."""
    while True:
        known = [column for column in work if column in given]
        if not known:
            return
        for column in known:
            factor = work.pop(column, 0.0)
            if factor:
                for other, value in given[column].items():
                    work[other] = work.get(other, 0.0) + factor * value


def _resolved(
    size: int,
    held: NDArray[np.intp],
    given: dict[int, dict[int, float]],
    told: NDArray[np.intp],
    contradicted: tuple[int, ...],
) -> FreeMotions:
    gone = np.zeros(size, dtype=bool)
    gone[held] = True
    gone[list(given)] = True
    kept = np.flatnonzero(~gone)
    if not given:
        return FreeMotions(
            _unit_columns(size - 1, kept[:-1]), kept[:-1], np.zeros(size - 1), told, contradicted
        )
    counts = [len(entry) for entry in given.values()]
    rows = np.repeat(np.array(list(given), dtype=np.intp), counts)
    columns = np.array([c for entry in given.values() for c in entry], dtype=np.intp)
    values = np.array([v for entry in given.values() for v in entry.values()], dtype=float)
    known = scipy.sparse.csr_matrix((values, (rows, columns)), shape=(size, size))
    # Substituting the ties into themselves halves the length of any chain of them each time.
    while True:
        through = known.copy()
        through.data[~gone[through.indices]] = 0.0
        through.eliminate_zeros()
        if not through.nnz:
            break
        further = through @ known
        known.data[gone[known.indices]] = 0.0
        known.eliminate_zeros()
        known = scipy.sparse.csr_matrix(known + further)
    known = _without_rounding(known)
    whole = known + scipy.sparse.diags_array((~gone).astype(float))
    whole = scipy.sparse.csc_matrix(scipy.sparse.csc_matrix(whole)[: size - 1])
    kept = kept[:-1]
    offset = whole[:, [size - 1]].toarray()[:, 0]
    return FreeMotions(scipy.sparse.csc_matrix(whole[:, kept]), kept, offset, told, contradicted)


def _without_rounding(known: scipy.sparse.csr_matrix) -> scipy.sparse.csr_matrix:
    """Without entries that are nothing beside others of their row: where they are is chance."""
    sizes = np.abs(known.data)
    each = np.diff(known.indptr)
    largest = np.zeros(len(each))
    if len(sizes):
        filled = each > 0
        largest[filled] = np.maximum.reduceat(sizes, known.indptr[:-1][filled])
    known.data[sizes <= _NOTHING * np.repeat(largest, each)] = 0.0
    known.eliminate_zeros()
    return known


def _unit_columns(size: int, kept: NDArray[np.intp]) -> scipy.sparse.csc_matrix:
    ends = np.arange(len(kept) + 1)
    return scipy.sparse.csc_matrix((np.ones(len(kept)), kept, ends), shape=(size, len(kept)))
