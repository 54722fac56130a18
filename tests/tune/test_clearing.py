"""Clear: known optima, brute force, infeasible and discrete problems."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from numpy.typing import ArrayLike, NDArray

from belltone.exchange.tuning_tables import cleared_lines
from belltone.modes.solve import request_for, solve
from belltone.progress import Cancelled, Progress
from belltone.reading.family import DesignFamily, evaluate
from belltone.reduce.designs import UnmodelledError
from belltone.sheet.document import Sheet
from belltone.sweep.models import model_of
from belltone.sweep.plan import PlanError
from belltone.tune import knob_search
from belltone.tune.bands import verdict
from belltone.tune.clearing import CONDITIONS, clear
from belltone.tune.conditions import ConditionError, parse_condition
from belltone.tune.proposals import Cleared, Tried
from belltone.tune.search import Aim
from tests.reduce.test_line import WHIRLING

Array = NDArray[np.float64]

# A bar held at its start, bending about y with its height and about z with its width. Both
# frequencies are proportional to those, so every answer is known.
BAR = """\
belltone = 1
title = "a bar"

[knobs]
wide = {{ value = "{wide} mm", from = "20 mm", to = "60 mm"{steps} }}
tall = {{ value = "{tall} mm", from = "10 mm", to = "40 mm"{steps} }}

[parts.bar]
kind = "member"
material = "structural steel"
length = "2 m"
section = {{ shape = "solid rectangle", width = "wide", height = "tall" }}

[[supports]]
site = "bar.start"
hold = "clamped"

[excitation]
margin = "5 %"

{bands}
[accuracy]
divisions = 1
order = 5

[modes]
count = {count}
"""

BAND = """\
[[excitation.bands]]
name = "{name}"
from = "{low} Hz"
to = "{high} Hz"

