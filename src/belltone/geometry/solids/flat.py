"""A face laid out flat: its own coordinates made lengths, so that what is cut there fits it.

The plane's third direction is the face's outward normal. A face that ends in a pole is laid out
round it, by the distance from the pole.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.outlines import between_rims, rim_distance
from belltone.geometry.solids.kernel import BodyFace, CadFileError, EdgeUse

__all__ = ["FlatFace"]

Array = NDArray[np.float64]

_ALONG: Final = 33  # places along each edge of a rim
_GRIDS: Final = (9, 17, 41)  # places across; the next one where too few lie inside
_FEW: Final = 5
_MOST: Final = 40
_CLEAR: Final = 0.02  # of a face's lesser extent; places are so far from its rim
_SAME: Final = 1e-7


@dataclass(frozen=True, eq=False)
class _Pole:
    """A pole where coordinate ``axis`` is ``at``; ``turn`` is where the other one begins."""

    axis: int
    at: float
    turn: float
    side: float


@dataclass(frozen=True, eq=False)
class FlatFace:
    """A face and its plane; ``loops`` leave out poles and the seam that leads to one."""

    face: BodyFace
    loops: tuple[tuple[EdgeUse, ...], ...]
    scale: Array
    mirrored: float
    pole: _Pole | None

    @classmethod
    def of(cls, face: BodyFace) -> FlatFace:
        """Lay a face out; raises `CadFileError` where it has two poles."""
        points = [use for loop in face.loops for use in loop if use.edge < 0]
        pole = None
        loops = face.loops
        if points:
            ends = [use.along(2) for use in points]
            axis = int(np.argmin(np.ptp(ends[0], axis=0)))
            if np.ptp([end[:, axis] for end in ends]) > _SAME * (1 + abs(ends[0][0, axis])):
                raise CadFileError(
                    f"face {face.number + 1} has two poles, as a whole ball has; cut it in halves"
                )
            rim = np.concatenate([use.along(3) for loop in loops for use in loop])
            turn, at = float(rim[:, 1 - axis].min()), float(ends[0][0, axis])
            pole = _Pole(axis, at, turn, 1.0 if rim[:, axis].mean() > at else -1.0)
            loops = tuple(tuple(_without_seam(loop)) for loop in loops)
        rim = np.concatenate([use.along(9) for loop in face.loops for use in loop])
        middle = rim.min(axis=0) + np.ptp(rim, axis=0) * np.array(
            [[x, y] for x in (0.1, 0.5, 0.9) for y in (0.1, 0.5, 0.9)]
        )
        first, second = face.slopes(middle)
        scale = np.sqrt([np.mean(np.sum(each**2, axis=1)) for each in (first, second)])
        mirrored = face.outward
        if pole is not None:
            # Turning by the second coordinate keeps sides where the first shrinks outwards.
            mirrored *= -pole.side if pole.axis == 1 else pole.side
        return cls(face, loops, scale, mirrored, pole)

    def to_flat(self, places: Array) -> Array:
        """The face's own coordinates ``(n, 2)`` to its plane (m)."""
        if self.pole is None:
            flat = places * self.scale
        else:
            pole = self.pole
            radius = np.abs(places[:, pole.axis] - pole.at) * self.scale[pole.axis]
            angle = places[:, 1 - pole.axis]
            flat = radius[:, None] * np.column_stack([np.cos(angle), np.sin(angle)])
        return np.asarray(flat * [self.mirrored, 1.0])

    def to_face(self, flat: Array) -> Array:
        """Places of its plane (m) to the face's own coordinates, ``(n, 2)``."""
        flat = flat * [self.mirrored, 1.0]
        if self.pole is None:
            return np.asarray(flat / self.scale)
        pole = self.pole
        radius = np.hypot(*flat.T) / self.scale[pole.axis]
        angle = np.arctan2(flat[:, 1], flat[:, 0])
        angle = pole.turn + np.mod(angle - pole.turn + _SAME, 2 * math.pi) - _SAME
        found = np.empty_like(flat)
        found[:, pole.axis] = pole.at + pole.side * radius
        found[:, 1 - pole.axis] = angle
        return found

    def at(self, flat: Array) -> Array:
        """Points ``(n, 3)`` at places of the plane (m)."""
        return self.face.at(self.to_face(flat))

    def normals(self, flat: Array) -> Array:
        """Outward unit normals ``(n, 3)`` at places of the plane, at a pole those close by."""
        if self.pole is not None:
            size = np.hypot(*flat.T)
            least = 1e-6 * float(np.abs(self.rims[0]).max())
            flat = np.where((size < least)[:, None], [[least, 0.0]], flat)
        return self.face.normals(self.to_face(flat))

    @cached_property
    def rims(self) -> tuple[Array, ...]:
        """Many points along each loop, the outline first, all counter-clockwise."""
        found = [
            np.concatenate([self.to_flat(use.along(_ALONG))[:-1] for use in loop])
            for loop in self.loops
            if loop
        ]
        if not found:
            raise CadFileError(f"face {self.face.number + 1} has no rim")
        return tuple(rim if _area(rim) > 0 else rim[::-1] for rim in found)

    @cached_property
    def perimeter(self) -> float:
        """Length of all its rims in the plane, roughly (m)."""
        return sum(
            float(np.linalg.norm(rim - np.roll(rim, 1, axis=0), axis=1).sum()) for rim in self.rims
        )

    @property
    def width(self) -> float:
        """Its lesser extent, roughly: that of a strip of its area and perimeter (m)."""
        return 2 * self.face.area / self.perimeter

    @cached_property
    def places(self) -> Array:
        """Some places of the plane well inside the face, ``(n, 2)``."""
        for count in _GRIDS:
            inner = self.grid(count)
            if len(inner) >= _FEW:
                break
        if not len(inner):
            return np.asarray(self.rims[0][:1])
        away = np.min([rim_distance(inner, rim) for rim in self.rims], axis=0)
        clear = away > min(_CLEAR * self.width, 0.5 * float(away.max()))
        inner = inner[clear]
        step = max(1, math.ceil(len(inner) / _MOST))
        return np.asarray(inner[::step])

    def grid(self, count: int) -> Array:
        """Those of ``count`` by ``count`` even places about the face that are on it, ``(n, 2)``."""
        outline = self.rims[0]
        low, high = outline.min(axis=0), outline.max(axis=0)
        share = (np.arange(count) + 0.5) / count
        places = low + np.stack(np.meshgrid(share, share), axis=-1).reshape(-1, 2) * (high - low)
        return np.asarray(places[between_rims(places, self.rims)])


def _without_seam(loop: tuple[EdgeUse, ...]) -> list[EdgeUse]:
    """A loop without what is a mere point, and without edges it runs along twice."""
    numbers = [use.edge for use in loop]
    return [use for use in loop if use.edge >= 0 and numbers.count(use.edge) == 1]


def _area(rim: Array) -> float:
    x, y = rim.T
    return 0.5 * float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))
