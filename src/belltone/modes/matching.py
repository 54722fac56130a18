"""Which mode of one solution is which of another: by shape, never by number."""

from __future__ import annotations

import itertools
from typing import Any, Final

import numpy as np
import scipy
from numpy.typing import NDArray

__all__ = ["EQUAL", "assurance", "clusters", "paired"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

EQUAL: Final = 1e-4  # relative gap below which shapes may mix freely and count as one subspace


def assurance(first: NDArray[Any], second: NDArray[Any]) -> Array:
    """Mass-weighted modal assurance ``(m, n)`` of two sets of signatures, 0 to 1.

    R. J. Allemang and D. L. Brown, "A correlation coefficient for modal vector analysis",
    Proc. 1st Int. Modal Analysis Conf. (1982), with the mass as weight. Where one component
    carries more lumped masses than the other, these stand last and are left out. Those of whirling
    modes are complex, and at what moment of its turn one begins makes no difference.
    """
    common = min(first.shape[1], second.shape[1])
    if first.shape[1] != second.shape[1]:
        first, second = (_unit(vectors[:, :common]) for vectors in (first, second))
    return np.asarray(np.abs(first @ second.conj().T) ** 2)


def _unit(vectors: NDArray[Any]) -> NDArray[Any]:
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(lengths > 0, lengths, 1.0))


def clusters(frequencies: Array, gap: float = EQUAL) -> list[slice]:
    """Group ascending frequencies whose neighbours differ by less than ``gap``, relatively."""
    if not len(frequencies):
        return []
    apart = np.flatnonzero(np.diff(frequencies) > gap * frequencies[1:]) + 1
    edges = [0, *apart.tolist(), len(frequencies)]
    return [slice(start, stop) for start, stop in itertools.pairwise(edges)]


def paired(
    alike: Array,
    frequencies: Array,
    expected: Array,
    gap: float = EQUAL,
    either: bool = False,
) -> tuple[IntArray, Array]:
    """Find partners for the first shapes among the second, given how ``alike`` (m, n) they are.

    Equal ``frequencies`` (n,) of the second, ascending, are compared as a subspace: a shape that
    lies in their span is recognised whichever way the pair happens to be turned. Those less than
    ``gap`` apart, relatively, count as equal. The frequencies ``expected`` (m,) of the first break
    ties towards what is foreseen; where ``either`` may be mixed, they are ascending, and equal ones
    of them are a subspace, too. Returns the partners' places (-1 where the second are too few) and
    the assurance of each.
    """
    single = np.array(alike)
    alike = single.copy()
    groups, own_groups = _several(frequencies, gap), _several(expected, gap) if either else []
    for group in groups:
        alike[:, group] = single[:, group].sum(axis=1, keepdims=True)
    for group in own_groups:
        # Both sums together would take half of a pair for all of it.
        alike[group] = np.maximum(alike[group], single[group].sum(axis=0))
    np.clip(alike, 0.0, 1.0, out=alike)
    cost = 1.0 - alike
    if len(frequencies):
        away = np.abs(
            np.log(np.maximum(frequencies, 1e-300))[None, :]
            - np.log(np.maximum(expected, 1e-300))[:, None]
        )
        # A tenth off in frequency weighs as much as a tenth less assurance, and no more.
        cost = cost + np.minimum(away, 0.1)
    rows, columns = _assigned(cost)
    partners = np.full(len(alike), -1, dtype=np.intp)
    partners[rows] = columns
    for group in groups:
        # Any of a group would do for any other of it: they stay in order.
        own = np.flatnonzero((partners >= group.start) & (partners < group.stop))
        partners[own] = np.sort(partners[own])
    for group in own_groups:
        if np.all(partners[group] >= 0):
            partners[group] = np.sort(partners[group])
    certainty = np.zeros(len(alike))
    certainty[rows] = alike[rows, partners[rows]]
    return partners, certainty


def _several(frequencies: Array, gap: float) -> list[slice]:
    return [group for group in clusters(frequencies, gap) if group.stop - group.start > 1]


def _assigned(cost: Array) -> tuple[IntArray, IntArray]:
    """Rows and columns of the assignment that costs least in all."""
    wished = np.argmin(cost, axis=1) if cost.shape[1] else np.empty(0, np.intp)
    if len(set(wished.tolist())) == len(cost):
        return np.arange(len(cost)), wished  # nothing costs less than what is best for each
    # It takes a third of a second to load, and is seldom needed. (The matching of bipartite graphs
    # in `scipy.sparse.csgraph` is there at once, but does not end for some costs.)
    rows, columns = scipy.optimize.linear_sum_assignment(cost)
    return rows, columns
