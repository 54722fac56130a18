"""Where on walls the error of modes is, and smaller elements there alone."""

from __future__ import annotations

from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.discretisation import Discretisation, SurfacePlan
from belltone.mesh.surface import SurfaceMesh
from belltone.modes.solution import Solution, missed

__all__ = ["divided_where_wrong"]

Array = NDArray[np.float64]

_SHARE: Final = 0.9  # of the error that the edges divided further carry
_LONG: Final = 4.0  # times the other side; an element so long is divided along it alone
_KINDS: Final = 2  # membrane and bending; that of shear swings from order to order in thin walls


def divided_where_wrong(
    lower: Solution, higher: Solution, wrong: NDArray[np.bool_]
) -> Discretisation:
    """Plans with twice the elements along those edges of blocks where most of the error is.

    ``higher`` is a solution on the same elements at the next order, ``wrong`` (modes,) tells which
    of the modes of ``lower`` count. The error is what the next order adds to their shapes, by its
    energy in each element (P. Ladeveze and J. P. Pelle, "Mastering Calculations in Linear and
    Nonlinear Mechanics", 2005, on errors by place), as a share of each mode's own.
    """
    level = higher.level
    own, added = missed(lower, higher)
    system = level.system
    wholes = sum(energy.sum(axis=(1, 2)) for energy in _energies(higher, own[:, wrong]))
    walls = [
        (body.mesh, energy[:, :, :_KINDS].sum(axis=2))
        for body, energy in zip(system.bodies, _energies(higher, added[:, wrong]), strict=True)
        if isinstance(body.mesh, SurfaceMesh)
    ]
    errors = [
        _by_class(mesh, np.sum(energy / np.maximum(wholes, 1e-300)[:, None], axis=0))
        for mesh, energy in walls
    ]
    flat = np.concatenate(errors)
    order = np.argsort(-flat, kind="stable")
    carried = np.cumsum(flat[order])
    marked = np.zeros(len(flat), bool)
    marked[order[: 1 + int(np.searchsorted(carried, _SHARE * carried[-1]))]] = True
    plans: list[SurfacePlan] = []
    first = 0
    for plan in lower.level.discretisation.plans:
        here = marked[first : first + len(plan.counts)]
        first += len(plan.counts)
        times = tuple(plan.divided(number) * (2 if more else 1) for number, more in enumerate(here))
        plans.append(replace(plan, times=times))
    return replace(lower.level.discretisation, plans=tuple(plans))


def _energies(solution: Solution, vectors: Array) -> list[Array]:
    """Energies by kind of every element of every body ``(modes, elements, kinds)``."""
    system = solution.level.system
    motions = system.node_motions(vectors)
    return [body.elements.strain_energy(body.motions(motions)) for body in system.bodies]


def _by_class(mesh: SurfaceMesh, errors: Array) -> Array:
    """The errors of elements ``(elements,)`` by the classes of edges whose counts are to rise."""
    classes = mesh.blocks.edge_classes()
    found = np.zeros(classes.count)
    order = mesh.order
    corners = mesh.coordinates[mesh.connectivity].reshape(-1, order + 1, order + 1, 3)
    wide = np.linalg.norm(np.diff(corners, axis=2), axis=3).sum(axis=2).mean(axis=1)
    high = np.linalg.norm(np.diff(corners, axis=1), axis=3).sum(axis=1).mean(axis=1)
    for number, block in enumerate(mesh.blocks.blocks):
        here = mesh.block == number
        a, b, _, d = block.vertices
        across, _ = classes.of(a, b)
        up, _ = classes.of(a, d)
        found[across] += errors[here & (high < _LONG * wide)].sum()
        found[up] += errors[here & (wide < _LONG * high)].sum()
    return found
