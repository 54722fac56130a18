"""Where each mode stands against the excitation bands."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import BandValue, Design
from belltone.modes.modeset import Mode, ModeSet, Spectrum

__all__ = [
    "Standing",
    "Verdict",
    "forbidden",
    "least_separation",
    "mode_standing",
    "separation",
    "shaken",
    "spared_words",
    "stand",
    "verdict",
]


@dataclass(frozen=True)
class Standing:
    """A frequency against its nearest band.

    ``separation`` is the distance to the nearer edge as a share of that edge: positive outside
    the band, negative within it. ``below`` and ``above`` are the frequencies to get past.
    """

    band: BandValue
    place: Literal["inside", "margin", "clear"]
    separation: float
    below: float
    above: float


@dataclass(frozen=True)
class Verdict:
    """All flexible modes that stand in a band or its margin: ``(mode number, standing)``."""

    inside: tuple[tuple[int, Standing], ...]
    margin: tuple[tuple[int, Standing], ...]

    @property
    def clear(self) -> bool:
        """Whether every band is clear."""
        return not self.inside and not self.margin


def forbidden(band: BandValue, margin: float) -> tuple[float, float]:
    """The range of frequencies to keep clear: the band widened by the margin at both edges."""
    return band.low * (1 - margin), band.high * (1 + margin)


def separation(frequency: float, band: BandValue) -> float:
    """How far a frequency is from a band, as a share of the nearer edge; negative within it."""
    if frequency < band.low:
        return 1 - frequency / band.low
    if frequency > band.high:
        return frequency / band.high - 1 if band.high > 0 else float("inf")
    return -min(frequency - band.low, band.high - frequency) / (band.high or 1.0)


def least_separation(modes: Spectrum, bands: Sequence[BandValue]) -> float | None:
    """How far the flexible mode nearest to any band that shakes it stands from that band.

    As `separation`; ``None`` where no band shakes any.
    """
    return min(
        (
            separation(float(frequency), band)
            for band in bands
            for frequency in modes.flexible[shaken(modes, band)]
        ),
        default=None,
    )


def shaken(modes: Spectrum, band: BandValue) -> NDArray[np.bool_]:
    """Which of the flexible modes a band shakes."""
    kinds, swings = modes.kinds[modes.rigid_count :], modes.swings[modes.rigid_count :]
    return np.array(
        [band.shakes(kind, swing) for kind, swing in zip(kinds, swings, strict=True)], bool
    )


def stand(
    frequency: float,
    bands: Sequence[BandValue],
    margin: float,
    kind: str = "",
    swing: Sequence[float] | None = None,
) -> Standing | None:
    """Tell where a mode stands; the band it violates most, else the nearest one.

    ``kind`` and ``swing`` (`BandValue.shakes`) tell which bands shake it.
    """
    standings = [_against(frequency, band, margin) for band in bands if band.shakes(kind, swing)]
    return min(standings, key=lambda found: found.separation, default=None)


def mode_standing(mode: Mode, design: Design) -> Standing | None:
    """Where a mode of a design stands against what shakes that."""
    return stand(mode.frequency, design.bands, design.margin, mode.kind, mode.swing)


def spared_words(band: BandValue) -> str:
    """Which modes a band does not shake, nothing where it shakes all."""
    told = [", ".join(band.spares)] if band.spares else []
    if band.along is not None:
        axis, share = "xyz"[band.along], f"{100 * band.least:.3g}"
        told.append(f"what moves less than {share} % of the mass along {axis}")
    return "; ".join(told)


def _against(frequency: float, band: BandValue, margin: float) -> Standing:
    below, above = forbidden(band, margin)
    place: Literal["inside", "margin", "clear"] = "clear"
    if band.low <= frequency <= band.high:
        place = "inside"
    elif below < frequency < above:
        place = "margin"
    return Standing(band, place, separation(frequency, band), below, above)


def verdict(modes: ModeSet, bands: Sequence[BandValue], margin: float) -> Verdict:
    """Sort all flexible modes against all bands."""
    inside: list[tuple[int, Standing]] = []
    near: list[tuple[int, Standing]] = []
    kinds, swings = modes.kinds[modes.rigid_count :], modes.swings[modes.rigid_count :]
    told = zip(modes.flexible, kinds, swings, strict=True)
    for number, (frequency, kind, swing) in enumerate(told, start=1):
        found = stand(float(frequency), bands, margin, kind, swing)
        if found is None or found.place == "clear":
            continue
        (inside if found.place == "inside" else near).append((number, found))
    return Verdict(tuple(inside), tuple(near))
