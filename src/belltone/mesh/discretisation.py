"""How finely a design is divided: the same neighbourhood of elements for a whole sweep."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from belltone.mesh.grading import Cut
from belltone.mesh.plate_blocks import PlateScheme

__all__ = [
    "GROWTH",
    "MAX_ORDER",
    "Discretisation",
    "SurfacePlan",
    "Towards",
    "fine_enough",
    "fineness",
]

MAX_ORDER: Final = 8
GROWTH: Final = 5.0
"""Of elements, from one to the next, away from where one begins small."""


@dataclass(frozen=True, order=True)
class Towards:
    """An end of a class of block edges from which elements grow, so many thicknesses long at first.

    Behind the narrow one beside a rim they begin `GROWTH` times as large. ``slender`` is how many
    thicknesses long the edges were when that was planned: it decides how many elements grow there
    however long they are in a neighbouring design.
    """

    number: int
    at_start: bool
    size: float
    slender: float


@dataclass(frozen=True)
class SurfacePlan:
    """How a surface is cut into blocks, and the elements along each class of block edges.

    ``scheme`` is that of a plate; shells need none. ``cuts`` make blocks smaller towards places
    where the motion is not smooth. The elements along a class are each divided so many ``times``
    more, where that is more than once. ``towards`` are ends of classes, in order, from which
    elements grow. ``spots`` are places, (number, radius in m), round which the
    blocks of a plate end along circles.
    """

    scheme: PlateScheme | None
    counts: tuple[int, ...]
    cuts: tuple[Cut, ...] = ()
    times: tuple[int, ...] = ()
    towards: tuple[Towards, ...] = ()
    spots: tuple[tuple[int, float], ...] = ()

    @property
    def along_seams(self) -> bool:
        """Whether blocks end along the lines inside that ask for it."""
        quads = None if self.scheme is None else self.scheme.quads
        return quads is not None and bool(quads.seams)

    @property
    def round_rings(self) -> bool:
        """Whether blocks end along the circles inside that ask for it."""
        nests = () if self.scheme is None else self.scheme.nests
        return sum(len(nest.rings) for nest in nests) > len(self.spots)

    @property
    def placed(self) -> bool:
        """Whether places where something acts or ends decide where its blocks are."""
        return bool(self.cuts) or self.along_seams or self.round_rings or bool(self.spots)

    def divided(self, number: int) -> int:
        """How many times the elements along a class are divided."""
        return self.times[number] if self.times else 1


@dataclass(frozen=True)
class Discretisation:
    """Divisions and order of the elements.

    On members ``divisions`` counts elements between neighbouring sites; on surfaces it multiplies
    the counts of the plan. ``plans`` holds one entry for each surface; without them a design
    plans for itself, which may change from one design to the next.
    """

    divisions: int
    order: int
    plans: tuple[SurfacePlan, ...] = ()

    @property
    def elements(self) -> tuple[int, tuple[SurfacePlan, ...]]:
        """What decides the elements, whatever their order."""
        return self.divisions, self.plans

    @property
    def finest(self) -> int:
        """The divisions where walls are divided most, which serve everywhere else as well."""
        return self.divisions * self._most

    def lower(self) -> Discretisation:
        """The next lower order, which the error estimate compares with."""
        return replace(self, order=self.order - 1)

    def finer(self) -> Discretisation:
        """Twice the divisions."""
        return replace(self, divisions=2 * self.divisions)

    @property
    def even(self) -> bool:
        """Whether the elements of walls are divided as often everywhere."""
        return all(set(plan.times) == {self._most} for plan in self.plans if plan.times) and (
            self._most == 1 or all(plan.times for plan in self.plans)
        )

    def evened(self) -> Discretisation:
        """As fine everywhere as where walls are divided most."""
        plans = [replace(plan, times=(self._most,) * len(plan.counts)) for plan in self.plans]
        return replace(self, plans=tuple(plans))

    @property
    def _most(self) -> int:
        return max((max(plan.times) for plan in self.plans if plan.times), default=1)


def fine_enough(chosen: Sequence[Discretisation]) -> Discretisation:
    """One discretisation for a whole family: the finest of those chosen for some of it, in order.

    All share the way the middle one cuts surfaces into blocks, so that curves over a knob stay
    smooth. Where the finest has other blocks, what it divides most is taken everywhere.
    """
    middle = chosen[len(chosen) // 2]
    if not middle.plans:
        return Discretisation(
            max(each.divisions for each in chosen), max(each.order for each in chosen)
        )
    finest = max(chosen, key=fineness)
    plans: list[SurfacePlan] = []
    for plan, other in zip(middle.plans, finest.plans, strict=True):
        same = len(plan.counts) == len(other.counts)
        times = other.times if same else (max(other.times, default=1),) * len(plan.counts)
        towards = other.towards if same else plan.towards
        plans.append(replace(plan, times=times, towards=towards))
    return replace(finest, plans=tuple(plans))


def fineness(level: Discretisation) -> float:
    """About in proportion to the unknowns along a line; those of walls grow with its square."""
    shares = [
        np.mean([plan.divided(number) for number in range(len(plan.counts))])
        for plan in level.plans
    ]
    return float(level.divisions * level.order * (np.mean(shares) if shares else 1.0))
