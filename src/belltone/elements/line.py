"""The line kernel: a shear-deformable spatial beam of selectable order, straight or curved.

Unknowns at a node are three translations and three rotations in the sheet's axes. Strains are
those of J. C. Simo, "A finite strain beam formulation", Comput. Methods Appl. Mech. Eng. 49 (1985)
55-70, and E. Reissner (1981), for small strains: the section's axis d_1, side d_2 and up d_3 are
directors that turn with the nodes and are interpolated between them (P. Betsch and P. Steinmann,
"Frame-indifferent beam finite elements based upon the geometrically exact beam theory", Int. J.
Numer. Methods Eng. 54 (2002) 1775-1788); with ' along the axis they are

    axial (r'.r' - 1)/2,  shear r'.d_2 and r'.d_3,
    twist (d_2'.d_3 - d_2.d_3')/2 and curvatures (d_3'.d_1 - d_3.d_1')/2 and (d_1'.d_2 - d_1.d_2')/2

less what they are as made. They are quadratic in r and d, as those of the
surface kernel are, so `directors` gives their second variation; their first, at the member as
made, is the linear kernel. Strains are taken at p Gauss points at order p, one fewer than a full
rule, and interpolated between them: that keeps slender and curved members free of locking, and a
varying section is still integrated fully. All work is done for all elements at once.
"""

from __future__ import annotations

import copy
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.elements.directors import DirectorForm, Stressed, grown, torques
from belltone.mesh.quadrature import gauss, lagrange, lobatto
from belltone.vectors import cross

__all__ = ["STRAINS", "LineElements", "LineNodes", "SectionLaw"]

Array = NDArray[np.float64]

_TAPER_POINTS: Final = 3  # more integration points where the section varies within an element

STRAINS = ("axial", "shear y", "shear z", "twist", "curvature y", "curvature z")
"""What each of the six generalised strains is."""


@dataclass(frozen=True)
class SectionLaw:
    """What a section gives at points: stiffness ``(..., 6, 6)`` on the strains, and inertia.

    ``line_mass`` ``(...)`` in kg/m; ``turning`` ``(..., 3, 3)`` about axis, side and up, in kg m;
    ``expansion`` in 1/K.
    """

    stiffness: Array
    line_mass: Array
    turning: Array
    expansion: float = 0.0


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
        side = cross(up, axis)
        side /= np.linalg.norm(side, axis=-1, keepdims=True)
        return np.stack([axis, side, cross(axis, side)], axis=-2), stretch


_ROUND: Final = ((1, 2), (2, 0), (0, 1))
"""Directors whose turning towards each other is the twist and the two curvatures.

The axial strain has none of them in it: interpolated directors are shorter than one between nodes,
which under tension would soften a slender member.
"""


