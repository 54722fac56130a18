"""From a design and its mesh to sparse matrices with supports and joints worked in."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.values import Design, SupportValue
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.sites import SiteNodes
from belltone.progress import Progress
from belltone.system.bodies import Body
from belltone.system.constraints import Tie, one_body, site_motion, site_rows
from belltone.system.division import mesh_bodies
from belltone.system.elimination import FreeMotions, eliminate
from belltone.system.joints import Rule, joint_ties
from belltone.system.kept_meshes import KeptMeshes, matrices_of
from belltone.system.kinds import body_of, kind_of, place_lines
from belltone.system.lumps import hung_mass, lump_of
from belltone.system.pattern import Places, Structure
from belltone.system.pose import Pose
from belltone.system.rigid import RigidPart, Stops, rigid_modes, sheet_motions

__all__ = ["Assembly", "System", "assemble", "bodies_of", "symmetric", "work_in_ties"]

Array = NDArray[np.float64]
Matrix = scipy.sparse.csc_matrix


_NO_ARM: Final = 1e-6  # of the size


@dataclass(frozen=True, kw_only=True)
class System:
    """Stiffness and mass over the motions supports and joints permit, and the way back to nodes.

    ``free`` takes reduced vectors to node motions. ``spring_rows`` (s, unknowns) are the motions
    on springs of ``spring_stiffness`` (s,). ``carried`` (6 rows each) gives the motion of each
    lumped mass that moves as one. ``rigid`` (permitted, r) spans the motions without strain that
    are left, orthonormal in the mass; ``rigid_names`` says what each of them is. ``rigid_mass``
    (6, 6) is the mass matrix of the whole component moved as one about the sheet's origin, and
    ``coupling`` (permitted, 6) the mass that ties each permitted motion to those moves.
    ``spring_names`` are of the supports and joints with springs, ``spring_of`` (s,) whose each is.
    ``unreduced`` is the stiffness on all unknowns, where a preload needs it; of that,
    ``stress_stiffness`` is the share in ``stiffness`` that comes from stress and loads.
    """

    bodies: tuple[Body, ...]
    stiffness: Matrix
    mass: Matrix
    free: FreeMotions
    spring_rows: scipy.sparse.csr_matrix
    spring_stiffness: Array
    carried: tuple[scipy.sparse.csr_matrix, ...]
    rigid: Array
    rigid_names: tuple[str, ...]
    rigid_mass: Array
    coupling: Array
    unreduced: Matrix | None = None
    stress_stiffness: Matrix | None = None
    spring_names: tuple[str, ...] = ()
    spring_of: NDArray[np.intp] = field(default_factory=lambda: np.zeros(0, np.intp))

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
        return np.asarray(self.spring_energies(motions).sum(axis=1))

    def spring_energies(self, motions: Array) -> Array:
        """Energy (J) of node motions in the springs by support and joint, ``(modes, names)``."""
        stretched = self.spring_rows @ motions.reshape(len(motions), motions.shape[1] * 6).T
        energies = 0.5 * self.spring_stiffness[:, None] * stretched**2
        found = np.zeros((len(motions), max(len(self.spring_names), 1)))
        np.add.at(found.T, self.spring_of, energies)
        return found[:, : len(self.spring_names)]


def bodies_of(
    design: Design, discretisation: Discretisation, kept: KeptMeshes | None = None
) -> tuple[Body, ...]:
    """All parts of a design meshed, their nodes numbered through; ``kept`` walls as they were."""
    bodies: list[Body] = []
    first = 0
    for part, mesh in mesh_bodies(design, discretisation, kept):
        bodies.append(body_of(part, mesh, first))
        first += len(mesh.coordinates)
    return tuple(bodies)


def assemble(design: Design, discretisation: Discretisation) -> System:
    """Assemble stiffness and mass of a design and work supports and joints in, without preload.

    Raises ``JointError`` where a joint finds nothing to join.
    """
    return Assembly(design, discretisation).system()


class Assembly:
    """A design meshed once, to be put together as made or at any pose.

    ``structure`` is that of a neighbour with this discretisation, where there is one. ``progress``
    is asked between the steps, which take seconds for a hundred thousand unknowns.
    """

    def __init__(
        self,
        design: Design,
        discretisation: Discretisation,
        structure: Structure | None = None,
        progress: Progress | None = None,
    ) -> None:
        self.design = design
        self._check = (progress or Progress()).check
        self._structure = structure or Structure()
        self.bodies = bodies_of(design, discretisation, self._structure.meshes)
        self.by_name = {body.part.name: body for body in self.bodies}
        self.coordinates = np.concatenate([body.mesh.coordinates for body in self.bodies])
        self.size = 6 * len(self.coordinates)
        self.extent = _extent(self.bodies, self.coordinates)
        self._check()
        self.supports = _supports(design, self.by_name, self.size)
        self.joints = joint_ties(design, self.by_name, self.size)
        self.lumps = tuple(
            lump_of(hung, self.by_name[hung.place.part].site(hung.place)) for hung in design.masses
        )
        self._rigid_sites = tuple(
            self.by_name[hung.place.part].site(hung.place)
            for hung in design.masses
            if not hung.even
        )

    @property
    def elements(self) -> int:
        """Number of elements of all parts."""
        return sum(len(body.mesh.connectivity) for body in self.bodies)

    def motions_from(self, other: Assembly, motions: Array) -> Array:
        """Node motions ``(modes, nodes, 6)`` of another assembly of the design, read at own nodes.

        Both are divided differently on the same blocks; motions follow each element's own
        polynomials.
        """
        read = np.empty((len(motions), len(self.coordinates), 6))
        for body, source in zip(self.bodies, other.bodies, strict=True):
            rows = source.mesh.at_nodes_of(body.mesh)
            own = motions[:, source.nodes].transpose(1, 0, 2).reshape(rows.shape[1], -1)
            found = np.asarray(rows @ own).reshape(rows.shape[0], len(motions), 6)
            read[:, body.nodes] = found.transpose(1, 0, 2)
        return read

    @property
    def turns_with_motion(self) -> bool:
        """Whether anything that ties parts together depends on how far they have turned."""
        return bool(self.joints.rules) or bool(self._own_bodies)

    def free(self, pose: Pose | None = None, scale: float = 1.0) -> FreeMotions:
        """What is free to move from a pose on; moves that are set come to ``scale`` of theirs.

        Ties that repeat others as made, as where a rim that is one body is held all round, do not
        quite repeat them once it has turned, and would stop it there. They never count.
        """
        own_bodies = [rule(pose) for rule in self._own_bodies]
        joints = [self.joints.held]
        if pose is not None:
            joints = [rule(pose) for rule in self.joints.rules]
        rows = [*self._moves(pose, scale), self.supports.held, *own_bodies, *joints]
        ties, weights = _stacked(rows, self.extent)
        return self._structure.free(ties if pose is None else ties[self._told], weights)

    @cached_property
    def _told(self) -> NDArray[np.intp]:
        """The ties, by row, that do not repeat others as made."""
        return self.free().told

    def contradicting_moves(self) -> tuple[str, str] | None:
        """Two sites, one of them set to a displacement the other cannot have, if there are such.

        The other one is set to another displacement, or a support holds it.
        """
        moves = () if self.design.preload is None else self.design.preload.moves
        if not moves:
            return None
        rows = [*self._moves(None, 1.0), self.supports.held]
        amiss = work_in_ties(rows, self.extent).contradicted
        if not amiss:
            return None
        ends = np.cumsum([own.shape[0] for own in rows])
        number = int(np.searchsorted(ends, amiss[0], "right"))
        tie = scipy.sparse.vstack([own[:, : self.size] for own in rows], format="csr")[amiss[0]]
        used = set(tie.indices.tolist())
        sites = [move.place for move in moves[:number]]
        sites += [support.place for support in self.design.supports if support.holds]
        mine = moves[min(number, len(moves) - 1)].place
        for place in sites:
            nodes = self.by_name[place.part].site(place).nodes
            if place != mine and used & {6 * node + own for node in nodes.flat for own in range(6)}:
                return place.site, mine.site
        return (sites or [mine])[0].site, mine.site

    def carried(self, residual: Array, pose: Pose | None = None) -> Matrix:
        """Stiffness of what rigid arms carry: forces ``residual`` (unknowns,) that ties balance."""
        rules: list[Rule] = [*self._own_bodies, *self.joints.rules]
        arms = [rule.arms for rule in rules if isinstance(rule, Tie)]
        total = scipy.sparse.csc_matrix((self.size, self.size))
        if not any(np.abs(own).max(initial=0.0) > _NO_ARM * self.extent for own in arms):
            return total
        nobody = [*self._moves(pose, 0.0), self.supports.held]
        rows = [own[:, : self.size] for own in (*nobody, *(rule(pose) for rule in rules))]
        whole = scipy.sparse.csr_matrix(scipy.sparse.vstack(rows))
        multipliers = np.zeros(whole.shape[0])
        telling = scipy.sparse.csr_matrix(whole[self._told].T)
        found = scipy.sparse.linalg.lsqr(telling, residual, atol=1e-12, btol=1e-12)
        multipliers[self._told] = found[0]
        own_forces = np.split(multipliers, np.cumsum([own.shape[0] for own in rows])[:-1])
        for rule, forces in zip(rules, own_forces[len(nobody) :], strict=True):
            if isinstance(rule, Tie):
                total = total + rule.stress_stiffness(forces, pose)
        return total

    def potential(self, motions: Array) -> Array:
        """Twice the energy (J) of strains and springs of motions ``(unknowns, k)`` that fit."""
        nodes = np.ascontiguousarray(motions.T).reshape(motions.shape[1], len(self.coordinates), 6)
        springs, stiffness = self.springs()
        strained = sum(
            body.elements.strain_energy(body.motions(nodes)).sum(axis=(1, 2))
            for body in self.bodies
        )
        return np.asarray(2 * strained + stiffness @ np.asarray(springs @ motions) ** 2)

    def kinetic(self, motions: Array) -> Array:
        """Twice the kinetic energy (J) of velocities ``(unknowns, k)`` that fit."""
        masses = [body.elements.inertia().hessian(body.elements.directors) for body in self.bodies]
        moved = self._pushed(masses, motions)
        moved += np.asarray(hung_mass(self.lumps, None, self.size) @ motions)
        return np.asarray(np.einsum("im,im->m", motions, moved))

    def springs(self) -> tuple[scipy.sparse.csr_matrix, Array]:
        """Rows of motions on springs, and their stiffness."""
        rows = scipy.sparse.vstack([self.supports.sprung, self.joints.sprung])
        return (
            scipy.sparse.csr_matrix(rows),
            np.concatenate([self.supports.stiffness, self.joints.stiffness]),
        )

    def springs_by_name(self) -> tuple[tuple[str, ...], NDArray[np.intp]]:
        """What springs there are, by the support or joint they are of, and whose each row is."""
        supports, joints = self.design.supports, self.design.joints
        names = [supports[number].name for number in self.supports.of_sprung.tolist()]
        names += [f"joint {joints[number].name}" for number in self.joints.of_sprung.tolist()]
        known = tuple(dict.fromkeys(names))
        return known, np.array([known.index(name) for name in names], dtype=np.intp)

    def scattered(self, blocks: Sequence[Array]) -> Matrix:
        """Matrices of the elements of all bodies on all unknowns."""
        return self._places.whole(blocks)

    @cached_property
    def _places(self) -> Places:
        nodes = [body.mesh.connectivity + body.first for body in self.bodies]
        return self._structure.places(nodes, len(self.coordinates))

    def gathered(self, forces: Sequence[Array]) -> Array:
        """Forces of the elements of all bodies on all unknowns."""
        total = np.zeros(self.size)
        for body, own in zip(self.bodies, forces, strict=True):
            total += np.bincount(_degrees(body).ravel(), own.ravel(), self.size)
        return total

    def system(self, bodies: tuple[Body, ...] | None = None, pose: Pose | None = None) -> System:
        """The system as made, or at a pose with the bodies there; without the stress of either."""
        bodies = self.bodies if bodies is None else bodies
        at = self.coordinates if pose is None else self.coordinates + pose.displacements
        hung = hung_mass(self.lumps, pose, self.size)
        springs, spring_stiffness = self.springs()
        spring_names, spring_of = self.springs_by_name()
        weighted = springs.copy()
        weighted.data *= np.repeat(spring_stiffness, np.diff(springs.indptr))
        sprung = scipy.sparse.csc_matrix(springs.T @ weighted)
        kept = self._structure.meshes.matrices if bodies is self.bodies else matrices_of
        masses, stiffnesses = [], []
        for body in bodies:
            self._check()
            mass, stiffness = kept(body)
            masses.append(mass)
            stiffnesses.append(stiffness)
        self._check()
        free = self.free(pose)
        self._check()
        places = self._places
        self._check()
        reduction = self._structure.reduction(places, free, [hung, sprung])
        self._check()
        reduced_mass = reduction.filled(masses, free, hung)
        self._check()
        reduced_stiffness = reduction.filled(stiffnesses, free, sprung)
        self._check()
        moved, names = rigid_modes(
            at,
            self.extent,
            [part for body in bodies for part in _pieces(body)],
            self._stops(),
            lambda: _lines(self.design),
        )
        moves = sheet_motions(at)
        pushed = self._pushed(masses, moves) + np.asarray(hung @ moves)
        return System(
            bodies=bodies,
            stiffness=reduced_stiffness,
            mass=reduced_mass,
            free=free,
            spring_rows=springs,
            spring_stiffness=spring_stiffness,
            spring_names=spring_names,
            spring_of=spring_of,
            carried=tuple(site_motion(site, self.size) for site in self._rigid_sites),
            rigid=_orthonormal(free.reduced(moved), reduced_mass),
            rigid_names=names,
            rigid_mass=moves.T @ pushed,
            coupling=np.asarray(free.basis.T @ pushed),
            unreduced=self.scattered(stiffnesses) + sprung
            if self.design.preload is not None
            else None,
        )

    def _pushed(self, matrices: Sequence[Array], motions: Array) -> Array:
        """What matrices of elements make of ``motions`` (unknowns, k)."""
        total = np.zeros_like(motions)
        for body, own in zip(self.bodies, matrices, strict=True):
            degrees = _degrees(body)
            found = np.matmul(own, motions[degrees])
            for column in range(motions.shape[1]):
                total[:, column] += np.bincount(
                    degrees.ravel(), found[..., column].ravel(), self.size
                )
        return total

    @cached_property
    def _own_bodies(self) -> list[Tie]:
        """What makes one body of each site of many nodes that a mass hangs on."""
        return [one_body(site, self.size) for site in self._rigid_sites if len(site) > 1]

    def _moves(self, pose: Pose | None, scale: float) -> list[scipy.sparse.csr_matrix]:
        """Rows of the displacements sites are set to, with what is left of them."""
        if self.design.preload is None:
            return []
        found = []
        for move in self.design.preload.moves:
            site = self.by_name[move.place.part].site(move.place)
            rows = site_rows(site, move.directions, False, self.size, pose)
            if pose is None:
                rows = padded(rows)
            wanted = np.tile(scale * move.values, len(site))
            last = np.full(len(wanted), self.size)
            constant = scipy.sparse.csr_matrix((wanted, (np.arange(len(wanted)), last)), rows.shape)
            found.append(scipy.sparse.csr_matrix(rows - constant))
        return found

    def _stops(self) -> Stops:
        bodies = [rule() for rule in self._own_bodies]
        moves = [rows[:, : self.size] for rows in self._moves(None, 0.0)]
        nobody = [self.supports.held, self.supports.sprung, *bodies, *moves]
        count = sum(rows.shape[0] for rows in nobody)
        return Stops(
            scipy.sparse.csr_matrix(
                scipy.sparse.vstack([*nobody, self.joints.held, self.joints.sprung])
            ),
            np.concatenate(
                [np.full(count, -1, dtype=np.intp), self.joints.of_held, self.joints.of_sprung]
            ),
            tuple(joint.name for joint in self.design.joints),
        )


def work_in_ties(rows: Sequence[scipy.sparse.csr_matrix], extent: float) -> FreeMotions:
    """What ties leave free, the first of them counting where two contradict each other.

    ``extent`` (m) weighs turns and slides. Rows without a constant column get one of zeros.
    """
    return eliminate(*_stacked(rows, extent))


def _stacked(
    rows: Sequence[scipy.sparse.csr_matrix], extent: float
) -> tuple[scipy.sparse.csr_matrix, Array]:
    """Ties below one another with a column of constants, and the weights of unknowns."""
    size = 6 * (rows[0].shape[1] // 6)
    wide = max(own.shape[1] for own in rows) > size
    rows = [own if own.shape[1] > size or not wide else padded(own) for own in rows]
    whole = scipy.sparse.csr_matrix(scipy.sparse.vstack(rows))
    weights = np.tile([1.0, 1.0, 1.0, *([1.0 / extent] * 3)], size // 6)
    return (whole if wide else padded(whole)), weights


def padded(rows: scipy.sparse.csr_matrix) -> scipy.sparse.csr_matrix:
    """Rows with a last column of zeros."""
    shape = rows.shape[0], rows.shape[1] + 1
    return scipy.sparse.csr_matrix((rows.data, rows.indices, rows.indptr), shape)


def _degrees(body: Body) -> NDArray[np.intp]:
    """Unknowns of the elements of a body ``(elements, d)``."""
    nodes = body.mesh.connectivity + body.first
    return (6 * nodes[..., None] + np.arange(6)).reshape(len(nodes), 6 * nodes.shape[1])


def _extent(bodies: tuple[Body, ...], coordinates: Array) -> float:
    """A length of the size of the component (m)."""
    if len(bodies) == 1:
        return bodies[0].mesh.size
    return float(np.linalg.norm(np.ptp(coordinates, axis=0)))


def _orthonormal(vectors: Array, mass: Matrix) -> Array:
    """Gram-Schmidt in the mass, in order, which keeps each motion as near its name as can be."""
    if not vectors.shape[1]:
        return vectors
    lower = scipy.linalg.cholesky(vectors.T @ (mass @ vectors), lower=True)
    return scipy.linalg.solve_triangular(lower, vectors.T, lower=True).T


def _pieces(body: Body) -> list[RigidPart]:
    """A body as what can move as one."""
    name, found = body.part.name, kind_of(body.part).pieces(body.mesh)
    if len(found) == 1:
        return [RigidPart(name, body.first + found[0])]
    return [
        RigidPart(f"{name}, piece {number}", body.first + own)
        for number, own in enumerate(found, start=1)
    ]


def _lines(design: Design) -> dict[str, Array]:
    """Sites an axis may be named by: those of a member are points, which many axes pass."""
    return {
        place.site: np.concatenate(place_lines(design.part_of(place.part), place))
        for place in design.places.values()
        if place.feature is not None and place.feature not in ("face", "axis")
    }


@dataclass(frozen=True)
class _Supports:
    """Rows of held motions, rows on springs, their stiffness, and the support of each."""

    held: scipy.sparse.csr_matrix
    sprung: scipy.sparse.csr_matrix
    stiffness: Array
    of_sprung: NDArray[np.intp]


def _supports(design: Design, bodies: Mapping[str, Body], size: int) -> _Supports:
    held, sprung = [scipy.sparse.csr_matrix((0, size))], [scipy.sparse.csr_matrix((0, size))]
    stiffness = [np.empty(0)]
    of_sprung: list[int] = []
    moves = () if design.preload is None else design.preload.moves
    for number, support in enumerate(design.supports):
        if not support.holds:
            continue
        site = bodies[support.place.part].site(support.place)
        set_there = [move.directions for move in moves if move.place == support.place]
        if set_there:
            for station, spatial in _left_to_hold(site, support, set_there):
                held.append(site_rows(station, spatial, False, size))
        else:
            held.append(site_rows(site, support.directions, support.own, size))
        sprung.append(site_rows(site, support.spring_directions, support.springs_own, size))
        stiffness.append(np.outer(site.shares, support.spring_stiffness).ravel())
        of_sprung += [number] * sprung[-1].shape[0]
    return _Supports(
        scipy.sparse.csr_matrix(scipy.sparse.vstack(held)),
        scipy.sparse.csr_matrix(scipy.sparse.vstack(sprung)),
        np.concatenate(stiffness),
        np.array(of_sprung, dtype=np.intp),
    )


def _left_to_hold(
    site: SiteNodes, support: SupportValue, set_there: Sequence[Array]
) -> Iterator[tuple[SiteNodes, Array]]:
    """Stations and the directions a support holds them in, less those set to a displacement."""
    wanted = np.vstack(set_there)
    for number in range(len(site)):
        one = site.some(np.arange(len(site)) == number)
        spatial = support.directions
        if support.own:
            frame = one.frames[0]
            spatial = np.hstack([spatial[:, :3] @ frame, spatial[:, 3:] @ frame])
        left = spatial - spatial @ np.linalg.pinv(wanted) @ wanted
        basis = scipy.linalg.orth(left.T, rcond=1e-9).T
        if len(basis):
            yield one, basis


def symmetric(matrix: Matrix) -> Matrix:
    """Remove the rounding that the products leave, so that pivots keep their sign's meaning."""
    return scipy.sparse.csc_matrix((matrix + matrix.T) * 0.5)
