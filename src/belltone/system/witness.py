"""Shapes read off at fixed points of the part, so that any two solutions can be compared."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Protocol

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.parts import MemberValue
from belltone.elements.facets import FacetElements
from belltone.elements.line import LineElements
from belltone.elements.point import PointElements
from belltone.elements.surface import SurfaceElements
from belltone.mesh.faces import FaceMesh
from belltone.mesh.line import LineMesh
from belltone.mesh.quadrature import lagrange, lobatto, lobatto_weights
from belltone.mesh.surface import SurfaceMesh, witness_points
from belltone.system.bodies import Body
from belltone.vectors import cross

__all__ = ["PartWitness", "SurfaceWitness", "Witness"]

Array = NDArray[np.float64]


class PartWitness(Protocol):
    """The fixed points of one part, read on one mesh of it: where they are (m) and masses (kg)."""

    positions: Array
    masses: Array

    def shapes(self, motions: Array) -> Array:
        """Read the part's node motions ``(modes, nodes, 6)`` at them: ``(modes, points, 6)``."""

    def weighted(self, shapes: Array) -> Array:
        """Shapes times the root of the mass they carry, flat: ``(modes, s)``."""

    def reach(self, shapes: Array) -> Array:
        """How far each point moves ``(modes, points)``, at its outermost fibre."""

    def across(self, shapes: Array) -> Array:
        """Moving mass times motion squared along the material, sideways and up, ``(modes, 3)``.

        Along a member's axis or in a wall's plane; by a member's side, which a wall has none of; by
        a member's up or a wall's normal.
        """

    def densities(self, motions: Array) -> Array:
        """Strain energy by length or area at the points ``(modes, points)``, of element motions."""

    def motion_densities(self, shapes: Array) -> Array:
        """Kinetic energy by length or area at the points, ``(modes, points)``, of velocities."""

    def align(self, motions: Array) -> Array | None:
        """Coefficients that turn equal modes the part's own way, where it has one."""

    def stressed(
        self, elements: Any, motions: Array | None, heat: float, pull: float
    ) -> tuple[Array, Array]:
        """Resultants ``(points, 6)`` and stresses ``(points, 3)`` (Pa) of small element motions.

        ``elements`` are those of the loaded body, whose own pose counts where there are no
        ``motions``. ``heat`` (K) and ``pull`` (N) are those it has from the start.
        """


