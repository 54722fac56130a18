"""The sorts of parts, one object each: how they are divided, what they are made of, where they are.

Whatever depends on the sort of a part is asked of its kind; there is no other place that tells
members, walls, received meshes and points apart for it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final, Protocol

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.parts import MemberValue, MeshValue, PartValue, PointValue, SurfaceValue
from belltone.design.place import Place
from belltone.design.values import Design
from belltone.elements.facets import FacetElements, FacetWalls
from belltone.elements.line import LineElements, LineNodes, SectionLaw
from belltone.elements.point import PointElements
from belltone.elements.surface import SurfaceElements, SurfaceNodes
from belltone.geometry.features import FACE
from belltone.keeping import KeptWith
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.faces import FaceMesh, face_mesh
from belltone.mesh.line import LineMesh, line_mesh
from belltone.mesh.point import PointMesh
from belltone.mesh.site_lines import member_lines, mesh_lines, wall_lines
from belltone.mesh.surface import SurfaceMesh
from belltone.mesh.surface_division import surface_mesh
from belltone.mesh.surface_plan import plan_surface
from belltone.system.bodies import Body, Elements, Mesh
from belltone.system.witness import (
    FaceWitness,
    LineWitness,
    PartWitness,
    PointWitness,
    SurfaceWitness,
)

__all__ = [
    "Division",
    "Kind",
    "body_of",
    "face_cuts",
    "kind_of",
    "location",
    "lone_body",
    "place_lines",
    "place_position",
]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_WHOLE_ORDER: Final = 3  # up to which a received mesh is taken as it came
_STATIONS: Final = ((1, 129), (4, 65), (40, 33))
"""So many stations along each member of a component of at most so many: on one alone, 64
half-waves are still told apart."""
_FEWEST_STATIONS: Final = 17
_LINES: Final[KeptWith[dict[Place, list[Array]]]] = KeptWith(dict)  # of sites, with their part


@dataclass(frozen=True)
class Division:
    """How fine parts are divided, where members end their elements (m), and the walls' meshes."""

    discretisation: Discretisation
    stops: Mapping[str, Sequence[float]]
    walls: Mapping[str, SurfaceMesh]


class Kind(Protocol):
    """What depends on the sort of a part."""

    def divided(self, part: Any, division: Division) -> Mesh:
        """The mesh of a part."""

    def lone(self, part: Any) -> Mesh:
        """A part by itself, as finely as its mass properties need, whatever is joined to it.

        Mass integrals of straight members and flat faces are exact at any order; those of curves
        to 1e-8 here.
        """

    def elements(self, mesh: Any) -> Elements:
        """The elements of a mesh."""

    def witness(self, body: Body, members: int) -> PartWitness:
        """The fixed points of a part; ``members`` is how many the component has."""

    def lines(self, part: Any, place: Place) -> list[Array]:
        """A site as lines of points ``(k, 3)`` (m): one point for a corner, many along an edge."""

    def pieces(self, mesh: Any) -> list[IntArray]:
        """Nodes of what can move as one."""

    def loaded_at(self, mesh: Any, place: Place) -> NDArray[np.bool_] | None:
        """Which elements a site on faces takes in; ``None``: all of them."""


class _InOnePiece:
    """What most sorts of parts have in common."""

    def pieces(self, mesh: Any) -> list[IntArray]:
        return [np.arange(len(mesh.coordinates))]

    def loaded_at(self, mesh: Any, place: Place) -> NDArray[np.bool_] | None:
        del mesh, place
        return None


class _Members(_InOnePiece):
    def divided(self, part: MemberValue, division: Division) -> LineMesh:
        return line_mesh(part, division.stops[part.name], division.discretisation)

    def lone(self, part: MemberValue) -> LineMesh:
        return line_mesh(part, [], Discretisation(1, 4))

    def elements(self, mesh: LineMesh) -> LineElements:
        return LineElements(_line_nodes(mesh))

    def witness(self, body: Body, members: int) -> LineWitness:
        count = next((count for most, count in _STATIONS if members <= most), _FEWEST_STATIONS)
        return LineWitness(body, count)

    def lines(self, part: MemberValue, place: Place) -> list[Array]:
        return member_lines(part, place)


class _Walls(_InOnePiece):
    def divided(self, part: SurfaceValue, division: Division) -> SurfaceMesh:
        return division.walls[part.name]

    def lone(self, part: SurfaceValue) -> SurfaceMesh:
        return surface_mesh(part, Discretisation(2, 6), plan_surface(part))

    def elements(self, mesh: SurfaceMesh) -> SurfaceElements:
        nodes = SurfaceNodes(
            mesh.order,
            mesh.coordinates[mesh.connectivity],
            mesh.directors,
            mesh.first_axes,
            mesh.thickness,
        )
        return SurfaceElements(nodes, mesh.surface.layup)

    def witness(self, body: Body, members: int) -> SurfaceWitness:
        del members
        return SurfaceWitness(body)

    def lines(self, part: SurfaceValue, place: Place) -> list[Array]:
        return wall_lines(part, place)


