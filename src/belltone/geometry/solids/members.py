"""Bodies that are bars: round and rectangular ones, tubes, and what a lathe turns."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.solids.kernel import BodyFace, Solid
from belltone.vectors import cross

__all__ = ["BarNote", "bar_of"]

Array = NDArray[np.float64]
Triple = tuple[float, float, float]

_SAME: Final = 1e-6  # of a body's size
_LONG: Final = 3.0  # times its depth, from where a bar is a member


@dataclass(frozen=True)
class BarNote:
    """A bar from ``start`` to ``stop`` (m): ``round``, ``tube``, ``rectangular`` or ``turned``.

    ``sizes`` are the diameter; diameter and wall; width and height; or pairs of distance along the
    axis and radius. ``up`` is the way its height points.
    """

    sort: str
    start: Triple
    stop: Triple
    up: Triple
    sizes: tuple[float, ...]

    @classmethod
    def of(cls, data: Mapping[str, Any] | None) -> BarNote | None:
        """The note that was kept."""
        if data is None:
            return None
        start, stop, up, sizes = (tuple(data[key]) for key in ("start", "stop", "up", "sizes"))
        return cls(data["sort"], start, stop, up, sizes)


def bar_of(solid: Solid) -> BarNote | None:
    """The bar a body is, or ``None``."""
    if not solid.closed:
        return None
    return _rectangular(solid) or _turned(solid)


def _rectangular(solid: Solid) -> BarNote | None:
    if len(solid.faces) != 6 or any(face.sort != "plane" for face in solid.faces):
        return None
    normals = np.array([_normal(face) for face in solid.faces])
    axes = [normals[0]]
    for normal in normals[1:]:
        if all(abs(float(normal @ axis)) < _SAME for axis in axes):
            axes.append(normal)
    if len(axes) != 3 or not np.allclose(np.abs(normals @ np.array(axes).T).max(axis=1), 1.0):
        return None
    frame = np.array(axes)
    places = solid.vertices @ frame.T
    low, high = places.min(axis=0), places.max(axis=0)
    extent = high - low
    order = np.argsort(extent)
    depth, width, length = extent[order]
    if length < _LONG * width:
        return None
    middle = 0.5 * (low + high) @ frame
    half = 0.5 * length * frame[order[2]]
    up = frame[order[0]]
    return BarNote(
        "rectangular", _triple(middle - half), _triple(middle + half), _triple(up), (width, depth)
    )


def _turned(solid: Solid) -> BarNote | None:
    """Cylinders, cones and flat ends about one axis."""
    round_faces = [face for face in solid.faces if face.sort in ("cylinder", "cone")]
    flat = [face for face in solid.faces if face.sort == "plane"]
    if not round_faces or len(round_faces) + len(flat) != len(solid.faces) or len(flat) < 2:
        return None
    axis = np.array(_normal(flat[0]))
    if any(abs(abs(float(axis @ _normal(face))) - 1.0) > _SAME for face in flat):
        return None
    edges = [edge for edge in solid.edges if edge.curve is not None]
    rings = [edge for edge in edges if edge.ends[0] == edge.ends[1]]
    if not rings:
        return None
    middle = rings[0].at(rings[0].breaks(16))[:-1].mean(axis=0)
    lengths: list[list[tuple[float, float]]] = []
    bores: set[float] = set()
    for face in round_faces:
        rim = [
            solid.edges[use.edge]
            for loop in face.loops
            for use in loop
            if use.edge >= 0 and solid.edges[use.edge].ends[0] == solid.edges[use.edge].ends[1]
        ]
        if len(rim) != 2:
            return None
        stations = []
        for edge in rim:
            points = edge.at(edge.breaks(16))[:-1] - middle
            along = points @ axis
            radius = np.linalg.norm(points - along[:, None] * axis, axis=1)
            if np.ptp(along) + np.ptp(radius) > 1e-4 * solid.size:
                return None
            stations.append((float(along.mean()), float(radius.mean())))
        if _outwards(face, axis, middle):
            lengths.append(sorted(stations))
        else:
            bores |= {round(radius, 9) for _, radius in stations}
    if not lengths:
        return None
    outer = [station for piece in sorted(lengths, key=_along) for station in piece]
    low, high = outer[0][0], outer[-1][0]
    radii = {round(radius, 9) for _, radius in outer}
    length = high - low
    if length < _LONG * max(radii):
        return None
    ends = _triple(middle + low * axis), _triple(middle + high * axis)
    up = _triple(cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))]))
    if bores:
        if len(bores) > 1 or len(radii) > 1:
            return None
        outside, inside = max(radii), max(bores)
        return BarNote("tube", *ends, up, (2 * outside, outside - inside))
    if len(radii) == 1:
        return BarNote("round", *ends, up, (2 * max(radii),))
    return BarNote(
        "turned", *ends, up, tuple(v for at, radius in outer for v in (at - low, radius))
    )


def _along(piece: list[tuple[float, float]]) -> float:
    """Orders pieces along the axis."""
    return sum(at for at, _ in piece)


def _outwards(face: BodyFace, axis: Array, middle: Array) -> bool:
    place = np.concatenate([each.along(3) for loop in face.loops for each in loop]).mean(axis=0)
    point, normal = face.at(place[None])[0] - middle, face.normals(place[None])[0]
    return float((point - (point @ axis) * axis) @ normal) > 0


def _normal(face: BodyFace) -> Array:
    place = face.loops[0][0].along(3)[1:2]
    return np.asarray(face.normals(place)[0])


def _triple(point: Array) -> Triple:
    x, y, z = (round(float(each), 12) + 0.0 for each in point)
    return x, y, z
