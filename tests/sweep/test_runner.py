import threading
import time
from collections.abc import Callable
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from belltone.mesh.discretisation import Discretisation
from belltone.modes.failure import Reason
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import (
    ModeRequest,
    choose_discretisation,
    request_for,
    solve,
    solve_modes,
)
from belltone.progress import Cancelled, Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore
from belltone.sweep.branches import Branch
from belltone.sweep.meetings import meetings
from belltone.sweep.plan import SweepPlan, default_plan
from belltone.sweep.points import Point, Points
from belltone.sweep.pool import SweepError, start_workers
from belltone.sweep.runner import frequency_near, run_sweep
from belltone.sweep.work import choose_at, solve_point
from belltone.tune.clear import clear_intervals
from tests.conftest import CLAMPED, bar_text

STRIP = """
[knobs.t]
value = "7 mm"
from = "5 mm"
to = "10 mm"
[modes]
count = 6
"""


def strip() -> Sheet:
    """Cantilever strip whose flapping modes climb through the edgewise one."""
    section = 'shape = "solid rectangle", width = "50 mm", height = "t"'
    return Sheet.from_text(bar_text(section, "0.5 m", CLAMPED + STRIP))


def offset_body(offset: str) -> Sheet:
    """Round cantilever whose tip body couples bending and twist when off the axis."""
    rest = (
        CLAMPED
        + '[[masses]]\nsite = "bar.end"\nmass = "1 kg"\n'
        + 'inertia = ["j", "0.001 kg*m^2", "0.001 kg*m^2"]\n'
        + f'offset = ["0 mm", "{offset}", "0 mm"]\n'
        + '[knobs.j]\nvalue = "0.12 kg*m^2"\nfrom = "0.09 kg*m^2"\nto = "0.17 kg*m^2"\n'
        + "[modes]\ncount = 4\n"
    )
    return Sheet.from_text(bar_text('shape = "solid round", diameter = "20 mm"', "0.6 m", rest))


class Inline(Executor):
    """Runs everything at once in this process, and counts the points."""

    def __init__(self) -> None:
        self.calls = 0

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        self.calls += fn is solve_point
        future: Future[Any] = Future()
        future.set_result(fn(*args, **kwargs))
        return future


def test_branches_are_followed_through_a_crossing(workers: ProcessPoolExecutor) -> None:
    plan = SweepPlan("t", (6.0, 6.5, 7.0, 7.5, 8.0, 9.0))
    sweep = run_sweep(strip(), plan, workers)
    edge = next(b for b in sweep.branches if b.kind.startswith("bending about z"))
    flaps = [b for b in sweep.branches if b.kind.startswith("bending about y")]
    asked = sweep.asked
    # The edgewise mode does not care for the thickness; it was mode 3 and becomes mode 2.
    assert edge.frequencies[asked] == pytest.approx(161.79, abs=0.05)
    assert edge.places[0] == 2
    assert edge.places[int(np.flatnonzero(asked)[-1])] == 1
    assert flaps[1].frequencies[0] == pytest.approx(122.54, rel=1e-3)
    assert flaps[1].frequencies[np.flatnonzero(asked)[4]] == pytest.approx(163.284, rel=1e-3)
    # Flapping frequencies are nearly proportional to the thickness, so branches are monotone.
    for branch in flaps[:3]:
        assert np.all(np.diff(branch.frequencies) > 0)
    assert min(b.certainty for b in sweep.branches[:4]) > 0.9


def test_the_crossing_is_where_theory_puts_it(workers: ProcessPoolExecutor) -> None:
    sweep = run_sweep(strip(), SweepPlan("t", (7.5, 7.8, 8.1, 8.4)), workers)
    edge = next(b for b in sweep.branches if b.kind.startswith("bending about z"))
    flap = next(
        b for b in sweep.branches if b.kind.startswith("bending about y") and b.frequencies[0] > 100
    )
    curves = [branch.curve(sweep.values) for branch in (edge, flap)]
    assert curves[0] is not None
    assert curves[1] is not None
    grid = np.linspace(7.5, 8.4, 9001)
    crossing = grid[np.argmin(np.abs(curves[0](grid) - curves[1](grid)))]
    assert crossing == pytest.approx(7.926731, abs=2e-3)
    numbers = {sweep.branches.index(edge) + 1, sweep.branches.index(flap) + 1}
    (met,) = [own for own in meetings(sweep) if {own.first, own.second} == numbers]
    assert met.crosses
    assert met.value == pytest.approx(7.926731, abs=2e-3)
    assert met.frequency == pytest.approx(161.79, abs=0.1)


