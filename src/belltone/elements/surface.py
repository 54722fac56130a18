"""The surface kernel: a shear-deformable shell of selectable order.

A point of the wall is ``x = sum N_i (r_i + z D_i)`` with the middle surface r, the unit director D
and the distance z from the middle; a node moves by three translations u and three rotations t,
which turn its director by ``t x D``. The covariant strains of the wall at z are

    membrane    A_a.u,b + A_b.u,a
    times z     A_a.d,b + A_b.d,a + D,a.u,b + D,b.u,a
    times z²    D,a.d,b + D,b.d,a
    shear       A_a.d + D.u,a

(the first three halved for a = b) with A = r,a and d = t x D. Against locking each component is
taken on a reduced tensor grid and interpolated: 11 on p Gauss points along the first coordinate and
p + 1 Lobatto points along the second, 22 the reverse, 12 on p x p, shear like 11 and 22. At p = 1
only the shear is reduced: that is the four-node element of E. N. Dvorkin and K.-J. Bathe,
"A continuum mechanics based four-node shell element", Eng. Comput. 1 (1984) 77-88; at p = 2 it is
of the family of M. L. Bucalem and K.-J. Bathe, "Higher-order MITC general shell elements", Int. J.
Numer. Methods Eng. 36 (1993) 3729-3754.

Rotation about the normal (drilling) is tied softly to the in-plane rotation of the surface, so
every rigid motion has exactly no energy (T. J. R. Hughes and F. Brezzi, "On drilling degrees of
freedom", Comput. Methods Appl. Mech. Eng. 72 (1989) 105-121). All work is done for many elements
at once.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.elements.layup import MEASURES, wall_stiffness
from belltone.mesh.quadrature import gauss, lagrange, lobatto
from belltone.sheet.walls import LayupValue

__all__ = ["SURFACE_STRAINS", "SurfaceElements", "SurfaceNodes"]

Array = NDArray[np.float64]

SURFACE_STRAINS = ("membrane", "bending", "shear")
"""The kinds of strain energy of a wall; that of drilling, which is negligible, is membrane."""

_DRILLING: Final = 1e-3  # of the in-plane shear stiffness; ten times more or less moves no digit
_BATCH_NUMBERS: Final = 6_000_000  # numbers held at a time: strains of a batch of elements


@dataclass(frozen=True)
class SurfaceNodes:
    """Geometry at the nodes of elements, each array ``(elements, (p+1)², ...)``.

    Positions of the middle surface (m), unit directors, the axis ply angles count from, and
    thickness (m). Nodes run along the first coordinate fastest.
    """

    order: int
    positions: Array
    directors: Array
    first_axes: Array
    thickness: Array

    def __len__(self) -> int:
        return len(self.positions)

    def part(self, batch: slice) -> SurfaceNodes:
        """Some of the elements."""
        return SurfaceNodes(
            self.order,
            self.positions[batch],
            self.directors[batch],
            self.first_axes[batch],
            self.thickness[batch],
        )


@dataclass(frozen=True)
class _Grid:
    """Shape functions and slopes along both coordinates on a grid, each ``(points, nodes)``."""

    values: Array
    slopes: tuple[Array, Array]


@dataclass(frozen=True)
class _Rule:
    """Everything at one order that does not depend on the geometry.

    ``sources`` gives for each strain 11, 22, 12, 13, 23 the place of its grid in ``grids``;
    ``spread`` the interpolation from there to the integration points.
    """

    grids: tuple[_Grid, ...]
    sources: tuple[int, ...]
    spread: tuple[Array, ...]
    at_points: _Grid
    weights: Array


def _grid(order: int, first: Array, second: Array) -> _Grid:
    nodes = lobatto(order)
    value_1, slope_1 = lagrange(nodes, first)
    value_2, slope_2 = lagrange(nodes, second)
    return _Grid(_kron(value_2, value_1), (_kron(value_2, slope_1), _kron(slope_2, value_1)))


def _kron(second: Array, first: Array) -> Array:
    """Products over both coordinates, the first running fastest."""
    return np.asarray(np.kron(second, first), float)


@cache
def _rule(order: int) -> _Rule:
    full, weights = gauss(order + 1)
    less, nodes = gauss(order)[0], lobatto(order)
    lines = ((less, nodes), (nodes, less), (less, less))
    grids = tuple(_grid(order, *pair) for pair in lines)
    spread = tuple(
        _kron(lagrange(second, full)[0], lagrange(first, full)[0]) for first, second in lines
    )
    at_points = _grid(order, full, full)
    if order == 1:
        # The classical four-node element reduces the shear alone.
        sources: tuple[int, ...] = (3, 3, 3, 0, 1)
        spread = (*spread, np.eye(len(full) ** 2))
        grids = (*grids, at_points)
    else:
        sources = (0, 1, 2, 0, 1)
    return _Rule(grids, sources, spread, at_points, _kron(weights, weights))


class SurfaceElements:
    """Matrices of the elements of one wall, and what their strains are.

    Unknowns of an element are its nodes' translations and rotations, six by six.
    """

    def __init__(self, nodes: SurfaceNodes, layup: LayupValue) -> None:
        self._nodes, self._layup = nodes, layup
        self._rule = _rule(nodes.order)
        self.size = 6 * (nodes.order + 1) ** 2

    def matrices(self) -> tuple[Array, Array]:
        """Stiffness and mass, each ``(elements, size, size)``."""
        stiffness = np.empty((len(self._nodes), self.size, self.size))
        mass = np.empty_like(stiffness)
        for batch in self._batches():
            part = self._nodes.part(batch)
            strains = self._strains(part)
            law, inertia, drilling, twist = self._wall(part)
            flat = strains.reshape(len(part), -1, self.size)
            stressed = np.matmul(law, strains).reshape(flat.shape)
            stiffness[batch] = np.matmul(flat.transpose(0, 2, 1), stressed)
            weighted = twist * drilling[..., None]
            stiffness[batch] += np.matmul(twist.transpose(0, 2, 1), weighted)
            mass[batch] = self._mass(part, inertia)
        return stiffness, mass

    def strain_energy(self, motions: Array) -> Array:
        """Strain energy (J) by kind, ``(modes, elements, 3)``, of ``(modes, elements, size)``."""
        return np.asarray(self._energies(motions).sum(axis=2))

    def energy_density(self, motions: Array) -> Array:
        """Strain energy per area (J/m²) at the nodes of elements, ``(modes, elements, nodes)``."""
        energies = self._energies(motions).sum(axis=-1)
        points, _ = gauss(self._nodes.order + 1)
        line, _ = lagrange(points, lobatto(self._nodes.order))
        areas = self._areas()
        density = energies / (areas * self._rule.weights)
        return np.asarray(density @ np.kron(line, line).T)

    def _areas(self) -> Array:
        tangents = self._tangents(self._nodes, self._rule.at_points)
        crossed = np.cross(tangents[..., 0, :], tangents[..., 1, :])
        return np.asarray(np.linalg.norm(crossed, axis=-1))

    def _energies(self, motions: Array) -> Array:
        """Strain energy at each integration point by kind, ``(modes, elements, points, 3)``."""
        modes, elements = motions.shape[:2]
        result = np.empty((modes, elements, len(self._rule.weights), 3))
        for batch in self._batches():
            part = self._nodes.part(batch)
            law, _, drilling, twist = self._wall(part)
            moved = motions[:, batch].transpose(1, 2, 0)
            strains = self._strains(part).reshape(len(part), -1, self.size) @ moved
            strains = strains.reshape(len(part), -1, MEASURES, modes)
            work = 0.5 * strains * np.matmul(law, strains)
            drill = 0.5 * drilling[..., None] * (twist @ moved) ** 2
            parts = (
                work[:, :, :3].sum(axis=2) + drill,
                work[:, :, 3:9].sum(axis=2),
                work[:, :, 9:].sum(axis=2),
            )
            result[:, batch] = np.stack(parts, axis=-1).transpose(2, 0, 1, 3)
        return result

    def _batches(self) -> Iterator[slice]:
        numbers = MEASURES * len(self._rule.weights) * self.size + self.size**2
        step = max(1, _BATCH_NUMBERS // numbers)
        for start in range(0, len(self._nodes), step):
            yield slice(start, start + step)

    @staticmethod
    def _tangents(nodes: SurfaceNodes, grid: _Grid) -> Array:
        return np.stack([np.matmul(slope, nodes.positions) for slope in grid.slopes], axis=-2)

    def _strains(self, nodes: SurfaceNodes) -> Array:
        """Generalised strains of unit motions, ``(elements, points, 11, size)``."""
        rule = self._rule
        elements, count = nodes.positions.shape[:2]
        result = np.empty((elements, len(rule.weights), MEASURES, count, 6))
        at_grid = [self._covariant(nodes, grid) for grid in rule.grids]
        for place, pair in enumerate(((0, 0), (1, 1), (0, 1))):
            terms = at_grid[rule.sources[place]].stretch(*pair)
            spread = rule.spread[rule.sources[place]]
            for power, term in enumerate(terms):
                result[:, :, 3 * power + place] = _spread(spread, term)
        for place, direction in ((3, 0), (4, 1)):
            term = at_grid[rule.sources[place]].slide(direction)
            result[:, :, 6 + place] = _spread(rule.spread[rule.sources[place]], term)
        return result.reshape(elements, len(rule.weights), MEASURES, 6 * count)

    def _covariant(self, nodes: SurfaceNodes, grid: _Grid) -> _Covariant:
        return _Covariant(
            grid,
            nodes.directors,
            self._tangents(nodes, grid),
            np.matmul(grid.values, nodes.directors),
            np.stack([np.matmul(slope, nodes.directors) for slope in grid.slopes], axis=-2),
        )

    def _wall(self, nodes: SurfaceNodes) -> tuple[Array, Array, Array, Array]:
        """Weighted stiffness and inertia at the integration points, and the drilling's."""
        rule, grid = self._rule, self._rule.at_points
        tangents = self._tangents(nodes, grid)
        director = np.matmul(grid.values, nodes.directors)
        slopes = np.stack([np.matmul(slope, nodes.directors) for slope in grid.slopes], axis=-2)
        thickness = np.matmul(nodes.thickness, grid.values.T)
        axis = np.matmul(grid.values, nodes.first_axes)
        wall = wall_stiffness(self._layup, thickness, tangents, director, slopes, axis)
        crossed = np.cross(tangents[..., 0, :], tangents[..., 1, :])
        area = np.linalg.norm(crossed, axis=-1)
        normal = crossed / area[..., None]
        drilling = _DRILLING * self._layup.drilling_modulus * thickness * area * rule.weights
        return (
            wall.stiffness * rule.weights[:, None, None],
            wall.inertia * rule.weights[:, None],
            drilling,
            _twist(grid, tangents, normal),
        )

    def _mass(self, nodes: SurfaceNodes, inertia: Array) -> Array:
        """Consistent mass with full rotary inertia: density times ``u + z t x D``."""
        values = self._rule.at_points.values
        count = values.shape[1]
        weighted = np.einsum("eqk,qi,qj->ekij", inertia, values, values, optimize=True)
        turn = _cross_matrices(nodes.directors)  # director crossed with anything
        mass = np.zeros((len(nodes), count, 6, count, 6))
        for axis in range(3):
            mass[:, :, axis, :, axis] = weighted[:, 0]
        # u_i . (t_j x D_j) = -u_i . (D_j x t_j)
        mixed = -weighted[:, 1, :, :, None, None] * turn[:, None]
        mass[:, :, :3, :, 3:] = mixed.transpose(0, 1, 3, 2, 4)
        mass[:, :, 3:, :, :3] = mixed.transpose(0, 2, 4, 1, 3)
        both = np.einsum("eij,eixa,ejxb->eiajb", weighted[:, 2], turn, turn, optimize=True)
        mass[:, :, 3:, :, 3:] = both
        return mass.reshape(len(nodes), self.size, self.size)


