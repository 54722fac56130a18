"""Shapes read off at fixed points of the part, so that any two solutions can be compared."""

from __future__ import annotations

from typing import Final, Protocol

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from belltone.elements.line import LineElements
from belltone.elements.surface import SurfaceElements
from belltone.mesh.line import LineMesh
from belltone.mesh.quadrature import lagrange, lobatto
from belltone.mesh.surface import SurfaceMesh, witness_points
from belltone.sheet.design import Design
from belltone.system.assembly import System

__all__ = ["LineWitness", "SurfaceWitness", "Witness", "signatures", "witness_of"]

Array = NDArray[np.float64]

STATIONS: Final[Array] = np.linspace(0.0, 1.0, 129)
"""Shares of a member's length at which shapes are read: 64 half-waves are still told apart."""


class Witness(Protocol):
    """The fixed points of one part, read on one mesh of it."""

    def shapes(self, motions: Array) -> Array:
        """Read node motions ``(modes, nodes, 6)`` at the points: ``(modes, points, 6)``."""

    def weighted(self, shapes: Array) -> Array:
        """Shapes times the root of the mass they carry, flat: ``(modes, s)``."""

    def reach(self, shapes: Array) -> Array:
        """How far each point moves ``(modes, points)``, at its outermost fibre."""

    def align(self, motions: Array) -> Array:
        """Coefficients ``(k, k)`` that turn modes of equal frequency the same way every time."""

    def densities(self, system: System, motions: Array) -> Array:
        """Strain energy for each unit of length or area at the points, ``(modes, points)``."""


def witness_of(system: System) -> Witness:
    """The witness points of a system's part."""
    if isinstance(system.mesh, LineMesh):
        return LineWitness(system.mesh)
    assert isinstance(system.mesh, SurfaceMesh)
    return SurfaceWitness(system.mesh)


class LineWitness:
    """Points along a member."""

    def __init__(self, mesh: LineMesh) -> None:
        self._mesh = mesh
        self._element, self._local = mesh.sample(STATIONS)
        member = mesh.member
        self.radius = 0.5 * max(member.section.depth, member.section_at_end.depth)

    def shapes(self, motions: Array) -> Array:
        """Read node motions at the points."""
        values, _ = lagrange(lobatto(self._mesh.order), self._local)
        local_motions = motions[:, self._mesh.connectivity[self._element]]
        return np.asarray(np.einsum("si,msid->msd", values, local_motions, optimize=True))

    def weighted(self, shapes: Array) -> Array:
        """Shapes times the root of the mass they carry."""
        member = self._mesh.member
        section = member.section_at(STATIONS).properties(member.material.poisson_ratio)
        weights = np.full(len(STATIONS), 1.0 / (len(STATIONS) - 1))
        weights[[0, -1]] *= 0.5
        line = weights * member.length * member.material.density
        turning = np.column_stack(
            [
                section.second_moment_y + section.second_moment_z,
                section.second_moment_y,
                section.second_moment_z,
            ]
        )
        pieces = [
            shapes[..., :3] * np.sqrt(line * section.area)[:, None],
            (shapes[..., 3:] @ member.frame.T) * np.sqrt(line[:, None] * turning),
        ]
        return np.hstack([piece.reshape(len(shapes), 3 * len(STATIONS)) for piece in pieces])

    def reach(self, shapes: Array) -> Array:
        """How far each point moves."""
        moving = np.linalg.norm(shapes[..., :3], axis=-1)
        turning = self.radius * np.linalg.norm(shapes[..., 3:], axis=-1)
        return np.asarray(np.maximum(moving, turning))

    def align(self, motions: Array) -> Array:
        """Turn equal modes the same way every time."""
        # Along the axis, the side and up: three unlike weights tell them apart.
        along = motions[..., :3] @ self._mesh.member.frame.T
        weighted = np.einsum("mnd,d,knd->mk", along, [0.5, 2.0, 1.0], along, optimize=True)
        return np.asarray(np.linalg.eigh(weighted)[1])

    def densities(self, system: System, motions: Array) -> Array:
        """Strain energy for each unit of length or area."""
        elements = system.elements
        assert isinstance(elements, LineElements)
        return elements.energy_at(system.element_motions(motions), self._element, self._local)


class SurfaceWitness:
    """Points spread evenly over every block of a plate or shell."""

    def __init__(self, mesh: SurfaceMesh) -> None:
        self._mesh = mesh
        blocks, u, v, _ = witness_points(mesh.blocks)
        elements, weights = mesh.sample((blocks, u, v))
        nodes = mesh.connectivity[elements]
        rows = np.repeat(np.arange(len(nodes)), nodes.shape[1])
        self.reading = sparse.csr_matrix(
            (weights.ravel(), (rows, nodes.ravel())), shape=(len(nodes), len(mesh.coordinates))
        )
        self._density = mesh.surface.layup.density
        self.positions = np.asarray(self.reading @ mesh.coordinates)
        self.normals = np.einsum("sk,skd->sd", weights, mesh.directors[elements])
        self._elements, self._weights = elements, weights
        thickness = np.sum(weights * mesh.thickness[elements], axis=1)
        # Mass of a point: its share of the parts of the elements it was read on.
        area = np.sum(weights * mesh.stretch[elements], axis=1) / self._counts()[elements]
        wall = mesh.surface.layup.density * thickness + mesh.surface.layup.mass_per_area
        self.masses = np.maximum(area, 0.0) * wall

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

    def reach(self, shapes: Array) -> Array:
        """How far each point moves."""
        return np.asarray(np.linalg.norm(shapes[..., :3], axis=-1))

    def align(self, motions: Array) -> Array:
        """Turn equal modes the same way every time."""
        # The first mode takes all the motion of one fixed point, so the others have none there.
        shapes = self.shapes(motions)[..., :3]
        moving = np.sum(shapes**2, axis=(0, 2))
        point = int(np.argmax(moving > 0.7 * moving.max()))
        return np.asarray(np.linalg.svd(shapes[:, point])[0])

    def densities(self, system: System, motions: Array) -> Array:
        """Strain energy for each unit of length or area."""
        elements = system.elements
        assert isinstance(elements, SurfaceElements)
        at_nodes = elements.energy_density(system.element_motions(motions))
        read = np.einsum("sk,msk->ms", self._weights, at_nodes[:, self._elements], optimize=True)
        return np.asarray(np.maximum(read, 0.0))


def signatures(design: Design, system: System, witness: Witness, motions: Array) -> Array:
    """Return mass-weighted unit vectors ``(modes, s)``; their products are modal assurances.

    Points of the part carry its mass, and lumped masses that move as one their own, at the end.
    """
    flat = [witness.weighted(witness.shapes(motions))]
    unknowns = motions.reshape(len(motions), motions.shape[1] * 6).T
    bodies = [hung for hung in design.masses if not hung.even]
    for hung, rows in zip(bodies, system.carried, strict=True):
        motion = np.asarray(rows @ unknowns).T
        centre = motion[:, :3] + np.cross(motion[:, 3:], np.array(hung.offset))
        flat += [np.sqrt(hung.mass) * centre, np.sqrt(np.array(hung.inertia)) * motion[:, 3:]]
    vectors = np.hstack(flat)
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(lengths > 0, lengths, 1.0))
