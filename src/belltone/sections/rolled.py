"""Sections of rolled and folded profiles, of any mid-line or outline, and by plain numbers.

Areas and second moments of rolled profiles are those of their rectangles, with sharp corners;
torsion, shear factors and the shear centre follow from their mid-lines (`thin_walled`). The shear
factors of the ellipse are from G. R. Cowper, J. Appl. Mech. 33 (1966) 335-340, table 1, its torsion
constant from S. P. Timoshenko and J. N. Goodier, Theory of Elasticity, 3rd ed., art. 106.
"""

from __future__ import annotations

import math
from abc import abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, fields, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.profiles import Profile
from belltone.sections.simple import SectionProperties, SectionShape
from belltone.sections.solid import outline_flows, outline_moments
from belltone.sections.thin_walled import (
    FlowValues,
    WallLine,
    midline_walls,
    wall_flows,
    wall_moments,
)

__all__ = [
    "AngleSection",
    "ChannelSection",
    "Ellipse",
    "ISection",
    "MidlineSection",
    "OutlineSection",
    "StatedSection",
    "TeeSection",
]

Array = NDArray[np.float64]
Box = tuple[float, float, float, float]
"""A rectangle of a section: from y, to y, from z, to z."""

_OUTLINE_POINTS: Final = 32


@dataclass(frozen=True)
class Ellipse(SectionShape):
    """Solid ellipse, ``width`` across and ``height`` up."""

    width: float
    height: float
    shear_factor: float | None = None

    def properties(self, poisson_ratio: float) -> SectionProperties:
        a, b = np.asarray(self.width, float) / 2, np.asarray(self.height, float) / 2
        area = math.pi * a * b
        across, up = (
            np.broadcast_to(
                _ellipse_shear(*pair, poisson_ratio)
                if self.shear_factor is None
                else np.asarray(self.shear_factor),
                area.shape,
            )
            for pair in ((a, b), (b, a))
        )
        torsion = math.pi * a**3 * b**3 / (a**2 + b**2)
        return SectionProperties(
            area,
            area * b**2 / 4,
            area * a**2 / 4,
            torsion,
            across,
            up,
            torsion_peak=2 / (area * np.minimum(a, b)),
            shear_peak_y=4 / (3 * area),
            shear_peak_z=4 / (3 * area),
        )

    def outline(self) -> tuple[Array, Array | None]:
        angles = np.linspace(0, 2 * math.pi, _OUTLINE_POINTS, endpoint=False)
        half = 0.5 * np.array([self.width, self.height])
        return half * np.column_stack([np.cos(angles), np.sin(angles)]), None

    @property
    def depth(self) -> float:
        return max(self.width, self.height)


def _ellipse_shear(along: Array, across: Array, nu: float) -> Array:
    """Cowper's factor for a force along the first semi-axis."""
    a, b = along**2, across**2
    return np.asarray(
        12
        * (1 + nu)
        * a
        * (3 * a + b)
        / ((40 + 37 * nu) * a * a + (16 + 10 * nu) * a * b + nu * b * b)
    )


class _Rolled(SectionShape):
    """A section of rectangles, with the mid-lines its shear runs along."""

    shear_factor: float | None

    @abstractmethod
    def boxes(self) -> list[Box]:
        """Its rectangles, which do not overlap; any origin."""

    @abstractmethod
    def walls(self) -> list[WallLine]:
        """Its mid-lines; the same origin."""

    @abstractmethod
    def corners(self) -> list[tuple[float, float]]:
        """Its outline, counter-clockwise; the same origin."""

    def properties(self, poisson_ratio: float) -> SectionProperties:
        return _one_by_one(self, _rolled_values)

    def outline(self) -> tuple[Array, Array | None]:
        return np.array(self.corners()) - _box_moments(self.boxes())[1], None

    @property
    def depth(self) -> float:
        return float(np.ptp(np.array(self.corners()), axis=0).max())


def _rolled_values(shape: _Rolled) -> tuple[float, ...]:
    area, centre, second = _box_moments(shape.boxes())
    _, line_centre, _ = wall_moments(shape.walls())
    flows = wall_flows(shape.walls(), area).seen_from(centre - line_centre)
    return _values(area, second, flows, shape.shear_factor)


def _values(
    area: float, second: Array, flows: FlowValues, shear_factor: float | None
) -> tuple[float, ...]:
    """In the order of `SectionProperties`."""
    factors = (flows.shear_factor_y, flows.shear_factor_z)
    if shear_factor is not None:
        factors = (shear_factor, shear_factor)
    return (
        area,
        float(second[1, 1]),
        float(second[0, 0]),
        flows.torsion_constant,
        *factors,
        float(second[0, 1]),
        *flows.shear_centre,
        flows.torsion_peak,
        *flows.shear_peaks,
    )


