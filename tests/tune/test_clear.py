from concurrent.futures import ProcessPoolExecutor

import numpy as np
import pytest

from belltone.design.values import BandValue
from belltone.modes.solve import request_for
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sweep.plan import SweepPlan
from belltone.sweep.runner import Sweep, run_sweep
from belltone.tune.bands import verdict
from belltone.tune.clear import ClearInterval, band_visits, clear_intervals
from tests.assemblies import modes_at
from tests.sweep.test_runner import Inline


@pytest.fixture(scope="module")
def swept(workers: ProcessPoolExecutor) -> Sweep:
    from belltone.sheet.demo import demo_sheet

    sheet = Sheet.from_text(demo_sheet().read_text(encoding="utf-8"))
    values = tuple(float(v) for v in np.linspace(1.2, 2.1, 25))
    return run_sweep(sheet, SweepPlan("post_at", values), workers)


@pytest.mark.parametrize(
    "bands",
    [
        (BandValue("a", 44.0, 46.0),),
        (BandValue("a", 22.0, 25.0), BandValue("b", 95.0, 101.0)),
        (BandValue("a", 30.0, 33.0), BandValue("b", 78.0, 80.0), BandValue("c", 47.0, 47.0)),
    ],
)
def test_inside_is_clear_and_outside_is_not(swept: Sweep, bands: tuple[BandValue, ...]) -> None:
    """Solve afresh just inside and just outside every edge."""
    margin = 0.05
    intervals = clear_intervals(swept, bands, margin, Inline())
    assert intervals
    low, high = swept.values[0], swept.values[-1]
    step = 2e-3 * (high - low)

    def clear_at(value: float) -> bool:
        design = evaluate(swept.sheet, {"post_at": f"{value!r} m"})
        modes = modes_at(design, request_for(design, 4), swept.discretisation)
        return verdict(modes, bands, margin).clear

    for interval in intervals:
        assert interval.start < interval.stop
        for edge, inwards in ((interval.start, step), (interval.stop, -step)):
            assert clear_at(float(edge + inwards))
            if low < edge - inwards < high:
                assert not clear_at(float(edge - inwards))


def test_no_bands_is_all_clear(swept: Sweep) -> None:
    assert clear_intervals(swept, (), 0.1, Inline()) == (ClearInterval(1.2, 2.1),)


def test_a_band_over_everything_leaves_nothing(swept: Sweep) -> None:
    assert clear_intervals(swept, (BandValue("all", 1.0, 5000.0),), 0.1, Inline()) == ()


def test_visits_cover_what_is_not_clear(swept: Sweep) -> None:
    bands = (BandValue("a", 44.0, 46.0),)
    visits = band_visits(swept, bands, 0.05)
    assert {visit.band for visit in visits} == {"a"}
    for visit in visits:
        curve = swept.branches[visit.branch - 1].curve(swept.values)
        assert curve is not None
        middle = float(curve(0.5 * (visit.start + visit.stop)))
        assert 44 * 0.95 < middle < 46 * 1.05
        assert not visit.margin_only


def test_a_point_without_an_answer_is_not_clear(rail: Sheet, workers: ProcessPoolExecutor) -> None:
    sweep = run_sweep(rail, SweepPlan("wall", (16.0, 18.0, 19.0, 21.0)), workers)
    intervals = clear_intervals(sweep, (), 0.1, Inline())
    assert intervals == (ClearInterval(16.0, 19.0),)


def test_the_value_has_no_more_digits_than_it_needs() -> None:
    assert ClearInterval(4.9887314, 6.0).clamp(3.0) == 5.01
    assert ClearInterval(1.23456, 1.23457).clamp(1.0) == pytest.approx(1.23456, abs=2e-5)
    narrow = ClearInterval(1.23456, 1.23457)
    assert narrow.start <= narrow.clamp(9.0) <= narrow.stop


@pytest.mark.parametrize(("value", "nearest"), [(0.0, 2.04), (3.0, 3.0), (9.0, 3.96)])
def test_the_nearest_value_is_a_little_inside(value: float, nearest: float) -> None:
    assert ClearInterval(2.0, 4.0).clamp(value) == pytest.approx(nearest)
