"""Modes of a design to a stated accuracy."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.line import MAX_ORDER, Discretisation
from belltone.modes.kinds import energy_shares, kind_names
from belltone.modes.mass_properties import effective_masses
from belltone.modes.matching import clusters, match
from belltone.modes.modeset import ENERGY_NAMES, ModeSet
from belltone.modes.witness import STATIONS, carried_motions, sample_shapes, signatures
from belltone.progress import Progress
from belltone.sheet.design import Design
from belltone.system.assembly import System, assemble
from belltone.system.lanczos import lowest_modes

__all__ = ["AccuracyError", "ModeRequest", "choose_discretisation", "request_for", "solve_modes"]

Array = NDArray[np.float64]

_FIRST_ORDER: Final = 4
_LEAST_ORDER: Final = 3  # two orders below are needed to tell the error
_MOST_UNKNOWNS: Final = 30_000  # a member that needs more is asked for nonsense
_SAFETY: Final = 2.0
_SAFETY_TAPERED: Final = 5.0  # the law of gains holds only roughly where the section varies
_LEAST_GAIN: Final = 0.1
_LUCK: Final = 1e-3  # a difference smaller than this share of the foreseen one is parity, not gain
_RECOGNISED: Final = 0.8  # assurance between neighbouring orders; less means not resolved yet
# Below this, orders agree by luck and rounding as much as by resolution (measured: rounding stays
# below 1e-13 up to a span of ten thousand heights).
_FLOOR: Final = 1e-10


class AccuracyError(ArithmeticError):
    """The accuracy asked for cannot be reached."""


@dataclass(frozen=True)
class ModeRequest:
    """What to find: the ``count`` lowest flexible modes and all others up to ``up_to`` (Hz)."""

    count: int
    up_to: float | None
    accuracy: float

    @property
    def key(self) -> str:
        """Part of the key results are stored under."""
        return f"count={self.count} up_to={self.up_to!r} accuracy={self.accuracy!r}"


def request_for(design: Design, extra: int = 0) -> ModeRequest:
    """What the sheet asks for: its count, and everything up to the highest excitation."""
    limits = [limit for limit in (design.up_to, design.highest_excitation) if limit is not None]
    return ModeRequest(design.count + extra, max(limits, default=None), design.accuracy)


def choose_discretisation(
    design: Design, request: ModeRequest, progress: Progress | None = None
) -> Discretisation:
    """Return the smallest discretisation tried whose error estimates all meet the accuracy.

    Where the sheet states divisions and order, those.
    """
    if design.fixed is not None:
        return Discretisation(*design.fixed)
    return _climb(design, request, progress or Progress()).discretisation


def solve_modes(
    design: Design,
    request: ModeRequest,
    discretisation: Discretisation | None = None,
    progress: Progress | None = None,
) -> ModeSet:
    """Solve for the modes asked for; with no discretisation given, the sheet's or one by accuracy.

    Each frequency comes with an estimate of its own relative error. Raises `AccuracyError` when
    the accuracy is out of reach, ``ValueError`` for a given order below 3, and ``Cancelled`` when
    ``progress`` says stop.
    """
    progress = progress or Progress()
    if discretisation is None and design.fixed is not None:
        discretisation = Discretisation(*design.fixed)
    if discretisation is None:
        return _climb(design, request, progress)
    if discretisation.order < _LEAST_ORDER:
        raise ValueError(f"order {discretisation.order} has no two lower orders to compare with")
    lower = discretisation.lower()
    raws = [
        _raw(design, request, level, progress) for level in (lower.lower(), lower, discretisation)
    ]
    return _mode_set(design, raws[-1], _error_estimates(design, *raws))


@dataclass(frozen=True)
class _Raw:
    """One solution at one discretisation, before errors are known."""

    discretisation: Discretisation
    system: System
    vectors: Array
    frequencies: Array
    complete: bool | None
    shapes: Array
    signatures: Array


def _climb(design: Design, request: ModeRequest, progress: Progress) -> ModeSet:
    """Raise the order, then the divisions, until the estimates meet the accuracy."""
    raws: dict[Discretisation, _Raw] = {}
    for step, fine in enumerate(_ladder(design)):
        progress.report(step, 0, f"order {fine.order}")
        levels = (fine.lower().lower(), fine.lower(), fine)
        for level in levels:
            if level not in raws:
                raws[level] = _raw(design, request, level, progress)
        errors = _error_estimates(design, *(raws[level] for level in levels))
        if len(errors) >= request.count and np.all(errors <= request.accuracy):
            return _mode_set(design, raws[fine], errors)
    raise AccuracyError(
        f"{request.count} modes to {request.accuracy * 100:g} % are out of reach: more than "
        f"{_MOST_UNKNOWNS} unknowns would be needed; ask for fewer modes or a looser accuracy"
    )


def _ladder(design: Design) -> Iterator[Discretisation]:
    sites = {held.place.along for held in design.supports} | {
        hung.place.along for hung in design.masses
    }
    stretches = len(sites | {0.0, design.members[0].length}) - 1
    divisions = 2 if stretches == 1 else 1
    while 6 * stretches * divisions * MAX_ORDER <= _MOST_UNKNOWNS:
        for order in range(_FIRST_ORDER, MAX_ORDER + 1):
            yield Discretisation(divisions, order)
        divisions *= 2


def _raw(
    design: Design, request: ModeRequest, discretisation: Discretisation, progress: Progress
) -> _Raw:
    system = assemble(design, discretisation)
    up_to = 0.0 if request.up_to is None else (2 * math.pi * request.up_to) ** 2
    pairs = lowest_modes(
        system.stiffness, system.mass, system.rigid, request.count, up_to, progress
    )
    frequencies = np.sqrt(np.maximum(pairs.values, 0.0)) / (2 * math.pi)
    vectors = _aligned(system, frequencies, pairs.vectors)
    frequencies = _from_strains(system, vectors)
    order = np.argsort(frequencies, kind="stable")
    frequencies, vectors = frequencies[order], vectors[:, order]
    motions = system.node_motions(vectors)
    shapes = sample_shapes(system, motions)
    return _Raw(
        discretisation,
        system,
        vectors,
        frequencies,
        pairs.complete,
        shapes,
        signatures(design, shapes, carried_motions(design, system, motions)),
    )


def _from_strains(system: System, vectors: Array) -> Array:
    """Frequencies as Rayleigh quotients of the strain energy, strain by strain.

    A slender member's stiffness matrix holds numbers so much larger than its lowest eigenvalues
    that these drown in rounding (at a span of ten thousand heights, four digits are left). The
    energy is a sum of squares of small strains, which loses nothing.
    """
    if vectors.shape[1] == 0:
        return np.empty(0)
    energy = system.strain_energy(system.node_motions(vectors))
    kinetic = np.einsum("im,im->m", vectors, np.asarray(system.mass @ vectors))
    return np.asarray(np.sqrt(2 * energy.sum(axis=1) / kinetic) / (2 * math.pi))


def _aligned(system: System, frequencies: Array, vectors: Array) -> Array:
    """Turn modes of equal frequency towards the member's own axes, the same way every time."""
    vectors = vectors.copy()
    frame = system.mesh.member.frame
    for group in clusters(frequencies, 1e-7):
        if group.stop - group.start < 2:
            continue
        motions = system.node_motions(vectors[:, group])
        along = motions[..., :3] @ frame.T
        size = np.array([0.5, 2.0, 1.0])  # axis, side, up: three unlike weights tell them apart
        weighted = np.einsum("mnd,d,knd->mk", along, size, along, optimize=True)
        _, turn = np.linalg.eigh(weighted)
        vectors[:, group] = vectors[:, group] @ turn
    return vectors


