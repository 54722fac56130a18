"""Where elements end along block edges: narrow beside rims, growing from there, at given lines.

How many stand where is told for the edge a plan was made for, and holds for all its neighbours:
there the same elements are longer or shorter, smoothly so, and a curve over a knob has no jumps.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.discretisation import GROWTH

__all__ = ["RIM_WIDTH", "EdgeDivision"]

Array = NDArray[np.float64]
End = tuple[float, float]

RIM_WIDTH: Final = 1.0  # thicknesses; the edge layer fades by a factor of twenty within one
_NARROWEST: Final = 0.005  # of the edge; below it the layer matters less than rounding does
_WIDEST: Final = 0.3  # of an element
_GROWN_OVER: Final = 0.75  # of the way to the next place where elements end


@dataclass(frozen=True)
class EdgeDivision:
    """How edges of one class are divided, in shares of their length.

    There are about ``count`` elements, each divided so many ``times``. ``marks`` are places where
    some end, in order, with sizes beside them; ``rims`` says of both ends whether a narrow element
    stands there, and ``sizes`` (thicknesses, zero for any) how long the smallest beside it are.
    """

    count: int
    times: int
    marks: Sequence[End]
    rims: tuple[bool, bool]
    sizes: tuple[float, float]

    def counted(self, planned: float) -> tuple[int, ...]:
        """How many elements stand between places where some must end, one after the other.

        ``planned`` is the thickness in lengths of the edge by which they are counted.
        """
        ends = self._ends(planned)
        whole = ends[-1][0] - ends[0][0]
        numbers: list[int] = []
        for between in itertools.pairwise(ends):
            grown = _grown(between, between)
            for low, high in itertools.pairwise(grown):
                share = (high - low) / whole
                number = self.times * max(1, round(self.count * share))
                if len(grown) > 2:
                    # Those beside a size given are no smaller than that asks for.
                    number = min(number, math.ceil(self.count * self.times * share))
                numbers.append(number)
        return tuple(numbers)

    def breaks(self, thin: float, planned: float) -> Array:
        """Where elements begin and end, from 0 to 1, on edges so ``thin``."""
        both = zip(
            itertools.pairwise(self._ends(planned)),
            itertools.pairwise(self._ends(thin)),
            strict=True,
        )
        places = list(
            itertools.chain.from_iterable(
                itertools.pairwise(_grown(asked, own)) for asked, own in both
            )
        )
        pieces = [
            np.linspace(low, high, number + 1)
            for (low, high), number in zip(places, self.counted(planned), strict=True)
        ]
        return np.unique(np.concatenate([np.array([0.0, 1.0]), *pieces]))

    def _ends(self, thin: float) -> list[End]:
        """Places where elements must end, and the sizes beside them."""
        narrow = min(max(RIM_WIDTH * thin, _NARROWEST), _WIDEST / (self.count * self.times))
        # Beside a rim stands the smallest element already.
        (first, after), (last, before) = (
            (narrow if rim else 0.0, thin * size * (GROWTH if rim else 1.0))
            for rim, size in zip(self.rims, self.sizes, strict=True)
        )
        ends = [(first, after)]
        for value, size in self.marks:
            if value - ends[-1][0] > _NARROWEST and 1 - last - value > _NARROWEST:
                ends.append((value, size))
        return [*ends, (1 - last, before)]


def _grown(asked: tuple[End, End], own: tuple[End, End]) -> list[float]:
    """Ends of elements between two places that grow away from one or both.

    As many as there is room for between the places ``asked`` for, put between one's ``own``. Those
    are as long as their own sizes say as far as they are short, and never reach one another.
    """
    (low, first), (high, last) = own
    both = bool(first and last)
    length, planned = (
        (stop - start) * (0.5 if both else 1.0) for (start, _), (stop, _) in (own, asked)
    )

    def away(size: float, asked: float) -> list[float]:
        steps: list[float] = []
        while 0 < asked < _GROWN_OVER * planned:
            steps.append(length * size / ((1 - asked / planned) * length + size))
            size, asked = size * GROWTH, asked * GROWTH
        return steps

    after, before = (away(size, wish) for (_, size), (_, wish) in zip(own, asked, strict=True))
    return [low, *(low + step for step in after), *(high - step for step in before[::-1]), high]
