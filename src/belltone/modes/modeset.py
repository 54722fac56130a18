"""What a solution gives: modes with their shapes, kinds, energies and errors, as plain values."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.discretisation import Discretisation
from belltone.modes.base_state import BaseState
from belltone.modes.by_mode import BY_MODE, picked
from belltone.modes.matching import clusters
from belltone.modes.shares import EnergyShares

__all__ = ["Mode", "ModeSet", "Spectrum"]

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Mode:
    """One mode, for reading: its number counts the flexible modes from 1 (rigid ones: 0).

    ``effective_mass`` (kg) is along x, y and z, ``swing`` the same as shares of the whole mass;
    ``modal_mass`` (kg) belongs to an amplitude of one where the mode moves most. ``equals`` are the
    numbers of other modes at the same frequency, with
    which its shape may be mixed at will.
    """

    number: int
    frequency: float
    error: float
    kind: str
    rigid: bool
    energy: tuple[tuple[str, float], ...]
    effective_mass: tuple[float, float, float]
    modal_mass: float
    swing: tuple[float, ...]
    equals: tuple[int, ...] = ()

    @property
    def kind_words(self) -> str:
        """The kind, and with which modes it makes a pair or a group."""
        if not self.equals:
            return self.kind
        group = "a pair" if len(self.equals) == 1 else "one"
        return f"{self.kind} ({group} with {' and '.join(map(str, self.equals))})"

    @property
    def angular(self) -> float:
        """rad/s."""
        return 2 * math.pi * self.frequency

    @property
    def rpm(self) -> float:
        """Turns a minute."""
        return 60 * self.frequency

    @property
    def period(self) -> float:
        """Seconds; infinite for a rigid mode."""
        return math.inf if self.frequency == 0 else 1 / self.frequency


@dataclass(frozen=True, eq=False, kw_only=True)  # compared by identity: arrays have no truth
class Spectrum:
    """Frequencies (Hz) of one design, rigid modes first, and what tells modes from each other.

    ``errors`` are relative estimates of the frequencies' errors. ``signatures`` (modes, s) are
    mass-weighted unit vectors, whose squared products are modal assurances; complex where modes
    whirl. ``swings`` (modes, 3) are effective masses along x, y and z as shares of the ``mass``
    (kg) of all there is.
    """

    frequencies: Array = field(metadata=BY_MODE)
    errors: Array = field(metadata=BY_MODE)
    rigid_names: tuple[str, ...]
    kinds: tuple[str, ...] = field(metadata=BY_MODE)
    signatures: NDArray[Any] = field(metadata=BY_MODE)
    swings: Array = field(metadata=BY_MODE)
    mass: float

    def __len__(self) -> int:
        return len(self.frequencies)

    @property
    def rigid_count(self) -> int:
        """Number of rigid modes at the head of the list."""
        return len(self.rigid_names)

    @property
    def flexible(self) -> Array:
        """Frequencies of the flexible modes (Hz)."""
        return self.frequencies[self.rigid_count :]


@dataclass(frozen=True, eq=False, kw_only=True)
class ModeSet(Spectrum):
    """All modes of one design, rigid ones first, then by frequency.

    ``shapes`` (modes, points, 6) are translations and rotations at the part's witness points
    (even shares of a member's length; an even grid on every block of a wall), scaled so that the
    outermost fibre moving most moves by one: amplitudes of a mode are relative. ``densities``
    (modes, points) are strain energy per length or area there, relative to the largest, and
    ``motion_densities`` are those of kinetic energy.
    ``energies`` (modes, k) are shares of strain energy by ``energy_names``.
    ``modal_masses`` (kg) belong to amplitudes of one. ``effective`` (modes, 6) are effective masses
    (kg) along x y z and inertias (kg m²) about the axes through the centre of gravity.
    ``skipped`` flexible modes lie below the first one listed. ``point_counts`` says how many of
    the points are on each of ``part_names``, in order. ``held`` tells which pieces hold how much
    of the strain and the kinetic energy.
    Whirling modes have shapes that ``lagging`` follows a quarter of a period later, and carry
    ``waves`` round with the spin (against it: negative). ``base`` is the state of the preload.
    """

    energy_names: tuple[str, ...]
    energies: Array = field(metadata=BY_MODE)
    modal_masses: Array = field(metadata=BY_MODE)
    effective: Array = field(metadata=BY_MODE)
    shapes: Array = field(metadata=BY_MODE)
    densities: Array = field(metadata=BY_MODE)
    motion_densities: Array = field(metadata=BY_MODE)
    discretisation: Discretisation
    unknowns: int
    complete: bool | None
    part_names: tuple[str, ...]
    held: EnergyShares = field(metadata=BY_MODE)
    point_counts: tuple[int, ...]
    skipped: int = 0
    lagging: Array | None = field(default=None, metadata=BY_MODE)
    waves: tuple[int, ...] = field(default=(), metadata=BY_MODE)
    base: BaseState | None = None

    def mode(self, index: int) -> Mode:
        """The mode at a place in the list, rigid modes included."""
        rigid = index < self.rigid_count
        return Mode(
            0 if rigid else self.skipped + index - self.rigid_count + 1,
            float(self.frequencies[index]),
            float(self.errors[index]),
            self.kinds[index],
            rigid,
            tuple(zip(self.energy_names, map(float, self.energies[index]), strict=True)),
            (
                float(self.effective[index, 0]),
                float(self.effective[index, 1]),
                float(self.effective[index, 2]),
            ),
            float(self.modal_masses[index]),
            tuple(self.swings[index].tolist()),
            () if rigid else self._equals(index - self.rigid_count),
        )

    def entries(self) -> tuple[range, ...]:
        """Places in the list that are told as one: rigid modes alone, equal ones together."""
        flexible = (
            range(self.rigid_count + group.start, self.rigid_count + group.stop)
            for group in clusters(self.flexible)
        )
        return (*(range(place, place + 1) for place in range(self.rigid_count)), *flexible)

    def _equals(self, place: int) -> tuple[int, ...]:
        """Numbers of the other flexible modes at the frequency of one."""
        group = next(
            group for group in clusters(self.flexible) if group.start <= place < group.stop
        )
        others = (other for other in range(group.start, group.stop) if other != place)
        return tuple(self.skipped + other + 1 for other in others)

    def modes(self) -> tuple[Mode, ...]:
        """All modes in order."""
        return tuple(self.mode(index) for index in range(len(self)))

    def limited(self, count: int) -> ModeSet:
        """The set with at most ``count`` flexible modes."""
        return self.picked(np.arange(min(self.rigid_count + count, len(self))))

    def picked(self, rows: NDArray[np.intp]) -> ModeSet:
        """Some modes of the set by their places, in any order; rigid ones stay at the head."""
        return picked(self, rows)

    def part_shapes(self, index: int) -> dict[str, Array]:
        """One mode's shape ``(points, 6)`` by part."""
        return self.by_part(self.shapes[index])

    def part_densities(self, index: int) -> dict[str, Array]:
        """One mode's strain energy by length or area ``(points,)`` by part."""
        return self.by_part(self.densities[index])

    def part_motion_densities(self, index: int) -> dict[str, Array]:
        """One mode's kinetic energy by length or area ``(points,)`` by part."""
        return self.by_part(self.motion_densities[index])

    def by_part(self, values: Array) -> dict[str, Array]:
        """Values at all points ``(points, ...)`` by part."""
        pieces = np.split(values, np.cumsum(self.point_counts)[:-1])
        return dict(zip(self.part_names, pieces, strict=True))
