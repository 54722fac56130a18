"""The designs a few knobs make: their ranges, what they can be had at, and how far one is moved."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design, KnobValue
from belltone.sweep.plan import PlanError, turnable

__all__ = ["Counted", "Space", "ranged"]

Array = NDArray[np.float64]

_FEWEST, _MOST = 3, 12  # digits a value is written with


@dataclass(frozen=True)
class Counted:
    """A number of things, and how far it is from that in the sheet, as a share of its range."""

    knob: KnobValue
    value: float
    share: float


@dataclass(frozen=True, eq=False)
class Space:
    """Some knobs between their ends. A place is a value of each in shares of its range, 0 to 1.

    ``start`` is where they stand; ``allowed`` are the places each can be had at, or ``None``.
    Knobs that are ``counted`` stand at one number of things, as they have no design between.
    """

    knobs: tuple[KnobValue, ...]
    counted: tuple[Counted, ...] = ()

    @cached_property
    def low(self) -> Array:
        """The lower ends, in the units of the knobs."""
        return np.array([knob.range[0] for knob in self.knobs])

    @cached_property
    def width(self) -> Array:
        """How wide the ranges are, in the units of the knobs."""
        return np.array([knob.range[1] for knob in self.knobs]) - self.low

    @cached_property
    def start(self) -> Array:
        """Where the knobs stand now, which may be outside their ranges."""
        return np.asarray((np.array([knob.value for knob in self.knobs]) - self.low) / self.width)

    @cached_property
    def allowed(self) -> tuple[Array | None, ...]:
        """The places each knob can be had at; ``None`` where at any."""
        return tuple(
            (np.array(knob.allowed()) - low) / width if knob.allowed() else None
            for knob, low, width in zip(self.knobs, self.low, self.width, strict=True)
        )

    @property
    def ends(self) -> dict[str, tuple[float, float]]:
        """The ends of each knob in base units."""
        return {
            knob.name: (low * knob.scale, (low + width) * knob.scale)
            for knob, low, width in zip(self.knobs, self.low, self.width, strict=True)
        }

    def values(self, place: Array) -> Array:
        """The values at a place, in the units of the knobs."""
        return np.asarray(self.low + self.width * place)

    def base(self, place: Array) -> tuple[float, ...]:
        """The values at a place, in base units."""
        scales = (knob.scale for knob in self.knobs)
        return tuple(
            float(value * scale) for value, scale in zip(self.values(place), scales, strict=True)
        )

    def place(self, base: Sequence[float]) -> Array:
        """The place of values in base units."""
        scales = np.array([knob.scale for knob in self.knobs])
        return np.asarray((np.array(base) / scales - self.low) / self.width)

    @cached_property
    def per_place(self) -> Array:
        """Base units in a whole range of each knob."""
        return np.asarray(self.width * np.array([knob.scale for knob in self.knobs]))

    def moved(self, place: Array) -> float:
        """How far a place is from the start."""
        return float(np.linalg.norm(place - self.start))

    def change(self, place: Array) -> float:
        """How far a place is from where all knobs stand in the sheet.

        The root of the squares of all shares.
        """
        return math.hypot(self.moved(place), *(each.share for each in self.counted))

    @property
    def discrete(self) -> bool:
        """Whether no knob can be had at any value."""
        return all(each is not None for each in self.allowed)

    @property
    def choices(self) -> int:
        """How many ways there are to choose those knobs that cannot be had at any value."""
        return math.prod(len(each) for each in self.allowed if each is not None)

    def combinations(self, about: Array, most: int) -> Iterator[Array]:
        """Places whose knobs stand where they can be had, those nearest to a place first.

        Knobs that can be had at any value stay as they are there.
        """
        near = [
            np.array([at]) if each is None else each[np.argsort(np.abs(each - at), kind="stable")]
            for each, at in zip(self.allowed, about, strict=True)
        ]
        keep = max(2, math.ceil(most ** (1 / max(1, sum(len(each) > 1 for each in near)))))
        if self.choices > most:
            near = [each[:keep] for each in near]
        found = [np.array(each) for each in itertools.product(*near)]
        yield from sorted(found, key=lambda each: float(np.linalg.norm(each - about)))

    def rounded(self, place: Array) -> Iterator[Array]:
        """The same in fewer and then more digits; knobs that stand where they are had stay."""
        values = self.values(place)
        for digits in range(_FEWEST, _MOST):
            short = [
                value if each is not None or value == knob.value else float(f"{value:.{digits}g}")
                for value, each, knob in zip(values, self.allowed, self.knobs, strict=True)
            ]
            yield np.clip((np.array(short) - self.low) / self.width, 0.0, 1.0)
        yield place

    def texts(self, place: Array) -> dict[str, str]:
        """What goes into the sheet for each knob."""
        return {
            knob.name: knob.exact_text(float(f"{value:.12g}"))
            for knob, value in self._standing(place)
        }

    def words(self, place: Array, digits: int = 5) -> str:
        """The values at a place as they are told."""
        return ", ".join(
            f"{knob.name} {knob.text(float(value), digits)}"
            for knob, value in self._standing(place)
        )

    @property
    def counted_words(self) -> str:
        """The numbers of things as they are told."""
        return ", ".join(f"{each.knob.name} {each.knob.text(each.value)}" for each in self.counted)

    def _standing(self, place: Array) -> Iterator[tuple[KnobValue, float]]:
        """Every knob with its value at a place, those that count last."""
        yield from zip(self.knobs, self.values(place).tolist(), strict=True)
        yield from ((each.knob, each.value) for each in self.counted)


def ranged(design: Design, names: Sequence[str]) -> list[KnobValue]:
    """Some knobs of a design; raises `PlanError` where there is none, or one cannot be turned."""
    if not names:
        raise PlanError("say which knobs may be turned")
    knobs = []
    for name in dict.fromkeys(names):
        knob = turnable(design, name)
        low, high = knob.range
        if not low < high:
            raise PlanError(f"“{name}” is zero and has no range; state its “from” and “to”")
        if (knob.stock or knob.step) and not knob.allowed():
            raise PlanError(f"“{name}” can be had at no value between its “from” and its “to”")
        knobs.append(knob)
    return knobs
