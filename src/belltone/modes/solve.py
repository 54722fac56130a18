"""Modes of a design to a stated accuracy."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.discretisation import MAX_ORDER, Discretisation
from belltone.mesh.surface import SurfaceMesh
from belltone.modes.estimates import member_estimate, wall_estimate
from belltone.modes.kinds import (
    MEMBER_ENERGIES,
    MIXED_ENERGIES,
    WALL_ENERGIES,
    assembly_kind_names,
    energy_shares,
    kind_names,
    mixed_energies,
    wall_kind_names,
    wall_shares,
)
from belltone.modes.mass_properties import effective_masses
from belltone.modes.matching import clusters, match
from belltone.modes.modeset import ModeSet
from belltone.modes.patterns import wall_kinds
from belltone.modes.witness import SurfaceWitness, Witness, signatures
from belltone.progress import Progress
from belltone.sheet.design import Design, MemberValue, MeshValue
from belltone.system.assembly import System, assemble
from belltone.system.bodies import face_cuts, with_plans
from belltone.system.joints import JointError
from belltone.system.lanczos import lowest_modes, window_modes
from belltone.system.threads import numpy_threads

__all__ = ["AccuracyError", "ModeRequest", "choose_discretisation", "request_for", "solve_modes"]

Array = NDArray[np.float64]

_FIRST_ORDER: Final = 4
_MOST_UNKNOWNS: Final = 30_000  # a member that needs more is asked for nonsense
_MOST_FRAME_UNKNOWNS: Final = 150_000
_MOST_WALL_UNKNOWNS: Final = 250_000
_WALL_ORDERS: Final = (3, 5)
_FINER_WALL_ORDERS: Final = (4, 6)
_WARY_OF_FACES: Final = 2.0  # measured: without it the lowest twist of a plate is told too exact
_RECOGNISED: Final = 0.8  # assurance between neighbouring orders; less means not resolved yet
_LARGE: Final = 30_000  # unknowns from which numpy's own threads bring more than they cost
_WIDER: Final = 0.15  # by so much a window is opened for coarser meshes, whose modes lie elsewhere


class AccuracyError(ArithmeticError):
    """There is no answer: the accuracy cannot be reached, or the parts cannot be joined."""


@dataclass(frozen=True)
class ModeRequest:
    """What to find: the ``count`` lowest flexible modes and all others up to ``up_to`` (Hz).

    With ``above`` (Hz) instead: all modes from there to ``up_to``, or the first ``count`` of them.
    """

    count: int
    up_to: float | None
    accuracy: float
    above: float | None = None

    @property
    def key(self) -> str:
        """Part of the key results are stored under."""
        window = "" if self.above is None else f" above={self.above!r}"
        return f"count={self.count} up_to={self.up_to!r} accuracy={self.accuracy!r}{window}"


def request_for(design: Design, extra: int = 0) -> ModeRequest:
    """What the sheet asks for: its count, and everything up to the highest excitation."""
    if design.above is not None:
        return ModeRequest(design.count + extra, design.up_to, design.accuracy, design.above)
    limits = [limit for limit in (design.up_to, design.highest_excitation) if limit is not None]
    return ModeRequest(design.count + extra, max(limits, default=None), design.accuracy)


def choose_discretisation(
    design: Design, request: ModeRequest, progress: Progress | None = None
) -> Discretisation:
    """Return the smallest discretisation tried whose error estimates all meet the accuracy.

    Where the sheet states divisions and order, those.
    """
    if design.fixed is not None:
        return _planned(design, Discretisation(*design.fixed))
    return _climb(design, request, progress or Progress()).discretisation


def solve_modes(
    design: Design,
    request: ModeRequest,
    discretisation: Discretisation | None = None,
    progress: Progress | None = None,
) -> ModeSet:
    """Solve for the modes asked for; with no discretisation given, the sheet's or one by accuracy.

    Each frequency comes with an estimate of its own relative error. Raises `AccuracyError` when
    the accuracy is out of reach, ``ValueError`` for a member's order below 3, and ``Cancelled``
    when ``progress`` says stop.
    """
    progress = progress or Progress()
    if discretisation is None and design.fixed is not None:
        discretisation = Discretisation(*design.fixed)
    if discretisation is None:
        return _climb(design, request, progress)
    used = _planned(design, discretisation)
    if used.order < 3 and not design.has_walls:
        raise ValueError(f"order {used.order} has no two lower orders to compare with")
    solver = _Solver(design, request, progress)
    return solver.mode_set(used, solver.errors(used))


def _assembled(design: Design, level: Discretisation) -> System:
    try:
        return assemble(design, level)
    except JointError as error:
        raise AccuracyError(str(error)) from error


def _planned(design: Design, discretisation: Discretisation) -> Discretisation:
    try:
        return with_plans(design, discretisation)
    except ValueError as error:
        raise AccuracyError(str(error)) from error


@dataclass(frozen=True)
class _Raw:
    """One solution at one discretisation, before errors are known."""

    discretisation: Discretisation
    system: System
    witness: Witness
    vectors: Array
    frequencies: Array
    complete: bool | None
    skipped: int
    signatures: Array


def _climb(design: Design, request: ModeRequest, progress: Progress) -> ModeSet:
    """Raise the order, then the divisions, until the estimates meet the accuracy."""
    solver = _Solver(design, request, progress)
    for step, fine in enumerate(_ladder(design)):
        progress.report(step, 0, f"order {fine.order}")
        errors = solver.errors(fine)
        enough = request.above is not None or len(errors) >= request.count
        if enough and np.all(errors <= request.accuracy):
            return solver.mode_set(fine, errors)
        solver.forget(fine)
    most = _MOST_WALL_UNKNOWNS if design.has_walls else _most_in_members(design)
    raise AccuracyError(
        f"{request.count} modes to {request.accuracy * 100:g} % are out of reach: more than "
        f"{most} unknowns would be needed; ask for fewer modes or a looser accuracy"
    )


def _most_in_members(design: Design) -> int:
    return _MOST_UNKNOWNS if len(design.solid_parts) == 1 else _MOST_FRAME_UNKNOWNS


def _ladder(design: Design) -> Iterator[Discretisation]:
    if design.has_walls:
        yield from _wall_ladder(design)
        return
    stretches = _assembled(design, Discretisation(1, 1)).elements
    divisions = 2 if stretches == 1 else 1
    while 6 * stretches * divisions * MAX_ORDER <= _most_in_members(design):
        for order in range(_FIRST_ORDER, MAX_ORDER + 1):
            yield Discretisation(divisions, order)
        divisions *= 2


def _wall_ladder(design: Design) -> Iterator[Discretisation]:
    planned = _planned(design, Discretisation(1, 1))
    first, last = _WALL_ORDERS
    divisions = 1
    size = _Sizes(design, planned)
    while size.unknowns(Discretisation(divisions, first)) <= _MOST_WALL_UNKNOWNS:
        for order in range(first, last + 1):
            if size.unknowns(Discretisation(divisions, order)) <= _MOST_WALL_UNKNOWNS:
                yield Discretisation(divisions, order, planned.plans)
        divisions *= 2
        # The lowest order on finer elements brings nothing the highest on coarse ones has not.
        first, last = _FINER_WALL_ORDERS


class _Sizes:
    """How large a design is at any discretisation, roughly, without meshing it again."""

    def __init__(self, design: Design, planned: Discretisation) -> None:
        bodies = _assembled(design, planned).bodies
        received = [isinstance(body.part, MeshValue) for body in bodies]
        # A mesh at order one has a known number of elements, which all orders share.
        self._elements = sum(
            len(body.mesh.connectivity)
            for body, own in zip(bodies, received, strict=True)
            if not own
        )
        self._nodes = sum(
            len(body.mesh.coordinates) for body, own in zip(bodies, received, strict=True) if own
        )

    def unknowns(self, level: Discretisation) -> int:
        """About how many unknowns there are."""
        walls = self._elements * (level.divisions * level.order) ** 2
        return 6 * (walls + self._nodes * face_cuts(level) ** 2)


@dataclass
class _Solver:
    """Solves one design at several discretisations and compares them; used once."""

    design: Design
    request: ModeRequest
    progress: Progress

    def __post_init__(self) -> None:
        self._raws: dict[tuple[Discretisation, bool], _Raw] = {}
        self._likely_large = False

    def forget(self, fine: Discretisation) -> None:
        """Drop solutions that no later comparison needs."""
        self._raws = {
            (level, wide): raw
            for (level, wide), raw in self._raws.items()
            if level.divisions == fine.divisions and level.order >= fine.order - 1
        }

    def errors(self, fine: Discretisation) -> Array:
        """Estimate each frequency's relative error at a discretisation."""
        at_fine = self._raw(fine)
        lower = fine.lower()
        if self.design.has_walls:
            higher = self._raw(replace(fine, order=fine.order + 1), wide=True)
            next_step = _difference(higher, at_fine) * self._wariness
            if fine.order == 1:
                return wall_estimate(next_step, next_step)
            return wall_estimate(next_step, _difference(self._raw(lower, wide=True), at_fine))
        one = _difference(self._raw(lower, wide=True), at_fine)
        two = _difference(self._raw(lower.lower(), wide=True), at_fine)
        return member_estimate(one, two, fine.order, self._rough)

    @property
    def _wariness(self) -> float:
        """How much more steps count for where flat faces hide what curved elements would show."""
        received = any(isinstance(part, MeshValue) for part in self.design.parts)
        return _WARY_OF_FACES if received else 1.0

    @property
    def _rough(self) -> bool:
        """Whether any member's section or direction changes along it."""
        members = [part for part in self.design.parts if isinstance(part, MemberValue)]
        return any(member.tapered or not member.path.straight for member in members)

    def _raw(self, level: Discretisation, wide: bool = False) -> _Raw:
        """The solution at a level; ``wide`` opens a window for the modes a coarse mesh shifts."""
        wide = wide and self.request.above is not None
        if (level, wide) not in self._raws:
            with numpy_threads(self._likely_large):
                self._raws[(level, wide)] = self._solved(level, wide)
        return self._raws[(level, wide)]

    def _solved(self, level: Discretisation, wide: bool) -> _Raw:
        request = _widened(self.request) if wide else self.request
        system = _assembled(self.design, level)
        self._likely_large = system.unknowns > _LARGE
        up_to = 0.0 if request.up_to is None else _eigenvalue(request.up_to)
        parts = (system.stiffness, system.mass, system.rigid)
        if request.above is None:
            pairs = lowest_modes(*parts, request.count, up_to, self.progress)
        else:
            high = None if request.up_to is None else up_to
            pairs = window_modes(
                *parts, _eigenvalue(request.above), high, request.count, self.progress
            )
        witness = Witness(system.bodies)
        approximate = np.sqrt(np.maximum(pairs.values, 0.0)) / (2 * math.pi)
        vectors = _aligned(system, witness, approximate, pairs.vectors)
        frequencies = _from_strains(system, vectors)
        order = np.argsort(frequencies, kind="stable")
        frequencies, vectors = frequencies[order], vectors[:, order]
        motions = system.node_motions(vectors)
        return _Raw(
            level,
            system,
            witness,
            vectors,
            frequencies,
            pairs.complete,
            pairs.skipped,
            signatures(self.design, system, witness, motions),
        )

    def mode_set(self, level: Discretisation, errors: Array) -> ModeSet:
        """All about the modes at a discretisation."""
        fine = self._raw(level)
        system, witness = fine.system, fine.witness
        rigid = len(system.rigid_names)
        rigid_motions, motions = (
            system.node_motions(vectors) for vectors in (system.rigid, fine.vectors)
        )
        names, energies, by_part, kinds = self._kinds(fine, motions)
        shapes, scales = _relative(
            witness, np.concatenate([witness.shapes(rigid_motions), witness.shapes(motions)])
        )
        densities = witness.densities(motions)
        return ModeSet(
            np.concatenate([np.zeros(rigid), fine.frequencies]),
            np.concatenate([np.zeros(rigid), errors]),
            system.rigid_names,
            tuple(f"rigid, {name}" for name in system.rigid_names) + kinds,
            names,
            np.concatenate([np.zeros((rigid, len(names))), energies]),
            # Vectors have a modal mass of one, so the scale to amplitude one says the rest.
            scales**2,
            effective_masses(system, np.hstack([system.rigid, fine.vectors])),
            shapes,
            np.concatenate([np.zeros((rigid, densities.shape[1])), densities]),
            np.concatenate(
                [signatures(self.design, system, witness, rigid_motions), fine.signatures]
            ),
            level,
            system.unknowns,
            fine.complete,
            float(system.rigid_mass[0, 0]),
            tuple(part.name for part in self.design.parts),
            np.concatenate([np.zeros((rigid, by_part.shape[1])), by_part]),
            witness.counts,
            fine.skipped,
        )

    def _kinds(
        self, fine: _Raw, motions: Array
    ) -> tuple[tuple[str, ...], Array, Array, tuple[str, ...]]:
        """Names of the energies, their shares, shares by part, and the kind of each mode."""
        system, witness = fine.system, fine.witness
        strains = system.strain_energies(motions)
        springs = system.spring_energy(motions)[:, None]
        totals = [own.sum(axis=1) for own in strains]
        by_part = wall_shares(np.column_stack([*totals, springs]))[:, :-1]
        solid = [part.name for part in self.design.solid_parts]
        received = any(isinstance(part, MeshValue) for part in self.design.parts)
        if len(solid) == 1 and not received:
            at = [body.part.name for body in system.bodies].index(solid[0])
            own = np.column_stack([strains[at], springs])
            part, mesh = witness.parts[at], system.bodies[at].mesh
            if isinstance(part, SurfaceWitness) and isinstance(mesh, SurfaceMesh):
                shares = wall_shares(own)
                patterns = wall_kinds(mesh, part, witness.split(witness.shapes(motions))[at])
                return WALL_ENERGIES, shares, by_part, wall_kind_names(shares, patterns)
            shares = energy_shares(own)
            return MEMBER_ENERGIES, shares, by_part, kind_names(shares)
        mixed = sum(mixed_energies(own) for own in strains)
        shares = wall_shares(np.column_stack([mixed, springs]))
        moving = witness.moving(witness.shapes(motions))
        names = tuple(part.name for part in self.design.parts)
        return MIXED_ENERGIES, shares, by_part, assembly_kind_names(shares, by_part, names, moving)


