"""Frequencies and shapes at one discretisation, solved there or carried over from another."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.modes.errors import BuckledModesError
from belltone.modes.level import Level, told_in_words
from belltone.modes.loaded import aligned, eigenvalues, whirling
from belltone.modes.matching import assurance
from belltone.modes.request import ModeRequest
from belltone.modes.signatures import signatures
from belltone.system.balance import BuckledError
from belltone.system.lanczos import lowest_modes, window_modes

__all__ = ["Solution", "alike", "carried", "missed", "solved"]

Array = NDArray[np.float64]

_STEPS: Final = 3  # of inverse iteration at most, from one order to another
_NEAR: Final = 0.01  # change of eigenvalues below which one step settles to a hundredth of it
_SETTLED: Final = 0.01  # of the change between the orders; what is told of it is no better
_SAFE: Final = 1e-4  # of the accuracy: rounding that changes no error told
_DEPENDENT: Final = 1e-12  # relative squared length of what is one of the others already


@dataclass(frozen=True, kw_only=True)
class Solution:
    """Modes at one level.

    ``vectors`` (permitted, m) have a modal mass of one; those of ``kept`` are the modes asked for,
    ascending, the others guard vectors. ``proven`` tells that the modes were solved for here to
    rounding, not carried over; ``complete`` what the count said of them. ``lagging`` is the part
    of whirling shapes a quarter turn behind, ``waves`` how many waves each mode carries round with
    the spin (against it: negative). ``unsettled`` is how much whirling frequencies still moved.
    """

    level: Level
    vectors: Array
    all_frequencies: Array
    kept: slice
    proven: bool
    complete: bool | None = None
    skipped: int = 0
    lagging: Array | None = None
    waves: tuple[int, ...] = ()
    unsettled: Array | None = None

    @property
    def frequencies(self) -> Array:
        """Those of the modes asked for (Hz)."""
        return np.asarray(self.all_frequencies[self.kept])

    @property
    def shapes(self) -> Array:
        """Vectors of the modes asked for."""
        return np.asarray(self.vectors[:, self.kept])

    def closed(self, request: ModeRequest) -> bool:
        """Whether a guard beyond the modes shows that none of those asked for is left out."""
        if request.above is not None:
            return bool(self.kept.stop > self.kept.start)
        free = self.level.system.stiffness.shape[0] - len(self.level.system.rigid_names)
        return bool(self.kept.stop < self.vectors.shape[1] or self.vectors.shape[1] >= free)

    @cached_property
    def signatures(self) -> NDArray[Any]:
        """What each mode asked for moves, by mass, to compare it with those of other designs.

        Complex where modes whirl, which may begin at any moment of their turn.
        """
        level = self.level
        parts = [self.shapes] if self.lagging is None else [self.shapes, self.lagging]
        own = [
            signatures(level.design, level.system, level.witness, level.system.node_motions(part))
            for part in parts
        ]
        if self.lagging is None:
            return own[0]
        # Both parts by what each moves, of length one together.
        leading, behind = (np.sqrt(_squares(level, part))[:, None] for part in parts)
        whole = own[0] * leading + 1j * own[1] * behind
        lengths = np.linalg.norm(whole, axis=1, keepdims=True)
        return np.asarray(whole / np.where(lengths > 0, lengths, 1.0))

    @property
    def modal_masses(self) -> Array:
        """One for each mode; of whirling ones what both parts move, for the sizes they have."""
        if self.lagging is None:
            return np.ones(len(self.frequencies))
        return _squares(self.level, self.shapes) + _squares(self.level, self.lagging)


def solved(
    level: Level,
    request: ModeRequest,
    start: Solution | None = None,
    most: int | None = None,
    proven: bool = True,
) -> Solution:
    """Solve for the modes asked for, to rounding, and count them where ``proven`` is asked.

    ``start`` is a solution at the same level to begin from. More modes than ``most`` are refused.
    Raises `NoModesError` where there are no modes or they cannot be solved for.
    """
    with told_in_words(request):
        if level.whirls:
            return _whirling(level, request)
        system = level.system
        guess = None if start is None else start.vectors
        lowest = None
        if start is not None and len(start.all_frequencies):
            lowest = _eigenvalue(start.all_frequencies[0])
        parts = (system.stiffness, system.mass, system.rigid)
        factor = level.factor(request, lowest)
        if request.above is None:
            pairs = lowest_modes(
                *parts,
                request.count,
                request.high or 0.0,
                level.progress,
                factor,
                most,
                guess,
                proven,
            )
            if level.state is not None and len(pairs.values) and pairs.values[0] <= 0:
                raise BuckledModesError(BuckledError())
        else:
            pairs = window_modes(
                *parts, request.low, request.high, request.count, level.progress, most, guess
            )
    approximate = np.sqrt(np.maximum(pairs.values, 0.0)) / (2 * math.pi)
    vectors = aligned(system, level.witness, approximate, pairs.vectors)
    frequencies = _frequencies(level, vectors)
    order = np.argsort(frequencies, kind="stable")
    vectors, frequencies = vectors[:, order], frequencies[order]
    first = 0
    if pairs.guards is not None and pairs.guards.shape[1]:
        beside = _frequencies(level, pairs.guards)
        order = np.argsort(beside, kind="stable")
        below = 0.0 if request.above is None or not len(frequencies) else frequencies[0]
        first = int(np.count_nonzero(beside < below))
        vectors = np.hstack(
            [pairs.guards[:, order[:first]], vectors, pairs.guards[:, order[first:]]]
        )
        beside = beside[order]
        frequencies = np.concatenate([beside[:first], frequencies, beside[first:]])
    return Solution(
        level=level,
        vectors=vectors,
        all_frequencies=frequencies,
        kept=slice(first, first + len(approximate)),
        proven=proven or request.above is not None,
        complete=pairs.complete,
        skipped=pairs.skipped,
    )


def carried(source: Solution, level: Level, request: ModeRequest) -> Solution:
    """The same modes at another level of the design: read over and improved there.

    Motions follow the polynomials of the elements they come from. Inverse iteration in blocks with
    a Rayleigh-Ritz step each (K.-J. Bathe and E. L. Wilson, "Large eigenvalue problems in dynamic
    analysis", J. Eng. Mech. Div. ASCE 98 (1972) 1471-1485) settles them to a hundredth of what
    they change from level to level.
    """
    if level.whirls:
        return solved(level, request)
    system = level.system
    lowest = _eigenvalue(source.all_frequencies[0]) if len(source.all_frequencies) else None
    with told_in_words(request):
        factor, shift = level.factor(request, lowest)
    block = _read(source, level)
    before: Array | None = None
    for _ in range(_STEPS):
        level.progress.check()
        pushed = np.asarray(level.mass @ block)
        block = factor.solve(pushed)
        if system.rigid.shape[1]:
            block = block - system.rigid @ (system.rigid.T @ np.asarray(level.mass @ block))
        values, turn = _ritz(block.T @ pushed, block.T @ np.asarray(level.mass @ block), shift)
        block = block @ turn
        own = values[: source.kept.stop]
        change = _moved(own, source)
        if before is None and np.all(change <= _NEAR):
            break
        if before is not None and len(before) == len(own):
            still = np.abs(own / before - 1)
            if np.all(still <= _SETTLED * change):
                break
        before = own
    # Rounding is as much of a value as its energy is smaller than that of single unknowns moving.
    apart = np.einsum("im,i,im->m", block, np.abs(system.stiffness.diagonal()), block)
    if np.all(np.finfo(float).eps * apart <= _SAFE * request.accuracy * np.abs(values)):
        frequencies = np.sqrt(np.maximum(values, 0.0)) / (2 * math.pi)
    else:
        frequencies = _frequencies(level, block)
    order = np.argsort(frequencies, kind="stable")
    frequencies = frequencies[order]
    return Solution(
        level=level,
        vectors=block[:, order],
        all_frequencies=frequencies,
        kept=_kept(frequencies, request),
        proven=False,
    )


def alike(first: Solution, second: Solution) -> Array:
    """How alike the modes asked for in ``first`` are to all vectors of ``second``, 0 to 1.

    The square of the mass-weighted product of shapes of a modal mass of one, those of ``first``
    read at the level of ``second``; whirling shapes are compared by their signatures.
    """
    if first.lagging is not None:
        return assurance(first.signatures, second.signatures)
    read = _read(first, second.level)[:, first.kept]
    level = second.level
    sizes = _squares(level, read)
    common = read.T @ np.asarray(level.mass @ second.vectors)
    return np.asarray(np.clip(common**2 / np.where(sizes > 0, sizes, 1.0)[:, None], 0.0, 1.0))


def missed(lower: Solution, higher: Solution) -> tuple[Array, Array]:
    """Modes asked for in ``lower``, read at the level of ``higher``, and what is not known there.

    The second is what no combination of the vectors found in ``higher`` shows of them, so modes
    of one frequency need no partner.
    """
    read = _read(lower, higher.level)[:, lower.kept]
    common = higher.vectors.T @ np.asarray(higher.level.mass @ read)
    return read, np.asarray(read - higher.vectors @ common)


def _read(source: Solution, level: Level) -> Array:
    """Vectors of a solution by the free motions of another level."""
    if source.level is level:
        return source.vectors
    motions = source.level.system.node_motions(source.vectors)
    found = level.assembly.motions_from(source.level.assembly, motions)
    return level.system.free.reduced(found.reshape(len(found), level.assembly.size).T)


def _ritz(inner: Array, masses: Array, shift: float) -> tuple[Array, Array]:
    """Eigenvalues, and combinations of a modal mass of one, by what is nearest to the shift.

    ``inner`` are the products of a block with what it was solved from, so those of K - shift M.
    """
    sizes = np.sqrt(np.maximum(np.diag(masses), np.finfo(float).tiny))
    masses = 0.5 * (masses + masses.T) / np.outer(sizes, sizes)
    inner = 0.5 * (inner + inner.T) / np.outer(sizes, sizes)
    squares, turn = scipy.linalg.eigh(masses)
    usable = squares > _DEPENDENT * squares[-1]
    spread = turn[:, usable] / np.sqrt(squares[usable])
    away, weights = scipy.linalg.eigh(spread.T @ inner @ spread)
    return shift + away, (spread @ weights) / sizes[:, None]


def _moved(values: Array, source: Solution) -> Array:
    """Relative change of eigenvalues against those they come from, one by one."""
    there = (2 * math.pi * source.all_frequencies[: len(values)]) ** 2
    return np.asarray(np.abs(values[: len(there)] / np.where(there > 0, there, 1.0) - 1))


def _kept(frequencies: Array, request: ModeRequest) -> slice:
    """Which of ascending frequencies are asked for."""
    if request.above is None:
        up_to = 0 if request.up_to is None else int(np.sum(frequencies <= request.up_to))
        return slice(0, min(max(request.count, up_to), len(frequencies)))
    first = int(np.sum(frequencies <= request.above))
    if request.up_to is None:
        return slice(first, min(first + request.count, len(frequencies)))
    return slice(first, int(np.sum(frequencies <= request.up_to)))


def _whirling(level: Level, request: ModeRequest) -> Solution:
    assert level.state is not None
    found = whirling(
        level.design, level.assembly, level.state, level.witness, request, level.progress
    )
    return Solution(
        level=level,
        vectors=found.leading,
        all_frequencies=found.frequencies,
        kept=slice(0, len(found.frequencies)),
        proven=True,
        complete=found.complete,
        lagging=found.lagging,
        waves=found.waves,
        unsettled=found.unsettled,
    )


def _frequencies(level: Level, vectors: Array) -> Array:
    return np.sqrt(np.maximum(eigenvalues(level.system, vectors), 0.0)) / (2 * math.pi)


def _squares(level: Level, vectors: Array) -> Array:
    return np.asarray(np.einsum("im,im->m", vectors, np.asarray(level.mass @ vectors)))


def _eigenvalue(frequency: float) -> float:
    return float((2 * math.pi * frequency) ** 2)
