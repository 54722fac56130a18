"""From a design and its mesh to sparse matrices with the supports worked in."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from belltone.elements.line import LineElements, line_elements
from belltone.elements.lumped import rigid_body_mass
from belltone.mesh.line import Discretisation, LineMesh, line_mesh
from belltone.sheet.design import Design
from belltone.system.constraints import held_rows, permitted_motions
from belltone.system.rigid import rigid_modes, rigid_motions, sheet_motions

__all__ = ["System", "assemble"]

Array = NDArray[np.float64]
Matrix = sparse.csc_matrix


@dataclass(frozen=True)
class System:
    """Stiffness and mass over the motions the supports permit, and the way back to the nodes.

    ``basis`` (unknowns, permitted) takes reduced vectors to node motions; its columns are
    orthonormal. ``springs`` holds node and stiffness (6, 6) of each sprung support. ``rigid``
    (permitted, r) spans the rigid motions left, orthonormal in the mass; ``rigid_names`` says what
    each of them is. ``rigid_mass`` (6, 6) is the mass matrix of the whole component moved as one
    about the sheet's origin, and ``coupling`` (permitted, 6) the mass that ties each permitted
    motion to those moves.
    """

    mesh: LineMesh
    elements: LineElements
    stiffness: Matrix
    mass: Matrix
    basis: Matrix
    springs: tuple[tuple[int, Array], ...]
    rigid: Array
    rigid_names: tuple[str, ...]
    rigid_mass: Array
    coupling: Array

    def node_motions(self, reduced: Array) -> Array:
        """Return motions ``(modes, nodes, 6)`` of reduced vectors ``(permitted, modes)``."""
        full = np.asarray(self.basis @ reduced)
        return np.ascontiguousarray(full.T.reshape(full.shape[1], len(full) // 6, 6))

    def strain_energy(self, motions: Array) -> Array:
        """Energy (J) of node motions by strain, that of the springs last: ``(modes, 7)``."""
        strains = self.elements.strain_energy(self.element_motions(motions))
        held = np.zeros(len(motions))
        for node, matrix in self.springs:
            at = motions[:, node]
            held += 0.5 * np.einsum("mi,ij,mj->m", at, matrix, at)
        return np.column_stack([strains, held])

    def element_motions(self, motions: Array) -> Array:
        """Gather node motions for each element: ``(modes, elements, 6(p+1))``."""
        gathered = motions[:, self.mesh.connectivity]
        return gathered.reshape(*gathered.shape[:2], -1)


def assemble(design: Design, discretisation: Discretisation) -> System:
    """Assemble stiffness and mass of a design and work the supports in."""
    member = design.members[0]
    mesh = line_mesh(design, member, discretisation)
    elements = line_elements(member, mesh.stretches, mesh.order)
    degrees = (6 * mesh.connectivity[:, :, None] + np.arange(6)).reshape(len(mesh.stretches), -1)
    size = mesh.unknowns
    stiffness = _scatter(elements.stiffness, degrees, size)
    mass = _scatter(elements.mass, degrees, size)
    for hung in design.masses:
        node = mesh.site_nodes[hung.place.site]
        block = rigid_body_mass(hung.mass, np.array(hung.inertia), np.array(hung.offset))
        here = (6 * node + np.arange(6))[None]
        mass = mass + _scatter(block[None], here, size)
    springs: list[tuple[int, Array]] = []
    for support in design.supports:
        if len(support.spring_stiffness):
            node = mesh.site_nodes[support.place.site]
            springs.append((node, support.spring_matrix))
            here = (6 * node + np.arange(6))[None]
            stiffness = stiffness + _scatter(support.spring_matrix[None], here, size)
    nodes, rows = held_rows(design.supports, mesh.site_nodes)
    basis = permitted_motions(size, nodes, rows)
    reduced_mass = _symmetric(basis.T @ mass @ basis)
    motions = rigid_motions(mesh.coordinates, member.length)
    stopped_at, stopped = held_rows(design.supports, mesh.site_nodes, with_springs=True)
    rigid, names = rigid_modes(motions, stopped_at, stopped, basis, reduced_mass)
    moves = sheet_motions(mesh.coordinates)
    carried = np.asarray(mass @ moves)
    return System(
        mesh,
        elements,
        _symmetric(basis.T @ stiffness @ basis),
        reduced_mass,
        basis,
        tuple(springs),
        rigid,
        names,
        moves.T @ carried,
        np.asarray(basis.T @ carried),
    )


def _scatter(blocks: Array, degrees: NDArray[np.intp], size: int) -> Matrix:
    rows = np.broadcast_to(degrees[:, :, None], blocks.shape)
    columns = np.broadcast_to(degrees[:, None, :], blocks.shape)
    entries = (blocks.ravel(), (rows.ravel(), columns.ravel()))
    return sparse.csc_matrix(sparse.coo_matrix(entries, shape=(size, size)))


def _symmetric(matrix: Matrix) -> Matrix:
    """Remove the rounding that the products leave, so that pivots keep their sign's meaning."""
    return sparse.csc_matrix((matrix + matrix.T) * 0.5)
