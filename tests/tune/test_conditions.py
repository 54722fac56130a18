"""Conditions on what is told of a design."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.tune.conditions import Condition, ConditionError, parse_condition

UNITS = {"mass": "kg", "least margin": "%", "largest von Mises stress": "MPa", "material": ""}


@pytest.mark.parametrize(
    ("text", "name", "sense", "bound"),
    [
        ("mass < 18 kg", "mass", "<", 18.0),
        ("mass<18000 g", "mass", "<", 18.0),
        ("Mass ≤ 18", "mass", "<=", 18.0),
        ("least margin >= 5 %", "least margin", ">=", 5.0),
        ("least > 5", "least margin", ">", 5.0),
        ("largest von Mises stress < 0.2 GPa", "largest von Mises stress", "<", 200.0),
        ("material = structural steel", "material", "=", "structural steel"),
    ],
)
def test_a_condition_is_read_in_its_unit(
    text: str, name: str, sense: str, bound: float | str
) -> None:
    found = parse_condition(text, UNITS)
    assert (found.name, found.sense) == (name, sense)
    assert found.bound == (pytest.approx(bound) if isinstance(bound, float) else bound)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("mass", "is no condition"),
        ("weight < 3 kg", "nothing that is told; there is “mass”"),
        ("m < 3", "more than one thing told; there is “mass”, “material”"),
        ("mass < 3 mm", "mass < 3 mm"),
        ("mass < heavy", "heavy"),
    ],
)
def test_what_is_wrong_with_a_condition_is_said(text: str, told: str) -> None:
    with pytest.raises(ConditionError, match=told):
        parse_condition(text, UNITS)


@given(
    value=st.floats(-1e6, 1e6),
    bound=st.floats(-1e6, 1e6),
    sense=st.sampled_from(["<", "<=", ">", ">="]),
)
def test_a_number_keeps_a_condition_as_arithmetic_says(
    value: float, bound: float, sense: str
) -> None:
    kept = {"<": value < bound, "<=": value <= bound, ">": value > bound, ">=": value >= bound}
    assert Condition("mass", sense, bound, "kg").holds(value) == kept[sense]


def test_words_are_only_equal_or_not_and_nothing_keeps_nothing() -> None:
    steel = parse_condition("material = Structural Steel", UNITS)
    assert steel.holds("structural steel")
    assert not steel.holds("brass")
    assert not parse_condition("mass < 3", UNITS).holds(None)
    assert parse_condition("mass < 3", UNITS).words == "mass < 3 kg"
