"""Where a site is."""

from __future__ import annotations

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
