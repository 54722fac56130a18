"""Named sites on a mesh: which nodes carry them, and which way their own directions point."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["SiteNodes"]

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
    site's length or area belongs to each station. ``positions`` are ``(stations, 3)`` (m).
    """

    nodes: IntArray
    weights: Array
    frames: Array
    shares: Array
    positions: Array

    def __len__(self) -> int:
        return len(self.nodes)

    @property
    def centre(self) -> Array:
        """Where the site is, on average (m)."""
        return np.asarray(self.shares @ self.positions)
