"""A piece of a model while it is made: its basis, and the designs that were looked at."""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.modes.level import Level
from belltone.modes.request import ModeRequest
from belltone.modes.signatures import moved_masses
from belltone.reduce.forms import Tables, independent, ritz
from belltone.reduce.line import Anchor, Piece
from belltone.reduce.sample import Judged, Sample

__all__ = ["Growing", "Look"]

Array = NDArray[np.float64]

_SAFE: Final = 3.0  # what is found at a few values counts so much for all between
_CANDIDATES: Final = 32  # intervals between values that may be looked at
_NEW: Final = 0.05  # of the bound; so small a share of a mode's energy the basis need not show
_SOFT: Final = (
    1e-3  # of the highest eigenvalue watched; softer modes count as if they were so stiff
)
_LEAST_SHARE: Final = 0.25  # of the largest error; no mode is told to be better than that
_APART: Final = 1e-4  # of the piece; places so near are one
_MOST_LOOKS: Final = 20  # beyond that two pieces are cheaper
_MOST_ANCHORS: Final = 7  # the same
_SETTLED: Final = 2  # designs in a row that need nothing new; then the basis stands
_BESIDE: Final = 4  # modes beyond those asked for in a guess


class Look:
    """A design in the basis: what the basis is there, and both matrices over it."""

    def __init__(self, sample: Sample, basis: Array, shift: float) -> None:
        self.place, self._shift = sample.place, shift
        self.sample: Sample | None = sample
        self.reduced: Array | None = sample.filtered(sample.fitted(basis), shift)
        self.forms = sample.projected(self.reduced)
        self._modes: tuple[Array, NDArray[Any]] | None = None

    @property
    def modes(self) -> tuple[Array, NDArray[Any]]:
        """Squares of angular frequencies ascending, and modes in the basis."""
        if self._modes is None:
            forms = self.forms
            if forms.skew is None:
                self._modes = ritz(forms.stiffness, forms.mass)
            else:
                turn = independent(forms.mass)
                values, weights = forms.turned(turn).modes()
                self._modes = values, turn @ weights
        return self._modes

    def widen(self, motions: Array) -> None:
        """Take in more vectors (unknowns, k) of the basis."""
        assert self.sample is not None
        assert self.reduced is not None
        new = self.sample.filtered(self.sample.fitted(motions), self._shift)
        across = self.sample.forms(self.reduced, new)
        self.forms = self.forms.with_more(across, self.sample.projected(new))
        self.reduced = np.hstack([self.reduced, new])
        self._modes = None

    def drop(self) -> None:
        """Let go of all but the small matrices."""
        self.sample = self.reduced = None


