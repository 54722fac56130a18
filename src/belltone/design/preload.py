"""What loads a component before it vibrates, in SI units."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.place import Place

__all__ = [
    "RPM",
    "ForceValue",
    "MoveValue",
    "PreloadValue",
    "PressureValue",
    "SpinValue",
]

Array = NDArray[np.float64]

RPM: Final = 2 * math.pi / 60
"""One turn a minute (rad/s)."""


@dataclass(frozen=True)
class ForceValue:
    """A force (N) and moment (N m) on all of a site, by the sheet's axes or the site's own."""

    name: str
    place: Place
    force: Array
    moment: Array
    own: bool


@dataclass(frozen=True)
class PressureValue:
    """A pressure (Pa) on a face, positive along the wall's normal.

    It changes by ``growth`` (3,) (Pa/m) from ``level`` (3,) (m); only what is positive against the
    face counts unless ``suction``. ``side`` is 1 on the inner face and -1 on the outer.
    """

    name: str
    place: Place
    pressure: float
    side: float
    follows: bool
    growth: Array
    level: Array
    suction: bool

    def at(self, positions: Array) -> Array:
        """Pressure (Pa) along the normal at positions ``(..., 3)``."""
        value = self.pressure + (positions - self.level) @ self.growth
        return np.asarray(self.side * (value if self.suction else np.maximum(value, 0.0)))


@dataclass(frozen=True)
class SpinValue:
    """Turning at ``speed`` (rad/s) about a unit ``axis`` through a point (m).

    ``speeds`` (rad/s) and ``orders`` are those of the speed diagram.
    """

    speed: float
    axis: Array
    through: Array
    gyroscopic: bool = False
    from_ground: bool = False
    speeds: tuple[float, float] | None = None
    orders: tuple[float, ...] = (1.0,)

    @property
    def across(self) -> Array:
        """Projection (3, 3) on the plane the spin turns in."""
        return np.asarray(np.eye(3) - np.outer(self.axis, self.axis))


@dataclass(frozen=True)
class MoveValue:
    """Displacements a site is set to: rows ``(k, 6)`` and what each is (m or rad)."""

    place: Place
    directions: Array
    values: Array


@dataclass(frozen=True)
class PreloadValue:
    """All loads, not yet scaled. ``warmths`` (K) and ``pulls`` (N) are by part."""

    scale: float
    large: bool
    acceleration: Array
    spin: SpinValue | None
    forces: tuple[ForceValue, ...]
    pressures: tuple[PressureValue, ...]
    warmths: dict[str, float]
    pulls: dict[str, float]
    moves: tuple[MoveValue, ...]

    @property
    def loads(self) -> bool:
        """Whether there is anything that loads at all."""
        named = (
            self.moves
            or any(np.any(each.force) or np.any(each.moment) for each in self.forces)
            or any(each.pressure or np.any(each.growth) for each in self.pressures)
        )
        by_part = any((*self.warmths.values(), *self.pulls.values()))
        turning = self.spin is not None and self.spin.speed > 0
        return self.scale != 0 and bool(
            named or by_part or turning or np.any(self.acceleration != 0)
        )

    @property
    def places(self) -> Iterator[Place]:
        """The places something acts on."""
        yield from (entry.place for entry in self.forces)
        yield from (entry.place for entry in self.pressures)
        yield from (entry.place for entry in self.moves)

    @property
    def spins_alone(self) -> bool:
        """Whether a spin is all there is of the load."""
        return bool(self.turning) and not replace(self, spin=None).loads

    @property
    def turning(self) -> float:
        """Speed of the scaled spin (rad/s)."""
        if self.spin is None:
            return 0.0
        return self.spin.speed * math.sqrt(max(self.scale, 0.0))
