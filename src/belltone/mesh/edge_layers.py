"""Where curved walls bend within a narrow layer beside an edge, and elements as narrow as that.

Beside a fold, or an edge another wall is joined to, a curved wall takes up moments over a length of
about sqrt(R t), R its radius along the edge and t its thickness (S. Timoshenko and S.
Woinowsky-Krieger, "Theory of Plates and Shells", 2nd ed. 1959, section 114: they fade like
exp(-1.3 x / sqrt(R t))). Elements many times longer do not see it, however high their order: the
modes of a flange stand 3 % too high.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence, Set
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import SurfaceValue
from belltone.geometry.curved_quads import edge_key
from belltone.geometry.shapes import Plate
from belltone.mesh.blocks import AWAY, SIDES, Block, Blocks, EdgeClasses
from belltone.mesh.discretisation import GROWTH
from belltone.mesh.surface import located

__all__ = ["ends_at_folds"]

Array = NDArray[np.float64]
Edge = tuple[int, int]

_WIDTH: Final = 2.5  # of sqrt(R t); so far out a twentieth of the moment is left
_LONG: Final = 3.0  # times the layer; shorter elements show it by their order
_TIGHT: Final = 0.5  # of the layer; a bend so short is as good as a fold
_ALONG: Final = np.array([0.45, 0.5, 0.55])  # of an edge, where its curvature is told


def ends_at_folds(
    surface: SurfaceValue,
    blocks: Blocks,
    classes: EdgeClasses,
    lengths: Sequence[float],
    joined: Collection[str] = (),
) -> tuple[tuple[int, bool, float], ...]:
    """Ends of classes, (class, its start, size in thicknesses), in order, where layers begin.

    ``lengths`` are those of the edges of each class (m), ``joined`` the names of edges that other
    walls are joined to. A bend much tighter than the layer counts as a fold.
    """
    if isinstance(surface.shape, Plate):
        return ()
    sharp = blocks.folds | {
        edge_key(*pair) for name in joined for pair in blocks.edges.get(name, ())
    }
    met = _met(blocks, classes, lengths, sharp)
    thickness = surface.thickness.mean
    ends: dict[tuple[int, bool], float] = {}
    for (block, side, bend), bent in zip(met, _curvatures(surface, met), strict=True):
        layer = _WIDTH * math.sqrt(thickness / bent) if bent > 0 else math.inf
        for end in _away(block, side, classes):
            if bend < _TIGHT * layer and _LONG * layer < lengths[end[0]]:
                size = layer / thickness / (GROWTH if end in classes.rims else 1.0)
                ends[end] = min(size, ends.get(end, math.inf))
    return tuple(sorted((*end, size) for end, size in ends.items()))


def _met(
    blocks: Blocks, classes: EdgeClasses, lengths: Sequence[float], sharp: Set[Edge]
) -> list[tuple[Block, int, float]]:
    """Sides of blocks at sharp edges and bends, and how long the bend is (m), zero where sharp."""
    at: dict[Edge, list[tuple[Block, int]]] = {}
    for block in blocks.blocks:
        for side, (a, b) in enumerate(SIDES):
            at.setdefault(edge_key(block.vertices[a], block.vertices[b]), []).append((block, side))
    found: list[tuple[Block, int, float]] = []
    for key, both in at.items():
        for block, side in both:
            if key in sharp:
                found.append((block, side, 0.0))
                continue
            found += [
                (block, side, min(lengths[end] for end, _ in _away(*other, classes)))
                for other in both
                if other[0].segment != block.segment
            ]
    return found


def _away(block: Block, side: int, classes: EdgeClasses) -> list[tuple[int, bool]]:
    """The classes of the sides that lead away from one, and whether they start on it."""
    return [classes.of(block.vertices[a], block.vertices[b]) for a, b in AWAY[side]]


def _curvatures(surface: SurfaceValue, met: Sequence[tuple[Block, int, float]]) -> Array:
    """How far the wall is bent (1/m) along sides of blocks, at their middle."""
    if not met:
        return np.zeros(0)
    still = np.zeros(len(_ALONG))
    along = ((_ALONG, still), (still + 1, _ALONG), (_ALONG, still + 1), (still, _ALONG))
    there = located(surface, [(block, *along[side]) for block, side, _ in met])
    (start, _, stop), (before, _, after) = (
        each.reshape(len(met), len(_ALONG), 3).transpose(1, 0, 2) for each in there[:2]
    )
    run = stop - start
    return np.asarray(np.abs(np.sum((after - before) * run, axis=1)) / np.sum(run**2, axis=1))
