"""Where a site is."""

from __future__ import annotations

import math
from dataclasses import dataclass

__all__ = ["Place"]


@dataclass(frozen=True)
class Place:
    """Where a site is on its part.

    On a member the distance ``along`` its axis (m). On a surface one of its own ``feature`` names,
    or a point at chart coordinates ``at`` of a ``segment``; on a mesh the point ``near`` a place in
    space (m).
    """

    site: str
    part: str
    along: float = 0.0
    feature: str | None = None
    segment: int = 0
    at: tuple[float, float] = (0.0, 0.0)
    near: tuple[float, float, float] | None = None

    def same_spot(self, other: Place) -> bool:
        """Whether both are the same site, whatever they are called."""
        return (self.part, self.feature, self.segment) == (
            other.part,
            other.feature,
            other.segment,
        ) and all(
            math.isclose(one, two, rel_tol=1e-9, abs_tol=1e-12)
            for one, two in zip(
                (self.along, *self.at, *(self.near or ())),
                (other.along, *other.at, *(other.near or ())),
                strict=False,
            )
        )
