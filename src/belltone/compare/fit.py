"""Fit: the least change of chosen knobs that brings modes to where they were measured."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.compare.likeness import Side
from belltone.compare.measured import Held, MatchBy, ModesAtPoints, held_against
from belltone.design.values import Design, KnobValue
from belltone.errors import UserError
from belltone.modes.modeset import ModeSet
from belltone.modes.request import ModeRequest
from belltone.modes.slopes import slopes_of_knob
from belltone.modes.solve import Solved, request_for, solve
from belltone.progress import Progress
from belltone.reading.family import DesignFamily
from belltone.sheet.document import Sheet

__all__ = ["Fit", "FitError", "FittedKnob", "fit"]

Array = NDArray[np.float64]

_STEPS: Final = 20
_FREE: Final = 1.0  # change of a knob, in logarithm, that costs as much as one deviation measured
_FARTHEST: Final = 0.5  # logarithm, or share of the range: so far a knob goes in one step
_SETTLED: Final = 1e-4  # the same; a step as small ends the search
_HALVINGS: Final = 5
_EXPLAINED: Final = 3.0  # deviations; what stays further off is not explained
_KNOWN: Final = 0.5  # of what could be told of a knob beforehand; more left is not known
_EXTRA: Final = 4  # modes beyond those measured, so that they may change places
_ALIKE: Final = 0.98  # correlation from which two knobs are only known together


class FitError(UserError):
    """A fit that cannot be made, in words for the user."""


@dataclass(frozen=True)
class FittedKnob:
    """A knob before and after, with the deviation (one standard, its unit) that is left of it.

    ``told`` says whether the measurements say anything of it; ``at_end`` that it stands at an end
    of its range.
    """

    name: str
    unit: str
    before: float
    after: float
    deviation: float
    told: bool
    at_end: bool


@dataclass(frozen=True, eq=False)
class Fit:
    """What a fit came to: ``before`` and ``after`` hold every measured frequency against its mode.

    ``texts`` are the knobs as they go into the sheet, ``text`` is that sheet, whose files are in
    ``folder``, ``modes`` are its own. ``alike`` are pairs of knobs that pull the
    measured modes alike, so that only both together are known. ``deviation`` is that assumed of
    what was measured, relative.
    """

    knobs: tuple[FittedKnob, ...]
    texts: Mapping[str, str]
    text: str
    folder: Path | None
    modes: ModeSet
    before: tuple[Held, ...]
    after: tuple[Held, ...]
    alike: tuple[tuple[str, str], ...]
    deviation: float
    solutions: int

    @property
    def sheet(self) -> Sheet:
        """The sheet with the knobs so."""
        return Sheet.from_text(self.text, self.folder)

    @property
    def unexplained(self) -> tuple[Held, ...]:
        """What stays further from its mode than measuring can be off, or is like none."""
        return tuple(
            each
            for each in self.after
            if each.difference is None or abs(each.difference) > _EXPLAINED * self.deviation
        )


def fit(
    sheet: Sheet,
    told: ModesAtPoints,
    names: Sequence[str],
    deviation: float,
    how: MatchBy | None = None,
    progress: Progress | None = None,
) -> Fit:
    """Turn knobs so that modes come to where they were measured, and no farther than that needs.

    Least squares of the differences by their ``deviation`` (relative, one standard) and of the
    knobs' changes, within their ranges: the most likely design where nothing was known of the
    knobs but their order of size (A. Tarantola, "Inverse Problem Theory", 2005, section 3.2). Steps
    are Gauss and Newton's with exact slopes; modes are matched anew at each. Raises `FitError`,
    what solving raises, and ``Cancelled``.
    """
    return _Run(sheet, told, names, deviation, how, progress or Progress()).done()


@dataclass(frozen=True, eq=False)
class _Point:
    place: Array
    solved: Solved
    held: tuple[Held, ...]
    cost: float


class _Run:
    """One fit, while it lasts."""

    def __init__(
        self,
        sheet: Sheet,
        told: ModesAtPoints,
        names: Sequence[str],
        deviation: float,
        how: MatchBy | None,
        progress: Progress,
    ) -> None:
        self._sheet, self._told, self._how = sheet, told, how
        self._deviation, self._progress = deviation, progress
        self._family = DesignFamily(sheet)
        present = self._family.at()
        self._knobs = [_checked(present, name) for name in names]
        if not self._knobs:
            raise FitError("name a knob that may be turned")
        if not len(told):
            raise FitError("nothing was measured: list frequencies, or name a file of them")
        self._request = _wide_enough(present, told)
        self._scales = [_Scale(knob) for knob in self._knobs]
        self._low = np.array([own.low for own in self._scales])
        self._high = np.array([own.high for own in self._scales])
        self._start = np.array([own.start for own in self._scales])
        self._first: Solved | None = None
        self._solutions = 0

    def done(self) -> Fit:
        point = first = self._at(self._start)
        if all(each.number is None for each in first.held):
            raise FitError(
                "no measured frequency is that of a mode, so there is nothing to fit: "
                + first.held[0].why
            )
        for step in range(_STEPS):
            self._progress.report(step, _STEPS, "fit")
            slopes, left = self._slopes(point)
            change = self._step(point, slopes, left)
            if float(np.abs(change).max()) < _SETTLED:
                break
            better = self._better(point, change)
            if better is None:
                break
            settled = float(np.abs(better.place - point.place).max()) < _SETTLED
            point = better
            if settled:
                break
        return self._told_of(first, point)

    def _at(self, place: Array, near: Solved | None = None) -> _Point:
        """The design at a place, solved, and held against what was measured."""
        turned = self._turned(place)
        design = self._family.at(turned)
        discretisation = None if self._first is None else self._first.modes.discretisation
        solution = None if near is None else near.solution
        found = solve(
            design,
            self._request,
            discretisation,
            progress=_quiet(self._progress),
            told=False,
            near=solution,
        )
        self._solutions += 1
        if self._first is None:
            self._first = found
        held = held_against(Side("", design, found.modes), self._told, self._how)
        return _Point(place, found, held, self._cost(place, held))

    def _turned(self, place: Array) -> dict[str, float]:
        return {
            knob.name: own.base(float(at))
            for knob, own, at in zip(self._knobs, self._scales, place, strict=True)
        }

    def _cost(self, place: Array, held: Sequence[Held]) -> float:
        off = [
            math.log(each.computed / each.measured) / self._deviation
            for each in held
            if each.computed is not None
        ]
        # A frequency that has lost its mode costs as if it were as far off as any.
        lost = sum(each.computed is None for each in held)
        change = (place - self._start) / _FREE
        return float(np.sum(np.square(off)) + np.sum(change**2)) + lost / self._deviation**2

    def _slopes(self, point: _Point) -> tuple[Array, Array]:
        """How much each matched mode's logarithm moves with each knob, and how far it is off."""
        rows = [each for each in point.held if each.number is not None]
        modes = point.solved.modes
        places = [each.number - 1 - modes.skipped for each in rows if each.number is not None]
        turned = self._turned(point.place)
        columns = []
        for knob, own, at in zip(self._knobs, self._scales, point.place, strict=True):
            found = slopes_of_knob(self._family, turned, knob.name, point.solved.solution)
            pull = found.frequencies[places] / modes.flexible[places]
            columns.append(pull * own.slope(float(at)))
        off = np.array([math.log(each.measured / (each.computed or 1.0)) for each in rows])
        return np.column_stack(columns), off

    def _step(self, point: _Point, slopes: Array, off: Array) -> Array:
        """The step least squares ask for, within the ranges and no farther than is sensible."""
        count = len(self._knobs)
        matrix = np.vstack([slopes / self._deviation, np.eye(count) / _FREE])
        wanted = np.concatenate([off / self._deviation, (self._start - point.place) / _FREE])
        low = np.maximum(self._low - point.place, -_FARTHEST)
        high = np.minimum(self._high - point.place, _FARTHEST)
        pinned = high - low < 1e-12
        low, high = np.where(pinned, low - 1e-9, low), np.where(pinned, high + 1e-9, high)
        return np.asarray(scipy.optimize.lsq_linear(matrix, wanted, (low, high)).x)

    def _better(self, point: _Point, change: Array) -> _Point | None:
        """A place on the way that costs less, if there is one."""
        for halving in range(_HALVINGS):
            place = np.clip(point.place + change * 0.5**halving, self._low, self._high)
            try:
                found = self._at(place, point.solved)
            except UserError:  # it buckles there, or is no design
                continue
            if found.cost < point.cost:
                return found
        return None

    def _told_of(self, first: _Point, last: _Point) -> Fit:
        slopes, _ = self._slopes(last)
        known = slopes.T @ slopes / self._deviation**2
        spread = np.linalg.inv(known + np.eye(len(self._knobs)) / _FREE**2)
        deviations = np.sqrt(np.diag(spread))
        texts: dict[str, str] = {}
        fitted = []
        for at, (knob, own) in enumerate(zip(self._knobs, self._scales, strict=True)):
            after = own.base(float(last.place[at])) / knob.scale
            wide = deviations[at] * own.slope(float(last.place[at])) / knob.scale
            after = _rounded(after, wide)
            texts[knob.name] = knob.text(after, 12)
            ends = abs(last.place[at] - np.array([self._low[at], self._high[at]]))
            fitted.append(
                FittedKnob(
                    knob.name,
                    knob.unit,
                    knob.value,
                    after,
                    float(wide),
                    bool(deviations[at] < _KNOWN * _FREE),
                    bool(ends.min() < 1e-6),
                )
            )
        correlation = spread / np.outer(deviations, deviations)
        alike = tuple(
            (self._knobs[i].name, self._knobs[j].name)
            for i in range(len(self._knobs))
            for j in range(i)
            if abs(correlation[i, j]) > _ALIKE
        )
        written = self._sheet.with_values(
            {("knobs", name, "value"): text for name, text in texts.items()}
        )
        design = DesignFamily(written).at()
        # What is reported was solved at the very texts that are written, to the sheet's accuracy.
        solved = solve(design, self._request, progress=_quiet(self._progress))
        self._solutions += 1
        held = held_against(Side("", design, solved.modes), self._told, self._how)
        return Fit(
            tuple(fitted),
            texts,
            written.text,
            written.folder,
            solved.modes,
            first.held,
            held,
            alike,
            self._deviation,
            self._solutions,
        )


