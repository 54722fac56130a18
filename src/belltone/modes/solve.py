"""Modes of a design to a stated accuracy."""

from __future__ import annotations

import math
import time
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design, MemberValue, MeshValue
from belltone.mesh.discretisation import MAX_ORDER, Discretisation
from belltone.mesh.surface import SurfaceMesh
from belltone.modes.base_state import base_state
from belltone.modes.errors import AccuracyError, BuckledModesError, LostModesError
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
from belltone.sheet.units import format_number
from belltone.system.assembly import Assembly, System
from belltone.system.bodies import ends_inside, face_cuts, with_plans
from belltone.system.equilibrium import BuckledError, Equilibrium
from belltone.system.factor import SingularShiftError
from belltone.system.lanczos import (
    Eigenpairs,
    TooManyModesError,
    lowest_modes,
    window_modes,
)
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
_FACE_LEVELS: Final = ((1, 3), (1, 4), (1, 5), (2, 4))
"""Of received meshes: as they came, and every edge cut in two, three and four."""
_MOST_FACE_UNKNOWNS: Final = 60_000  # finer cuts of a mesh that came coarse are not worth more
_WORTH_GOING_ON: Final = 0.8  # times the error before; flat faces halve it, or bring nothing
_FINER_WALL_ORDERS: Final = (4, 6)
_WARY_OF_FACES: Final = 2.0  # measured: without it the lowest twist of a plate is told too exact
_WARY_OF_RIB_ENDS: Final = 3.0  # measured on ribs of several lengths and directions
_GROWTH: Final = 1.25  # power of the unknowns that time grows with, measured
_STALLED: Final = 0.8  # times the error on larger elements; the sharpest corners halve it
_UNRESOLVED: Final = 0.5  # error of modes a mesh is still too coarse to show
_FAR_OFF: Final = 2.0  # times the accuracy; what is nearer gets there by a higher order
_LONG: Final = 10.0  # s; what takes longer is told before
_MOST_MODES: Final = 500  # found at once
_RESOLVED: Final = (
    8  # motions for each mode found; with so many, no mode is missing for want of them
)
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
    unsettled: Array


def _climb(design: Design, request: ModeRequest, progress: Progress) -> ModeSet:
    """Raise the order, then the divisions, until the estimates meet the accuracy."""
    solver = _Solver(design, request, progress, counts_first=True)
    fractions: list[float] = []
    lost = 0
    worst_by_order: dict[int, float] = {}
    best: tuple[Discretisation, Array] | None = None
    for step, fine in enumerate(_ladder(design)):
        progress.report(step, 0, f"order {fine.order}")
        if step:
            # The step before has told how large this one is.
            _announce(solver.unknowns, solver.unknowns_of(fine), solver.seconds, progress)
        try:
            errors = solver.errors(fine)
        except BuckledModesError as error:
            # A finer mesh bears a little less; say so only once the share has settled.
            if error.fraction is None:
                raise
            fractions.append(error.fraction)
            if len(fractions) > 1 and abs(fractions[-1] / fractions[-2] - 1) < _SETTLED_SHARE:
                raise
            if len(fractions) > _TRIES:
                raise
            continue
        except LostModesError:
            lost += 1
            if lost > _TRIES:
                raise
            continue
        enough = request.above is not None or len(errors) >= request.count
        if enough and np.all(errors <= request.accuracy):
            return solver.mode_set(fine, errors)
        if design.has_walls and enough:
            _stop_if_stalled(worst_by_order, fine, _worst(errors), request.accuracy)
        if design.has_received:
            gained = best is None or _worst(errors) < _WORTH_GOING_ON * _worst(best[1])
            best = fine, errors
            if not gained:
                break
        solver.forget(fine)
    if best is not None:
        # A received mesh has the accuracy it was made with; what that is stands by every mode.
        return solver.mode_set(*best)
    most = _MOST_WALL_UNKNOWNS if design.has_walls else _most_in_members(design)
    raise AccuracyError(
        f"{request.count} modes to {request.accuracy * 100:g} % are out of reach: more than "
        f"{most} unknowns would be needed; ask for fewer modes or a looser accuracy"
    )


def _stop_if_stalled(
    before: dict[int, float], level: Discretisation, worst: float, accuracy: float
) -> None:
    """Raise `AccuracyError` where smaller elements of the same order bring next to nothing.

    ``before`` holds the worst error of each order on elements twice the size, and is kept up.
    """
    coarser = before.get(level.order)
    before[level.order] = worst
    if coarser is None or not _FAR_OFF * accuracy < worst < _UNRESOLVED:
        return
    if worst < _STALLED * coarser:
        return
    raise AccuracyError(
        f"{accuracy * 100:g} % is out of reach: the largest error stays near {worst * 100:.2g} % "
        "however small the elements are. Something holds, loads or joins a wall at a single point, "
        "where it gives way the more the closer one looks; let it act along a length or over a "
        f"spot, ask for fewer modes, or for an accuracy of “{_round(120 * worst)} %”"
    )


