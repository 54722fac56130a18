"""The line kernel: a shear-deformable spatial beam of selectable order.

Unknowns at a node are three translations and three rotations in the sheet's axes. Strains are
those of J. C. Simo, "A finite strain beam formulation", Comput. Methods Appl. Mech. Eng. 49 (1985)
55-70, and E. Reissner (1981), for small motions:

    gamma = R (u' - theta x t),    kappa = R theta'

with the unit tangent t, the frame R (rows: axis, side, up) and ' along the axis. Strains are
taken at p Gauss points at order p, one fewer than a full rule, and interpolated between them:
that keeps slender members free of shear locking, and a varying section is still integrated
fully. All work is done for all elements at once.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.quadrature import gauss, lagrange, lobatto
from belltone.sheet.design import MaterialValue, MemberValue
from belltone.sheet.sections import SectionProperties

__all__ = ["STRAINS", "LineElements", "line_elements"]

Array = NDArray[np.float64]

_TAPER_POINTS: Final = 3  # more integration points where the section varies within an element

STRAINS = ("axial", "shear y", "shear z", "twist", "curvature y", "curvature z")
"""What each of the six generalised strains is."""


@dataclass(frozen=True)
class LineElements:
    """Element matrices ``(elements, 6(p+1), 6(p+1))``, and what recovers strain energy.

    ``strain`` is ``(elements, points, 6, 6(p+1))``; ``stiffness_at`` the stiffness of each strain
    times the integration weight, ``(elements, points, 6)``; ``half`` half the length of each (m).
    """

    stiffness: Array
    mass: Array
    strain: Array
    stiffness_at: Array
    half: Array

    def matrices(self) -> tuple[Array, Array]:
        """Stiffness and mass."""
        return self.stiffness, self.mass

    def strain_energy(self, displacements: Array) -> Array:
        """Strain energy (J) by strain, ``(modes, 6)``, of ``(modes, elements, 6(p+1))``."""
        strains = np.einsum("eqsd,med->meqs", self.strain, displacements, optimize=True)
        return np.asarray(
            0.5 * np.einsum("meqs,eqs->ms", strains**2, self.stiffness_at, optimize=True)
        )

    def energy_at(self, motions: Array, element: NDArray[np.intp], local: Array) -> Array:
        """Strain energy per length (J/m), ``(modes, points)``, at ``local`` points of elements.

        ``motions`` is ``(modes, elements, 6(p+1))``.
        """
        strains = np.einsum("eqsd,med->meqs", self.strain, motions, optimize=True)
        points, weights = gauss(self.strain.shape[1])
        density = (
            np.sum(0.5 * strains**2 * self.stiffness_at, axis=-1) / weights / self.half[:, None]
        )
        values, _ = lagrange(points, local)
        return np.asarray(np.einsum("sq,msq->ms", values, density[:, element], optimize=True))


def line_elements(member: MemberValue, stretches: Array, order: int) -> LineElements:
    """Compute the elements of one straight member.

    ``stretches`` is ``(elements, 2)``: the share of the length at which each element starts and
    ends. Nodes stand at the Gauss-Lobatto-Legendre points.
    """
    nodes = lobatto(order)
    half = 0.5 * member.length * (stretches[:, 1] - stretches[:, 0])
    strain, stiffness_at = _stiffness_parts(member, stretches, half, nodes, order)
    stiffness = np.einsum("eqsi,eqs,eqsj->eij", strain, stiffness_at, strain, optimize=True)
    return LineElements(
        stiffness, _mass(member, stretches, half, nodes, order), strain, stiffness_at, half
    )


def _stiffness_parts(
    member: MemberValue, stretches: Array, half: Array, nodes: Array, order: int
) -> tuple[Array, Array]:
    tying, _ = gauss(order)
    values, slopes = lagrange(nodes, tying)
    slopes_along = slopes[None] / half[:, None, None]
    elements, count = len(half), order + 1
    strain: Array = np.zeros((elements, order, 6, count, 6))
    axis = member.frame[0]
    for row, direction in enumerate(member.frame):
        strain[:, :, row, :, :3] = slopes_along[..., None] * direction
        strain[:, :, row, :, 3:] = values[None, ..., None] * -np.cross(axis, direction)
        strain[:, :, 3 + row, :, 3:] = slopes_along[..., None] * direction
    strain = strain.reshape(elements, order, 6, 6 * count)
    points, weights = gauss(order + _extra_points(member))
    if len(points) > order:
        between, _ = lagrange(tying, points)
        strain = np.einsum("qg,egsd->eqsd", between, strain, optimize=True)
    properties = _properties(member, stretches, points)
    stiffness = np.stack(_stiffnesses(member.material, properties), axis=-1)
    stiffness_at = stiffness * (weights[None, :] * half[:, None])[..., None]
    return strain, stiffness_at


def _extra_points(member: MemberValue) -> int:
    return _TAPER_POINTS if member.tapered else 0


def _stiffnesses(material: MaterialValue, section: SectionProperties) -> tuple[Array, ...]:
    young, shear = material.youngs_modulus, material.shear_modulus
    return (
        young * section.area,
        shear * section.shear_factor_y * section.area,
        shear * section.shear_factor_z * section.area,
        shear * section.torsion_constant,
        young * section.second_moment_y,
        young * section.second_moment_z,
    )


def _mass(member: MemberValue, stretches: Array, half: Array, nodes: Array, order: int) -> Array:
    """Consistent mass with rotary inertia; p + 1 points are exact for constant sections."""
    points, weights = gauss(order + 1 + _extra_points(member))
    values, _ = lagrange(nodes, points)
    section = _properties(member, stretches, points)
    density = member.material.density
    at = weights[None, :] * half[:, None] * density
    turning = np.stack(
        [
            section.second_moment_y + section.second_moment_z,
            section.second_moment_y,
            section.second_moment_z,
        ],
        axis=-1,
    )
    block = np.zeros((*at.shape, 6, 6))
    block[..., :3, :3] = (at * section.area)[..., None, None] * np.eye(3)
    block[..., 3:, 3:] = np.einsum(
        "ka,eqk,kb->eqab", member.frame, turning * at[..., None], member.frame, optimize=True
    )
    mass = np.einsum("qi,eqab,qj->eiajb", values, block, values, optimize=True)
    size = 6 * (order + 1)
    return np.ascontiguousarray(mass.reshape(len(half), size, size))


def _properties(member: MemberValue, stretches: Array, points: Array) -> SectionProperties:
    """Section properties at ``points`` of every element, each ``(elements, points)``."""
    share = stretches[:, :1] + (stretches[:, 1:] - stretches[:, :1]) * (1 + points[None, :]) / 2
    return member.section_at(share).properties(member.material.poisson_ratio)