def _box_moments(boxes: list[Box]) -> tuple[float, Array, Array]:
    corners = np.array(boxes)
    low, high = corners[:, [0, 2]], corners[:, [1, 3]]
    size, middle = high - low, 0.5 * (low + high)
    areas = size.prod(axis=1)
    centre = areas @ middle / areas.sum()
    second = np.einsum("b,bi,bj->ij", areas, middle - centre, middle - centre)
    second += np.diag(areas @ size**2 / 12)
    return float(areas.sum()), np.asarray(centre), second


def _one_by_one(
    shape: _Rolled, values: Callable[[_Rolled], tuple[float, ...]]
) -> SectionProperties:
    """Properties of a shape whose dimensions may be arrays, which its formulas cannot take."""
    sizes = {
        field.name: np.asarray(getattr(shape, field.name), float)
        for field in fields(shape)
        if field.name != "shear_factor"
    }
    spread = np.broadcast_arrays(*sizes.values())
    form = spread[0].shape
    known: dict[tuple[float, ...], tuple[float, ...]] = {}
    rows: list[tuple[float, ...]] = []
    for entry in zip(*(array.ravel() for array in spread), strict=True):
        key = tuple(map(float, entry))
        if key not in known:
            here = replace(shape, **dict(zip(sizes, key, strict=True)))
            known[key] = values(here)
        rows.append(known[key])
    return SectionProperties(
        *(np.array(column).reshape(form) for column in zip(*rows, strict=True))
    )


@dataclass(frozen=True)
class ISection(_Rolled):
    """Two flanges of ``width`` and thickness ``flange``, and a ``web`` between them."""

    width: float
    height: float
    web: float
    flange: float
    shear_factor: float | None = None

    def boxes(self) -> list[Box]:
        y, z, w, inner = (
            self.width / 2,
            self.height / 2,
            self.web / 2,
            self.height / 2 - self.flange,
        )
        return [(-y, y, -z, -inner), (-w, w, -inner, inner), (-y, y, inner, z)]

    def walls(self) -> list[WallLine]:
        y, z = self.width / 2, (self.height - self.flange) / 2
        return [
            *(
                WallLine((side * y, level), (0.0, level), self.flange)
                for level in (-z, z)
                for side in (-1, 1)
            ),
            WallLine((0.0, -z), (0.0, z), self.web),
        ]

    def corners(self) -> list[tuple[float, float]]:
        y, z, w, i = self.width / 2, self.height / 2, self.web / 2, self.height / 2 - self.flange
        right = [(y, -z), (y, -i), (w, -i), (w, i), (y, i), (y, z)]
        return [*right, *((-a, b) for a, b in reversed(right))]


@dataclass(frozen=True)
class ChannelSection(_Rolled):
    """A ``web`` upright, and two flanges from it towards positive y."""

    width: float
    height: float
    web: float
    flange: float
    shear_factor: float | None = None

    def boxes(self) -> list[Box]:
        y, z, i = self.width, self.height / 2, self.height / 2 - self.flange
        return [(0.0, y, -z, -i), (0.0, self.web, -i, i), (0.0, y, i, z)]

    def walls(self) -> list[WallLine]:
        z, y = (self.height - self.flange) / 2, self.web / 2
        return [
            WallLine((self.width, -z), (y, -z), self.flange),
            WallLine((y, -z), (y, z), self.web),
            WallLine((y, z), (self.width, z), self.flange),
        ]

    def corners(self) -> list[tuple[float, float]]:
        y, z, w, i = self.width, self.height / 2, self.web, self.height / 2 - self.flange
        return [(0, -z), (y, -z), (y, -i), (w, -i), (w, i), (y, i), (y, z), (0, z)]


@dataclass(frozen=True)
class AngleSection(_Rolled):
    """Two legs of one ``wall``: ``width`` towards positive y and ``height`` towards positive z."""

    width: float
    height: float
    wall: float
    shear_factor: float | None = None

    def boxes(self) -> list[Box]:
        return [(0.0, self.width, 0.0, self.wall), (0.0, self.wall, self.wall, self.height)]

    def walls(self) -> list[WallLine]:
        half = self.wall / 2
        return [
            WallLine((self.width, half), (half, half), self.wall),
            WallLine((half, half), (half, self.height), self.wall),
        ]

    def corners(self) -> list[tuple[float, float]]:
        y, z, w = self.width, self.height, self.wall
        return [(0, 0), (y, 0), (y, w), (w, w), (w, z), (0, z)]


