"""Cross-sections of members: their properties from published formulas.

Dimensions may be arrays (one value for each point along a taper); every property then has the
same shape. y runs across the section (its width), z up (its height); the origin is the centroid.

Shear factors: 5/6 for the rectangle (E. Reissner, J. Appl. Mech. 12, 1945); round, ring and thin
rectangular box after G. R. Cowper, "The shear coefficient in Timoshenko's beam theory",
J. Appl. Mech. 33 (1966) 335-340, table 1. Torsion constants: the rectangle's series from
S. P. Timoshenko and J. N. Goodier, Theory of Elasticity, 3rd ed., art. 109; the hollow rectangle
from EN 10210-2:2006, annex B, with sharp corners.
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from dataclasses import dataclass, fields, replace
from typing import Final, Self

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "RectangularHollow",
    "RoundTube",
    "SectionProperties",
    "SectionShape",
    "SolidRectangle",
    "SolidRound",
]

Array = NDArray[np.float64]

_OUTLINE_POINTS: Final = 32  # round outlines are drawn with so many corners


@dataclass(frozen=True)
class SectionProperties:
    """Area (m²), second moments about y and z (m⁴), torsion constant (m⁴), shear factors.

    ``product_moment`` is the integral of y z (m⁴); the shear centre is from the centroid (m).
    ``torsion_peak`` (1/m³) is the largest shear stress a twisting moment of one brings, and
    ``shear_peak_y`` and ``shear_peak_z`` (1/m²) what a force of one brings; no number where only
    the other properties are known.
    """

    area: Array
    second_moment_y: Array
    second_moment_z: Array
    torsion_constant: Array
    shear_factor_y: Array
    shear_factor_z: Array
    product_moment: Array | float = 0.0
    shear_centre_y: Array | float = 0.0
    shear_centre_z: Array | float = 0.0
    torsion_peak: Array | float = math.nan
    shear_peak_y: Array | float = math.nan
    shear_peak_z: Array | float = math.nan

    def most_shear(self, across: Array, up: Array, twist: Array) -> Array:
        """At most so large is the shear stress (Pa) of forces (N) and a twisting moment (N m).

        Forces act in the centroid; the peaks of all three, wherever they are, are added up.
        """
        about = twist + self.shear_centre_z * across - self.shear_centre_y * up
        return np.asarray(
            np.abs(about) * self.torsion_peak
            + np.abs(across) * self.shear_peak_y
            + np.abs(up) * self.shear_peak_z
        )

    def law(self, youngs_modulus: float, shear_modulus: float) -> Array:
        """Stiffness ``(..., 6, 6)`` on axial strain, shear y and z, twist, curvature y and z.

        Shear forces act at the shear centre and all else at the centroid, which the strains are
        of.
        """
        law = np.zeros((*self.area.shape, 6, 6))
        law[..., 0, 0] = youngs_modulus * self.area
        across = shear_modulus * self.shear_factor_y * self.area
        up = shear_modulus * self.shear_factor_z * self.area
        y, z = self.shear_centre_y, self.shear_centre_z
        law[..., 1, 1], law[..., 2, 2] = across, up
        law[..., 1, 3] = law[..., 3, 1] = -z * across
        law[..., 2, 3] = law[..., 3, 2] = y * up
        law[..., 3, 3] = shear_modulus * self.torsion_constant + z * z * across + y * y * up
        law[..., 4, 4] = youngs_modulus * self.second_moment_y
        law[..., 5, 5] = youngs_modulus * self.second_moment_z
        law[..., 4, 5] = law[..., 5, 4] = -youngs_modulus * self.product_moment
        return law

    def turning(self) -> Array:
        """Second moments ``(..., 3, 3)`` that density makes inertia of, about axis, side and up."""
        turning = np.zeros((*self.area.shape, 3, 3))
        turning[..., 0, 0] = self.second_moment_y + self.second_moment_z
        turning[..., 1, 1] = self.second_moment_y
        turning[..., 2, 2] = self.second_moment_z
        turning[..., 1, 2] = turning[..., 2, 1] = -self.product_moment
        return turning


@dataclass(frozen=True)
class SectionShape(ABC):
    """A section: its dimensions in metres, and a shear factor that replaces the formula's."""

    @abstractmethod
    def properties(self, poisson_ratio: float) -> SectionProperties:
        """Compute the properties; Poisson's ratio enters some shear factors."""

    @abstractmethod
    def outline(self) -> tuple[Array, Array | None]:
        """Return the outer and (hollow sections) inner outline, each ``(n, 2)`` in y, z."""

    @property
    @abstractmethod
    def depth(self) -> float:
        """The larger outer dimension (m)."""

    @property
    def words(self) -> str:
        """What it is, such as ``rectangular hollow section``."""
        name = type(self).__name__
        words = "".join(f" {letter.lower()}" if letter.isupper() else letter for letter in name)
        return words.strip() + ("" if words.endswith("section") else " section")

    def blend(self, other: Self, share: Array) -> Self:
        """Return the section ``share`` of the way to ``other``, all dimensions linear."""
        return replace(
            self,
            **{
                field.name: getattr(self, field.name)
                + share * (getattr(other, field.name) - getattr(self, field.name))
                for field in fields(self)
                if field.name != "shear_factor"
            },
        )


