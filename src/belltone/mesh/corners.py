"""Corners of a wall where its motion is far from smooth, and the elements that grow from them."""

from __future__ import annotations

import math
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
_SMALL: Final = 1.0  # thicknesses, of elements where moments grow nearly like 1/r
_LARGER: Final = 5.0  # the same where they grow about like r^(-1/2); measured
_STEP: Final = 1e-5  # of a block
_SMOOTH: Final = math.radians(15)  # so little off half a turn


def ends_at_sharp_corners(
    surface: SurfaceValue, blocks: Blocks, classes: EdgeClasses, held: Mapping[str, bool]
) -> tuple[tuple[int, bool, float], ...]:
    """Ends of classes, (class, its start, size), in order, at the `sharp_corners` of a wall."""
    sharp = sharp_corners(surface, blocks, held)
    ends: dict[tuple[int, bool], float] = {}
    for edge, number in classes.numbers.items():
        for vertex in sharp.keys() & edge:
            end = number, vertex == edge[0]
            ends[end] = min(sharp[vertex], ends.get(end, math.inf))
    return tuple(sorted((*end, size) for end, size in ends.items()))


def sharp_corners(
    surface: SurfaceValue, blocks: Blocks, held: Mapping[str, bool]
) -> dict[int, float]:
    """Vertices where bending moments grow without bound, and the size elements begin with there.

    That is in thicknesses of the wall.

    ``held`` are the names of edges that are held, and whether they are hinged, so that they may
    turn. Between hinged ones moments grow like r^(a - 2), with a = pi over the angle, and matter
    from a blunt corner on; between clamped ones they do where the corner turns inward; where an
    edge is held no further, or otherwise, they grow like r^(-1/2) on a straight edge already (M. L.
    Williams, "Surface stress singularities resulting from various boundary conditions in angular
    corners of plates under bending", Proc. 1st US Natl. Congr. Appl. Mech. (1952) 325-329).
    """
    edges: dict[Edge, bool] = {}
    for name, hinged in held.items():
        for pair in blocks.edges.get(name, ()):
            edges[edge_key(*pair)] = hinged and edges.get(edge_key(*pair), True)
    meeting: dict[int, list[bool]] = {}
    for edge, hinged in edges.items():
        for vertex in edge:
            meeting.setdefault(vertex, []).append(hinged)
    met = [
        (block, corner, vertex)
        for block in blocks.blocks
        for corner, vertex in enumerate(block.vertices)
        if vertex in meeting
    ]
    turned = dict.fromkeys(meeting, 0.0)
    for (_, _, vertex), angle in zip(met, _angles(surface, met), strict=True):
        turned[vertex] += angle
    sizes = {vertex: _size(angle, meeting[vertex]) for vertex, angle in turned.items()}
    return {vertex: size for vertex, size in sizes.items() if size}


def _size(angle: float, hinged: Sequence[bool]) -> float:
    """Of elements where held edges meet, or one ends; none where moments have a bound."""
    if len(hinged) == 1 or len(set(hinged)) > 1:
        return _LARGER if angle > _BLUNT else 0.0
    if abs(angle - math.pi) < _SMOOTH:
        return 0.0
    if hinged[0]:
        return _SMALL if angle > _BLUNT else 0.0
    return _LARGER if angle > math.pi else 0.0


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