class _Received:
    def divided(self, part: MeshValue, division: Division) -> FaceMesh:
        return face_mesh(part, face_cuts(division.discretisation))

    def lone(self, part: MeshValue) -> FaceMesh:
        return face_mesh(part, 1)

    def elements(self, mesh: FaceMesh) -> FacetElements:
        part, face = mesh.part, mesh.face
        walls = FacetWalls(
            part.thickness[face],
            part.youngs_modulus[face],
            part.poisson_ratio[face],
            part.density[face],
            part.expansion[face],
            mesh.weights,
        )
        return FacetElements(mesh.coordinates[mesh.connectivity], walls)

    def witness(self, body: Body, members: int) -> FaceWitness:
        del members
        return FaceWitness(body)

    def lines(self, part: MeshValue, place: Place) -> list[Array]:
        return mesh_lines(part, place)

    def pieces(self, mesh: FaceMesh) -> list[IntArray]:
        """A received mesh may be in pieces that share no node."""
        from scipy.sparse.csgraph import connected_components  # loads slowly, and is seldom needed

        corners, count = mesh.connectivity, len(mesh.coordinates)
        ends = np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]]])
        graph = scipy.sparse.coo_matrix((np.ones(len(ends)), ends.T), (count, count))
        found, label = connected_components(graph, directed=False)
        return [np.flatnonzero(label == own) for own in range(found)]

    def loaded_at(self, mesh: FaceMesh, place: Place) -> NDArray[np.bool_] | None:
        if place.feature == FACE:
            return None
        return np.isin(mesh.face, mesh.part.areas[str(place.feature)])


class _Points(_InOnePiece):
    def divided(self, part: PointValue, division: Division) -> PointMesh:
        del division
        return PointMesh(part)

    def lone(self, part: PointValue) -> PointMesh:
        return PointMesh(part)

    def elements(self, mesh: PointMesh) -> PointElements:
        del mesh
        return PointElements()

    def witness(self, body: Body, members: int) -> PointWitness:
        del members
        return PointWitness(body)

    def lines(self, part: PointValue, place: Place) -> list[Array]:
        del place
        return [part.position[None]]


_KINDS: Final[Mapping[type, Kind]] = {
    MemberValue: _Members(),
    SurfaceValue: _Walls(),
    MeshValue: _Received(),
    PointValue: _Points(),
}


def kind_of(part: PartValue) -> Kind:
    """The kind of a part."""
    return _KINDS[type(part)]


def body_of(part: PartValue, mesh: Mesh, first: int = 0) -> Body:
    """A part as mesh and elements, its nodes numbered from ``first`` on."""
    return Body(part, mesh, kind_of(part).elements(mesh), first)


def lone_body(part: PartValue) -> Body:
    """A part by itself; see `Kind.lone`."""
    return body_of(part, kind_of(part).lone(part))


def place_lines(part: PartValue, place: Place) -> list[Array]:
    """A site of a part as lines of points; see `Kind.lines`.

    They are kept as long as the part is: pictures ask for the same ones again and again.
    """
    known = _LINES.of(part)
    if place not in known:
        known[place] = kind_of(part).lines(part, place)
    return known[place]


def place_position(part: PartValue, place: Place) -> Array:
    """The middle of a site of a part (m)."""
    lines = place_lines(part, place)
    if len(lines) == 1 and len(lines[0]) > 2 and not np.allclose(lines[0][0], lines[0][-1]):
        return np.asarray(lines[0][len(lines[0]) // 2])
    return np.asarray(np.concatenate(lines).mean(axis=0))


def location(design: Design, place: Place) -> Array:
    """The middle of a site (m)."""
    return place_position(design.part_of(place.part), place)


def face_cuts(discretisation: Discretisation) -> int:
    """Into how many pieces the edges of a received mesh are cut at a discretisation.

    Its elements have one order; where those of other walls rise from order 3 on, they are cut.
    """
    return max(1, discretisation.order - _WHOLE_ORDER + 1) * discretisation.divisions


def _line_nodes(mesh: LineMesh) -> LineNodes:
    member = mesh.member
    material = member.material

    def law(points: Array) -> SectionLaw:
        low, high = mesh.stretches[:, :1], mesh.stretches[:, 1:]
        share = low + (high - low) * 0.5 * (1 + points[None, :])
        section = member.section_at(share).properties(material.poisson_ratio)
        line_mass = material.density * section.area + member.line_mass
        stiffness = section.law(material.youngs_modulus, material.shear_modulus)
        turning = material.density * section.turning()
        form = share.shape
        return SectionLaw(
            np.broadcast_to(stiffness, (*form, 6, 6)),
            np.broadcast_to(line_mass, form),
            np.broadcast_to(turning, (*form, 3, 3)),
            material.expansion if material.expands else 0.0,
        )

    return LineNodes(mesh.order, mesh.positions, mesh.ups, law, member.sections.even)
