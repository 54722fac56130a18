"""A sheet with every value worked out: plain numbers in SI units, ready to be discretised."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from belltone.design.place import Place
from belltone.design.preload import PreloadValue
from belltone.geometry.charts import chart_of
from belltone.geometry.paths import MemberPath
from belltone.geometry.shapes import SurfaceShape, extent_of, features, thickness_share
from belltone.sections.layups import LayupValue
from belltone.sections.runs import SectionRun
from belltone.sections.simple import SectionShape
from belltone.sheet.errors import Finding
from belltone.sheet.units import Dimension, si_to_text

__all__ = [
    "BandValue",
    "Design",
    "JointSide",
    "JointValue",
    "KnobValue",
    "MassValue",
    "MaterialValue",
    "MemberValue",
    "MeshValue",
    "PartValue",
    "Place",
    "PointValue",
    "SupportValue",
    "SurfaceValue",
    "ThicknessValue",
    "feature_place",
    "site_features",
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
        return f"{float(value)!r} {self.unit}".strip()


def _short(value: float, digits: int) -> str:
    return si_to_text(value, Dimension("number", "", ("",)), "", digits)


@dataclass(frozen=True)
class MaterialValue:
    """Isotropic material: density (kg/m³), Young's modulus (Pa), Poisson's ratio.

    ``expansion`` (1/K) is not a number where nobody stated it.
    """

    name: str
    density: float
    youngs_modulus: float
    poisson_ratio: float
    expansion: float = math.nan

    @property
    def expands(self) -> bool:
        """Whether it is known how far it grows with warmth."""
        return math.isfinite(self.expansion)

    @property
    def shear_modulus(self) -> float:
        """E / (2 (1 + nu)), in Pa."""
        return self.youngs_modulus / (2 * (1 + self.poisson_ratio))


@dataclass(frozen=True)
class MemberValue:
    """A member along a path, its section running along it.

    ``line_mass`` (kg/m) is mass without stiffness; ``within`` names the frame it belongs to, if
    any; ``on`` the surface it is a rib of.
    """

    name: str
    path: MemberPath
    sections: SectionRun
    material: MaterialValue
    line_mass: float = 0.0
    within: str | None = None
    on: str | None = None

    @property
    def length(self) -> float:
        """Length of the path (m)."""
        return self.path.length

    @property
    def start(self) -> Array:
        """Where it starts (m)."""
        return self.position(0.0)

    @property
    def stop(self) -> Array:
        """Where it ends (m)."""
        return self.position(1.0)

    def position(self, share: float) -> Array:
        """A point of the axis at a share of the length (m)."""
        return np.asarray(self.path.at(np.array([share]))[0][0])

    def frame_at(self, share: float) -> Array:
        """The section's own axes (rows: axis, side, up) at a share of the length."""
        _, tangents, ups = self.path.at(np.array([share]))
        side = np.cross(ups[0], tangents[0])
        side /= np.linalg.norm(side)
        return np.array([tangents[0], side, np.cross(tangents[0], side)])

    @property
    def frame(self) -> Array:
        """The section's own axes at the start."""
        return self.frame_at(0.0)

    @property
    def tapered(self) -> bool:
        """Whether the section changes along it."""
        return not self.sections.even

    @property
    def section(self) -> SectionShape:
        """The section at the start."""
        return self.section_at(np.zeros(())) if self.tapered else self.sections.at(np.zeros(()))

    def section_at(self, share: Array) -> SectionShape:
        """The section at ``share`` (0 to 1) of the length, as one shape of arrays."""
        return self.sections.at(np.asarray(share, float))

    @property
    def section_words(self) -> str:
        """The section in words, such as ``rectangular hollow section``."""
        return self.section.words

    @property
    def mass(self) -> float:
        """Mass (kg), without what hangs on it."""
        points, weights = np.polynomial.legendre.leggauss(8)
        total = 0.0
        ends = [0.0, *self.sections.breaks, 1.0]
        for low, high in itertools.pairwise(ends):
            share = low + (high - low) * 0.5 * (1 + points)
            area = self.section_at(share).properties(self.material.poisson_ratio).area
            line = self.material.density * np.broadcast_to(area, share.shape) + self.line_mass
            total += 0.5 * (high - low) * self.length * float(weights @ line)
        return total


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

    def locate(
        self, segment: int, first: Array, second: Array
    ) -> tuple[Array, Array, Array, Array]:
        """Middle surface (m), unit normals, first axes and thickness at chart coordinates.

        All but the thickness ``(n,)`` are ``(n, 3)`` in the sheet's axes.
        """
        found = chart_of(self.shape).locate(segment, first, second)
        thickness = self.thickness.at(self.shape, segment, first, second)
        offset = {"middle": 0.0, "inner": 0.5, "outer": -0.5}[self.face]
        middle = found.positions + (offset * thickness)[:, None] * found.normals
        return (
            self.origin + middle @ self.frame.T,
            found.normals @ self.frame.T,
            found.first_axes @ self.frame.T,
            thickness,
        )

    @property
    def size(self) -> float:
        """The least of its two extents, roughly (m)."""
        return extent_of(self.shape)

    @property
    def features(self) -> dict[str, str]:
        """Sites the part has by itself, and the sort of each."""
        return features(self.shape)


@dataclass(frozen=True)
class PointValue:
    """A point in space with no material: it moves as what it is rigidly linked to (m)."""

    name: str
    position: Array


