"""The model of one knob: frequencies and shapes at any value of it, at once and with their errors.

Modes of a few designs along the knob, with guard modes beyond them, span a basis; stiffness and
mass projected on it are interpolated over the knob (the barycentric formula of J.-P. Berrut and
L. N. Trefethen, SIAM Review 46 (2004) 501-517). A value then costs a small dense eigenproblem.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.discretisation import Discretisation
from belltone.modes.failure import PointFailure, Reason
from belltone.modes.matching import assurance, paired
from belltone.modes.modeset import BY_MODE, Spectrum
from belltone.modes.request import ModeRequest
from belltone.modes.whirl import WhirlError
from belltone.reduce.forms import Tables

__all__ = [
    "Anchor",
    "Gap",
    "LineModel",
    "Piece",
    "ReducedModes",
]

Array = NDArray[np.float64]

_RECOGNISED: Final = 0.5  # assurance from which a mode has the kind of one at an anchor
_LARGEST: Final = 0.99  # of the largest motion; the first of those tells the phase
_LEAST: Final = 1e-8  # a model is never told to be better


@dataclass(frozen=True, eq=False, kw_only=True)
class ReducedModes(Spectrum):
    """Modes read off a model; ``errors`` are those of the model alone, relative.

    ``weights`` (basis, modes) are what flexible modes are made of in the basis of their piece.
    ``shapes`` (modes, points, 6), rigid ones first, are those of the design the model was begun
    from, moved with it.
    """

    weights: NDArray[Any]
    waves: tuple[int, ...] = field(default=(), metadata=BY_MODE)


@dataclass(frozen=True, eq=False)
class Anchor:
    """A design that was solved: signatures, kinds and waves of its modes."""

    place: float
    signatures: Array
    kinds: tuple[str, ...]
    waves: tuple[int, ...] = ()


@dataclass(frozen=True, eq=False)
class Gap:
    """Values from ``low`` to ``high`` at which only the exact solution says anything."""

    low: float
    high: float
    failure: PointFailure


@dataclass(frozen=True, eq=False, kw_only=True)
class Piece:
    """The model between two values, ``low`` and ``high``, of the knob (base units).

    ``tables`` are the forms over the basis at the places where they were projected.
    ``errors`` (modes,) are the largest of each mode found beside them. ``shapes`` (basis, points,
    6) is what the basis moves at the witness points, ``rigid_shapes`` the rigid motions;
    ``moved`` (basis, s) and ``rigid_moved`` the same weighted by mass, for signatures.
    """

    low: float
    high: float
    tables: Tables
    errors: Array
    anchors: tuple[Anchor, ...]
    rigid_names: tuple[str, ...]
    shapes: NDArray[np.float32]
    rigid_shapes: NDArray[np.float32]
    moved: NDArray[np.float32]
    rigid_moved: NDArray[np.float32]

    def at(self, value: float, request: ModeRequest) -> ReducedModes | PointFailure:
        """The modes asked for at a value."""
        try:
            values, weights = self.tables.at(value).modes()
        except WhirlError as error:
            return PointFailure(Reason.REFUSED, str(error))
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
        weights = weights * self._phases(weights)
        signatures = _unit(np.hstack([part.T @ self.moved for part in _parts(weights)]))
        rigid = len(self.rigid_names)
        kinds = tuple(f"rigid, {name}" for name in self.rigid_names)
        own, waves = self._known_as(value, frequencies, signatures)
        still = _unit(np.asarray(self.rigid_moved, float))
        room = np.zeros((rigid, signatures.shape[1] - still.shape[1]))
        return ReducedModes(
            frequencies=np.concatenate([np.zeros(rigid), frequencies]),
            errors=np.concatenate([np.zeros(rigid), np.maximum(self.errors[:count], _LEAST)]),
            rigid_names=self.rigid_names,
            kinds=kinds + own,
            signatures=np.concatenate([np.hstack([still, room]), signatures]),
            weights=weights,
            waves=(0,) * rigid + waves,
        )

    def motions(self, modes: ReducedModes) -> NDArray[Any]:
        """Shapes ``(modes, points, 6)`` of modes of this piece, rigid ones first, in any scale.

        Those that whirl are complex: a motion is the real part times ``exp(i w t)``.
        """
        points = self.shapes.shape[1:]
        flat = self.shapes.reshape(len(self.shapes), -1)
        parts = [part.T.astype(np.float32) @ flat for part in _parts(modes.weights)]
        moved: NDArray[Any] = parts[0].astype(float)
        if len(parts) > 1:
            moved = moved + 1j * parts[1]
        return np.concatenate([self.rigid_shapes, moved.reshape(-1, *points)])

    def _phases(self, weights: NDArray[Any]) -> NDArray[Any]:
        """What turns whirling modes so that what moves most is at its end at the beginning."""
        if not np.iscomplexobj(weights):
            return np.ones(weights.shape[1])
        leading, behind = (part.T.astype(np.float32) @ self.moved for part in _parts(weights))
        moved = leading + 1j * behind
        sizes = np.abs(moved)
        first = (sizes >= _LARGEST * sizes.max(axis=1, keepdims=True)).argmax(axis=1)
        largest = np.take_along_axis(moved, first[:, None], 1)[:, 0]
        return np.asarray(np.conj(largest) / np.maximum(np.abs(largest), 1e-300))

    def _known_as(
        self, value: float, frequencies: Array, signatures: Array
    ) -> tuple[tuple[str, ...], tuple[int, ...]]:
        """Kind and waves of each mode: those it has at the nearest anchor that knows it."""
        found: list[tuple[str, int] | None] = [None] * len(signatures)
        for anchor in sorted(self.anchors, key=lambda each: abs(each.place - value)):
            places = np.array([at for at, known in enumerate(found) if known is None])
            if not len(places):
                break
            alike = assurance(signatures[places], anchor.signatures)
            # Kinds go by shape alone: frequencies only tell equal ones apart.
            partners, certainty = paired(
                alike, np.arange(1.0, len(anchor.kinds) + 1), frequencies[places]
            )
            for place, partner, sure in zip(places, partners, certainty, strict=True):
                if partner >= 0 and sure >= _RECOGNISED:
                    waves = anchor.waves[partner] if anchor.waves else 0
                    found[place] = anchor.kinds[partner], waves
        known = [own or ("mixed", 0) for own in found]
        return tuple(kind for kind, _ in known), tuple(waves for _, waves in known)


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


def _unit(vectors: Array) -> Array:
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(lengths > 0, lengths, 1.0), float)


def _parts(weights: NDArray[Any]) -> tuple[Array, ...]:
    """What leads, and where modes whirl what lags behind."""
    return (weights.real, weights.imag) if np.iscomplexobj(weights) else (weights,)
