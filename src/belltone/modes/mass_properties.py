"""Mass, centre and inertia of the whole component, and how much of it each mode moves."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.elements.directors import cross_matrices
from belltone.system.kinds import lone_body
from belltone.system.lumps import lump_of

if TYPE_CHECKING:
    from belltone.system.assembly import System

__all__ = ["MassProperties", "effective_masses", "mass_properties", "part_masses"]

Array = NDArray[np.float64]


@dataclass(frozen=True)
class MassProperties:
    """Mass (kg), centre of gravity (m, sheet axes), inertia (3, 3) about the centre (kg m²)."""

    mass: float
    centre: Array
    inertia: Array


def mass_properties(design: Design) -> MassProperties:
    """Compute the component's mass properties, lumped masses included, without any matrices."""
    bodies = {part.name: lone_body(part) for part in design.parts}
    total = np.zeros((6, 6))
    for body in bodies.values():
        elements = body.elements
        total += elements.inertia().moved_as_one(elements.positions, elements.directors)
    for hung in design.masses:
        lump = lump_of(hung, bodies[hung.place.part].site(hung.place))
        total += lump.form.moved_as_one(lump.positions(None), lump.directors(None))
    return _properties(total)


def part_masses(design: Design) -> dict[str, float]:
    """Mass of each part by name (kg), without what hangs on it."""
    return {part.name: float(lone_body(part).elements.inertia().uu.sum()) for part in design.parts}


def _properties(rigid_mass: Array) -> MassProperties:
    mass = float(rigid_mass[0, 0])
    if mass <= 0:
        return MassProperties(mass, np.zeros(3), rigid_mass[3:, 3:])
    # The lower left block is the mass times the cross matrix of the centre.
    static = rigid_mass[3:, :3] / mass
    centre = np.array([static[2, 1], static[0, 2], static[1, 0]])
    arm = cross_matrices(centre)
    return MassProperties(mass, centre, rigid_mass[3:, 3:] - mass * arm.T @ arm)


def effective_masses(system: System, vectors: Array) -> Array:
    """Effective masses (kg) along x y z and inertias (kg m²) about axes through the centre.

    ``vectors`` (permitted, modes) are orthonormal in the mass; the result is ``(modes, 6)``. The
    participation factor of mode i in direction d is phi_i' M r_d, and its square the effective
    mass (R. W. Clough and J. Penzien, Dynamics of Structures, section 12-3). Over all modes they
    add up to what is not rigidly held.
    """
    centre = _properties(system.rigid_mass).centre
    participation = vectors.T @ system.coupling
    # A turn about the centre is a turn about the origin less the slide it makes there.
    participation[:, 3:] -= participation[:, :3] @ cross_matrices(centre).T
    return np.asarray(participation**2)