class Witness:
    """The fixed points of all parts, in order."""

    def __init__(self, bodies: Sequence[Body], parts: Sequence[PartWitness]) -> None:
        self._bodies, self.parts = bodies, tuple(parts)
        empty = [np.zeros((0, len(body.mesh.coordinates), 6)) for body in bodies]
        self.counts = tuple(
            part.shapes(none).shape[1] for part, none in zip(self.parts, empty, strict=True)
        )

    def shapes(self, motions: Array) -> Array:
        """Read node motions ``(modes, nodes, 6)`` at the points: ``(modes, points, 6)``."""
        return np.concatenate(
            [
                part.shapes(motions[:, body.nodes])
                for part, body in zip(self.parts, self._bodies, strict=True)
            ],
            axis=1,
        )

    def split(self, shapes: Array) -> list[Array]:
        """Values at all points ``(modes, points, ...)``, part by part."""
        return np.split(shapes, np.cumsum(self.counts)[:-1], axis=1)

    def weighted(self, shapes: Array) -> Array:
        """Shapes times the root of the mass they carry, flat: ``(modes, s)``."""
        pairs = zip(self.parts, self.split(shapes), strict=True)
        return np.hstack([part.weighted(own) for part, own in pairs])

    def reach(self, shapes: Array) -> Array:
        """How far each point moves ``(modes, points)``, at its outermost fibre."""
        pairs = zip(self.parts, self.split(shapes), strict=True)
        return np.hstack([part.reach(own) for part, own in pairs])

    def moving(self, shapes: Array) -> Array:
        """Moving mass times motion squared along x, y and z, ``(modes, 3)``."""
        total = np.zeros((len(shapes), 3))
        for axis in range(3):
            along = np.zeros_like(shapes)
            along[..., axis] = shapes[..., axis]
            total[:, axis] = np.sum(self.weighted(along) ** 2, axis=1)
        return total

    def across(self, shapes: Array) -> Array:
        """Moving mass times motion squared along the material, sideways and up, ``(modes, 3)``."""
        pairs = zip(self.parts, self.split(shapes), strict=True)
        return np.asarray(sum(part.across(own) for part, own in pairs))

    def densities(self, motions: Array) -> Array:
        """Strain energy by length or area ``(modes, points)`` of node motions; 1 is a part's most.

        A length of a member and an area of a wall cannot be held against each other, so where
        both are there each part's are of its own largest value times its share of the energy.
        """
        found = [
            part.densities(body.motions(motions))
            for part, body in zip(self.parts, self._bodies, strict=True)
        ]
        sizes = None
        if self._of_both:
            sizes = [
                body.elements.strain_energy(body.motions(motions)).sum(axis=(1, 2))
                for body in self._bodies
            ]
        return _relative(found, sizes)

    def motion_densities(self, shapes: Array) -> Array:
        """Kinetic energy by length or area ``(modes, points)`` of shapes, as `densities`."""
        pairs = list(zip(self.parts, self.split(shapes), strict=True))
        found = [part.motion_densities(own) for part, own in pairs]
        sizes = None
        if self._of_both:
            sizes = [np.sum(part.weighted(own) ** 2, axis=1) for part, own in pairs]
        return _relative(found, sizes)

    @property
    def _of_both(self) -> bool:
        """Whether there are members and walls."""
        return len({body.part.is_wall for body in self._bodies if body.part.is_solid}) > 1

    def align(self, motions: Array) -> Array:
        """Coefficients ``(k, k)`` that turn modes of equal frequency the same way every time."""
        if len(self.parts) == 1 and (own := self.parts[0].align(motions)) is not None:
            return own
        # The first mode takes all the motion of one fixed point, so the others have none there.
        shapes = self.shapes(motions)[..., :3]
        moving = np.sum(shapes**2, axis=(0, 2))
        point = int(np.argmax(moving > 0.7 * moving.max()))
        return np.asarray(np.linalg.svd(shapes[:, point])[0])


class PointWitness:
    """A point without material."""

    def __init__(self, body: Body) -> None:
        self.positions = body.mesh.coordinates
        self.masses = np.zeros(1)

    def shapes(self, motions: Array) -> Array:
        return motions

    def weighted(self, shapes: Array) -> Array:
        return np.zeros((len(shapes), 0))

    def reach(self, shapes: Array) -> Array:
        return np.asarray(np.linalg.norm(shapes[..., :3], axis=-1))

    def across(self, shapes: Array) -> Array:
        return np.zeros((len(shapes), 3))

    def densities(self, motions: Array) -> Array:
        return np.zeros((len(motions), 1))

    def motion_densities(self, shapes: Array) -> Array:
        return np.zeros((len(shapes), 1))

    def align(self, motions: Array) -> None:
        del motions

    def stressed(
        self, elements: PointElements, motions: Array | None, heat: float, pull: float
    ) -> tuple[Array, Array]:
        del elements, motions, heat, pull
        return np.zeros((1, 6)), np.zeros((1, 3))


