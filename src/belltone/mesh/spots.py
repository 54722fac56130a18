"""Where what acts at a point of a wall acts in fact: on a small disc, all of it alike.

In a wall that can shear, a true point gives way without limit. So do a few places round it, as soon
as elements are small enough to tell them from each other: eight of them on a circle as wide as the
wall is thick let the frequencies of a plate on four feet fall by 2 % more, level by level.
"""

from __future__ import annotations

from functools import cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = ["unit_disc"]

_RINGS: Final = 6
_RING: Final = 18  # places in each


@cache
def unit_disc() -> NDArray[np.float64]:
    """Places ``(n, 2)`` spread evenly over a disc of radius one, each for the same area."""
    rings = np.sqrt((np.arange(_RINGS) + 0.5) / _RINGS)
    angles = np.arange(_RING) * 2 * np.pi / _RING
    # Every other ring is turned by half a step, so that places do not line up.
    turned = angles[None, :] + (np.arange(_RINGS) % 2)[:, None] * np.pi / _RING
    places = np.stack([np.cos(turned), np.sin(turned)], axis=-1) * rings[:, None, None]
    flat = places.reshape(-1, 2)
    flat.setflags(write=False)
    return flat
