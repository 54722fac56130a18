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
from belltone.modes.base_state import base_state
from belltone.modes.errors import AccuracyError, BuckledModesError
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
from belltone.modes.loaded import aligned, checked, eigenvalues, loaded, whirling
from belltone.modes.mass_properties import effective_masses
from belltone.modes.matching import match
from belltone.modes.modeset import ModeSet
from belltone.modes.patterns import wall_kinds
from belltone.modes.request import ModeRequest
from belltone.modes.witness import SurfaceWitness, Witness, signatures
from belltone.progress import Progress
from belltone.sheet.design import Design, MemberValue, MeshValue
from belltone.system.assembly import Assembly, System
from belltone.system.bodies import face_cuts, with_plans
from belltone.system.equilibrium import BuckledError, Equilibrium
from belltone.system.joints import JointError
from belltone.system.lanczos import Eigenpairs, lowest_modes, window_modes
from belltone.system.threads import numpy_threads

__all__ = [
    "AccuracyError",
    "BuckledModesError",
    "ModeRequest",
    "choose_discretisation",
    "request_for",
    "solve_modes",
]

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
_SETTLED_SHARE: Final = 2e-3
_TRIES: Final = 3
_WIDER: Final = 0.15  # by so much a window is opened for coarser meshes, whose modes lie elsewhere


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


def _assembly(design: Design, level: Discretisation) -> Assembly:
    try:
        return Assembly(design, level)
    except JointError as error:
        raise AccuracyError(str(error)) from error


def _planned(design: Design, discretisation: Discretisation) -> Discretisation:
    try:
        return with_plans(design, discretisation)
    except ValueError as error:
        raise AccuracyError(str(error)) from error


@dataclass(frozen=True)
class _Raw:
    """One solution at one discretisation, before errors are known.

    ``lagging`` is the part of whirling shapes a quarter turn behind, ``waves`` how many waves each
    mode carries round with the spin (against it: negative).
    """

    discretisation: Discretisation
    assembly: Assembly
    state: Equilibrium | None
    system: System
    witness: Witness
    vectors: Array
    lagging: Array | None
    waves: tuple[int, ...]
    frequencies: Array
    complete: bool | None
    skipped: int
    signatures: Array


