"""The preloaded state, its effect on modes and the speed diagram, as tables and plain data."""

from __future__ import annotations

from typing import Any, Final

from belltone.compare.matched import Match
from belltone.design.preload import RPM, SpinValue
from belltone.exchange.tables import percent
from belltone.modes.base_state import BaseState, Largest
from belltone.sheet.shown_units import AS_TYPED, ShownUnits
from belltone.sheet.units import format_number
from belltone.tune.speed_diagram import SpeedDiagram

__all__ = [
    "LARGEST_COLUMNS",
    "REACTION_COLUMNS",
    "buckling_text",
    "crossing_columns",
    "crossing_rows",
    "effect_columns",
    "effect_rows",
    "largest_rows",
    "reaction_rows",
    "spin_words",
    "state_data",
    "state_words",
]

LARGEST_COLUMNS: Final = ("largest", "value", "within", "on", "at x y z (mm)")
REACTION_COLUMNS: Final = ("support", "force x y z (N)", "moment x y z (N m)")

_EXACT: Final = 1e-4  # the least share of a value it is said to be off by
_ENDLESS: Final = 0.25  # a share; stress that still changes so much has no largest value there

_SHOWN: Final = {
    "m": (1e3, "mm"),
    "Pa": (1e-6, "MPa"),
    "N": (1.0, "N"),
    "N*m": (1.0, "N m"),
    "N/m": (1e-3, "N/mm"),
}


def largest_text(largest: Largest) -> str:
    """A value in the unit it is shown in."""
    factor, unit = _SHOWN[largest.unit]
    return f"{format_number(largest.value * factor, 5)} {unit}"


def largest_rows(base: BaseState) -> list[tuple[str, ...]]:
    """One row for each largest value, under `LARGEST_COLUMNS`."""
    return [
        (each.what, largest_text(each), within(each), each.part, _triple(each.at, 1e3, 1e-9))
        for each in base.largest
    ]


def within(largest: Largest) -> str:
    """How far a value may be off, as a share of it; a peak without an end is called one."""
    if largest.error is None:
        return ""
    share = largest.error / abs(largest.value)
    return percent(max(share, _EXACT)) if share < _ENDLESS else "a peak, not settled"


def reaction_rows(base: BaseState) -> list[tuple[str, ...]]:
    """One row for each support, under `REACTION_COLUMNS`."""
    return [
        (each.name, _triple(each.force, 1.0), _triple(each.moment, 1.0)) for each in base.reactions
    ]


def effect_columns(units: ShownUnits = AS_TYPED) -> tuple[str, ...]:
    """Heads of a table of modes without and with preload."""
    without, loaded = (units.head(each, "frequency") for each in ("without", "with preload"))
    return ("mode", without, loaded, "change", "what it does")


def effect_rows(matches: tuple[Match, ...], units: ShownUnits = AS_TYPED) -> list[tuple[str, ...]]:
    """One row for each mode, under `effect_columns`."""
    return [
        (
            "" if each.number is None else str(each.number),
            "" if each.before is None else units.number(each.before, "frequency"),
            "" if each.after is None else units.number(each.after, "frequency"),
            "" if each.change is None else f"{100 * each.change:+.3g} %",
            each.words if each.number is not None else f"{each.words}; mode {each.number_after}",
        )
        for each in matches
    ]


def crossing_columns(units: ShownUnits = AS_TYPED) -> tuple[str, ...]:
    """Heads of a table of crossings of branches and orders."""
    frequency = units.head("frequency", "frequency")
    return ("speed (rpm)", "order", frequency, "track", "kind", "margin")


def crossing_rows(diagram: SpeedDiagram, units: ShownUnits = AS_TYPED) -> list[tuple[str, ...]]:
    """One row for each crossing, under `crossing_columns`."""
    return [
        (
            format_number(each.speed, 5),
            f"{each.order:g}×",
            units.number(each.frequency, "frequency", 5),
            " and ".join(map(str, each.tracks)),
            each.kind,
            "" if each.margin is None else percent(each.margin),
        )
        for each in diagram.crossings
    ]


def spin_words(spin: SpinValue) -> str:
    """How fast a component spins, and with which orders its modes are held."""
    orders = ", ".join(f"{order:g}×" for order in spin.orders)
    return f"now {spin.speed / RPM:.5g} rpm; orders {orders}"


def buckling_text(base: BaseState) -> str:
    """What is known of buckling, in a few words; nothing for a state that has been followed."""
    if base.large:
        if base.snapped is not None:
            return f"snapped through at {percent(base.snapped, 3)} of this load"
        return "followed to the whole load, stable"
    if not base.factors:
        return "no buckling below 100 times this load"
    factor = f"buckles at {format_number(base.factors[0], 4)} times this load"
    if base.spun:
        # The load of a spin grows with the square of its speed.
        factor = f"critical at {_speeds(base.critical[:1])}, {base.factor_words(0)}"
    if base.gyroscopic:
        factor += ", without gyroscopic forces"
    if base.factor_error is not None and base.factor_error > 0.05:
        factor += f", give or take {percent(min(base.factor_error, 9.99))}: not resolved well"
    return factor


def _speeds(speeds: tuple[float, ...]) -> str:
    return ", ".join(format_number(speed / RPM, 4) for speed in speeds) + " rpm"


def state_words(base: BaseState) -> list[str]:
    """Lines on the whole state."""
    how = "large deflection" if base.large else "small deflection"
    lines = [f"{how}, {format_number(base.scale, 4)} times the stated load; {buckling_text(base)}"]
    if len(base.factors) > 1:
        others = ", ".join(format_number(factor, 4) for factor in base.factors[1:])
        higher = f"higher buckling factors: {others}"
        if base.spun:
            higher = f"higher critical speeds: {_speeds(base.critical[1:])}"
        lines.append(higher)
    lines.append(f"reactions balance the load to {base.imbalance:.1e} of it")
    if base.steps:
        lines.append(f"{len(base.steps)} load steps")
    return lines


def state_data(base: BaseState) -> dict[str, Any]:
    """The state as plain data for JSON, in SI units."""
    return {
        "deflection": "large" if base.large else "small",
        "scale": base.scale,
        "buckling_factors": list(base.factors),
        "buckling_factor_error": base.factor_error,
        "snapped_at": base.snapped,
        "steps": list(base.steps),
        "imbalance": base.imbalance,
        "largest": [
            {
                "what": each.what,
                "value": each.value,
                "error": each.error,
                "unit": each.unit,
                "part": each.part,
                "at_m": list(each.at),
            }
            for each in base.largest
        ],
        "reactions": [
            {"support": each.name, "force_N": list(each.force), "moment_Nm": list(each.moment)}
            for each in base.reactions
        ],
    }


def _triple(values: tuple[float, float, float], factor: float, least: float = 0.0) -> str:
    kept = (0.0 if abs(value) < least else value * factor for value in values)
    return "  ".join(format_number(value, 5) for value in kept)
