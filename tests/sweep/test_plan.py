import pytest

from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sweep.plan import PlanError, default_plan, parse_plan, read_knob_value, turnable


def test_a_plan_is_read_in_the_knobs_unit(rail: Sheet) -> None:
    plan = parse_plan("wall = 0.2 cm : 6 mm : 5", evaluate(rail))
    assert plan.knob == "wall"
    assert plan.values == pytest.approx((2, 3, 4, 5, 6))


def test_the_default_covers_the_stated_range(rail: Sheet) -> None:
    plan = default_plan(evaluate(rail).knobs["post_at"], 4)
    assert plan.values == pytest.approx((1.2, 1.5, 1.8, 2.1))


def test_a_knob_at_zero_needs_a_range(rail: Sheet) -> None:
    design = evaluate(rail.with_value(("knobs", "shift", "value"), "0 mm"))
    with pytest.raises(PlanError, match="is zero and has no range"):
        default_plan(design.knobs["shift"])


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("wall", "is neither KNOB=START:STOP:POINTS"),
        ("wall=2 mm:6 mm", "is neither KNOB=START:STOP:POINTS"),
        ("wal=2 mm:6 mm:5", "no knob “wal”"),
        ("wall=2:6 mm:5", "“2” has no unit; a value for “wall” is needed: “2 mm”"),
        ("wall=2 kg:6 mm:5", "this is a mass, where a value for “wall”"),
        ("wall=2 furlong:6 mm:5", "not a unit"),
        ("wall=6 mm:2 mm:5", "must end above its start"),
        ("wall=2 mm:6 mm:1", "not a number of points from 2"),
        ("wall=2 mm:6 mm:99999", "not a number of points from 2"),
        ("wall=2 mm:6 mm:x", "not a number of points from 2"),
        ("wall=post_at:6 mm:5", "“post_at” names something"),
    ],
)
def test_bad_plans_are_explained(rail: Sheet, text: str, says: str) -> None:
    with pytest.raises(PlanError, match=says):
        parse_plan(text, evaluate(rail))


def test_a_computed_knob_cannot_be_turned(rail: Sheet) -> None:
    sheet = rail.with_value(("knobs", "wall", "value"), "post_at/500")
    with pytest.raises(PlanError, match="computed from other knobs"):
        turnable(evaluate(sheet), "wall")


def test_a_plain_number_knob_needs_no_unit(rail: Sheet) -> None:
    design = evaluate(rail.with_value(("knobs", "share", "value"), "0.5"))
    assert read_knob_value(design.knobs["share"], "0.7") == 0.7
