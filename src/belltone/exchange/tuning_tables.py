"""Proposals and tolerances as rows of text, and as data."""

from __future__ import annotations

import math
from typing import Any

from belltone.exchange.tables import percent
from belltone.sheet.shown_units import AS_TYPED, ShownUnits
from belltone.sheet.units import format_number
from belltone.tune.proposals import Cleared, Proposal
from belltone.tune.search import Aim
from belltone.tune.tolerances import Tolerances

__all__ = [
    "cleared_data",
    "cleared_lines",
    "proposal_words",
    "spread_columns",
    "spread_rows",
    "tolerance_data",
    "tolerance_lines",
]


def proposal_words(found: Proposal, present: Proposal, units: ShownUnits = AS_TYPED) -> str:
    """A proposal in one line: the knobs, the margin, and what changes besides."""
    words = [found.words]
    if math.isfinite(found.margin):
        words.append(
            f"{percent(found.margin)} from the nearest band"
            if found.margin >= 0
            else f"{percent(-found.margin)} deep in a band"
        )
    more = found.told["mass"] - present.told["mass"]
    if abs(more) > 1e-6 * present.told["mass"]:
        words.append(f"{'+' if more > 0 else ''}{units.mass_text(more, 3)}")
    words += [
        f"{name} {format_number(value, 4)}" for name, value in found.told.items() if name != "mass"
    ]
    return ", ".join(words)


def cleared_lines(found: Cleared, units: ShownUnits = AS_TYPED) -> list[str]:
    """What a search came to, in words."""
    best, lines = found.best, []
    if best is found.present and best.clear:
        lines.append("clear as it stands; nothing is to be changed")
    elif best.clear:
        lines.append(f"clear at {proposal_words(best, found.present, units)}")
    else:
        lines.append("no design of these knobs meets every demand")
        lines.append(f"least bad: {proposal_words(best, found.present, units)}")
    lines += [f"  {words}" for words in found.binding]
    for margin, cost in found.trade:
        if cost is None:
            lines.append(f"with a margin of {percent(margin)}: none is clear")
        elif found.aim is Aim.MASS:
            lines.append(f"with a margin of {percent(margin)}: about {units.mass_text(cost)}")
        else:
            lines.append(f"with a margin of {percent(margin)}: a change of about {percent(cost)}")
    count = found.solutions
    lines.append(f"{count} design{'s' * (count != 1)} solved, the best of them with all its modes")
    return lines


def _proposal_data(found: Proposal) -> dict[str, Any]:
    return {
        "knobs": dict(found.texts),
        "clear": found.clear,
        "change": found.change,
        "least_margin": found.margin if math.isfinite(found.margin) else None,
        "told": dict(found.told),
        "missed": [each.words for each in found.missed],
        "frequency_hz": [float(each) for each in found.modes.flexible],
    }


def cleared_data(found: Cleared) -> dict[str, Any]:
    """A search as plain data for JSON."""
    return {
        "least": str(found.aim),
        "present": _proposal_data(found.present),
        "proposals": [_proposal_data(each) for each in found.proposals],
        "binding": list(found.binding),
        "margins": [{"margin": margin, "cost": cost} for margin, cost in found.trade],
        "solutions": found.solutions,
    }


def spread_columns(found: Tolerances, units: ShownUnits = AS_TYPED) -> tuple[str, ...]:
    """Heads of a table of spreads, with the share of each knob."""
    told = ("as drawn", "mean", "deviation", "99 % from", "to")
    heads = [units.head(each, "frequency") for each in told]
    return ("mode", "kind", *heads, *(f"by {knob.name}" for knob in found.knobs))


def spread_rows(found: Tolerances, units: ShownUnits = AS_TYPED) -> list[tuple[str, ...]]:
    """A row for each mode: where it stands over all designs, and which knobs are to blame."""
    return [
        (
            str(each.number),
            each.kind,
            *(units.number(own, "frequency") for own in (each.nominal, each.mean)),
            units.number(each.deviation, "frequency", 3),
            *(units.number(own, "frequency") for own in (each.low, each.high)),
            *(f"{100 * own:.0f} %" for own in each.total.values()),
        )
        for each in found.spreads
    ]


def tolerance_lines(found: Tolerances) -> list[str]:
    """What tolerances come to, in words."""
    lines = [
        f"“{each.name}”: {percent(each.inside)} of the designs have a mode in it, "
        f"{percent(each.margin)} in its margin (±{percent(each.error)})"
        for each in found.chances
    ]
    if found.chances:
        lines.append(
            f"{percent(1 - found.near)} of the designs are clear of every band (±"
            f"{percent(found.error)})"
        )
        worst = max(found.blame, key=lambda name: found.blame[name])
        lines.append(f"to blame: “{worst}” with {100 * found.blame[worst]:.0f} % of what varies")
        lines.append(_enough_words(found))
    lines += [
        f"“{each.name}”: {percent(each.met)} of the designs stand there (±{percent(each.error)})"
        for each in found.targets
    ]
    lines.append(
        f"{found.samples} designs by a model; largest difference from {found.checked} that were "
        f"solved {percent(found.off)}"
    )
    return lines


def _enough_words(found: Tolerances) -> str:
    if found.enough == 1.0:
        return "good enough: at most one design in a hundred is hit"
    if found.enough is None:
        return "no tolerance is good enough: the design itself is not clear"
    words = f"good enough: {100 * found.enough:.0f} % of all tolerances"
    alone = [
        f"{100 * factor:.0f} % of that of “{name}” alone"
        for name, factor in found.enough_alone.items()
        if factor is not None and factor < 1.0
    ]
    return words + (f", or {' or '.join(alone)}" if alone else "")


def tolerance_data(found: Tolerances) -> dict[str, Any]:
    """Tolerances as plain data for JSON."""
    return {
        "knobs": [knob.name for knob in found.knobs],
        "samples": found.samples,
        "modes": [
            {
                "mode": each.number,
                "kind": each.kind,
                "nominal_hz": each.nominal,
                "mean_hz": each.mean,
                "deviation_hz": each.deviation,
                "low_hz": each.low,
                "high_hz": each.high,
                "first_order": dict(each.first),
                "total": dict(each.total),
            }
            for each in found.spreads
        ],
        "bands": [
            {
                "name": each.name,
                "inside": each.inside,
                "margin": each.margin,
                "standard_error": each.error,
            }
            for each in found.chances
        ],
        "targets": [
            {"name": each.name, "met": each.met, "standard_error": each.error}
            for each in found.targets
        ],
        "hit": found.hit,
        "not_clear": found.near,
        "standard_error": found.error,
        "blame": dict(found.blame),
        "enough": found.enough,
        "enough_alone": dict(found.enough_alone),
        "largest_difference": found.off,
        "checked": found.checked,
        "solutions": found.solutions,
    }
