"""Sweeps and surveys as tables: a row for each design, inputs and outputs with their units."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.exchange.tables import bands_data, percent
from belltone.modes.modeset import Spectrum
from belltone.reading.family import DesignFamily
from belltone.sheet.shown_units import ShownUnits
from belltone.sheet.units import format_number
from belltone.sweep.meetings import meetings
from belltone.sweep.runner import Sweep
from belltone.sweep.survey import Survey
from belltone.tune.clear import BandVisit, ClearInterval
from belltone.tune.outputs import Column, columns_of, least_margin

__all__ = [
    "Cell",
    "DesignTable",
    "Head",
    "best_row",
    "failure_lines",
    "margins_of",
    "meeting_lines",
    "survey_data",
    "survey_table",
    "sweep_data",
    "sweep_table",
    "sweep_words",
]

Cell = float | str | None


@dataclass(frozen=True)
class Head:
    """What stands in a column: its name, the unit of its numbers, and what is told in it.

    ``role`` is “input” for what was set, “frequency”, “output” for all else that is told, or
    “note”.
    """

    name: str
    unit: str
    role: str

    @property
    def text(self) -> str:
        """The name with its unit."""
        return f"{self.name} ({self.unit})" if self.unit else self.name


@dataclass(frozen=True)
class DesignTable:
    """For each design what was set, its frequencies (Hz), and what else is told."""

    columns: tuple[Head, ...]
    rows: tuple[tuple[Cell, ...], ...]

    @property
    def heads(self) -> tuple[str, ...]:
        """What stands above the columns."""
        return tuple(column.text for column in self.columns)

    def shown(self, units: ShownUnits) -> DesignTable:
        """The same with what is told in the units chosen; what was set stays in its knob's."""
        told = [
            (column.unit, 1.0) if column.role == "input" else units.told_in(column.unit)
            for column in self.columns
        ]
        if all(factor == 1.0 for _, factor in told):
            return self
        return DesignTable(
            tuple(
                replace(column, unit=unit)
                for column, (unit, _) in zip(self.columns, told, strict=True)
            ),
            tuple(
                tuple(
                    cell * factor if isinstance(cell, float) else cell
                    for cell, (_, factor) in zip(row, told, strict=True)
                )
                for row in self.rows
            ),
        )

    @property
    def texts(self) -> list[tuple[str, ...]]:
        """The rows as they are read; an empty cell is "not found there"."""
        return [tuple(_text(cell) for cell in row) for row in self.rows]


def _text(cell: Cell) -> str:
    if isinstance(cell, str):
        return cell
    if cell is None or not math.isfinite(cell):
        return ""
    return format_number(cell)


def sweep_table(sweep: Sweep, outputs: Sequence[str]) -> DesignTable:
    """The points asked for of a sweep of one knob.

    Beside where the component buckles stands the last point that has an answer, too.
    """
    first = next(found for found in sweep.sets if found is not None)
    told = columns_of(outputs, first)
    heads = (
        Head(sweep.knob.name, sweep.knob.unit, "input"),
        *(
            Head(f"branch {number}, {branch.kind}", "Hz", "frequency")
            for number, branch in enumerate(sweep.branches, start=1)
        ),
        *(Head(column.name, column.unit, "output") for column in told),
    )
    family = DesignFamily(sweep.sheet)
    rows = []
    for index in np.flatnonzero(sweep.asked | _edges(sweep)).tolist():
        frequencies = (float(branch.frequencies[index]) for branch in sweep.branches)
        told_here = _told(sweep, index, family, told)
        rows.append((float(sweep.values[index]), *frequencies, *told_here))
    return DesignTable(heads, tuple(rows))


def _told(sweep: Sweep, index: int, family: DesignFamily, columns: Sequence[Column]) -> list[Cell]:
    """What some columns tell of a point; nothing where it has no answer."""
    found = sweep.sets[index]
    if found is None or not columns:
        return [None] * len(columns)
    design = family.at(sweep.knob.turned(float(sweep.values[index])))
    return [column.read(found, design) for column in columns]


