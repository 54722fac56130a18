"""Results as tables, CSV and JSON: the same numbers, each with its unit."""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Sequence
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.modes.modeset import Mode, ModeSet
from belltone.modes.refine import Refinement
from belltone.sheet.units import format_number
from belltone.sweep.runner import Sweep
from belltone.system.contacts import Contact
from belltone.tune.bands import Standing, stand
from belltone.tune.clear import BandVisit, ClearInterval

__all__ = [
    "CONTACT_COLUMNS",
    "MODE_COLUMNS",
    "REFINEMENT_COLUMNS",
    "as_csv",
    "as_json",
    "contact_rows",
    "failure_lines",
    "mode_rows",
    "modes_data",
    "part_rows",
    "percent",
    "refinement_data",
    "refinement_rows",
    "solved_words",
    "standing_text",
    "sweep_data",
    "sweep_rows",
]

CONTACT_COLUMNS: Final = ("part", "and part", "meet", "joined")

MODE_COLUMNS: Final = (
    "mode",
    "frequency (Hz)",
    "rad/s",
    "rpm",
    "period (ms)",
    "error",
    "kind",
    "excitation",
)


def percent(share: float, digits: int = 2) -> str:
    """Write a share in percent; tiny ones as an upper bound rather than as nothing."""
    if 0 < share < 1e-6:
        return "below 0.0001 %"
    return f"{format_number(100 * share, digits)} %"


def standing_text(standing: Standing | None) -> str:
    """Say where a frequency stands against its nearest band."""
    if standing is None:
        return ""
    name = f"“{standing.band.name}”"
    if standing.place == "inside":
        return f"in {name}"
    apart = percent(standing.separation)
    if standing.place == "margin":
        return f"in the margin of {name}, {apart} from it"
    if not math.isfinite(standing.separation):
        return "clear"
    return f"clear, {apart} from {name}"


def mode_rows(modes: ModeSet, design: Design) -> list[tuple[str, ...]]:
    """One row of text for each mode, under `MODE_COLUMNS`."""
    rows: list[tuple[str, ...]] = []
    for mode in modes.modes():
        if mode.rigid:
            rows.append(("rigid", "0", "0", "0", "", "none", mode.kind, ""))
            continue
        rows.append(
            (
                str(mode.number),
                format_number(mode.frequency),
                format_number(mode.angular),
                format_number(mode.rpm),
                format_number(1e3 * mode.period),
                percent(mode.error),
                mode.kind_words,
                standing_text(stand(mode.frequency, design.bands, design.margin)),
            )
        )
    return rows


def part_rows(modes: ModeSet) -> tuple[tuple[str, ...], list[tuple[str, ...]]]:
    """Header and one row of text for each flexible mode: its strain energy by part."""
    header = ("mode", "frequency (Hz)", *(f"in {name}" for name in modes.part_names))
    rows = [
        (
            str(mode.number),
            format_number(mode.frequency, 7),
            *(f"{100 * share:.1f} %" for share in modes.part_energies[index]),
        )
        for index, mode in enumerate(modes.modes())
        if not mode.rigid
    ]
    return header, rows


def contact_rows(found: Sequence[Contact]) -> list[tuple[str, ...]]:
    """One row of text for each pair of parts, under `CONTACT_COLUMNS`."""
    return [
        (
            each.first,
            each.second,
            each.words,
            ", ".join(f"{joint.how} by “{joint.name}”" for joint in each.joints)
            if each.decided
            else ("not decided, so not joined" if each.touches else "near, not touching"),
        )
        for each in found
    ]


def modes_data(modes: ModeSet, design: Design) -> dict[str, Any]:
    """Modes as plain data for JSON."""
    return {
        "modes": [
            _mode_data(mode, design)
            | {
                "energy_share_by_part": dict(
                    zip(modes.part_names, map(float, modes.part_energies[index]), strict=True)
                )
            }
            for index, mode in enumerate(modes.modes())
        ],
        "rigid_modes": modes.rigid_count,
        "complete": modes.complete,
        "mass_kg": modes.mass,
        "unknowns": modes.unknowns,
        "order": modes.discretisation.order,
        "divisions": modes.discretisation.finest,
        "accuracy_asked_relative": design.accuracy,
        "bands": _bands_data(design),
        "knobs": {
            name: {"value": knob.value, "unit": knob.unit} for name, knob in design.knobs.items()
        },
        "warnings": [str(warning) for warning in design.warnings],
    }


