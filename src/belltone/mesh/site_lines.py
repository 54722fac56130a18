"""Where named sites are in space, without any mesh: points and lines to draw and to pick."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import (
    Design,
    MemberValue,
    MeshValue,
    PartValue,
    Place,
    PointValue,
    SurfaceValue,
)
from belltone.geometry.shapes import Extruded, Plate, Polygon, Revolved
from belltone.mesh.plate_blocks import rim_curves

__all__ = ["location", "on_surface", "place_lines", "place_position"]

Array = NDArray[np.float64]

_ON_CURVE = 25  # points along each curve of a line


def location(design: Design, place: Place) -> Array:
    """The middle of a site (m)."""
    return place_position(design.part_of(place.part), place)


def place_position(part: PartValue, place: Place) -> Array:
    """The middle of a site of a part (m)."""
    if isinstance(part, PointValue):
        return part.position
    if isinstance(part, MemberValue) and place.feature is None:
        return part.position(place.along / part.length)
    lines = place_lines(part, place)
    if len(lines) == 1 and len(lines[0]) > 2 and not np.allclose(lines[0][0], lines[0][-1]):
        return np.asarray(lines[0][len(lines[0]) // 2])
    return np.asarray(np.concatenate(lines).mean(axis=0))


def place_lines(part: PartValue, place: Place) -> list[Array]:
    """A site as lines of points ``(k, 3)`` (m): one point for a corner, many along an edge."""
    if isinstance(part, PointValue):
        return [part.position[None]]
    if isinstance(part, MemberValue):
        if place.feature is None:
            return [part.position(place.along / part.length)[None]]
        return [part.path.at(np.linspace(0.0, 1.0, 4 * _ON_CURVE))[0]]
    if isinstance(part, MeshValue):
        return _mesh_lines(part, place)
    shape = part.shape
    if place.feature is None:
        first, second = (np.array([value]) for value in place.at)
        return [on_surface(part, place.segment, first, second)]
    if isinstance(shape, Plate):
        return _plate_lines(part, shape, place.feature)
    count = len(shape.profile.segments)
    share = np.linspace(0.0, 1.0, _ON_CURVE)
    across = [on_surface(part, i, share, np.zeros(_ON_CURVE)) for i in range(count)]
    if isinstance(shape, Revolved):
        depth = shape.angle
    else:
        depth = shape.length if isinstance(shape, Extruded) else shape.span
    far = np.full(_ON_CURVE, depth)
    along = np.linspace(0.0, depth, 4 * _ON_CURVE)

    def run(segment: int, at: float) -> list[Array]:
        return [on_surface(part, segment, np.full(len(along), at), along)]

    feature = place.feature
    if feature == "face":
        return [*across, *[on_surface(part, i, share, far / 2) for i in range(count)]]
    if isinstance(shape, Revolved):
        if feature == "start":
            return run(0, 0.0)
        if feature == "end":
            return run(count - 1, 1.0)
        if feature.startswith("ring "):
            return run(int(feature.split()[1]), 0.0)
        if feature == "first side":
            return across
        return [on_surface(part, i, share, far) for i in range(count)]
    if feature == "start":
        return across
    if feature == "end":
        return [on_surface(part, i, share, far) for i in range(count)]
    if feature == "first side":
        return run(0, 0.0)
    if feature == "last side":
        return run(count - 1, 1.0)
    return run(int(feature.split()[1]), 0.0)


def _mesh_lines(part: MeshValue, place: Place) -> list[Array]:
    """A site of a mesh: its edges in runs, or the middles of its faces."""
    if place.near is not None:
        return [np.array([place.near])]
    if place.feature is not None and place.feature in part.lines:
        return [part.points[run] for run in _runs(part.edges[part.lines[place.feature]])]
    faces = part.faces[part.areas[place.feature or "face"]]
    return [part.points[faces].mean(axis=1)]


def _runs(edges: NDArray[np.intp]) -> list[list[int]]:
    """Edges put end to end as far as they go."""
    after: dict[int, list[int]] = {}
    for a, b in edges.tolist():
        after.setdefault(a, []).append(b)
        after.setdefault(b, []).append(a)
    left = {(min(a, b), max(a, b)) for a, b in edges.tolist()}
    runs: list[list[int]] = []
    while left:
        # A run starts at a loose end where there is one, so that it is as long as can be.
        start = next((a for pair in left for a in pair if len(after[a]) == 1), min(left)[0])
        run = [start]
        while True:
            here = run[-1]
            ahead = [b for b in after[here] if (min(here, b), max(here, b)) in left]
            if not ahead:
                break
            left.discard((min(here, ahead[0]), max(here, ahead[0])))
            run.append(ahead[0])
        if len(run) > 1:
            runs.append(run)
        else:
            pair = min(left)
            left.discard(pair)
            runs.append(list(pair))
    return runs


def on_surface(part: SurfaceValue, segment: int, first: Array, second: Array) -> Array:
    """Points ``(n, 3)`` of the middle surface at chart coordinates (m)."""
    return part.locate(segment, first, second)[0]


def _plate_lines(part: SurfaceValue, shape: Plate, feature: str) -> list[Array]:
    outline = shape.outline
    if isinstance(outline, Polygon) and feature in outline.corner_names:
        x, y = outline.corners[outline.corner_names.index(feature)]
        return [on_surface(part, 0, np.array([x]), np.array([y]))]
    share = np.linspace(0.0, 1.0, _ON_CURVE)
    loops = rim_curves(shape)
    if feature in ("outline", "face"):
        wanted = [curve for _, curve in loops[0]]
    else:
        wanted = [curve for loop in loops for name, curve in loop if name == feature]
    lines = [on_surface(part, 0, *curve.position(share).T) for curve in wanted]
    closed = len(lines) > 1 and math.dist(lines[0][0], lines[-1][-1]) < 1e-9
    return [np.concatenate(lines)] if closed else lines
