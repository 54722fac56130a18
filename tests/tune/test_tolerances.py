"""Tolerances against direct sampling, known shares, and theory."""

from __future__ import annotations

import math

import numpy as np
import pytest

from belltone.modes.modeset import ModeSet
from belltone.modes.solve import request_for
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.errors import SheetError
from belltone.sweep.work import solve_point
from belltone.tune.tolerances import ToleranceError, Tolerances, blame, tolerances
from tests.tune.test_clearing import bar, per_millimetre


def tolerant(sheet: Sheet, **spreads: str) -> Sheet:
    for name, text in spreads.items():
        key = "deviation" if text.startswith("~") else "tolerance"
        sheet = sheet.with_value(("knobs", name, key), text.lstrip("~"))
    return sheet


@pytest.fixture(scope="module")
def spread() -> Tolerances:
    """A bar whose first mode stands just above a band; height to 0.5 mm, width to a deviation."""
    first = per_millimetre()[0]
    sheet = bar([(15 * first, 18.8 * first)], wide=40.0, tall=20.0)
    return tolerances(tolerant(sheet, tall="0.5 mm", wide="~1 %"), 4000)


def test_spreads_of_a_bar_are_those_of_its_sizes(spread: Tolerances) -> None:
    first = per_millimetre()[0]
    nod, sway = spread.spreads[:2]
    assert nod.nominal == pytest.approx(20 * first, rel=1e-6)
    # Even between -0.5 and 0.5 mm: a deviation of 1 / sqrt(12) mm; 99 % within 0.495 mm.
    assert nod.deviation == pytest.approx(first / math.sqrt(12), rel=0.02)
    assert nod.low == pytest.approx((20 - 0.495) * first, rel=1e-3)
    assert nod.high == pytest.approx((20 + 0.495) * first, rel=1e-3)
    assert sway.deviation == pytest.approx(0.01 * 40 * first, rel=0.03)
    assert nod.total["tall"] == pytest.approx(1.0, abs=0.02)
    assert nod.total["wide"] == pytest.approx(0.0, abs=0.01)
    assert sway.first["wide"] == pytest.approx(1.0, abs=0.02)


def test_the_chance_of_a_band_is_that_of_the_height(spread: Tolerances) -> None:
    """The margin of 5 % ends at 19.74 mm: 24 % of all heights are below."""
    (chance,) = spread.chances
    assert chance.inside == 0.0
    expected = (18.8 * 1.05 - 19.5) / 1.0
    assert chance.margin == pytest.approx(expected, abs=4 * math.sqrt(expected * 0.76 / 1000))
    assert spread.near == chance.margin
    assert spread.blame["tall"] == pytest.approx(1.0, abs=0.02)
    # Good enough: at most 1 % beyond, at 0.98 of half the width.
    exact = (20 - 18.8 * 1.05) / 0.5 / 0.98
    assert spread.enough is not None
    assert spread.enough <= exact
    assert spread.enough == pytest.approx(exact, abs=0.06)
    assert set(spread.enough_alone) == {"tall"}
    assert spread.off < 1e-4
    assert spread.checked > 0


def test_designs_by_the_model_are_those_solved(spread: Tolerances) -> None:
    """Direct sampling with a generator of its own: within what its number of samples allows."""
    first = per_millimetre()[0]
    sheet = bar([(15 * first, 18.8 * first)], wide=40.0, tall=20.0)
    design = evaluate(sheet)
    draws = np.random.default_rng(5)
    count, hits = 200, 0
    for _ in range(count):
        turned = {
            "tall": 1e-3 * draws.uniform(19.5, 20.5),
            "wide": 1e-3 * draws.normal(40.0, 0.4),
        }
        found = solve_point(sheet.text, turned, request_for(design), None)
        assert isinstance(found, ModeSet)
        own = found.flexible
        hits += bool(np.any((own > 15 * first * 0.95) & (own < 18.8 * first * 1.05)))
    share = hits / count
    error = math.sqrt(share * (1 - share) / count)
    assert abs(share - spread.near) < 3.5 * error


def test_shares_of_blame_of_a_known_function() -> None:
    """The function of T. Ishigami and T. Homma (1990), whose shares are known."""
    draws = np.random.default_rng(1).uniform(-math.pi, math.pi, (2, 60_000, 3))

    def value(x: np.ndarray) -> np.ndarray:  # type: ignore[type-arg]
        return np.asarray(
            np.sin(x[:, 0]) + 7 * np.sin(x[:, 1]) ** 2 + 0.1 * x[:, 2] ** 4 * np.sin(x[:, 0])
        )

    mixed = []
    for knob in range(3):
        own = draws[0].copy()
        own[:, knob] = draws[1][:, knob]
        mixed.append(value(own))
    first, total = blame([value(draws[0]), value(draws[1]), *mixed])
    assert first == pytest.approx([0.3139, 0.4424, 0.0], abs=0.02)
    assert total == pytest.approx([0.5576, 0.4424, 0.2437], abs=0.02)


def test_it_is_repeatable(spread: Tolerances) -> None:
    first = per_millimetre()[0]
    sheet = bar([(15 * first, 18.8 * first)], wide=40.0, tall=20.0)
    again = tolerances(tolerant(sheet, tall="0.5 mm", wide="~1 %"), 4000)
    assert again.near == spread.near
    assert [each.low for each in again.spreads] == [each.low for each in spread.spreads]


def test_what_cannot_be_asked_is_said() -> None:
    with pytest.raises(ToleranceError, match="no knob has a tolerance"):
        tolerances(bar([]))
    with pytest.raises(ToleranceError, match="10 samples tell nothing"):
        tolerances(tolerant(bar([]), tall="1 mm"), 10)
    sheet = bar([]).with_value(("knobs", "wide", "value"), "2 * tall")
    with pytest.raises(ToleranceError, match="“wide” is computed from other knobs"):
        tolerances(tolerant(sheet, wide="1 mm"))


@pytest.mark.parametrize(
    ("key", "value", "told"),
    [
        ("step", "0 mm", "a step must be greater than zero"),
        ("step", "1 kg", "this is a mass"),
        ("tolerance", "0.1", "mm"),
        ("deviation", "-2 %", "a deviation must be greater than zero"),
        ("stock", ["2 mm", "3 s"], "stock 2: this is measured in s"),
    ],
)
def test_what_is_wrong_with_a_knob_is_said(key: str, value: object, told: str) -> None:
    sheet = bar([]).with_value(("knobs", "tall", key), value)
    with pytest.raises(SheetError, match=told):
        evaluate(sheet)


def test_a_stock_is_the_range_where_none_is_stated() -> None:
    sheet = bar([]).without(("knobs", "tall", "from")).without(("knobs", "tall", "to"))
    sheet = sheet.with_value(("knobs", "tall", "stock"), ["12 mm", "30 mm", "2 cm"])
    knob = evaluate(sheet).knobs["tall"]
    assert knob.range == (12, 30)
    assert knob.allowed() == (12, 20, 30)
    both = sheet.with_value(("knobs", "tall", "step"), "1 mm")
    with pytest.raises(SheetError, match="state a “step” or a “stock”"):
        evaluate(both)
