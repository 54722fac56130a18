"""How finely a design is divided: the same neighbourhood of elements for a whole sweep."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from belltone.mesh.grading import Cut
from belltone.mesh.plate_blocks import PlateScheme

__all__ = ["MAX_ORDER", "Discretisation", "SurfacePlan", "fine_enough"]

MAX_ORDER: Final = 8


@dataclass(frozen=True)
class SurfacePlan:
    """How a surface is cut into blocks, and the elements along each class of block edges.

    ``scheme`` is that of a plate; shells need none. ``cuts`` make blocks smaller towards places
    where the motion is not smooth. The elements along a class are each divided so many ``times``
    more, where that is more than once.
    """

    scheme: PlateScheme | None
    counts: tuple[int, ...]
    cuts: tuple[Cut, ...] = ()
    times: tuple[int, ...] = ()

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
        most = max((max(plan.times) for plan in self.plans if plan.times), default=1)
        return self.divisions * most

    def lower(self) -> Discretisation:
        """The next lower order, which the error estimate compares with."""
        return replace(self, order=self.order - 1)

    def finer(self) -> Discretisation:
        """Twice the divisions."""
        return replace(self, divisions=2 * self.divisions)


def fine_enough(chosen: Sequence[Discretisation]) -> Discretisation:
    """One discretisation as fine as each of those chosen for designs of one family, in order.

    All share the way the middle one cuts surfaces into blocks, so that curves over a knob stay
    smooth. Where another one has other blocks, what it divides most is taken everywhere.
    """
    middle = chosen[len(chosen) // 2]
    plans: list[SurfacePlan] = []
    for number, plan in enumerate(middle.plans):
        times = np.array([plan.divided(place) for place in range(len(plan.counts))])
        for other in (each.plans[number] for each in chosen):
            theirs = [other.divided(place) for place in range(len(other.counts))]
            same = len(theirs) == len(times)
            times = np.maximum(times, theirs if same else max(theirs))
        even = bool(np.all(times == 1))
        plans.append(replace(plan, times=() if even else tuple(map(int, times))))
    return Discretisation(
        max(each.divisions for each in chosen), max(each.order for each in chosen), tuple(plans)
    )