@dataclass(frozen=True, eq=False)
class MeshValue:
    """A mesh that somebody sent: flat faces, each with its own thickness and material.

    ``points`` (n, 3) in the sheet's axes (m); ``faces`` (f, 4), the last corner repeated on
    triangles; ``edges`` (e, 2). Per face: ``thickness`` (m), ``youngs_modulus`` (Pa),
    ``poisson_ratio``, ``density`` (kg/m³), ``expansion`` (1/K).
    ``lines`` and ``areas`` are sites: numbers of edges and of faces by name. ``flaws`` (k, 2) are
    edges worth showing: free ones inside, and those of
    more than two faces.
    """

    name: str
    points: Array
    faces: NDArray[np.intp]
    edges: NDArray[np.intp]
    thickness: Array
    youngs_modulus: Array
    poisson_ratio: Array
    density: Array
    expansion: Array
    materials: tuple[MaterialValue, ...]
    lines: Mapping[str, NDArray[np.intp]]
    areas: Mapping[str, NDArray[np.intp]]
    flaws: NDArray[np.intp]

    @property
    def features(self) -> dict[str, str]:
        """Sites it has by itself, and the sort of each."""
        return dict.fromkeys(self.areas, "face") | dict.fromkeys(self.lines, "edge")

    @property
    def size(self) -> float:
        """Diagonal of the box round it (m)."""
        return float(np.linalg.norm(np.ptp(self.points, axis=0)))


PartValue = MemberValue | SurfaceValue | MeshValue | PointValue


def site_features(part: PartValue) -> dict[str, str]:
    """Sites a part has by itself, and the sort of each: end, axis, edge, corner, face or point."""
    if isinstance(part, MemberValue):
        ends = {"start": "end"} if part.path.closed else {"start": "end", "end": "end"}
        return ends | {"axis": "axis"}
    if isinstance(part, PointValue):
        return {"point": "point"}
    return part.features


def feature_place(part: PartValue, feature: str) -> Place:
    """The place of one of the sites a part has by itself."""
    site = f"{part.name}.{feature}"
    if isinstance(part, MemberValue) and feature != "axis":
        return Place(site, part.name, part.length if feature == "end" else 0.0)
    if isinstance(part, PointValue):
        return Place(part.name, part.name)
    return Place(site, part.name, feature=feature)


@dataclass(frozen=True)
class JointSide:
    """One side of a joint: a part, or one site of it."""

    part: str
    place: Place | None = None

    @property
    def words(self) -> str:
        """The site's name, or the part's."""
        return self.part if self.place is None else self.place.site


@dataclass(frozen=True)
class JointValue:
    """What joins two parts: welded, hinged, spots, sprung or none.

    A hinge turns about ``axis`` (3,), or about the edge it runs along, or freely at a point; a
    member's end that does not ``roll`` cannot turn about the member itself there.
    ``spots`` are points of either part, ``radius`` (m) wide. Rows of ``spring_directions`` (s, 6)
    are the relative motions on springs of ``spring_stiffness`` (s,), those of ``held_directions``
    the ones a sprung joint holds; they go by the site's ``own`` axes or the sheet's. Parts meet
    where the gap between them is within ``tolerance`` (m); a ``rigid`` link reaches any distance.
    ``implied`` joints come with a frame or a rib, and are nobody's decision.
    """

    name: str
    first: JointSide
    second: JointSide
    how: str
    tolerance: float
    axis: Array | None = None
    spots: tuple[Place, ...] = ()
    radius: float = 0.0
    spring_directions: Array = field(default_factory=lambda: np.zeros((0, 6)))
    spring_stiffness: Array = field(default_factory=lambda: np.zeros(0))
    held_directions: Array = field(default_factory=lambda: np.zeros((0, 6)))
    own: bool = False
    rigid: bool = False
    implied: bool = False
    rolls: bool = True

    @property
    def parts(self) -> frozenset[str]:
        """The two parts."""
        return frozenset((self.first.part, self.second.part))


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
    joints: tuple[JointValue, ...]
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
    preload: PreloadValue | None = None
    warnings: tuple[Finding, ...] = field(default=())

    @property
    def member(self) -> MemberValue | None:
        """The only part, where it is a member."""
        only = self.parts[0]
        return only if len(self.parts) == 1 and isinstance(only, MemberValue) else None

    @property
    def has_walls(self) -> bool:
        """Whether any part is a plate, a shell or a mesh."""
        return any(isinstance(part, SurfaceValue | MeshValue) for part in self.parts)

    @property
    def has_received(self) -> bool:
        """Whether any part is a mesh that somebody sent."""
        return any(isinstance(part, MeshValue) for part in self.parts)

    @property
    def solid_parts(self) -> tuple[PartValue, ...]:
        """The parts that are made of something."""
        return tuple(part for part in self.parts if not isinstance(part, PointValue))

    def part_of(self, name: str) -> PartValue:
        """The part of a name."""
        return next(part for part in self.parts if part.name == name)

    def used_places(self) -> Iterator[Place]:
        """Every place that holds, carries or joins something."""
        for support in self.supports:
            yield support.place
        for hung in self.masses:
            yield hung.place
        for joint in self.joints:
            for side in (joint.first, joint.second):
                if side.place is not None:
                    yield side.place
            yield from joint.spots
        if self.preload is not None:
            yield from self.preload.places

    @property
    def materials(self) -> dict[str, tuple[float, dict[str, float]]]:
        """Density (kg/m³) and moduli (Pa) by their key, of every material in use."""
        found: dict[str, tuple[float, dict[str, float]]] = {}
        for part in self.parts:
            if isinstance(part, PointValue):
                continue
            if isinstance(part, MeshValue):
                for made in part.materials:
                    found[made.name] = (made.density, {"youngs_modulus": made.youngs_modulus})
                continue
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
