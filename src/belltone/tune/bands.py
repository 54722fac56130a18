"""Where each mode stands against the excitation bands."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from belltone.design.values import BandValue
from belltone.modes.modeset import ModeSet

__all__ = ["Standing", "Verdict", "forbidden", "stand", "verdict"]


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


def stand(frequency: float, bands: Sequence[BandValue], margin: float) -> Standing | None:
    """Tell where a frequency stands; the band it violates most, else the nearest one."""
    standings = [_against(frequency, band, margin) for band in bands]
    return min(standings, key=lambda found: found.separation, default=None)


def _against(frequency: float, band: BandValue, margin: float) -> Standing:
    below, above = forbidden(band, margin)
    if frequency < band.low:
        separation = 1 - frequency / band.low
    elif frequency > band.high:
        separation = frequency / band.high - 1 if band.high > 0 else float("inf")
    else:
        nearer = min(frequency - band.low, band.high - frequency)
        separation = -nearer / (band.high or 1.0)
    place: Literal["inside", "margin", "clear"] = "clear"
    if band.low <= frequency <= band.high:
        place = "inside"
    elif below < frequency < above:
        place = "margin"
    return Standing(band, place, separation, below, above)


def verdict(modes: ModeSet, bands: Sequence[BandValue], margin: float) -> Verdict:
    """Sort all flexible modes against all bands."""
    inside: list[tuple[int, Standing]] = []
    near: list[tuple[int, Standing]] = []
    for number, frequency in enumerate(modes.flexible, start=1):
        found = stand(float(frequency), bands, margin)
        if found is None or found.place == "clear":
            continue
        (inside if found.place == "inside" else near).append((number, found))
    return Verdict(tuple(inside), tuple(near))
