"""The parts of a design as meshes and elements, whichever kernel each takes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any, Final, Protocol

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from belltone.design.values import (
    Design,
    MemberValue,
    MeshValue,
    PartValue,
    Place,
    PointValue,
    SurfaceValue,
    feature_place,
    site_features,
)
from belltone.elements.directors import DirectorForm, Stressed
from belltone.elements.facets import FacetElements, FacetWalls
from belltone.elements.line import LineElements, LineNodes, SectionLaw
from belltone.elements.point import PointElements
from belltone.elements.surface import SurfaceElements, SurfaceNodes
from belltone.mesh.discretisation import Discretisation, SurfacePlan
from belltone.mesh.faces import FaceMesh, face_mesh
from belltone.mesh.imprints import JoinedLine, JoinedPoint, imprints
from belltone.mesh.line import LineMesh, line_mesh
from belltone.mesh.point import PointMesh
from belltone.mesh.site_lines import location, place_lines
from belltone.mesh.sites import Feet, SiteNodes
from belltone.mesh.surface import (
    FoldedMeshError,
    Imprint,
    SurfaceMesh,
    plan_surface,
    surface_mesh,
)
from belltone.system.pose import Pose

__all__ = [
    "Body",
    "Elements",
    "Mesh",
    "body_elements",
    "ends_inside",
    "face_cuts",
    "lone_mesh",
    "mesh_bodies",
    "with_plans",
]

_COARSE_ORDER: Final = 4  # of the mesh on which joined lines are found
_WHOLE_ORDER: Final = 3  # up to which a received mesh is taken as it came
_LOOKS: Final = 401  # along a rib, for the elements it crosses
_HALVINGS: Final = 16
_HAIR: Final = 1e-5  # of the wall's size

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

    def feet(self, points: Array) -> Feet:
        """The nearest places of the part to points ``(n, 3)``."""

    def at_nodes_of(self, other: Any) -> sparse.csr_matrix:
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


@dataclass(frozen=True)
class Body:
    """One part as mesh and elements; its nodes are numbered from ``first`` on in the whole."""

    part: PartValue
    mesh: Mesh
    elements: Elements
    first: int

    def posed(self, pose: Pose) -> Body:
        """The body after finite motions of its nodes."""
        nodes = self.mesh.connectivity + self.first
        at = self.mesh.coordinates[self.mesh.connectivity] + pose.displacements[nodes]
        assert not isinstance(self.elements, FacetElements)
        return replace(self, elements=self.elements.posed(at, pose.turned[nodes]))  # type: ignore[attr-defined]

    @property
    def nodes(self) -> slice:
        """Its nodes among those of the whole."""
        return slice(self.first, self.first + len(self.mesh.coordinates))

    def site(self, place: Place) -> SiteNodes:
        """The nodes of one of its sites, numbered in the whole."""
        return self.mesh.site(place).numbered_from(self.first)

    def feet(self, points: Array) -> Feet:
        """The nearest places to points, nodes numbered in the whole."""
        found = self.mesh.feet(points)
        return replace(found, nodes=found.nodes + self.first)

    def motions(self, whole: Array) -> Array:
        """Element motions ``(modes, elements, d)`` from node motions ``(modes, nodes, 6)``."""
        gathered = whole[:, self.mesh.connectivity + self.first]
        elements, nodes = self.mesh.connectivity.shape
        return gathered.reshape(len(whole), elements, 6 * nodes)


def with_plans(design: Design, discretisation: Discretisation) -> Discretisation:
    """The discretisation with a plan for each surface of the design, made where it has none.

    Raises ``ValueError`` where an outline cannot be meshed.
    """
    surfaces = [part for part in design.parts if isinstance(part, SurfaceValue)]
    if len(discretisation.plans) == len(surfaces):
        return discretisation
    return replace(discretisation, plans=tuple(plan_surface(surface) for surface in surfaces))


def mesh_bodies(design: Design, discretisation: Discretisation) -> Iterator[tuple[PartValue, Mesh]]:
    """Divide the parts of a design, in order."""
    plans = iter(with_plans(design, discretisation).plans)
    walls = {
        part.name: _wall_mesh(design, part, discretisation, next(plans))
        for part in design.parts
        if isinstance(part, SurfaceValue)
    }
    used: dict[str, list[float]] = {part.name: [] for part in design.parts}
    for place in design.used_places():
        if place.part in used and place.feature is None:
            used[place.part].append(place.along)
    for joint in design.joints:
        for side, other in ((joint.first, joint.second), (joint.second, joint.first)):
            if side.place is not None and side.place.feature == "axis" and other.part in walls:
                member = design.part_of(side.part)
                if isinstance(member, MemberValue):
                    used[side.part] += _crossings(member, walls[other.part])
    for part in design.parts:
        if isinstance(part, PointValue):
            yield part, PointMesh(part)
        elif isinstance(part, MeshValue):
            yield part, face_mesh(part, face_cuts(discretisation))
        elif isinstance(part, MemberValue):
            yield part, line_mesh(part, used[part.name], discretisation)
        else:
            yield part, walls[part.name]


def lone_mesh(part: PartValue) -> Mesh:
    """A part by itself, as finely as its mass properties need, whatever is joined to it.

    Mass integrals of straight members and flat faces are exact at any order; those of curves to
    1e-8 here.
    """
    if isinstance(part, PointValue):
        return PointMesh(part)
    if isinstance(part, MeshValue):
        return face_mesh(part, 1)
    if isinstance(part, MemberValue):
        return line_mesh(part, [], Discretisation(1, 4))
    return surface_mesh(part, Discretisation(2, 6), plan_surface(part))


def _crossings(member: MemberValue, wall: SurfaceMesh) -> list[float]:
    """Distances along a member (m) at which it passes from one element of a wall to the next.

    A rib that ends its elements there can follow all the wall does, and no more.
    """

    def looked_at(at: Array) -> IntArray:
        places, tangents, ups = member.path.at(at)
        # A hair to its side, so that a member along an edge of elements stays with one row of them.
        return wall.locate_points(places + _HAIR * wall.size * np.cross(ups, tangents))[0]

    shares = np.linspace(0.0, 1.0, _LOOKS)
    element = looked_at(shares)
    at = np.flatnonzero(np.diff(element))
    low, high, before = shares[at], shares[at + 1], element[at]
    for _ in range(_HALVINGS if len(at) else 0):
        middle = 0.5 * (low + high)
        still = looked_at(middle) == before
        low, high = np.where(still, middle, low), np.where(still, high, middle)
    return [float(place) for place in 0.5 * (low + high) * member.length]


def _wall_mesh(
    design: Design, wall: SurfaceValue, discretisation: Discretisation, plan: SurfacePlan
) -> SurfaceMesh:
    """One wall, elements ending along the lines something is joined to it."""
    coarse = replace(discretisation, divisions=1, order=_COARSE_ORDER)
    lines = list(_joined_lines(design, wall))
    points = list(_joined_points(design, wall))
    marks: tuple[Imprint, ...] = ()
    try:
        if lines or points:
            marks = imprints(surface_mesh(wall, coarse, plan), lines, points)
        return surface_mesh(wall, discretisation, plan, marks)
    except FoldedMeshError:
        # The design has moved too far from the one the plan was made for.
        return surface_mesh(wall, discretisation, plan_surface(wall), marks)


def _joined_points(design: Design, wall: SurfaceValue) -> Iterator[JoinedPoint]:
    """Spots, and ends of members, that joints may tie to a wall."""
    for joint in design.joints:
        if joint.how == "none" or joint.rigid or wall.name not in joint.parts:
            continue
        half = 0.5 * wall.thickness.mean
        for spot in joint.spots:
            reach = half + min(joint.tolerance, wall.size) + _stands_out(design, spot.part)
            yield JoinedPoint(location(design, spot), joint.radius, reach)
        other = joint.first if joint.second.part == wall.name else joint.second
        part = design.part_of(other.part)
        if joint.spots or not isinstance(part, MemberValue):
            continue
        if part.on == wall.name:
            yield from _rib_ends(part, wall)
            continue
        ends = [feature_place(part, end) for end in ("start", "end")]
        for place in ends if other.place is None else [other.place]:
            if place.feature is None:
                reach = half + min(joint.tolerance, wall.size)
                yield JoinedPoint(location(design, place), 0.5 * part.sections.depth, reach)


def _rib_ends(rib: MemberValue, wall: SurfaceValue) -> Iterator[JoinedPoint]:
    """Ends of a rib inside a wall, where what the rib carries enters the wall all at once."""
    thickness = wall.thickness.mean
    for end in (rib.start, rib.stop):
        if _from_rim(wall, end) > thickness + rib.sections.depth:
            yield JoinedPoint(end, 0.5 * thickness, thickness + rib.sections.depth)


def ends_inside(design: Design) -> bool:
    """Whether any rib ends inside its wall, where a mesh settles slowly."""
    walls = {part.name: part for part in design.parts if isinstance(part, SurfaceValue)}
    return any(
        any(_rib_ends(part, walls[part.on]))
        for part in design.parts
        if isinstance(part, MemberValue) and part.on in walls
    )


def _from_rim(wall: SurfaceValue, point: Array) -> float:
    """How far a point is from the nearest edge of a wall (m)."""
    nearest = np.inf
    for feature, sort in wall.features.items():
        if sort != "edge":
            continue
        for line in place_lines(wall, feature_place(wall, feature)):
            start, run = line[:-1], np.diff(line, axis=0)
            length = np.maximum(np.sum(run**2, axis=1), 1e-300)
            share = np.clip(np.sum((point - start) * run, axis=1) / length, 0.0, 1.0)
            away = np.linalg.norm(start + share[:, None] * run - point, axis=1)
            nearest = min(nearest, float(away.min(initial=np.inf)))
    return nearest


def _stands_out(design: Design, name: str) -> float:
    """How far a part's material reaches from the line or surface it is given by (m)."""
    part = design.part_of(name)
    if isinstance(part, MemberValue):
        return 0.5 * part.sections.depth
    return 0.5 * part.thickness.mean if isinstance(part, SurfaceValue) else 0.0