class LineElements:
    """Matrices of elements whose nodes stand at the Gauss-Lobatto-Legendre points.

    Unknowns of an element are its nodes' translations and rotations, six by six.
    """

    def __init__(self, nodes: LineNodes) -> None:
        self._nodes = nodes
        self.size = 6 * (nodes.order + 1)
        self._extra = 0 if nodes.even else _TAPER_POINTS
        self._frames, _ = nodes.frames(lobatto(nodes.order))
        self.positions, self.directors = nodes.positions, self._frames
        points, weights = gauss(nodes.order + self._extra)
        _, self._lengths = nodes.frames(points)
        law = nodes.law(points)
        self._law = law.stiffness * (weights * self._lengths)[..., None, None]
        self._warm = self._law[..., 0] * law.expansion
        self._weights = weights
        self._tied = self._tying()

    def posed(self, positions: Array, turned: Array) -> LineElements:
        """The elements with nodes at other positions, turned by rotation matrices."""
        posed = copy.copy(self)
        posed.__dict__.pop("_strains", None)
        posed.positions = positions
        posed.directors = np.einsum("enij,enkj->enki", turned, self._frames)
        return posed

    def matrices(self) -> tuple[Array, Array]:
        """Stiffness and mass, each ``(elements, size, size)``."""
        return self.stiffness(), self.inertia().hessian(self.directors)

    def stiffness(self) -> Array:
        """Stiffness of the strains ``(elements, size, size)``, without that of stress."""
        strain = self._strains
        stressed = np.matmul(self._law, strain).reshape(len(strain), -1, self.size)
        flat = strain.reshape(stressed.shape)
        return np.asarray(np.matmul(flat.transpose(0, 2, 1), stressed))

    def inertia(self) -> DirectorForm:
        """Kinetic energy as a form of the velocities of nodes and directors.

        p + 1 points are exact for even straight elements.
        """
        nodes = self._nodes
        points, weights = gauss(nodes.order + 1 + self._extra)
        values, _ = lagrange(lobatto(nodes.order), points)
        _, stretch = nodes.frames(points)
        law = nodes.law(points)
        at = weights * stretch
        uu = np.einsum("eq,qi,qj->eij", at * law.line_mass, values, values, optimize=True)
        # Second moments of mass along axis, side and up, from those about them.
        half = 0.5 * np.trace(law.turning, axis1=-2, axis2=-1)[..., None, None]
        spread = (half * np.eye(3) - law.turning) * at[..., None, None]
        dd = np.einsum("eqkl,qi,qj->eijkl", spread, values, values, optimize=True)
        return DirectorForm(uu, np.zeros((*uu.shape, 3)), dd)

    def stressed(self, motions: Array | None, heat: float, pull: float = 0.0) -> Stressed:
        """Forces and stiffness of the stress that small ``motions`` (elements, size) bring.

        ``None`` takes the finite strains of the pose instead. ``heat`` (K) is a rise of
        temperature; ``pull`` (N) the tension there would be were both ends held.
        """
        form = self._stress_form(self._stress(motions, heat, pull))
        near = self.positions - self.positions[:, :1]
        pulls, moments = form.gradient(near, self.directors)
        forces = np.concatenate([pulls, torques(moments)], axis=-1)
        return Stressed(
            forces.reshape(len(forces), self.size), form.hessian(self.directors, moments)
        )

    def points(self) -> Array:
        """None: pressure acts on walls alone."""
        return np.zeros((len(self._nodes), 0, 3))

    def pushed(self, pressure: Array) -> Stressed:
        """None."""
        count = len(self._nodes)
        return Stressed(np.zeros((count, self.size)), np.zeros((count, self.size, self.size)))

    def section_forces(self, motions: Array | None, heat: float, pull: float = 0.0) -> Array:
        """Axial force and shears (N), twisting and bending moments (N m) at the Gauss points.

        ``(elements, points, 6)``; arguments as for `stressed`.
        """
        weighted = self._stress(motions, heat, pull)
        return np.asarray(weighted / (self._weights * self._lengths)[..., None])

    def read_at(self, values: Array, element: NDArray[np.intp], local: Array) -> Array:
        """Values ``(elements, points, ...)`` at the Gauss points, read at points of elements."""
        between, _ = lagrange(gauss(values.shape[1])[0], local)
        return np.asarray(np.einsum("sq,sq...->s...", between, values[element]))

    def strain_energy(self, motions: Array) -> Array:
        """Strain energy (J) by strain, ``(modes, elements, 6)``, of motions of the elements.

        ``motions`` is ``(modes, elements, 6(p+1))``.
        """
        return np.asarray(self._work(motions).sum(axis=2))

    def energy_at(self, motions: Array, element: NDArray[np.intp], local: Array) -> Array:
        """Strain energy per length (J/m), ``(modes, points)``, at ``local`` points of elements.

        ``motions`` is ``(modes, elements, 6(p+1))``.
        """
        density = self._work(motions).sum(axis=-1) / self._weights / self._lengths
        values, _ = lagrange(gauss(len(self._weights))[0], local)
        return np.asarray(np.einsum("sq,msq->ms", values, density[:, element], optimize=True))

    def _work(self, motions: Array) -> Array:
        """Strain energy (J) by strain at every point, ``(modes, elements, points, 6)``."""
        strains = np.einsum("eqsd,med->meqs", self._strains, motions, optimize=True)
        stressed = np.einsum("eqst,meqt->meqs", self._law, strains, optimize=True)
        return np.asarray(0.5 * strains * stressed)

    def _tying(self) -> tuple[Array, Array, Array]:
        """Values and slopes at the tying points, the latter along the axis; and their spread."""
        order = self._nodes.order
        tying, _ = gauss(order)
        values, slopes = lagrange(lobatto(order), tying)
        _, stretch = self._nodes.frames(tying)
        between, _ = lagrange(tying, gauss(order + self._extra)[0])
        return values, slopes[None] / stretch[..., None], between

    @cached_property
    def _strains(self) -> Array:
        """Strains of unit motions, ``(elements, points, 6, 6(p+1))``."""
        values, along, between = self._tied
        elements, tying, count = along.shape
        run = np.matmul(along, self.positions)[:, :, None]
        at = np.einsum("qn,enki->eqki", values, self.directors)[:, :, :, None]
        bent = np.einsum("eqn,enki->eqki", along, self.directors)[:, :, :, None]
        own = self.directors[:, None]
        slope, value = along[..., None], values[None, ..., None]
        strain: Array = np.zeros((elements, tying, 6, count, 6))
        strain[:, :, 0, :, :3] = slope * run
        for row in (1, 2):
            strain[:, :, row, :, :3] = slope * at[:, :, row]
            strain[:, :, row, :, 3:] = value * cross(own[..., row, :], run)
        for row, (one, two) in enumerate(_ROUND, start=3):
            first, second = own[..., one, :], own[..., two, :]
            strain[:, :, row, :, 3:] = 0.5 * (
                slope * (cross(first, at[:, :, two]) - cross(second, at[:, :, one]))
                - value * (cross(first, bent[:, :, two]) - cross(second, bent[:, :, one]))
            )
        flat = strain.reshape(elements, tying, 36 * count)
        if len(between) > tying:
            flat = np.matmul(between, flat)
        return flat.reshape(elements, len(between), 6, 6 * count)

    def _finite_strains(self) -> Array:
        """Strains of the pose ``(elements, points, 6)``, from what has changed alone."""
        values, along, between = self._tied
        run = np.matmul(along, self._nodes.positions)
        moved = np.matmul(along, self.positions - self._nodes.positions)
        change = self.directors - self._frames
        at, new = (np.einsum("qn,enki->keqi", values, own) for own in (self._frames, change))
        bent, newly = (np.einsum("eqn,enki->keqi", along, own) for own in (self._frames, change))
        result = np.empty((*run.shape[:2], 6))
        result[..., 0] = 0.5 * grown(run, moved, run, moved)
        for row in (1, 2):
            result[..., row] = grown(at[row], new[row], run, moved)
        for row, (one, two) in enumerate(_ROUND, start=3):
            result[..., row] = 0.5 * (
                grown(bent[one], newly[one], at[two], new[two])
                - grown(at[one], new[one], bent[two], newly[two])
            )
        return np.asarray(np.matmul(between, result))

    def _stress(self, motions: Array | None, heat: float, pull: float) -> Array:
        """Weighted section forces ``(elements, points, 6)``."""
        if motions is None:
            strains = self._finite_strains()
        else:
            strains = np.einsum("eqsd,ed->eqs", self._strains, motions, optimize=True)
        stress = np.einsum("eqst,eqt->eqs", self._law, strains) - heat * self._warm
        stress[..., 0] += pull * self._weights * self._lengths
        return np.asarray(stress)

    def _stress_form(self, stress: Array) -> DirectorForm:
        """Section forces times the second variation of the strains they work on."""
        values, along, between = self._tied
        tied = np.einsum("qt,eqs->ets", between, stress)
        slopes = np.einsum("eti,etj->etij", along, along)
        mixed = np.einsum("eti,tj->etij", along, values)

        def total(own: Array, pairs: Array) -> Array:
            return np.asarray(np.einsum("et,etij->eij", own, pairs))

        ud = np.zeros((*mixed.shape[:1], *mixed.shape[2:], 3))
        dd = np.zeros((*ud.shape, 3))
        for row in (1, 2):
            ud[..., row] = total(tied[..., row], mixed)
        for row, (one, two) in enumerate(_ROUND, start=3):
            wound = 0.5 * total(tied[..., row], mixed)
            wound = wound - wound.swapaxes(1, 2)
            dd[..., one, two] += wound
            dd[..., two, one] += wound.swapaxes(1, 2)
        return DirectorForm(total(tied[..., 0], slopes), ud, dd)
