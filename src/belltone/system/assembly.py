"""From a design and its mesh to sparse matrices with supports and joints worked in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import linalg, sparse

from belltone.elements.lumped import rigid_body_mass
from belltone.mesh.discretisation import Discretisation
from belltone.sheet.design import Design, MassValue
from belltone.system.bodies import Body, body_elements, mesh_bodies
from belltone.system.constraints import one_body, site_motion, site_rows
from belltone.system.elimination import FreeMotions, eliminate
from belltone.system.joints import Ties, joint_ties
from belltone.system.rigid import RigidPart, Stops, rigid_modes, sheet_motions

__all__ = ["System", "assemble", "bodies_of", "work_in_ties"]

Array = NDArray[np.float64]
Matrix = sparse.csc_matrix


@dataclass(frozen=True)
class System:
    """Stiffness and mass over the motions supports and joints permit, and the way back to nodes.

    ``free`` takes reduced vectors to node motions. ``spring_rows`` (s, unknowns) are the motions
    on springs of ``spring_stiffness`` (s,). ``carried`` (6 rows each) gives the motion of each
    lumped mass that moves as one. ``rigid`` (permitted, r) spans the motions without strain that
    are left, orthonormal in the mass; ``rigid_names`` says what each of them is. ``rigid_mass``
    (6, 6) is the mass matrix of the whole component moved as one about the sheet's origin, and
    ``coupling`` (permitted, 6) the mass that ties each permitted motion to those moves.
    """

    bodies: tuple[Body, ...]
    stiffness: Matrix
    mass: Matrix
    free: FreeMotions
    spring_rows: sparse.csr_matrix
    spring_stiffness: Array
    carried: tuple[sparse.csr_matrix, ...]
    rigid: Array
    rigid_names: tuple[str, ...]
    rigid_mass: Array
    coupling: Array

    @property
    def unknowns(self) -> int:
        """Six a node, before anything is held."""
        return int(self.free.basis.shape[0])

    @property
    def elements(self) -> int:
        """Number of elements of all parts."""
        return sum(len(body.mesh.connectivity) for body in self.bodies)

    def node_motions(self, reduced: Array) -> Array:
        """Return motions ``(modes, nodes, 6)`` of reduced vectors ``(permitted, modes)``."""
        full = np.asarray(self.free.basis @ reduced)
        return np.ascontiguousarray(full.T.reshape(full.shape[1], len(full) // 6, 6))

    def strain_energies(self, motions: Array) -> list[Array]:
        """Energy (J) of node motions by kind of strain, ``(modes, kinds)`` for each part."""
        return [
            body.elements.strain_energy(body.motions(motions)).sum(axis=1) for body in self.bodies
        ]

    def spring_energy(self, motions: Array) -> Array:
        """Energy (J) of node motions in the springs, ``(modes,)``."""
        stretched = self.spring_rows @ motions.reshape(len(motions), motions.shape[1] * 6).T
        return np.asarray(0.5 * self.spring_stiffness @ stretched**2)


def bodies_of(design: Design, discretisation: Discretisation) -> tuple[Body, ...]:
    """All parts of a design meshed, their nodes numbered through."""
    bodies: list[Body] = []
    first = 0
    for part, mesh in mesh_bodies(design, discretisation):
        bodies.append(Body(part, mesh, body_elements(mesh), first))
        first += len(mesh.coordinates)
    return tuple(bodies)


def assemble(design: Design, discretisation: Discretisation) -> System:
    """Assemble stiffness and mass of a design and work supports and joints in.

    Raises ``JointError`` where a joint finds nothing to join.
    """
    bodies = bodies_of(design, discretisation)
    by_name = {body.part.name: body for body in bodies}
    coordinates = np.concatenate([body.mesh.coordinates for body in bodies])
    size = 6 * len(coordinates)
    stiffness, mass = _scattered(bodies, size)
    carried, hung, ties = _hang(design, by_name, size)
    mass = mass + hung
    held, on_springs, spring_stiffness = _supports(design, by_name, size)
    joints = joint_ties(design, by_name, size)
    all_springs = sparse.csr_matrix(sparse.vstack([on_springs, joints.sprung]))
    all_stiffness = np.concatenate([spring_stiffness, joints.stiffness])
    spread = sparse.diags_array(all_stiffness)
    stiffness = stiffness + sparse.csc_matrix(all_springs.T @ spread @ all_springs)
    extent = _extent(bodies, coordinates)
    free = work_in_ties(held, ties, joints.held, extent)
    basis = free.basis
    reduced_mass = _symmetric(basis.T @ mass @ basis)
    stops = _stops(design, held, on_springs, ties, joints)
    moved, names = rigid_modes(
        coordinates,
        extent,
        [RigidPart(body.part.name, body.nodes) for body in bodies],
        stops,
        lambda: _lines(design, by_name),
    )
    moves = sheet_motions(coordinates)
    pushed = np.asarray(mass @ moves)
    return System(
        bodies,
        _symmetric(basis.T @ stiffness @ basis),
        reduced_mass,
        free,
        all_springs,
        all_stiffness,
        carried,
        _orthonormal(free.reduced(moved), reduced_mass),
        names,
        moves.T @ pushed,
        np.asarray(basis.T @ pushed),
    )


def work_in_ties(
    held: sparse.csr_matrix,
    bodies: sparse.csr_matrix,
    joints: sparse.csr_matrix,
    extent: float,
) -> FreeMotions:
    """What supports, rigid bodies and joints leave free; ``extent`` (m) weighs turns and slides."""
    rows = sparse.csr_matrix(sparse.vstack([held, bodies, joints]))
    weights = np.tile([1.0, 1.0, 1.0, *([1.0 / extent] * 3)], rows.shape[1] // 6)
    return eliminate(rows, weights)


def _extent(bodies: tuple[Body, ...], coordinates: Array) -> float:
    """A length of the size of the component (m)."""
    if len(bodies) == 1:
        return bodies[0].mesh.size
    return float(np.linalg.norm(np.ptp(coordinates, axis=0)))


def _scattered(bodies: tuple[Body, ...], size: int) -> tuple[Matrix, Matrix]:
    """Stiffness and mass of all parts on all unknowns."""
    six = np.arange(6, dtype=np.int32)
    pieces: list[list[NDArray[np.generic]]] = [[], [], [], []]
    for body in bodies:
        nodes = (body.mesh.connectivity + body.first).astype(np.int32)
        degrees = np.asarray(6 * nodes[..., None] + six, np.int32)
        degrees = degrees.reshape(len(nodes), 6 * nodes.shape[1])
        blocks = body.elements.matrices()
        shape = blocks[0].shape
        pieces[0].append(np.broadcast_to(degrees[:, :, None], shape).ravel())
        pieces[1].append(np.broadcast_to(degrees[:, None, :], shape).ravel())
        for place, block in zip((2, 3), blocks, strict=True):
            pieces[place].append(block.ravel())
    rows, columns, *values = (np.concatenate(piece) for piece in pieces)
    stiffness, mass = (
        sparse.csc_matrix(sparse.coo_matrix((entries, (rows, columns)), shape=(size, size)))
        for entries in values
    )
    return stiffness, mass


def _orthonormal(vectors: Array, mass: Matrix) -> Array:
    """Gram-Schmidt in the mass, in order, which keeps each motion as near its name as can be."""
    if not vectors.shape[1]:
        return vectors
    lower = linalg.cholesky(vectors.T @ (mass @ vectors), lower=True)
    return linalg.solve_triangular(lower, vectors.T, lower=True).T


def _stops(
    design: Design,
    held: sparse.csr_matrix,
    on_springs: sparse.csr_matrix,
    ties: sparse.csr_matrix,
    joints: Ties,
) -> Stops:
    nobody = np.full(held.shape[0] + on_springs.shape[0] + ties.shape[0], -1, dtype=np.intp)
    return Stops(
        sparse.csr_matrix(sparse.vstack([held, on_springs, ties, joints.held, joints.sprung])),
        np.concatenate([nobody, joints.of_held, joints.of_sprung]),
        tuple(joint.name for joint in design.joints),
    )


def _lines(design: Design, bodies: Mapping[str, Body]) -> dict[str, Array]:
    """Sites an axis may be named by: those of a member are points, which many axes pass."""
    return {
        place.site: bodies[place.part].site(place).positions
        for place in design.places.values()
        if place.feature is not None and place.feature not in ("face", "axis")
    }


def _supports(
    design: Design, bodies: Mapping[str, Body], size: int
) -> tuple[sparse.csr_matrix, sparse.csr_matrix, Array]:
    """Rows of held motions, rows of motions on springs, and the springs' stiffness."""
    held, sprung = [sparse.csr_matrix((0, size))], [sparse.csr_matrix((0, size))]
    stiffness = [np.empty(0)]
    for support in design.supports:
        if not support.holds:
            continue
        site = bodies[support.place.part].site(support.place)
        held.append(site_rows(site, support.directions, support.own, size))
        sprung.append(site_rows(site, support.spring_directions, support.springs_own, size))
        stiffness.append(np.outer(site.shares, support.spring_stiffness).ravel())
    return (
        sparse.csr_matrix(sparse.vstack(held)),
        sparse.csr_matrix(sparse.vstack(sprung)),
        np.concatenate(stiffness),
    )


