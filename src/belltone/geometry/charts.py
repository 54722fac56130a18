"""From a part's own coordinates to its surface in space.

A chart takes a segment of the profile (0 for plates), one for all places or one for each, and two
coordinates: x and y of a plate; share of the segment and angle (revolved); share of the segment and
distance along x (extruded, lofted). Of a received skin the segment is a piece, and both coordinates
are shares of its sides.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Protocol

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.shapes import Extruded, Lofted, Plate, Revolved, SurfaceShape
from belltone.geometry.skins import Skin
from belltone.vectors import cross

__all__ = ["Chart", "Located", "chart_of"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_ALONG_X: Final = 0.9  # cosine of a normal with x, from where y is the first axis


@dataclass(frozen=True)
class Located:
    """Points in the part's axes, unit normals, and the directions ply angles count from."""

    positions: Array
    normals: Array
    first_axes: Array


class Chart(Protocol):
    """A surface given by two coordinates on each segment."""

    def locate(self, segments: int | IntArray, first: Array, second: Array) -> Located:
        """The surface at coordinates, each ``(n,)``."""


@dataclass(frozen=True)
class PlaneChart:
    """The plane z = 0; ply angles count from x."""

    def locate(self, segments: int | IntArray, first: Array, second: Array) -> Located:
        zero = np.zeros_like(first)
        positions = np.column_stack([first, second, zero])
        return Located(
            positions,
            np.tile([0.0, 0.0, 1.0], (len(first), 1)),
            np.tile([1.0, 0.0, 0.0], (len(first), 1)),
        )


@dataclass(frozen=True)
class RevolvedChart:
    """A profile turned about z; ply angles count from the meridian."""

    shape: Revolved

    def locate(self, segments: int | IntArray, first: Array, second: Array) -> Located:
        places, along = self.shape.profile.at(segments, first)
        radius, height = places.T
        along /= np.linalg.norm(along, axis=1, keepdims=True)
        out = np.column_stack([np.cos(second), np.sin(second), np.zeros_like(second)])
        up = np.array([0.0, 0.0, 1.0])
        return Located(
            radius[:, None] * out + height[:, None] * up,
            along[:, 1:] * out - along[:, :1] * up,
            along[:, :1] * out + along[:, 1:] * up,
        )


@dataclass(frozen=True)
class ExtrudedChart:
    """A profile drawn along x; ply angles count from x."""

    shape: Extruded

    def locate(self, segments: int | IntArray, first: Array, second: Array) -> Located:
        across, along = self.shape.profile.at(segments, first)
        along /= np.linalg.norm(along, axis=1, keepdims=True)
        zero = np.zeros_like(second)
        return Located(
            np.column_stack([second, across]),
            np.column_stack([zero, along[:, 1], -along[:, 0]]),
            np.tile([1.0, 0.0, 0.0], (len(second), 1)),
        )


@dataclass(frozen=True)
class LoftedChart:
    """A wall between two profiles; ply angles count from the direction along the span."""

    shape: Lofted

    def locate(self, segments: int | IntArray, first: Array, second: Array) -> Located:
        shape = self.shape
        share = (second / shape.span)[:, None]
        root, root_slope = shape.profile.at(segments, first)
        tip, tip_slope = shape.profile_at_end.at(segments, first)
        scale = 1 + (shape.taper - 1) * share
        flat = root + share * (tip - root)
        slope = scale * (root_slope + share * (tip_slope - root_slope))
        growth = (shape.taper - 1) * flat + scale * (tip - root)
        flat = scale * flat
        angle = shape.twist * share[:, 0]
        turn = np.stack(
            [
                np.stack([np.cos(angle), -np.sin(angle)], axis=-1),
                np.stack([np.sin(angle), np.cos(angle)], axis=-1),
            ],
            axis=-2,
        )
        sweep = np.array(shape.sweep)
        turned, around, growing = (
            np.einsum("nij,nj->ni", turn, vectors) for vectors in (flat, slope, growth)
        )
        whirled = shape.twist * np.column_stack([-turned[:, 1], turned[:, 0]])
        one = np.ones_like(second)
        along = np.column_stack([one, (growing + whirled + sweep) / shape.span])
        across = np.column_stack([0 * one, around])
        normals = cross(across, along)
        return Located(
            np.column_stack([second, turned + share * sweep]),
            normals / np.linalg.norm(normals, axis=1, keepdims=True),
            along / np.linalg.norm(along, axis=1, keepdims=True),
        )


@dataclass(frozen=True)
class SkinChart:
    """Pieces of a received skin by shares of their sides; first axes as near x as can be."""

    shape: Skin

    def locate(self, segments: int | IntArray, first: Array, second: Array) -> Located:
        places, normals = self.shape.locate(segments, first, second)
        start = np.where(np.abs(normals[:, :1]) < _ALONG_X, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
        axes = start - np.sum(start * normals, axis=1, keepdims=True) * normals
        return Located(places, normals, axes / np.linalg.norm(axes, axis=1, keepdims=True))


def chart_of(shape: SurfaceShape) -> Chart:
    """The chart of a shape."""
    if isinstance(shape, Revolved):
        return RevolvedChart(shape)
    if isinstance(shape, Extruded):
        return ExtrudedChart(shape)
    if isinstance(shape, Lofted):
        return LoftedChart(shape)
    if isinstance(shape, Skin):
        return SkinChart(shape)
    assert isinstance(shape, Plate)
    return PlaneChart()
