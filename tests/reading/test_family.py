"""A family of designs: the same designs as its sheet with the numbers written in, and slopes."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from belltone.design.values import Design
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.document import Sheet, read_sheet
from belltone.sheet.errors import SheetError

EXAMPLES = sorted((Path(__file__).parents[2] / "examples").glob("*.toml"))
SHEETS = {path.stem: read_sheet(path) for path in EXAMPLES}
FAMILIES = {name: DesignFamily(sheet) for name, sheet in SHEETS.items()}
KNOBS = [
    (name, knob)
    for name, family in FAMILIES.items()
    for knob, each in family.knobs.items()
    if each.literal
]


def same(one: Any, other: Any) -> bool:
    """Whether two values hold the very same numbers, arrays and curves included."""
    if type(one) is not type(other):
        return False
    if isinstance(one, np.ndarray):
        return one.shape == other.shape and np.array_equal(one, other, equal_nan=True)
    if dataclasses.is_dataclass(one) and not isinstance(one, type):
        return all(
            same(getattr(one, each.name), getattr(other, each.name))
            for each in dataclasses.fields(one)
        )
    if isinstance(one, dict):
        return one.keys() == other.keys() and all(same(one[key], other[key]) for key in one)
    if isinstance(one, tuple | list):
        return len(one) == len(other) and all(map(same, one, other))
    if isinstance(one, float):
        return one == other or (math.isnan(one) and math.isnan(other))
    if callable(one):  # a curve laid on a surface
        places = np.linspace(0.0, 1.0, 5)
        return all(map(same, one(places), other(places)))
    return bool(one == other)


def outcome(work: Callable[[], Design]) -> Design | list[str]:
    """A design, or all that is wrong with it."""
    try:
        return work()
    except SheetError as error:
        return [found.message for found in error.findings]


@settings(max_examples=60, deadline=None)
@given(st.sampled_from(KNOBS), st.floats(0.0, 1.0))
def test_a_design_of_the_family_is_that_of_the_sheet_with_the_number_written_in(
    chosen: tuple[str, str], share: float
) -> None:
    name, knob = chosen
    sheet, family = SHEETS[name], FAMILIES[name]
    stands = family.at().knobs[knob]
    low, high = stands.range
    value = low + share * (high - low)
    text = stands.exact_text(value)
    written = outcome(lambda: evaluate(sheet.with_value(("knobs", knob, "value"), text)))
    assert same(written, outcome(lambda: family.at(stands.turned(value))))
    assert same(written, outcome(lambda: evaluate(sheet, {knob: text})))


def test_designs_that_differ_are_told_apart() -> None:
    family = FAMILIES["infeed_rail"]
    knob = next(each for each in family.at().knobs.values() if each.literal)
    assert not same(family.at(), family.at({knob.name: knob.base * (1 + 1e-9)}))


FORMULAS = """belltone = 1
title = "Infeed rail"
[knobs.wall]
value = "3 mm"
[knobs.depth]
value = "20*wall + 10 mm"
[knobs.ratio]
value = "0.5"
[knobs.tilt]
value = "20 deg"
[materials.alloy]
density = "2700 kg/m^3 * ratio^3"
youngs_modulus = "70 GPa * sqrt(ratio)/(1 - tan(tilt)/2)"
poisson_ratio = "0.3"
[parts.rail]
kind = "member"
length = "max(0.6 m*cos(tilt) + depth^2/wall, 0.2 m)"
section = { shape = "solid rectangle", width = "min(depth, 1 m)", height = "abs(-wall*4)*ratio" }
material = "alloy"
[[supports]]
site = "rail.start"
hold = "clamped"
[[excitation.bands]]
name = "caps"
from = "50 Hz * (1 + sin(tilt))"
to = "2 kHz / 2^ratio"
"""


@pytest.mark.parametrize("knob", ["wall", "ratio", "tilt"])
def test_slopes_of_values_are_their_differences(knob: str) -> None:
    family = DesignFamily(Sheet.from_text(FORMULAS))
    base = family.at().knobs[knob].base
    step = 1e-6 * base
    above, below = (family.numbers({knob: base + side}) for side in (step, -step))
    slopes = family.slopes(knob)
    assert slopes
    for path in above:
        difference = (above[path] - below[path]) / (2 * step)
        assert slopes.get(path, 0.0) == pytest.approx(difference, rel=1e-7, abs=1e-9)


def test_slopes_follow_knobs_that_are_computed() -> None:
    family = DesignFamily(Sheet.from_text(FORMULAS))
    width = family.slopes("wall")["parts", "rail", "section", "width"]
    assert width == pytest.approx(20.0)
    # A knob that stands elsewhere no longer follows.
    assert ("parts", "rail", "section", "width") not in family.slopes("wall", {"depth": 0.1})


def test_a_family_names_a_knob_there_is_not() -> None:
    with pytest.raises(KeyError, match="wal"):
        FAMILIES["infeed_rail"].at({"wal": 1.0})
