"""Corners of a wall where its motion is far from smooth, and the elements that grow from them."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np

from belltone.design.parts import SurfaceValue
from belltone.geometry.curved_quads import edge_key
from belltone.mesh.blocks import Block, Blocks, EdgeClasses
from belltone.mesh.surface import located

__all__ = ["ends_at_sharp_corners", "sharp_corners"]

Edge = tuple[int, int]

_BLUNT: Final = math.radians(140)  # of wall round a corner; moments at less grow little
_STEP: Final = 1e-5  # of a block
_SMOOTH: Final = math.radians(15)  # so little off half a turn


def ends_at_sharp_corners(
    surface: SurfaceValue, blocks: Blocks, classes: EdgeClasses, held: Mapping[str, bool]
) -> tuple[tuple[int, bool], ...]:
    """Ends of classes, (class, its start), in order, at the `sharp_corners` of a wall."""
    sharp = sharp_corners(surface, blocks, held)
    ends = {
        (number, vertex == edge[0])
        for edge, number in classes.numbers.items()
        for vertex in sharp.intersection(edge)
    }
    return tuple(sorted(ends))


def sharp_corners(
    surface: SurfaceValue, blocks: Blocks, held: Mapping[str, bool]
) -> frozenset[int]:
    """Vertices where bending moments grow without bound.

    ``held`` are the names of edges that are held, and whether they are hinged, so that they may
    turn. Between hinged ones moments grow like r^(a - 2), with a = pi over the angle, and matter
    from a blunt corner on; between clamped ones they do where the corner turns inward (M. L.
    Williams, "Surface stress singularities resulting from various boundary conditions in angular
    corners of plates under bending", Proc. 1st US Natl. Congr. Appl. Mech. (1952) 325-329).
    """
    edges: dict[Edge, bool] = {}
    for name, hinged in held.items():
        for pair in blocks.edges.get(name, ()):
            edges[edge_key(*pair)] = hinged and edges.get(edge_key(*pair), True)
    least: dict[int, float] = {}
    turned: dict[int, float] = {}
    for vertex, uses in Counter(vertex for edge in edges for vertex in edge).items():
        if uses > 1:
            hinges = all(hinged for edge, hinged in edges.items() if vertex in edge)
            least[vertex], turned[vertex] = _BLUNT if hinges else math.pi, 0.0
    met = [
        (block, corner, vertex)
        for block in blocks.blocks
        for corner, vertex in enumerate(block.vertices)
        if vertex in turned
    ]
    for (_, _, vertex), angle in zip(met, _angles(surface, met), strict=True):
        turned[vertex] += angle
    return frozenset(
        vertex
        for vertex, angle in turned.items()
        if angle > least[vertex] and abs(angle - math.pi) > _SMOOTH
    )


def _angles(surface: SurfaceValue, met: Sequence[tuple[Block, int, int]]) -> list[float]:
    """How far blocks reach round their corners of some numbers (rad)."""
    if not met:
        return []
    near = []
    for block, corner, _ in met:
        u, v = float(corner in (1, 2)), float(corner in (2, 3))
        in_u, in_v = u + _STEP * (1 - 2 * u), v + _STEP * (1 - 2 * v)
        near.append((block, np.array([u, in_u, u]), np.array([v, v, in_v])))
    there = located(surface, near)[0].reshape(len(met), 3, 3)
    sides = there[:, 1:] - there[:, :1]
    sides /= np.linalg.norm(sides, axis=2, keepdims=True)
    return [
        float(angle) for angle in np.arccos(np.clip(np.sum(sides[:, 0] * sides[:, 1], 1), -1, 1))
    ]
