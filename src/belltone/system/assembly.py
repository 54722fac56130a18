"""From a design and its mesh to sparse matrices with the supports worked in."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from belltone.elements.lumped import rigid_body_mass
from belltone.mesh.discretisation import Discretisation
from belltone.sheet.design import Design, MassValue, Place
from belltone.system.bodies import Elements, Mesh, mesh_part, part_elements
from belltone.system.constraints import merged, permitted_motions, site_motion, site_rows
from belltone.system.rigid import rigid_modes, rigid_motions, sheet_motions

__all__ = ["System", "assemble"]

Array = NDArray[np.float64]
Matrix = sparse.csc_matrix


@dataclass(frozen=True)
class System:
    """Stiffness and mass over the motions the supports permit, and the way back to the nodes.

    ``basis`` (unknowns, permitted) takes reduced vectors to node motions; its columns are
    orthonormal. ``spring_rows`` (s, unknowns) are the motions on springs of ``spring_stiffness``
    (s,). ``carried`` (6 rows each) gives the motion of each lumped mass that moves as one.
    ``rigid`` (permitted, r) spans the rigid motions left, orthonormal in the mass; ``rigid_names``
    says what each of them is. ``rigid_mass`` (6, 6) is the mass matrix of the whole component
    moved as one about the sheet's origin, and ``coupling`` (permitted, 6) the mass that ties each
    permitted motion to those moves.
    """

    mesh: Mesh
    elements: Elements
    stiffness: Matrix
    mass: Matrix
    basis: Matrix
    spring_rows: sparse.csr_matrix
    spring_stiffness: Array
    carried: tuple[sparse.csr_matrix, ...]
    rigid: Array
    rigid_names: tuple[str, ...]
    rigid_mass: Array
    coupling: Array

    def node_motions(self, reduced: Array) -> Array:
        """Return motions ``(modes, nodes, 6)`` of reduced vectors ``(permitted, modes)``."""
        full = np.asarray(self.basis @ reduced)
        return np.ascontiguousarray(full.T.reshape(full.shape[1], len(full) // 6, 6))

    def strain_energy(self, motions: Array) -> Array:
        """Energy (J) of node motions by strain, that of the springs last: ``(modes, k + 1)``."""
        strains = self.elements.strain_energy(self.element_motions(motions))
        stretched = self.spring_rows @ motions.reshape(len(motions), motions.shape[1] * 6).T
        held = 0.5 * self.spring_stiffness @ stretched**2
        return np.column_stack([strains, held])

    def element_motions(self, motions: Array) -> Array:
        """Gather node motions for each element: ``(modes, elements, 6 nodes)``."""
        gathered = motions[:, self.mesh.connectivity]
        return gathered.reshape(*gathered.shape[:2], -1)


def assemble(design: Design, discretisation: Discretisation) -> System:
    """Assemble stiffness and mass of a design and work the supports in."""
    mesh = mesh_part(design, discretisation)
    elements = part_elements(mesh)
    size = mesh.unknowns
    nodes = mesh.connectivity.astype(np.int32)
    six = np.arange(6, dtype=np.int32)
    degrees = np.asarray(6 * nodes[..., None] + six, np.int32).reshape(len(nodes), -1)
    stiffness, mass = (
        _scatter(blocks, degrees.astype(np.int32), size) for blocks in elements.matrices()
    )
    carried, hung, groups = _hang(design, mesh)
    mass = mass + hung
    rows, on_springs, spring_stiffness = _supports(design, mesh)
    spread = sparse.diags_array(spring_stiffness)
    stiffness = stiffness + sparse.csc_matrix(on_springs.T @ spread @ on_springs)
    basis = permitted_motions(mesh.coordinates, rows, groups)
    reduced_mass = _symmetric(basis.T @ mass @ basis)
    stopped = sparse.csr_matrix(sparse.vstack([rows, on_springs]))
    motions = rigid_motions(mesh.coordinates, mesh.size)
    rigid, names = rigid_modes(
        motions,
        mesh.coordinates.mean(axis=0),
        mesh.size,
        stopped,
        basis,
        reduced_mass,
        lambda: {name: mesh.site(place).positions for name, place in _lines(design).items()},
    )
    moves = sheet_motions(mesh.coordinates)
    moved = np.asarray(mass @ moves)
    return System(
        mesh,
        elements,
        _symmetric(basis.T @ stiffness @ basis),
        reduced_mass,
        basis,
        on_springs,
        spring_stiffness,
        carried,
        rigid,
        names,
        moves.T @ moved,
        np.asarray(basis.T @ moved),
    )


def _lines(design: Design) -> dict[str, Place]:
    """Sites an axis may be named by: those of a member are points, which many axes pass."""
    return {
        place.site: place
        for place in design.places.values()
        if place.feature is not None and place.feature != "face"
    }


def _supports(design: Design, mesh: Mesh) -> tuple[sparse.csr_matrix, sparse.csr_matrix, Array]:
    """Rows of held motions, rows of motions on springs, and the springs' stiffness."""
    size = mesh.unknowns
    held, sprung = [sparse.csr_matrix((0, size))], [sparse.csr_matrix((0, size))]
    stiffness = [np.empty(0)]
    for support in design.supports:
        if not support.holds:
            continue
        site = mesh.site(support.place)
        held.append(site_rows(site, support.directions, support.own, size))
        sprung.append(site_rows(site, support.spring_directions, support.springs_own, size))
        stiffness.append(np.outer(site.shares, support.spring_stiffness).ravel())
    return (
        sparse.csr_matrix(sparse.vstack(held)),
        sparse.csr_matrix(sparse.vstack(sprung)),
        np.concatenate(stiffness),
    )


def _hang(
    design: Design, mesh: Mesh
) -> tuple[tuple[sparse.csr_matrix, ...], Matrix, list[NDArray[np.intp]]]:
    """Motions of the lumped masses, their mass matrix, and the nodes each ties into one body."""
    size = mesh.unknowns
    total = sparse.csc_matrix((size, size))
    carried: list[sparse.csr_matrix] = []
    groups: list[NDArray[np.intp]] = []
    for hung in design.masses:
        site = mesh.site(hung.place)
        if hung.even:
            rows = site_rows(site, np.eye(6)[:3], False, size)
            lumps = sparse.diags_array(np.repeat(hung.mass * site.shares, 3))
            total = total + sparse.csc_matrix(rows.T @ lumps @ rows)
            continue
        motion = site_motion(site, size)
        total = total + sparse.csc_matrix(motion.T @ _body(hung) @ motion)
        carried.append(motion)
        if len(site) > 1:
            groups.append(site.nodes.ravel())
    return tuple(carried), total, merged(groups)


def _body(hung: MassValue) -> sparse.csr_matrix:
    return sparse.csr_matrix(
        rigid_body_mass(hung.mass, np.array(hung.inertia), np.array(hung.offset))
    )


def _scatter(blocks: Array, degrees: NDArray[np.integer], size: int) -> Matrix:
    rows = np.broadcast_to(degrees[:, :, None], blocks.shape)
    columns = np.broadcast_to(degrees[:, None, :], blocks.shape)
    entries = (blocks.ravel(), (rows.ravel(), columns.ravel()))
    return sparse.csc_matrix(sparse.coo_matrix(entries, shape=(size, size)))


def _symmetric(matrix: Matrix) -> Matrix:
    """Remove the rounding that the products leave, so that pivots keep their sign's meaning."""
    return sparse.csc_matrix((matrix + matrix.T) * 0.5)
