"""What blocks of a plate would cost, so that ways of cutting it can be compared before solving."""

from __future__ import annotations

import math
from collections import Counter
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.blocks import ALONG_SIDES, Block, Blocks, side_lengths
from belltone.mesh.plate_blocks import openness

__all__ = ["LAYER", "cost"]

Array = NDArray[np.float64]

LAYER: Final = 3.0  # thicknesses; an element so short shows the edge layer by itself

_TOO_LARGE: Final = 0.5  # of the side of a square of the plate's area
_REGULAR: Final = 3.0  # times less than as many blocks anywhere
_DIVIDED: Final = 10.0  # times the cost, where the largest have to be divided, and more along


def cost(blocks: Blocks, thickness: float, regular: bool = False) -> float:
    """About in proportion to the unknowns that a dozen modes need on the blocks of a plate.

    Those are as many as there are elements, those beside rims too, times the square of the order,
    which grows with the size of the largest, as a share of the plate's. Fitted to climbs on fifteen
    plates with holes and corners, thick and thin, cut in up to twenty ways each. A few ``regular``
    blocks round one hole are divided to good use, the less the further they lean over.
    """
    sides = np.array([_mean_sides(block) for block in blocks.blocks])
    largest = float(np.max(np.sum(sides**2, axis=1)))
    area = float(np.sum(sides[:, 0] * sides[:, 1]))
    whole = _elements(blocks, sides, thickness) * largest / area
    if regular:
        return whole / (_REGULAR * openness(blocks))
    return whole * (1.0 if largest <= _TOO_LARGE**2 * area else _DIVIDED)


def _mean_sides(block: Block) -> tuple[float, float]:
    """Mean lengths of both pairs of opposite sides (m)."""
    south, east, north, west = side_lengths(block.chart(*ALONG_SIDES)).tolist()
    return 0.5 * (south + north), 0.5 * (east + west)


def _elements(blocks: Blocks, sides: Array, thickness: float) -> int:
    """How many elements there are where each block is one, but for those along rims."""
    classes = blocks.edge_classes()
    groups = [
        [classes.of(block.vertices[a], block.vertices[b])[0] for a, b in ((0, 1), (0, 3))]
        for block in blocks.blocks
    ]
    lengths: dict[int, list[float]] = {}
    for group, length in zip(np.ravel(groups).tolist(), sides.ravel().tolist(), strict=True):
        lengths.setdefault(group, []).append(length)
    narrow = {group for group, own in lengths.items() if np.mean(own) <= LAYER * thickness}
    beside = Counter(group for group, _ in classes.rims)
    return sum(
        math.prod(
            1 if group in narrow or group in classes.two_way else 1 + beside[group]
            for group in pair
        )
        for pair in groups
    )