class _Scale:
    """A knob as the search turns it: by its logarithm where it is a size, else by its range."""

    def __init__(self, knob: KnobValue) -> None:
        low, high = sorted(end * knob.scale for end in knob.range)
        stated = knob.start is not None or knob.stop is not None
        self._size = knob.base > 0 and low > 0
        if self._size:
            if not stated:
                low, high = knob.base / 100, knob.base * 100
            self.start = math.log(knob.base)
            self.low, self.high = math.log(low), math.log(high)
            self.low, self.high = min(self.low, self.start), max(self.high, self.start)
        else:
            self._width = (high - low) or 1.0
            self.start = knob.base / self._width
            self.low, self.high = low / self._width, high / self._width

    def base(self, at: float) -> float:
        """The knob in base units."""
        return math.exp(at) if self._size else at * self._width

    def slope(self, at: float) -> float:
        """How many base units one of the search's is there."""
        return math.exp(at) if self._size else self._width


def _rounded(value: float, deviation: float) -> float:
    """A value with no more digits than it is known to, and one."""
    if not (math.isfinite(deviation) and deviation > 0 and value):
        return float(f"{value:.6g}")
    digits = math.ceil(math.log10(abs(value) / deviation)) + 1
    return float(f"{value:.{min(max(digits, 3), 6)}g}")


def _checked(design: Design, name: str) -> KnobValue:
    knob = design.knobs.get(name)
    if knob is None:
        known = ", ".join(f"“{each}”" for each in design.knobs) or "none"
        raise FitError(f"there is no knob “{name}”; there are: {known}")
    if not knob.literal:
        raise FitError(f"“{name}” is worked out from other knobs; turn those")
    return knob


def _wide_enough(design: Design, told: ModesAtPoints) -> ModeRequest:
    """Modes enough that those measured are among them wherever the knobs go."""
    asked = request_for(design)
    if asked.above is not None:
        return asked
    count = max(asked.count, len(told) + _EXTRA)
    up_to = max(asked.up_to or 0.0, 1.2 * float(told.frequencies.max()))
    return ModeRequest(count, up_to, design.accuracy)


def _quiet(progress: Progress) -> Progress:
    """Steps within a step are not told; a stop is heard all the same."""
    return Progress(_stop=progress._stop)