def _error_estimates(design: Design, lowest: _Raw, lower: _Raw, fine: _Raw) -> Array:
    """Estimate each frequency's relative error from the two next lower orders.

    The difference d to the next lower order is that order's error. For waves resolved by elements
    of order p it falls as (kh)^2p (M. Ainsworth, "Discrete dispersion relation for hp-version
    finite element approximation", SIAM J. Numer. Anal. 42 (2004) 553-575), so raising the order
    by one gains a factor of the size d^(1/(p-1)). It is taken with a safety factor and never
    counted as more than ten. Where a mode's symmetry makes two orders agree by luck, the order
    below them is asked instead. A mode the lower order does not show is not resolved, and its
    error counts as whole.
    """
    order = fine.discretisation.order
    tapered = design.members[0].tapered
    safety = _SAFETY_TAPERED if tapered else _SAFETY
    one, two = _difference(lower, fine), _difference(lowest, fine)
    estimate = one * np.clip(safety * one ** (1 / (order - 1)), _LEAST_GAIN, 1.0)
    slope = two ** (1 / max(1, order - 2))
    lucky = (one < _LUCK * two * slope) | tapered
    estimate = np.where(lucky, np.maximum(estimate, two * slope**2), estimate)
    return np.asarray(estimate + _FLOOR)


