"""A fit as rows of text, as sentences, and as data."""

from __future__ import annotations

from typing import Any, Final

from belltone.compare.fit import Fit, FittedKnob
from belltone.exchange.measurements import held_data, spread_words
from belltone.exchange.tables import percent
from belltone.sheet.units import format_number

__all__ = ["FIT_COLUMNS", "fit_data", "fit_lines", "fit_rows"]

FIT_COLUMNS: Final = ("knob", "stated", "fitted", "known within", "note")


def fit_rows(found: Fit) -> list[tuple[str, ...]]:
    """One row of text for each knob, under `FIT_COLUMNS`."""
    return [
        (
            each.name,
            _with_unit(each, each.before, 6),
            _with_unit(each, each.after, 6),
            f"±{_with_unit(each, each.deviation, 2)}",
            _note(each),
        )
        for each in found.knobs
    ]


def _with_unit(knob: FittedKnob, value: float, digits: int) -> str:
    return f"{format_number(value, digits)} {knob.unit}".strip()


def _note(knob: FittedKnob) -> str:
    words = []
    if not knob.told:
        words.append("what was measured says little of it")
    if knob.at_end:
        words.append("at an end of its range")
    return ", ".join(words)


def fit_lines(found: Fit) -> list[str]:
    """What the fit came to, and what it cannot explain."""
    lines = [
        f"before: {spread_words(found.before)}",
        f"after: {spread_words(found.after)}",
    ]
    lines += [
        f"“{first}” and “{second}” pull these modes alike: only both together are known"
        for first, second in found.alike
    ]
    for each in found.unexplained:
        if each.difference is None:
            lines.append(f"not explained: {format_number(each.measured)} Hz: {each.why}")
        else:
            lines.append(
                f"not explained: {format_number(each.measured)} Hz is still "
                f"{percent(abs(each.difference))} off mode {each.number}, more than "
                f"measuring to {percent(found.deviation)} would"
            )
    count = found.solutions
    lines.append(f"{count} design{'s' * (count != 1)} solved, the last to the sheet's accuracy")
    return lines


def fit_data(found: Fit) -> dict[str, Any]:
    """A fit as plain data for JSON."""
    return {
        "knobs": [
            {
                "name": each.name,
                "unit": each.unit,
                "stated": each.before,
                "fitted": each.after,
                "deviation": each.deviation,
                "told": each.told,
                "at_end": each.at_end,
            }
            for each in found.knobs
        ],
        "settings": dict(found.texts),
        "before": held_data(found.before),
        "after": held_data(found.after),
        "only_together": [list(pair) for pair in found.alike],
        "not_explained": [each.measured for each in found.unexplained],
        "deviation_relative": found.deviation,
        "solutions": found.solutions,
    }