class FaceWitness:
    """The nodes of a received mesh as it came."""

    def __init__(self, body: Body) -> None:
        mesh, elements = body.mesh, body.elements
        assert isinstance(mesh, FaceMesh)
        assert isinstance(elements, FacetElements)
        self._count = len(mesh.part.points)
        self._elements, self._areas = elements, elements.areas
        self._connectivity = mesh.connectivity
        self.positions = mesh.part.points
        wall = mesh.part.thickness * mesh.part.density
        self.masses = np.zeros(len(mesh.coordinates))
        for corner in range(3):
            share = self._areas * wall[mesh.face] / 3
            np.add.at(self.masses, mesh.connectivity[:, corner], share)
        self._walls = mesh.part.thickness[mesh.face]
        self._area_mass = self.read_faces(wall[mesh.face][:, None])[:, 0]
        self._normals = mesh.normals[: self._count]
        # What the nodes between the file's own carry is shared out evenly.
        own = self.masses[: self._count]
        self.masses = own * (self.masses.sum() / own.sum())

    def shapes(self, motions: Array) -> Array:
        return motions[:, : self._count]

    def weighted(self, shapes: Array) -> Array:
        flat = shapes[..., :3] * np.sqrt(self.masses)[:, None]
        return np.asarray(flat.reshape(len(shapes), 3 * self._count))

    def reach(self, shapes: Array) -> Array:
        return np.asarray(np.linalg.norm(shapes[..., :3], axis=-1))

    def across(self, shapes: Array) -> Array:
        return _out_of_wall(shapes, self._normals, self.masses)

    @property
    def thickness(self) -> Array:
        """Mean thickness of the wall at the points (m)."""
        return self.read_faces(self._walls[:, None])[:, 0]

    def read_faces(self, values: Array) -> Array:
        """Values ``(triangles, k)``, their mean by area at the points."""
        total = np.zeros((self._count, values.shape[1]))
        areas = np.zeros(self._count)
        for corner in range(3):
            own = self._connectivity[:, corner]
            here = own < self._count
            np.add.at(areas, own[here], self._areas[here])
            np.add.at(total, own[here], self._areas[here, None] * values[here])
        return total / np.maximum(areas, 1e-300)[:, None]

    def densities(self, motions: Array) -> Array:
        density = self._elements.strain_energy(motions).sum(axis=2) / self._areas
        total, count = np.zeros((len(density), self._count)), np.zeros(self._count)
        for corner in range(3):
            own = self._connectivity[:, corner]
            here = own < self._count
            np.add.at(count, own[here], 1.0)
            for mode, row in enumerate(density):
                np.add.at(total[mode], own[here], row[here])
        return np.asarray(np.maximum(total, 0.0) / np.maximum(count, 1.0))

    def motion_densities(self, shapes: Array) -> Array:
        return np.asarray(np.sum(shapes[..., :3] ** 2, axis=-1) * self._area_mass)

    def align(self, motions: Array) -> None:
        del motions

    def stressed(
        self, elements: FacetElements, motions: Array | None, heat: float, pull: float
    ) -> tuple[Array, Array]:
        """Of the membrane alone, the same on both faces."""
        del pull
        assert motions is not None
        mean = self.read_faces(elements.recovered(motions, heat))
        one, two, shear = mean.T
        stress = np.sqrt(one**2 - one * two + two**2 + 3 * shear**2) / self.thickness
        stresses = np.stack([stress, stress, np.zeros_like(stress)], axis=1)
        return np.hstack([mean, np.zeros_like(mean)]), stresses


