from concurrent.futures import ProcessPoolExecutor
from typing import Any

import pytest

from belltone.modes.solve import request_for, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.sweep.plan import PlanError
from belltone.sweep.work import solve_with_slopes
from belltone.tune.reach import ReachError, reach
from tests.sweep.test_runner import Inline, offset_body, strip


@pytest.mark.parametrize(
    ("mode", "target", "knob", "tolerance"),
    [(2, 54.0, "wall", 0.01), (1, 35.0, "wall", 1e-4), (4, 120.0, "post_at", 0.05)],
)
def test_the_written_sheet_has_the_frequency(
    rail: Sheet,
    workers: ProcessPoolExecutor,
    mode: int,
    target: float,
    knob: str,
    tolerance: float,
) -> None:
    found = reach(rail, mode, target, knob, workers, tolerance)
    assert found.frequency == pytest.approx(target, abs=tolerance)
    design = evaluate(found.sheet)
    modes = solve_modes(design, request_for(design))
    # A fresh solution differs by its own discretisation's error at most.
    allowed = tolerance + 2 * design.accuracy * target
    assert modes.flexible[found.number - 1] == pytest.approx(target, abs=allowed)
    assert found.sheet.content.knobs[knob].value == found.text
    assert found.text.endswith(design.knobs[knob].unit)


def test_a_knob_whose_range_begins_at_zero(workers: ProcessPoolExecutor) -> None:
    """The pull of the belt, from none on."""
    belt = read_sheet(demo_sheet("heated_rail"))
    found = reach(belt, 1, 30.0, "belt", workers, 0.01)
    assert found.frequency == pytest.approx(30.0, abs=0.01)
    assert found.knob.range[0] == 0


def test_other_answers_are_named(rail: Sheet, workers: ProcessPoolExecutor) -> None:
    found = reach(rail, 2, 45.0, "post_at", workers)
    assert len(found.others) == 1
    # Of two posts the one nearer to the present place is taken.
    assert abs(found.value - 1.55) < abs(found.others[0] - 1.55)


@pytest.mark.parametrize(
    ("mode", "target", "knob"), [(2, 54.0, "wall"), (1, 35.0, "wall"), (4, 120.0, "post_at")]
)
def test_reach_takes_four_solutions_beyond_the_ends(
    rail: Sheet, monkeypatch: pytest.MonkeyPatch, mode: int, target: float, knob: str
) -> None:
    """One of them is the design as it stands."""
    solved: list[float] = []

    def counted(*arguments: Any) -> Any:
        solved.append(next(iter(arguments[1].values())))
        return solve_with_slopes(*arguments)

    monkeypatch.setattr("belltone.tune.pursuit.solve_with_slopes", counted)
    found = reach(rail, mode, target, knob, Inline())
    assert found.frequency == pytest.approx(target, rel=1e-4)
    assert solved[-1] == pytest.approx(found.value * found.knob.scale)
    assert len(solved) <= 2 + 4


def test_a_guess_from_a_model_takes_three_solutions(
    rail: Sheet, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The design as it stands, the guess, and one that is as exact as asked."""
    exact = reach(rail, 2, 54.0, "wall", Inline())
    solved: list[float] = []

    def counted(*arguments: Any) -> Any:
        solved.append(next(iter(arguments[1].values())))
        return solve_with_slopes(*arguments)

    monkeypatch.setattr("belltone.tune.pursuit.solve_with_slopes", counted)
    found = reach(rail, 2, 54.0, "wall", Inline(), guess=exact.value * 1.001)
    assert found.frequency == pytest.approx(54.0, rel=1e-4)
    assert len(solved) <= 3
    # A guess that leads nowhere near costs one more, and the search goes on as without.
    astray = reach(rail, 2, 54.0, "wall", Inline(), guess=5.5)
    assert astray.frequency == pytest.approx(54.0, rel=1e-4)


def test_where_the_shape_changes_over_reach_looks_closer(workers: ProcessPoolExecutor) -> None:
    """Twist and bending of a body beside its axis swap shapes; the mode changes gradually."""
    found = reach(offset_body("30 mm"), 3, 22.5, "j", workers)
    assert found.frequency == pytest.approx(22.5, rel=1e-4)
    modes = solve_modes(found_design := evaluate(found.sheet), request_for(found_design))
    assert modes.flexible[2] == pytest.approx(22.5, rel=1e-3)
    assert 0.1 < found.value < 0.11


def test_a_mode_is_followed_by_shape(workers: ProcessPoolExecutor) -> None:
    """Flapping mode 2 is brought above the edgewise mode: it becomes number 3."""
    found = reach(strip(), 2, 180.0, "t", workers)
    assert found.number == 3
    assert found.value == pytest.approx(8.82, abs=0.05)


def test_what_is_out_of_reach_is_told_with_the_range(
    rail: Sheet, workers: ProcessPoolExecutor
) -> None:
    with pytest.raises(
        ReachError, match=r"mode 2 does not reach 90 Hz between 2 mm and 6 mm of “wall”"
    ) as told:
        reach(rail, 2, 90.0, "wall", workers)
    assert "it goes from 44.9 Hz (at 2 mm) to 54.76 Hz" in str(told.value)
    wider = reach(rail, 1, 39.3, "wall", workers, within=(2.0, 5.4), tolerance=0.01)
    assert 4.5 < wider.value < 5.5


@pytest.mark.parametrize(
    ("changes", "error", "says"),
    [
        ({"number": 99}, ReachError, "there is no mode 99; there are modes 1 to 10"),
        ({"target": -1.0}, ReachError, "above 0 Hz"),
        ({"tolerance": 0.0}, ReachError, "tolerance must be"),
        ({"knob_name": "wal"}, PlanError, "no knob “wal”"),
        ({"within": (3.0, 2.0)}, PlanError, "must end above its start"),
    ],
)
def test_bad_requests_are_explained(
    rail: Sheet,
    workers: ProcessPoolExecutor,
    changes: dict[str, object],
    error: type[Exception],
    says: str,
) -> None:
    request = {"number": 2, "target": 50.0, "knob_name": "wall", **changes}
    with pytest.raises(error, match=says):
        reach(rail, workers=workers, **request)  # type: ignore[arg-type]


def test_the_value_as_it_stands_is_an_answer(rail: Sheet, workers: ProcessPoolExecutor) -> None:
    design = evaluate(rail)
    now = float(solve_modes(design, request_for(design)).flexible[1])
    found = reach(rail, 2, now, "wall", workers, tolerance=0.05)
    assert found.value == pytest.approx(3.0, abs=0.05)
