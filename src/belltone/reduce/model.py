"""Models of knobs: frequencies and shapes at any value of them, at once and with their errors.

Modes of a few designs, with guard modes beyond them, span a basis; stiffness and mass projected on
it are interpolated over one knob or several. A value then costs a small dense eigenproblem.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.discretisation import Discretisation
from belltone.modes.by_mode import BY_MODE, picked
from belltone.modes.describe import other_way
from belltone.modes.failure import PointFailure, Reason
from belltone.modes.matching import assurance, clusters
from belltone.modes.modeset import Spectrum
from belltone.modes.request import ModeRequest
from belltone.modes.whirl import WhirlError
from belltone.reduce.forms import Tables
from belltone.reduce.grid import Grid

__all__ = ["Anchor", "Gap", "Line", "Piece", "Place", "ReducedModel", "ReducedModes"]

Array = NDArray[np.float64]
Place = tuple[float, ...]
"""A value (base units) of each knob of a model."""

_RECOGNISED: Final = 0.5  # assurance beyond which a mode has the kind of one at an anchor
_LARGEST: Final = 0.99  # of the largest motion; the first of those tells the phase
_LEAST: Final = 1e-8  # a model is never told to be better
_STEP: Final = 1e-5  # of a piece; for slopes, of polynomials
_MIXED: Final = ("mixed", 0)  # kind and waves of what no anchor knows
_SAME: Final = 1e-6  # relative gap of frequencies below which modes are one subspace


@dataclass(frozen=True, eq=False)
class View:
    """How modes that whirl in turning axes are seen from the ground, one for each seen.

    ``rows`` are their places in turning axes; ``signs`` are -1 for patterns the spin overtakes,
    which are seen to go the other way, else 1; ``waves`` are as seen.
    """

    rows: NDArray[np.intp]
    signs: Array
    waves: Array

    def frequencies(self, turning: Array, speed: float) -> Array:
        """Frequencies as seen, of those in ``turning`` axes (both Hz), at a speed (rad/s)."""
        return np.asarray(self.signs * turning[self.rows] + self.waves * speed / (2 * math.pi))


@dataclass(frozen=True, eq=False, kw_only=True)
class ReducedModes(Spectrum):
    """Modes read off a model; ``errors`` are those of the model alone, relative.

    ``weights`` (basis, modes) are what flexible modes are made of in the basis of their piece.
    ``shapes`` (modes, points, 6), rigid ones first, are those of the design the model was begun
    from, moved with it. ``view`` is how flexible ones that whirl are seen from the ground.
    """

    weights: NDArray[Any]
    waves: tuple[int, ...] = field(default=(), metadata=BY_MODE)
    view: View | None = None


@dataclass(frozen=True, eq=False)
class Anchor:
    """A design that was solved: signatures, kinds and waves of its modes."""

    place: Place
    signatures: NDArray[Any]
    kinds: tuple[str, ...]
    waves: tuple[int, ...] = ()

    def told(self, place: int) -> tuple[str, int]:
        """Kind and waves of a mode."""
        return self.kinds[place], self.waves[place] if self.waves else 0


@dataclass(frozen=True, eq=False)
class Gap:
    """Values from ``low`` to ``high`` at which only the exact solution says anything."""

    low: Place
    high: Place
    failure: PointFailure


@dataclass(frozen=True, eq=False, kw_only=True)
class Piece:
    """The model of values of the knobs from ``low`` to ``high`` (base units).

    ``tables`` are the forms over the basis at the places where they were projected.
    ``errors`` (modes,) are the largest of each mode found beside them. ``shapes`` (basis, points,
    6) is what the basis moves at the witness points, ``rigid_shapes`` the rigid motions;
    ``moved`` (basis, s) and ``rigid_moved`` the same weighted by mass, for signatures. All of it
    is in axes that turn with a spin; where that is seen ``from_ground``, modes are told as seen.
    """

    low: Place
    high: Place
    tables: Tables | Grid
    errors: Array
    anchors: tuple[Anchor, ...]
    rigid_names: tuple[str, ...]
    shapes: NDArray[np.float32]
    rigid_shapes: NDArray[np.float32]
    moved: NDArray[np.float32]
    rigid_moved: NDArray[np.float32]
    from_ground: bool = False

    def at(self, place: Place, request: ModeRequest) -> ReducedModes | PointFailure:
        """The modes asked for at a place."""
        try:
            forms = self.tables.at(*place)
            values, weights = forms.modes()
        except WhirlError as error:
            return PointFailure(Reason.REFUSED, str(error))
        if len(values) and values[0] <= 0:
            return PointFailure(
                Reason.BUCKLED,
                "buckled under this load: there the shape it was made in is not stable, and has no "
                "natural frequencies",
            )
        frequencies = np.sqrt(values) / (2 * math.pi)
        count = len(self.errors) if self.from_ground else _count(request, frequencies)
        count = min(count, len(self.errors))
        frequencies, weights = frequencies[:count], weights[:, :count]
        weights = weights * self._phases(weights)
        # Of single numbers by single ones: the table would be made double at each question.
        moved = [part.T.astype(np.float32) @ self.moved for part in _parts(weights)]
        signatures = _unit(moved[0] if len(moved) == 1 else moved[0] + 1j * moved[1])
        rigid = len(self.rigid_names)
        kinds = tuple(f"rigid, {name}" for name in self.rigid_names)
        known = self._known_as(place, signatures)
        told = [each or _MIXED for each in known]
        still = _unit(self.rigid_moved)
        found = ReducedModes(
            frequencies=np.concatenate([np.zeros(rigid), frequencies]),
            errors=np.concatenate([np.zeros(rigid), np.maximum(self.errors[:count], _LEAST)]),
            rigid_names=self.rigid_names,
            kinds=kinds + tuple(kind for kind, _ in told),
            signatures=np.concatenate([still, signatures]),
            mass=forms.total,
            weights=weights,
            waves=(0,) * rigid + tuple(waves for _, waves in told),
            swings=np.concatenate([np.zeros((rigid, 3)), forms.swings(weights)]),
        )
        if not self.from_ground:
            return found
        sure = np.array([each is not None for each in known], bool)
        return _seen(found, sure, forms.speed, request)

    def slopes(self, place: Place, modes: ReducedModes) -> Array:
        """How fast flexible frequencies move with each knob (knobs, modes), in Hz a base unit.

        Of equal ones those of the combinations that part, lowest first.
        """
        count = len(modes.flexible)
        found = np.empty((len(place), count))
        eigenvalues = (2 * math.pi * modes.flexible) ** 2
        groups = clusters(modes.flexible, _SAME)
        for number, (low, high) in enumerate(zip(self.low, self.high, strict=True)):
            step = _STEP * (high - low)
            sides = [
                self.tables.at(*place[:number], place[number] + side, *place[number + 1 :])
                for side in (-step, step)
            ]
            if np.iscomplexobj(modes.weights):
                before, after = (np.sqrt(side.modes()[0]) / (2 * math.pi) for side in sides)
                if modes.view is not None:
                    before, after = (
                        modes.view.frequencies(own, side.speed)
                        for own, side in ((before, sides[0]), (after, sides[1]))
                    )
                found[number] = (after[:count] - before[:count]) / (2 * step)
                continue
            stiff, heavy = (
                (after - before) / (2 * step)
                for before, after in (
                    (sides[0].stiffness, sides[1].stiffness),
                    (sides[0].mass, sides[1].mass),
                )
            )
            for group in groups:
                weights = modes.weights[:, group]
                change = stiff - float(eigenvalues[group].mean()) * heavy
                parted = np.linalg.eigvalsh(weights.T @ change @ weights)
                found[number, group] = parted / (8 * math.pi**2 * modes.flexible[group])
        return found

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

    def _known_as(self, place: Place, signatures: NDArray[Any]) -> list[tuple[str, int] | None]:
        """Kind and waves of each mode: those it has at the nearest anchor that knows it."""
        found: list[tuple[str, int] | None] = [None] * len(signatures)
        width = np.subtract(self.high, self.low)

        def away(anchor: Anchor) -> float:
            return float(np.linalg.norm(np.subtract(anchor.place, place) / width))

        for anchor in sorted(self.anchors, key=away):
            places = np.array([at for at, known in enumerate(found) if known is None])
            if not len(places):
                break
            # Kinds go by shape alone; of shapes square to each other one can be so much alike.
            alike = assurance(signatures[places], anchor.signatures)
            partners = alike.argmax(axis=1)
            for at, partner, own in zip(places, partners, alike, strict=True):
                if own[partner] > _RECOGNISED:
                    found[at] = anchor.told(partner)
            if not np.iscomplexobj(signatures):
                continue
            # At another speed the turning axes may overtake a pattern, which then runs backwards.
            alike = assurance(signatures[places].conj(), anchor.signatures)
            partners = alike.argmax(axis=1)
            for at, partner, own in zip(places, partners, alike, strict=True):
                if found[at] is None and own[partner] > _RECOGNISED:
                    kind, waves = anchor.told(partner)
                    found[at] = other_way(kind), -waves
        return found


@dataclass(frozen=True, eq=False, kw_only=True)
class ReducedModel:
    """All values of some ``knobs``, the others as they are in a sheet.

    ``low`` and ``high`` are the ends (base units), and ``pieces`` fill all between. Within a
    piece frequencies are told to be within ``bound`` (relative) of the exact ones on the same
    ``discretisation``; ``solutions`` is how many designs were solved exactly for it.
    """

    knobs: tuple[str, ...]
    low: Place
    high: Place
    bound: float
    request: ModeRequest
    discretisation: Discretisation
    pieces: tuple[Piece | Gap, ...]
    solutions: int

    def piece_at(self, *values: float) -> Piece | Gap | None:
        """The piece that knows a value (base units) of each knob."""
        slack = 1e-9 * np.subtract(self.high, self.low)
        for piece in self.pieces:
            if np.all(piece.low - slack <= values) and np.all(values <= piece.high + slack):
                return piece
        return None

    def at(self, *values: float) -> ReducedModes | PointFailure | None:
        """The modes at a value (base units) of each knob, or why there are none.

        ``None`` where only the exact solution says.
        """
        piece = self.piece_at(*values)
        if isinstance(piece, Gap):
            return piece.failure if piece.failure.reason is not Reason.UNMET else None
        return None if piece is None else piece.at(values, self.request)

    def along(self, knob: str, others: Mapping[str, float] | None = None) -> Line:
        """What the model knows of one knob, the ``others`` it has standing at values of theirs."""
        number = self.knobs.index(knob)
        fixed = tuple(0.0 if name == knob else (others or {})[name] for name in self.knobs)
        return Line(self, number, fixed)


@dataclass(frozen=True)
class Line:
    """One knob of a model, by its ``number``; ``place`` says where the others stand."""

    model: ReducedModel
    number: int
    place: Place

    @property
    def knob(self) -> str:
        """The knob's name."""
        return self.model.knobs[self.number]

    @property
    def low(self) -> float:
        """The least value known (base units)."""
        return self.model.low[self.number]

    @property
    def high(self) -> float:
        """The greatest value known (base units)."""
        return self.model.high[self.number]

    def piece_at(self, value: float) -> Piece | Gap | None:
        """The piece that knows a value of the knob (base units)."""
        return self.model.piece_at(*self.place_at(value))

    def at(self, value: float) -> ReducedModes | PointFailure | None:
        """The modes at a value of the knob (base units), as `ReducedModel.at`."""
        return self.model.at(*self.place_at(value))

    def place_at(self, value: float) -> Place:
        """The values of all knobs of the model where this one has a value."""
        return (*self.place[: self.number], value, *self.place[self.number + 1 :])


