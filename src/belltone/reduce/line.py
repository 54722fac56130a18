"""The model of one knob: frequencies and shapes at any value of it, at once and with their errors.

Modes of a few designs along the knob, with guard modes beyond them, span a basis; stiffness and
mass projected on it are interpolated over the knob (the barycentric formula of J.-P. Berrut and
L. N. Trefethen, SIAM Review 46 (2004) 501-517). A value then costs a small dense eigenproblem.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy import linalg

from belltone.mesh.discretisation import Discretisation
from belltone.modes.failure import PointFailure, Reason
from belltone.modes.matching import assurance, paired
from belltone.modes.modeset import Spectrum
from belltone.modes.request import ModeRequest

__all__ = [
    "Anchor",
    "Gap",
    "LineModel",
    "Piece",
    "ReducedModes",
    "independent",
    "interpolated",
    "ritz",
]

Array = NDArray[np.float64]

_RECOGNISED: Final = 0.5  # assurance from which a mode has the kind of one at an anchor
_SAME: Final = 1e-10  # relative squared length of a vector that says nothing new
_LEAST: Final = 1e-8  # a model is never told to be better


@dataclass(frozen=True, eq=False, kw_only=True)
class ReducedModes(Spectrum):
    """Modes read off a model; ``errors`` are those of the model alone, relative.

    ``weights`` (basis, modes) are what flexible modes are made of in the basis of their piece.
    ``shapes`` (modes, points, 6), rigid ones first, are those of the design the model was begun
    from, moved with it.
    """

    weights: Array


@dataclass(frozen=True, eq=False)
class Anchor:
    """A design that was solved: signatures and kinds of its modes."""

    place: float
    signatures: Array
    kinds: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class Gap:
    """Values from ``low`` to ``high`` at which only the exact solution says anything."""

    low: float
    high: float
    failure: PointFailure


@dataclass(frozen=True, eq=False, kw_only=True)
class Piece:
    """The model between two values, ``low`` and ``high``, of the knob (base units).

    ``places`` (n,) are where ``stiffness`` and ``mass`` (n, basis, basis) were projected.
    ``errors`` (modes,) are the largest of each mode found beside them. ``shapes`` (basis, points,
    6) is what the basis moves at the witness points, ``rigid_shapes`` the rigid motions;
    ``moved`` (basis, s) and ``rigid_moved`` the same weighted by mass, for signatures.
    """

    low: float
    high: float
    places: Array
    stiffness: Array
    mass: Array
    errors: Array
    anchors: tuple[Anchor, ...]
    rigid_names: tuple[str, ...]
    shapes: NDArray[np.float32]
    rigid_shapes: NDArray[np.float32]
    moved: NDArray[np.float32]
    rigid_moved: NDArray[np.float32]

    def at(self, value: float, request: ModeRequest) -> ReducedModes | PointFailure:
        """The modes asked for at a value."""
        stiffness, mass = (
            interpolated(self.places, table, value) for table in (self.stiffness, self.mass)
        )
        try:
            values, weights = linalg.eigh(stiffness, mass)
        except linalg.LinAlgError:  # vectors of the basis hardly differ here
            values, weights = ritz(stiffness, mass)
        if len(values) and values[0] <= 0:
            return PointFailure(
                Reason.BUCKLED,
                "buckled under this load: there the shape it was made in is not stable, and has no "
                "natural frequencies",
            )
        frequencies = np.sqrt(values) / (2 * math.pi)
        count = request.count
        if request.up_to is not None:
            count = max(count, int(np.count_nonzero(frequencies <= request.up_to)))
        count = min(count, len(self.errors))
        frequencies, weights = frequencies[:count], weights[:, :count]
        signatures = _unit(np.asarray(weights.T.astype(np.float32) @ self.moved, float))
        rigid = len(self.rigid_names)
        kinds = tuple(f"rigid, {name}" for name in self.rigid_names)
        return ReducedModes(
            frequencies=np.concatenate([np.zeros(rigid), frequencies]),
            errors=np.concatenate([np.zeros(rigid), np.maximum(self.errors[:count], _LEAST)]),
            rigid_names=self.rigid_names,
            kinds=kinds + self._kinds(value, frequencies, signatures),
            signatures=np.concatenate([_unit(np.asarray(self.rigid_moved, float)), signatures]),
            weights=weights,
        )

    def motions(self, modes: ReducedModes) -> Array:
        """Shapes ``(modes, points, 6)`` of modes of this piece, rigid ones first, in any scale."""
        points = self.shapes.shape[1:]
        flexible = modes.weights.T.astype(np.float32) @ self.shapes.reshape(len(self.shapes), -1)
        moved = np.concatenate([self.rigid_shapes, flexible.reshape(-1, *points)])
        return np.asarray(moved, float)

    def _kinds(self, value: float, frequencies: Array, signatures: Array) -> tuple[str, ...]:
        """The kind of each mode: that of the one it is at the nearest anchor that knows it."""
        kinds = [""] * len(signatures)
        for anchor in sorted(self.anchors, key=lambda each: abs(each.place - value)):
            if all(kinds):
                break
            places = np.array([at for at, kind in enumerate(kinds) if not kind])
            alike = assurance(signatures[places], anchor.signatures)
            # Kinds go by shape alone: frequencies only tell equal ones apart.
            partners, certainty = paired(
                alike, np.arange(1.0, len(anchor.kinds) + 1), frequencies[places]
            )
            for place, partner, sure in zip(places, partners, certainty, strict=True):
                if partner >= 0 and sure >= _RECOGNISED:
                    kinds[place] = anchor.kinds[partner]
        return tuple(kind or "mixed" for kind in kinds)


@dataclass(frozen=True, eq=False, kw_only=True)
class LineModel:
    """All values of one knob, the others as they are in a sheet.

    ``low`` and ``high`` are the ends (base units), ``pieces`` ascending between them. Within a
    piece frequencies are told to be within ``bound`` (relative) of the exact ones on the same
    ``discretisation``; ``solutions`` is how many designs were solved exactly for it.
    """

    knob: str
    low: float
    high: float
    bound: float
    request: ModeRequest
    discretisation: Discretisation
    pieces: tuple[Piece | Gap, ...]
    solutions: int

    def piece_at(self, value: float) -> Piece | Gap | None:
        """The piece that knows a value of the knob (base units)."""
        slack = 1e-9 * (self.high - self.low)
        for piece in self.pieces:
            if piece.low - slack <= value <= piece.high + slack:
                return piece
        return None

    def at(self, value: float) -> ReducedModes | PointFailure | None:
        """The modes at a value of the knob (base units), or why there are none.

        ``None`` where only the exact solution says.
        """
        piece = self.piece_at(value)
        if isinstance(piece, Gap):
            return piece.failure if piece.failure.reason is not Reason.UNMET else None
        return None if piece is None else piece.at(value, self.request)


def barycentric(places: Array) -> Array:
    """Weights of the polynomial through values at ``places``, up to a factor of all."""
    apart = places[:, None] - places[None, :]
    np.fill_diagonal(apart, 1.0)
    # Logarithms, since products of many differences leave the range of numbers.
    sizes = -np.log(np.abs(apart)).sum(axis=1)
    return np.asarray(np.prod(np.sign(apart), axis=1) * np.exp(sizes - sizes.max()))


def interpolated(places: Array, table: Array, value: float) -> Array:
    """A table known at some places, at a value between them."""
    apart = value - places
    there = np.flatnonzero(apart == 0)
    if len(there):
        return np.asarray(table[there[0]])
    weights = barycentric(places) / apart
    return np.asarray(np.tensordot(weights / weights.sum(), table, axes=1))


def _unit(vectors: Array) -> Array:
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(lengths > 0, lengths, 1.0), float)


def independent(gram: Array, lengths: Array | None = None, least: float = _SAME) -> Array:
    """Combinations ``(k, r)`` of vectors that are orthonormal, without what says nothing new.

    ``gram`` (k, k) are their products; ``lengths`` (k,) squares to compare with, where they are not
    the vectors' own; what has less than the ``least`` share of them is left out.
    """
    sizes = np.sqrt(np.maximum(np.diag(gram) if lengths is None else lengths, 1e-300))
    squares, turn = linalg.eigh(gram / np.outer(sizes, sizes))
    kept = squares > least * (squares[-1] if lengths is None else 1.0)
    return np.asarray((turn[:, kept] / np.sqrt(squares[kept])) / sizes[:, None])


def ritz(stiffness: Array, mass: Array) -> tuple[Array, Array]:
    """Eigenvalues ascending, and combinations of a modal mass of one."""
    spread = independent(mass)
    values, weights = linalg.eigh(spread.T @ stiffness @ spread)
    return values, spread @ weights