def test_an_exact_crossing_keeps_each_shape(workers: ProcessPoolExecutor) -> None:
    """With no offset twist falls through the bending pair as the tip inertia grows."""
    sweep = run_sweep(offset_body("0 mm"), default_plan(
        evaluate(offset_body("0 mm")).knobs["j"], 9), workers)  # fmt: skip
    twist = next(branch for branch in sweep.branches if branch.kind.startswith("twist"))
    values = twist.frequencies[sweep.asked] * np.sqrt(sweep.values[sweep.asked])
    assert values == pytest.approx(values[0], rel=2e-3)
    bending = [b for b in sweep.branches if b.kind.startswith("bending")][:2]
    for branch in bending:
        assert np.ptp(branch.frequencies) < 1e-3 * branch.frequencies[0]


def test_a_veering_is_looked_at_closely(workers: ProcessPoolExecutor) -> None:
    """With an offset the two veer; at 0.12 kg m² their shapes are mixed half and half."""
    plan = SweepPlan("j", (0.09, 0.12, 0.17))
    sweep = run_sweep(offset_body("10 mm"), plan, workers)
    assert len(sweep.values) > len(plan.values)
    assert set(plan.values) == set(sweep.values[sweep.asked])
    # Looked at closely, the branches change shape and never meet.
    coupled = [b for b in sweep.branches if np.ptp(b.frequencies) > 0.2 and b.places[0] < 3]
    assert len(coupled) == 2
    gap = coupled[0].frequencies - coupled[1].frequencies
    assert np.all(gap > 0.3) or np.all(gap < -0.3)
    assert min(branch.certainty for branch in coupled) > 0.5
    numbers = {sweep.branches.index(branch) + 1 for branch in coupled}
    (met,) = [own for own in meetings(sweep) if {own.first, own.second} == numbers]
    assert not met.crosses
    assert met.value == pytest.approx(0.12, abs=0.01)
    assert met.closeness == pytest.approx(np.abs(gap).min() / met.frequency, rel=0.05)


def test_a_veering_narrower_than_the_steps_is_a_crossing(workers: ProcessPoolExecutor) -> None:
    """Far on either side the shapes are plain again, and each is found where it went."""
    sweep = run_sweep(offset_body("10 mm"), SweepPlan("j", (0.09, 0.17)), workers)
    twist = next(branch for branch in sweep.branches if branch.kind.startswith("twist"))
    assert twist.places[0] == 2
    assert twist.places[-1] == 0


def test_the_sweep_agrees_with_single_solutions(rail: Sheet, workers: ProcessPoolExecutor) -> None:
    sweep = run_sweep(rail, SweepPlan("wall", (2.0, 3.0, 6.0)), workers)
    for value, found in zip(sweep.values, sweep.sets, strict=True):
        design = evaluate(rail, {"wall": f"{value} mm"})
        alone = solve_modes(design, request_for(design))
        assert found is not None
        assert found.flexible[:10] == pytest.approx(alone.flexible[:10], rel=1e-3)
    assert 0 < sweep.worst_error <= evaluate(rail).accuracy


def test_points_without_an_answer_are_told(rail: Sheet, workers: ProcessPoolExecutor) -> None:
    plan = SweepPlan("wall", (17.0, 18.0, 19.0, 21.0))
    sweep = run_sweep(rail, plan, workers)
    assert list(sweep.failures) == [21.0]
    assert sweep.failures[21.0].reason is Reason.SHEET
    assert "does not fit into 40 mm" in sweep.failures[21.0].detail
    assert np.isnan(sweep.branches[0].frequencies[-1])
    with pytest.raises(SweepError, match="no answer at its ends or its middle"):
        run_sweep(rail, SweepPlan("wall", (21.0, 22.0)), workers)


