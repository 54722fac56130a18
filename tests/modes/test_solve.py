from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from belltone.design.values import Design
from belltone.mesh.discretisation import Discretisation
from belltone.modes.level import Level, planned
from belltone.modes.refine import refine
from belltone.modes.solution import alike, carried, solved
from belltone.modes.solve import (
    ModeRequest,
    NoModesError,
    choose_discretisation,
    request_for,
    solve,
    solve_modes,
)
from belltone.progress import Cancelled, Progress
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.sheet.errors import SheetError
from tests.assemblies import modes_at
from tests.conftest import CLAMPED, bar_text, held

RECTANGLE = 'shape = "solid rectangle", width = "50 mm", height = "30 mm"'
SMALLER = 'shape = "solid rectangle", width = "50 mm", height = "10 mm"'
BODY = (
    '[[masses]]\nsite = "bar.end"\nmass = "1 kg"\noffset = ["0 mm", "10 mm", "0 mm"]\n'
    'inertia = ["0.1 kg*m^2", "0.001 kg*m^2", "0.001 kg*m^2"]\n'
)
PINNED = held("bar.start", '"pinned"') + held("bar.end", '["y", "z", "turn x"]')
CASES = {
    "stubby cantilever": bar_text(RECTANGLE, "0.3 m", CLAMPED),
    "slender cantilever": bar_text(RECTANGLE, "3 m", CLAMPED),
    "free tube": bar_text('shape = "round tube", diameter = "100 mm", wall = "5 mm"'),
    "body off the axis": bar_text(
        'shape = "solid round", diameter = "20 mm"', "0.6 m", CLAMPED + BODY
    ),
    "taper": bar_text(RECTANGLE, "1 m", CLAMPED, taper=SMALLER),
    "taper, pinned": bar_text(RECTANGLE, "1 m", PINNED, taper=SMALLER),
    "pinned": bar_text('shape = "solid round", diameter = "20 mm"', "1 m", PINNED),
    "wire-like": bar_text('shape = "solid round", diameter = "1 mm"', "1 m", PINNED),
}


@pytest.mark.parametrize("accuracy", [2e-2, 5e-3, 1e-3, 1e-5, 1e-8])
@pytest.mark.parametrize("case", CASES)
def test_error_estimates_are_honest(case: str, accuracy: float) -> None:
    """The true error (against a far finer solution) is below the estimate, and that below what
    was asked for."""
    design = evaluate(Sheet.from_text(CASES[case]))
    request = ModeRequest(12, None, accuracy)
    modes = solve_modes(design, request)
    finer = modes_at(design, request, Discretisation(2 * modes.discretisation.divisions + 4, 8))
    start, stop = modes.rigid_count, modes.rigid_count + 12
    true = np.abs(modes.frequencies[start:stop] / finer.frequencies[start:stop] - 1)
    assert np.all(modes.errors[start:stop] <= accuracy)
    assert np.all(true <= modes.errors[start:stop])


def test_the_rail_solves_to_its_accuracy(rail: Sheet) -> None:
    design = evaluate(rail)
    modes = solve_modes(design, request_for(design))
    assert modes.errors.max() <= design.accuracy
    assert modes.complete
    # The list covers the count, and all excitation with its margin.
    assert len(modes.flexible) >= 10
    assert modes.flexible[-1] > (design.highest_excitation or 0)


def test_everything_up_to_the_highest_excitation_is_found(rail: Sheet) -> None:
    loud = rail.with_values({("excitation", "bands", 0, "to"): "900 Hz", ("modes", "count"): 2})
    design = evaluate(loud)
    modes = solve_modes(design, request_for(design))
    plenty = solve_modes(design, ModeRequest(30, None, design.accuracy))
    below = int((plenty.flexible <= 900 * 1.08).sum())
    assert len(modes.flexible) == below > 10


def test_more_modes_than_a_coarse_mesh_has(bar: Callable[..., Design]) -> None:
    modes = solve_modes(bar(RECTANGLE, rest=CLAMPED), ModeRequest(150, None, 1e-3))
    assert len(modes.flexible) >= 150
    assert modes.complete
    assert np.all(np.diff(modes.flexible) >= 0)


def test_an_accuracy_out_of_reach_is_told(bar: Callable[..., Design]) -> None:
    with pytest.raises(NoModesError, match=r"12 modes to 1e-13 % are out of reach"):
        solve_modes(bar(RECTANGLE, rest=CLAMPED), ModeRequest(12, None, 1e-15))


def test_too_low_an_order_is_refused(bar: Callable[..., Design]) -> None:
    with pytest.raises(ValueError, match="order 2"):
        solve_modes(bar(RECTANGLE, rest=CLAMPED), ModeRequest(1, None, 0.1), Discretisation(1, 2))


