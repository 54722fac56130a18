"""Where the error of modes is told to be, and that elements become smaller there alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from verification.walls import held, plate, rectangle, sheet

from belltone.design.values import Design
from belltone.desk.starts import starts
from belltone.mesh.discretisation import Discretisation
from belltone.modes.climb import Climb
from belltone.modes.level import planned
from belltone.modes.marking import divided_where_short, divided_where_wrong, shortfalls
from belltone.modes.request import ModeRequest
from belltone.modes.solution import Solution
from belltone.modes.solve import request_for
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.demo import examples_folder
from belltone.sheet.document import Sheet, read_sheet
from belltone.system.assembly import Assembly
from tests import assemblies
from tests.modes.test_walls import design_of


def solutions(design: Design, request: ModeRequest, order: int) -> tuple[Solution, Solution]:
    level = planned(design, Discretisation(1, order))
    climb = Climb(design, request, Progress())
    return climb._solution(level), climb._solution(replace(level, order=order + 1))


def test_the_long_side_is_divided_where_waves_run_along_it() -> None:
    """Waves of a strip held at one end run along it: only elements along it are too long."""
    design = design_of(sheet(plate(rectangle(2, 0.2), 0.004), held("clamped", "west"), 4))
    level = planned(design, Discretisation(1, 3))
    level = replace(level, plans=(replace(level.plans[0], counts=(2, 1)),))
    climb = Climb(design, request_for(design), Progress())
    lower, higher = climb._solution(level), climb._solution(replace(level, order=4))
    finer = divided_where_wrong(lower, higher, np.ones(len(lower.frequencies), bool))
    assert finer.plans[0].times == (2, 1)
    again = climb._solution(finer)
    true = climb._solution(replace(finer.finer(), order=5)).frequencies
    before = np.abs(lower.frequencies / true - 1).max()
    after = np.abs(again.frequencies / true - 1).max()
    assert after < 0.2 * before
    # And again from there.
    assert replace(finer, order=3).plans[0].divided(0) == 2


def test_a_strip_with_many_waves_is_short_along_it_alone() -> None:
    """Where no order shows the modes, the spectrum of their strains says which side is too long."""
    design = design_of(sheet(plate(rectangle(2, 0.1), 0.004), held("clamped", "west"), 10))
    level = planned(design, Discretisation(1, 3))
    level = replace(level, plans=(replace(level.plans[0], counts=(2, 1)),))
    climb = Climb(design, request_for(design), Progress())
    assert climb.errors(level).max() >= 1  # one of them is not known again
    higher = climb._solution(replace(level, order=4))
    short = shortfalls(higher)
    assert short[0] > 100 * short[1]
    finer = divided_where_short(replace(level, order=4), short, 1e-3)
    assert finer.plans[0].times == (2, 1)
    # However little is asked for, what falls short most is divided.
    assert divided_where_short(replace(level, order=4), short, 10 * short.max()).plans[0].times == (
        2,
        1,
    )
    assert divided_where_short(replace(level, order=4), short, 0.0).plans[0].times == (2, 2)


def test_of_several_walls_all_are_divided_while_a_mode_is_not_known() -> None:
    """One that is not shown may be any wall's, however smooth what is shown of that one is."""
    walls = [assemblies.plate(name, 600, 400, (0, 0, at)) for name, at in (("a", 0), ("b", 500))]
    held_both = '[[supports]]\nsite = "a.west"\nhold = "clamped"\n'
    held_both += held_both.replace("a.west", "b.west")
    design = assemblies.design_of(*walls, held_both)
    climb = Climb(design, ModeRequest(24, None, 1e-3), Progress())
    level = planned(design, Discretisation(1, 3))
    assert climb.errors(level).max() >= 1
    assert climb._finer(level) == level.finer()


def test_waves_that_run_one_way_take_elements_one_way() -> None:
    """A rinsing bell is divided round it and where its edge layers are, not along its wall."""
    design = evaluate(read_sheet(examples_folder() / "rinsing_bell.toml"))
    fine, errors = Climb(design, request_for(design), Progress()).to_accuracy(proven=False)
    assert errors.max() <= design.accuracy
    assert set(fine.plans[0].times) == {1, 2}
    everywhere = replace(fine, plans=(replace(fine.plans[0], times=(2,) * 7),))
    small, large = (Assembly(design, level).size for level in (fine, everywhere))
    assert small < 0.9 * large


def test_a_mode_not_yet_known_may_only_want_a_higher_order() -> None:
    """An angle whose modes order 2 does not show is answered on the elements it began with."""
    design = evaluate(Sheet.from_text(next(s.text for s in starts() if s.title == "Angle bracket")))
    climb = Climb(design, request_for(design), Progress())
    first = planned(design, Discretisation(1, 3))
    assert climb.errors(first).max() >= 1
    fine, errors = Climb(design, request_for(design), Progress()).to_accuracy(proven=False)
    assert fine.elements == first.elements
    assert errors.max() <= design.accuracy


def test_only_the_wall_that_moves_is_divided() -> None:
    held_both = '[[supports]]\nsite = "large.outline"\nhold = "clamped"\n'
    held_both += held_both.replace("large", "small")
    design = assemblies.design_of(
        assemblies.plate("large", 600, 400, (0, 0, 0)),
        assemblies.plate("small", 80, 60, (0, 0, 500)),
        held_both,
    )
    lower, higher = solutions(design, ModeRequest(4, None, 1e-3), 3)
    finer = divided_where_wrong(lower, higher, np.ones(4, bool))
    assert max(finer.plans[0].times) == 2
    assert set(finer.plans[1].times) == {1}


def test_plans_of_a_solution_lead_to_the_same_elements() -> None:
    """What is solved at a plan found by the climb is solved there again, to rounding."""
    design = design_of(sheet(plate(rectangle(1, 0.6), 0.004), held("clamped", "west"), 6))
    request = request_for(design)
    fine, _ = Climb(design, request, Progress()).to_accuracy()
    found = Climb(design, request, Progress()).at(fine).modes
    again = Climb(design, request, Progress()).at(replace(fine)).modes
    assert found.flexible == pytest.approx(again.flexible, rel=1e-10)
    assert found.discretisation == fine
