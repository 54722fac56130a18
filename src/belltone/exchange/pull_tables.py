"""Pulls as rows of text, and as data."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from belltone.design.values import KnobValue
from belltone.modes.modeset import ModeSet
from belltone.sheet.errors import path_text
from belltone.tune.others import Other
from belltone.tune.pull import Pull

__all__ = ["other_rows", "pull_columns", "pull_data", "pull_rows"]


def pull_columns(modes: ModeSet, buckling: int) -> tuple[str, ...]:
    """Heads of the columns, for so many modes and buckling factors."""
    first = modes.skipped + 1
    numbers = range(first, first + len(modes.flexible))
    return (
        "of",
        "value",
        "mass (%)",
        *(f"mode {number} (%)" for number in numbers),
        *(f"buckling {place + 1} (%)" for place in range(buckling)),
    )


def pull_rows(pulls: Mapping[str, Pull], knobs: Mapping[str, KnobValue]) -> list[tuple[str, ...]]:
    """One row for each knob: what one percent more of it does, in percent."""
    return [
        (
            name,
            knobs[name].text(),
            *(f"{each:+.4f}" for each in (pull.mass, *pull.frequencies, *pull.factors)),
        )
        for name, pull in pulls.items()
    ]


def other_rows(others: Sequence[Other], buckling: int) -> list[tuple[str, ...]]:
    """Rows of numbers that are no knobs, the strongest pull on any mode first."""
    ranked = sorted(others, key=lambda each: -float(np.abs(each.pull.frequencies).max(initial=0)))
    return [
        (
            path_text(each.path),
            each.text,
            *(f"{own:+.4f}" for own in (each.pull.mass, *each.pull.frequencies)),
            *("",) * buckling,
        )
        for each in ranked
    ]


def pull_data(
    pulls: Mapping[str, Pull],
    knobs: Mapping[str, KnobValue],
    modes: ModeSet,
    others: Sequence[Other] = (),
) -> dict[str, Any]:
    """The same as numbers, in percent for one percent of the knob."""
    first = modes.skipped + 1
    return {
        "modes": [
            {"mode": first + place, "frequency_Hz": float(frequency)}
            for place, frequency in enumerate(modes.flexible)
        ],
        "knobs": [
            {
                "knob": name,
                "value": knobs[name].value,
                "unit": knobs[name].unit,
                "mass_percent": pull.mass,
                "frequencies_percent": [float(each) for each in pull.frequencies],
                "buckling_percent": [float(each) for each in pull.factors],
            }
            for name, pull in pulls.items()
        ],
        "numbers": [
            {
                "path": list(each.path),
                "value": each.text,
                "mass_percent": each.pull.mass,
                "frequencies_percent": [float(own) for own in each.pull.frequencies],
            }
            for each in others
        ],
    }