@dataclass(frozen=True)
class TeeSection(_Rolled):
    """A flange of ``width`` and thickness ``flange`` on top, and a ``web`` below it."""

    width: float
    height: float
    web: float
    flange: float
    shear_factor: float | None = None

    def boxes(self) -> list[Box]:
        y, w, low = self.width / 2, self.web / 2, self.height - self.flange
        return [(-y, y, low, self.height), (-w, w, 0.0, low)]

    def walls(self) -> list[WallLine]:
        y, z = self.width / 2, self.height - self.flange / 2
        return [
            WallLine((-y, z), (0.0, z), self.flange),
            WallLine((0.0, z), (y, z), self.flange),
            WallLine((0.0, z), (0.0, 0.0), self.web),
        ]

    def corners(self) -> list[tuple[float, float]]:
        y, w, low, top = self.width / 2, self.web / 2, self.height - self.flange, self.height
        return [(-w, 0), (w, 0), (w, low), (y, low), (y, top), (-y, top), (-y, low), (-w, low)]


@dataclass(frozen=True)
class MidlineSection(SectionShape):
    """A thin wall along a mid-line of lines and arcs, open or closed."""

    profile: Profile
    wall: float
    shear_factor: float | None = None

    def properties(self, poisson_ratio: float) -> SectionProperties:
        walls = midline_walls(self.profile, self.wall)
        area, _, second = wall_moments(walls)
        found = _values(area, second, wall_flows(walls, area), self.shear_factor)
        return SectionProperties(*map(np.asarray, found))

    def outline(self) -> tuple[Array, Array | None]:
        walls = midline_walls(self.profile, self.wall)
        _, centre, _ = wall_moments(walls)
        line = np.array([wall.start for wall in walls])
        if not self.profile.closed:
            line = np.concatenate([line, [walls[-1].stop]])
        one, two = (
            _beside(line - centre, side * self.wall, self.profile.closed) for side in (1, -1)
        )
        if not self.profile.closed:
            return np.concatenate([one, two[::-1]]), None
        # Of two closed lines the longer is the outer one.
        sizes = [
            np.linalg.norm(each - np.roll(each, 1, axis=0), axis=1).sum() for each in (one, two)
        ]
        return (one, two) if sizes[0] > sizes[1] else (two, one)

    @property
    def depth(self) -> float:
        return float(np.ptp(self.outline()[0], axis=0).max())

    @property
    def words(self) -> str:
        return f"{'closed' if self.profile.closed else 'open'} thin-walled section"


def _beside(line: Array, offset: float, closed: bool) -> Array:
    """A line half of ``offset`` to the left, its corners mitred."""
    after = np.roll(line, -1, axis=0) - line
    before = line - np.roll(line, 1, axis=0)
    if not closed:
        after[-1], before[0] = before[-1], after[0]
    sides = [
        np.column_stack([-run[:, 1], run[:, 0]]) / np.linalg.norm(run, axis=1, keepdims=True)
        for run in (before, after)
    ]
    mitre = sides[0] + sides[1]
    size = np.maximum(np.sum(mitre * sides[0], axis=1, keepdims=True), 0.2)
    return np.asarray(line + 0.5 * offset * mitre / size)


@dataclass(frozen=True)
class OutlineSection(SectionShape):
    """Solid inside an outline of straight sides, its corners counter-clockwise."""

    points: tuple[tuple[float, float], ...]
    shear_factor: float | None = None

    def properties(self, poisson_ratio: float) -> SectionProperties:
        area, _, second = outline_moments(self.points)
        found = _values(area, second, outline_flows(self.points), self.shear_factor)
        return SectionProperties(*map(np.asarray, found))

    def outline(self) -> tuple[Array, Array | None]:
        return np.array(self.points) - outline_moments(self.points)[1], None

    @property
    def depth(self) -> float:
        return float(np.ptp(np.array(self.points), axis=0).max())

    @property
    def words(self) -> str:
        return f"solid section of {len(self.points)} corners"


@dataclass(frozen=True)
class StatedSection(SectionShape):
    """A section by its properties alone; it is drawn as a rectangle of the same moments."""

    area: float
    second_moment_y: float
    second_moment_z: float
    torsion_constant: float
    shear_factor_y: float = 5 / 6
    shear_factor_z: float = 5 / 6
    product_moment: float = 0.0
    shear_centre_y: float = 0.0
    shear_centre_z: float = 0.0

    def properties(self, poisson_ratio: float) -> SectionProperties:
        values = [np.asarray(getattr(self, field.name), float) for field in fields(self)]
        return SectionProperties(*np.broadcast_arrays(*values))

    def outline(self) -> tuple[Array, Array | None]:
        width = math.sqrt(12 * self.second_moment_z / self.area)
        height = math.sqrt(12 * self.second_moment_y / self.area)
        half = 0.5 * np.array([width, height])
        return half * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]), None

    @property
    def depth(self) -> float:
        return math.sqrt(12 * max(self.second_moment_y, self.second_moment_z) / self.area)

    @property
    def words(self) -> str:
        return "section by its properties"
