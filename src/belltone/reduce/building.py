"""Builds the model of one knob: which designs are looked at, which solved, and where it ends."""

from __future__ import annotations

import contextlib
import itertools
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.errors import UserError
from belltone.mesh.discretisation import Discretisation
from belltone.modes.describe import kinds_of
from belltone.modes.failure import PointFailure, Reason, failure_of
from belltone.modes.level import Level
from belltone.modes.request import ModeRequest
from belltone.modes.solution import Solution, solved
from belltone.modes.whirl import WhirlError
from belltone.progress import Progress
from belltone.reading.family import DesignFamily
from belltone.reduce.growing import Growing
from belltone.reduce.line import Anchor, Gap, LineModel, Piece
from belltone.reduce.sample import Sample, mesh_of
from belltone.system.assembly import bodies_of
from belltone.system.pattern import Structure
from belltone.system.threads import numpy_threads

__all__ = ["DEFAULT_BOUND", "UnmodelledError", "build_line"]

Array = NDArray[np.float64]

DEFAULT_BOUND: Final = 1e-3
"""How far a model's frequencies may be from exact ones, relative."""

_GUARDS: Final = 8  # modes solved beyond those asked for; errors are fifty times larger without
_FIRST: Final = 4  # intervals between designs that are looked at before anything is solved
_MOST_TRIED: Final = 60  # designs in all; what is left then has no model
_BETWEEN: Final = 0.37  # of a whole number
_NARROWEST: Final = 1 / 16  # of the line; a piece so narrow is not divided further
_CLOSE: Final = 1 / 512  # of the line; where a mesh changes or answers end is found so closely


class UnmodelledError(UserError):
    """A knob no model can be made of."""


def build_line(
    family: DesignFamily,
    turned: Mapping[str, float],
    knob: str,
    ends: tuple[float, float],
    request: ModeRequest,
    discretisation: Discretisation,
    known: Solution | None = None,
    bound: float = DEFAULT_BOUND,
    progress: Progress | None = None,
) -> LineModel:
    """The model of a knob between two values (base units), the others as ``turned``.

    ``known`` is a solution of the design as turned at this discretisation, if there is one. What
    is nearest to the knob's present value comes first, and is shown to ``progress`` as it grows.
    Raises `UnmodelledError` where no design on the line has an answer.
    """
    if request.above is not None:
        raise UnmodelledError("a model knows the lowest modes, not those above a frequency")
    line = _Line(family, dict(turned), knob, ends, request, discretisation, bound)
    if line.seen_from_ground:
        raise UnmodelledError("no model is made of whirling modes seen from the ground")
    if line.counts:
        raise UnmodelledError(
            f"“{knob}” is a number of things, and there is no design between whole numbers"
        )
    with numpy_threads(many=False):
        return _Builder(line, known, progress or Progress()).built()


@dataclass(frozen=True)
class _Line:
    """What a model is to be made of."""

    family: DesignFamily
    turned: Mapping[str, float]
    knob: str
    ends: tuple[float, float]
    request: ModeRequest
    discretisation: Discretisation
    bound: float

    @property
    def length(self) -> float:
        return self.ends[1] - self.ends[0]

    @property
    def present(self) -> float:
        """The knob's value in the design as turned."""
        return self.family.at(self.turned).knobs[self.knob].base

    @property
    def seen_from_ground(self) -> bool:
        """Whether frequencies are those of a spin seen from outside."""
        preload = self.family.at(self.turned).preload
        spin = None if preload is None else preload.spin
        return spin is not None and spin.gyroscopic and spin.from_ground

    @property
    def counts(self) -> bool:
        """Whether only whole numbers have a design."""
        present = self.present
        if not present.is_integer():
            return False
        try:
            self.design(present + _BETWEEN)
        except UserError:
            with contextlib.suppress(UserError):
                return self.design(present + 1) is not None
        return False

    def design(self, value: float) -> Design:
        return self.family.at({**self.turned, self.knob: value})