def _edges(sweep: Sweep) -> NDArray[np.bool_]:
    """Points with an answer next to one that has buckled."""
    failures = (sweep.failures.get(float(value)) for value in sweep.values)
    buckled = np.array([failure is not None and failure.buckled for failure in failures])
    beside = np.zeros(len(buckled), dtype=bool)
    beside[1:] |= buckled[:-1]
    beside[:-1] |= buckled[1:]
    return np.asarray(beside & ~buckled)


def sweep_words(solutions: int, exact: NDArray[np.bool_]) -> str:
    """How many points were solved, and how many are read off a model."""
    read = int(np.count_nonzero(~exact))
    designs = f"{solutions} design{'s' * (solutions != 1)} solved"
    if not read:
        return designs
    return f"{designs}, {read} points read off the model they make"


def meeting_lines(sweep: Sweep) -> list[str]:
    """Where branches cross and veer, in words."""
    return [
        f"branches {each.first} and {each.second} "
        + ("cross" if each.crosses else f"veer, {percent(each.closeness)} apart,")
        + f" at {sweep.knob.text(each.value, 4)}, {format_number(each.frequency, 4)} Hz"
        for each in meetings(sweep)
    ]


def failure_lines(sweep: Sweep) -> list[str]:
    """Why points have no answer; neighbours that have buckled in one line."""
    lines: list[str] = []
    run: list[float] = []
    for value in [*map(float, sweep.values), None]:
        failure = None if value is None else sweep.failures.get(value)
        if value is not None and failure is not None and failure.buckled:
            run.append(value)
            continue
        if run:
            ends = sweep.knob.text(run[0], 6)
            if len(run) > 1:
                ends += f" to {sweep.knob.text(run[-1], 6)}"
            lines.append(f"buckled at {ends}")
            run = []
        if failure is not None and value is not None:
            lines.append(f"no answer at {sweep.knob.text(value)}: {failure.detail}")
    return lines


def sweep_data(
    sweep: Sweep,
    design: Design,
    intervals: Sequence[ClearInterval],
    visits: Sequence[BandVisit],
    outputs: Sequence[str],
) -> dict[str, Any]:
    """A sweep as plain data for JSON: points, branches, bands, clear intervals."""
    asked = np.flatnonzero(sweep.asked).tolist()
    first = next(found for found in sweep.sets if found is not None)
    family = DesignFamily(sweep.sheet)
    told = columns_of(outputs, first)
    rows = [_told(sweep, index, family, told) for index in asked]
    return {
        "knob": {"name": sweep.knob.name, "unit": sweep.knob.unit},
        "points": [float(sweep.values[index]) for index in asked],
        "branches": [
            {
                "number": number,
                "kind": branch.kind,
                "frequency_hz": [
                    value if math.isfinite(value := float(branch.frequencies[index])) else None
                    for index in asked
                ],
                "lowest_assurance": branch.certainty,
                "veers_at": list(branch.veers),
            }
            for number, branch in enumerate(sweep.branches, start=1)
        ],
        "bands": [
            {
                **band,
                "visits": [
                    {
                        "branch": visit.branch,
                        "from": visit.start,
                        "to": visit.stop,
                        "margin_only": visit.margin_only,
                    }
                    for visit in visits
                    if visit.band == band["name"]
                ],
            }
            for band in bands_data(design)
        ],
        "outputs": [
            {
                "name": column.name,
                "unit": column.unit,
                "values": [_number(row[at]) for row in rows],
            }
            for at, column in enumerate(told)
        ],
        "meetings": [
            {
                "value": each.value,
                "frequency_hz": each.frequency,
                "branches": [each.first, each.second],
                "closeness_relative": each.closeness,
            }
            for each in meetings(sweep)
        ],
        "solved": [bool(sweep.exact[index]) for index in asked],
        "solutions": sweep.solutions,
        "clear_intervals": [{"from": each.start, "to": each.stop} for each in intervals],
        "worst_error_relative": sweep.worst_error,
        "failures": [
            {"value": value, "kind": str(failure.reason), "reason": failure.detail}
            for value, failure in sorted(sweep.failures.items())
        ],
    }