def _factors(given: float | None, computed: Array, like: Array) -> Array:
    return np.broadcast_to(np.asarray(computed if given is None else given, float), like.shape)


@dataclass(frozen=True)
class SolidRectangle(SectionShape):
    """Solid rectangle."""

    width: float
    height: float
    shear_factor: float | None = None

    def properties(self, poisson_ratio: float) -> SectionProperties:
        width, height = np.asarray(self.width, float), np.asarray(self.height, float)
        area = width * height
        shear = _factors(self.shear_factor, np.asarray(5 / 6), area)
        torsion = _rectangle_torsion(width, height)
        return SectionProperties(
            area,
            width * height**3 / 12,
            height * width**3 / 12,
            torsion,
            shear,
            shear,
            torsion_peak=_rectangle_peak(width, height) / torsion,
            shear_peak_y=1.5 / area,
            shear_peak_z=1.5 / area,
        )

    def outline(self) -> tuple[Array, Array | None]:
        return _rectangle(self.width, self.height), None

    @property
    def depth(self) -> float:
        return max(self.width, self.height)


@dataclass(frozen=True)
class SolidRound(SectionShape):
    """Solid circle."""

    diameter: float
    shear_factor: float | None = None

    def properties(self, poisson_ratio: float) -> SectionProperties:
        return _ring(self.diameter, np.zeros(()), poisson_ratio, self.shear_factor)

    def outline(self) -> tuple[Array, Array | None]:
        return _circle(self.diameter), None

    @property
    def depth(self) -> float:
        return self.diameter


@dataclass(frozen=True)
class RoundTube(SectionShape):
    """Circular ring of outer diameter and wall."""

    diameter: float
    wall: float
    shear_factor: float | None = None

    def properties(self, poisson_ratio: float) -> SectionProperties:
        inner = np.asarray(self.diameter - 2 * np.asarray(self.wall), float)
        return _ring(self.diameter, inner, poisson_ratio, self.shear_factor)

    def outline(self) -> tuple[Array, Array | None]:
        return _circle(self.diameter), _circle(self.diameter - 2 * self.wall)

    @property
    def depth(self) -> float:
        return self.diameter


@dataclass(frozen=True)
class RectangularHollow(SectionShape):
    """Rectangular hollow section of even wall, its corners taken as sharp."""

    width: float
    height: float
    wall: float
    shear_factor: float | None = None

    def properties(self, poisson_ratio: float) -> SectionProperties:
        width, height = np.asarray(self.width, float), np.asarray(self.height, float)
        wall = np.asarray(self.wall, float)
        inner_width, inner_height = width - 2 * wall, height - 2 * wall
        area = width * height - inner_width * inner_height
        enclosed = (width - wall) * (height - wall)
        girth = 2 * (width + height - 2 * wall)
        upright = (width * height**3 - inner_width * inner_height**3) / 12
        across = (height * width**3 - inner_height * inner_width**3) / 12
        torsion = wall**3 * girth / 3 + 4 * enclosed**2 * wall / girth
        return SectionProperties(
            area,
            upright,
            across,
            torsion,
            _factors(
                self.shear_factor, _box_shear(height - wall, width - wall, poisson_ratio), area
            ),
            _factors(
                self.shear_factor, _box_shear(width - wall, height - wall, poisson_ratio), area
            ),
            torsion_peak=(2 * enclosed / girth + wall) / torsion,
            shear_peak_y=_box_peak(height - wall, width - wall) / across,
            shear_peak_z=_box_peak(width - wall, height - wall) / upright,
        )

    def outline(self) -> tuple[Array, Array | None]:
        return (
            _rectangle(self.width, self.height),
            _rectangle(self.width - 2 * self.wall, self.height - 2 * self.wall),
        )

    @property
    def depth(self) -> float:
        return max(self.width, self.height)


