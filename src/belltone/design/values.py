"""A sheet with every value worked out: plain numbers in SI units, ready to be discretised."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MemberValue, MeshValue, PartValue, SurfaceValue
from belltone.design.place import Place
from belltone.design.preload import PreloadValue
from belltone.sheet.errors import Finding
from belltone.sheet.shown_units import AS_TYPED, ShownUnits
from belltone.sheet.units import Dimension, si_to_text

__all__ = [
    "BandValue",
    "Design",
    "JointSide",
    "JointValue",
    "KnobValue",
    "MassValue",
    "SupportValue",
]

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Spread:
    """How exactly a knob is made: ``size`` to both sides, or as a standard deviation.

    In the knob's unit, or ``relative`` to its value.
    """

    size: float
    relative: bool
    deviation: bool

    def at(self, value: float) -> float:
        """The size at a value, in the unit of the value."""
        return self.size * abs(value) if self.relative else self.size


@dataclass(frozen=True)
class KnobValue:
    """A knob: its value in base units, its range in ``unit``, the unit its author wrote.

    ``scale`` is how many base units (m, kg, s, K, rad) that is. With a ``step`` it takes its
    multiples alone, with a ``stock`` those values.
    """

    name: str
    base: float
    unit: str
    scale: float
    start: float | None
    stop: float | None
    literal: bool
    step: float | None = None
    stock: tuple[float, ...] = ()
    spread: Spread | None = None

    @property
    def value(self) -> float:
        """The value in its unit, without what rounding leaves of the way there and back."""
        return float(f"{self.base / self.scale:.15g}")

    def turned(self, value: float) -> dict[str, float]:
        """The knob at another value of its unit, as a family of designs takes it."""
        return {self.name: value * self.scale}

    @property
    def range(self) -> tuple[float, float]:
        """The stated range, or half to twice the value where none is stated."""
        if self.start is not None and self.stop is not None:
            return self.start, self.stop
        low, high = sorted((self.value / 2, self.value * 2))
        if self.stock:
            low, high = self.stock[0], self.stock[-1]
        return (low if self.start is None else self.start, high if self.stop is None else self.stop)

    def allowed(self) -> tuple[float, ...]:
        """The values of its range it can be had at, in its unit; none where it can have any."""
        low, high = self.range
        slack = 1e-9 * (high - low)
        if self.stock:
            return tuple(each for each in self.stock if low - slack <= each <= high + slack)
        if self.step is None:
            return ()
        first, last = math.ceil((low - slack) / self.step), math.floor((high + slack) / self.step)
        return tuple(float(f"{count * self.step:.12g}") for count in range(first, last + 1))

    def text(self, value: float | None = None, digits: int = 6) -> str:
        """Write the value, or another value of this knob, with its unit."""
        number = self.value if value is None else value
        return f"{_short(number, digits)} {self.unit}".strip()

    def exact_text(self, value: float) -> str:
        """Write a value so that reading it back gives the very same number."""
        return f"{repr(float(value)).removesuffix('.0')} {self.unit}".strip()


def _short(value: float, digits: int) -> str:
    return si_to_text(value, Dimension("number", "", ("",)), "", digits)


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

    @property
    def turns(self) -> bool:
        """Whether it holds any turn, or puts one on a spring."""
        return bool(np.any(self.directions[:, 3:]) or np.any(self.spring_directions[:, 3:]))


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

    @property
    def turns(self) -> bool:
        """Whether it has to be turned with what it hangs on."""
        return not self.even and any((*self.inertia, *self.offset))


@dataclass(frozen=True)
class BandValue:
    """An excitation band in Hz; ``low == high`` for a steady source.

    Modes whose kind begins with one of ``spares`` it does not shake, nor, where it is ``along`` an
    axis (0 to 2), those whose effective mass along it is less than ``least`` of the whole.
    """

    name: str
    low: float
    high: float
    spares: tuple[str, ...] = ()
    along: int | None = None
    least: float = 0.0

    @property
    def rule(self) -> tuple[tuple[str, ...], int, float]:
        """Which modes it shakes; bands with the same rule shake the same ones."""
        return self.spares, -1 if self.along is None else self.along, self.least

    def shakes(self, kind: str, swing: Sequence[float] | None = None) -> bool:
        """Whether modes of a kind must keep clear of it.

        ``swing`` are their effective masses along x, y, z as shares of the whole; without it they
        count as moved along every axis.
        """
        if self.spares and kind.startswith(self.spares):
            return False
        return self.along is None or swing is None or swing[self.along] >= self.least


@dataclass(frozen=True)
class ModeName:
    """A mode by what it does: the ``place``-th, from 1, of those whose kind begins so."""

    kind: str
    place: int

    @property
    def words(self) -> str:
        """The mode in words."""
        return f"mode {self.place}" if not self.kind else f"{self.kind} {self.place}"


@dataclass(frozen=True)
class TargetValue:
    """Where a mode is to stand: at a ``frequency`` (Hz), or ``times`` the frequency of another.

    ``within`` (Hz, or a share for a ratio) is how far it may be off; every other mode keeps
    ``apart`` (a share) from there.
    """

    name: str
    mode: ModeName
    frequency: float | None
    times: float
    of: ModeName | None
    within: float
    apart: float


@dataclass(frozen=True, kw_only=True)
class Design:
    """Everything a solution needs, in SI units, and what looked odd on the way.

    ``fixed`` holds divisions and order where the sheet states them instead of an accuracy,
    ``shown`` the units to tell it in.
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
    targets: tuple[TargetValue, ...] = ()
    shown: ShownUnits = AS_TYPED
    warnings: tuple[Finding, ...] = field(default=())

    @property
    def member(self) -> MemberValue | None:
        """The only part, where it is a member."""
        return self.members[0] if self.members and len(self.parts) == 1 else None

    @property
    def members(self) -> tuple[MemberValue, ...]:
        """The parts that are members."""
        return tuple(part for part in self.parts if isinstance(part, MemberValue))

    @property
    def surfaces(self) -> tuple[SurfaceValue, ...]:
        """The parts that are plates or shells, in the order of a discretisation's plans."""
        return tuple(part for part in self.parts if isinstance(part, SurfaceValue))

    @property
    def meshes(self) -> tuple[MeshValue, ...]:
        """The parts that are meshes somebody sent."""
        return tuple(part for part in self.parts if isinstance(part, MeshValue))

    @property
    def has_walls(self) -> bool:
        """Whether any part is a plate, a shell or a mesh."""
        return any(part.is_wall for part in self.parts)

    @property
    def has_received(self) -> bool:
        """Whether any part is a mesh that somebody sent."""
        return bool(self.meshes)

    @property
    def solid_parts(self) -> tuple[PartValue, ...]:
        """The parts that are made of something."""
        return tuple(part for part in self.parts if part.is_solid)

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
            found |= part.moduli
        return found

    @property
    def highest_excitation(self) -> float | None:
        """Upper end of the highest band with its margin, or of what a target keeps free (Hz).

        ``None`` without bands and targets.
        """
        ends = [band.high * (1 + self.margin) for band in self.bands]
        ends += [
            (target.frequency + target.within) * (1 + target.apart)
            for target in self.targets
            if target.frequency is not None
        ]
        return max(ends, default=None)