@dataclass(frozen=True)
class _Covariant:
    """Base vectors on a grid, and the strains of unit node motions there."""

    grid: _Grid
    directors: Array
    tangents: Array
    director: Array
    director_slopes: Array

    def stretch(self, a: int, b: int) -> tuple[Array, Array, Array]:
        """Strain ab (engineering for a != b) without, with z and with z²."""
        first = self._pair(a, b)
        if a == b:
            return first
        return tuple(x + y for x, y in zip(first, self._pair(b, a), strict=True))  # type: ignore[return-value]

    def _pair(self, a: int, b: int) -> tuple[Array, Array, Array]:
        slope = self.grid.slopes[b]
        base, turned = self.tangents[..., a, :], self.director_slopes[..., a, :]
        zero = np.zeros_like
        along = _outer(slope, base)
        bent = _outer(slope, turned)
        return (
            np.concatenate([along, zero(along)], axis=-1),
            np.concatenate([bent, self._turning(slope, base)], axis=-1),
            np.concatenate([zero(bent), self._turning(slope, turned)], axis=-1),
        )

    def slide(self, a: int) -> Array:
        """Transverse shear along coordinate a."""
        base = self.tangents[..., a, :]
        return np.concatenate(
            [
                _outer(self.grid.slopes[a], self.director),
                self._turning(self.grid.values, base),
            ],
            axis=-1,
        )

    def _turning(self, shape: Array, base: Array) -> Array:
        """``base . (t x D) = t . (D x base)`` for each node's rotation."""
        return shape[None, ..., None] * np.cross(self.directors[:, None], base[:, :, None])


