"""What each piece of a component holds of the energies of modes, as plain values."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from belltone.modes.by_mode import BY_MODE

__all__ = ["ELEMENT", "MASS", "PART", "REGION", "SPRING", "EnergyShares", "Held"]

Array = NDArray[np.float64]

PART, SPRING, REGION, MASS, ELEMENT = "part", "spring", "region", "mass", "element"
"""What pieces there are."""


@dataclass(frozen=True)
class Held:
    """One piece of a component with its shares of a mode's strain and kinetic energy.

    An element has its ``number`` in its part, from 1, and the ``centre`` (m) of it as made.
    """

    name: str
    piece: str
    strain: float
    motion: float
    number: int = 0
    centre: tuple[float, float, float] | None = None

    @property
    def most(self) -> float:
        """The larger of the two shares."""
        return max(self.strain, self.motion)


@dataclass(frozen=True, eq=False, kw_only=True)
class EnergyShares:
    """Shares of strain and kinetic energy, a row for each mode; rigid modes strain nothing.

    By ``parts``; by ``places``: springs of supports and joints, regions of received parts and
    masses hung on sites, as ``place_pieces`` says; and by element, so many of each part as
    ``element_counts`` says, with ``element_centres`` (elements, 3) in m. Elements of a received
    mesh are its own faces. Parts, springs and masses hold everything between them; regions and
    elements are of parts.
    """

    parts: tuple[str, ...]
    part_strain: Array = field(metadata=BY_MODE)
    part_motion: Array = field(metadata=BY_MODE)
    places: tuple[str, ...]
    place_pieces: tuple[str, ...]
    place_strain: Array = field(metadata=BY_MODE)
    place_motion: Array = field(metadata=BY_MODE)
    element_counts: tuple[int, ...]
    element_centres: Array
    element_strain: Array = field(metadata=BY_MODE)
    element_motion: Array = field(metadata=BY_MODE)

    def pieces(self, mode: int) -> Iterator[Held]:
        """Parts and places with what they hold of one mode, in order."""
        parts = zip(self.parts, self.part_strain[mode], self.part_motion[mode], strict=True)
        for name, strain, motion in parts:
            yield Held(name, PART, float(strain), float(motion))
        places = zip(
            self.places,
            self.place_pieces,
            self.place_strain[mode],
            self.place_motion[mode],
            strict=True,
        )
        for name, piece, strain, motion in places:
            yield Held(name, piece, float(strain), float(motion))

    def elements(self, mode: int, least: float = 0.0) -> Iterator[Held]:
        """Elements that hold at least a share of one mode's strain or kinetic energy, in order."""
        strain, motion = self.element_strain[mode], self.element_motion[mode]
        starts = np.cumsum((0, *self.element_counts))
        for at in np.flatnonzero(np.maximum(strain, motion) >= least).tolist():
            part = int(np.searchsorted(starts, at, side="right")) - 1
            x, y, z = self.element_centres[at].tolist()
            yield Held(
                self.parts[part],
                ELEMENT,
                float(strain[at]),
                float(motion[at]),
                at - int(starts[part]) + 1,
                (x, y, z),
            )

    def strained(self, mode: int) -> tuple[tuple[str, float], ...]:
        """Where one mode's strain energy is, by part, spring and region, the most first.

        Regions are part of a part, so shares may add up to more than one.
        """
        found = ((held.name, held.strain) for held in self.pieces(mode) if held.piece != MASS)
        return tuple(sorted(found, key=lambda each: -each[1]))