"""


def bar(
    bands: list[tuple[float, float]],
    wide: float = 40.0,
    tall: float = 20.0,
    steps: str = "",
    count: int = 4,
) -> Sheet:
    told = "".join(
        BAND.format(name=f"band {at}", low=low, high=high)
        for at, (low, high) in enumerate(bands, start=1)
    )
    return Sheet.from_text(BAR.format(wide=wide, tall=tall, bands=told, steps=steps, count=count))


@cache
def per_millimetre() -> tuple[float, float, float]:
    """The three lowest frequencies of one bending direction, for a millimetre of its depth."""
    sheet = bar([], count=8)
    design = evaluate(sheet)
    modes = solve(design, request_for(design)).modes
    kinds = modes.kinds[modes.rigid_count :]
    tall = [f for f, kind in zip(modes.flexible, kinds, strict=True) if "about y" in kind]
    return tuple(float(each) / 20.0 for each in tall[:3])  # type: ignore[return-value]


def free(sizes: Array, bands: list[tuple[float, float]], margin: float) -> NDArray[np.bool_]:
    """Which of some bars, widths beside heights, are clear; but for the shear of short waves."""
    own = np.concatenate([each * sizes for each in per_millimetre()])
    taken = [(own > low * (1 - margin)) & (own < high * (1 + margin)) for low, high in bands]
    return ~np.any(taken, axis=(0, 1))


def least_change(sizes: Array, start: tuple[float, float], bands: list[tuple[float, float]]) -> Any:
    """The nearest of some bars that are clear."""
    change = np.hypot((sizes[0] - start[0]) / 40.0, (sizes[1] - start[1]) / 30.0)
    return change[free(sizes, bands, 0.05)].min()


def by_force(sheet: Sheet, bands: list[tuple[float, float]], aim: Aim) -> float:
    """The best on a fine grid, by proportion."""
    knobs = evaluate(sheet).knobs
    sizes = crossed(*(np.linspace(*knobs[name].range, 321) for name in ("wide", "tall")))
    if aim is Aim.CHANGE:
        return float(least_change(sizes, (knobs["wide"].value, knobs["tall"].value), bands))
    return float(np.prod(sizes, axis=0)[free(sizes, bands, 0.05)].min())


def crossed(wide: ArrayLike, tall: ArrayLike) -> Array:
    """Every width with every height: two rows."""
    return np.reshape(np.meshgrid(wide, tall), (2, -1))


def worth(found: Cleared, aim: Aim) -> float:
    if aim is Aim.CHANGE:
        return found.best.change
    return found.best.told["mass"] / 7850 / 2 * 1e6


@pytest.mark.parametrize("aim", [Aim.CHANGE, Aim.MASS])
@pytest.mark.parametrize(
    "bands",
    [
        [(4.0, 4.4)],  # the first mode stands in it
        [(4.0, 4.4), (8.0, 9.0)],
        [(3.5, 4.6), (7.5, 9.5), (24.0, 27.0)],
    ],
)
def test_the_best_of_a_bar_is_that_of_a_fine_grid(
    aim: Aim, bands: list[tuple[float, float]]
) -> None:
    sheet = bar(bands)
    found = clear(sheet, ["wide", "tall"], aim)
    assert found.best.clear
    grid = by_force(sheet, bands, aim)
    assert worth(found, aim) <= 1.02 * grid
    assert worth(found, aim) >= 0.96 * grid  # a step of the grid, and the shear it leaves out
    # What is called clear is clear when it is solved afresh.
    design = evaluate(found.best.sheet)
    modes = solve(design, request_for(design)).modes
    assert verdict(modes, design.bands, design.margin).clear
    assert not found.present.clear
    assert found.solutions < 60


def test_a_mode_that_must_pass_below_does() -> None:
    """Above the band the bar would have to be taller than it may be; below it may stand."""
    first = per_millimetre()[0]
    band = (19 * first, 41 * first)  # of a bar 19 to 41 mm tall; at most 40 mm are allowed
    found = clear(bar([band], wide=60.0, tall=25.0), ["tall"])
    assert found.best.clear
    tall = evaluate(found.best.sheet).knobs["tall"].value
    assert tall == pytest.approx(0.95 * 19, rel=3e-3)
    assert tall < 0.95 * 19


def test_with_steps_the_best_is_that_of_all_there_are() -> None:
    bands = [(4.0, 4.4), (8.0, 9.0)]
    sheet = bar(bands, steps=', step = "1.5 mm"', wide=40.5, tall=21.0)
    found = clear(sheet, ["wide", "tall"])
    assert found.best.clear
    knobs = evaluate(sheet).knobs
    assert knobs["tall"].allowed()[:2] == (10.5, 12.0)
    sizes = crossed(knobs["wide"].allowed(), knobs["tall"].allowed())
    best = least_change(sizes, (40.5, 21.0), bands)
    assert found.best.change == pytest.approx(best, rel=1e-6)
    chosen = evaluate(found.best.sheet).knobs
    assert chosen["wide"].value in knobs["wide"].allowed()
    # One knob in steps, the other free: at least as good.
    mixed = bar(bands, wide=40.5, tall=21.0).with_value(("knobs", "wide", "step"), "1.5 mm")
    both = clear(mixed, ["wide", "tall"])
    assert both.best.clear
    assert both.best.change <= best + 1e-9
    assert evaluate(both.best.sheet).knobs["wide"].value in knobs["wide"].allowed()


def test_the_widest_margin_is_half_way_between() -> None:
    """One band, one knob: the margin grows until the next mode is as near from the other side."""
    first, second, _ = per_millimetre()
    # The width is 60 mm, so its first mode stands at 60 f1; height alone is turned, its modes at
    # t f1 and t f2. A band between them is farthest where f1 t is as far below as 60 f1 above.
    low, high = 30 * first, 45 * first
    found = clear(bar([(low, high)], wide=60.0, tall=25.0), ["tall"], Aim.MARGIN)
    tall = evaluate(found.best.sheet).knobs["tall"].value
    above = 60 * first / high - 1
    assert found.best.margin == pytest.approx(above, rel=5e-3)
    assert 1 - tall * first / low >= above - 2e-3
    assert tall * second / high - 1 >= above - 2e-3


def test_a_whirl_seen_from_the_ground_is_cleared() -> None:
    text = WHIRLING.replace("SEEN", "ground").replace("free = true", "count = 4")
    text = text.replace('diameter = "30 mm"', 'diameter = "d"')
    text += '[knobs.d]\nvalue = "30 mm"\nfrom = "20 mm"\nto = "40 mm"\n'
    text += '[accuracy]\ndivisions = 2\norder = 4\n[excitation]\nmargin = "5 %"\n'
    text += BAND.format(name="drive", low=19, high=23)
    found = clear(Sheet.from_text(text), ["d", "k"])
    assert found.best.clear
    design = evaluate(found.best.sheet)
    own = solve(design, request_for(design)).modes
    assert own.kinds[0].endswith("backward whirl")
    assert verdict(own, design.bands, design.margin).clear
    # Above the band, which is nearer than below it.
    assert own.flexible[0] == pytest.approx(23 * 1.05, rel=1e-3)


def test_what_cannot_be_cleared_says_what_binds() -> None:
    first = per_millimetre()[0]
    band = (0.5 * 10 * first, 2 * 40 * first)
    found = clear(bar([band]), ["tall"])
    assert not found.best.clear
    assert any("stands too near to “band 1”" in words for words in found.binding)
    assert len(found.best.missed) > 0
    narrow = (20 * first, 52 * first)
    sheet = bar([narrow], wide=60.0, tall=30.0).with_value(("knobs", "tall", "from"), "22 mm")
    found = clear(sheet, ["tall"])
    assert not found.best.clear
    assert any("“tall” stands at its end, 22 mm; below it is better" in w for w in found.binding)


def test_conditions_are_kept() -> None:
    bands = [(4.0, 4.4)]
    plain = clear(bar(bands), ["wide", "tall"])
    mass = plain.best.told["mass"]
    lighter = parse_condition(
        f"mass < {0.97 * min(mass, plain.present.told['mass'])} kg", CONDITIONS
    )
    found = clear(bar(bands), ["wide", "tall"], conditions=[lighter])
    assert found.best.clear
    assert found.best.told["mass"] < lighter.bound
    assert found.best.change >= plain.best.change - 1e-6
    with pytest.raises(ConditionError, match="nothing loads this sheet"):
        clear(bar(bands), ["tall"], conditions=[parse_condition("stress < 3 MPa", CONDITIONS)])
    with pytest.raises(ConditionError, match="neither bands nor targets"):
        clear(bar([]), ["tall"])
    with pytest.raises(PlanError, match="there is no knob “length”"):
        clear(bar(bands), ["length"])


def test_stress_is_kept_below_its_limit_by_what_was_solved() -> None:
    """Its own weight bends the bar: stress goes with one over the height."""
    bands = [(2.9, 3.3)]
    text = bar(bands, wide=40.0, tall=14.0).text
    weight = '\n[preload]\nacceleration = ["0 m/s^2", "0 m/s^2", "9.81 m/s^2"]\n'
    sheet = Sheet.from_text(text.replace("\n[excitation]", weight + "\n[excitation]"))
    plain = clear(sheet, ["tall"])
    limit = parse_condition("stress < 40 MPa", CONDITIONS)
    found = clear(sheet, ["tall"], conditions=[limit])
    assert found.best.clear
    assert found.best.told["stress"] < 40
    tall = evaluate(found.best.sheet).knobs["tall"].value
    # 3 rho g l^2 / t of a cantilever under its weight
    assert found.best.told["stress"] == pytest.approx(
        3 * 7850 * 9.81 * 2.0**2 / (1e-3 * tall) / 1e6, rel=0.02
    )
    assert plain.best.change <= found.best.change + 1e-9


def test_modes_that_are_spared_may_stand_in_bands() -> None:
    first = per_millimetre()[0]
    sheet = bar([(39 * first, 41 * first)], wide=40.0, tall=20.0)
    assert not clear(sheet, ["tall"]).present.clear
    spared = clear(sheet, ["tall"], spared=["bending about z"])
    assert spared.present.clear
    assert spared.best.change == 0


def test_a_band_may_spare_kinds_by_itself() -> None:
    """Two bands about the same mode: one spares it, the other counts."""
    first = per_millimetre()[0]
    bands = [(39 * first, 41 * first), (19.5 * first, 20.5 * first)]
    sheet = bar(bands, wide=40.0, tall=20.0)
    sheet = sheet.with_value(("excitation", "bands", 0, "spares"), ["bending about z"])
    found = clear(sheet, ["wide", "tall"])
    assert [each.words for each in found.present.missed] == ["mode 1 stands too near to “band 2”"]
    assert found.best.clear
    knobs = evaluate(found.best.sheet).knobs
    assert knobs["wide"].value == 40
    design = evaluate(found.best.sheet)
    modes = solve(design, request_for(design)).modes
    assert verdict(modes, design.bands, design.margin).clear
    assert found.best.margin == pytest.approx(0.05, abs=2e-3)


def test_a_band_may_shake_along_one_axis_alone() -> None:
    """Bending about y moves the bar along z: a band along y does not shake it, one along z does."""
    first = per_millimetre()[0]
    sheet = bar([(19.5 * first, 20.5 * first)], wide=40.0, tall=20.0)
    assert clear(sheet, ["tall"]).best.change > 0
    for axis, moved in (("y", False), ("z", True)):
        own = sheet.with_value(("excitation", "bands", 0, "along"), axis)
        found = clear(own, ["tall"])
        assert found.present.clear is not moved
        assert (found.best.change > 0) is moved
        assert found.best.clear


def test_targets_are_met_and_kept_apart() -> None:
    first = per_millimetre()[0]
    sheet = bar([], wide=40.0, tall=20.0).with_value(
        ("targets",),
        [
            {
                "name": "nod",
                "mode": {"kind": "bending about y", "place": 1},
                "frequency": f"{23 * first} Hz",
                "within": "0.01 Hz",
            },
            {
                "mode": {"kind": "bending about z", "place": 1},
                "times": "1.5",
                "of": {"kind": "bending about y", "place": 1},
                "tolerance": "0.5 %",
            },
        ],
    )
    found = clear(sheet, ["wide", "tall"])
    assert found.best.clear, found.best.missed
    knobs = evaluate(found.best.sheet).knobs
    assert knobs["tall"].value == pytest.approx(23, rel=2e-3)
    assert knobs["wide"].value == pytest.approx(1.5 * 23, rel=6e-3)


def test_it_is_repeatable_shows_what_it_tries_and_stops() -> None:
    bands = [(4.0, 4.4), (8.0, 9.0)]
    shown: list[Any] = []
    progress = Progress(viewer=shown.append)
    first = clear(bar(bands), ["wide", "tall"], progress=progress)
    again = clear(bar(bands), ["wide", "tall"])
    assert first.best.texts == again.best.texts
    assert first.solutions == again.solutions
    tried = [each for each in shown if isinstance(each, Tried)]
    assert tried
    assert set(tried[-1].texts) == {"wide", "tall"}
    stopped = Progress()
    stopped.cancel()
    with pytest.raises(Cancelled):
        clear(bar(bands), ["wide", "tall"], progress=stopped)


def test_what_was_found_is_not_lost_where_a_search_ends_early(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    made = []

    def once(*parts: Any) -> Any:
        if made:
            raise UnmodelledError("there is no second model")
        made.append(model_of(*parts))
        return made[0]

    monkeypatch.setattr(knob_search, "model_of", once)
    sheet = bar([(4.0, 4.4)])
    found = clear(sheet, ["wide", "tall"], Aim.CHANGE, margins=(0.3,))
    assert found.best.clear
    assert found.binding == ("the search ended early: there is no second model",)
    assert "  the search ended early: there is no second model" in cleared_lines(found)
    with pytest.raises(UnmodelledError):  # nothing but the present design is known
        clear(sheet, ["wide", "tall"], Aim.MASS)


def test_what_other_margins_would_cost_grows_with_them() -> None:
    bands = [(4.0, 4.4)]
    found = clear(bar(bands), ["wide", "tall"], margins=(0.0, 0.05, 0.1))
    costs = [cost for _, cost in found.trade]
    assert costs[1] == pytest.approx(found.best.change, rel=0.02)
    assert None not in costs
    assert costs == sorted(costs)  # type: ignore[type-var]


@settings(
    max_examples=12, deadline=None, suppress_health_check=[HealthCheck.too_slow], derandomize=True
)
@given(
    low=st.floats(2.0, 12.0),
    wide=st.floats(1.02, 1.4),
    tall=st.floats(12.0, 38.0),
    aim=st.sampled_from(list(Aim)),
)
def test_whatever_is_called_clear_is_clear(low: float, wide: float, tall: float, aim: Aim) -> None:
    sheet = bar([(low, low * wide)], tall=float(f"{tall:.4g}"))
    found = clear(sheet, ["tall"], aim)
    design = DesignFamily(found.best.sheet).at()
    modes = solve(design, request_for(design)).modes
    assert verdict(modes, design.bands, design.margin).clear == found.best.clear