def _announce(known: int, ahead: float, seconds: float, progress: Progress) -> None:
    """Say how long a finer solution will take, from what the one before took."""
    expected = seconds * (ahead / max(known, 1)) ** _GROWTH
    if expected > _LONG:
        progress.announce(
            f"a finer mesh of some {_round(ahead)} unknowns is solved next, in about "
            f"{_round(expected)} s; a looser accuracy or fewer modes would need less"
        )


def _round(value: float) -> str:
    """One or two digits, which is all a forecast is worth."""
    return format_number(float(f"{value:.2g}"))


def _worst(errors: Array) -> float:
    return float(errors.max(initial=0.0))


def _most_in_members(design: Design) -> int:
    return _MOST_UNKNOWNS if len(design.solid_parts) == 1 else _MOST_FRAME_UNKNOWNS


def _ladder(design: Design) -> Iterator[Discretisation]:
    if design.has_walls:
        yield from _wall_ladder(design)
        return
    stretches = Assembly(design, Discretisation(1, 1)).elements
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
    if design.has_received:
        for number, (divisions, order) in enumerate(_FACE_LEVELS):
            level = Discretisation(divisions, order, planned.plans)
            compared = size.unknowns(replace(level, order=order + 1))
            if number and compared > _MOST_FACE_UNKNOWNS:
                return
            if compared > _MOST_WALL_UNKNOWNS:
                raise AccuracyError(
                    f"the received mesh is too large: to tell its own error it is solved once as "
                    f"it is and once cut finer, with some {compared} unknowns, where at most "
                    f"{_MOST_WALL_UNKNOWNS} are taken on; send a coarser mesh, of at most about "
                    f"{_MOST_WALL_UNKNOWNS // 24} nodes"
                )
            yield level
        return
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
        bodies = Assembly(design, planned).bodies
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
    counts_first: bool = False

    def __post_init__(self) -> None:
        self._unsure = self.counts_first
        self._last: _Raw | None = None
        self.seconds = 0.0
        self._raws: dict[tuple[Discretisation, bool], _Raw] = {}
        self._likely_large = False

    @property
    def unknowns(self) -> int:
        """Of the last solution."""
        return self._last.assembly.size if self._last is not None else 0

    def unknowns_of(self, level: Discretisation) -> float:
        """About how many a solution at a level and its comparison will have."""
        if self._last is None:
            return 0.0
        now = self._last.discretisation
        power = 2 if self.design.has_walls else 1
        ratio = (level.divisions * (level.order + 1)) / (now.divisions * now.order)
        return self._last.assembly.size * float(ratio**power)

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
            last_step = next_step
            if fine.order > 1:
                last_step = _difference(self._raw(lower, wide=True), at_fine)
            return wall_estimate(next_step, last_step) + at_fine.unsettled
        one = _difference(self._raw(lower, wide=True), at_fine)
        two = _difference(self._raw(lower.lower(), wide=True), at_fine)
        return member_estimate(one, two, fine.order, self._rough) + at_fine.unsettled

    @property
    def _wariness(self) -> float:
        """How much more steps count for where flat faces hide what curved elements would show.

        So they do where ribs end inside walls: what they carry enters there all at once, and
        errors fall so slowly that one step to the next order shows little of them.
        """
        if self.design.has_received:
            return _WARY_OF_FACES
        return _WARY_OF_RIB_ENDS if ends_inside(self.design) else 1.0

    @property
    def _rough(self) -> bool:
        """Whether any member's section or direction changes along it."""
        members = [part for part in self.design.parts if isinstance(part, MemberValue)]
        return any(member.tapered or not member.path.straight for member in members)

    def _raw(self, level: Discretisation, wide: bool = False) -> _Raw:
        """The solution at a level; ``wide`` opens a window for the modes a coarse mesh shifts."""
        wide = wide and self.request.above is not None
        if (level, wide) not in self._raws:
            started = time.perf_counter()
            try:
                with numpy_threads(self._likely_large):
                    self._last = self._raws[(level, wide)] = self._solved(level, wide)
            except TooManyModesError as error:
                up_to = self.request.up_to or 0.0
                raise AccuracyError(
                    f"more than {_MOST_MODES} modes lie up to {format_number(up_to)} Hz: "
                    f"{error.count} were counted on a coarse mesh; ask up to a lower frequency, or "
                    "for a narrower window"
                ) from error
            except SingularShiftError as error:
                raise AccuracyError(
                    "the stiffness cannot be factorised: it holds numbers too far apart for a "
                    "computer's sixteen digits. Is something far too thin for its length, or very "
                    "soft beside something very stiff?"
                ) from error
            except MemoryError as error:
                raise AccuracyError(
                    "the memory of this machine is not enough for this; ask for a looser accuracy "
                    "or fewer modes, or let fewer programs run beside"
                ) from error
            self.seconds = time.perf_counter() - started
        return self._raws[(level, wide)]

    def _solved(self, level: Discretisation, wide: bool) -> _Raw:
        request = _widened(self.request) if wide else self.request
        assembly = Assembly(self.design, level)
        self._likely_large = assembly.size > _LARGE
        state: Equilibrium | None = None
        if self.design.preload is None:
            system = assembly.system()
        else:
            state = loaded(assembly, self.design.preload, self.progress)
            system = state.system
        if system.stiffness.shape[0] <= len(system.rigid_names):
            raise AccuracyError(
                "nothing is left that could vibrate: what is held, and what moves as one rigid "
                "body, leaves no motion free; let something go, or spread a mass evenly"
            )
        witness = Witness(system.bodies)
        spin = None if self.design.preload is None else self.design.preload.spin
        lagging: Array | None = None
        waves: tuple[int, ...] = ()
        unsettled: Array | float = 0.0
        if state is not None and spin is not None and spin.gyroscopic and spin.speed:
            found = whirling(self.design, assembly, state, witness, request, self.progress)
            vectors, lagging, waves = found.leading, found.lagging, found.waves
            frequencies, complete, skipped = found.frequencies, found.complete, 0
            unsettled = found.unsettled
        else:
            most = _MOST_MODES if self._unsure else None
            pairs = _pairs(request, system, state, self.progress, most)
            # Where a mesh has many more motions than modes were found, finer ones have no more.
            if _RESOLVED * len(pairs.values) <= system.stiffness.shape[0]:
                self._unsure = False
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
            np.broadcast_to(unsettled, frequencies.shape),
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
        if len(solid) == 1 and not self.design.has_received:
            at = [body.part.name for body in system.bodies].index(solid[0])
            own = np.column_stack([strains[at], springs])
            part, mesh = witness.parts[at], system.bodies[at].mesh
            if isinstance(part, SurfaceWitness) and isinstance(mesh, SurfaceMesh):
                shares = wall_shares(own)
                patterns = wall_kinds(mesh, part, witness.split(witness.shapes(motions))[at])
                return WALL_ENERGIES, shares, by_part, wall_kind_names(shares, patterns)
            shares = energy_shares(own)
            moving = witness.parts[at].across(witness.split(witness.shapes(motions))[at])
            return MEMBER_ENERGIES, shares, by_part, kind_names(shares, moving)
        mixed = sum(mixed_energies(own) for own in strains)
        shares = wall_shares(np.column_stack([mixed, springs]))
        read = witness.shapes(motions)
        names = tuple(part.name for part in self.design.parts)
        kinds = assembly_kind_names(
            shares, by_part, names, witness.moving(read), witness.across(read)
        )
        return MIXED_ENERGIES, shares, by_part, kinds


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
    request: ModeRequest,
    system: System,
    state: Equilibrium | None,
    progress: Progress,
    most: int | None,
) -> Eigenpairs:
    """The eigenpairs asked for, or `TooManyModesError` where they are more than ``most``."""
    up_to = 0.0 if request.up_to is None else _eigenvalue(request.up_to)
    parts = (system.stiffness, system.mass, system.rigid)
    if request.above is None:
        factor = None
        if state is not None:
            factor = checked(state, progress)
        pairs = lowest_modes(*parts, request.count, up_to, progress, factor, most)
        if state is not None and len(pairs.values) and pairs.values[0] <= 0:
            raise BuckledModesError(BuckledError())
        return pairs
    high = None if request.up_to is None else up_to
    if state is not None:
        checked(state, progress)
    return window_modes(*parts, _eigenvalue(request.above), high, request.count, progress, most)


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
    ).reshape(len(shapes), 3 * shapes.shape[1])
    first = np.argmax(np.abs(flat) >= 0.5 * np.abs(flat).max(axis=1, keepdims=True), axis=1)
    signs = np.sign(flat[np.arange(len(flat)), first])
    return shapes * np.where(signs == 0, 1.0, signs)[:, None, None], factors


_MOVES: Final = 1e-6  # below this a member only twists, and its rotation gives the sign