def _climb(design: Design, request: ModeRequest, progress: Progress) -> ModeSet:
    """Raise the order, then the divisions, until the estimates meet the accuracy."""
    solver = _Solver(design, request, progress)
    fractions: list[float] = []
    for step, fine in enumerate(_ladder(design)):
        progress.report(step, 0, f"order {fine.order}")
        try:
            errors = solver.errors(fine)
        except BuckledModesError as error:
            # A finer mesh bears a little less; say so only once the share has settled.
            fractions.append(error.fraction)
            if len(fractions) > 1 and abs(fractions[-1] / fractions[-2] - 1) < _SETTLED_SHARE:
                raise
            if len(fractions) > _TRIES:
                raise
            continue
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
    stretches = _assembly(design, Discretisation(1, 1)).elements
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
        bodies = _assembly(design, planned).bodies
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
        assembly = _assembly(self.design, level)
        self._likely_large = assembly.size > _LARGE
        state: Equilibrium | None = None
        if self.design.preload is None:
            system = assembly.system()
        else:
            state = loaded(assembly, self.design.preload, self.progress)
            system = state.system
        witness = Witness(system.bodies)
        spin = None if self.design.preload is None else self.design.preload.spin
        lagging: Array | None = None
        waves: tuple[int, ...] = ()
        if state is not None and spin is not None and spin.gyroscopic and spin.speed:
            found = whirling(self.design, assembly, state, witness, request, self.progress)
            vectors, lagging, waves = found.leading, found.lagging, found.waves
            frequencies, complete, skipped = found.frequencies, found.complete, 0
        else:
            pairs = _pairs(request, system, state, self.progress)
            approximate = np.sqrt(np.maximum(pairs.values, 0.0)) / (2 * math.pi)
            vectors = aligned(system, witness, approximate, pairs.vectors)
            values = eigenvalues(system, vectors)
            frequencies = np.sqrt(np.maximum(values, 0.0)) / (2 * math.pi)
            order = np.argsort(frequencies, kind="stable")
            frequencies, vectors = frequencies[order], vectors[:, order]
            complete, skipped = pairs.complete, pairs.skipped
        motions = system.node_motions(vectors)
        own = signatures(self.design, system, witness, motions)
        if lagging is not None:
            behind = signatures(self.design, system, witness, system.node_motions(lagging))
            own = _turning(own, behind, vectors, lagging, system)
        return _Raw(
            level,
            assembly,
            state,
            system,
            witness,
            vectors,
            lagging,
            waves,
            frequencies,
            complete,
            skipped,
            own,
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
        lagging = None
        if fine.lagging is not None:
            behind = witness.shapes(system.node_motions(fine.lagging))
            lagging = np.concatenate([np.zeros((rigid, *behind.shape[1:])), behind])
            lagging = lagging * scales[:, None, None]
            kinds = tuple(map(_with_whirl, kinds, fine.waves))
        densities = witness.densities(motions)
        base = None
        if fine.state is not None:
            lower = self._raws.get((level.lower(), False)) if level.order > 1 else None
            states = (fine.state, None if lower is None else lower.state)
            base = base_state(self.design, fine.assembly, states, witness, self.progress)
        return ModeSet(
            np.concatenate([np.zeros(rigid), fine.frequencies]),
            np.concatenate([np.zeros(rigid), errors]),
            system.rigid_names,
            tuple(f"rigid, {name}" for name in system.rigid_names) + kinds,
            names,
            np.concatenate([np.zeros((rigid, len(names))), energies]),
            # Vectors have a modal mass of one, so the scale to amplitude one says the rest.
            scales**2 * _modal_masses(system, fine),
            effective_masses(system, np.hstack([system.rigid, fine.vectors])),
            shapes,
            np.concatenate([np.zeros((rigid, densities.shape[1])), densities]),
            _beside_rigid(signatures(self.design, system, witness, rigid_motions), fine.signatures),
            level,
            system.unknowns,
            fine.complete,
            float(system.rigid_mass[0, 0]),
            tuple(part.name for part in self.design.parts),
            np.concatenate([np.zeros((rigid, by_part.shape[1])), by_part]),
            witness.counts,
            fine.skipped,
            lagging,
            (0,) * rigid + (fine.waves or (0,) * len(fine.frequencies)),
            base,
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


def _pairs(
    request: ModeRequest, system: System, state: Equilibrium | None, progress: Progress
) -> Eigenpairs:
    """The eigenpairs asked for."""
    up_to = 0.0 if request.up_to is None else _eigenvalue(request.up_to)
    parts = (system.stiffness, system.mass, system.rigid)
    if request.above is None:
        factor = None
        if state is not None and not system.rigid.shape[1]:
            factor = checked(state, progress)
        pairs = lowest_modes(*parts, request.count, up_to, progress, factor)
        if state is not None and len(pairs.values) and pairs.values[0] <= 0:
            raise BuckledModesError(BuckledError(1.0))
        return pairs
    high = None if request.up_to is None else up_to
    if state is not None and not system.rigid.shape[1]:
        checked(state, progress)
    return window_modes(*parts, _eigenvalue(request.above), high, request.count, progress)


def _turning(ahead: Array, behind: Array, vectors: Array, lagging: Array, system: System) -> Array:
    """Signatures of whirling shapes: both parts by what each moves, of length one together."""
    weights = [
        np.sqrt(np.einsum("im,im->m", part, np.asarray(system.mass @ part)))
        for part in (vectors, lagging)
    ]
    whole = np.hstack([ahead * weights[0][:, None], behind * weights[1][:, None]])
    lengths = np.linalg.norm(whole, axis=1, keepdims=True)
    return np.asarray(whole / np.where(lengths > 0, lengths, 1.0))


def _modal_masses(system: System, fine: _Raw) -> Array:
    """One for each mode; of whirling ones what both parts move, for the sizes they have."""
    rigid = np.ones(system.rigid.shape[1])
    if fine.lagging is None:
        return np.concatenate([rigid, np.ones(len(fine.frequencies))])
    moved = sum(
        np.einsum("im,im->m", part, np.asarray(system.mass @ part))
        for part in (fine.vectors, fine.lagging)
    )
    return np.concatenate([rigid, np.asarray(moved)])


def _beside_rigid(rigid: Array, flexible: Array) -> Array:
    """All signatures in one array; those of rigid motions have no lagging part."""
    wide = np.zeros((len(rigid), flexible.shape[1]))
    wide[:, : rigid.shape[1]] = rigid
    return np.concatenate([wide, flexible])


def _with_whirl(kind: str, waves: int) -> str:
    if not waves:
        return kind
    return f"{kind}, {'forward' if waves > 0 else 'backward'} whirl"


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
