"""The same number of elements along rims of shells of revolution that are joined to each other."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import SurfaceValue
from belltone.design.values import Design, JointSide
from belltone.geometry.shapes import Revolved
from belltone.mesh.blocks import Blocks
from belltone.mesh.discretisation import SurfacePlan
from belltone.system.kinds import place_lines

__all__ = ["matched"]

_SAME: Final = 0.01  # of a rim's length; what lies farther apart is another

Array = NDArray[np.float64]


@dataclass(frozen=True)
class _Rim:
    """A rim of a wall: the groups of its block edges, and where it lies (m)."""

    wall: int
    groups: tuple[int, ...]
    middle: Array
    length: float

    def lies_on(self, other: _Rim) -> bool:
        """Whether another rim is the same circle, cut into as many block edges."""
        apart = np.linalg.norm(self.middle - other.middle) + abs(self.length - other.length)
        return len(self.groups) == len(other.groups) and bool(apart < _SAME * self.length)


@dataclass(frozen=True)
class _Shell:
    """A shell of revolution, which wall of the design it is, and its blocks."""

    number: int
    wall: SurfaceValue
    blocks: Blocks

    def rims(self, side: JointSide) -> Iterator[_Rim]:
        """The rims that a side of a joint may mean."""
        classes = self.blocks.edge_classes()
        for name, chain in self.blocks.edges.items():
            if side.place is not None and side.place.feature != name:
                continue
            points = np.concatenate(place_lines(self.wall, self.wall.place_of(name)))
            steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
            between, length = 0.5 * (points[1:] + points[:-1]), float(steps.sum())
            middle = (between * steps[:, None]).sum(axis=0) / length
            groups = tuple(classes.of(*edge)[0] for edge in chain)
            yield _Rim(self.number, groups, middle, length)


def matched(
    design: Design,
    plans: Sequence[SurfacePlan],
    blocks_of: Callable[[SurfaceValue, SurfacePlan], Blocks],
) -> tuple[SurfacePlan, ...]:
    """Plans of the walls of a design by which joined rims of shells have equally many elements.

    Where they have not, the finer rim follows the polynomials of the coarser. Those bend a thin
    shell without stretching it on their own circle alone: on the finer one they stretch it, and its
    frequencies settle an order or two later.
    """
    if not design.joints:
        return tuple(plans)
    shells = {
        wall.name: _Shell(number, wall, blocks_of(wall, plan))
        for number, (wall, plan) in enumerate(zip(design.surfaces, plans, strict=True))
        if isinstance(wall.shape, Revolved)
    }
    pairs: list[tuple[_Rim, _Rim]] = []
    for joint in design.joints:
        sides = joint.first, joint.second
        if joint.how not in ("none", "spots") and all(side.part in shells for side in sides):
            first, second = (list(shells[side.part].rims(side)) for side in sides)
            pairs += [(one, other) for one in first for other in second if one.lies_on(other)]
    counts = [list(plan.counts) for plan in plans]
    changed = True
    while changed:
        changed = False
        for pair in pairs:
            most = max(counts[rim.wall][group] for rim in pair for group in rim.groups)
            for rim in pair:
                for group in rim.groups:
                    changed |= counts[rim.wall][group] != most
                    counts[rim.wall][group] = most
    return tuple(
        plan if plan.counts == tuple(own) else replace(plan, counts=tuple(own))
        for plan, own in zip(plans, counts, strict=True)
    )