def test_solving_stops_when_asked(bar: Callable[..., Design]) -> None:
    steps: list[str] = []
    progress = Progress(lambda done, total, text: (steps.append(text), progress.cancel())[0])
    with pytest.raises(Cancelled):
        solve_modes(bar(RECTANGLE, rest=CLAMPED), ModeRequest(12, None, 1e-6), progress=progress)
    assert len(steps) == 1


def test_a_chosen_discretisation_gives_the_same_answer(rail: Sheet) -> None:
    design = evaluate(rail)
    request = request_for(design)
    chosen = choose_discretisation(design, request)
    free, fixed = solve_modes(design, request), solve_modes(design, request, chosen)
    assert free.discretisation == chosen
    assert fixed.frequencies == pytest.approx(free.frequencies, rel=1e-12)
    assert fixed.errors == pytest.approx(free.errors, rel=1e-3)


@settings(max_examples=12)
@given(st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: np.linalg.norm(v) > 0.2))
def test_turning_the_whole_sheet_changes_nothing(stop: tuple[float, float, float]) -> None:
    length = float(np.linalg.norm(stop))
    straight = evaluate(Sheet.from_text(bar_text(RECTANGLE, f"{length!r} m", CLAMPED)))
    points = 'from = ["1 m", "2 m", "-3 m"]\nto = ['
    points += ", ".join(f'"{x + y!r} m"' for x, y in zip(stop, (1, 2, -3), strict=True)) + "]"
    text = bar_text(RECTANGLE, "0 m", CLAMPED).replace('length = "0 m"', points)
    slanted = evaluate(Sheet.from_text(text))
    request = ModeRequest(8, None, 1e-4)
    one, other = solve_modes(straight, request), solve_modes(slanted, request)
    assert other.frequencies == pytest.approx(one.frequencies, rel=1e-9)
    assert other.kinds == one.kinds


def test_units_do_not_change_frequencies() -> None:
    metric = evaluate(Sheet.from_text(bar_text(RECTANGLE, "508 mm", CLAMPED)))
    text = bar_text(
        'shape = "solid rectangle", width = "0.05 m", height = "3 cm"', "20 in", CLAMPED
    )
    text = text.replace("7850 kg/m^3", "7.85 g/cm^3").replace("200 GPa", "0.2e6 MPa")
    mixed = evaluate(Sheet.from_text(text))
    request = ModeRequest(8, None, 1e-4)
    one, other = solve_modes(metric, request), solve_modes(mixed, request)
    assert other.frequencies == pytest.approx(one.frequencies, rel=1e-12)


@given(st.floats(0.3, 3.0))
@settings(max_examples=10)
def test_scaling_a_bar_scales_its_frequencies(scale: float) -> None:
    """Twice as large in every direction rings half as high."""

    def solved(factor: float) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
        sizes = f'width = "{50 * factor!r} mm", height = "{30 * factor!r} mm"'
        section = f'shape = "solid rectangle", {sizes}'
        design = evaluate(Sheet.from_text(bar_text(section, f"{factor!r} m", CLAMPED)))
        return solve_modes(design, ModeRequest(6, None, 1e-6)).frequencies

    assert solved(scale) * scale == pytest.approx(solved(1.0), rel=1e-6)


def test_divisions_and_order_as_an_experts_choice(rail: Sheet) -> None:
    fixed = rail.with_values({("accuracy", "divisions"): 3, ("accuracy", "order"): 3})
    design = evaluate(fixed)
    request = request_for(design)
    modes = solve_modes(design, request)
    assert modes.discretisation == choose_discretisation(design, request) == Discretisation(3, 3)
    # Its errors are told all the same, and are honest.
    fine = solve_modes(evaluate(rail), ModeRequest(10, None, 1e-7))
    true = np.abs(modes.frequencies[:10] / fine.frequencies[:10] - 1)
    assert np.all(true <= modes.errors[:10])
    assert fixed.answer_hash() != rail.answer_hash()
    with pytest.raises(SheetError, match="together, or neither"):
        evaluate(rail.with_value(("accuracy", "order"), 4))
    with pytest.raises(SheetError, match="order is 3 to 8"):
        evaluate(rail.with_values({("accuracy", "divisions"): 3, ("accuracy", "order"): 2}))


def test_refining_pairs_modes_by_shape(rail: Sheet) -> None:
    coarse = rail.with_values({("accuracy", "divisions"): 1, ("accuracy", "order"): 3})
    found = refine(evaluate(coarse), request_for(evaluate(rail)))
    assert found.finer.discretisation == Discretisation(2, 3)
    assert found.partners[:4] == (0, 1, 2, 3)
    assert np.nanmax(np.abs(found.changes)) > 1e-3
    assert found.within_estimates


