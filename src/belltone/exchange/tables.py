"""Results as tables, CSV and JSON: the same numbers, each with its unit."""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Sequence
from typing import Any, Final

from belltone.design.values import Design
from belltone.exchange.energy_tables import shares_data
from belltone.modes.modeset import Mode, ModeSet
from belltone.modes.refine import Refinement
from belltone.sheet.units import format_number
from belltone.system.contacts import Contact
from belltone.tune.bands import Standing, mode_standing

__all__ = [
    "CONTACT_COLUMNS",
    "MODE_COLUMNS",
    "REFINEMENT_COLUMNS",
    "as_csv",
    "as_json",
    "bands_data",
    "contact_rows",
    "entry_kind",
    "entry_numbers",
    "kinds_text",
    "mode_rows",
    "modes_data",
    "numbers_text",
    "percent",
    "refinement_data",
    "refinement_rows",
    "standing_text",
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
    """One row of text for each entry of the list, under `MODE_COLUMNS`: a pair is one."""
    rows: list[tuple[str, ...]] = []
    for entry in modes.entries():
        mode = modes.mode(entry.start)
        if mode.rigid:
            rows.append(("rigid", "0", "0", "0", "", "none", mode.kind, ""))
            continue
        rows.append(
            (
                entry_numbers(modes, entry),
                format_number(mode.frequency),
                format_number(mode.angular),
                format_number(mode.rpm),
                format_number(1e3 * mode.period),
                percent(max(float(modes.errors[place]) for place in entry)),
                entry_kind(modes, entry),
                standing_text(mode_standing(mode, design)),
            )
        )
    return rows


def entry_numbers(modes: ModeSet, entry: range) -> str:
    """Numbers of modes that are told as one."""
    return numbers_text([modes.mode(place).number for place in entry])


def numbers_text(numbers: Sequence[int]) -> str:
    """Numbers of modes that are told as one: “7 and 8”, “7 to 9”."""
    if len(numbers) == 1:
        return str(numbers[0])
    return f"{numbers[0]} {'and' if len(numbers) == 2 else 'to'} {numbers[-1]}"


def entry_kind(modes: ModeSet, entry: range) -> str:
    """What modes that are told as one do, and that they are a pair or a group."""
    return kinds_text([modes.kinds[place] for place in entry])


def kinds_text(kinds: Sequence[str]) -> str:
    """The kinds of modes that are told as one, and that they are a pair or a group."""
    told = " or ".join(dict.fromkeys(kinds))
    if len(kinds) == 1:
        return told
    return f"{told}; {'a pair' if len(kinds) == 2 else f'{len(kinds)} alike'}"


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
            _mode_data(mode, design) | shares_data(modes, index)
            for index, mode in enumerate(modes.modes())
        ],
        "rigid_modes": modes.rigid_count,
        "complete": modes.complete,
        "mass_kg": modes.mass,
        "unknowns": modes.unknowns,
        "order": modes.discretisation.order,
        "divisions": modes.discretisation.finest,
        "accuracy_asked_relative": design.accuracy,
        "bands": bands_data(design),
        "knobs": {
            name: {"value": knob.value, "unit": knob.unit} for name, knob in design.knobs.items()
        },
        "warnings": [str(warning) for warning in design.warnings],
    }


def _mode_data(mode: Mode, design: Design) -> dict[str, Any]:
    standing = None if mode.rigid else mode_standing(mode, design)
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


def bands_data(design: Design) -> list[dict[str, Any]]:
    """The excitation bands as plain data for JSON."""
    return [
        {
            "name": band.name,
            "from_hz": band.low,
            "to_hz": band.high,
            "margin_relative": design.margin,
            "spares": list(band.spares),
            "along": None if band.along is None else "xyz"[band.along],
            "least_effective_mass_share": None if band.along is None else band.least,
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
