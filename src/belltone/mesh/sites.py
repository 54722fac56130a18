"""Named sites on a mesh: which nodes carry them, and which way their own directions point."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

__all__ = ["Feet", "SiteNodes"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]


@dataclass(frozen=True)
class SiteNodes:
    """A site as stations, each read off one or several nodes.

    ``nodes`` and ``weights`` are ``(stations, k)``: the motion of a station is the weighted sum of
    the motions of its nodes (k is 1 except at a point inside an element). ``frames`` is
    ``(stations, 3, 3)`` with rows the site's own x, y and z: along a member, its side and up; along
    an edge, out of the wall in its plane, and along the normal; on a face the part's first
    direction, the second and the normal. ``shares`` ``(stations,)`` add up to one: how much of the
    site's length or area belongs to each station. ``positions`` are ``(stations, 3)`` (m). Of a
    line with a node at each station, ``lines`` ``(elements, p+1)`` are the stations of its
    elements, in order.
    """

    nodes: IntArray
    weights: Array
    frames: Array
    shares: Array
    positions: Array
    lines: IntArray | None = None

    def __len__(self) -> int:
        return len(self.nodes)

    @property
    def centre(self) -> Array:
        """Where the site is, on average (m)."""
        return np.asarray(self.shares @ self.positions)

    def some(self, chosen: NDArray[np.bool_]) -> SiteNodes:
        """Some of the stations, with the shares they have."""
        lines = self.lines
        if lines is not None:
            lines = (np.cumsum(chosen) - 1)[lines[chosen[lines].all(axis=1)]]
        return SiteNodes(
            self.nodes[chosen],
            self.weights[chosen],
            self.frames[chosen],
            self.shares[chosen],
            self.positions[chosen],
            lines,
        )

    def numbered_from(self, first: int) -> SiteNodes:
        """The same with the nodes numbered from ``first`` on."""
        return replace(self, nodes=self.nodes + first)


@dataclass(frozen=True)
class Feet:
    """The nearest places of a body to some points: its nodes there, weights, and positions (m).

    ``nodes`` and ``weights`` are ``(points, k)``, ``positions`` ``(points, 3)``; ``reach``
    ``(points,)`` is how far the material stands out from the line or surface the nodes are on (m).
    ``normals`` ``(points, 3)`` are those of a surface, about which it has no stiffness of its own
    against turning at a point; ``None`` on lines and points.
    """

    nodes: IntArray
    weights: Array
    positions: Array
    reach: Array
    normals: Array | None = None

    def some(self, chosen: NDArray[np.bool_]) -> Feet:
        """Those of some of the points."""
        return Feet(
            self.nodes[chosen],
            self.weights[chosen],
            self.positions[chosen],
            self.reach[chosen],
            None if self.normals is None else self.normals[chosen],
        )
