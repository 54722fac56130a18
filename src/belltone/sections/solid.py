"""Sections of any solid outline: torsion constant, shear factors and centre by finite elements.

Torsion: the warping w of Saint-Venant; shear: the potentials with a flow that carries the change
of bending stress, Poisson's ratio left out (W. D. Pilkey, Analysis and Design of Elastic Beams,
chapters 5 and 6). Quadratic triangles on a triangulation of the outline, refined evenly.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.sections.thin_walled import FlowValues

__all__ = ["ear_clipped", "outline_flows", "outline_moments"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]
Outline = tuple[tuple[float, float], ...]

_TRIANGLES = 2500  # aimed at; measured, torsion is then right to 2e-4 with re-entrant corners


def outline_moments(outline: Outline) -> tuple[float, Array, Array]:
    """Area (m², above 0 when counter-clockwise), centroid, second moments about it (m⁴)."""
    here = np.array(outline)
    there = np.roll(here, -1, axis=0)
    cross = here[:, 0] * there[:, 1] - here[:, 1] * there[:, 0]
    area = 0.5 * float(cross.sum())
    centre = cross @ (here + there) / (6 * area)
    here, there = here - centre, there - centre
    cross = here[:, 0] * there[:, 1] - here[:, 1] * there[:, 0]
    pairs = np.einsum("ni,nj->nij", here, here) + np.einsum("ni,nj->nij", there, there)
    both = here + there
    pairs = pairs + np.einsum("ni,nj->nij", both, both)
    return area, centre, np.asarray(np.einsum("n,nij->ij", cross, pairs) / 24)


@lru_cache(maxsize=64)
def outline_flows(outline: Outline) -> FlowValues:
    """Torsion constant, shear factors and shear centre of a counter-clockwise outline."""
    area, centre, second = outline_moments(outline)
    places, triangles = _refined(np.array(outline) - centre, area)
    gradient, weight, shape, at = _quadratic(places, triangles)
    count = len(places)
    stiffness = np.einsum("tqid,tqjd,tq->tij", gradient, gradient, weight)
    rows = np.repeat(triangles, 6, axis=1).ravel()
    columns = np.tile(triangles, (1, 6)).ravel()
    matrix = scipy.sparse.csc_matrix(scipy.sparse.coo_matrix((stiffness.ravel(), (rows, columns))))
    # Twisting moves a point along (-z, y).
    sliding = np.stack([-at[..., 1], at[..., 0]], axis=-1)
    loads = np.zeros((count, 3))
    loads[:, 0] = _gathered(np.einsum("tqid,tqd,tq->ti", gradient, sliding, weight), triangles)
    for axis in (0, 1):
        load = np.einsum("qi,tq,tq->ti", shape, at[..., axis], weight)
        loads[:, 1 + axis] = _gathered(load, triangles)
    potentials = np.zeros((count, 3))
    potentials[1:] = scipy.sparse.linalg.spsolve(matrix[1:, 1:], loads[1:])
    local = potentials[triangles]
    slopes = np.einsum("tqid,tia->atqd", gradient, local)
    stress = sliding - slopes[0]
    torsion = float(np.sum(weight[..., None] * stress * sliding))
    flexible = np.einsum("atqd,btqd,tq->ab", slopes[1:], slopes[1:], weight)
    moments = np.einsum("atqd,tqd,tq->a", slopes[1:], sliding, weight)
    inverse = np.linalg.inv(second)
    shear = inverse @ flexible @ inverse
    torque = moments @ inverse
    peaks = np.linalg.norm(np.einsum("ab,btqd->atqd", inverse, slopes[1:]), axis=3).max(axis=(1, 2))
    return FlowValues(
        torsion,
        float(1 / (area * shear[0, 0])),
        float(1 / (area * shear[1, 1])),
        (float(torque[1]), float(-torque[0])),
        float(np.linalg.norm(stress, axis=2).max() / torsion),
        (float(peaks[0]), float(peaks[1])),
    )


def _gathered(loads: Array, triangles: IntArray) -> Array:
    total = np.zeros(int(triangles.max()) + 1)
    np.add.at(total, triangles, loads)
    return total


def _refined(corners: Array, area: float) -> tuple[Array, IntArray]:
    """Quadratic triangles: corner and mid-side nodes."""
    triangles = ear_clipped(corners)
    places = corners
    while len(triangles) < _TRIANGLES:
        places, six = _with_middles(places, triangles)
        a, b, c, d, e, f = six.T
        triangles = np.concatenate(
            [np.column_stack(part) for part in ((a, d, f), (d, b, e), (f, e, c), (d, e, f))]
        )
    return _with_middles(places, triangles)


def _with_middles(places: Array, triangles: IntArray) -> tuple[Array, IntArray]:
    sides = np.sort(triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    pairs, number = np.unique(sides, axis=0, return_inverse=True)
    middles = places[pairs].mean(axis=1)
    six = np.column_stack([triangles, len(places) + number.reshape(-1, 3)])
    return np.concatenate([places, middles]), six


def _quadratic(places: Array, triangles: IntArray) -> tuple[Array, Array, Array, Array]:
    """Gradients, weights, shape functions and places at a six-point rule of degree four."""
    a, b = 0.445948490915965, 0.091576213509771
    first, second = 0.223381589678011, 0.109951743655322
    points = np.array(
        [[a, a], [1 - 2 * a, a], [a, 1 - 2 * a], [b, b], [1 - 2 * b, b], [b, 1 - 2 * b]]
    )
    weights = 0.5 * np.array([first] * 3 + [second] * 3)
    x, y = points.T
    z = 1 - x - y
    shape = np.column_stack(
        [z * (2 * z - 1), x * (2 * x - 1), y * (2 * y - 1), 4 * z * x, 4 * x * y, 4 * y * z]
    )
    zero = np.zeros_like(x)
    by_x = np.column_stack([1 - 4 * z, 4 * x - 1, zero, 4 * (z - x), 4 * y, -4 * y])
    by_y = np.column_stack([1 - 4 * z, zero, 4 * y - 1, -4 * x, 4 * x, 4 * (z - y)])
    corners = places[triangles[:, :3]]
    edges = np.stack([corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]], axis=1)
    inverse = np.linalg.inv(edges)
    size = np.abs(np.linalg.det(edges))
    gradient = np.einsum("tdk,qik->tqid", inverse, np.stack([by_x, by_y], axis=-1))
    at = np.einsum("qi,tid->tqd", shape, places[triangles])
    return gradient, size[:, None] * weights, shape, at


def ear_clipped(corners: Array) -> IntArray:
    """Triangles of a simple counter-clockwise polygon, by cutting off ears."""
    left = list(range(len(corners)))
    triangles: list[tuple[int, int, int]] = []

    def cross(a: int, b: int, c: int) -> float:
        one, two = corners[b] - corners[a], corners[c] - corners[a]
        return float(one[0] * two[1] - one[1] * two[0])

    while len(left) > 3:
        best: tuple[float, int] | None = None
        for place in range(len(left)):
            a, b, c = left[place - 1], left[place], left[(place + 1) % len(left)]
            if cross(a, b, c) <= 0:
                continue
            others = [k for k in left if k not in (a, b, c)]
            if any(
                cross(a, b, k) >= 0 and cross(b, c, k) >= 0 and cross(c, a, k) >= 0 for k in others
            ):
                continue
            # The ear nearest to an even triangle keeps slivers away.
            sides = [np.linalg.norm(corners[i] - corners[j]) for i, j in ((a, b), (b, c), (c, a))]
            quality = cross(a, b, c) / float(max(sides)) ** 2
            if best is None or quality > best[0]:
                best = (quality, place)
        if best is None:
            raise ValueError("the outline crosses itself")
        place = best[1]
        triangles.append((left[place - 1], left[place], left[(place + 1) % len(left)]))
        del left[place]
    triangles.append((left[0], left[1], left[2]))
    return np.array(triangles, dtype=np.intp)
