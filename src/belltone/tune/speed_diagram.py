"""The speed diagram: frequencies over spin speed, order lines, and where they cross."""

from __future__ import annotations

from concurrent.futures import Executor
from dataclasses import dataclass, replace
from functools import partial
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.preload import RPM, SpinValue
from belltone.design.values import Design
from belltone.modes.modeset import Spectrum
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore
from belltone.sweep.several import SLOWEST, SPEED, speed_plan
from belltone.sweep.survey import Survey, run_survey
from belltone.sweep.tracks import Track

__all__ = ["Crossing", "SpeedDiagram", "diagram_of", "speed_diagram"]

Array = NDArray[np.float64]

_SAME: Final = 1e-3  # of a speed; crossings nearer than this are one
_LOOKS: Final = 400


@dataclass(frozen=True)
class Crossing:
    """Where an order line meets a track: speed in rpm, frequency in Hz.

    ``margin`` is how far that speed is from the one the sheet states, relative to the latter;
    ``None`` where it states none. ``tracks`` are the numbers of those that cross there, of a pair
    both. ``waves`` tells the whirl, as in a mode set.
    """

    speed: float
    order: float
    frequency: float
    tracks: tuple[int, ...]
    kind: str
    waves: int
    margin: float | None


@dataclass(frozen=True)
class SpeedDiagram:
    """A component over spin speeds (rpm), row by row, its order lines and crossings by speed."""

    survey: Survey
    spin: SpinValue
    speeds: Array
    crossings: tuple[Crossing, ...]

    @property
    def orders(self) -> tuple[float, ...]:
        """The orders drawn."""
        return self.spin.orders

    @property
    def now(self) -> float:
        """The speed the sheet states (rpm)."""
        return self.spin.speed / RPM

    @property
    def note(self) -> str:
        """Why it does not begin at rest, where it was asked to."""
        first, last = float(self.speeds.min()), float(self.speeds.max())
        if first > SLOWEST * last:
            return ""
        return f"drawn from {first:.3g} rpm on: a component that stands still does not whirl"

    def waves(self, track: Track) -> int:
        """How many waves a track carries round with the spin; negative against it."""
        for place, found in zip(track.places, self.survey.sets, strict=True):
            if found is not None and place >= 0:
                return _waves(found, place)
        return 0


def speed_diagram(
    sheet: Sheet,
    workers: Executor,
    store: ResultStore | None = None,
    progress: Progress | None = None,
    bound: float | None = None,
) -> SpeedDiagram:
    """Look at the speeds the sheet states, or from rest to twice its own.

    They are solved, or within a ``bound`` read off a model, as `run_survey` does it. Raises
    `PlanError` where the sheet has no spin, and what `run_survey` raises.
    """
    plan = speed_plan(sheet, evaluate(sheet))
    found = diagram_of(run_survey(sheet, plan, workers, store, progress, bound))
    assert found is not None
    return found


def diagram_of(survey: Survey) -> SpeedDiagram | None:
    """The diagram a plan comes to, where all it turns is the speed of the spin."""
    design, plan = evaluate(survey.sheet), survey.plan
    spin = None if design.preload is None else design.preload.spin
    if spin is None or len(plan.columns) != 1 or not plan.shape:
        return None
    (column,) = plan.columns
    if column.path != SPEED and not _is_set_by(survey.sheet, design, column.name):
        return None
    (knob,) = survey.variants.knobs.values()
    speeds = np.array([row[0] for row in plan.rows], float) * knob.scale / RPM
    bare = SpeedDiagram(survey, spin, speeds, ())
    return replace(bare, crossings=tuple(_crossings(bare)))


def _is_set_by(sheet: Sheet, design: Design, knob: str) -> bool:
    stated = sheet.content.preload
    return stated is not None and stated.spin is not None and str(stated.spin.speed) == knob


def _waves(found: Spectrum, place: int) -> int:
    waves = getattr(found, "waves", ())  # those of a model's answers have them, too
    return int(waves[found.rigid_count + place]) if waves else 0


def _crossings(diagram: SpeedDiagram) -> list[Crossing]:
    found: list[Crossing] = []
    for number, track in enumerate(diagram.survey.tracks, start=1):
        sets = diagram.survey.sets
        frequencies = np.array([track.frequency(row, own) for row, own in enumerate(sets)])
        known = np.isfinite(frequencies)
        if np.count_nonzero(known) < 2:
            continue
        speeds = diagram.speeds[known]
        curve = scipy.interpolate.PchipInterpolator(speeds, frequencies[known])
        looks = np.linspace(speeds[0], speeds[-1], _LOOKS)
        waves = diagram.waves(track)
        for order in diagram.orders:
            height = partial(_height, curve, order)
            heights = np.array([height(speed) for speed in looks])
            for step in np.flatnonzero(np.sign(heights[:-1]) * np.sign(heights[1:]) < 0):
                speed = float(scipy.optimize.brentq(height, looks[step], looks[step + 1]))
                margin = abs(speed - diagram.now) / diagram.now if diagram.now else None
                frequency = order * speed / 60
                found.append(
                    Crossing(speed, order, frequency, (number,), track.kind, waves, margin)
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
            kept[same[0]] = replace(other, tracks=tuple(sorted(other.tracks + crossing.tracks)))
        else:
            kept.append(crossing)
    return kept


def _height(curve: scipy.interpolate.PchipInterpolator, order: float, speed: float) -> float:
    """How far a track is above an order line (Hz) at a speed (rpm)."""
    return float(curve(speed)) - order * speed / 60