def _joined_lines(design: Design, wall: SurfaceValue) -> Iterator[JoinedLine]:
    """Edges of other walls and axes of members that joints may tie to a wall."""
    for joint in design.joints:
        sides = (joint.first, joint.second)
        if joint.how in ("none", "spots") or wall.name not in joint.parts:
            continue
        other = sides[0] if sides[1].part == wall.name else sides[1]
        part = design.part_of(other.part)
        if isinstance(part, PointValue):
            continue
        places = (
            [other.place]
            if other.place is not None
            else [
                feature_place(part, feature)
                for feature, sort in site_features(part).items()
                if sort in ("edge", "axis") and feature != "outline"
            ]
        )
        if isinstance(part, MeshValue):
            continue  # its edges are short, and seldom run along a coordinate
        if isinstance(part, MemberValue):
            reach = part.sections.depth
        else:
            reach = max(part.thickness.start, part.thickness.stop)
        reach += 0.5 * wall.thickness.mean + min(joint.tolerance, wall.size)
        for place in places:
            yield from (
                JoinedLine(line, reach) for line in place_lines(part, place) if len(line) > 2
            )


def face_cuts(discretisation: Discretisation) -> int:
    """Into how many pieces the edges of a received mesh are cut at a discretisation.

    Its elements have one order; where those of other walls rise from order 3 on, they are cut.
    """
    return max(1, discretisation.order - _WHOLE_ORDER + 1) * discretisation.divisions


def body_elements(mesh: Mesh) -> Elements:
    """The elements of a mesh."""
    if isinstance(mesh, FaceMesh):
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
    if isinstance(mesh, PointMesh):
        return PointElements()
    if isinstance(mesh, LineMesh):
        return LineElements(_line_nodes(mesh))
    assert isinstance(mesh, SurfaceMesh)
    nodes = SurfaceNodes(
        mesh.order,
        mesh.coordinates[mesh.connectivity],
        mesh.directors,
        mesh.first_axes,
        mesh.thickness,
    )
    return SurfaceElements(nodes, mesh.surface.layup)


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
