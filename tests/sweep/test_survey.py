"""Grids, knobs in step and tables of designs, and modes followed through them."""

from collections.abc import Sequence
from concurrent.futures import Executor, ProcessPoolExecutor
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import minimize

from belltone.design.values import Design
from belltone.modes.failure import Reason
from belltone.modes.modeset import Spectrum
from belltone.modes.solve import solve
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore
from belltone.sweep.plan import PlanError, SweepPlan, parse_plan
from belltone.sweep.several import Column, Plan, grid_plan, step_plan, table_plan
from belltone.sweep.survey import Survey, run_survey
from belltone.sweep.tracks import Link, linked, open_loops, tracked
from belltone.tune.outputs import least_margin
from tests.assemblies import held, member, text_of
from tests.sweep.test_runner import Inline

SQUARE = 'shape = "solid rectangle", width = "w", height = "20 mm"'
# A square bar with a body that hangs to its side and above: both bendings meet at one design only.
CROSSED = (
    text_of(
        member("b", (0, 0, 0), (600, 0, 0), SQUARE),
        held("b.start"),
        '[[masses]]\nsite = "b.end"\nmass = "0.4 kg"\noffset = ["0 mm", "e", "30 mm"]\n',
    )
    + '[knobs.w]\nvalue = "20 mm"\nfrom = "16 mm"\nto = "24 mm"\n'
    + '[knobs.e]\nvalue = "1 mm"\nfrom = "-12 mm"\nto = "12 mm"\n'
)


def plan_of(design: Design, *texts: str) -> Plan:
    return grid_plan([parse_plan(text, design) for text in texts], design)


@pytest.fixture(scope="module")
def crossed() -> Survey:
    """Width and offset about the design at which both bendings have one frequency."""
    sheet = Sheet.from_text(CROSSED)
    plan = plan_of(evaluate(sheet), "w=16 mm:24 mm:9", "e=-11 mm:12 mm:9")
    return run_survey(sheet, plan, Inline())


def test_a_loop_that_does_not_close_is_about_a_design_with_two_equal_modes(
    crossed: Survey,
) -> None:
    assert crossed.loops
    family = DesignFamily(crossed.sheet)

    def gaps(place: Sequence[float]) -> np.ndarray:
        turned = {"w": 1e-3 * place[0], "e": 1e-3 * place[1]}
        found = solve(family.at(turned), crossed.request, crossed.discretisation, told=False)
        return np.diff(np.log(found.modes.flexible[:8]))

    for loop in crossed.loops[::6]:
        corners = np.array([crossed.plan.rows[row] for row in loop])
        low, high = corners.min(axis=0), corners.max(axis=0)
        swapping = int(np.min([gaps(corner) for corner in corners], axis=0).argmin())
        # Where a veering is wider than a step, loops some steps beside it are open too.
        bounds = list(zip(low - 3 * (high - low), high + 3 * (high - low), strict=True))
        least = minimize(
            lambda place: gaps(place)[swapping],  # noqa: B023
            0.5 * (low + high),
            bounds=bounds,
            method="Nelder-Mead",
            options={"xatol": 1e-3, "fatol": 1e-6, "maxiter": 60},
        )
        assert least.fun < 3e-3


def test_tracks_follow_shapes_along_the_rows_without_a_loop(crossed: Survey) -> None:
    first = [row for row, values in enumerate(crossed.plan.rows) if values[1] == 12.0]
    for track in crossed.tracks[:2]:
        frequencies = [track.frequency(row, crossed.sets[row]) for row in first]
        assert np.all(np.isfinite(frequencies))
        assert np.abs(np.diff(frequencies, 2)).max() < 0.02 * max(frequencies)


def test_a_grid_by_a_model_says_what_solutions_say(
    workers: ProcessPoolExecutor, rail: Sheet
) -> None:
    plan = plan_of(evaluate(rail), "wall=2 mm:6 mm:5", "post_at=1.3 m:1.6 m:5")
    exact = run_survey(rail, plan, workers)
    told = run_survey(rail, plan, workers, bound=1e-3)
    assert exact.exact.all()
    assert exact.solutions >= 25
    assert not told.exact.all()
    assert told.solutions < 15 < exact.solutions
    for one, other in zip(told.sets, exact.sets, strict=True):
        assert one is not None
        assert other is not None
        count = min(len(one), len(other), 8)
        assert one.frequencies[:count] == pytest.approx(other.frequencies[:count], rel=1e-3)
        assert one.mass == pytest.approx(other.mass, rel=1e-6)
    assert len(told.tracks) == len(exact.tracks)
    for row in range(25):
        assert told.tracks[0].frequency(row, told.sets[row]) == pytest.approx(
            exact.tracks[0].frequency(row, exact.sets[row]), rel=1e-3
        )


