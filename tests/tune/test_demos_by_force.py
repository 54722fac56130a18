"""What clears demos with the least change, against the best of a fine grid read off a model."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

from belltone.modes.solve import request_for, solve
from belltone.reading.family import DesignFamily
from belltone.reduce.boxes import build_box
from belltone.reduce.model import ReducedModes
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.tune.clearing import clear
from belltone.tune.demands import demands_of
from belltone.tune.search import Aim


def by_force(sheet: Sheet, knobs: list[str], count: int) -> float:
    """The least change of a grid's designs that meet all demands; steps and stocks as they are."""
    family = DesignFamily(sheet)
    design = family.at()
    own = [design.knobs[name] for name in knobs]
    known = solve(design, request_for(design))
    ends = {knob.name: tuple(end * knob.scale for end in knob.range) for knob in own}
    model = build_box(
        family,
        {},
        ends,  # type: ignore[arg-type]
        request_for(design, 4),
        known.modes.discretisation,
        known.solution,
    )
    axes = [
        np.array(knob.allowed() or np.linspace(*knob.range, count)) * knob.scale for knob in own
    ]

    def change(place: tuple[float, ...]) -> float:
        shares = zip(place, own, ends.values(), strict=True)
        return math.hypot(*((at - knob.base) / (high - low) for at, knob, (low, high) in shares))

    demands = demands_of(design)
    for place in sorted(itertools.product(*axes), key=change):
        found = model.at(*map(float, place))
        if isinstance(found, ReducedModes) and not demands.missed(found):
            return change(place)
    return math.inf


@pytest.mark.parametrize(
    ("name", "knobs", "count", "step"),
    [
        ("infeed_rail", ["wall", "post_at"], 41, 0.05),  # three bands
        ("weld_horn", ["tip", "neck"], 6001, 0.01),  # a target, and a knob in steps
    ],
)
def test_nothing_on_a_fine_grid_changes_less(
    name: str, knobs: list[str], count: int, step: float
) -> None:
    """Within 2 % of the grid's best, and less than it by no more than its own step."""
    sheet = read_sheet(demo_sheet(name))
    found = clear(sheet, knobs, Aim.CHANGE)
    assert found.best.clear
    best = by_force(sheet, knobs, count)
    assert found.best.change <= 1.02 * best
    assert found.best.change >= (1 - step) * best