def survey_table(survey: Survey, outputs: Sequence[str]) -> DesignTable:
    """All designs of a plan; what failed says why in the last column."""
    first = next(found for found in survey.sets if found is not None)
    told = columns_of(outputs, first)
    heads = (
        *(Head(column.name, column.unit, "input") for column in survey.plan.columns),
        *(
            Head(f"track {number}, {track.kind}", "Hz", "frequency")
            for number, track in enumerate(survey.tracks, start=1)
        ),
        *(Head(column.name, column.unit, "output") for column in told),
        Head("note", "", "note"),
    )
    rows = tuple(_survey_rows(survey, told))
    return DesignTable(heads, rows)


def _survey_rows(survey: Survey, told: Sequence[Column]) -> Iterator[tuple[Cell, ...]]:
    for row, (inputs, found) in enumerate(zip(survey.plan.rows, survey.sets, strict=True)):
        frequencies = [track.frequency(row, found) for track in survey.tracks]
        own: list[Cell] = [None] * len(told)
        design = survey.variants.design(row) if found is not None else None
        if found is not None and isinstance(design, Design):
            own = [column.read(found, design) for column in told]
        failure = survey.failures.get(row)
        note = "" if failure is None else failure.detail
        if failure is None and not survey.exact[row]:
            note = "by the model"
        yield (*(_input(cell) for cell in inputs), *frequencies, *own, note)


def _input(cell: Any) -> Cell:
    return cell if isinstance(cell, float | str) else str(cell)


def best_row(survey: Survey) -> tuple[int, float] | None:
    """The design farthest from every band, and its least margin as a share, if any is stated."""
    margins = [(row, share) for row, share in enumerate(margins_of(survey)) if share is not None]
    return max(margins, key=lambda own: own[1], default=None)


def margins_of(survey: Survey) -> list[float | None]:
    """The least margin of each design to any band, as a share; nothing where there is none."""
    found: list[float | None] = []
    for row, modes in enumerate(survey.sets):
        design = survey.variants.design(row)
        known = modes is not None and isinstance(design, Design)
        found.append(least_margin(modes, design) if known else None)  # type: ignore[arg-type]
    return found


def survey_data(survey: Survey, outputs: Sequence[str]) -> dict[str, Any]:
    """A plan with its answers as plain data for JSON."""
    first = next(found for found in survey.sets if found is not None)
    told = columns_of(outputs, first)
    designs = []
    for row, (inputs, found) in enumerate(zip(survey.plan.rows, survey.sets, strict=True)):
        failure = survey.failures.get(row)
        design = survey.variants.design(row)
        known = found is not None and isinstance(design, Design)
        designs.append(
            {
                "inputs": list(inputs),
                "frequency_hz": [_number(each.frequency(row, found)) for each in survey.tracks],
                "error_relative": [_error(each.places[row], found) for each in survey.tracks],
                "outputs": [
                    _number(column.read(found, design)) if known else None  # type: ignore[arg-type]
                    for column in told
                ],
                "solved": bool(survey.exact[row]) and failure is None,
                "failure": None
                if failure is None
                else {"kind": str(failure.reason), "reason": failure.detail},
            }
        )
    return {
        "inputs": [{"name": own.name, "unit": own.unit} for own in survey.plan.columns],
        "shape": list(survey.plan.shape),
        "tracks": [
            {"number": number, "kind": track.kind}
            for number, track in enumerate(survey.tracks, start=1)
        ],
        "outputs": [{"name": column.name, "unit": column.unit} for column in told],
        "designs": designs,
        "open_loops": [list(loop) for loop in survey.loops],
        "solutions": survey.solutions,
        "worst_error_relative": survey.worst_error,
    }


def _number(value: Cell) -> Cell:
    return None if isinstance(value, float) and not math.isfinite(value) else value


def _error(place: int, found: Spectrum | None) -> float | None:
    if found is None or place < 0:
        return None
    error = float(found.errors[found.rigid_count + place])
    return error if math.isfinite(error) else None
