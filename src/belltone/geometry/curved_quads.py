"""Four-sided pieces between curves, and the edges they share."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

__all__ = ["Curve", "bilinear", "coons", "edge_key"]

Array = NDArray[np.float64]
Curve = Callable[[Array], Array]
"""Chart coordinates ``(n, 2)`` at shares ``(n,)`` of a curve."""


def edge_key(a: int, b: int) -> tuple[int, int]:
    """The same for both directions of an edge."""
    return (a, b) if a < b else (b, a)


def coons(south: Curve, east: Curve, north: Curve, west: Curve) -> Callable[[Array, Array], Array]:
    """Blend four curves into a map (S. A. Coons 1967); south and north run east, the others north.

    The map meets all four curves exactly.
    """
    zero, one = np.zeros(1), np.ones(1)
    corners = [south(zero), south(one), north(zero), north(one)]

    def chart(u: Array, v: Array) -> Array:
        across, up = u[:, None], v[:, None]
        sides = (1 - up) * south(u) + up * north(u) + (1 - across) * west(v) + across * east(v)
        twist = (1 - across) * (1 - up) * corners[0] + across * (1 - up) * corners[1]
        twist = twist + (1 - across) * up * corners[2] + across * up * corners[3]
        return np.asarray(sides - twist)

    return chart


def bilinear(corners: Array) -> Callable[[Array, Array], Array]:
    """The map onto a face with straight sides between corners ``(4, 2)``, counter-clockwise."""

    def chart(u: Array, v: Array) -> Array:
        shares = np.stack([(1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v], axis=1)
        return np.asarray(shares @ corners)

    return chart
