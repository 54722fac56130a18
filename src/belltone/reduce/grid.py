"""Forms over several knobs: known at few places of a grid, and interpolated between them.

A sparse grid grown where it pays: T. Gerstner and M. Griebel, "Dimension-adaptive tensor-product
quadrature", Computing 71 (2003) 65-87. Its places are those of F. Leja, "Sur certaines suites liées
aux ensembles plans", Ann. Polon. Math. 4 (1957) 8-13, so that a finer grid keeps all of a coarser.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.reduce.forms import Forms, combined

__all__ = ["MOST_ORDERS", "Grid", "Orders", "place_of"]

Array = NDArray[np.float64]
Orders = tuple[int, ...]
"""For each knob the number of its place, and the order of its polynomial."""

MOST_ORDERS: Final = 12
"""So many places of one knob at most."""
_CANDIDATES: Final = 64


@lru_cache(maxsize=1)
def _places() -> Array:
    """Where each next place of a knob is, from -1 to 1: farthest from those before."""
    candidates = -np.cos(np.pi * np.arange(_CANDIDATES + 1) / _CANDIDATES)
    places = [0.0]
    while len(places) < MOST_ORDERS:
        apart = np.maximum(np.abs(candidates[:, None] - np.array(places)), 1e-12)
        places.append(float(candidates[np.log(apart).sum(axis=1).argmax()]))
    return np.array(places)


def place_of(orders: Orders, low: Sequence[float], high: Sequence[float]) -> tuple[float, ...]:
    """The values of the knobs at a place of the grid between ``low`` and ``high``."""
    places = _places()
    return tuple(
        0.5 * (lower + upper) + 0.5 * (upper - lower) * float(places[order])
        for order, lower, upper in zip(orders, low, high, strict=True)
    )


@lru_cache(maxsize=1)
def _scales() -> Array:
    """What Newton's polynomials are at their own places before they are scaled to one."""
    places = _places()
    return np.array([np.prod(own - places[:order]) for order, own in enumerate(places)])


def _polynomials(at: float, count: int) -> Array:
    """Newton's polynomials, each one at its own place and zero at those before it."""
    grown = np.cumprod(at - _places()[: count - 1])
    return np.concatenate([[1.0], grown]) / _scales()[:count]


@dataclass(frozen=True, eq=False)
class Grid:
    """Forms between ``low`` and ``high`` (base units) of some knobs, by hierarchical surpluses.

    ``orders`` (n, knobs) are the places known; at each ``stiffness``, ``mass``, ``skew`` (n, r, r)
    ``slides`` (n, r, 3), ``speeds`` and ``totals`` (n,) are what is added there to what the places
    before it say. ``shift`` is as of `Forms`.
    """

    low: tuple[float, ...]
    high: tuple[float, ...]
    orders: NDArray[np.intp]
    stiffness: Array
    mass: Array
    slides: Array
    skew: Array | None
    speeds: Array
    totals: Array
    shift: float

    @classmethod
    def begun(
        cls, low: tuple[float, ...], high: tuple[float, ...], orders: Orders, forms: Forms
    ) -> Grid:
        """The grid of one place."""
        skew = None if forms.skew is None else forms.skew[None]
        parts = forms.stiffness[None], forms.mass[None], forms.slides[None], skew
        numbers = np.array([forms.speed]), np.array([forms.total])
        return cls(low, high, np.array([orders], np.intp), *parts, *numbers, forms.shift)

    def with_more(self, orders: Orders, forms: Forms) -> Grid:
        """The grid with one place more."""
        foreseen = self.at(*place_of(orders, self.low, self.high))
        skew = None
        if self.skew is not None and forms.skew is not None and foreseen.skew is not None:
            skew = np.concatenate([self.skew, (forms.skew - foreseen.skew)[None]])
        return Grid(
            self.low,
            self.high,
            np.concatenate([self.orders, [orders]]),
            np.concatenate([self.stiffness, (forms.stiffness - foreseen.stiffness)[None]]),
            np.concatenate([self.mass, (forms.mass - foreseen.mass)[None]]),
            np.concatenate([self.slides, (forms.slides - foreseen.slides)[None]]),
            skew,
            np.append(self.speeds, forms.speed - foreseen.speed),
            np.append(self.totals, forms.total - foreseen.total),
            self.shift,
        )

    def at(self, *values: float) -> Forms:
        """The forms at a value (base units) of each knob."""
        shares = np.ones(len(self.orders))
        for number, (value, low, high) in enumerate(zip(values, self.low, self.high, strict=True)):
            own = self.orders[:, number]
            middle, half = 0.5 * (low + high), 0.5 * (high - low)
            shares *= _polynomials((value - middle) / half, int(own.max()) + 1)[own]
        stiffness, mass, slides = (
            combined(shares, table) for table in (self.stiffness, self.mass, self.slides)
        )
        skew = None if self.skew is None else combined(shares, self.skew)
        speed, total = float(shares @ self.speeds), float(shares @ self.totals)
        return Forms(stiffness, mass, slides, skew, speed, total, self.shift)