def _difference(coarse: _Raw, fine: _Raw) -> Array:
    """Relative difference of each fine frequency to the same shape's at a lower order."""
    if not len(coarse.frequencies):
        return np.ones(len(fine.frequencies))
    partners, certainty = match(
        fine.signatures, coarse.signatures, coarse.frequencies, fine.frequencies
    )
    known = (partners >= 0) & (certainty >= _RECOGNISED)
    theirs = coarse.frequencies[np.maximum(partners, 0)]
    return np.where(known, np.abs(theirs / fine.frequencies - 1), 1.0)


def _mode_set(design: Design, fine: _Raw, errors: Array) -> ModeSet:
    system = fine.system
    rigid_motions = system.node_motions(system.rigid)
    rigid_shapes = sample_shapes(system, rigid_motions)
    rigid_signatures = signatures(
        design, rigid_shapes, carried_motions(design, system, rigid_motions)
    )
    energies = energy_shares(system.strain_energy(system.node_motions(fine.vectors)))
    rigid = len(system.rigid_names)
    shapes = _relative(design, np.concatenate([rigid_shapes, fine.shapes]))
    return ModeSet(
        np.concatenate([np.zeros(rigid), fine.frequencies]),
        np.concatenate([np.zeros(rigid), errors]),
        system.rigid_names,
        tuple(f"rigid, {name}" for name in system.rigid_names) + kind_names(energies),
        np.concatenate([np.zeros((rigid, len(ENERGY_NAMES))), energies]),
        effective_masses(system, np.hstack([system.rigid, fine.vectors])),
        STATIONS,
        shapes,
        np.concatenate([rigid_signatures, fine.signatures]),
        fine.discretisation,
        system.mesh.unknowns,
        fine.complete,
        float(system.rigid_mass[0, 0]),
    )


def _relative(design: Design, shapes: Array) -> Array:
    """Scale so that the outermost fibre moving most moves by one, the first large part positive."""
    member = design.members[0]
    radius = 0.5 * max(member.section.depth, member.section_at_end.depth)
    moving = np.linalg.norm(shapes[..., :3], axis=-1)
    turning = radius * np.linalg.norm(shapes[..., 3:], axis=-1)
    largest = np.maximum(moving, turning).max(axis=1)
    shapes = shapes / np.where(largest > 0, largest, 1.0)[:, None, None]
    flat = (shapes * np.array([1.0, 1.0, 1.0, radius, radius, radius])).reshape(len(shapes), -1)
    first = np.argmax(np.abs(flat) >= 0.5 * np.abs(flat).max(axis=1, keepdims=True), axis=1)
    signs = np.sign(flat[np.arange(len(flat)), first])
    return shapes * np.where(signs == 0, 1.0, signs)[:, None, None]
