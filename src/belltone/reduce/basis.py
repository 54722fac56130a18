"""The basis a model is made over, and designs seen in it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.modes.level import Level
from belltone.modes.request import ModeRequest
from belltone.modes.signatures import moved_masses
from belltone.reduce.forms import Tables, independent, ritz
from belltone.reduce.grid import Grid
from belltone.reduce.model import Anchor, Piece, Place
from belltone.reduce.sample import Judged, Sample

__all__ = ["SAFE", "Basis", "Look", "greatest", "off"]

Array = NDArray[np.float64]

SAFE: Final = 3.0
"""What is found at a few values counts so much for all between."""

_NEW: Final = 0.05  # of the bound; so small a share of a mode's energy the basis need not show
_SOFT: Final = (
    1e-3  # of the highest eigenvalue watched; softer modes count as if they were so stiff
)
_LEAST_SHARE: Final = 0.25  # of the largest error; no mode is told to be better than that


class Look:
    """A design in the basis: what the basis is there, and both matrices over it."""

    def __init__(self, sample: Sample, basis: Array, shift: float) -> None:
        self.place, self._shift = sample.place, shift
        self.sample: Sample | None = sample
        self.reduced: Array | None = sample.filtered(sample.fitted(basis), shift)
        self.forms = replace(sample.projected(self.reduced), shift=shift)
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

    def turn(self, turn: Array) -> None:
        """Go over to combinations of the basis; all but the small matrices is let go of."""
        self.forms = self.forms.turned(turn)
        self._modes = None
        self.drop()

    def drop(self) -> None:
        """Let go of all but the small matrices."""
        self.sample = self.reduced = None


class Basis:
    """Node motions (unknowns, r) of the modes of designs that were solved, grown with each."""

    def __init__(self, request: ModeRequest, bound: float, sample: Sample, motions: Array) -> None:
        self._request, self._bound = request, bound
        forms = sample.projected(sample.fitted(motions))
        # Of whirling modes the leading and the lagging part say nearly the same.
        values, turn = ritz(forms.stiffness, forms.mass)
        self._shift = float(values[self.watched(values) - 1])
        self.motions = motions @ turn

    @property
    def count(self) -> int:
        """How many vectors there are."""
        return int(self.motions.shape[1])

    def watched(self, values: Array) -> int:
        """How many of the modes with such squares of angular frequencies are asked for."""
        count = self._request.count
        if self._request.high is not None:
            count = max(count, int(np.count_nonzero(values <= self._request.high)))
        return min(count, len(values))

    def shown(self, sample: Sample) -> Look:
        """A design in the basis as it is."""
        return Look(sample, self.motions, self._shift)

    def judged(self, look: Look) -> Judged:
        """How well the basis shows the modes of a design."""
        assert look.sample is not None
        assert look.reduced is not None
        values, weights = look.modes
        return look.sample.judged(look.reduced @ weights, values, self.watched(values))

    def enough(self, judged: Judged) -> bool:
        """Whether the basis shows a design well enough."""
        return SAFE * judged.worst <= self._bound

    def grow(self, look: Look, motions: Array) -> Array:
        """Take in the modes of the design of a look, and return what was new of them.

        New is what the basis does not say yet of node motions, by its energy at that design.
        """
        assert look.sample is not None
        assert look.reduced is not None
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
        new = np.asarray((motions - self.motions @ (weights @ shares)) @ apart)
        self.motions = np.hstack([self.motions, new])
        return new

    def turn(self, turn: Array) -> None:
        """Go over to combinations of the basis."""
        self.motions = self.motions @ turn

    def piece(
        self,
        ends: tuple[Place, Place],
        tables: Tables | Grid,
        errors: Array,
        anchors: tuple[Anchor, ...],
        level: Level,
    ) -> Piece:
        """The finished model between two ends; its shapes are read at one design of it."""
        system, witness = level.system, level.witness
        own = self.shown(Sample(ends[0], level)).reduced
        assert own is not None
        moved, rigid = (system.node_motions(each) for each in (own, system.rigid))
        return Piece(
            low=ends[0],
            high=ends[1],
            tables=tables,
            errors=errors,
            anchors=anchors,
            rigid_names=system.rigid_names,
            shapes=witness.shapes(moved).astype(np.float32),
            rigid_shapes=witness.shapes(rigid).astype(np.float32),
            moved=moved_masses(level.design, system, witness, moved).astype(np.float32),
            rigid_moved=moved_masses(level.design, system, witness, rigid).astype(np.float32),
        )


def greatest(tables: list[Array]) -> Array:
    """The largest of each mode and its neighbours, whose places it may take, over some lists."""
    found = np.zeros(max(map(len, tables), default=0))
    for own in tables:
        found[: len(own)] = np.maximum(found[: len(own)], own)
    beside = np.concatenate([found[:1], found, found[-1:]])
    wide = np.max([beside[:-2], found, beside[2:]], axis=0)
    return np.asarray(np.maximum(wide, _LEAST_SHARE * wide.max(initial=0.0)))


def off(values: Array, true: Array) -> Array:
    """How far frequencies are off, from squares."""
    return np.asarray(np.abs(np.sqrt(np.maximum(values, 0.0) / np.maximum(true, 1e-300)) - 1))