@dataclass(frozen=True, eq=False)
class _Solved:
    """Node motions (unknowns, k) of the modes of a design, guard modes too, and what they are."""

    motions: Array
    anchor: Anchor


class _Builder:
    """Builds one model; used once."""

    def __init__(self, line: _Line, known: Solution | None, progress: Progress) -> None:
        self._line, self._progress = line, progress
        self._sorts: dict[float, object] = {}
        self._failures: dict[float, PointFailure] = {}
        self._solved: dict[float, _Solved] = {}
        self._structures: dict[Discretisation, Structure] = {}
        self._near: Level | None = None
        self._last: Sample | None = None
        self._pieces: list[Piece | Gap] = []
        self._count = 0
        self._tried = 0  # designs looked at, solved or not
        low, high = line.ends
        now = line.present
        self._now = now if low <= now <= high else 0.5 * (low + high)
        self._known = known if self._now == now else None
        if self._known is not None:
            self._structures = self._known.level.structures
            self._take(now, self._known)

    def built(self) -> LineModel:
        self._build(*self._line.ends)
        failures = [piece.failure for piece in self._pieces if isinstance(piece, Gap)]
        if len(failures) == len(self._pieces):
            raise UnmodelledError(failures[0].detail)
        return self._model()

    def _model(self) -> LineModel:
        line = self._line
        return LineModel(
            knob=line.knob,
            low=line.ends[0],
            high=line.ends[1],
            bound=line.bound,
            request=line.request,
            discretisation=line.discretisation,
            pieces=tuple(sorted(self._pieces, key=lambda piece: piece.low)),
            solutions=self._count,
        )

    # -- designs --------------------------------------------------------------------------------

    def _level(self, value: float) -> Level:
        """A design of the line; raises ``UserError`` where it has no answer."""
        self._progress.check()
        line = self._line
        level = Level(
            line.design(value), line.discretisation, self._progress, self._structures, self._near
        )
        if level.state is not None:
            if not level.whirls:
                level.factor(line.request)  # tells whether the state is stable
            if level.state.pose is not None:
                self._near = level
        return level

    def _sample(self, value: float) -> Sample | None:
        """The same as projections need it, or nothing where there is no answer."""
        if self._last is not None and self._last.place == value:
            return self._last
        if value in self._failures:
            return None
        self._tried += 1
        try:
            return self._keep(Sample(value, self._level(value)))
        except UnmodelledError:
            raise
        except UserError as error:
            self._failures[value] = failure_of(error)
            self._sorts[value] = None
            return None

    def _keep(self, sample: Sample) -> Sample:
        self._last = sample
        self._sorts[sample.place] = sample.mesh
        return sample

    def _sort(self, value: float) -> object:
        """What is the same within one piece: the mesh, or that there is no answer."""
        if value not in self._sorts:
            design = self._design(value)
            if design is None or design.preload is not None:
                self._sample(value)
            else:
                self._progress.check()
                self._sorts[value] = mesh_of(bodies_of(design, self._line.discretisation))
        return self._sorts[value]

    def _design(self, value: float) -> Design | None:
        try:
            return self._line.design(value)
        except UserError:
            return None

    def _solve(self, value: float, guess: Array | None) -> Sample:
        """Solve a design exactly, from a guess of its modes by what is free."""
        level = self._level(value)
        asked = replace(self._line.request, count=self._line.request.count + _GUARDS)
        start = None
        if guess is not None:
            everything = slice(0, guess.shape[1])
            start = Solution(
                level=level,
                vectors=guess,
                all_frequencies=np.empty(0),
                kept=everything,
                proven=False,
            )
        self._count += 1
        return self._take(value, solved(level, asked, start))

    def _take(self, value: float, solution: Solution) -> Sample:
        vectors = solution.vectors
        if solution.lagging is not None:
            vectors = np.hstack([vectors, solution.lagging])
        motions = np.asarray(solution.level.system.free.basis @ vectors)
        anchor = Anchor(value, solution.signatures, kinds_of(solution), solution.waves)
        self._solved[value] = _Solved(motions, anchor)
        return self._keep(Sample(value, solution.level))

    # -- pieces ---------------------------------------------------------------------------------

    def _build(self, low: float, high: float) -> None:
        """The pieces from one value to another, what is nearest to the present value first."""
        apart = self._change(low, high)
        if apart is not None:
            parts = [(low, apart[0]), (apart[1], high)]
        elif self._sort(low) is None:
            self._add(Gap(low, high, self._failures[low]))
            return
        elif self._tried <= _MOST_TRIED and (piece := self._made(low, high)) is not None:
            self._add(piece)
            return
        elif high - low <= _NARROWEST * self._line.length or self._tried > _MOST_TRIED:
            words = "the model does not meet its bound here"
            self._add(Gap(low, high, PointFailure(Reason.UNMET, words)))
            return
        else:
            middle = 0.5 * (low + high)
            parts = [(low, middle), (middle, high)]
        for part in sorted(parts, key=lambda ends: _distance(self._now, *ends)):
            if part[0] < part[1]:
                self._build(*part)

    def _add(self, piece: Piece | Gap) -> None:
        self._pieces.append(piece)
        self._progress.show(self._model())

    def _change(self, low: float, high: float) -> tuple[float, float] | None:
        """Two close values between which the mesh changes, or answers begin or end."""
        places = [float(place) for place in np.linspace(low, high, _FIRST + 1)]
        for before, after in itertools.pairwise(places):
            first = self._sort(before)
            if first == self._sort(after):
                continue
            while after - before > _CLOSE * self._line.length:
                middle = 0.5 * (before + after)
                if self._sort(middle) == first:
                    before = middle
                else:
                    after = middle
            return before, after
        return None

    def _made(self, low: float, high: float) -> Piece | None:
        try:
            return self._piece(low, high)
        except WhirlError:
            return None

    def _piece(self, low: float, high: float) -> Piece | None:
        """The model between two values with one mesh; ``None`` where it does not meet its bound."""
        sort = self._sort(low)
        growing = Growing(low, high, self._line.request, self._line.bound)
        inside = [at for at in self._solved if low <= at <= high and self._sort(at) == sort]
        if not inside:
            first = self._now if low <= self._now <= high else 0.5 * (low + high)
            if self._sort(first) != sort:
                return None
            self._solve(first, None)
            inside.append(first)
        for place in inside:
            growing.take(self._had(place), self._solved[place].motions)
        coming = [end for end in (low, high) if end not in inside]
        while not growing.done:
            self._progress.report(growing.looks, 0, "model")
            if not coming:
                following = None if growing.full else growing.next_place()
                if following is None:
                    return None
                coming.append(following)
            sample = self._sample(coming.pop(0))
            if sample is None or sample.mesh != sort:
                return None
            look = growing.shown(sample)
            judged = growing.judged(look)
            if judged is None or growing.enough(judged):
                growing.look(look, judged)
            else:
                exact = self._solve(sample.place, judged.vectors)
                growing.take(exact, self._solved[sample.place].motions)
                inside.append(sample.place)
        anchors = tuple(self._solved[place].anchor for place in inside)
        return growing.piece(anchors, self._reference(inside, low, high))

    def _had(self, value: float) -> Sample:
        sample = self._sample(value)
        assert sample is not None
        return sample

    def _reference(self, inside: list[float], low: float, high: float) -> Level:
        """The design shapes are read at: as it stands, or that in the middle of those solved."""
        if self._now in inside:
            return self._level(self._now) if self._known is None else self._known.level
        return self._level(min(inside, key=lambda place: abs(place - 0.5 * (low + high))))


def _distance(value: float, low: float, high: float) -> float:
    return max(low - value, value - high, 0.0)
