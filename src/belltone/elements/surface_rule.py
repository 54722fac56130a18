"""Where the strains of a wall's element are taken, and how they are spread from there."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.quadrature import gauss, lagrange, lobatto

__all__ = ["Grid", "Rule", "rule_of"]

Array = NDArray[np.float64]

_UNTIED: Final = 0.15  # share of strain 12 that is not tied; its square counts in the energy


@dataclass(frozen=True)
class Grid:
    """Shape functions and slopes along both coordinates on a grid, each ``(points, nodes)``."""

    values: Array
    slopes: tuple[Array, Array]


@dataclass(frozen=True)
class Rule:
    """Everything at one order that does not depend on the geometry.

    ``sources`` gives for each strain 11, 22, 12, 13, 23 the place of its grid in ``grids``;
    ``spread`` the interpolation from there to the integration points, ``onto`` that of shape
    functions and both their slopes there, ``(grid, points nodes)``, and ``pairs`` the products
    of shape functions ``(points, nodes²)`` in the strain's second variation there. ``to_nodes``
    reads at the nodes what is known at the integration points.
    """

    grids: tuple[Grid, ...]
    sources: tuple[int, ...]
    spread: tuple[Array, ...]
    onto: tuple[tuple[Array, ...], ...]
    pairs: tuple[Array, ...]
    at_points: Grid
    weights: Array
    to_nodes: Array


@cache
def rule_of(order: int) -> Rule:
    """The rule of one order; made once."""
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
        # Strain 12 at its own points alone does not see a motion that is a Legendre polynomial
        # along both coordinates; stress stiffness does, and would let long thin elements buckle.
        joined = Grid(
            np.vstack([grids[2].values, at_points.values]),
            (
                np.vstack([grids[2].slopes[0], at_points.slopes[0]]),
                np.vstack([grids[2].slopes[1], at_points.slopes[1]]),
            ),
        )
        grids = (*grids[:2], joined)
        spread = (
            *spread[:2],
            np.hstack([(1 - _UNTIED) * spread[2], _UNTIED * np.eye(len(full) ** 2)]),
        )
    pairs = tuple(_pair_table(grids[source], place) for place, source in enumerate(sources))
    onto = tuple(
        tuple(
            np.ascontiguousarray((spread[source][:, None] * shape.T).reshape(-1, len(shape)).T)
            for shape in (grids[source].values, *grids[source].slopes)
        )
        for source in sources
    )
    line, _ = lagrange(full, nodes)
    to_nodes = _kron(line, line)
    return Rule(grids, sources, spread, onto, pairs, at_points, _kron(weights, weights), to_nodes)


def _grid(order: int, first: Array, second: Array) -> Grid:
    nodes = lobatto(order)
    value_1, slope_1 = lagrange(nodes, first)
    value_2, slope_2 = lagrange(nodes, second)
    return Grid(_kron(value_2, value_1), (_kron(value_2, slope_1), _kron(slope_2, value_1)))


def _kron(second: Array, first: Array) -> Array:
    """Products over both coordinates, the first running fastest."""
    return np.asarray(np.kron(second, first), float)


def _pair_table(grid: Grid, place: int) -> Array:
    """Products of shape functions in strain 11, 22, 12, 13 or 23, ``(points, nodes²)``."""
    first, second = grid.slopes
    if place == 2:
        table = first[:, :, None] * second[:, None] + second[:, :, None] * first[:, None]
    elif place < 2:
        slope = grid.slopes[place]
        table = slope[:, :, None] * slope[:, None]
    else:
        table = grid.slopes[place - 3][:, :, None] * grid.values[:, None]
    return np.asarray(table.reshape(len(table), -1))