def test_three_materials_and_two_sections() -> None:
    sheet = Sheet.from_text(
        text_of(
            member("b", (0, 0, 0), (600, 0, 0), 'shape = "solid round", diameter = "d"'),
            held("b.start"),
        )
        + '[knobs.d]\nvalue = "20 mm"\n'
    )
    design = evaluate(sheet)
    table = [["parts.b.material", "parts.b.section.shape", "d"]]
    materials = ("structural steel", "aluminium, wrought", "titanium, 6Al-4V")
    table += [[name, "solid round", f"{size} mm"] for name in materials for size in (20, 30)]
    table.append(["structural steel", "solid triangle", "20 mm"])
    plan = table_plan(table, sheet, design)
    found = run_survey(sheet, plan, Inline())
    assert found.failures[6].reason is Reason.SHEET
    assert "solid triangle" in found.failures[6].detail
    answered = [row for row in range(6) if found.sets[row] is not None]
    assert answered[:4] == [0, 1, 2, 3]
    first = found.tracks[0]
    steel, thicker = (first.frequency(row, found.sets[row]) for row in (0, 1))
    assert thicker == pytest.approx(1.5 * steel, rel=2e-3)
    masses = [found.sets[row].mass for row in (0, 2)]  # type: ignore[union-attr]
    assert masses[1] < 0.5 * masses[0]


def test_a_grid_goes_on_where_it_was(rail: Sheet, tmp_path: Path) -> None:
    plan = plan_of(evaluate(rail), "wall=2 mm, 3 mm", "post_at=1.4 m, 1.5 m, 1.6 m")

    class Lost(Exception):
        """The power fails."""

    class Failing(Inline):
        """Answers some points, and no more."""

        left = 5

        def submit(self, fn, /, *args, **kwargs):  # type: ignore[no-untyped-def]
            if fn.__name__ == "solve_point":
                self.left -= 1
                if self.left < 0:
                    raise Lost
            return super().submit(fn, *args, **kwargs)

    path = tmp_path / "kept.sqlite"
    with ResultStore(path) as store, pytest.raises(Lost):
        run_survey(rail, plan, Failing(), store)
    with ResultStore(path) as store:
        known = len(store)
        again = run_survey(rail, plan, Inline(), store)
        assert 0 < again.solutions == len(store) - known
        assert run_survey(rail, plan, Inline(), store).solutions == 0
    assert known > 0
    assert all(found is not None for found in again.sets)


def test_designs_without_an_answer_stand_at_their_place(rail: Sheet) -> None:
    design = evaluate(rail)
    plan = table_plan([["wall", "post_at"], ["3 mm", "1.5 m"], ["60 mm", "1.5 m"]], rail, design)
    found = run_survey(rail, plan, Inline())
    assert found.sets[0] is not None
    assert found.sets[1] is None
    assert "wall" in found.failures[1].detail


def test_the_least_margin_is_that_of_the_nearest_mode(rail: Sheet) -> None:
    design = evaluate(rail)
    found = run_survey(rail, plan_of(design, "wall=3 mm, 5 mm", "post_at=1.5 m, 1.6 m"), Inline())
    modes = found.sets[0]
    assert modes is not None
    margins = [
        min(abs(each / band.low - 1), abs(each / band.high - 1))
        for band in design.bands
        for each in modes.flexible
    ]
    told = least_margin(modes, design)
    assert told is not None
    assert abs(told) <= min(margins) + 1e-12 or told < 0


# -- plans ------------------------------------------------------------------------------------


def test_a_grid_has_its_last_knob_running_fastest(rail: Sheet) -> None:
    plan = plan_of(evaluate(rail), "wall=2 mm, 3 mm", "post_at=1.4 m:1.6 m:3")
    assert plan.shape == (2, 3)
    assert plan.rows[:3] == ((2.0, 1.4), (2.0, 1.5), (2.0, 1.6))
    assert plan.corners == (0, 2, 3, 5)
    assert plan.columns == (Column("wall", "mm"), Column("post_at", "m"))


@given(st.lists(st.integers(2, 5), min_size=2, max_size=3))
def test_neighbours_of_a_grid_differ_in_one_knob_by_one_step(shape: list[int]) -> None:
    rows = tuple(np.ndindex(*shape))
    plan = Plan(tuple(Column(f"k{at}") for at in range(len(shape))), rows, tuple(shape))
    edges = plan.edges()
    assert len(edges) == len(set(edges))
    for one, other in edges:
        apart = np.abs(np.subtract(rows[one], rows[other]))
        assert sorted(apart) == [0] * (len(shape) - 1) + [1]
    expected = sum(
        (size - 1) * int(np.prod([rest for at, rest in enumerate(shape) if at != number]))
        for number, size in enumerate(shape)
    )
    assert len(edges) == expected
    around = set(map(frozenset, edges))
    for cell in plan.cells():
        ring = zip(cell, (*cell[1:], cell[0]), strict=True)
        assert all(frozenset(step) in around for step in ring)


@given(st.lists(st.tuples(st.floats(0, 1), st.floats(0, 9)), min_size=2, max_size=12))
def test_a_table_is_one_tree_of_near_neighbours(rows: list[tuple[float, float]]) -> None:
    plan = Plan((Column("a"), Column("b")), tuple(rows), ())
    edges = plan.edges()
    assert len(edges) == len(rows) - 1
    reached, waiting = {0}, [0]
    while waiting:
        here = waiting.pop()
        for one, other in edges:
            far = other if one == here else one if other == here else None
            if far is not None and far not in reached:
                reached.add(far)
                waiting.append(far)
    assert len(reached) == len(rows)