def _hang(
    design: Design, bodies: Mapping[str, Body], size: int
) -> tuple[tuple[sparse.csr_matrix, ...], Matrix, sparse.csr_matrix]:
    """Motions of the lumped masses, their mass matrix, and the ties that make each one body."""
    total = sparse.csc_matrix((size, size))
    carried: list[sparse.csr_matrix] = []
    ties = [sparse.csr_matrix((0, size))]
    for hung in design.masses:
        site = bodies[hung.place.part].site(hung.place)
        if hung.even:
            rows = site_rows(site, np.eye(6)[:3], False, size)
            lumps = sparse.diags_array(np.repeat(hung.mass * site.shares, 3))
            total = total + sparse.csc_matrix(rows.T @ lumps @ rows)
            continue
        motion = site_motion(site, size)
        total = total + sparse.csc_matrix(motion.T @ _lump(hung) @ motion)
        carried.append(motion)
        if len(site) > 1:
            ties.append(one_body(site, size))
    return tuple(carried), total, sparse.csr_matrix(sparse.vstack(ties))


def _lump(hung: MassValue) -> sparse.csr_matrix:
    return sparse.csr_matrix(
        rigid_body_mass(hung.mass, np.array(hung.inertia), np.array(hung.offset))
    )


def _symmetric(matrix: Matrix) -> Matrix:
    """Remove the rounding that the products leave, so that pivots keep their sign's meaning."""
    return sparse.csc_matrix((matrix + matrix.T) * 0.5)
