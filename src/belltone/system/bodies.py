"""The part of a design as mesh and elements, whichever kernel it takes."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from belltone.elements.line import line_elements
from belltone.elements.surface import SurfaceElements, SurfaceNodes
from belltone.mesh.discretisation import Discretisation, SurfacePlan
from belltone.mesh.line import LineMesh, line_mesh
from belltone.mesh.sites import SiteNodes
from belltone.mesh.surface import FoldedMeshError, SurfaceMesh, plan_surface, surface_mesh
from belltone.sheet.design import Design, Place

__all__ = ["Elements", "Mesh", "mesh_part", "part_elements", "with_plans"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]


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

    def site(self, place: Place) -> SiteNodes:
        """The nodes of a site."""


class Elements(Protocol):
    """Element matrices of a part, and the energy of its strains."""

    def matrices(self) -> tuple[Array, Array]:
        """Stiffness and mass, each ``(elements, d, d)``."""

    def strain_energy(self, motions: Array) -> Array:
        """Strain energy (J) by kind of strain, of element motions ``(modes, elements, d)``."""


def with_plans(design: Design, discretisation: Discretisation) -> Discretisation:
    """The discretisation with a plan for each surface of the design, made where it has none.

    Raises ``ValueError`` where an outline cannot be meshed.
    """
    surface = design.surface
    if surface is None or discretisation.plans:
        return discretisation
    return Discretisation(discretisation.divisions, discretisation.order, (plan_surface(surface),))


def mesh_part(design: Design, discretisation: Discretisation) -> Mesh:
    """Divide the part of a design."""
    surface = design.surface
    if surface is None:
        assert design.member is not None
        return line_mesh(design, design.member, discretisation)
    plan: SurfacePlan = with_plans(design, discretisation).plans[0]
    try:
        return surface_mesh(surface, discretisation, plan)
    except FoldedMeshError:
        # The design has moved too far from the one the plan was made for.
        return surface_mesh(surface, discretisation, plan_surface(surface))


def part_elements(mesh: Mesh) -> Elements:
    """The elements of a mesh."""
    if isinstance(mesh, LineMesh):
        return line_elements(mesh.member, mesh.stretches, mesh.order)
    assert isinstance(mesh, SurfaceMesh)
    nodes = SurfaceNodes(
        mesh.order,
        mesh.coordinates[mesh.connectivity],
        mesh.directors,
        mesh.first_axes,
        mesh.thickness,
    )
    return SurfaceElements(nodes, mesh.surface.layup)
