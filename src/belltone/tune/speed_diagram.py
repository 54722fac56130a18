"""The speed diagram: frequencies over spin speed, order lines, and where they cross."""

from __future__ import annotations

import math
from collections.abc import Sequence
from concurrent.futures import Executor
from dataclasses import dataclass, replace
from functools import partial
from typing import Final

import numpy as np
import scipy

from belltone.design.preload import SpinValue
from belltone.modes.modeset import ModeSet
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore
from belltone.sweep.plan import PlanError, SweepPlan
from belltone.sweep.runner import Sweep, run_sweep

__all__ = ["Crossing", "SpeedDiagram", "speed_diagram"]

_POINTS: Final = 13
_SLOWEST: Final = 1e-3  # of the fastest; standing still, nothing whirls
_SAME: Final = 1e-3  # of a speed; crossings nearer than this are one
_LOOKS: Final = 400
_PER_RPM: Final = 2 * math.pi / 60  # rad/s
KNOB: Final = "spin_speed"


@dataclass(frozen=True)
class Crossing:
    """Where an order line meets a branch: speed in rpm, frequency in Hz.

    ``margin`` is how far that speed is from the one the sheet states, relative to the latter;
    ``None`` where it states none. ``branches`` are those that cross there, of a pair both.
    ``waves`` tells the whirl, as in a mode set.
    """

    speed: float
    order: float
    frequency: float
    branches: tuple[int, ...]
    kind: str
    waves: int
    margin: float | None


@dataclass(frozen=True)
class SpeedDiagram:
    """A sweep over spin speed (in rpm), its order lines and every crossing by speed."""

    sweep: Sweep
    spin: SpinValue
    crossings: tuple[Crossing, ...]

    @property
    def note(self) -> str:
        """Why the diagram does not begin where it was asked to, if so."""
        asked = 0.0 if self.spin.speeds is None else self.spin.speeds[0] / _PER_RPM
        first = float(self.sweep.values[0])
        if first <= asked:
            return ""
        return f"drawn from {first:.3g} rpm on: a component that stands still does not whirl"

    @property
    def orders(self) -> tuple[float, ...]:
        """The orders drawn."""
        return self.spin.orders

    def line(self, order: float, speeds: Sequence[float]) -> list[float]:
        """Frequencies (Hz) of an order at speeds in rpm."""
        return [order * speed / 60 for speed in speeds]


def speed_diagram(
    sheet: Sheet,
    workers: Executor,
    store: ResultStore | None = None,
    progress: Progress | None = None,
) -> SpeedDiagram:
    """Solve over the speeds the sheet states, or from rest to twice its own.

    Raises `PlanError` where the sheet has no spin, and what `run_sweep` raises.
    """
    design = evaluate(sheet)
    stated = sheet.content.preload
    if stated is None or stated.spin is None:
        raise PlanError("a speed diagram needs a spin: state one under “preload”")
    if design.preload is None or design.preload.spin is None:
        raise PlanError("the preload is not applied, or its spin stands still; there is no diagram")
    spin = design.preload.spin
    start, stop = spin.speeds or (0.0, 2 * spin.speed)
    start = max(start, _SLOWEST * stop) / _PER_RPM
    stop = stop / _PER_RPM
    turned = sheet.with_values(
        {
            ("knobs", KNOB): {"value": f"{spin.speed / _PER_RPM!r} rpm"},
            ("preload", "spin", "speed"): KNOB,
        }
    )
    values = np.linspace(start, stop, _POINTS)
    plan = SweepPlan(KNOB, tuple(float(value) for value in values))
    sweep = run_sweep(turned, plan, workers, store, progress)
    return SpeedDiagram(sweep, spin, tuple(_crossings(sweep, spin)))


def _crossings(sweep: Sweep, spin: SpinValue) -> list[Crossing]:
    found: list[Crossing] = []
    now = spin.speed / _PER_RPM
    for number, branch in enumerate(sweep.branches, start=1):
        curve = branch.curve(sweep.values)
        if curve is None:
            continue
        known = sweep.values[np.isfinite(branch.frequencies)]
        looks = np.linspace(known[0], known[-1], _LOOKS)
        at = next(index for index, place in enumerate(branch.places) if place >= 0)
        first = sweep.sets[at]
        assert isinstance(first, ModeSet)
        waves = first.waves[first.rigid_count + branch.places[at]] if first.waves else 0
        for order in spin.orders:
            height = partial(_height, curve, order)
            heights = np.array([height(speed) for speed in looks])
            for step in np.flatnonzero(np.sign(heights[:-1]) * np.sign(heights[1:]) < 0):
                speed = float(scipy.optimize.brentq(height, looks[step], looks[step + 1]))
                margin = abs(speed - now) / now if now else None
                frequency = order * speed / 60
                found.append(
                    Crossing(speed, order, frequency, (number,), branch.kind, waves, margin)
                )
    return _paired(sorted(found, key=lambda crossing: crossing.speed))


def _paired(found: list[Crossing]) -> list[Crossing]:
    """Crossings by speed, those of modes that come in pairs told once."""
    kept: list[Crossing] = []
    for crossing in found:
        same = [
            place
            for place, other in enumerate(kept)
            if other.order == crossing.order
            and other.waves == crossing.waves
            and abs(other.speed - crossing.speed) < _SAME * crossing.speed
        ]
        if same:
            other = kept[same[0]]
            kept[same[0]] = replace(other, branches=(*other.branches, *crossing.branches))
        else:
            kept.append(crossing)
    return kept


def _height(curve: scipy.interpolate.PchipInterpolator, order: float, speed: float) -> float:
    """How far a branch is above an order line (Hz) at a speed (rpm)."""
    return float(curve(speed)) - order * speed / 60
