"""Where what acts at a point of a wall acts in fact: on a small disc, all of it alike.

In a wall that can shear, a true point gives way without limit. So do a few places round it, as soon
as elements are small enough to tell them from each other: eight of them on a circle as wide as the
wall is thick let the frequencies of a plate on four feet fall by 2 % more, level by level.
"""

from __future__ import annotations

import math
from functools import cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.vectors import cross

__all__ = ["PLACES_APART", "turn_by_slides", "unit_disc"]

_RINGS: Final = 6
_RING: Final = 18  # places in each
PLACES_APART: Final = math.sqrt(math.pi / (_RINGS * _RING))
"""How far places on the unit disc are apart."""


@cache
def unit_disc(closer: int = 1) -> NDArray[np.float64]:
    """Places ``(n, 2)`` spread evenly over a disc of radius one, each for the same area.

    ``closer`` ones are so many times less apart.
    """
    count, each = closer * _RINGS, closer * _RING
    rings = np.sqrt((np.arange(count) + 0.5) / count)
    angles = np.arange(each) * 2 * np.pi / each
    # Every other ring is turned by half a step, so that places do not line up.
    turned = angles[None, :] + (np.arange(count) % 2)[:, None] * np.pi / each
    places = np.stack([np.cos(turned), np.sin(turned)], axis=-1) * rings[:, None, None]
    flat = places.reshape(-1, 2)
    flat.setflags(write=False)
    return flat


def turn_by_slides(places: NDArray[np.float64], axis: NDArray[np.float64]) -> NDArray[np.float64]:
    """The turn about an axis (rad) for a unit slide (m) of each of some places ``(n, 3)``.

    It is that of the rigid motion nearest to all their slides, by least squares.
    """
    out = places - places.mean(axis=0)
    inertia = np.sum(out**2) * np.eye(3) - out.T @ out
    return np.asarray(cross(np.linalg.solve(inertia, axis), out))
