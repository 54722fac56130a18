"""Where on walls the error of modes is, and smaller elements there alone.

Where a mode is known again at the next order, its error is what that order adds to it. Where it is
not, how its energy falls with the degrees of its strains, along either side of an element, tells
where elements are too large for its waves.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.elements.surface import SurfaceElements
from belltone.mesh.discretisation import Discretisation, SurfacePlan
from belltone.mesh.surface import SurfaceMesh
from belltone.modes.solution import Solution, missed

__all__ = ["divided_where_short", "divided_where_wrong", "shortfalls"]

Array = NDArray[np.float64]

_SHARE: Final = 0.9  # of the error that the edges divided further carry
_LONG: Final = 4.0  # times the other side; an element so long is divided along it alone
_KINDS: Final = 2  # membrane and bending; that of shear swings from order to order in thin walls
_HALF: Final = 0.5  # of the largest shortfall; what is larger is divided whatever is asked for
_PAIR: Final = 2  # degrees of strains; a mode that is even or odd in an element has every other


def divided_where_wrong(
    lower: Solution, higher: Solution, wrong: NDArray[np.bool_]
) -> Discretisation:
    """Plans with twice the elements along those edges of blocks where most of the error is.

    ``higher`` is a solution on the same elements at the next order, ``wrong`` (modes,) tells which
    of the modes of ``lower`` count. The error is what the next order adds to their shapes, by its
    energy in each element (P. Ladeveze and J. P. Pelle, "Mastering Calculations in Linear and
    Nonlinear Mechanics", 2005, on errors by place), as a share of each mode's own.
    """
    own, added = missed(lower, higher)
    system = higher.level.system
    wholes = sum(energy.sum(axis=(1, 2)) for energy in _energies(higher, own[:, wrong]))
    walls = [
        (
            body.mesh,
            np.sum(energy[:, :, :_KINDS].sum(axis=2) / np.maximum(wholes, 1e-300)[:, None], axis=0),
        )
        for body, energy in zip(system.bodies, _energies(higher, added[:, wrong]), strict=True)
        if isinstance(body.mesh, SurfaceMesh)
    ]
    flat = np.concatenate([_by_side(mesh, error) for mesh, error in walls])
    order = np.argsort(-flat, kind="stable")
    carried = np.cumsum(flat[order])
    marked = np.zeros(len(flat), bool)
    marked[order[: 1 + int(np.searchsorted(carried, _SHARE * carried[-1]))]] = True
    return _divided(lower.level.discretisation, marked)


def divided_where_short(level: Discretisation, short: Array, most: float) -> Discretisation:
    """Plans with twice the elements along those edges of blocks that fall short by more than most.

    ``short`` (classes,) is what `shortfalls` found at that level; the shortest are divided however
    much is allowed.
    """
    return _divided(level, short > min(most, _HALF * float(short.max())))


def shortfalls(solution: Solution) -> Array:
    """Share of energy beyond the highest degrees along classes of edges ``(classes,)``.

    Of all walls, one after another, the largest over all that was found, guard vectors too: modes
    may come down from there on smaller elements. It is what the next two degrees of strains would
    have if energy went on falling as it did to the last two (C. Mavriplis, "Adaptive mesh
    strategies for the spectral element method", Comput. Methods Appl. Mech. Engrg. 116 (1994)
    77-86, who reads errors off such spectra).
    """
    system = solution.level.system
    motions = system.node_motions(solution.vectors)
    wholes = sum(energy.sum(axis=(1, 2)) for energy in _energies(solution, solution.vectors))
    shares: list[Array] = []
    for body in system.bodies:
        if not isinstance(body.mesh, SurfaceMesh):
            continue
        assert isinstance(body.elements, SurfaceElements)
        energy = body.elements.energy_by_degree(body.motions(motions))
        last, before = (
            _by_class(
                body.mesh,
                energy[..., degrees].sum(axis=(2, 3)),
                energy[:, :, degrees].sum(axis=(2, 3)),
            )
            for degrees in (slice(-_PAIR, None), slice(-2 * _PAIR, -_PAIR))
        )
        rate = np.minimum(last / np.maximum(before, 1e-300), 1.0)
        found = last * rate / np.maximum(wholes, 1e-300)[:, None]
        shares.append(found.max(axis=0, initial=0.0))
    return np.concatenate(shares)


def _divided(level: Discretisation, marked: NDArray[np.bool_]) -> Discretisation:
    """The same with twice the elements along marked classes of edges, of all plans in a row."""
    plans: list[SurfacePlan] = []
    first = 0
    for plan in level.plans:
        here = marked[first : first + len(plan.counts)]
        first += len(plan.counts)
        times = tuple(plan.divided(number) * (2 if more else 1) for number, more in enumerate(here))
        plans.append(replace(plan, times=times))
    return replace(level, plans=tuple(plans))


def _energies(solution: Solution, vectors: Array) -> list[Array]:
    """Energies by kind of every element of every body ``(modes, elements, kinds)``."""
    system = solution.level.system
    motions = system.node_motions(vectors)
    return [body.elements.strain_energy(body.motions(motions)) for body in system.bodies]


def _by_side(mesh: SurfaceMesh, errors: Array) -> Array:
    """The errors of elements ``(elements,)`` by the classes of edges whose counts are to rise."""
    wide, high = _sides(mesh)
    across, up = errors * (high < _LONG * wide), errors * (wide < _LONG * high)
    return np.asarray(_by_class(mesh, across[None], up[None])[0])


def _by_class(mesh: SurfaceMesh, across: Array, up: Array) -> Array:
    """What elements have across and up ``(modes, elements)``, by classes of edges, summed."""
    classes = mesh.blocks.edge_classes()
    found = np.zeros((len(across), classes.count))
    for number, block in enumerate(mesh.blocks.blocks):
        here = mesh.block == number
        a, b, _, d = block.vertices
        found[:, classes.of(a, b)[0]] += across[:, here].sum(axis=1)
        found[:, classes.of(a, d)[0]] += up[:, here].sum(axis=1)
    return found


def _sides(mesh: SurfaceMesh) -> tuple[Array, Array]:
    """How wide and how high elements are (m), along their first and second direction."""
    count = mesh.order + 1
    corners = mesh.coordinates[mesh.connectivity].reshape(-1, count, count, 3)
    wide = np.linalg.norm(np.diff(corners, axis=2), axis=3).sum(axis=2).mean(axis=1)
    high = np.linalg.norm(np.diff(corners, axis=1), axis=3).sum(axis=1).mean(axis=1)
    return wide, high