class LineWitness:
    """Points along a member; ``frames`` (points, 3, 3) are its axis, side and up there as rows."""

    def __init__(self, body: Body, count: int) -> None:
        assert isinstance(body.mesh, LineMesh)
        assert isinstance(body.elements, LineElements)
        self._mesh, self._elements = body.mesh, body.elements
        self._shares = np.linspace(0.0, 1.0, count)
        self._element, self._local = body.mesh.sample(self._shares)
        member = self.member = body.mesh.member
        self.radius = 0.5 * member.sections.depth
        _, tangents, ups = member.path.at(self._shares)
        side = cross(ups, tangents)
        self.frames = np.stack([tangents, side, cross(tangents, side)], axis=1)
        self.positions = member.path.at(self._shares)[0]
        weights = np.full(count, 1.0 / (count - 1))
        weights[[0, -1]] *= 0.5
        section = member.section_at(self._shares).properties(member.material.poisson_ratio)
        self._lengths = weights * member.length
        self.masses = self._lengths * (member.material.density * section.area + member.line_mass)

    @property
    def sample(self) -> tuple[NDArray[np.intp], Array]:
        """The element each point is on, and where on it (-1 to 1)."""
        return self._element, self._local

    def shapes(self, motions: Array) -> Array:
        values, _ = lagrange(lobatto(self._mesh.order), self._local)
        local_motions = motions[:, self._mesh.connectivity[self._element]]
        return np.asarray(np.einsum("si,msid->msd", values, local_motions, optimize=True))

    def weighted(self, shapes: Array) -> Array:
        member, count = self._mesh.member, len(self._shares)
        section = member.section_at(self._shares).properties(member.material.poisson_ratio)
        lengths, line = self._lengths, self.masses
        turning = np.diagonal(section.turning(), axis1=-2, axis2=-1) * member.material.density
        own = np.einsum("skd,msd->msk", self.frames, shapes[..., 3:])
        pieces = [
            shapes[..., :3] * np.sqrt(line)[:, None],
            own * np.sqrt(lengths[:, None] * turning),
        ]
        return np.hstack([piece.reshape(len(shapes), 3 * count) for piece in pieces])

    def reach(self, shapes: Array) -> Array:
        moving = np.linalg.norm(shapes[..., :3], axis=-1)
        turning = self.radius * np.linalg.norm(shapes[..., 3:], axis=-1)
        return np.asarray(np.maximum(moving, turning))

    def across(self, shapes: Array) -> Array:
        own = np.einsum("skd,msd->msk", self.frames, shapes[..., :3])
        return np.asarray(np.einsum("s,msk->mk", self.masses, own**2))

    def align(self, motions: Array) -> Array:
        # Along the axis, the side and up: three unlike weights tell them apart.
        along = motions[..., :3] @ self._mesh.member.frame.T
        weighted = np.einsum("mnd,d,knd->mk", along, [0.5, 2.0, 1.0], along, optimize=True)
        return np.asarray(np.linalg.eigh(weighted)[1])

    def densities(self, motions: Array) -> Array:
        found = self._elements.energy_at(motions, self._element, self._local)
        return np.asarray(np.maximum(found, 0.0))

    def motion_densities(self, shapes: Array) -> Array:
        pieces = self.weighted(shapes).reshape(len(shapes), 2, len(self._lengths), 3)
        return np.asarray(np.sum(pieces**2, axis=(1, 3)) / self._lengths)

    def stressed(
        self, elements: LineElements, motions: Array | None, heat: float, pull: float
    ) -> tuple[Array, Array]:
        """Section forces, the largest and least axial stress, and at most so much shear stress."""
        values = elements.section_forces(motions, heat, pull)
        forces = elements.read_at(values, self._element, self._local)
        return forces, _fibres(self._mesh.member, forces)


class SurfaceWitness:
    """Points spread evenly over every block of a plate or shell."""

    def __init__(self, body: Body) -> None:
        mesh = body.mesh
        assert isinstance(mesh, SurfaceMesh)
        self._mesh = mesh
        self._surface_elements = body.elements
        blocks, u, v, _ = witness_points(mesh.blocks)
        elements, weights = mesh.sample((blocks, u, v))
        nodes = mesh.connectivity[elements]
        rows = np.repeat(np.arange(len(nodes)), nodes.shape[1])
        self.reading = scipy.sparse.csr_matrix(
            (weights.ravel(), (rows, nodes.ravel())), shape=(len(nodes), len(mesh.coordinates))
        )
        self.positions = np.asarray(self.reading @ mesh.coordinates)
        self.normals = np.einsum("sk,skd->sd", weights, mesh.directors[elements])
        self._elements, self._weights = elements, weights
        thickness = np.sum(weights * mesh.thickness[elements], axis=1)
        # Mass of a point: its share of the element it was read on, a square of side two by itself.
        area = 4.0 * np.sum(weights * mesh.stretch[elements], axis=1) / self._counts()[elements]
        layup = mesh.surface.layup
        self._area_mass = layup.density * thickness + layup.mass_per_area
        self.masses = np.maximum(area, 0.0) * self._area_mass
        # Narrow elements beside rims may have no point on them; the others carry for them.
        walls = layup.density * mesh.thickness + layup.mass_per_area
        line = lobatto_weights(mesh.order)
        whole = float(np.sum((mesh.stretch * walls) @ np.kron(line, line)))
        self.masses *= whole / max(float(self.masses.sum()), 1e-300)

    def _counts(self) -> Array:
        """How many points stand on each element."""
        return np.asarray(
            np.maximum(np.bincount(self._elements, minlength=len(self._mesh.connectivity)), 1.0)
        )

    def shapes(self, motions: Array) -> Array:
        """Read node motions at the points."""
        count, nodes, _ = motions.shape
        flat = motions.transpose(1, 0, 2).reshape(nodes, 6 * count)
        read = np.asarray(self.reading @ flat).reshape(len(self.masses), count, 6)
        return read.transpose(1, 0, 2)

    def weighted(self, shapes: Array) -> Array:
        """Shapes times the root of the mass they carry."""
        flat = shapes[..., :3] * np.sqrt(self.masses)[:, None]
        return np.asarray(flat.reshape(len(shapes), 3 * len(self.masses)))

    def read_elements(self, values: Array) -> Array:
        """Values ``(elements, nodes, k)`` at the nodes of elements, read at the points."""
        return np.asarray(np.einsum("sk,skc->sc", self._weights, values[self._elements]))

    def reach(self, shapes: Array) -> Array:
        """How far each point moves."""
        return np.asarray(np.linalg.norm(shapes[..., :3], axis=-1))

    def across(self, shapes: Array) -> Array:
        """In the wall's plane, and along its normal."""
        return _out_of_wall(shapes, self.normals, self.masses)

    def densities(self, motions: Array) -> Array:
        """Strain energy for each unit of area."""
        assert isinstance(self._surface_elements, SurfaceElements)
        at_nodes = self._surface_elements.energy_density(motions)
        read = np.einsum("sk,msk->ms", self._weights, at_nodes[:, self._elements], optimize=True)
        return np.asarray(np.maximum(read, 0.0))

    def motion_densities(self, shapes: Array) -> Array:
        """Kinetic energy for each unit of area."""
        return np.asarray(np.sum(shapes[..., :3] ** 2, axis=-1) * self._area_mass)

    def align(self, motions: Array) -> None:
        """None of its own."""
        del motions

    def stressed(
        self, elements: SurfaceElements, motions: Array | None, heat: float, pull: float
    ) -> tuple[Array, Array]:
        """Resultants, and the von Mises stress at the inner and the outer face.

        Where elements meet, their mean is taken.
        """
        del pull
        read = self.read_elements(self._mesh.smoothed(elements.recovered(motions, heat)))
        stresses = np.maximum(read[:, 6:], 0.0)
        return read[:, :6], np.column_stack([stresses, np.zeros(len(stresses))])