def _outer(shape: Array, base: Array) -> Array:
    return np.asarray(shape[None, ..., None] * base[:, :, None])


def _spread(matrix: Array, term: Array) -> Array:
    """Interpolate ``(elements, grid, nodes, 6)`` to the integration points."""
    elements, grid = term.shape[:2]
    spread = np.matmul(matrix, term.reshape(elements, grid, -1))
    return np.asarray(spread.reshape(elements, len(matrix), *term.shape[2:]))


def _twist(grid: _Grid, tangents: Array, normal: Array) -> Array:
    """Rotation about the normal less the in-plane rotation of the surface, of unit motions.

    With dual vectors A^a the in-plane rotation is half of ``n . sum(A^a x u,a)``.
    """
    area = np.sum(normal * np.cross(tangents[..., 0, :], tangents[..., 1, :]), axis=-1)
    # n x A^1 and n x A^2 follow from the tangents without inverting the metric.
    dual_1 = np.cross(tangents[..., 1, :], normal) / area[..., None]
    dual_2 = np.cross(normal, tangents[..., 0, :]) / area[..., None]
    around = [np.cross(normal, dual) for dual in (dual_1, dual_2)]
    sliding = sum(
        _outer(slope, -0.5 * direction)
        for slope, direction in zip(grid.slopes, around, strict=True)
    )
    turning = grid.values[None, ..., None] * normal[:, :, None]
    both = np.concatenate([sliding, turning], axis=-1)
    return both.reshape(*both.shape[:2], -1)


def _cross_matrices(vectors: Array) -> Array:
    """Matrices ``(..., 3, 3)`` that take b to ``vector x b``."""
    result = np.zeros((*vectors.shape, 3))
    for i, j, k in ((0, 1, 2), (1, 2, 0), (2, 0, 1)):
        result[..., i, j] = -vectors[..., k]
        result[..., j, i] = vectors[..., k]
    return result
