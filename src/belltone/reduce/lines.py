"""Makes the model of one knob: which designs are looked at, which solved, and where it ends."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from typing import Final

import numpy as np

from belltone.mesh.discretisation import Discretisation
from belltone.modes.failure import PointFailure, Reason
from belltone.modes.request import ModeRequest
from belltone.modes.solution import Solution
from belltone.modes.whirl import WhirlError
from belltone.progress import Progress
from belltone.reading.family import DesignFamily
from belltone.reduce.designs import DEFAULT_BOUND, Designs, Span, UnmodelledError
from belltone.reduce.growing import Growing
from belltone.reduce.model import Gap, Piece, ReducedModel
from belltone.reduce.sample import Sample
from belltone.system.threads import numpy_threads

__all__ = ["build_line"]

_FIRST: Final = 4  # intervals between designs that are looked at before anything is solved
_MOST_TRIED: Final = 60  # designs in all; what is left then has no model
_NARROWEST: Final = 1 / 16  # of the line; a piece so narrow is not divided further
_CLOSE: Final = 1 / 512  # of the line; where a mesh changes or answers end is found so closely


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
) -> ReducedModel:
    """The model of a knob between two values (base units), the others as ``turned``.

    ``known`` is a solution of the design as turned at this discretisation, if there is one. What
    is nearest to the knob's present value comes first, and is shown to ``progress`` as it grows.
    Raises `UnmodelledError` where no design on the line has an answer.
    """
    low, high = ends
    span = Span(family, turned, (knob,), (low,), (high,), request, discretisation, bound)
    with numpy_threads(many=False):
        return _Builder(span, known, progress or Progress()).built()


class _Builder:
    """Builds one model; used once."""

    def __init__(self, span: Span, known: Solution | None, progress: Progress) -> None:
        self._span, self._progress = span, progress
        self._pieces: list[Piece | Gap] = []
        (self._low,), (self._high,) = span.low, span.high
        (now,) = span.present
        inside = self._low <= now <= self._high
        self._now = now if inside else 0.5 * (self._low + self._high)
        self._designs = Designs(span, known if inside else None, progress)

    def built(self) -> ReducedModel:
        self._build(self._low, self._high)
        failures = [piece.failure for piece in self._pieces if isinstance(piece, Gap)]
        if len(failures) == len(self._pieces):
            raise UnmodelledError(failures[0].detail)
        return self._designs.model(self._pieces)

    def _sort(self, value: float) -> object:
        return self._designs.sort((value,), loaded=True)

    def _build(self, low: float, high: float) -> None:
        """The pieces from one value to another, what is nearest to the present value first."""
        tried, length = self._designs.tried, self._high - self._low
        apart = self._change(low, high)
        if apart is not None:
            parts = [(low, apart[0]), (apart[1], high)]
        elif self._sort(low) is None:
            self._add(Gap((low,), (high,), self._designs.failures[low,]))
            return
        elif tried <= _MOST_TRIED and (piece := self._made(low, high)) is not None:
            self._add(piece)
            return
        elif high - low <= _NARROWEST * length or tried > _MOST_TRIED:
            words = "the model does not meet its bound here"
            self._add(Gap((low,), (high,), PointFailure(Reason.UNMET, words)))
            return
        else:
            middle = 0.5 * (low + high)
            parts = [(low, middle), (middle, high)]
        for part in sorted(parts, key=lambda ends: _distance(self._now, *ends)):
            if part[0] < part[1]:
                self._build(*part)

    def _add(self, piece: Piece | Gap) -> None:
        self._pieces.append(piece)
        self._progress.show(self._designs.model(self._pieces))

    def _change(self, low: float, high: float) -> tuple[float, float] | None:
        """Two close values between which the mesh changes, or answers begin or end."""
        places = [float(place) for place in np.linspace(low, high, _FIRST + 1)]
        for before, after in itertools.pairwise(places):
            first = self._sort(before)
            if first == self._sort(after):
                continue
            while after - before > _CLOSE * (self._high - self._low):
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
        sort, designs = self._sort(low), self._designs
        growing = Growing(low, high, self._span.sought, self._span.bound)
        inside = [at for (at,) in designs.solved if low <= at <= high and self._sort(at) == sort]
        if not inside:
            first = self._now if low <= self._now <= high else 0.5 * (low + high)
            if self._sort(first) != sort:
                return None
            designs.solve((first,), None)
            inside.append(first)
        for place in inside:
            growing.take(self._had(place), designs.solved[place,].motions)
        coming = [end for end in (low, high) if end not in inside]
        while not growing.done:
            self._progress.report(growing.looks, 0, "model")
            if not coming:
                following = None if growing.full else growing.next_place()
                if following is None:
                    return None
                coming.append(following)
            sample = designs.sample((coming.pop(0),))
            if sample is None or sample.mesh != sort:
                return None
            look = growing.shown(sample)
            judged = growing.judged(look)
            if judged is None or growing.enough(judged):
                growing.look(look, judged)
            else:
                exact = designs.solve(sample.place, judged.vectors)
                growing.take(exact, designs.solved[sample.place].motions)
                inside += sample.place
        anchors = tuple(designs.solved[place,].anchor for place in inside)
        reference = designs.reference([(place,) for place in inside], (low,), (high,))
        return growing.piece(anchors, reference)

    def _had(self, value: float) -> Sample:
        sample = self._designs.sample((value,))
        assert sample is not None
        return sample


def _distance(value: float, low: float, high: float) -> float:
    return max(low - value, value - high, 0.0)
