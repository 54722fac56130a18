"""What a search proposes: designs on the way, designs solved, and what it came to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path as FilePath

import numpy as np
from numpy.typing import NDArray

from belltone.modes.modeset import ModeSet
from belltone.sheet.document import Sheet
from belltone.tune.demands import Demands, Missed
from belltone.tune.search import Aim

__all__ = ["Cleared", "Proposal", "Tried", "rank"]

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Tried:
    """A design on the way, as the model tells it: shown while the search goes on."""

    place: Array
    texts: Mapping[str, str]
    frequencies: Array
    meets: bool
    words: str


@dataclass(frozen=True, eq=False)
class Proposal:
    """A design that was solved to the sheet's accuracy, all its modes counted.

    ``texts`` are the values of the knobs as they go into the sheet, ``text`` is that sheet, and
    files it names are in ``folder``; ``change`` is the root of the
    squares of how far each moved, in shares of its range. ``told`` is what conditions are on.
    ``missed`` are the demands it does not meet: none for one that is clear. ``stands`` are the
    places among its flexible modes of those followed, -1 where one is not found.
    """

    texts: Mapping[str, str]
    words: str
    modes: ModeSet
    text: str
    folder: FilePath | None
    change: float
    margin: float
    told: Mapping[str, float]
    missed: tuple[Missed, ...]
    stands: tuple[int, ...] = ()

    @property
    def clear(self) -> bool:
        """Whether it meets every demand."""
        return not self.missed

    @property
    def sheet(self) -> Sheet:
        """The sheet with the knobs so."""
        return Sheet.from_text(self.text, self.folder)


@dataclass(frozen=True, eq=False)
class Cleared:
    """What a search for ``demands`` came to.

    ``proposals`` begin with the best; where none is clear that is the least bad one, and
    ``binding`` says what stands in the way and which wider range would help; and in any case why a
    search ended early. ``trade`` is what
    other margins would cost: margin, and change or mass or nothing, by the model.
    """

    demands: Demands
    aim: Aim
    proposals: tuple[Proposal, ...]
    present: Proposal
    binding: tuple[str, ...]
    trade: tuple[tuple[float, float | None], ...]
    solutions: int

    @property
    def best(self) -> Proposal:
        """The best design found."""
        return self.proposals[0]


def rank(found: Proposal, aim: Aim) -> tuple[float, float]:
    """Smaller is better: first the demands, then what is to be best."""
    missed = float(sum(each.share for each in found.missed))
    worth = {
        Aim.CHANGE: found.change,
        Aim.MASS: found.told["mass"],
        Aim.MARGIN: -found.margin,
    }
    return missed, worth[aim]
