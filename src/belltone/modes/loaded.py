"""Modes about a loaded state: whether it is stable, eigenvalues of it, and whirling ones."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.preload import PreloadValue
from belltone.design.values import Design
from belltone.modes.errors import BuckledModesError, LostModesError, NoModesError
from belltone.modes.matching import clusters
from belltone.modes.request import ModeRequest
from belltone.modes.whirl import WhirlError, turning_patterns, whirls
from belltone.progress import Progress
from belltone.system.assembly import Assembly, System
from belltone.system.balance import BuckledError, Equilibrium, LostPathError, UnbalancedError
from belltone.system.buckling import buckling
from belltone.system.equilibrium import equilibrium
from belltone.system.factor import Factor, SingularShiftError
from belltone.system.lanczos import free_shift, lowest_modes
from belltone.system.loads import gyroscopic
from belltone.system.pattern import combined
from belltone.system.witness import Witness

__all__ = ["aligned", "checked", "eigenvalues", "loaded", "whirling"]

Array = NDArray[np.float64]

_LEVER: Final = 1e-3  # of the size
_SETTLED: Final = 0.02  # of the accuracy asked for
_ROUNDING: Final = 1e-10  # relative; what settles by less has settled
_JUST_ABOVE: Final = 1e-6  # relative; nearer than this to a mode a count means nothing
_LIFT: Final = 1e-3  # of the lowest eigenvalue of what is free
_SPARE: Final = 8  # modes beyond twice those wanted, on which whirling ones are solved


def loaded(
    assembly: Assembly,
    preload: PreloadValue,
    progress: Progress,
    begun: Array | None = None,
) -> Equilibrium:
    """The loaded state, ``begun`` from motions near it; raises `NoModesError` where none is."""
    try:
        return equilibrium(assembly, preload, progress, begun=begun)
    except BuckledError as error:
        raise BuckledModesError(error) from error
    except LostPathError as error:
        raise LostModesError(str(error)) from error
    except UnbalancedError as error:
        raise NoModesError(str(error)) from error


def checked(state: Equilibrium, preload: PreloadValue, progress: Progress) -> Factor | None:
    """Factors of the loaded stiffness, or `BuckledModesError` where it is not stable.

    There are none where something is free to move as one: the stiffness has zeros then.
    """
    system = state.system
    try:
        if system.rigid.shape[1]:
            # Rigid motions are lifted off zero by a shift far below any other.
            shift = _LIFT * free_shift(system.stiffness, system.mass, system.rigid)
            if Factor(combined(system.stiffness, -shift, system.mass)).negatives:
                raise BuckledModesError(BuckledError())
            return None
        factor = Factor(system.stiffness)
    except SingularShiftError:
        raise BuckledModesError(BuckledError()) from None
    if not factor.negatives:
        return factor
    if state.pose is not None or not state.held:
        raise BuckledModesError(BuckledError())
    found = buckling(state.elastic, state.stress_stiffness, state.elastic_factor, 1, progress)
    fraction = float(found.factors[0]) if len(found.factors) else None
    spun = preload.turning if preload.spins_alone else 0.0
    raise BuckledModesError(BuckledError(fraction, spun))


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
    """Whirling modes by frequency (Hz): shapes ``leading + i lagging``, waves with the spin.

    ``unsettled`` is how much each frequency still moved, relatively, as it was solved on more modes
    without gyroscopic forces.
    """

    frequencies: Array
    leading: Array
    lagging: Array
    waves: tuple[int, ...]
    complete: bool | None
    unsettled: Array


def whirling(
    design: Design,
    assembly: Assembly,
    state: Equilibrium,
    witness: Witness,
    request: ModeRequest,
    progress: Progress,
) -> Whirling:
    """The modes asked for with gyroscopic forces, of a state that spins.

    They are solved on modes without these forces, twice as many each time, until the frequencies
    asked for have settled to a share of the accuracy.
    """
    assert design.preload is not None
    spin = design.preload.spin
    assert spin is not None
    speed, system = design.preload.turning, state.system
    # Spin takes its square off the eigenvalues, gyroscopic forces give it back: a shift by it
    # changes no shape and leaves nothing to be taken for buckling.
    raised = combined(system.stiffness, speed**2, system.mass)
    up_to = 0.0
    if request.up_to is not None:
        up_to = (2 * math.pi * request.up_to + speed) ** 2 + speed**2
    count = 2 * request.count + _SPARE
    basis = system.free.basis
    skew = gyroscopic(assembly, system.bodies, state.pose, spin.axis)
    reduced = scipy.sparse.csc_matrix(basis.T @ skew @ basis)
    factor = None if system.rigid.shape[1] else (Factor(raised), 0.0)
    before = np.empty(0)
    available = raised.shape[0] - system.rigid.shape[1]
    while True:
        pairs = lowest_modes(raised, system.mass, system.rigid, count, up_to, progress, factor)
        values = eigenvalues(system, pairs.vectors)
        try:
            found = whirls(values, pairs.vectors, reduced, speed)
        except WhirlError as error:
            raise NoModesError(str(error)) from error
        looked_at = found.angular[: 2 * request.count]
        unsettled = np.ones(len(found.angular))
        common = min(len(before), len(looked_at))
        unsettled[:common] = np.abs(before[:common] / looked_at[:common] - 1)
        full = len(values) >= available
        if full or np.all(unsettled[: len(looked_at)] <= _SETTLED * request.accuracy):
            break
        # Leaving modes out of one basis instead says too little: what couples comes in families
        # (measured: 5e-6 told where 9e-5 was true).
        before, count = looked_at, 2 * len(values)
    unsettled[:] = 0.0 if full else np.maximum(unsettled, _ROUNDING)
    shapes = pairs.vectors @ found.weights
    masses = np.concatenate([part.masses for part in witness.parts])
    positions = np.concatenate([part.positions for part in witness.parts])
    read = witness.shapes(system.node_motions(shapes.real)) + 1j * witness.shapes(
        system.node_motions(shapes.imag)
    )
    phases = np.array([_phase(own, _LEVER * assembly.extent) for own in read])
    shapes = shapes * phases
    waves, angular = [], found.angular.copy()
    patterns = turning_patterns(positions, read, masses, spin)
    for number, (count_of, _) in enumerate(patterns):
        if spin.from_ground:
            seen = angular[number] + count_of * speed
            if seen < 0:  # a pattern the spin overtakes is seen to go the other way
                count_of, shapes[:, number] = -count_of, shapes[:, number].conj()
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
    complete = None
    if not spin.from_ground and not system.rigid.shape[1]:
        complete = _proven(state.system, reduced, speed, angular[order])
    return Whirling(
        frequencies[:keep],
        np.ascontiguousarray(shapes.real),
        np.ascontiguousarray(shapes.imag),
        tuple(waves[number] for number in order),
        complete,
        unsettled[order],
    )


def _proven(
    system: System, skew: scipy.sparse.csc_matrix, speed: float, angular: Array
) -> bool | None:
    """Whether these are all whirling modes up to the last of them; ``None``: nobody can say.

    ``K - w² M + 2 i w W G`` is Hermitian. With a positive K each of its eigenvalues falls through
    zero once as w rises, at a whirling mode (P. Lancaster, "Lambda-matrices and vibrating systems",
    Pergamon (1966), ch. 7), so its negative eigenvalues count the modes below w. It is factorised
    as the real matrix of twice the size, which has each of them twice.
    """
    if not len(angular):
        return None
    at = float(angular[-1]) * (1 + _JUST_ABOVE)
    even = combined(system.stiffness, -(at**2), system.mass)
    odd = scipy.sparse.csc_matrix(2 * at * speed * skew)
    try:
        if Factor(system.stiffness).negatives != 0:
            return None  # the spin has softened it past zero, and gyroscopic forces alone hold it
        whole = scipy.sparse.csc_matrix(scipy.sparse.bmat([[even, -odd], [odd, even]]))
        negatives = Factor(scipy.sparse.csc_matrix(0.5 * (whole + whole.T))).negatives
    except SingularShiftError:
        return None
    return None if negatives is None else negatives == 2 * len(angular)


def _phase(shape: NDArray[np.complex128], lever: float) -> complex:
    """The factor that makes the first of the largest motions real and positive.

    Turns count by a short ``lever`` (m), for shapes that do nothing else.
    """
    flat = np.concatenate([shape[:, :3].ravel(), lever * shape[:, 3:].ravel()])
    size = np.abs(flat)
    largest = flat[int(np.argmax(size >= 0.99 * size.max()))]
    return complex(np.conj(largest) / max(abs(largest), 1e-300))