def _rectangle_torsion(width: Array, height: Array) -> Array:
    """Saint-Venant torsion constant of the rectangle; what the series leaves is below 1e-8."""
    long, short = np.maximum(width, height), np.minimum(width, height)
    orders = np.arange(1, 60, 2).reshape(-1, *([1] * long.ndim))
    series = (np.tanh(orders * math.pi * long / (2 * short)) / orders**5.0).sum(axis=0)
    return np.asarray(long * short**3 / 3 * (1 - 192 / math.pi**5 * short / long * series))


def _rectangle_peak(width: Array, height: Array) -> Array:
    """Shear stress at the middle of the long sides over that of a unit twist per length, m."""
    long, short = np.maximum(width, height), np.minimum(width, height)
    orders = np.arange(1, 60, 2).reshape(-1, *([1] * long.ndim))
    series = 1 / (orders**2 * np.cosh(np.minimum(orders * math.pi * long / (2 * short), 700)))
    return np.asarray(short * (1 - 8 / math.pi**2 * series.sum(axis=0)))


def _box_peak(flange: Array, web: Array) -> Array:
    """First moment of half a thin-walled box over the thickness of both its webs (m²)."""
    return np.asarray((flange * web / 2 + web**2 / 4) / 2)


def _ring(
    diameter: float | Array, inner: Array, poisson_ratio: float, given: float | None
) -> SectionProperties:
    outer = np.asarray(diameter, float)
    inner = np.broadcast_to(inner, outer.shape) if inner.ndim == 0 else inner
    area = math.pi / 4 * (outer**2 - inner**2)
    bending = math.pi / 64 * (outer**4 - inner**4)
    ratio = (inner / outer) ** 2
    nu = poisson_ratio
    cowper = (
        6 * (1 + nu) * (1 + ratio) ** 2 / ((7 + 6 * nu) * (1 + ratio) ** 2 + (20 + 12 * nu) * ratio)
    )
    shear = _factors(given, cowper, area)
    peak = (outer**2 + outer * inner + inner**2) / (12 * bending)
    return SectionProperties(
        area,
        bending,
        bending,
        2 * bending,
        shear,
        shear,
        torsion_peak=outer / (4 * bending),
        shear_peak_y=peak,
        shear_peak_z=peak,
    )


def _box_shear(flange: Array, web: Array, nu: float) -> Array:
    """Cowper's thin-walled box; ``flange`` and ``web`` are mid-line lengths, force along web."""
    n = flange / web
    m = n  # (flange length x flange wall) / (web length x web wall), for an even wall
    return np.asarray(
        10
        * (1 + nu)
        * (1 + 3 * m) ** 2
        / (
            (12 + 72 * m + 150 * m**2 + 90 * m**3)
            + nu * (11 + 66 * m + 135 * m**2 + 90 * m**3)
            + 10 * n**2 * ((3 + nu) * m + 3 * m**2)
        )
    )


def _rectangle(width: float, height: float) -> Array:
    y, z = width / 2, height / 2
    return np.array([[-y, -z], [y, -z], [y, z], [-y, z]])


def _circle(diameter: float) -> Array:
    angles = np.linspace(0, 2 * math.pi, _OUTLINE_POINTS, endpoint=False)
    return diameter / 2 * np.column_stack([np.cos(angles), np.sin(angles)])
