"""The lowest modes of ``K phi = lambda M phi`` by block shift-invert Lanczos.

Full reorthogonalisation in the mass; rigid modes are known exactly and projected out. After
R. G. Grimes, J. G. Lewis and H. D. Simon, "A shifted block Lanczos algorithm for solving sparse
symmetric generalized eigenproblems", SIAM J. Matrix Anal. Appl. 15 (1994) 228-272. The number of
modes below the last one is proven by the inertia of ``K - sigma M``.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Protocol

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.progress import Progress
from belltone.system.factor import Factor, SingularShiftError
from belltone.system.pattern import combined
from belltone.system.products import Symmetric

__all__ = [
    "Eigenpairs",
    "KrylovSpace",
    "TooManyModesError",
    "free_shift",
    "guard_count",
    "lowest_modes",
    "shifted_factor",
    "window_modes",
]

Array = NDArray[np.float64]
Matrix = scipy.sparse.csc_matrix

_BLOCK: Final = 4  # finds multiplicities up to four at once; more are found after the count
_WIDEST: Final = 24  # block where very many modes are wanted, of which many may be equal
_FOR_EACH: Final = 6  # modes wanted, for one more in the block
_SHARE_GROWN: Final = 0.06
_TOLERANCE: Final = 1e-12  # of an eigenvalue; errors are the square of the residual's
_DEPENDENT: Final = 1e-20  # relative squared length below which a new vector is rounding
_GENUINE: Final = 0.5  # squared length a vector of length one keeps, clear of the basis once more
_REFRESH: Final = 12  # steps after which new directions look for equal modes a window still lacks
_NOTHING: Final = 1e-24  # relative squared length of what rounding leaves of a known vector
_GUARDS: Final = 4
_SEED: Final = 20_011  # the start is random but always the same, so answers repeat exactly


class TooManyModesError(ArithmeticError):
    """There are ``count`` modes where far fewer can be found at once."""

    def __init__(self, count: int) -> None:
        self.count = count
        super().__init__(f"{count} modes are too many")


@dataclass(frozen=True)
class Eigenpairs:
    """Eigenvalues (rad²/s²) ascending, vectors as columns orthonormal in the mass.

    ``complete`` tells that the inertia count proved no mode below the last one is missing;
    ``None`` that no count was made. ``skipped`` flexible modes lie below the first one. ``guards``
    are some vectors near the modes beyond, which have not settled.
    """

    values: Array
    vectors: Array
    complete: bool | None
    skipped: int = 0
    guards: Array | None = None


def lowest_modes(
    stiffness: Matrix,
    mass: Matrix,
    rigid: Array,
    count: int,
    up_to: float = 0.0,
    progress: Progress | None = None,
    factor: tuple[Factor, float] | None = None,
    most: int | None = None,
    start: Array | None = None,
    proven: bool = True,
) -> Eigenpairs:
    """Find the ``count`` lowest flexible modes, and all others with eigenvalues to ``up_to``.

    ``rigid`` (n, r) holds the rigid modes, orthonormal in the mass; they are left out of the
    result. Fewer modes come back when the system has no more. ``factor`` is that of the stiffness
    at a shift, where there is one already. With ``most``, the modes up to ``up_to`` are counted
    first, and more of them raise `TooManyModesError`. ``start`` (n, k) are vectors near the modes,
    if any are known. With ``proven`` off nobody counts whether any mode is missing.
    """
    progress = progress or Progress()
    available = stiffness.shape[0] - rigid.shape[1]
    if available <= 0:
        return Eigenpairs(np.empty(0), np.empty((stiffness.shape[0], 0)), True)
    if most is not None and up_to > 0:
        _refuse_more(_negatives_near(stiffness, mass, up_to) - rigid.shape[1], most)
    factor = factor or shifted_factor(stiffness, mass, free_shift(stiffness, mass, rigid))
    space = KrylovSpace(factor, mass, rigid, available, count, start)
    wanted = min(count, available)
    while True:
        values, vectors = _converge(space, wanted, up_to, progress)
        keep = min(max(wanted, int(np.count_nonzero(values <= up_to))), len(values))
        keep = _end_of_cluster(values, keep)
        counted = None
        if proven:
            counted = _count_below(stiffness, mass, values, keep, rigid.shape[1])
        if counted is None or counted <= keep or space.full:
            complete = None if counted is None else counted == keep
            guards = vectors[:, keep : keep + guard_count(keep)]
            return Eigenpairs(values[:keep], vectors[:, :keep], complete, guards=guards)
        # The count knows of modes the space has not seen: widen it in new directions.
        wanted = min(counted, available)
        space.refresh()


def window_modes(
    stiffness: Matrix,
    mass: Matrix,
    rigid: Array,
    low: float,
    high: float | None,
    count: int,
    progress: Progress | None = None,
    most: int | None = None,
    start: Array | None = None,
) -> Eigenpairs:
    """Find all modes with eigenvalues from ``low`` to ``high``, or the ``count`` first above it.

    The window may lie anywhere in the spectrum: the operator is shifted there, and the modes
    below are only counted. More modes inside than ``most`` raise `TooManyModesError`.
    """
    progress = progress or Progress()
    available = stiffness.shape[0] - rigid.shape[1]
    below = _negatives_near(stiffness, mass, low) - rigid.shape[1]
    if high is not None:
        wanted = _negatives_near(stiffness, mass, high) - rigid.shape[1] - below
        shift = 0.5 * (low + high)
        if most is not None:
            _refuse_more(wanted, most)
    else:
        wanted = min(count, available - below)
        shift = low
    if wanted <= 0:
        return Eigenpairs(np.empty(0), np.empty((stiffness.shape[0], 0)), True, below)
    factor = shifted_factor(stiffness, mass, shift)
    space = KrylovSpace(factor, mass, rigid, available, wanted, start)
    steps = 0
    while True:
        progress.check()
        space.grow()
        steps += 1
        inverse, weights, bounds = space.ritz()
        usable = np.abs(inverse) > np.abs(inverse).max() * np.finfo(float).eps
        values = space.shift + 1.0 / inverse[usable]
        inside = (values > low) & (values <= (np.inf if high is None else high))
        settled = bounds[usable] <= np.sqrt(_TOLERANCE) * np.abs(inverse[usable])
        order = np.argsort(np.where(inside, values, np.inf))[: int(np.count_nonzero(inside))]
        ready = settled[order] | space.full
        if high is not None:
            # Inside a closed window it is enough to have them all, in whatever order they settle.
            order, ready = order[ready], ready[ready]
        standing = int(np.argmin(ready)) if not ready.all() else len(ready)
        if space.full or standing >= wanted:
            kept = order[:wanted]
            vectors = space.basis @ weights[:, usable][:, kept]
            found = values[kept]
            others = np.setdiff1d(np.arange(len(values)), kept)
            near = others[np.argsort(np.abs(values[others] - space.shift))][: guard_count(wanted)]
            guards = space.basis @ weights[:, usable][:, near]
            if high is not None or space.full:
                return Eigenpairs(found, vectors, len(found) == wanted, below, guards)
            # Count what is below the last one found; a mode of a crowded group may be missing.
            step = 1e-4 * abs(found[-1])
            if len(order) > wanted:
                step = min(step, 0.5 * (values[order[wanted]] - found[-1]))
            counted = _negatives_near(stiffness, mass, found[-1] + step) - rigid.shape[1] - below
            if counted <= wanted:
                return Eigenpairs(found, vectors, counted == wanted, below, guards)
            wanted = counted
        elif steps % _REFRESH == 0:
            space.refresh()


def _refuse_more(count: int, most: int) -> None:
    if count > most:
        raise TooManyModesError(count)


def guard_count(modes: int) -> int:
    """How many vectors beyond so many modes keep these apart from what is left out."""
    return max(_GUARDS, modes // 4)


def shifted_factor(stiffness: Matrix, mass: Matrix, shift: float) -> tuple[Factor, float]:
    """A factorisation at a shift, or a hair beside it where it stands on an eigenvalue."""
    for share in (0.0, 1e-9, 1e-7, 1e-5):
        try:
            near = shift * (1 + share)
            return Factor(_at(stiffness, mass, near)), near
        except SingularShiftError:
            continue
    raise SingularShiftError("no shift near this one can be factorised")


def _negatives_near(stiffness: Matrix, mass: Matrix, shift: float) -> int:
    """Number of eigenvalues below a shift."""
    for share in (0.0, 1e-9, 1e-7, 1e-5):
        factor, _ = shifted_factor(stiffness, mass, shift * (1 + share))
        if factor.negatives is not None:
            return factor.negatives
    raise SingularShiftError("the eigenvalues below this shift cannot be counted")


def _at(stiffness: Matrix, mass: Matrix, shift: float) -> Matrix:
    return combined(stiffness, -shift, mass)


def free_shift(stiffness: Matrix, mass: Matrix, rigid: Array) -> float:
    """Zero when held; else a negative shift of the size of the lowest flexible eigenvalue."""
    if rigid.shape[1] == 0:
        return 0.0
    shift = -1e-9 * stiffness.diagonal().sum() / mass.diagonal().sum()
    vector = np.random.default_rng(_SEED).standard_normal((stiffness.shape[0], 1))
    factor = Factor(_at(stiffness, mass, shift))
    for _ in range(3):
        vector = factor.solve(mass @ vector)
        vector = vector - rigid @ (rigid.T @ (mass @ vector))
        vector /= np.sqrt((vector.T @ (mass @ vector)).item())
    estimate = float((vector.T @ (stiffness @ vector)).item())
    return -max(estimate, -float(shift))


class Operator(Protocol):
    """What the space is grown with: takes mass times a vector to the operator times the vector."""

    def solve(self, right: Array) -> Array:
        """Apply it to columns."""


class KrylovSpace:
    """A growing mass-orthonormal basis and the projection of the inverted operator on it.

    The rigid modes stand before the basis in one buffer, so that new vectors are projected clear
    of both at once; the mass times every column is kept beside it.
    """

    def __init__(
        self,
        factor: tuple[Operator, float],
        mass: Matrix,
        rigid: Array,
        available: int,
        wanted: int = 0,
        start: Array | None = None,
    ) -> None:
        self._block = min(max(_BLOCK, wanted // _FOR_EACH), _WIDEST)
        (self._factor, self.shift), self._mass = factor, Symmetric(mass)
        self._rigid_count = rigid.shape[1]
        self._available = available
        self._random = np.random.default_rng(_SEED)
        self._columns = np.asfortranarray(rigid)
        self._images = np.asfortranarray(self._mass @ rigid)
        self._used = self._rigid_count
        self._projected = np.empty((0, 0))
        self._coupling = np.empty((0, 0))
        self._last = 0
        self._exhausted = False
        if start is None or not start.shape[1]:
            self._next = self._fresh(min(self._block, available))
        else:
            clear = self._clear_of_known(start)
            longest = np.einsum("ij,ij->j", clear, np.asarray(self._mass @ clear)).max()
            self._next = self._normalised(clear, float(np.sqrt(longest)))[0][:, :available]

    @property
    def basis(self) -> Array:
        """The basis, without the rigid modes."""
        return self._columns[:, self._rigid_count : self._used]

    @property
    def full(self) -> bool:
        """Whether the basis spans everything that has mass."""
        return self._exhausted or bool(self._used - self._rigid_count >= self._available)

    def refresh(self) -> None:
        """Add directions the recurrence would not find by itself."""
        if not self.full:
            room = self._available - self.basis.shape[1]
            self._next = self._fresh(min(self._block, room))

    def grow(self) -> None:
        """Take in the next block and apply the operator to it."""
        block = self._next
        old = self.basis.shape[1]
        images = self._append(block)
        applied = self._factor.solve(images)
        column = self._images[:, self._rigid_count : self._used].T @ applied
        size = self.basis.shape[1]
        projected = np.zeros((size, size))
        projected[:old, :old] = self._projected
        projected[:, old:] = column
        projected[old:, :] = column.T
        self._projected = projected
        rest = self._clear_of_known(applied)
        vectors, lengths = self._normalised(rest, float(np.linalg.norm(column)))
        self._coupling = lengths
        self._last = block.shape[1]
        room = self._available - size
        if vectors.shape[1] < min(self._block, room):
            extra = self._fresh(min(self._block, room) - vectors.shape[1], vectors)
            vectors = np.hstack([vectors, extra])
        self._next = vectors[:, :room]
        self._exhausted = not self._next.shape[1]

    def ritz(self) -> tuple[Array, Array, Array]:
        """Return Ritz values of the inverted operator (descending), vectors, and error bounds."""
        values, weights = scipy.linalg.eigh(self._projected)
        values, weights = values[::-1], weights[:, ::-1]
        bounds = np.linalg.norm(self._coupling @ weights[-self._last :], axis=0)
        if self.full:
            bounds = np.zeros_like(bounds)
        return values, weights, bounds

    def _append(self, block: Array) -> Array:
        """Put a block behind the basis; returns the mass times it."""
        images = np.asarray(self._mass @ block)
        needed = self._used + block.shape[1]
        if needed > self._columns.shape[1]:
            room = max(needed, 2 * self._columns.shape[1], 8 * self._block)
            for name in ("_columns", "_images"):
                wider = np.empty((len(block), room), order="F")
                wider[:, : self._used] = getattr(self, name)[:, : self._used]
                setattr(self, name, wider)
        self._columns[:, self._used : needed] = block
        self._images[:, self._used : needed] = images
        self._used = needed
        return images

    def _clear_of_known(self, vectors: Array) -> Array:
        """Project rigid modes and basis out of vectors, once."""
        known, images = self._columns[:, : self._used], self._images[:, : self._used]
        return np.asarray(vectors - known @ (images.T @ vectors))

    def _normalised(self, vectors: Array, scale: float) -> tuple[Array, Array]:
        """Orthonormalise in the mass, dropping what is rounding next to ``scale``.

        The second projection comes after the vectors have unit length, so two are enough
        (B. N. Parlett, The Symmetric Eigenvalue Problem, section 6.9).
        """
        gram = vectors.T @ (self._mass @ vectors)
        squares, turn = scipy.linalg.eigh((gram + gram.T) / 2)
        kept = squares > _DEPENDENT * max(scale**2, np.finfo(float).tiny)
        lengths = np.sqrt(squares[kept])
        coupling = lengths[:, None] * turn[:, kept].T
        vectors = self._clear_of_known(vectors @ (turn[:, kept] / lengths))
        # What was rounding alone lies in the basis, and has all but gone now.
        gram = vectors.T @ (self._mass @ vectors)
        squares, turn = scipy.linalg.eigh((gram + gram.T) / 2)
        kept = squares > _GENUINE
        return vectors @ (turn[:, kept] / np.sqrt(squares[kept])), turn[:, kept].T @ coupling

    def _fresh(self, count: int, beside: Array | None = None) -> Array:
        """Return random mass-orthonormal vectors outside everything known.

        There are fewer of them, or none, when the motions that have mass are used up: drilling
        rotations of a wall have none.
        """
        vectors = self._random.standard_normal((self._mass.shape[0], count))
        # One application of the operator removes the stiff noise of a random vector.
        vectors = self._factor.solve(np.asarray(self._mass @ vectors))
        whole = np.einsum("ij,ij->j", vectors, np.asarray(self._mass @ vectors)).max(initial=0.0)
        for _ in range(3):
            vectors = self._clear_of_known(vectors)
            if beside is not None and beside.shape[1]:
                vectors = vectors - beside @ (beside.T @ (self._mass @ vectors))
            gram = vectors.T @ (self._mass @ vectors)
            squares, turn = scipy.linalg.eigh((gram + gram.T) / 2)
            kept = squares > _NOTHING * whole
            vectors = vectors @ (turn[:, kept] / np.sqrt(squares[kept]))
            whole = 1.0
        return vectors


def _converge(
    space: KrylovSpace, wanted: int, up_to: float, progress: Progress
) -> tuple[Array, Array]:
    """Grow the space until the wanted modes stand, and one beyond them to close the list.

    There are more vectors than values: behind them come guards.
    """
    look = 0
    while True:
        progress.check()
        space.grow()
        if space.basis.shape[1] < look and not space.full:
            continue
        # Looking costs the cube of the size, so a large space grows by a share before the next.
        look = space.basis.shape[1] * (1 + _SHARE_GROWN)
        inverse, weights, bounds = space.ritz()
        usable = inverse > np.abs(inverse[0]) * np.finfo(float).eps
        values = space.shift + 1.0 / inverse[usable]
        settled = bounds[usable] <= np.sqrt(_TOLERANCE) * inverse[usable]
        standing = int(np.argmin(settled)) if not settled.all() else len(settled)
        closed = standing > wanted and values[standing - 1] > up_to
        if closed or space.full:
            standing = len(values) if space.full else standing
            shown = standing + guard_count(standing)
            return values[:standing], space.basis @ weights[:, usable][:, :shown]


def _end_of_cluster(values: Array, keep: int) -> int:
    """Do not cut through modes of equal frequency."""
    while keep < len(values) and values[keep] - values[keep - 1] <= 1e-7 * abs(values[keep]):
        keep += 1
    return keep


def _count_below(
    stiffness: Matrix, mass: Matrix, values: Array, keep: int, rigid: int
) -> int | None:
    """Count the flexible modes below a point just above the last kept one."""
    if keep == 0:
        return None
    last = values[keep - 1]
    gap = values[keep] - last if keep < len(values) else abs(last)
    for share in (0.5, 0.3, 0.7):
        point = last + share * min(gap, 0.1 * abs(last))
        try:
            negatives = Factor(_at(stiffness, mass, point)).negatives
        except SingularShiftError:
            continue
        return None if negatives is None else negatives - rigid
    return None
