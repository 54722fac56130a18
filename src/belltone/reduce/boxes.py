"""Makes the model of several knobs at once."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from typing import Final

import numpy as np

from belltone.mesh.discretisation import Discretisation
from belltone.modes.failure import PointFailure, Reason
from belltone.modes.request import ModeRequest
from belltone.modes.solution import Solution
from belltone.progress import Progress
from belltone.reading.family import DesignFamily
from belltone.reduce.designs import DEFAULT_BOUND, Designs, Span, UnmodelledError
from belltone.reduce.model import Gap, Piece, Place, ReducedModel
from belltone.reduce.spreading import Spreading
from belltone.system.threads import numpy_threads

__all__ = ["build_box"]

_MOST_TRIED: Final = 100  # designs by the square of the knobs; what is left has no model
_NARROWEST: Final = 1 / 8  # of what is spanned; a piece so narrow is not divided further
_CLOSE: Final = 1 / 256  # of the same; where a mesh changes is found so closely
_ALL_FIRST: Final = 3  # knobs; of more only the axes through the middle are looked along

Ends = tuple[Place, Place]


def build_box(
    family: DesignFamily,
    turned: Mapping[str, float],
    ends: Mapping[str, tuple[float, float]],
    request: ModeRequest,
    discretisation: Discretisation,
    known: Solution | None = None,
    bound: float = DEFAULT_BOUND,
    progress: Progress | None = None,
) -> ReducedModel:
    """The model of some knobs, each between two values (base units), all others as ``turned``.

    ``known`` and ``progress`` as in `build_line`. Raises `UnmodelledError` where nothing between
    the ends has a model.
    """
    low, high = (tuple(own[side] for own in ends.values()) for side in (0, 1))
    span = Span(family, turned, tuple(ends), low, high, request, discretisation, bound)
    with numpy_threads(many=False):
        return _Builder(span, known, progress or Progress()).built()


class _Builder:
    """Builds one model; used once."""

    def __init__(self, span: Span, known: Solution | None, progress: Progress) -> None:
        self._span, self._progress = span, progress
        self._pieces: list[Piece | Gap] = []
        self._width = np.subtract(span.high, span.low)
        inside = all(a <= b <= c for a, b, c in zip(span.low, span.present, span.high, strict=True))
        middle = tuple((0.5 * np.add(span.low, span.high)).tolist())
        self._now = span.present if inside else middle
        self._designs = Designs(span, known if inside else None, progress, unstable=True)

    def built(self) -> ReducedModel:
        self._build((self._span.low, self._span.high))
        if not any(isinstance(piece, Piece) for piece in self._pieces):
            first = self._pieces[0]
            assert isinstance(first, Gap)
            raise UnmodelledError(first.failure.detail)
        return self._designs.model(self._pieces)

    @property
    def _tired(self) -> bool:
        return self._designs.tried > _MOST_TRIED * len(self._span.knobs) ** 2

    def _sort(self, place: Place) -> object:
        return self._designs.sort(place, loaded=False)

    def _build(self, ends: Ends) -> None:
        """The pieces between two places, what is nearest to the present place first."""
        parts = self._parted(ends)
        if parts is None:
            sort = self._sort(ends[0])
            if sort is None:
                self._add(Gap(*ends, self._designs.failures[ends[0]]))
                return
            hardest: int | None = None
            if not self._tired:
                spreading = Spreading(self._designs, *ends, sort, self._progress)
                piece = spreading.made()
                if piece is not None:
                    self._add(piece)
                    return
                hardest = spreading.hardest
                failure = self._nowhere(ends)
                if failure is not None:
                    self._add(Gap(*ends, failure))
                    return
            parts = self._halves(ends, hardest)
        if parts is None or self._tired:
            words = "the model does not meet its bound here"
            self._add(Gap(*ends, PointFailure(Reason.UNMET, words)))
            return
        for part in sorted(parts, key=self._away):
            if all(low < high for low, high in zip(*part, strict=True)):
                self._build(part)

    def _nowhere(self, ends: Ends) -> PointFailure | None:
        """Why there is no answer between two places, where neither middle nor corners have one."""
        designs, (low, high) = self._designs, ends
        middle: Place = tuple((0.5 * np.add(low, high)).tolist())
        if middle not in designs.failures:
            return None
        few = len(low) <= _ALL_FIRST
        corners = itertools.product(*zip(low, high, strict=True)) if few else ends
        return None if any(map(designs.sample, corners)) else designs.failures[middle]

    def _add(self, piece: Piece | Gap) -> None:
        self._pieces.append(piece)
        self._progress.show(self._designs.model(self._pieces))

    def _away(self, ends: Ends) -> float:
        low, high = ends
        apart = np.maximum(np.subtract(low, self._now), np.subtract(self._now, high))
        return float(np.linalg.norm(np.maximum(apart, 0.0) / self._width))

    def _halves(self, ends: Ends, hardest: int | None) -> list[Ends] | None:
        """Both halves along the knob that is hardest, or widest; ``None`` where it is narrow."""
        shares = np.subtract(ends[1], ends[0]) / self._width
        number = int(shares.argmax()) if hardest is None else hardest
        if shares[number] <= _NARROWEST:
            number = int(shares.argmax())
        if shares[number] <= _NARROWEST:
            return None
        middle = 0.5 * (ends[0][number] + ends[1][number])
        return _cut(ends, number, middle, middle)

    def _parted(self, ends: Ends) -> list[Ends] | None:
        """What lies to both sides of a change of the mesh across one knob, if there is any."""
        low, high = ends
        count = len(low)
        steps = [
            np.linspace(start, stop, 3).tolist() for start, stop in zip(low, high, strict=True)
        ]
        for number in range(count):
            if np.subtract(high, low)[number] <= _NARROWEST * self._width[number]:
                continue
            others = [
                [own[1]] if count > _ALL_FIRST else own
                for other, own in enumerate(steps)
                if other != number
            ]
            for rest in itertools.product(*others):
                for before, after in itertools.pairwise(steps[number]):
                    found = self._change(number, rest, before, after)
                    if found is not None:
                        return _cut(ends, number, *found)
        return None

    def _change(
        self, number: int, rest: Place, before: float, after: float
    ) -> tuple[float, float] | None:
        """Two close values of one knob between which the mesh changes, the others at ``rest``."""

        def sort(value: float) -> object:
            return self._sort((*rest[:number], value, *rest[number:]))

        first = sort(before)
        if first == sort(after):
            return None
        while after - before > _CLOSE * self._width[number]:
            middle = 0.5 * (before + after)
            if sort(middle) == first:
                before = middle
            else:
                after = middle
        return before, after


def _cut(ends: Ends, number: int, before: float, after: float) -> list[Ends]:
    """What lies below one value of a knob, and what above another."""

    def put(place: Place, value: float) -> Place:
        return (*place[:number], value, *place[number + 1 :])

    return [(ends[0], put(ends[1], before)), (put(ends[0], after), ends[1])]