def _relative(found: Sequence[Array], sizes: Sequence[Array] | None) -> Array:
    """Values of all parts relative to the largest; a part's own times its size, where stated."""
    if sizes is not None:
        found = [
            own / np.maximum(own.max(axis=1, keepdims=True), 1e-300) * size[:, None]
            for own, size in zip(found, sizes, strict=True)
        ]
    whole = np.hstack(found)
    return np.asarray(whole / np.maximum(whole.max(axis=1, keepdims=True), 1e-300))


def _fibres(member: MemberValue, forces: Array) -> Array:
    """Stress (Pa) over each section: the largest and least axial one, and at most so much shear."""
    shares = np.linspace(0.0, 1.0, len(forces))
    section = member.section_at(shares)
    made = section.properties(member.material.poisson_ratio)
    low, high = np.full(len(forces), np.inf), np.full(len(forces), -np.inf)
    area, product = np.broadcast_to(made.area, shares.shape), made.product_moment
    about_y, about_z = made.second_moment_y, made.second_moment_z
    bottom = about_y * about_z - np.square(product)
    curve_y = (forces[:, 4] * about_z + forces[:, 5] * product) / bottom
    curve_z = (forces[:, 5] * about_y + forces[:, 4] * product) / bottom
    ends = [member.section_at(np.array(share)).outline()[0] for share in (0.0, 1.0)]
    if len(ends[0]) != len(ends[1]):
        ends[1] = ends[0]
    for corner in range(len(ends[0])):
        y, z = (ends[0][corner] + shares[:, None] * (ends[1][corner] - ends[0][corner])).T
        stress = forces[:, 0] / area + curve_y * z - curve_z * y
        low, high = np.minimum(low, stress), np.maximum(high, stress)
    shear = made.most_shear(forces[:, 1], forces[:, 2], forces[:, 3])
    return np.stack([high, low, shear], axis=1)


def _out_of_wall(shapes: Array, normals: Array, masses: Array) -> Array:
    moved = np.einsum("mpd,p->m", shapes[..., :3] ** 2, masses)
    out = np.einsum("mpd,pd->mp", shapes[..., :3], normals) ** 2 @ masses
    return np.stack([np.maximum(moved - out, 0.0), np.zeros_like(out), out], axis=1)