def _widened(request: ModeRequest) -> ModeRequest:
    assert request.above is not None
    return replace(
        request,
        above=request.above * (1 - _WIDER),
        up_to=None if request.up_to is None else request.up_to * (1 + _WIDER),
        count=request.count + max(6, request.count // 2),
    )


def _eigenvalue(frequency: float) -> float:
    return (2 * math.pi * frequency) ** 2


def _from_strains(system: System, vectors: Array) -> Array:
    """Frequencies as Rayleigh quotients of the strain energy, strain by strain.

    A slender member's or a thin wall's stiffness matrix holds numbers so much larger than its
    lowest eigenvalues that these drown in rounding (at a span of ten thousand heights, four digits
    are left). The energy is a sum of squares of small strains, which loses nothing.
    """
    if vectors.shape[1] == 0:
        return np.empty(0)
    motions = system.node_motions(vectors)
    energy = system.spring_energy(motions) + sum(
        own.sum(axis=1) for own in system.strain_energies(motions)
    )
    kinetic = np.einsum("im,im->m", vectors, np.asarray(system.mass @ vectors))
    return np.asarray(np.sqrt(2 * energy / kinetic) / (2 * math.pi))


def _aligned(system: System, witness: Witness, frequencies: Array, vectors: Array) -> Array:
    """Turn modes of equal frequency the same way every time."""
    vectors = vectors.copy()
    for group in clusters(frequencies, 1e-7):
        if group.stop - group.start > 1:
            turn = witness.align(system.node_motions(vectors[:, group]))
            vectors[:, group] = vectors[:, group] @ turn
    return vectors


def _difference(coarse: _Raw, fine: _Raw) -> Array:
    """Relative difference of each fine frequency to the same shape's at another order.

    A mode the other order does not show is not resolved, and differs by all of it.
    """
    if not len(coarse.frequencies):
        return np.ones(len(fine.frequencies))
    partners, certainty = match(
        fine.signatures, coarse.signatures, coarse.frequencies, fine.frequencies
    )
    known = (partners >= 0) & (certainty >= _RECOGNISED)
    theirs = coarse.frequencies[np.maximum(partners, 0)]
    return np.where(known, np.abs(theirs / fine.frequencies - 1), 1.0)


def _relative(witness: Witness, shapes: Array) -> tuple[Array, Array]:
    """Scale so that what moves most moves by one, the first large part positive.

    Returns the shapes and the factors they were multiplied by.
    """
    reach = witness.reach(shapes)
    largest = reach.max(axis=1)
    factors = 1.0 / np.where(largest > 0, largest, 1.0)
    shapes = shapes * factors[:, None, None]
    flat = np.where(
        np.abs(shapes[..., :3]).max(axis=(1, 2), keepdims=True) >= _MOVES,
        shapes[..., :3],
        shapes[..., 3:],
    ).reshape(len(shapes), -1)
    first = np.argmax(np.abs(flat) >= 0.5 * np.abs(flat).max(axis=1, keepdims=True), axis=1)
    signs = np.sign(flat[np.arange(len(flat)), first])
    return shapes * np.where(signs == 0, 1.0, signs)[:, None, None], factors


_MOVES: Final = 1e-6  # below this a member only twists, and its rotation gives the sign
