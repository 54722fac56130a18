"""How a member's section runs along its length: even, tapered, or turned to a radius profile."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.profiles import Arc, Line
from belltone.sections.simple import RoundTube, SectionShape, SolidRound

__all__ = ["Neck", "SectionRun", "Taper", "TurnedProfile"]

Array = NDArray[np.float64]


class SectionRun(Protocol):
    """The section at every share of a member's length."""

    @property
    def breaks(self) -> tuple[float, ...]:
        """Shares at which it changes its law, 0 and 1 left out; elements end there."""

    @property
    def even(self) -> bool:
        """Whether it is the same all along."""

    @property
    def depth(self) -> float:
        """The larger outer dimension where it is largest (m)."""

    def at(self, share: Array) -> SectionShape:
        """The section at shares of the length, as one shape of arrays."""


@dataclass(frozen=True)
class Taper:
    """From one section to another of the same shape, all dimensions linear."""

    start: SectionShape
    stop: SectionShape

    @property
    def breaks(self) -> tuple[float, ...]:
        """None within."""
        return ()

    @property
    def even(self) -> bool:
        """Whether both are the same."""
        return self.start == self.stop

    @property
    def depth(self) -> float:
        """The larger of the two."""
        return max(self.start.depth, self.stop.depth)

    def at(self, share: Array) -> SectionShape:
        """The section at shares."""
        return self.start if self.even else self.start.blend(self.stop, np.asarray(share, float))


@dataclass(frozen=True)
class Neck:
    """A radius that follows a hyperbolic cosine about a throat, between two places (m)."""

    start: tuple[float, float]
    stop: tuple[float, float]
    throat: float

    def position(self, share: Array) -> Array:
        """Places (along, radius) at shares of the way along."""
        (low, first), (high, last) = self.start, self.stop
        before, after = math.acosh(first / self.throat), math.acosh(last / self.throat)
        along = low + share * (high - low)
        argument = -before + share * (before + after)
        return np.column_stack([along, self.throat * np.cosh(argument)])


@dataclass(frozen=True)
class TurnedProfile:
    """A solid of revolution: its radius along the axis by lines, arcs and necks; a bore (m)."""

    segments: tuple[Line | Arc | Neck, ...]
    bore: float = 0.0

    @property
    def length(self) -> float:
        """From the first point to the last (m)."""
        return float(self._ends()[-1])

    def _ends(self) -> Array:
        places = [segment.position(np.array([0.0, 1.0]))[:, 0] for segment in self.segments]
        return np.array([places[0][0], *(place[1] for place in places)])

    @property
    def breaks(self) -> tuple[float, ...]:
        """Shares at which segments meet."""
        return tuple(float(end) for end in self._ends()[1:-1] / self.length)

    @property
    def even(self) -> bool:
        """Whether it is one cylinder."""
        radii = [radius for segment in self.segments for _, radius in _ends_of(segment)]
        return all(isinstance(segment, Line) for segment in self.segments) and (
            max(radii) - min(radii) < 1e-12 * max(radii)
        )

    @property
    def depth(self) -> float:
        """The largest diameter (m)."""
        return 2 * float(self.radius(np.linspace(0.0, 1.0, 257)).max())

    def radius(self, share: Array) -> Array:
        """Radius (m) at shares of the length."""
        share = np.asarray(share, float)
        flat = np.clip(share.ravel(), 0.0, 1.0) * self.length
        ends = self._ends()
        radius = np.empty_like(flat)
        segment_of = np.clip(np.searchsorted(ends, flat) - 1, 0, len(self.segments) - 1)
        for number, segment in enumerate(self.segments):
            here = segment_of == number
            if here.any():
                local = (flat[here] - ends[number]) / (ends[number + 1] - ends[number])
                radius[here] = _radius(segment, local)
        return radius.reshape(share.shape)

    def at(self, share: Array) -> SectionShape:
        """The section at shares."""
        diameter = 2 * self.radius(share)
        if self.bore:
            return RoundTube(diameter, 0.5 * (diameter - self.bore))  # type: ignore[arg-type]
        return SolidRound(diameter)  # type: ignore[arg-type]


def _ends_of(segment: Line | Arc | Neck) -> tuple[tuple[float, float], tuple[float, float]]:
    return segment.start, segment.stop


def _radius(segment: Line | Arc | Neck, share: Array) -> Array:
    """Radius at shares of the way along the axis."""
    if not isinstance(segment, Arc):
        return np.asarray(segment.position(share)[:, 1])
    along = segment.start[0] + share * (segment.stop[0] - segment.start[0])
    side = 1.0 if segment.position(np.array([0.5]))[0, 1] >= segment.centre[1] else -1.0
    rise = np.sqrt(np.maximum(segment.radius**2 - (along - segment.centre[0]) ** 2, 0.0))
    return np.asarray(segment.centre[1] + side * rise)