def test_shapes_are_relative_and_repeat(rail: Sheet) -> None:
    design = evaluate(rail)
    first = solve_modes(design, request_for(design))
    second = solve_modes(design, request_for(design))
    assert np.array_equal(first.shapes, second.shapes)
    assert np.linalg.norm(first.shapes[..., :3], axis=-1).max() <= 1.0 + 1e-12
    assert first.signatures @ first.signatures.T == pytest.approx(
        np.eye(len(first)), abs=2e-3
    )  # the witness points integrate mass to about a thousandth


def test_a_held_end_stands_still_and_a_free_one_moves(bar: Callable[..., Design]) -> None:
    modes = solve_modes(bar(RECTANGLE, rest=CLAMPED), ModeRequest(4, None, 1e-3))
    assert np.abs(modes.shapes[:, 0]).max() < 1e-12
    assert np.abs(modes.shapes[0, -1, 2]) == pytest.approx(1.0)
    # First bending of a cantilever: the middle moves 0.3395 of the tip.
    assert modes.shapes[0, 64, 2] / modes.shapes[0, -1, 2] == pytest.approx(0.3395, abs=2e-3)


def test_limiting_keeps_rigid_modes(bar: Callable[..., Design]) -> None:
    modes = solve_modes(bar(RECTANGLE), ModeRequest(8, None, 1e-3)).limited(3)
    assert len(modes) == 9
    assert [mode.number for mode in modes.modes()] == [0] * 6 + [1, 2, 3]
    assert modes.mode(0).kind == "rigid, slides along x"
    assert modes.mode(0).rigid
    first = modes.mode(6)
    assert first.period == pytest.approx(1 / first.frequency)
    assert first.rpm == pytest.approx(60 * first.frequency)
    assert first.angular == pytest.approx(2 * np.pi * first.frequency)
    assert dict(first.energy)["bending about y"] == pytest.approx(1.0)


def test_modes_are_solved_for_where_the_climb_begins_and_ends(
    rail: Sheet, solutions: list[int]
) -> None:
    """Between they are carried over; a given level needs one solution, whatever tells its error."""
    design = evaluate(rail)
    found = solve_modes(design, request_for(design))
    assert len(solutions) == 2
    assert solutions[1] > solutions[0]
    solve_modes(design, request_for(design), found.discretisation)
    assert len(solutions) == 3


@pytest.mark.parametrize("name", ["infeed_rail", "paddle", "cap_chute"])
def test_carried_over_modes_are_those_solved_for(name: str) -> None:
    """What is still missing is a small share of the change from order to order."""
    design = evaluate(read_sheet(demo_sheet(name)))
    request = request_for(design)
    level = planned(design, Discretisation(1, 4))
    low, high = (Level(design, replace(level, order=order), Progress()) for order in (4, 5))
    source = solved(low, request)
    guess, exact = carried(source, high, request), solved(high, request)
    count = min(len(source.frequencies), len(exact.frequencies))
    change = np.abs(source.frequencies[:count] / exact.frequencies[:count] - 1)
    missing = np.abs(guess.frequencies[:count] / exact.frequencies[:count] - 1)
    assert np.all(missing <= 0.05 * change.max() + 1e-9)
    assert not guess.proven
    assert exact.complete
    assert np.diag(alike(source, exact))[:count].min() > 0.9


def test_an_answer_is_begun_from_the_one_before_where_that_does(
    solutions: list[int],
) -> None:
    """The discretisation that did for a design is tried first; one solution proves the list."""
    family = DesignFamily(Sheet.from_text(demo_sheet().read_text(encoding="utf-8")))
    design, turned = family.at(), family.at({"wall": 3.1e-3})
    request = request_for(design)
    before = solve(design, request)
    fresh = solve(turned, request)
    solutions.clear()
    found = solve(turned, request, like=before.solution)
    assert len(solutions) == 1
    assert found.modes.complete
    assert np.all(found.modes.errors <= request.accuracy)
    assert found.modes.flexible == pytest.approx(fresh.modes.flexible, rel=2 * request.accuracy)


def test_an_answer_of_another_design_is_no_beginning() -> None:
    """Other parts, or an accuracy the discretisation before does not meet, are climbed to anew."""
    bar = evaluate(Sheet.from_text(CASES["stubby cantilever"]))
    rail = evaluate(Sheet.from_text(demo_sheet().read_text(encoding="utf-8")))
    request = request_for(rail)
    other = solve(bar, request_for(bar))
    fresh = solve_modes(rail, request)
    found = solve(rail, request, like=other.solution)
    assert found.modes.discretisation == fresh.discretisation
    assert np.array_equal(found.modes.flexible, fresh.flexible)
    coarse = solve(rail, replace(request, accuracy=0.05))
    fine = solve(rail, replace(request, accuracy=1e-6), like=coarse.solution)
    assert np.all(fine.modes.errors <= 1e-6)
