"""Where named sites are in space, without any mesh: points and lines to draw and to pick."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MemberValue, MeshValue, SurfaceValue
from belltone.design.place import Place
from belltone.geometry.curved_quads import edge_key
from belltone.geometry.features import FACE
from belltone.geometry.shapes import Contour, Extruded, Plate, Polygon, Revolved
from belltone.geometry.skins import Skin
from belltone.mesh.blocks import SIDES
from belltone.mesh.plate_rims import rim_curves

__all__ = ["face_outline", "member_lines", "mesh_lines", "on_surface", "wall_lines"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_ON_CURVE = 25  # points along each curve of a line


def member_lines(part: MemberValue, place: Place) -> list[Array]:
    """A point along a member, or all of its axis."""
    if place.feature is None:
        return [part.position(place.along / part.length)[None]]
    return [part.path.at(np.linspace(0.0, 1.0, 4 * _ON_CURVE))[0]]


def wall_lines(part: SurfaceValue, place: Place) -> list[Array]:
    """A site of a plate or shell."""
    shape = part.shape
    if place.feature is None:
        first, second = (np.array([value]) for value in place.at)
        return [on_surface(part, place.segment, first, second)]
    if isinstance(shape, Plate):
        return _plate_lines(part, shape, place.feature)
    if isinstance(shape, Skin):
        return _skin_lines(part, shape, place.feature)
    if isinstance(shape, Revolved):
        depth = shape.angle
    else:
        depth = shape.length if isinstance(shape, Extruded) else shape.span
    share = np.linspace(0.0, 1.0, _ON_CURVE)

    def across(at: float) -> list[Array]:
        far = np.full(_ON_CURVE, at * depth)
        return [on_surface(part, i, share, far) for i in range(len(shape.profile.segments))]

    feature = part.features[place.feature]
    if feature.run is not None:
        along = np.linspace(0.0, depth, 4 * _ON_CURVE)
        segment, at = feature.run
        return [on_surface(part, segment, np.full(len(along), at), along)]
    if feature.across is not None:
        return across(feature.across)
    return [*across(0.0), *across(0.5)]


def mesh_lines(part: MeshValue, place: Place) -> list[Array]:
    """A site of a mesh: its edges in runs, or the middles of its faces."""
    if place.near is not None:
        return [np.array([place.near])]
    if place.feature is not None and place.feature in part.lines:
        return [part.points[run] for run in _runs(part.edges[part.lines[place.feature]])]
    faces = part.faces[part.areas[place.feature or "face"]]
    return [part.points[faces].mean(axis=1)]


def face_outline(part: MeshValue | SurfaceValue, feature: str) -> list[Array]:
    """The lines round a face of a received part, by which it is shown; none if it is closed."""
    if isinstance(part, MeshValue):
        around = _boundary(part.faces[part.areas[feature]])
        return [part.points[run] for run in _runs(around)]
    shape = part.shape
    if not isinstance(shape, Skin):
        return []
    sides = _sides_of(shape, feature)
    return _side_lines(part, [own[0] for own in sides.values() if len(own) == 1])


def _boundary(faces: NDArray[np.intp]) -> NDArray[np.intp]:
    """Edges of one of some faces alone, ``(k, 2)``."""
    ends = np.stack([faces, np.roll(faces, -1, axis=1)], axis=-1).reshape(-1, 2)
    ends = np.sort(ends[ends[:, 0] != ends[:, 1]], axis=1)
    edges, counts = np.unique(ends, axis=0, return_counts=True)
    return np.asarray(edges[counts == 1])


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


def on_surface(part: SurfaceValue, segments: int | IntArray, first: Array, second: Array) -> Array:
    """Points ``(n, 3)`` of the middle surface at chart coordinates (m)."""
    return part.locate(segments, first, second)[0]


def _skin_lines(part: SurfaceValue, shape: Skin, feature: str) -> list[Array]:
    """An edge of a received skin piece by piece, or the middle lines of a face's pieces."""
    if feature in shape.edges:
        sides = _sides_of(shape, FACE)
        return _side_lines(part, [sides[edge_key(*pair)][0] for pair in shape.edges[feature]])
    share = np.linspace(0.0, 1.0, _ON_CURVE)
    half = np.full(_ON_CURVE, 0.5)
    return _on_pieces(part, [(piece, share, half) for piece in _pieces_of(shape, feature)])


def _pieces_of(shape: Skin, feature: str) -> list[int]:
    if feature in shape.names:
        return np.flatnonzero(shape.regions == shape.names.index(feature)).tolist()
    return list(range(len(shape.vertices)))


def _sides_of(shape: Skin, feature: str) -> dict[tuple[int, int], list[tuple[int, int]]]:
    """The sides (piece, side) on each edge of a face's pieces."""
    sides: dict[tuple[int, int], list[tuple[int, int]]] = {}
    for piece in _pieces_of(shape, feature):
        ring = shape.vertices[piece].tolist()
        for side, (a, b) in enumerate(SIDES):
            sides.setdefault(edge_key(ring[a], ring[b]), []).append((piece, side))
    return sides


def _side_lines(part: SurfaceValue, sides: Sequence[tuple[int, int]]) -> list[Array]:
    """Sides (piece, side) of the pieces of a skin."""
    share = np.linspace(0.0, 1.0, _ON_CURVE)
    zero, one = np.zeros(_ON_CURVE), np.ones(_ON_CURVE)
    along = ((share, zero), (one, share), (share, one), (zero, share))
    return _on_pieces(part, [(piece, *along[side]) for piece, side in sides])


def _on_pieces(part: SurfaceValue, runs: Sequence[tuple[int, Array, Array]]) -> list[Array]:
    """Lines on pieces of a skin (piece, u, v), each of as many points."""
    if not runs:
        return []
    pieces, u, v = zip(*runs, strict=True)
    points = on_surface(part, np.repeat(pieces, _ON_CURVE), np.concatenate(u), np.concatenate(v))
    return list(points.reshape(len(runs), _ON_CURVE, 3))


def _plate_lines(part: SurfaceValue, shape: Plate, feature: str) -> list[Array]:
    outline = shape.outline
    if isinstance(outline, Polygon | Contour) and feature in outline.named_corners:
        x, y = outline.named_corners[feature]
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
