"""A sheet with every value worked out: plain numbers in SI units, ready to be discretised."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from belltone.sheet.errors import Finding
from belltone.sheet.sections import SectionShape
from belltone.sheet.units import Dimension, si_to_text

__all__ = [
    "BandValue",
    "Design",
    "KnobValue",
    "MassValue",
    "MaterialValue",
    "MemberValue",
    "Place",
    "SupportValue",
]

Array = NDArray[np.float64]


@dataclass(frozen=True)
class KnobValue:
    """A knob: its value and range in ``unit``, the unit its author wrote."""

    name: str
    value: float
    unit: str
    start: float | None
    stop: float | None
    literal: bool

    @property
    def range(self) -> tuple[float, float]:
        """The stated range, or half to twice the value where none is stated."""
        if self.start is not None and self.stop is not None:
            return self.start, self.stop
        low, high = sorted((self.value / 2, self.value * 2))
        return (low if self.start is None else self.start, high if self.stop is None else self.stop)

    def text(self, value: float | None = None, digits: int = 6) -> str:
        """Write the value, or another value of this knob, with its unit."""
        number = self.value if value is None else value
        return f"{_short(number, digits)} {self.unit}".strip()

    def exact_text(self, value: float) -> str:
        """Write a value so that reading it back gives the very same number."""
        return f"{value!r} {self.unit}".strip()


def _short(value: float, digits: int) -> str:
    return si_to_text(value, Dimension("number", "", ("",)), "", digits)


@dataclass(frozen=True)
class MaterialValue:
    """Isotropic material: density (kg/m³), Young's modulus (Pa), Poisson's ratio."""

    name: str
    density: float
    youngs_modulus: float
    poisson_ratio: float

    @property
    def shear_modulus(self) -> float:
        """E / (2 (1 + nu)), in Pa."""
        return self.youngs_modulus / (2 * (1 + self.poisson_ratio))


@dataclass(frozen=True)
class MemberValue:
    """A straight member from ``start`` to ``stop`` (m); ``frame`` rows: axis, side, up."""

    name: str
    start: Array
    stop: Array
    frame: Array
    section: SectionShape
    section_at_end: SectionShape
    material: MaterialValue

    @property
    def length(self) -> float:
        """Distance between the two points (m)."""
        return float(np.linalg.norm(self.stop - self.start))

    @property
    def tapered(self) -> bool:
        """Whether the two end sections differ."""
        return self.section != self.section_at_end

    def section_at(self, share: Array) -> SectionShape:
        """The section at ``share`` (0 to 1) of the length, as one shape of arrays."""
        return self.section.blend(self.section_at_end, np.asarray(share, float))

    @property
    def section_words(self) -> str:
        """The section in words, such as ``rectangular hollow section``."""
        name = type(self.section).__name__
        words = "".join(f" {letter.lower()}" if letter.isupper() else letter for letter in name)
        return f"{words.strip()} section"

    @property
    def mass(self) -> float:
        """Mass (kg); two-point Gauss integration is exact for linearly tapered dimensions."""
        share = 0.5 + np.array([-0.5, 0.5]) / np.sqrt(3.0)
        area = self.section_at(share).properties(self.material.poisson_ratio).area
        return float(self.material.density * self.length * np.mean(area))


@dataclass(frozen=True)
class Place:
    """Where a site is: its part and the distance along the part's axis (m)."""

    site: str
    part: str
    along: float


@dataclass(frozen=True)
class SupportValue:
    """A support: the rows of ``directions`` (k, 6) are the held motions, translations first.

    The rows of ``spring_directions`` (s, 6) are those on springs of ``spring_stiffness`` (s,), in
    N/m along a slide and N m/rad about a turn.
    """

    name: str
    place: Place
    directions: Array
    words: str
    spring_directions: Array
    spring_stiffness: Array

    @property
    def holds(self) -> bool:
        """Whether it holds anything at all."""
        return len(self.directions) + len(self.spring_directions) > 0

    @property
    def spring_matrix(self) -> Array:
        """Stiffness (6, 6) of its springs on the motions of the site."""
        return np.asarray(
            (self.spring_directions.T * self.spring_stiffness) @ self.spring_directions
        )


@dataclass(frozen=True)
class MassValue:
    """A rigid body: mass (kg), inertia about its centre (kg m², x y z), centre offset (m)."""

    name: str
    place: Place
    mass: float
    inertia: tuple[float, float, float]
    offset: tuple[float, float, float]


@dataclass(frozen=True)
class BandValue:
    """An excitation band in Hz; ``low == high`` for a steady source."""

    name: str
    low: float
    high: float


@dataclass(frozen=True)
class Design:
    """Everything a solution needs, in SI units, and what looked odd on the way.

    ``fixed`` holds divisions and order where the sheet states them instead of an accuracy.
    """

    members: tuple[MemberValue, ...]
    places: Mapping[str, Place]
    supports: tuple[SupportValue, ...]
    masses: tuple[MassValue, ...]
    bands: tuple[BandValue, ...]
    margin: float
    accuracy: float
    fixed: tuple[int, int] | None
    count: int
    up_to: float | None
    knobs: Mapping[str, KnobValue]
    warnings: tuple[Finding, ...] = field(default=())

    @property
    def highest_excitation(self) -> float | None:
        """Upper end of the highest band with its margin (Hz), or ``None`` without bands."""
        if not self.bands:
            return None
        return max(band.high for band in self.bands) * (1 + self.margin)

    def location(self, place: Place) -> Array:
        """The place in space (m)."""
        member = next(part for part in self.members if part.name == place.part)
        return np.asarray(member.start + place.along * member.frame[0])