def _count(request: ModeRequest, frequencies: Array) -> int:
    """How many of ascending frequencies (Hz) are asked for."""
    if request.up_to is None:
        return request.count
    return max(request.count, int(np.count_nonzero(frequencies <= request.up_to)))


def _seen(
    found: ReducedModes, sure: NDArray[np.bool_], speed: float, request: ModeRequest
) -> ReducedModes | PointFailure:
    """Those asked for of modes in turning axes, as they are seen from the ground.

    What carries how many waves is ``sure`` of some; the others may be seen anywhere from as many
    waves below as any carries, and nothing is said from there on.
    """
    rigid, turning = found.rigid_count, found.flexible
    waves = np.array(found.waves[rigid:], float)
    shifted = turning + waves * speed / (2 * math.pi)
    signs = np.where(shifted < 0, -1.0, 1.0)
    rows = np.argsort(np.abs(shifted), kind="stable")
    if speed and not np.all(sure):
        most = max(1.0, float(np.abs(waves).max()))
        limit = float(turning[~sure].min()) - most * abs(speed) / (2 * math.pi)
        rows = rows[sure[rows] & (np.abs(shifted[rows]) < limit)]
    rows = rows[: _count(request, np.abs(shifted[rows]))]
    if len(rows) < min(request.count, len(turning) // 2):
        words = "the model does not say which way a mode whirls here"
        return PointFailure(Reason.UNMET, words)
    view = View(rows, signs[rows], (signs * waves)[rows])
    frequencies = view.frequencies(turning, speed)
    kept = picked(found, np.concatenate([np.arange(rigid), rigid + rows]))
    back = view.signs < 0
    weights, signatures = found.weights[:, rows], kept.signatures.copy()
    weights[:, back] = weights[:, back].conj()
    signatures[rigid:][back] = signatures[rigid:][back].conj()
    kinds = (
        other_way(kind) if behind else kind
        for kind, behind in zip(kept.kinds[rigid:], back, strict=True)
    )
    # As large in Hz, but of another frequency.
    grown = turning[rows] / np.maximum(frequencies, 1e-300)
    return replace(
        kept,
        frequencies=np.concatenate([np.zeros(rigid), frequencies]),
        errors=np.concatenate([np.zeros(rigid), kept.errors[rigid:] * grown]),
        kinds=(*kept.kinds[:rigid], *kinds),
        signatures=signatures,
        weights=weights,
        waves=(0,) * rigid + tuple(int(each) for each in view.waves),
        view=view,
    )


def _unit(vectors: NDArray[Any]) -> NDArray[Any]:
    vectors = vectors.astype(complex if np.iscomplexobj(vectors) else float)
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(lengths > 0, lengths, 1.0))


def _parts(weights: NDArray[Any]) -> tuple[Array, ...]:
    """What leads, and where modes whirl what lags behind."""
    return (weights.real, weights.imag) if np.iscomplexobj(weights) else (weights,)
