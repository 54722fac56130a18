"""The line kernel: a shear-deformable spatial beam of selectable order, straight or curved.

Unknowns at a node are three translations and three rotations in the sheet's axes. Strains are
those of J. C. Simo, "A finite strain beam formulation", Comput. Methods Appl. Mech. Eng. 49 (1985)
55-70, and E. Reissner (1981), for small motions:

    gamma = R (u' - theta x t),    kappa = R theta'

with the unit tangent t, the frame R (rows: axis, side, up) and ' along the axis. The axis runs
through the nodes by the same polynomials as the motion, so rigid motions cost nothing. Strains are
taken at p Gauss points at order p, one fewer than a full rule, and interpolated between them:
that keeps slender and curved members free of locking, and a varying section is still integrated
fully. All work is done for all elements at once.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.quadrature import gauss, lagrange, lobatto

__all__ = ["STRAINS", "LineElements", "LineNodes", "SectionLaw", "line_elements"]

Array = NDArray[np.float64]

_TAPER_POINTS: Final = 3  # more integration points where the section varies within an element

STRAINS = ("axial", "shear y", "shear z", "twist", "curvature y", "curvature z")
"""What each of the six generalised strains is."""


@dataclass(frozen=True)
class SectionLaw:
    """What a section gives at points: stiffness ``(..., 6, 6)`` on the strains, and inertia.

    ``line_mass`` ``(...)`` in kg/m; ``turning`` ``(..., 3, 3)`` about axis, side and up, in kg m.
    """

    stiffness: Array
    line_mass: Array
    turning: Array


@dataclass(frozen=True)
class LineNodes:
    """Nodes of elements: positions ``(elements, p+1, 3)`` (m) and the section's up there.

    ``law`` gives the section at points -1 to 1 of every element, ``(elements, points)``; ``even``
    tells that it does not change within an element.
    """

    order: int
    positions: Array
    ups: Array
    law: Callable[[Array], SectionLaw]
    even: bool

    def __len__(self) -> int:
        return len(self.positions)

    def frames(self, points: Array) -> tuple[Array, Array]:
        """Frames ``(elements, points, 3, 3)``, rows axis, side and up, and the axis' stretch."""
        values, slopes = lagrange(lobatto(self.order), points)
        runs = np.matmul(slopes, self.positions)
        stretch = np.linalg.norm(runs, axis=-1)
        axis = runs / stretch[..., None]
        up = np.matmul(values, self.ups)
        side = np.cross(up, axis)
        side /= np.linalg.norm(side, axis=-1, keepdims=True)
        return np.stack([axis, side, np.cross(axis, side)], axis=-2), stretch


@dataclass(frozen=True)
class LineElements:
    """Element matrices ``(elements, 6(p+1), 6(p+1))``, and what recovers strain energy.

    ``strain`` is ``(elements, points, 6, 6(p+1))``; ``law`` the stiffness on the strains times the
    integration weight, ``(elements, points, 6, 6)``; ``lengths`` the length each point stands for
    at a weight of one, ``(elements, points)`` (m).
    """

    stiffness: Array
    mass: Array
    strain: Array
    law: Array
    lengths: Array

    def matrices(self) -> tuple[Array, Array]:
        """Stiffness and mass."""
        return self.stiffness, self.mass

    def _work(self, motions: Array) -> Array:
        """Strain energy (J) by strain at every point, ``(modes, elements, points, 6)``."""
        strains = np.einsum("eqsd,med->meqs", self.strain, motions, optimize=True)
        stressed = np.einsum("eqst,meqt->meqs", self.law, strains, optimize=True)
        return np.asarray(0.5 * strains * stressed)

    def strain_energy(self, motions: Array) -> Array:
        """Strain energy (J) by strain, ``(modes, elements, 6)``, of motions of the elements.

        ``motions`` is ``(modes, elements, 6(p+1))``.
        """
        return np.asarray(self._work(motions).sum(axis=2))

    def energy_at(self, motions: Array, element: NDArray[np.intp], local: Array) -> Array:
        """Strain energy per length (J/m), ``(modes, points)``, at ``local`` points of elements.

        ``motions`` is ``(modes, elements, 6(p+1))``.
        """
        points, weights = gauss(self.strain.shape[1])
        density = self._work(motions).sum(axis=-1) / weights / self.lengths
        values, _ = lagrange(points, local)
        return np.asarray(np.einsum("sq,msq->ms", values, density[:, element], optimize=True))


def line_elements(nodes: LineNodes) -> LineElements:
    """Compute elements whose nodes stand at the Gauss-Lobatto-Legendre points."""
    extra = 0 if nodes.even else _TAPER_POINTS
    points, weights = gauss(nodes.order + extra)
    strain = _strains(nodes, points)
    _, stretch = nodes.frames(points)
    law = nodes.law(points).stiffness * (weights * stretch)[..., None, None]
    stressed = np.matmul(law, strain).reshape(len(nodes), -1, strain.shape[-1])
    flat = strain.reshape(stressed.shape)
    stiffness = np.matmul(flat.transpose(0, 2, 1), stressed)
    return LineElements(stiffness, _mass(nodes, extra), strain, law, stretch)


def _strains(nodes: LineNodes, points: Array) -> Array:
    """Strains of unit motions, ``(elements, points, 6, 6(p+1))``."""
    tying, _ = gauss(nodes.order)
    values, slopes = lagrange(lobatto(nodes.order), tying)
    frames, stretch = nodes.frames(tying)
    along = slopes[None] / stretch[..., None]
    elements, count = len(nodes), nodes.order + 1
    strain: Array = np.zeros((elements, len(tying), 6, count, 6))
    for row in range(3):
        direction = frames[..., row, :]
        turning = np.cross(direction, frames[..., 0, :])
        strain[:, :, row, :, :3] = along[..., None] * direction[:, :, None]
        strain[:, :, row, :, 3:] = values[None, ..., None] * turning[:, :, None]
        strain[:, :, 3 + row, :, 3:] = along[..., None] * direction[:, :, None]
    strain = strain.reshape(elements, len(tying), 36 * count)
    if len(points) > len(tying):
        between, _ = lagrange(tying, points)
        strain = np.matmul(between, strain)
    return strain.reshape(elements, len(points), 6, 6 * count)


def _mass(nodes: LineNodes, extra: int) -> Array:
    """Consistent mass with rotary inertia; p + 1 points are exact for even straight elements."""
    points, weights = gauss(nodes.order + 1 + extra)
    values, _ = lagrange(lobatto(nodes.order), points)
    frames, stretch = nodes.frames(points)
    law = nodes.law(points)
    at = weights * stretch
    block = np.zeros((*at.shape, 6, 6))
    block[..., :3, :3] = (at * law.line_mass)[..., None, None] * np.eye(3)
    turning = law.turning * at[..., None, None]
    block[..., 3:, 3:] = np.matmul(frames.swapaxes(-1, -2), np.matmul(turning, frames))
    mass = np.einsum("qi,eqab,qj->eiajb", values, block, values, optimize=True)
    size = 6 * (nodes.order + 1)
    return np.ascontiguousarray(mass.reshape(len(nodes), size, size))