def _mode_data(mode: Mode, design: Design) -> dict[str, Any]:
    standing = None if mode.rigid else stand(mode.frequency, design.bands, design.margin)
    return {
        "number": mode.number,
        "frequency_hz": mode.frequency,
        "angular_frequency_rad_per_s": mode.angular,
        "speed_rpm": mode.rpm,
        "period_s": mode.period if math.isfinite(mode.period) else None,
        "kind": mode.kind,
        "error_relative": mode.error,
        "equal_modes": list(mode.equals),
        "rigid": mode.rigid,
        "energy_share": dict(mode.energy),
        "effective_mass_kg": dict(zip("xyz", mode.effective_mass, strict=True)),
        "nearest_band": None
        if standing is None
        else {
            "name": standing.band.name,
            "place": standing.place,
            "separation_relative": standing.separation
            if math.isfinite(standing.separation)
            else None,
        },
    }


def _bands_data(design: Design) -> list[dict[str, Any]]:
    return [
        {
            "name": band.name,
            "from_hz": band.low,
            "to_hz": band.high,
            "margin_relative": design.margin,
        }
        for band in design.bands
    ]


REFINEMENT_COLUMNS: Final = (
    "mode",
    "kind",
    "frequency (Hz)",
    "on twice the divisions (Hz)",
    "change",
    "error stated",
)


def refinement_rows(found: Refinement) -> list[tuple[str, ...]]:
    """One row of text for each flexible mode, under `REFINEMENT_COLUMNS`."""
    return [
        (
            str(row["number"]),
            row["kind"],
            format_number(row["frequency_hz"], 7),
            "" if row["finer_hz"] is None else format_number(row["finer_hz"], 7),
            "" if row["change_relative"] is None else _signed_percent(row["change_relative"]),
            percent(row["error_relative"]),
        )
        for row in refinement_data(found)["modes"]
    ]


def refinement_data(found: Refinement) -> dict[str, Any]:
    """A refinement as plain data for JSON."""
    rows: list[dict[str, Any]] = []
    for place, (partner, change) in enumerate(zip(found.partners, found.changes, strict=True)):
        mode = found.modes.mode(found.modes.rigid_count + place)
        rows.append(
            {
                "number": mode.number,
                "kind": mode.kind,
                "frequency_hz": mode.frequency,
                "finer_hz": float(found.finer.flexible[partner]) if partner >= 0 else None,
                "change_relative": float(change) if partner >= 0 else None,
                "error_relative": mode.error,
            }
        )
    return {
        "modes": rows,
        "unknowns": found.modes.unknowns,
        "unknowns_finer": found.finer.unknowns,
        "within_estimates": found.within_estimates,
    }


def _signed_percent(share: float) -> str:
    size = percent(abs(share))
    return size if size.startswith("below") else ("−" if share < 0 else "+") + size


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


def sweep_rows(sweep: Sweep) -> tuple[tuple[str, ...], list[tuple[str, ...]]]:
    """Header and one row of text for each point asked for; an empty cell is "not found there".

    Beside where the component buckles stands the last point that has an answer, too.
    """
    unit = f" ({sweep.knob.unit})" if sweep.knob.unit else ""
    header = (
        f"{sweep.knob.name}{unit}",
        *(
            f"branch {number}, {branch.kind} (Hz)"
            for number, branch in enumerate(sweep.branches, start=1)
        ),
    )
    rows = [
        (
            format_number(float(sweep.values[index])),
            *(_cell(float(branch.frequencies[index])) for branch in sweep.branches),
        )
        for index in np.flatnonzero(sweep.asked | _edges(sweep))
    ]
    return header, rows


def solved_words(sweep: Sweep) -> str:
    """How many points were solved, and how many are read off a model."""
    read = int(np.count_nonzero(~sweep.exact))
    designs = f"{sweep.solutions} design{'s' * (sweep.solutions != 1)} solved"
    if not read:
        return designs
    return f"{designs}, {read} points read off the model they make"


def _edges(sweep: Sweep) -> NDArray[np.bool_]:
    """Points with an answer next to one that has buckled."""
    failures = (sweep.failures.get(float(value)) for value in sweep.values)
    buckled = np.array([failure is not None and failure.buckled for failure in failures])
    beside = np.zeros(len(buckled), dtype=bool)
    beside[1:] |= buckled[:-1]
    beside[:-1] |= buckled[1:]
    return np.asarray(beside & ~buckled)


def _cell(frequency: float) -> str:
    return format_number(frequency) if math.isfinite(frequency) else ""


def sweep_data(
    sweep: Sweep,
    design: Design,
    intervals: Sequence[ClearInterval],
    visits: Sequence[BandVisit],
) -> dict[str, Any]:
    """A sweep as plain data for JSON: points, branches, bands, clear intervals."""
    asked = np.flatnonzero(sweep.asked)
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
            for band in _bands_data(design)
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


def as_json(data: Any) -> str:
    """Write data as JSON text."""
    return json.dumps(data, indent=2, ensure_ascii=False, allow_nan=False) + "\n"


def as_csv(header: Sequence[str], rows: Sequence[Sequence[str]]) -> str:
    """Write a table as CSV text (RFC 4180, comma, point as decimal mark)."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(header)
    writer.writerows(rows)
    return stream.getvalue()
