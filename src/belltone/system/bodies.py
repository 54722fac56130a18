"""The parts of a design as meshes and elements, whichever kernel each takes."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Final, Protocol, runtime_checkable

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.parts import PartValue
from belltone.design.place import Place
from belltone.elements.directors import DirectorForm, Stressed
from belltone.mesh.sites import Feet, SiteNodes
from belltone.system.pose import Pose

__all__ = ["Body", "Elements", "Mesh"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_TO_BE_SURE: Final = 1.5  # times what is told at one node; a taper is thicker elsewhere


class Mesh(Protocol):
    """Nodes and elements of a part, and where its sites are."""

    @property
    def coordinates(self) -> Array:
        """Node positions ``(nodes, 3)`` (m)."""

    @property
    def connectivity(self) -> IntArray:
        """Nodes of each element."""

    @property
    def unknowns(self) -> int:
        """Six a node."""

    @property
    def size(self) -> float:
        """A length of the size of the part (m)."""

    @property
    def counted(self) -> tuple[tuple[int, ...], ...]:
        """How elements are shared out between places that move, where any are."""

    def site(self, place: Place) -> SiteNodes:
        """The nodes of a site."""

    def feet(self, points: Array) -> Feet:
        """The nearest places of the part to points ``(n, 3)``."""

    def at_nodes_of(self, other: Any) -> scipy.sparse.csr_matrix:
        """Rows that read a motion of this mesh at the nodes of another one of the same part."""


class Elements(Protocol):
    """Element matrices of a part, and the energy of its strains."""

    def matrices(self) -> tuple[Array, Array]:
        """Stiffness and mass, each ``(elements, d, d)``."""

    def stiffness(self) -> Array:
        """Stiffness of the strains, without that of stress."""

    def points(self) -> Array:
        """Integration points ``(elements, points, 3)`` (m), of walls."""

    def pushed(self, pressure: Array) -> Stressed:
        """Forces of pressure (Pa) at the integration points of walls, and their stiffness."""

    def strain_energy(self, motions: Array) -> Array:
        """Strain energy (J), ``(modes, elements, kinds)``, of motions ``(modes, elements, d)``."""

    def inertia(self) -> DirectorForm:
        """Kinetic energy as a form of the velocities of nodes and directors."""

    @property
    def positions(self) -> Array:
        """Nodes of elements ``(elements, n, 3)`` (m)."""

    @property
    def directors(self) -> Array:
        """Directors of the nodes of elements ``(elements, n, k, 3)``."""

    def stressed(self, motions: Any, heat: float, pull: float = 0.0) -> Stressed:
        """Forces and stiffness of the stress small motions ``(elements, d)`` bring."""


@runtime_checkable
class Posable(Protocol):
    """Elements that can be followed through finite motions; those of received meshes cannot."""

    def posed(self, positions: Array, turned: Array) -> Elements:
        """The elements with nodes elsewhere (m), turned by rotation matrices."""


@dataclass(frozen=True)
class Body:
    """One part as mesh and elements; its nodes are numbered from ``first`` on in the whole."""

    part: PartValue
    mesh: Mesh
    elements: Elements
    first: int
    _sites: dict[Place, SiteNodes] = field(default_factory=dict, repr=False, compare=False)

    def posed(self, pose: Pose) -> Body:
        """The body after finite motions of its nodes."""
        assert isinstance(self.elements, Posable)
        nodes = self.mesh.connectivity + self.first
        at = self.mesh.coordinates[self.mesh.connectivity] + pose.displacements[nodes]
        return replace(self, elements=self.elements.posed(at, pose.turned[nodes]))

    @property
    def nodes(self) -> slice:
        """Its nodes among those of the whole."""
        return slice(self.first, self.first + len(self.mesh.coordinates))

    def site(self, place: Place) -> SiteNodes:
        """The nodes of one of its sites, numbered in the whole."""
        if place not in self._sites:
            self._sites[place] = self.mesh.site(place).numbered_from(self.first)
        return self._sites[place]

    def feet(self, points: Array) -> Feet:
        """The nearest places to points, nodes numbered in the whole."""
        found = self.mesh.feet(points)
        return replace(found, nodes=found.nodes + self.first)

    @cached_property
    def reach(self) -> float:
        """How far the material stands out from the line or surface of nodes, at most (m)."""
        return float(self.mesh.feet(self.mesh.coordinates[:1]).reach.max()) * _TO_BE_SURE

    def motions(self, whole: Array) -> Array:
        """Element motions ``(modes, elements, d)`` from node motions ``(modes, nodes, 6)``."""
        gathered = whole[:, self.mesh.connectivity + self.first]
        elements, nodes = self.mesh.connectivity.shape
        return gathered.reshape(len(whole), elements, 6 * nodes)