def test_plans_that_cannot_be_meant_are_told(rail: Sheet) -> None:
    design = evaluate(rail)
    wide = SweepPlan("wall", tuple(np.linspace(2, 6, 200)))
    far = SweepPlan("post_at", tuple(np.linspace(1.2, 2, 200)))
    with pytest.raises(PlanError, match="40000 designs"):
        grid_plan([wide, far], design)
    with pytest.raises(PlanError, match="swept twice"):
        step_plan([wide, wide], design)


# -- tracks -----------------------------------------------------------------------------------


def spectrum(*shapes: tuple[float, ...]) -> Spectrum:
    signatures = np.array(shapes, float)
    signatures /= np.linalg.norm(signatures, axis=1, keepdims=True)
    count = len(shapes)
    return Spectrum(
        frequencies=1.0 + np.arange(count),
        errors=np.zeros(count),
        rigid_names=(),
        kinds=tuple(f"kind {at}" for at in range(count)),
        signatures=signatures,
        swings=np.ones((count, 3)),
        mass=1.0,
    )


def test_a_step_too_wide_is_taken_by_way_of_designs_between() -> None:
    def turned(angle: float) -> Spectrum:
        cos, sin = np.cos(angle), np.sin(angle)
        return spectrum((cos, sin, 0, 0), (-sin, cos, 0, 0), (0, 0, 1, 0), (0, 0, 0, 1))

    ends = turned(0.0), turned(np.pi / 3)
    (direct,) = linked([(0, 1)], ends, None)
    assert direct.partners[:2].tolist() == [1, 0]
    (stepped,) = linked([(0, 1)], ends, lambda _one, _other, share: turned(share * np.pi / 3))
    assert stepped.partners[:2].tolist() == [0, 1]


def test_a_mode_that_is_not_found_again_ends_and_another_begins() -> None:
    one = spectrum((1, 0, 0, 0), (0, 1, 0, 0))
    other = spectrum((1, 0, 0, 0), (0, 0, 1, 0))
    sets = [one, other]
    tracks = tracked(sets, linked([(0, 1)], sets, None), 0)
    assert sorted(track.places for track in tracks) == [(-1, 1), (0, 0), (1, -1)]


def test_a_loop_that_swaps_two_modes_is_open() -> None:
    sets = [spectrum((1, 0, 0, 0), (0, 1, 0, 0), (0, 0, 1, 0), (0, 0, 0, 1)) for _ in range(4)]
    same, swapped, sure = np.arange(4), np.array([1, 0, 2, 3]), np.ones(4)
    ring = [Link(0, 1, same, sure), Link(1, 2, same, sure), Link(3, 2, same, sure)]
    assert open_loops([(0, 1, 2, 3)], sets, [*ring, Link(0, 3, same, sure)]) == []
    assert open_loops([(0, 1, 2, 3)], sets, [*ring, Link(0, 3, swapped, sure)]) == [(0, 1, 2, 3)]
    unsure = Link(0, 3, swapped, 0.5 * sure)
    assert open_loops([(0, 1, 2, 3)], sets, [*ring, unsure]) == []


def test_workers_are_asked_for_every_point_once(rail: Sheet) -> None:
    asked: list[object] = []

    class Counting(Inline):
        def submit(self, fn, /, *args, **kwargs):  # type: ignore[no-untyped-def]
            if fn.__name__ == "solve_point":
                asked.append((args[0], tuple(args[1].items())))
            return super().submit(fn, *args, **kwargs)

    pool: Executor = Counting()
    plan = step_plan(
        [SweepPlan("wall", (3.0, 3.5, 4.0)), SweepPlan("post_at", (1.5, 1.52, 1.54))],
        evaluate(rail),
    )
    found = run_survey(rail, plan, pool)
    assert found.solutions == len(asked) == len(set(asked))
    assert found.solutions == 3


def test_knobs_in_step_and_tables_of_knobs_are_read_off_a_model(rail: Sheet) -> None:
    design = evaluate(rail)
    parts = [parse_plan(text, design) for text in ("wall=2 mm:4 mm:40", "post_at=1.4 m:1.6 m:40")]
    step = step_plan(parts, design)
    found = run_survey(rail, step, Inline(), bound=1e-3)
    assert found.solutions < len(step)
    heads = [column.name for column in step.columns]
    rows = [(str(wall), str(place)) for wall, place in step.rows]
    table = run_survey(rail, table_plan([heads, *rows], rail, design), Inline(), bound=1e-3)
    assert table.solutions < len(step)
    family = DesignFamily(rail)
    for row in (3, 17, 31):
        assert not found.exact[row]
        turned = found.variants.turned(row)
        exact = solve(family.at(turned), found.request, found.discretisation, told=False)
        for told in (found.sets[row], table.sets[row]):
            assert told is not None
            assert told.flexible[:6] == pytest.approx(exact.modes.flexible[:6], rel=1e-3)