def test_finished_points_are_not_solved_again(rail: Sheet, tmp_path: Path) -> None:
    with ResultStore(tmp_path / "r.sqlite") as store:
        first, second = Inline(), Inline()
        once = run_sweep(rail, SweepPlan("wall", (2.0, 3.0, 4.0)), first, store)
        again = run_sweep(rail, SweepPlan("wall", (2.0, 3.0, 4.0)), second, store)
        assert first.calls == len(once.values)
        assert second.calls == 0
        assert len(store) == len(once.values)
    for one, other in zip(once.branches, again.branches, strict=True):
        assert other.frequencies == pytest.approx(one.frequencies, rel=1e-15)


class Gated(Executor):
    """Hands out futures that finish only when told to."""

    def __init__(self) -> None:
        self.futures: list[tuple[Future[Any], Callable[[], Any]]] = []
        self.submitted = threading.Event()

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        future: Future[Any] = Future()
        if fn is choose_at:
            future.set_result(fn(*args, **kwargs))
            return future
        self.futures.append((future, lambda: fn(*args, **kwargs)))
        self.submitted.set()
        return future


def test_a_stopped_sweep_keeps_its_finished_points(rail: Sheet, tmp_path: Path) -> None:
    gated, progress = Gated(), Progress()
    plan = SweepPlan("wall", (2.0, 3.0, 4.0, 5.0))
    caught: list[BaseException] = []
    with ResultStore(tmp_path / "r.sqlite") as store:

        def work() -> None:
            try:
                run_sweep(rail, plan, gated, store, progress)
            except BaseException as error:
                caught.append(error)

        thread = threading.Thread(target=work)
        thread.start()
        assert gated.submitted.wait(30)
        while len(gated.futures) < 4:
            time.sleep(0.01)
        for future, call in gated.futures[:2]:
            future.set_result(call())
        while len(store) < 2:
            time.sleep(0.01)
        progress.cancel()
        thread.join(30)
        assert isinstance(caught[0], Cancelled)
        assert len(store) == 2
        assert all(future.cancelled() for future, _ in gated.futures[2:])
        inline = Inline()
        run_sweep(rail, plan, inline, store)
        assert inline.calls == 2


def test_progress_counts_points(rail: Sheet) -> None:
    seen: list[tuple[int, int]] = []
    progress = Progress(
        lambda done, total, text: seen.append((done, total)) if text == "sweep" else None
    )
    run_sweep(rail, SweepPlan("wall", (2.0, 3.0, 4.0)), Inline(), progress=progress)
    assert seen[0] == (0, 3)
    assert seen[-1][0] == seen[-1][1]


def test_a_branch_is_found_between_points(rail: Sheet, workers: ProcessPoolExecutor) -> None:
    sweep = run_sweep(rail, SweepPlan("wall", (2.0, 4.0, 6.0)), workers)
    branch = sweep.branches[1]
    found = frequency_near(sweep, branch, 3.0, Inline(), Progress())
    assert found is not None
    design = evaluate(rail, {"wall": "3 mm"})
    assert found[0] == pytest.approx(solve_modes(design, request_for(design)).flexible[1], rel=1e-6)
    assert frequency_near(sweep, branch, 25.0, Inline(), Progress()) is None
    known = frequency_near(sweep, branch, 4.0, Inline(), Progress())
    assert known is not None
    assert known[0] == branch.frequencies[1]


def test_a_branch_that_is_absent_is_no_other_mode(
    rail: Sheet, workers: ProcessPoolExecutor, monkeypatch: pytest.MonkeyPatch
) -> None:
    sweep = run_sweep(rail, SweepPlan("wall", (2.0, 4.0, 6.0)), workers)

    def two_modes(*arguments: object) -> ModeSet:
        found = solve_point(*arguments)  # type: ignore[arg-type]
        assert isinstance(found, ModeSet)
        return found.limited(2)

    monkeypatch.setattr("belltone.sweep.runner.solve_point", two_modes)
    assert frequency_near(sweep, sweep.branches[1], 3.0, Inline(), Progress()) is not None
    assert frequency_near(sweep, sweep.branches[4], 3.0, Inline(), Progress()) is None


