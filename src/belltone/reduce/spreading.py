"""A piece of a model of several knobs while it is made: its basis first, then its grid."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import partial
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.modes.errors import NoModesError
from belltone.modes.whirl import WhirlError
from belltone.progress import Progress
from belltone.reduce.basis import SAFE, Basis, Look, greatest, off
from belltone.reduce.designs import Designs
from belltone.reduce.forms import Forms, independent
from belltone.reduce.grid import MOST_ORDERS, Grid, Orders, place_of
from belltone.reduce.model import Piece, Place
from belltone.reduce.sample import Sample

__all__ = ["Spreading"]

Array = NDArray[np.float64]

_ALL_CORNERS: Final = 3  # knobs; of more only some corners are looked at
_SOME: Final = 8
_INSIDE: Final = 3  # designs off the grid, at which what the grid says is held against the truth
_FOR_EACH: Final = 7  # places of the grid one such design more
_MOST_LOOKS: Final = 40  # for each knob; beyond that two pieces are cheaper
_ROUGH: Final = 0.1  # forms so far off, of any vector, make no mode that is not there
_TO_FORESEE: Final = 5  # places along a knob before it is foreseen how many it will take
_BESIDE: Final = 2  # modes beyond the watched ones that the basis keeps
_LEAST: Final = 4e-3  # of what most modes are made of; what is less may be left out
_LOST: Final = 0.05  # of the bound; so much may be lost by it
_SEED: Final = 7  # the same places every time


class Spreading:
    """The model between two places, grown until it meets the bound of its designs' span.

    The modes of designs in the corners and inside span the basis, as far as it does not show them
    yet. Places are then added to the grid, first along each knob alone until one more says nothing
    new, which tells soon whether it will ever; then one knob further where that changed most.
    """

    def __init__(
        self, designs: Designs, low: Place, high: Place, sort: object, progress: Progress
    ) -> None:
        self._designs, self._low, self._high, self._sort = designs, low, high, sort
        self._progress = progress
        self._samples: dict[Place, Sample] = {}
        self._looks: dict[Place, Look] = {}
        self._basis: Basis | None = None
        self._anchors: list[Place] = []
        self._judged: list[Array] = []
        self._grid: Grid | None = None
        self._front: dict[Orders, _Miss] = {}  # at places not yet gone beyond
        self._behind: set[Orders] = set()
        self._seen: list[Look] = []  # off the grid
        self._endless: int | None = None  # the knob alone along which it takes too many places
        self._chance = np.random.default_rng(_SEED)
        count = len(low)
        if count <= _ALL_CORNERS:
            corners = list(itertools.product((-1.0, 1.0), repeat=count))
        else:
            corners = [tuple(signs) for signs in self._chance.choice((-1.0, 1.0), (_SOME, count))]
        self._inside = [self._anywhere() for _ in range(_INSIDE)]
        self._spots = [*(self._at(signs) for signs in corners), *self._inside]

    def made(self) -> Piece | None:
        """The piece, or ``None`` where it does not meet its bound."""
        try:
            done = self._spanned() and self._pruned() and self._spread()
            return self._finished() if done else None
        except WhirlError:
            return None

    @property
    def hardest(self) -> int | None:
        """The number of the knob that takes the highest orders, if any was looked at."""
        if self._endless is not None or self._grid is None:
            return self._endless
        return int(self._grid.orders.max(axis=0).argmax())

    def _at(self, shares: tuple[float, ...] | Array) -> Place:
        """A place by shares of the way from the middle to the ends."""
        middle, half = 0.5 * np.add(self._low, self._high), 0.5 * np.subtract(self._high, self._low)
        return tuple((middle + half * np.asarray(shares)).tolist())

    def _anywhere(self) -> Place:
        return self._at(self._chance.uniform(-1, 1, len(self._low)))

    # -- the basis ------------------------------------------------------------------------------

    def _spanned(self) -> bool:
        """Whether a basis was found that shows all designs looked at."""
        if not self._begun():
            return False
        assert self._basis is not None
        for place in self._spots:
            sample = self._sample(place)
            if sample is None:
                return False
            look = self._basis.shown(sample)
            if look.modes[0][0] <= 0:
                continue  # buckled
            judged = self._basis.judged(look)
            if self._basis.enough(judged):
                self._judged.append(judged.errors)
                continue
            try:
                self._designs.solve(place, judged.vectors)
            except NoModesError:
                return False
            self._anchors.append(place)
            self._basis.grow(look, self._designs.solved[place].motions)
        return True

    def _pruned(self) -> bool:
        """Leave out of the basis what the modes of no design looked at are made of.

        Guard modes of one design say little of others, and are what is hardest to interpolate.
        """
        assert self._basis is not None
        for place in dict.fromkeys([*self._spots, *self._anchors]):
            if self._look(place) is None:
                return False
        looks = list(self._looks.values())
        mass = np.mean([look.forms.mass for look in looks], axis=0)
        apart = independent(mass)
        made_of = []
        for look in looks:
            values, weights = look.modes
            watched = weights[:, : self._basis.watched(values) + _BESIDE]
            parts = [watched.real, watched.imag] if np.iscomplexobj(watched) else [watched]
            made_of += [apart.T @ mass @ part for part in parts]
        sides, sizes, _ = np.linalg.svd(np.hstack(made_of), full_matrices=False)
        least = _LEAST * sizes[0]
        while True:
            turn = apart @ sides[:, sizes > least]
            if all(map(partial(self._shows, turn), looks)):
                break
            if len(turn.T) == len(sizes):
                return False
            least *= 0.5
        self._basis.turn(turn)
        for look in looks:
            look.turn(turn)
        return True

    def _shows(self, turn: Array, look: Look) -> bool:
        """Whether combinations of the basis show a design as well as all of it."""
        assert self._basis is not None
        here = look.modes[0]
        there = look.forms.turned(turn).modes()[0]
        count = self._basis.watched(here)
        if len(there) < count:
            return False
        lost = off(there[:count], here[:count])[here[:count] > 0]
        return bool(np.all(lost <= _LOST * self._designs.span.bound))

    def _begun(self) -> bool:
        """Take in what was solved between the ends, or solve the design in the middle."""
        designs = self._designs
        known = [place for place in designs.solved if self._holds(place)]
        if not known:
            middle = self._at(np.zeros(len(self._low)))
            if self._sample(middle) is None:
                return False
            try:
                designs.solve(middle, None)
            except NoModesError:
                return False
            known = [middle]
        for place in known:
            sample = self._sample(place)
            if sample is None:
                continue
            motions = designs.solved[place].motions
            if self._basis is None:
                span = designs.span
                self._basis = Basis(span.sought, span.bound, sample, motions)
            else:
                self._basis.grow(self._basis.shown(sample), motions)
            self._anchors.append(place)
        return self._basis is not None

    def _holds(self, place: Place) -> bool:
        ends = zip(self._low, place, self._high, strict=True)
        return all(low <= value <= high for low, value, high in ends)

    def _sample(self, place: Place) -> Sample | None:
        """A design of this piece's mesh, kept until the piece is made."""
        if place not in self._samples:
            found = self._designs.sample(place)
            if found is None or found.mesh != self._sort:
                return None
            self._samples[place] = found
        return self._samples[place]

    # -- the grid -------------------------------------------------------------------------------

    def _spread(self) -> bool:
        """Whether the grid foresees the designs beside it, and those inside, within the bound."""
        count, bound = len(self._low), self._designs.span.bound
        first = (0,) * count
        if not all(map(self._see, self._inside)) or not self._add(first):
            return False
        self._behind.add(first)
        if not all(map(self._along, range(count))):
            return False
        if not all(map(self._beyond, sorted(self._behind))):
            return False
        while self._front:
            hardest = max(self._front, key=lambda each: self._front[each].share(bound))
            if self._front[hardest].share(bound) <= 1 and self._holds_inside():
                return True
            assert self._grid is not None
            if len(self._grid.orders) >= _MOST_LOOKS * count:
                return False
            del self._front[hardest]
            self._behind.add(hardest)
            if not self._beyond(hardest):
                return False
        return False

    def _along(self, number: int) -> bool:
        """Add places of one knob alone, until the last was foreseen; or it is seen to take long."""
        bound = self._designs.span.bound
        shares: list[float] = []
        while not shares or shares[-1] > 1:
            orders = _raised((0,) * len(self._low), number, len(shares) + 1)
            if _endless(shares):
                self._endless = number
                return False
            if not self._add(orders):
                return False
            shares.append(self._front[orders].share(bound))
            if shares[-1] > 1:
                del self._front[orders]
                self._behind.add(orders)
        return True

    def _holds_inside(self) -> bool:
        """Whether designs off the grid are foreseen; the larger the grid, the more are asked."""
        assert self._grid is not None
        while True:
            missed = [self._missed(look) for look in self._seen]
            if max(each.share(self._designs.span.bound) for each in missed) > 1:
                return False
            if len(self._seen) * _FOR_EACH >= len(self._grid.orders):
                self._judged += [each.frequencies for each in missed]
                return True
            if not self._see(self._anywhere()):
                return False

    def _see(self, place: Place) -> bool:
        look = self._look(place)
        if look is not None:
            self._seen.append(look)
        return look is not None

    def _beyond(self, orders: Orders) -> bool:
        """Look one place further along each knob, where all places before are known."""
        for number in range(len(orders)):
            further = _raised(orders, number, 1)
            if further in self._front or further in self._behind:
                continue
            if further[number] >= MOST_ORDERS:
                return False
            before = (
                _raised(further, other, -1) for other, order in enumerate(further) if order > 0
            )
            if all(each in self._behind for each in before) and not self._add(further):
                return False
        return True

    def _add(self, orders: Orders) -> bool:
        """Take a place into the grid, and see how well it was foreseen."""
        look = self._look(place_of(orders, self._low, self._high))
        if look is None:
            return False
        if self._grid is None:
            self._grid = Grid.begun(self._low, self._high, orders, look.forms)
        else:
            self._front[orders] = self._missed(look)
            self._grid = self._grid.with_more(orders, look.forms)
        self._progress.report(len(self._grid.orders), 0, "model")
        return True

    def _look(self, place: Place) -> Look | None:
        """A design in the whole basis; what was assembled for it is let go of."""
        if place not in self._looks:
            assert self._basis is not None
            sample = self._sample(place)
            if sample is None:
                return None
            del self._samples[place]
            look = self._basis.shown(sample)
            assert len(look.modes)
            look.drop()
            self._looks[place] = look
        return self._looks[place]

    def _missed(self, look: Look) -> _Miss:
        """How far the grid is off at a design."""
        assert self._grid is not None
        assert self._basis is not None
        here = look.modes[0]
        count = self._basis.watched(here)
        foreseen = self._grid.at(*look.place)
        rough = _rough(foreseen, look.forms, float(here[count - 1]))
        try:
            there = foreseen.modes()[0]
        except WhirlError:
            return _Miss(np.ones(count), rough)
        if len(there) < count:
            return _Miss(np.ones(count), rough)
        positive = here[:count] > 0  # below, buckled
        return _Miss(np.where(positive, off(there[:count], here[:count]), 0.0), rough)

    def _finished(self) -> Piece:
        assert self._grid is not None
        assert self._basis is not None
        designs = self._designs
        return self._basis.piece(
            (self._low, self._high),
            self._grid,
            SAFE * greatest([*self._judged, *(miss.frequencies for miss in self._front.values())]),
            tuple(designs.solved[place].anchor for place in self._anchors),
            designs.reference(self._anchors, self._low, self._high),
        )


