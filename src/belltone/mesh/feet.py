"""The nearest places of curved four-sided elements to points in space."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.quadrature import lagrange, lobatto

__all__ = ["ElementFinder"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_MOST_TRIED: Final = 24  # elements for each point; boxes seldom overlap that often
_SLACK: Final = 0.02  # of an element's diagonal, by which its surface may leave the samples' box
_ON_IT: Final = 1e-9  # m; a place so near needs no better one
_BATCH: Final = 256
_STEPS: Final = 25


class ElementFinder:
    """Finds the nearest places of elements ``(elements, (p+1)², 3)`` of one order."""

    def __init__(self, positions: Array, order: int) -> None:
        self._positions, self._order = positions, order
        line = np.linspace(-1.0, 1.0, 2 * order + 1)
        values, _ = lagrange(lobatto(order), line)
        self._samples = np.matmul(np.kron(values, values), positions)
        self._first, self._second = (grid.ravel() for grid in np.meshgrid(line, line))
        low, high = self._samples.min(axis=1), self._samples.max(axis=1)
        slack = _SLACK * np.linalg.norm(high - low, axis=1, keepdims=True)
        self._low, self._high = low - slack, high + slack

    def nearest(self, points: Array) -> tuple[IntArray, Array, Array]:
        """The element nearest to each of ``(n, 3)``, the weights of its nodes, and the place."""
        found = [self._few(batch) for batch in np.array_split(points, len(points) // _BATCH + 1)]
        element, weights, feet = (np.concatenate(column) for column in zip(*found, strict=True))
        return element, weights, feet

    def _few(self, points: Array) -> tuple[IntArray, Array, Array]:
        """An element may be nearest while the box round it is nearer than the best place so far."""
        gap = np.maximum(self._low - points[:, None], points[:, None] - self._high)
        to_box = np.linalg.norm(np.maximum(gap, 0.0), axis=2)
        best = np.full(len(points), np.inf)
        element = np.zeros(len(points), dtype=np.intp)
        weights = np.zeros((len(points), self._positions.shape[1]))
        feet = np.zeros((len(points), 3))
        for _ in range(min(_MOST_TRIED, len(self._positions))):
            own = np.argmin(to_box, axis=1)
            everyone = np.arange(len(points))
            rows = np.flatnonzero(to_box[everyone, own] < best - _ON_IT)
            if not len(rows):
                break
            own = own[rows]
            to_box[rows, own] = np.inf
            away = np.linalg.norm(self._samples[own] - points[rows, None], axis=2)
            local = np.argmin(away, axis=1)
            at = np.column_stack([self._first[local], self._second[local]])
            shape, foot = _slid(self._positions[own], self._order, points[rows], at)
            away = np.linalg.norm(foot - points[rows], axis=1)
            better = away < best[rows]
            kept = rows[better]
            best[kept], element[kept] = away[better], own[better]
            weights[kept], feet[kept] = shape[better], foot[better]
        return element, weights, feet


def _slid(positions: Array, order: int, points: Array, at: Array) -> tuple[Array, Array]:
    """Slide from a start to the nearest place of one element each, kept inside it."""
    nodes = lobatto(order)
    for _ in range(_STEPS):
        value_1, slope_1 = lagrange(nodes, at[:, 0])
        value_2, slope_2 = lagrange(nodes, at[:, 1])
        shape = _products(value_2, value_1)
        tangents = np.stack(
            [
                np.einsum("nk,nkd->nd", _products(value_2, slope_1), positions),
                np.einsum("nk,nkd->nd", _products(slope_2, value_1), positions),
            ],
            axis=1,
        )
        away = points - np.einsum("nk,nkd->nd", shape, positions)
        metric = np.einsum("nad,nbd->nab", tangents, tangents)
        # A coordinate at its end that would leave is kept there while the other moves on.
        pull = np.einsum("nad,nd->na", tangents, away)
        stuck = ((at >= 1) & (pull > 0)) | ((at <= -1) & (pull < 0))
        metric = np.where(stuck[:, :, None] | stuck[:, None, :], 0.0, metric)
        metric += np.einsum("na,ab->nab", np.where(stuck, 1.0, 1e-14), np.eye(2))
        step = np.linalg.solve(metric, np.where(stuck, 0.0, pull)[..., None])[..., 0]
        moved = np.clip(at + np.clip(step, -1.0, 1.0), -1.0, 1.0)
        if np.abs(moved - at).max(initial=0.0) < 1e-11:
            break
        at = moved
    value_1, _ = lagrange(nodes, at[:, 0])
    value_2, _ = lagrange(nodes, at[:, 1])
    shape = _products(value_2, value_1)
    return shape, np.einsum("nk,nkd->nd", shape, positions)


def _products(second: Array, first: Array) -> Array:
    return np.asarray(np.einsum("nj,ni->nji", second, first).reshape(len(first), -1))
