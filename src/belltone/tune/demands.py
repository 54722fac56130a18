"""What is demanded of a design: bands kept clear, modes at their targets, conditions kept."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import BandValue, Design, ModeName, TargetValue
from belltone.modes.modeset import Spectrum
from belltone.tune.bands import forbidden, shaken
from belltone.tune.conditions import Condition

__all__ = ["Demands", "Keepout", "Known", "Missed", "demands_of", "named_mode"]

Array = NDArray[np.float64]
Known = Callable[[ModeName], int | None]
"""Which of the flexible modes of a design is meant, if it is among them."""


@dataclass(frozen=True)
class Keepout:
    """Frequencies (Hz) between which no mode may stand: bands with their margins, merged.

    ``band`` is one of those merged, which all shake the same modes.
    """

    low: float
    high: float
    name: str
    band: BandValue

    @property
    def middle(self) -> float:
        """Half-way between the ends, as frequencies are told apart."""
        return 0.5 * (self.low + self.high)


@dataclass(frozen=True)
class Missed:
    """A demand a design does not meet: in words, and by which share of what is demanded."""

    words: str
    share: float


@dataclass(frozen=True)
class Demands:
    """All that is demanded of a design.

    ``bands`` are as stated, to be kept clear by ``margin``; modes whose kind begins with one of
    ``spared`` may stand in them. ``conditions`` are on what else is told of a design.
    """

    bands: tuple[BandValue, ...]
    margin: float
    targets: tuple[TargetValue, ...] = ()
    conditions: tuple[Condition, ...] = ()
    spared: tuple[str, ...] = ()

    def keepouts(self, margin: float | None = None) -> tuple[Keepout, ...]:
        """The bands with a margin (that stated, if none is given), those that overlap as one."""
        wide = self.margin if margin is None else margin
        found: list[Keepout] = []
        for band in sorted(self.bands, key=lambda each: (each.rule, each.low)):
            low, high = forbidden(band, wide)
            last = found[-1] if found else None
            if last is not None and last.band.rule == band.rule and low < last.high:
                name = f"{last.name} and {band.name}"
                found[-1] = Keepout(last.low, max(last.high, high), name, band)
            else:
                found.append(Keepout(low, high, band.name, band))
        return tuple(found)

    def watched(self, modes: Spectrum, band: BandValue) -> NDArray[np.intp]:
        """Places among the flexible modes of those that must keep clear of a band."""
        return np.flatnonzero(shaken(modes, self._sparing(band)))

    def shaking(self) -> tuple[BandValue, ...]:
        """The bands, each with all it spares."""
        return tuple(map(self._sparing, self.bands))

    def _sparing(self, band: BandValue) -> BandValue:
        return replace(band, spares=(*band.spares, *self.spared)) if self.spared else band

    def with_margin(self, margin: float) -> Demands:
        """The same with another margin."""
        return replace(self, margin=margin)

    def missed(self, modes: Spectrum, known: Known | None = None) -> tuple[Missed, ...]:
        """Which demands on frequencies a design with these modes does not meet, the worst first.

        ``known`` says which modes targets mean; without it they are told by what they do.
        """
        found: list[Missed] = []
        for keepout in self.keepouts():
            for at in self.watched(modes, keepout.band):
                frequency = float(modes.flexible[at])
                if keepout.low < frequency < keepout.high:
                    off = min(
                        frequency / keepout.low - 1 if keepout.low > 0 else np.inf,
                        1 - frequency / keepout.high,
                    )
                    found.append(Missed(f"mode {at + 1} stands too near to “{keepout.name}”", off))
        for target in self.targets:
            found += _missed_target(target, modes, known or partial(named_mode, modes=modes))
        return tuple(sorted(found, key=lambda each: -each.share))


def _missed_target(target: TargetValue, modes: Spectrum, known: Known) -> list[Missed]:
    place = known(target.mode)
    if place is None:
        return [_lost(target, target.mode)]
    frequency = float(modes.flexible[place])
    wanted, within = target.frequency, target.within
    if target.of is not None:
        other = known(target.of)
        if other is None:
            return [_lost(target, target.of)]
        wanted = target.times * float(modes.flexible[other])
        within = target.within * wanted
    assert wanted is not None
    found = []
    off = abs(frequency - wanted)
    if off > within:
        words = f"“{target.name}” stands at {frequency:.6g} Hz, not at {wanted:.6g} Hz"
        found.append(Missed(words, (off - within) / wanted))
    for other, own in enumerate(modes.flexible):
        away = abs(own / wanted - 1)
        if other != place and away < target.apart:
            words = f"mode {other + 1} stands {100 * away:.2g} % from the target “{target.name}”"
            found.append(Missed(words, target.apart - float(away)))
    return found


def _lost(target: TargetValue, mode: ModeName) -> Missed:
    return Missed(f"{mode.words} is not found for the target “{target.name}”", np.inf)


def named_mode(name: ModeName, modes: Spectrum) -> int | None:
    """The place among the flexible modes of a mode told by what it does, if it is among them."""
    kinds = modes.kinds[modes.rigid_count :]
    places = [at for at, kind in enumerate(kinds) if kind.startswith(name.kind)]
    return places[name.place - 1] if len(places) >= name.place else None


def demands_of(
    design: Design, conditions: Sequence[Condition] = (), spared: Sequence[str] = ()
) -> Demands:
    """What a sheet demands, with conditions besides."""
    return Demands(design.bands, design.margin, design.targets, tuple(conditions), tuple(spared))
