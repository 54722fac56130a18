"""Named sites on a mesh: which nodes carry them, and which way their own directions point."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

__all__ = ["Feet", "SiteNodes", "Turning"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]


@dataclass(frozen=True)
class Turning:
    """How points of a wall turn, and slide in it: as the wall round them does.

    A node's own turn about the normal has no stiffness worth the name, so what holds, loads or
    hangs on it would take hold of nothing; in its plane a wall gives way at a single node without
    limit. ``axes`` ``(stations, 3)`` are the normals. ``nodes`` ``(stations, k)`` turn a station
    by their own turns square to it, ``shares`` ``(stations, k)`` of each, and about it (rad) by
    ``slides`` ``(stations, k, 3)`` for each of their slides (m); ``arms`` ``(stations, k, 3)`` lead
    to them (m).
    """

    axes: Array
    nodes: IntArray
    shares: Array
    slides: Array
    arms: Array

    @property
    def back(self) -> Array:
        """From the middles of the nodes' shares to the stations ``(stations, 3)`` (m)."""
        return np.asarray(-np.einsum("sk,skd->sd", self.shares, self.arms))

    def some(self, chosen: NDArray[np.bool_] | IntArray) -> Turning:
        """That of some of the stations."""
        return Turning(
            self.axes[chosen],
            self.nodes[chosen],
            self.shares[chosen],
            self.slides[chosen],
            self.arms[chosen],
        )

    def turned(self, by: Array) -> Turning:
        """The same where each station has turned by a rotation matrix ``(stations, 3, 3)``."""
        return replace(
            self,
            axes=np.einsum("sij,sj->si", by, self.axes),
            slides=np.einsum("sij,skj->ski", by, self.slides),
            arms=np.einsum("sij,skj->ski", by, self.arms),
        )


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
    elements, in order. At a point of a wall ``turning`` tells its turns.
    """

    nodes: IntArray
    weights: Array
    frames: Array
    shares: Array
    positions: Array
    lines: IntArray | None = None
    turning: Turning | None = None

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
            None if self.turning is None else self.turning.some(chosen),
        )

    def numbered_from(self, first: int) -> SiteNodes:
        """The same with the nodes numbered from ``first`` on."""
        turning = self.turning
        if turning is not None:
            turning = replace(turning, nodes=turning.nodes + first)
        return replace(self, nodes=self.nodes + first, turning=turning)


@dataclass(frozen=True)
class Feet:
    """The nearest places of a body to some points: its nodes there, weights, and positions (m).

    ``nodes`` and ``weights`` are ``(points, k)``, ``positions`` ``(points, 3)``; ``reach``
    ``(points,)`` is how far the material stands out from the line or surface the nodes are on (m).
    ``normals`` ``(points, 3)`` are those of a surface, about which it has no stiffness of its own
    against turning at a point; ``None`` on lines and points. ``turning`` is that of a site that
    serves as a foot.
    """

    nodes: IntArray
    weights: Array
    positions: Array
    reach: Array
    normals: Array | None = None
    turning: Turning | None = None

    def some(self, chosen: NDArray[np.bool_] | IntArray) -> Feet:
        """Those of some of the points, by places also several times."""
        return Feet(
            self.nodes[chosen],
            self.weights[chosen],
            self.positions[chosen],
            self.reach[chosen],
            None if self.normals is None else self.normals[chosen],
            None if self.turning is None else self.turning.some(chosen),
        )
