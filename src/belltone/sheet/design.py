"""A sheet with every value worked out: plain numbers in SI units, ready to be discretised."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from belltone.sheet.errors import Finding
from belltone.sheet.sections import SectionShape
from belltone.sheet.shapes import SurfaceShape, extent_of, features, thickness_share
from belltone.sheet.units import Dimension, si_to_text
from belltone.sheet.walls import LayupValue

__all__ = [
    "BandValue",
    "Design",
    "KnobValue",
    "MassValue",
    "MaterialValue",
    "MemberValue",
    "PartValue",
    "Place",
    "SupportValue",
    "SurfaceValue",
    "ThicknessValue",
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
class ThicknessValue:
    """Thickness (m), the same all over or changing evenly along one of the part's coordinates."""

    start: float
    stop: float
    along: str | None = None

    @property
    def mean(self) -> float:
        """Halfway between the two (m)."""
        return 0.5 * (self.start + self.stop)

    def at(self, shape: SurfaceShape, segment: int, first: Array, second: Array) -> Array:
        """Thickness at chart coordinates, each ``(n,)``."""
        if self.along is None:
            return np.full(len(first), self.start)
        share = thickness_share(shape, self.along, segment, first, second)
        return np.asarray(self.start + share * (self.stop - self.start))


@dataclass(frozen=True)
class SurfaceValue:
    """A plate or shell: shape in its own axes, and where it stands.

    ``face`` tells which face of the wall the shape describes: middle, inner (the wall lies on the
    side the normal points to) or outer. ``frame`` (3, 3) has the part's own axes as columns.
    """

    name: str
    shape: SurfaceShape
    layup: LayupValue
    thickness: ThicknessValue
    face: str
    origin: Array
    frame: Array

    @property
    def size(self) -> float:
        """The least of its two extents, roughly (m)."""
        return extent_of(self.shape)

    @property
    def features(self) -> dict[str, str]:
        """Sites the part has by itself, and the sort of each."""
        return features(self.shape)


PartValue = MemberValue | SurfaceValue


@dataclass(frozen=True)
class Place:
    """Where a site is on its part.

    On a member the distance ``along`` its axis (m). On a surface one of its own ``feature`` names,
    or a point at chart coordinates ``at`` of a ``segment``.
    """

    site: str
    part: str
    along: float = 0.0
    feature: str | None = None
    segment: int = 0
    at: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class SupportValue:
    """A support: the rows of ``directions`` (k, 6) are the held motions, translations first.

    The rows of ``spring_directions`` (s, 6) are those on springs of ``spring_stiffness`` (s,), in
    N/m along a slide and N m/rad about a turn, for the whole site. Rows are in the sheet's axes
    where ``own`` is false, else in the site's own; the same for springs with ``springs_own``.
    """

    name: str
    place: Place
    directions: Array
    words: str
    spring_directions: Array
    spring_stiffness: Array
    own: bool = False
    springs_own: bool = False

    @property
    def holds(self) -> bool:
        """Whether it holds anything at all."""
        return len(self.directions) + len(self.spring_directions) > 0


@dataclass(frozen=True)
class MassValue:
    """A body: mass (kg), inertia about its centre (kg m², x y z), centre offset (m).

    On a site with any extent it is rigid, or lies ``even`` along it.
    """

    name: str
    place: Place
    mass: float
    inertia: tuple[float, float, float]
    offset: tuple[float, float, float]
    even: bool = False


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

    parts: tuple[PartValue, ...]
    places: Mapping[str, Place]
    supports: tuple[SupportValue, ...]
    masses: tuple[MassValue, ...]
    bands: tuple[BandValue, ...]
    margin: float
    accuracy: float
    fixed: tuple[int, int] | None
    count: int
    above: float | None
    up_to: float | None
    knobs: Mapping[str, KnobValue]
    warnings: tuple[Finding, ...] = field(default=())

    @property
    def part(self) -> PartValue:
        """The one part a sheet holds so far."""
        return self.parts[0]

    @property
    def member(self) -> MemberValue | None:
        """The part, where it is a member."""
        return self.part if isinstance(self.part, MemberValue) else None

    @property
    def surface(self) -> SurfaceValue | None:
        """The part, where it is a plate or a shell."""
        return self.part if isinstance(self.part, SurfaceValue) else None

    @property
    def materials(self) -> dict[str, tuple[float, dict[str, float]]]:
        """Density (kg/m³) and moduli (Pa) by their key, of every material in use."""
        found: dict[str, tuple[float, dict[str, float]]] = {}
        for part in self.parts:
            if isinstance(part, MemberValue):
                own = part.material
                found[own.name] = (own.density, {"youngs_modulus": own.youngs_modulus})
                continue
            for ply in part.layup.plies:
                wall = ply.material
                moduli = {"youngs_modulus": wall.modulus_along}
                if not wall.is_isotropic:
                    moduli = {
                        "modulus_along": wall.modulus_along,
                        "modulus_across": wall.modulus_across,
                    }
                found[wall.name] = (wall.density, moduli)
        return found

    @property
    def highest_excitation(self) -> float | None:
        """Upper end of the highest band with its margin (Hz), or ``None`` without bands."""
        if not self.bands:
            return None
        return max(band.high for band in self.bands) * (1 + self.margin)
