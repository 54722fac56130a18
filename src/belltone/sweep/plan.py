"""What to sweep: a knob and the values it takes."""

from __future__ import annotations

import itertools
import re
from dataclasses import dataclass
from typing import Final

import numpy as np

from belltone.design.values import Design, KnobValue
from belltone.errors import UserError
from belltone.sheet.plain import PlainValueError, plain_value
from belltone.sheet.units import Dimension

__all__ = [
    "MOST_POINTS",
    "PlanError",
    "SweepPlan",
    "default_plan",
    "parse_plan",
    "read_knob_value",
    "read_values",
    "turnable",
]

MOST_POINTS: Final = 2001


class PlanError(UserError):
    """A sweep that cannot be run as asked for."""


@dataclass(frozen=True)
class SweepPlan:
    """A knob and its values, ascending, in the unit the knob is written in."""

    knob: str
    values: tuple[float, ...]


def default_plan(knob: KnobValue, points: int = 33) -> SweepPlan:
    """Spread points evenly over the knob's range; raises `PlanError` when it has none."""
    start, stop = knob.range
    if not start < stop:
        raise PlanError(f"“{knob.name}” is zero and has no range; state its “from” and “to”")
    return SweepPlan(knob.name, tuple(float(value) for value in np.linspace(start, stop, points)))


def parse_plan(text: str, design: Design) -> SweepPlan:
    """Read ``KNOB=START:STOP:POINTS`` or ``KNOB=VALUE, VALUE, …``; raises `PlanError`."""
    name, sign, values_text = (part.strip() for part in text.partition("="))
    if not sign or not re.fullmatch(r"\w+", name) or not _range_or_list(values_text):
        raise PlanError(
            f"“{text}” is neither KNOB=START:STOP:POINTS, such as “wall=2 mm:6 mm:41”, nor "
            "KNOB=VALUE, VALUE, such as “wall=2 mm, 3 mm, 5 mm”"
        )
    return SweepPlan(name, read_values(turnable(design, name), values_text))


def read_values(knob: KnobValue, text: str) -> tuple[float, ...]:
    """Read ``START:STOP:POINTS`` or ``VALUE, VALUE, …`` of a knob; raises `PlanError`."""
    parts = _range_or_list(text)
    if not parts:
        raise PlanError(f"“{text}” is neither START:STOP:POINTS nor VALUE, VALUE")
    if len(parts) == 1:
        return _listed(knob, text)
    start_text, stop_text, count_text = parts
    if not count_text.isdigit() or not 2 <= int(count_text) <= MOST_POINTS:
        raise PlanError(f"“{count_text}” is not a number of points from 2 to {MOST_POINTS}")
    start, stop = read_knob_value(knob, start_text), read_knob_value(knob, stop_text)
    if not start < stop:
        raise PlanError(f"the sweep of “{knob.name}” must end above its start")
    return tuple(float(value) for value in np.linspace(start, stop, int(count_text)))


def _range_or_list(text: str) -> list[str]:
    """The three parts of a range or the one of a list; none where it is neither."""
    parts = [part.strip() for part in text.split(":")]
    return parts if all(parts) and len(parts) in (1, 3) else []


def _listed(knob: KnobValue, text: str) -> tuple[float, ...]:
    found = [read_knob_value(knob, part) for part in text.split(",")]
    for before, after in itertools.pairwise(found):
        if not before < after:
            raise PlanError(
                f"values of “{knob.name}” must ascend, and {knob.text(after)} stands behind "
                f"{knob.text(before)}"
            )
    if len(found) < 2:
        raise PlanError(f"a sweep of “{knob.name}” needs two values or more, and has one")
    if len(found) > MOST_POINTS:
        raise PlanError(f"{len(found)} values of “{knob.name}” are more than {MOST_POINTS}")
    return tuple(found)


def turnable(design: Design, name: str) -> KnobValue:
    """Return a knob that can be turned; raises `PlanError` when there is none of that name."""
    if name not in design.knobs:
        known = ", ".join(f"“{knob}”" for knob in design.knobs) or "none"
        raise PlanError(f"there is no knob “{name}”; there is {known}")
    knob = design.knobs[name]
    if not knob.literal:
        raise PlanError(f"“{name}” is computed from other knobs; turn one of those instead")
    return knob


def read_knob_value(knob: KnobValue, text: str) -> float:
    """Read a value for a knob, in the knob's own unit; raises `PlanError`."""
    try:
        return plain_value(text, Dimension(f"value for “{knob.name}”", knob.unit, (knob.unit,)))
    except PlainValueError as error:
        raise PlanError(str(error)) from error
