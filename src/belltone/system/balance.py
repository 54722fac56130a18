"""What a loaded state is, why there may be none, and what every way to one needs."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.preload import RPM, PreloadValue
from belltone.elements.directors import unturned
from belltone.sheet.units import format_number
from belltone.system.assembly import Assembly, System
from belltone.system.bodies import Body
from belltone.system.factor import Factor
from belltone.system.pose import Pose

__all__ = [
    "BuckledError",
    "Equilibrium",
    "Grounded",
    "LostPathError",
    "UnbalancedError",
    "stress_forces",
    "with_swings",
]

Array = NDArray[np.float64]
Matrix = scipy.sparse.csc_matrix

_UNBALANCED: Final = 1e-6  # of the load; a free component can be under a load that balances itself
_SWING: Final = 1e-11  # relative; less stiffness than this is rounding


class BuckledError(ArithmeticError):
    """The preload is more than the component bears in this shape.

    ``fraction`` of the load at which the shape stops being stable; ``None`` where only the whole
    load was looked at. ``spun`` is the speed (rad/s) of a spin that is all there is of the load.
    """

    def __init__(self, fraction: float | None = None, spun: float = 0.0) -> None:
        self.fraction = fraction
        if fraction is not None and spun:
            # The load of a spin grows with the square of its speed.
            share = math.sqrt(fraction)
            critical = f"{format_number(share * spun / RPM, 4)} rpm"
            super().__init__(
                f"too fast: from {critical} on, {share * 100:.3g} % of this speed, the spin "
                "outweighs what holds the component; only gyroscopic forces (“gyroscopic = true”, "
                "left out here) could keep it in place"
            )
            return
        where = "under this load: there"
        if fraction is not None:
            where = f"at {fraction * 100:.3g} % of this load: beyond that"
        super().__init__(
            f"buckled {where} the shape it was made in is not stable, and has no natural "
            "frequencies"
        )


class UnbalancedError(ArithmeticError):
    """The preload moves the component as a whole, or could not be followed to its end."""


class LostPathError(UnbalancedError):
    """The preload could not be followed to its end; on a finer mesh it may be."""


@dataclass(frozen=True)
class Equilibrium:
    """A loaded state, and the system that vibrates about it.

    ``stress_stiffness`` is what stress and loads add to the stiffness, on the permitted motions;
    the system's own stiffness has it already. ``motions`` ``(nodes, 6)`` are displacements (m) and
    rotation vectors (rad). ``forces`` are the external ones on all unknowns, ``residual`` those the
    supports and joints balance. ``initial`` is the warmth (K) and pull (N) of each part.
    ``elastic_factor`` are the factors of ``elastic``; of a state that was followed (it has a
    ``pose``) those of the last tangent. ``snapped`` is the fraction of the load at which the path
    first turned round, ``history`` the (fraction, iterations) of every step. ``held`` tells that
    nothing of the component is free to move as one; else the factors leave some unknowns out.
    """

    system: System
    elastic: Matrix
    stress_stiffness: Matrix
    motions: Array
    pose: Pose | None
    forces: Array
    residual: Array
    initial: tuple[tuple[float, float], ...]
    elastic_factor: Factor
    snapped: float | None = None
    history: tuple[tuple[float, int], ...] = ()
    held: bool = True

    @property
    def onward(self) -> Array | None:
        """Node motions ``(nodes, 6)`` a similar design may begin from; ``None`` of small ones.

        A path that has snapped may not lead to the same side elsewhere, and is followed again.
        """
        if self.pose is None or self.snapped is not None:
            return None
        return np.hstack([self.pose.displacements, unturned(self.pose.turned)])


def with_swings(system: System, preload: PreloadValue) -> System:
    """The system with those motions among the flexible ones that only the load stiffens.

    A pendulum is one. Motions the load does not stiffen stay rigid; so do those that spin alone
    softens, which gyroscopic forces would hold.
    """
    rigid = system.rigid
    if not rigid.shape[1] or system.stress_stiffness is None:
        return system
    values, turn = np.linalg.eigh(rigid.T @ np.asarray(system.stress_stiffness @ rigid))
    sizes = np.abs(rigid @ turn)
    # What its single terms add up to without their signs, of which rounding leaves a little.
    least = _SWING * np.einsum("ik,ik->k", sizes, np.asarray(abs(system.stress_stiffness) @ sizes))
    spins = preload.spin is not None and preload.spin.speed > 0
    if np.any(values < -least) and not spins:
        worst = int(np.argmax(np.abs(turn[:, 0])))
        raise UnbalancedError(
            f"the loaded state is not stable: it {system.rigid_names[worst]} by itself, as a "
            "weight that stands on a hinge does"
        )
    swings = values > least
    if not swings.any():
        return system
    kept = turn[:, ~swings]
    names = tuple(system.rigid_names[int(np.argmax(np.abs(column)))] for column in kept.T)
    return replace(system, rigid=rigid @ kept, rigid_names=names)


def stress_forces(
    assembly: Assembly,
    bodies: tuple[Body, ...],
    motions: Array | None,
    initial: list[tuple[float, float]],
    at_rest: bool = False,
) -> tuple[Array, Matrix]:
    """Forces and stiffness of stress: of small motions, of none, or of the bodies' own pose."""
    found = []
    whole = None if motions is None else motions.reshape(1, -1, 6)
    for body, (heat, pull) in zip(bodies, initial, strict=True):
        own = None if whole is None else body.motions(whole)[0]
        if at_rest:
            elements, nodes = body.mesh.connectivity.shape
            own = np.zeros((elements, 6 * nodes))
        found.append(body.elements.stressed(own, heat, pull))
    return (
        assembly.gathered([own.forces for own in found]),
        assembly.scattered([own.stiffness for own in found]),
    )


class Grounded:
    """Leaves out as many unknowns as there are rigid motions, so that a load can be solved for.

    The load must balance itself; then it does not matter which ones.
    """

    def __init__(self, system: System, forces: Array) -> None:
        rigid = system.rigid
        self._size, self._chosen = rigid.shape[0], np.arange(rigid.shape[0])
        if not rigid.shape[1]:
            return
        full = np.asarray(system.free.basis @ rigid)
        work = np.abs(full.T @ forces)
        # All that the forces could do on motions of this size, whichever way they point.
        most = sum(
            np.linalg.norm(full.reshape(-1, 6, full.shape[1])[:, half], axis=1).T
            @ np.linalg.norm(forces.reshape(-1, 6)[:, half], axis=1)
            for half in (slice(0, 3), slice(3, 6))
        )
        moved = np.flatnonzero(work > _UNBALANCED * np.maximum(most, 1e-300))
        if len(moved):
            name = system.rigid_names[moved[0]].removeprefix("mechanism: ")
            who = name if name.startswith("“") else f"the component {name}"
            raise UnbalancedError(
                f"the preload is not balanced: under it {who}, and nothing holds that; hold that "
                "motion, or balance the load"
            )
        _, _, order = scipy.linalg.qr(rigid.T, pivoting=True, mode="economic")
        self._chosen = np.sort(order[rigid.shape[1] :])

    def part(self, matrix: Matrix) -> Matrix:
        """A matrix without what is left out."""
        if len(self._chosen) == self._size:
            return matrix
        return scipy.sparse.csc_matrix(matrix[self._chosen][:, self._chosen])

    def solved(self, factor: Factor, right: Array) -> Array:
        """The solution, zero where unknowns are left out."""
        result = np.zeros(self._size)
        result[self._chosen] = factor.solve(right[self._chosen][:, None])[:, 0]
        return result
