"""The nearest places of curved four-sided elements to points in space."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.quadrature import lagrange, lobatto

__all__ = ["ElementFinder", "onto_edges"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_MOST_TRIED: Final = 24  # elements for each point; boxes seldom overlap that often
_BULGE: Final = 0.25  # of second differences of samples; a parabola bulges by half of that
_ON_IT: Final = 1e-9  # m; a place so near needs no better one
_DIGITS: Final = 12  # after the point; of what is equally near the first comes first
_SAME: Final = 2e-12  # m; distances that differ by less are the same
_BATCH: Final = 256
_STEPS: Final = 25
_LEAST_CURVED: Final = 0.02  # of the flat metric; below that a step would be too long
_LEAST: Final = 1e-14  # m²; so much stiffer against moving than the metric is
_NOTHING: Final = 1e-30  # m⁴; of a metric that leads nowhere
_STILL: Final = 1e-11  # of an element; a place that moves less has come to rest
_BESIDE: Final = 1e-3  # of an element's diagonal; so near to its edge a place is on it
_NEAR: Final = 0.9  # of the way to an edge; farther off no place is looked at more closely
_EXACT: Final = 1e-9  # of an element; so near weights bring its edge to a place
_LIGHT: Final = 0.02  # of a weight; by no more are weights corrected


class ElementFinder:
    """Finds the nearest places of elements ``(elements, (p+1)², 3)`` of one order."""

    def __init__(self, positions: Array, order: int) -> None:
        self._positions, self._order = positions, order
        line = np.linspace(-1.0, 1.0, 2 * order + 1)
        values, _ = lagrange(lobatto(order), line)
        self._samples = np.matmul(np.kron(values, values), positions)
        self._first, self._second = (grid.ravel() for grid in np.meshgrid(line, line))
        low, high = self._samples.min(axis=1), self._samples.max(axis=1)
        slack = np.zeros_like(low)
        # Between samples a surface leaves their box by no more than it is bent there.
        grid = self._samples.reshape(len(positions), len(line), len(line), 3)
        for axis in (1, 2):
            bent = np.abs(np.diff(grid, 2, axis=axis)).max(axis=(1, 2))
            slack = slack + _BULGE * bent
        self._low, self._high = low - slack, high + slack

    def nearest(self, points: Array) -> tuple[IntArray, Array, Array]:
        """The element nearest to each of ``(n, 3)``, the weights of its nodes, and the place."""
        found = [self._few(batch) for batch in np.array_split(points, len(points) // _BATCH + 1)]
        element, weights, feet = (np.concatenate(column) for column in zip(*found, strict=True))
        return element, weights, feet

    def _few(self, points: Array) -> tuple[IntArray, Array, Array]:
        """In the element that looks nearest, and then in all whose boxes are nearer than that."""
        gap = np.maximum(self._low - points[:, None], points[:, None] - self._high)
        to_box = np.linalg.norm(np.maximum(gap, 0.0), axis=2).round(_DIGITS)
        rows = np.arange(len(points))
        row, own = np.nonzero(to_box == to_box.min(axis=1, keepdims=True))
        away, start = self._nearest_sample(own, points[row])
        first = np.lexsort((away.round(_DIGITS), row))[np.searchsorted(row, rows)]
        element = own[first]
        weights, feet, best = self._nearest_in(element, start[first], points)
        to_box[rows, element] = np.inf
        missing = np.flatnonzero((to_box.min(axis=1) < best - _SAME) & (best > _ON_IT))
        if len(missing):
            order = np.argsort(to_box[missing], axis=1, kind="stable")[:, : _MOST_TRIED - 1]
            nearer = to_box[missing[:, None], order] < best[missing, None] - _SAME
            row, rank = np.nonzero(nearer)
            own, row = order[row, rank], missing[row]
            shapes, places, away = self._nearest_in(
                own, self._nearest_sample(own, points[row])[1], points[row]
            )
            away = away.round(_DIGITS)
            first = np.lexsort((away, row))[np.searchsorted(row, missing)]
            first = first[away[first] < best[missing] - _SAME]
            kept = row[first]
            element[kept], weights[kept], feet[kept] = own[first], shapes[first], places[first]
        return element, weights, feet

    def _nearest_sample(self, element: IntArray, points: Array) -> tuple[Array, IntArray]:
        """How far each point is from the samples of one element, and which is nearest."""
        away = np.linalg.norm(self._samples[element] - points[:, None], axis=2)
        return away.min(axis=1), away.argmin(axis=1)

    def _nearest_in(
        self, element: IntArray, start: IntArray, points: Array
    ) -> tuple[Array, Array, Array]:
        """Weights of the place of one element nearest to each point, the place, and how far."""
        at = np.column_stack([self._first[start], self._second[start]])
        weights, feet = _slid(self._positions[element], self._order, points, at)
        return weights, feet, np.asarray(np.linalg.norm(feet - points, axis=1))


def onto_edges(
    order: int, weights: Array, positions: Array, points: Array, normals: Array
) -> tuple[Array, Array]:
    """Weights ``(n, (p+1)²)`` and places of feet, those a hair beside an edge read off it alone.

    Two meshes of the same line have polynomials of their own for it, so that nodes of one are a
    hair beside the edge of the other: in an element, where all of its nodes would take part, or
    off it at the end of an arm. There weights of the edge's nodes are corrected so that they still
    add up to one and bring the edge to the very place, seen along the ``normals``: motions of a
    rigid body, and all that grow evenly, are then read without error.
    """
    line = lobatto(order)
    grid = np.stack([axis.ravel() for axis in np.meshgrid(line, line)])
    at = weights @ grid.T
    rows = np.arange(len(at))
    axis = np.argmax(np.abs(at), axis=1)
    side = np.sign(at[rows, axis])
    feet = np.einsum("nk,nkd->nd", weights, positions)
    aside = points - feet
    aside -= np.sum(aside * normals, axis=1, keepdims=True) * normals
    sizes = np.linalg.norm(np.ptp(positions, axis=1), axis=1)
    off = np.linalg.norm(aside, axis=1)
    beside = (np.abs(at[rows, axis]) < 1.0) | (off > _EXACT * sizes)
    chosen = np.flatnonzero(beside & (np.abs(at[rows, axis]) > _NEAR) & (off < _BESIDE * sizes))
    weights, feet = weights.copy(), feet.copy()
    if not len(chosen):
        return weights, feet
    on_edge = grid[axis[chosen]] == side[chosen, None]
    nodes = np.nonzero(on_edge)[1].reshape(len(chosen), order + 1)
    shapes, _ = lagrange(line, at[chosen, 1 - axis[chosen]])
    there = np.take_along_axis(positions[chosen], nodes[:, :, None], axis=1)
    size = sizes[chosen, None]
    target = feet[chosen] + aside[chosen]
    missing = (target - np.einsum("nk,nkd->nd", shapes, there)) / size
    away = np.linalg.norm(missing, axis=1)
    spread = ((there - target[:, None]) / size[:, None]).mT
    rows_of = np.concatenate([np.ones((len(chosen), 1, order + 1)), spread], axis=1)
    wanted = np.concatenate([np.zeros((len(chosen), 1)), missing], axis=1)
    added = np.einsum("nkr,nr->nk", np.linalg.pinv(rows_of, rcond=_EXACT), wanted)
    left = np.abs(np.einsum("nrk,nk->nr", rows_of, added) - wanted).max(axis=1)
    good = (away < _BESIDE) & (left < _EXACT) & (np.abs(added).max(axis=1) < _LIGHT)
    weights[chosen[good]] = 0.0
    weights[chosen[good, None], nodes[good]] = (shapes + added)[good]
    feet[chosen[good]] = np.einsum("nk,nkd->nd", weights[chosen[good]], positions[chosen[good]])
    return weights, feet


def _slid(positions: Array, order: int, points: Array, at: Array) -> tuple[Array, Array]:
    """Slide from a start to the nearest place of one element each, kept inside it.

    By Newton's method, without the curvature of the surface where that would lead away. Written
    out by entries: of few points it is the number of operations that takes the time.
    """
    nodes = lobatto(order)
    again = lagrange(nodes, nodes)[1]  # slopes of slopes: those of what the slopes are at nodes
    count = order + 1
    size = len(at)
    grid = positions.reshape(size, count, count, 3)
    rows = grid.transpose(0, 1, 3, 2).reshape(size, 3 * count, count)
    at = at.copy()
    moving = np.arange(size)  # those that have not come to rest
    for _ in range(_STEPS):
        here = at[moving]
        values, slopes = lagrange(nodes, here.T.ravel())
        basis = np.stack([values, slopes, slopes @ again], axis=1)
        first, second = np.split(basis, 2)
        inner = (rows[moving] @ first.mT).reshape(len(here), count, 9)
        # By derivatives along the second coordinate, space, and derivatives along the first.
        found = (second @ inner).reshape(len(here), 3, 3, 3)
        tangents = found[:, 0, :, 1], found[:, 1, :, 0]
        away = points[moving] - found[:, 0, :, 0]
        pull = np.stack([_dot(tangent, away) for tangent in tangents], axis=1)
        # A coordinate at its end that would leave is kept there while the other moves on.
        stuck = ((here >= 1) & (pull > 0)) | ((here <= -1) & (pull < 0))
        pull[stuck] = 0.0
        flat = _without(
            stuck,
            _dot(tangents[0], tangents[0]),
            _dot(tangents[0], tangents[1]),
            _dot(tangents[1], tangents[1]),
        )
        bent = found[:, 0, :, 2], found[:, 1, :, 1], found[:, 2, :, 0]
        curved = _without(
            stuck, *(own - _dot(each, away) for own, each in zip(flat, bent, strict=True))
        )
        down = _leads_down(curved, flat)
        one, mixed, two = (np.where(down, *pair) for pair in zip(curved, flat, strict=True))
        whole = _determinant((one, mixed, two))
        whole = np.where(np.abs(whole) < _NOTHING, _NOTHING, whole)
        step = np.stack(
            [two * pull[:, 0] - mixed * pull[:, 1], one * pull[:, 1] - mixed * pull[:, 0]]
        )
        step = (step / whole).T
        at[moving] = np.clip(here + np.clip(step, -1.0, 1.0), -1.0, 1.0)
        moving = moving[np.abs(at[moving] - here).max(axis=1) >= _STILL]
        if not len(moving):
            break
    value_1, value_2 = np.split(lagrange(nodes, at.T.ravel())[0], 2)
    shape = (value_2[:, :, None] * value_1[:, None]).reshape(size, count * count)
    return shape, np.einsum("nk,nkd->nd", shape, positions)


_Entries = tuple[Array, Array, Array]
"""Of symmetric matrices ``(n, 2, 2)``: along the first coordinate, mixed, along the second."""


def _dot(one: Array, other: Array) -> Array:
    return np.asarray(np.einsum("nd,nd->n", one, other))


def _without(stuck: NDArray[np.bool_], first: Array, mixed: Array, second: Array) -> _Entries:
    """Matrices by which what is stuck stays, and what is not moves by itself."""
    return (
        np.where(stuck[:, 0], 1.0, first + _LEAST),
        np.where(stuck.any(axis=1), 0.0, mixed),
        np.where(stuck[:, 1], 1.0, second + _LEAST),
    )


def _determinant(matrices: _Entries) -> Array:
    first, mixed, second = matrices
    return first * second - mixed * mixed


def _leads_down(curved: _Entries, flat: _Entries) -> NDArray[np.bool_]:
    """Whether steps by matrices lead down, alone and together, and not too far."""
    alone = (curved[0] > _LEAST_CURVED * flat[0]) & (curved[2] > _LEAST_CURVED * flat[2])
    return np.asarray(alone & (_determinant(curved) > _LEAST_CURVED**2 * _determinant(flat)))
