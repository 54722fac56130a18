"""The rims of plates as curves and as points along them, and what of seams lies between them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.profiles import Arc, Line
from belltone.geometry.seams import Seam, stretches
from belltone.geometry.shapes import (
    SIDE_NAMES,
    Contour,
    ContourHole,
    Disc,
    Hole,
    Outline,
    Plate,
    Polygon,
    RoundHole,
)

__all__ = [
    "Named",
    "circle_arcs",
    "even_size",
    "rim_curves",
    "rim_points",
    "rims",
    "seam_stretches",
]

Array = NDArray[np.float64]
Named = tuple[str, Line | Arc]

_SAMPLES: Final = 17
_TRIANGLES: Final = 14  # aimed at over the area when a mesh of triangles is made
_SHORT_OF_RIMS: Final = 0.2  # of the spacing; so far from a rim a seam that reaches it ends


def rim_curves(plate: Plate) -> list[list[Named]]:
    """The outline, then each hole, as named curves end to end, all counter-clockwise."""
    outline = plate.outline
    loops = [_outline_curves(outline)]
    if isinstance(outline, Disc) and outline.bore:
        loops.append([("bore", arc) for arc in circle_arcs((0.0, 0.0), outline.bore)])
    return loops + [[(hole.name, curve) for curve in _hole_curves(hole)] for hole in plate.holes]


def circle_arcs(centre: tuple[float, float], radius: float) -> list[Arc]:
    """A circle as four arcs, counter-clockwise from the lower left."""
    start = -0.75 * math.pi
    return [
        Arc(centre, radius, start + quarter * math.pi / 2, start + (quarter + 1) * math.pi / 2)
        for quarter in range(4)
    ]


def rim_points(plate: Plate) -> list[list[Array]]:
    """The curves of all rims as points along them."""
    return [
        [curve.position(np.linspace(0, 1, _SAMPLES)) for _, curve in loop]
        for loop in rim_curves(plate)
    ]


def rims(plate: Plate) -> list[Array]:
    """Points ``(n, 2)`` along the outline and along each hole, all counter-clockwise (m)."""
    return [np.concatenate([curve[:-1] for curve in loop]) for loop in rim_points(plate)]


def seam_stretches(plate: Plate, seams: Sequence[Seam]) -> list[Array]:
    """What of seams lies within a plate, those that reach a rim ending short of it."""
    return stretches(seams, rims(plate), _SHORT_OF_RIMS * even_size(plate))


def even_size(plate: Plate) -> float:
    """The size of triangles of which there are as many over a plate as are aimed at (m)."""
    return math.sqrt(2.3 * _area(plate) / _TRIANGLES)


def _area(plate: Plate) -> float:
    total = 0.0
    for place, loop in enumerate(rim_curves(plate)):
        points = np.concatenate([c.position(np.linspace(0, 1, _SAMPLES))[:-1] for _, c in loop])
        x, y = points.T
        area = 0.5 * abs(float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1))))
        total += area if place == 0 else -area
    return total


def _outline_curves(outline: Outline) -> list[Named]:
    if isinstance(outline, Disc):
        return [("rim", arc) for arc in circle_arcs((0.0, 0.0), outline.radius)]
    if isinstance(outline, Contour):
        return list(zip(outline.side_names, outline.segments, strict=True))
    if isinstance(outline, Polygon):
        ends = outline.corners[1:] + outline.corners[:1]
        return [
            (name, Line(start, stop))
            for name, start, stop in zip(outline.side_names, outline.corners, ends, strict=True)
        ]
    x, y, r = 0.5 * outline.width - outline.radius, 0.5 * outline.height - outline.radius, 0.0
    r = outline.radius
    lines = [
        Line((-x, -y - r), (x, -y - r)),
        Line((x + r, -y), (x + r, y)),
        Line((x, y + r), (-x, y + r)),
        Line((-x - r, y), (-x - r, -y)),
    ]
    arcs = [
        Arc(centre, r, (quarter - 1) * math.pi / 2, quarter * math.pi / 2)
        for quarter, centre in enumerate([(x, -y), (x, y), (-x, y), (-x, -y)])
    ]
    curves: list[Named] = []
    for name, line, arc in zip(SIDE_NAMES, lines, arcs, strict=True):
        if line.length > 1e-9 * r:
            curves.append((name, line))
        curves.append(("", arc))
    return curves


def _hole_curves(hole: Hole) -> Sequence[Line | Arc]:
    if isinstance(hole, RoundHole):
        return circle_arcs(hole.centre, hole.radius)
    if isinstance(hole, ContourHole):
        return hole.rim.segments
    corners = [(float(x), float(y)) for x, y in hole.corners]
    return [
        Line(start, stop) for start, stop in zip(corners, corners[1:] + corners[:1], strict=True)
    ]