class Growing:
    """The model of a knob between two values, grown until it meets its ``bound`` (relative)."""

    def __init__(self, low: float, high: float, request: ModeRequest, bound: float) -> None:
        self._low, self._high, self._request, self._bound = low, high, request, bound
        angles = np.pi * np.arange(1, _CANDIDATES) / _CANDIDATES
        self._candidates = 0.5 * (low + high) - 0.5 * (high - low) * np.cos(angles)
        self._basis: Array | None = None
        self._looks: list[Look] = []
        self._shift = 0.0
        self._anchors = 0
        self._standing = 0  # designs in a row that needed nothing new
        self._judged: dict[float, Array] = {}
        self._swings: Array | None = None  # what the last design changed, where that was worked out
        self._missed: list[Array] = []  # by interpolation, at each design before it was taken in

    @property
    def looks(self) -> int:
        """How many designs were looked at."""
        return len(self._looks)

    @property
    def full(self) -> bool:
        """Whether so much has been looked at that two pieces would cost less."""
        return len(self._looks) >= _MOST_LOOKS or self._anchors > _MOST_ANCHORS

    @property
    def stands(self) -> bool:
        """Whether the basis needs nothing new."""
        return self._standing >= _SETTLED

    @property
    def done(self) -> bool:
        """Whether the basis stands, and the last designs were foreseen well enough everywhere."""
        if not self.stands or len(self._missed) < 2:
            return False
        if _SAFE * float(self._missed[-1].max(initial=0.0)) > self._bound:
            return False
        if np.any(self._doubts() > self._bound):
            return False
        # The first order says nothing of modes that interpolation alone would make.
        self._swings = self._changes()
        return bool(np.all(self._swings <= self._bound))

    def enough(self, judged: Judged) -> bool:
        """Whether the basis shows a design well enough."""
        return _SAFE * judged.worst <= self._bound

    def take(self, sample: Sample, motions: Array) -> None:
        """Take in a design that was solved, with its modes as node motions (unknowns, k)."""
        self._anchors += 1
        self._standing = 0
        self._missed.clear()
        if self._basis is None:
            forms = sample.projected(sample.fitted(motions))
            # Of whirling modes the leading and the lagging part say nearly the same.
            turn = independent(forms.mass)
            forms = forms.turned(turn)
            values = ritz(forms.stiffness, forms.mass)[0]
            self._shift = float(values[self._watched(values) - 1])
            self._basis = motions @ turn
        else:
            new = self._new_in(self.shown(sample), motions)
            self._basis = np.hstack([self._basis, new])
            for look in self._looks:
                look.widen(new)
        self._looks.append(Look(sample, self._basis, self._shift))

    def _new_in(self, look: Look, motions: Array) -> Array:
        """What of node motions the basis does not say yet at one design, by its energy there."""
        assert look.sample is not None
        assert look.reduced is not None
        assert self._basis is not None
        seen = look.sample.filtered(look.sample.fitted(motions), self._shift)
        values, weights = ritz(look.forms.stiffness, look.forms.mass)
        floor = _SOFT * self._shift
        modes = look.reduced @ weights
        between = look.sample.forms(modes, seen)
        stiff, heavy = between.stiffness, between.mass
        # Best in the energy, each mode at least so stiff as the floor.
        shares = (stiff + floor * heavy) / (np.maximum(values, 0.0) + floor)[:, None]
        left, lengths = (
            forms.stiffness + floor * forms.mass
            for forms in map(look.sample.projected, (seen - modes @ shares, seen))
        )
        apart = independent(left, np.diag(lengths), least=_NEW * self._bound)
        return np.asarray((motions - self._basis @ (weights @ shares)) @ apart)

    def shown(self, sample: Sample) -> Look:
        """A design in the basis as it is."""
        assert self._basis is not None
        return Look(sample, self._basis, self._shift)

    def guess(self, look: Look) -> Array:
        """The modes the basis shows of a design, by what is free there."""
        assert look.reduced is not None
        weights = look.modes[1][:, : self._request.count + _BESIDE]
        parts = [weights.real, weights.imag] if np.iscomplexobj(weights) else [weights]
        return np.hstack([look.reduced @ part for part in parts])

    def judged(self, look: Look) -> Judged | None:
        """How well the basis shows the modes of a design; nobody asks once it stands."""
        if self.stands:
            return None
        assert look.sample is not None
        assert look.reduced is not None
        values, weights = look.modes
        return look.sample.judged(look.reduced @ weights, values, self._watched(values))

    def look(self, look: Look, judged: Judged | None) -> None:
        """Take in a design that was not solved."""
        if len(self._looks) > 2:
            self._missed.append(self._foreseen(look))
        if judged is not None:
            self._standing += 1
            self._judged[look.place] = judged.errors
        self._looks.append(look)
        if self.stands:
            for own in self._looks:
                own.drop()

    def _foreseen(self, look: Look) -> Array:
        """How far frequencies of a design are off that are interpolated between the others."""
        there = self._tables.at(look.place).modes()[0]
        here = look.modes[0]
        count = min(self._watched(here), len(there))
        return _off(there[:count], here[:count])

    def _doubts(self) -> Array:
        """How much the design taken in last changed of frequencies, ``(candidates, modes)``.

        To first order, by the modes of the nearest design; with gyroscopic forces not at all.
        """
        found = np.zeros((len(self._candidates), len(self._looks[0].modes[0])))
        if self._looks[0].forms.skew is not None:
            return found
        after = self._tables
        before = after.without_last()
        for number, place in enumerate(self._candidates):
            nearest = min(self._looks, key=lambda own: abs(own.place - place))
            values, weights = nearest.modes
            count = self._watched(values)
            values, weights = values[:count], weights[:, :count]
            now, then = after.at(place), before.at(place)
            changes = np.einsum("im,im->m", weights, (now.stiffness - then.stiffness) @ weights)
            changes -= values * np.einsum("im,im->m", weights, (now.mass - then.mass) @ weights)
            found[number, :count] = 0.5 * np.abs(changes / np.maximum(values, 1e-300))
        return found

    def _changes(self) -> Array:
        """The same from whole solutions."""
        found = np.zeros((len(self._candidates), len(self._looks[0].modes[0])))
        after = self._tables
        before = after.without_last()
        for number, place in enumerate(self._candidates):
            now, then = after.at(place).modes()[0], before.at(place).modes()[0]
            count = min(self._watched(now), len(then))
            found[number, :count] = _off(then[:count], now[:count])
        return found

    @property
    def _places(self) -> Array:
        return np.array([own.place for own in self._looks])

    @property
    def _tables(self) -> Tables:
        return Tables.of([own.place for own in self._looks], [own.forms for own in self._looks])

    def next_place(self) -> float | None:
        """Where to look next: where the last design changed most of what others had said.

        At first where what is known says least, farthest from it by the product of distances: so
        grow the places of F. Leja, "Sur certaines suites liées aux ensembles plans", Ann. Polon.
        Math. 4 (1957) 8-13, between which polynomials do not swing.
        """
        apart = np.abs(self._candidates[:, None] - self._places) / (self._high - self._low)
        new = apart.min(axis=1) > _APART
        if not new.any():
            return None
        far = np.where(new, np.log(np.maximum(apart, _APART)).sum(axis=1), -np.inf)
        if len(self._missed):
            doubts = self._doubts() if self._swings is None else self._swings
            self._swings = None
            worst = np.where(new, doubts.max(axis=1), -1.0)
            if worst.max() > self._bound:
                return float(self._candidates[int(np.argmax(worst))])
        return float(self._candidates[int(np.argmax(far))])

    def _watched(self, values: Array) -> int:
        count = self._request.count
        if self._request.high is not None:
            count = max(count, int(np.count_nonzero(values <= self._request.high)))
        return min(count, len(values))

    def piece(self, anchors: tuple[Anchor, ...], level: Level) -> Piece:
        """The finished model; its shapes are read at one design of it."""
        assert self._basis is not None
        looks = sorted(self._looks, key=lambda own: own.place)
        turn = independent(np.mean([own.forms.mass for own in looks], axis=0))
        system, witness = level.system, level.witness
        own = self.shown(Sample(0.0, level)).reduced
        assert own is not None
        own = own @ turn
        assert self._swings is not None
        doubts = self._swings.max(axis=0)[: len(self._missed[-1])]
        moved, rigid = (system.node_motions(each) for each in (own, system.rigid))
        return Piece(
            low=self._low,
            high=self._high,
            tables=Tables.of(
                [each.place for each in looks], [each.forms.turned(turn) for each in looks]
            ),
            errors=_most([doubts, _SAFE * _most([self._missed[-1], *self._judged.values()])]),
            anchors=anchors,
            rigid_names=system.rigid_names,
            shapes=witness.shapes(moved).astype(np.float32),
            rigid_shapes=witness.shapes(rigid).astype(np.float32),
            moved=moved_masses(level.design, system, witness, moved).astype(np.float32),
            rigid_moved=moved_masses(level.design, system, witness, rigid).astype(np.float32),
        )


def _most(tables: list[Array]) -> Array:
    """The largest of each mode and its neighbours, whose places it may take, over some lists."""
    found = np.zeros(max(map(len, tables), default=0))
    for own in tables:
        found[: len(own)] = np.maximum(found[: len(own)], own)
    beside = np.concatenate([found[:1], found, found[-1:]])
    wide = np.max([beside[:-2], found, beside[2:]], axis=0)
    return np.asarray(np.maximum(wide, _LEAST_SHARE * wide.max(initial=0.0)))


def _off(values: Array, true: Array) -> Array:
    """How far frequencies are off, from squares."""
    return np.asarray(np.abs(np.sqrt(np.maximum(values, 0.0) / np.maximum(true, 1e-300)) - 1))