@dataclass(frozen=True)
class _Miss:
    """How far a grid is off at a design: frequencies, and the forms of any vector (relative)."""

    frequencies: Array
    rough: float

    def share(self, bound: float) -> float:
        """How much that is of what is allowed."""
        return max(SAFE * float(self.frequencies.max(initial=0.0)) / bound, self.rough / _ROUGH)


def _rough(found: Forms, true: Forms, highest: float) -> float:
    """By how much forms may show a vector softer, or heavier, than it is.

    Softer by its own energy, heavier by what a mode at the ``highest`` square of angular frequency
    has for its energy: too little of either makes a mode that is not there.
    """
    energy = true.energy
    try:
        softest = scipy.linalg.eigh(found.energy, energy, eigvals_only=True)[0]
        heavy = np.abs(scipy.linalg.eigh(found.mass - true.mass, energy, eigvals_only=True)).max()
    except scipy.linalg.LinAlgError:
        return 1.0
    return max(1 - float(softest), float(heavy) * (highest + true.shift))


def _endless(shares: list[float]) -> bool:
    """Whether what was missed at places along a knob will not end within the most there may be.

    It falls like a power: foreseen from the largest and the last of it.
    """
    if len(shares) + 1 >= MOST_ORDERS:
        return True
    if len(shares) < _TO_FORESEE:
        return False
    largest = int(np.argmax(shares[:-1]))
    fall = (shares[-1] / shares[largest]) ** (1 / (len(shares) - 1 - largest))
    return bool(shares[-1] * fall ** (MOST_ORDERS - 1 - len(shares)) > 1)


def _raised(orders: Orders, number: int, by: int) -> Orders:
    return (*orders[:number], orders[number] + by, *orders[number + 1 :])