def test_a_branch_is_called_what_its_mode_is_called_now(
    rail: Sheet, workers: ProcessPoolExecutor
) -> None:
    sweep = run_sweep(rail, SweepPlan("wall", (2.0, 3.0, 6.0)), workers)
    design = evaluate(rail)
    now = solve_modes(design, request_for(design))
    told = [branch.kind for branch in sweep.branches[:6]]
    assert told == [mode.kind for mode in now.modes() if not mode.rigid][:6]


def test_a_branch_of_one_point_has_no_curve() -> None:
    branch = Branch((0, -1), np.array([1.0, np.nan]), "twist", 1.0, ())
    assert branch.curve(np.array([0.0, 1.0])) is None


def test_a_sweep_solves_each_point_once_and_three_more(rail: Sheet, solutions: list[int]) -> None:
    found = run_sweep(rail, SweepPlan("wall", tuple(np.linspace(2.0, 6.0, 9))), Inline())
    assert len(solutions) <= len(found.values) + 3
    # Errors are told at the ends and the middle; between, the larger one counts.
    branch = found.branches[0]
    errors = [each.errors[branch.places[at]] for at, each in enumerate(found.sets) if each]
    assert errors[1] == errors[2] == max(errors[0], errors[4])
    assert np.all(np.isfinite(errors))


def test_an_edge_of_a_clear_interval_takes_two_solutions(
    rail: Sheet, monkeypatch: pytest.MonkeyPatch
) -> None:
    sweep = run_sweep(rail, SweepPlan("wall", tuple(np.linspace(2.0, 6.0, 33))), Inline())
    design = evaluate(rail)
    solved: list[float] = []

    def counted(*arguments: Any) -> Any:
        solved.append(0.0)
        return solve_point(*arguments)

    monkeypatch.setattr("belltone.sweep.runner.solve_point", counted)
    intervals = clear_intervals(sweep, design.bands, design.margin, Inline())
    assert len(intervals) == 1
    assert 1 <= len(solved) <= 2


def test_a_lost_worker_is_told_and_finished_points_are_kept(rail: Sheet, tmp_path: Path) -> None:
    plan = SweepPlan("wall", tuple(np.linspace(2.0, 6.0, 41)))
    with ResultStore(tmp_path / "r.sqlite") as store, start_workers(1) as pool:

        def strike(done: int, _total: int, text: str) -> None:
            if text == "sweep" and done >= 3:
                for process in pool._processes.values():
                    process.kill()

        with pytest.raises(SweepError, match="a worker process was lost; the finished points are"):
            run_sweep(rail, plan, pool, store, Progress(strike))
        kept = len(store)
        assert kept >= 3
        inline = Inline()
        found = run_sweep(rail, plan, inline, store)
        assert inline.calls == len(found.values) - kept


def test_a_window_without_modes_is_followed_like_any_other(rail: Sheet) -> None:
    design = evaluate(rail)
    request = ModeRequest(2, 45.0, 1e-2, 41.0)
    level = choose_discretisation(design, request)
    first = solve(design, request, level, told=False)
    assert not len(first.modes.flexible)
    again = solve(design, request, level, told=False, near=first.solution)
    assert not len(again.modes.flexible)
    assert again.modes.complete


def test_what_a_point_is_begun_from_is_no_matter_of_who_was_ready_first(rail: Sheet) -> None:
    request = request_for(evaluate(rail))
    lacking = {
        value: Point(rail, {"wall": 1e-3 * value}, {}, request, Discretisation(1, 4))
        for value in (2.5, 3.5, 4.5, 5.5, 3.0)
    }
    found = []
    for ready in ((2.0, 4.0, 6.0), (6.0, 2.0, 4.0), (4.0, 6.0, 2.0)):
        points: Points[float] = Points(Inline(), None, Progress(), onward=True)
        for value in ready:
            points._states[value] = {"wall": 1e-3 * value}, None
        found.append(points._followed(lacking))
    assert found[0] == found[1] == found[2]
    assert set(found[0]) == set(lacking)
    # From what stands nearest of all that are known then.
    assert abs(found[0][3.0] - 3.0) <= 1.0
