"""Speed diagrams: whirl told by its way, and the same crossings off a model."""

from concurrent.futures import ProcessPoolExecutor

import numpy as np
import pytest

from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sweep.plan import PlanError, SweepPlan
from belltone.sweep.several import grid_plan, speed_plan
from belltone.sweep.survey import run_survey
from belltone.tune.speed_diagram import diagram_of, speed_diagram
from tests.conftest import bar_text, held

SHAFT = bar_text(
    'shape = "solid round", diameter = "60 mm"',
    "600 mm",
    held("bar.start", '["x", "y", "z", "turn x"]')
    + held("bar.end", '["y", "z"]')
    + '[modes]\ncount = 4\n[accuracy]\ndivisions = 1\norder = 6\n[preload.spin]\naxis = "x"\n'
    "gyroscopic = true\norders = [1, 2]\n",
)


def shaft(speed: str, rest: str = "") -> Sheet:
    text = SHAFT.replace("[preload.spin]\n", f'[preload.spin]\nspeed = "{speed}"\n')
    return Sheet.from_text(text + rest)


def test_whirl_with_and_against_the_spin_cross_apart(workers: ProcessPoolExecutor) -> None:
    sheet = shaft("20000 rpm").with_value(("preload", "spin", "seen_from"), "ground")
    diagram = speed_diagram(sheet, workers)
    assert diagram.now == pytest.approx(20000)
    assert diagram.speeds[[0, -1]] == pytest.approx([40, 40000])
    assert "drawn from 40 rpm on" in diagram.note
    first = [each for each in diagram.crossings if each.order == 2 and each.tracks[0] <= 2]
    against, forth = sorted(first, key=lambda each: each.speed)
    assert (against.waves, forth.waves) == (-1, 1)
    # The critical speeds, at one of which the spin overtakes the whirl.
    critical = [(each.waves, each.tracks) for each in diagram.crossings if each.order == 1]
    assert critical == [(-1, against.tracks), (1, forth.tracks)]
    # Whirl with the spin is stiffened, whirl against it softened, by as much.
    still = diagram.survey.sets[0]
    assert still is not None
    alone = float(np.mean(still.flexible[:2]))
    assert against.frequency < alone < forth.frequency
    assert 0.5 * (against.frequency + forth.frequency) == pytest.approx(alone, rel=1e-3)


def test_a_model_tells_the_same_crossings(workers: ProcessPoolExecutor) -> None:
    sheet = shaft("w", '[knobs]\nw = { value = "20000 rpm" }\n')
    design = evaluate(sheet)
    plan = speed_plan(sheet, design, "0 rpm : 40000 rpm : 41")
    assert plan.columns[0].name == "w"  # the knob that sets the speed is what is turned
    solved = diagram_of(run_survey(sheet, plan, workers))
    told = diagram_of(run_survey(sheet, plan, workers, bound=1e-3))
    assert solved is not None
    assert told is not None
    assert told.survey.solutions < len(plan)
    assert [each.waves for each in told.crossings] == [each.waves for each in solved.crossings]
    assert [each.speed for each in told.crossings] == pytest.approx(
        [each.speed for each in solved.crossings], rel=2e-3
    )


def test_what_has_no_diagram_says_so(workers: ProcessPoolExecutor) -> None:
    still = Sheet.from_text(SHAFT.split("[preload")[0])
    with pytest.raises(PlanError, match="needs a spin"):
        speed_diagram(still, workers)
    idle = shaft("20000 rpm").with_value(("preload", "applied"), False)
    with pytest.raises(PlanError, match="not applied"):
        speed_plan(idle, evaluate(idle))
    spun = shaft("20000 rpm")
    for text, wrong in (
        ("-1 rpm : 9 rpm : 3", "negative"),
        ("1 rpm : 2 rpm", "neither START:STOP"),
    ):
        with pytest.raises(PlanError, match=wrong):
            speed_plan(spun, evaluate(spun), text)
    sheet = shaft("20000 rpm", '[knobs]\nk = { value = "1 mm" }\n')
    other = grid_plan([SweepPlan("k", (1.0, 2.0))], evaluate(sheet))
    assert diagram_of(run_survey(sheet, other, workers)) is None
