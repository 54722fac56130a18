"""Modes about a loaded state: whether it is stable, eigenvalues of it, and whirling ones."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from belltone.modes.errors import AccuracyError, BuckledModesError
from belltone.modes.matching import clusters
from belltone.modes.request import ModeRequest
from belltone.modes.whirl import WhirlError, turning_pattern, whirls
from belltone.modes.witness import Witness
from belltone.progress import Progress
from belltone.sheet.design import Design
from belltone.sheet.preload import PreloadValue
from belltone.system.assembly import Assembly, System
from belltone.system.buckling import buckling
from belltone.system.equilibrium import BuckledError, Equilibrium, UnbalancedError, equilibrium
from belltone.system.factor import Factor, SingularShiftError
from belltone.system.lanczos import lowest_modes
from belltone.system.loads import gyroscopic

__all__ = ["aligned", "checked", "eigenvalues", "loaded", "whirling"]

Array = NDArray[np.float64]

_LEVER: Final = 1e-3  # of the size
_SPARE: Final = 8  # modes beyond twice those wanted, on which whirling ones are solved


def loaded(assembly: Assembly, preload: PreloadValue, progress: Progress) -> Equilibrium:
    """The loaded state; raises `AccuracyError` where there is none."""
    try:
        return equilibrium(assembly, preload, progress)
    except BuckledError as error:
        raise BuckledModesError(error) from error
    except UnbalancedError as error:
        raise AccuracyError(str(error)) from error


def checked(state: Equilibrium, progress: Progress) -> Factor:
    """Factors of the loaded stiffness, or `BuckledModesError` where it is not stable."""
    try:
        factor = Factor(state.system.stiffness)
    except SingularShiftError:
        raise BuckledModesError(BuckledError(1.0)) from None
    if not factor.negatives:
        return factor
    if state.pose is not None:
        raise BuckledModesError(BuckledError(1.0))
    found = buckling(state.elastic, state.stress_stiffness, state.elastic_factor, 1, progress)
    fraction = float(found.factors[0]) if len(found.factors) else 1.0
    raise BuckledModesError(BuckledError(fraction))


def eigenvalues(system: System, vectors: Array) -> Array:
    """Eigenvalues (rad²/s²) as Rayleigh quotients of the strain energy, strain by strain.

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
    if system.stress_stiffness is not None:
        pushed = np.asarray(system.stress_stiffness @ vectors)
        energy = energy + 0.5 * np.einsum("im,im->m", vectors, pushed)
    kinetic = np.einsum("im,im->m", vectors, np.asarray(system.mass @ vectors))
    return np.asarray(2 * energy / kinetic)


def aligned(system: System, witness: Witness, frequencies: Array, vectors: Array) -> Array:
    """Turn modes of equal frequency the same way every time."""
    vectors = vectors.copy()
    for group in clusters(frequencies, 1e-7):
        if group.stop - group.start > 1:
            turn = witness.align(system.node_motions(vectors[:, group]))
            vectors[:, group] = vectors[:, group] @ turn
    return vectors


@dataclass(frozen=True)
class Whirling:
    """Whirling modes by frequency (Hz): shapes ``leading + i lagging``, waves with the spin."""

    frequencies: Array
    leading: Array
    lagging: Array
    waves: tuple[int, ...]
    complete: bool | None


def whirling(
    design: Design,
    assembly: Assembly,
    state: Equilibrium,
    witness: Witness,
    request: ModeRequest,
    progress: Progress,
) -> Whirling:
    """The modes asked for with gyroscopic forces, of a state that spins."""
    assert design.preload is not None
    spin = design.preload.spin
    assert spin is not None
    speed, system = design.preload.turning, state.system
    # Spin takes its square off the eigenvalues, gyroscopic forces give it back: a shift by it
    # changes no shape and leaves nothing to be taken for buckling.
    raised = sparse.csc_matrix(system.stiffness + speed**2 * system.mass)
    up_to = 0.0
    if request.up_to is not None:
        up_to = (2 * math.pi * request.up_to + speed) ** 2 + speed**2
    count = 2 * request.count + _SPARE
    pairs = lowest_modes(raised, system.mass, system.rigid, count, up_to, progress)
    values = eigenvalues(system, pairs.vectors)
    basis = system.free.basis
    skew = gyroscopic(assembly, system.bodies, state.pose, spin.axis)
    reduced = sparse.csc_matrix(basis.T @ skew @ basis)
    try:
        found = whirls(values, pairs.vectors, reduced, speed)
    except WhirlError as error:
        raise AccuracyError(str(error)) from error
    shapes = pairs.vectors @ found.weights
    masses = np.concatenate([part.masses for part in witness.parts])
    positions = np.concatenate([part.positions for part in witness.parts])
    read = witness.shapes(system.node_motions(shapes.real)) + 1j * witness.shapes(
        system.node_motions(shapes.imag)
    )
    phases = np.array([_phase(own, _LEVER * assembly.extent) for own in read])
    shapes = shapes * phases
    waves, angular = [], found.angular.copy()
    for number, own in enumerate(read):
        count_of, _ = turning_pattern(positions, own, masses, spin)
        if spin.from_ground:
            seen = angular[number] + count_of * speed
            # A pattern the spin overtakes is seen to go the other way.
            count_of = count_of if seen >= 0 else -count_of
            angular[number] = abs(seen)
        waves.append(count_of)
    order = np.argsort(angular, kind="stable")
    frequencies = angular[order] / (2 * math.pi)
    keep = request.count
    if request.up_to is not None:
        keep = max(keep, int(np.count_nonzero(frequencies <= request.up_to)))
    order = order[:keep]
    sizes = np.sqrt(np.einsum("im,im->m", shapes.conj(), np.asarray(system.mass @ shapes)).real)
    shapes = (shapes / sizes)[:, order]
    return Whirling(
        frequencies[:keep],
        np.ascontiguousarray(shapes.real),
        np.ascontiguousarray(shapes.imag),
        tuple(waves[number] for number in order),
        # The count is of modes without gyroscopic forces; it says nothing of these.
        None,
    )


def _phase(shape: NDArray[np.complex128], lever: float) -> complex:
    """The factor that makes the first of the largest motions real and positive.

    Turns count by a short ``lever`` (m), for shapes that do nothing else.
    """
    flat = np.concatenate([shape[:, :3].ravel(), lever * shape[:, 3:].ravel()])
    size = np.abs(flat)
    largest = flat[int(np.argmax(size >= 0.99 * size.max()))]
    return complex(np.conj(largest) / max(abs(largest), 1e-300))
