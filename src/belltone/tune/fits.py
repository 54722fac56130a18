"""What only solutions tell of a design, such as stress, foreseen from those solved so far."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from belltone.tune.space import Space

__all__ = ["Fit"]

Array = NDArray[np.float64]


@dataclass
class Fit:
    """One number told of designs, as a product of powers of the knobs through those known.

    Thickness to some power is what stresses and displacements of walls go by, and speed or load
    what they are proportional to. The design solved last is met exactly; with fewer designs than
    knobs the smallest powers that do are taken. Where a value or a knob is not positive, the same
    with straight lines.
    """

    space: Space
    places: list[Array] = field(default_factory=list)
    told: list[float] = field(default_factory=list)

    def add(self, place: Array, value: float) -> None:
        """Take a solved design in."""
        self.places.append(place)
        self.told.append(value)

    def at(self, place: Array) -> tuple[float, Array]:
        """The number at a place, and its slopes for a whole range of each knob."""
        values = np.array([self.space.values(each) for each in self.places])
        told = np.array(self.told)
        here = self.space.values(place)
        powers = bool(np.all(told > 0) and np.all(values > 0) and np.all(here > 0))
        if powers:
            values, told, shown = np.log(values), np.log(told), np.log(here)
        else:
            shown = here
        apart = values - values[-1]
        size = self.space.width / (np.abs(self.space.values(place)) if powers else 1.0)
        weights, *_ = np.linalg.lstsq(apart / size, told - told[-1], rcond=1e-9)
        weights = weights / size
        found = float(told[-1] + (shown - values[-1]) @ weights)
        if not powers:
            return found, np.asarray(weights * self.space.width)
        number = float(np.exp(found))
        return number, np.asarray(number * weights / here * self.space.width)
