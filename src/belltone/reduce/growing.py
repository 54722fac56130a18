"""A piece of a model while it is made: its basis, and the designs that were looked at."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.modes.level import Level
from belltone.modes.request import ModeRequest
from belltone.reduce.basis import SAFE, Basis, Look, greatest, off
from belltone.reduce.forms import Tables, independent
from belltone.reduce.model import Anchor, Piece
from belltone.reduce.sample import Judged, Sample

__all__ = ["Growing"]

Array = NDArray[np.float64]

_CANDIDATES: Final = 32  # intervals between values that may be looked at
_APART: Final = 1e-4  # of the piece; places so near are one
_MOST_LOOKS: Final = 20  # beyond that two pieces are cheaper
_MOST_ANCHORS: Final = 7  # the same
_SETTLED: Final = 2  # designs in a row that need nothing new; then the basis stands


class Growing:
    """The model of a knob between two values, grown until it meets its ``bound`` (relative)."""

    def __init__(self, low: float, high: float, request: ModeRequest, bound: float) -> None:
        self._low, self._high, self._request, self._bound = low, high, request, bound
        angles = np.pi * np.arange(1, _CANDIDATES) / _CANDIDATES
        self._candidates = 0.5 * (low + high) - 0.5 * (high - low) * np.cos(angles)
        self._basis: Basis | None = None
        self._looks: list[Look] = []
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
        if SAFE * float(self._missed[-1].max(initial=0.0)) > self._bound:
            return False
        if np.any(self._doubts() > self._bound):
            return False
        # The first order says nothing of modes that interpolation alone would make.
        self._swings = self._changes()
        return bool(np.all(self._swings <= self._bound))

    def take(self, sample: Sample, motions: Array) -> None:
        """Take in a design that was solved, with its modes as node motions (unknowns, k)."""
        self._anchors += 1
        self._standing = 0
        self._missed.clear()
        if self._basis is None:
            self._basis = Basis(self._request, self._bound, sample, motions)
            self._looks.append(self.shown(sample))
            return
        self._looks.append(self.shown(sample))
        new = self._basis.grow(self._looks[-1], motions)
        for look in self._looks:
            look.widen(new)

    def shown(self, sample: Sample) -> Look:
        """A design in the basis as it is."""
        assert self._basis is not None
        return self._basis.shown(sample)

    def judged(self, look: Look) -> Judged | None:
        """How well the basis shows the modes of a design; nobody asks once it stands."""
        if self.stands:
            return None
        assert self._basis is not None
        return self._basis.judged(look)

    def enough(self, judged: Judged) -> bool:
        """Whether the basis shows a design well enough."""
        assert self._basis is not None
        return self._basis.enough(judged)

    def look(self, look: Look, judged: Judged | None) -> None:
        """Take in a design that was not solved."""
        if len(self._looks) > 2:
            self._missed.append(self._foreseen(look))
        if judged is not None:
            self._standing += 1
            self._judged[look.place[0]] = judged.errors
        self._looks.append(look)
        if self.stands:
            for own in self._looks:
                own.drop()

    def _foreseen(self, look: Look) -> Array:
        """How far frequencies of a design are off that are interpolated between the others."""
        there = self._tables.at(*look.place).modes()[0]
        here = look.modes[0]
        count = min(self._watched(here), len(there))
        return off(there[:count], here[:count])

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
            nearest = min(self._looks, key=lambda own: abs(own.place[0] - place))
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
            found[number, :count] = off(then[:count], now[:count])
        return found

    @property
    def _places(self) -> Array:
        return np.array([own.place[0] for own in self._looks])

    @property
    def _tables(self) -> Tables:
        return Tables.of([own.place[0] for own in self._looks], [own.forms for own in self._looks])

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
        assert self._basis is not None
        return self._basis.watched(values)

    def piece(self, anchors: tuple[Anchor, ...], level: Level) -> Piece:
        """The finished model; its shapes are read at one design of it."""
        assert self._basis is not None
        assert self._swings is not None
        looks = sorted(self._looks, key=lambda own: own.place)
        turn = independent(np.mean([own.forms.mass for own in looks], axis=0))
        doubts = self._swings.max(axis=0)[: len(self._missed[-1])]
        errors = greatest([doubts, SAFE * greatest([self._missed[-1], *self._judged.values()])])
        tables = Tables.of(
            [each.place[0] for each in looks], [each.forms.turned(turn) for each in looks]
        )
        ends = (self._low,), (self._high,)
        self._basis.turn(turn)
        return self._basis.piece(ends, tables, errors, anchors, level)
