from contextlib import suppress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.sheet.expressions import ExpressionError, parse
from belltone.sheet.formulas import evaluated
from belltone.sheet.units import UNIT_NAMES, quantity

KNOBS = {"wall": quantity(3, "mm"), "span": quantity(2, "m"), "ratio": quantity(0.5)}


@pytest.mark.parametrize(
    ("text", "value", "unit"),
    [
        ("3 mm", 3, "mm"),
        ("2*wall + 1 mm", 7, "mm"),
        ("span/2 - 10 cm", 0.9, "m"),
        ("sqrt(wall*span)", 6e-3**0.5, "m"),
        ("min(wall, 1 cm, 5 mm)", 3, "mm"),
        ("max(span, 1 m)", 2, "m"),
        ("abs(-wall)", 3, "mm"),
        ("span^2", 4, "m^2"),
        ("sin(30 deg)", 0.5, ""),
        ("cos(pi/3)", 0.5, ""),
        ("1 mm / wall", 1 / 3, ""),
        ("-(wall)", -3, "mm"),
        ("2.5e-3 m", 2.5, "mm"),
        ("2 kg*m^2", 2, "kg*m^2"),
        ("7850 kg/m³", 7850, "kg/m^3"),
        ("2**2 * 1 mm", 4, "mm"),
    ],
)
def test_values(text: str, value: float, unit: str) -> None:
    found, wanted = evaluated(text, KNOBS), quantity(value, unit)
    assert found.unit.is_compatible_with(wanted.unit)
    assert found.base == pytest.approx(wanted.base, rel=1e-12)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "empty"),
        ("3 furlong", "“furlong” is not a unit known here"),
        ("3 mmm", "did you mean “mm”"),
        ("2 kg m", "“\\*” or “/” is missing"),
        ("2 wall", "write “\\*” before it"),
        ("wall.real", "something other than numbers"),
        ("__import__('os')", "not a function known here"),
        ("(lambda: 1)()", "something other than"),
        ("wall if ratio else span", "something other than"),
        ("[1 m][0]", "something other than"),
        ("(3 mm", "cannot be read as a value"),
        ("2 (3 mm)", "sign is missing before the bracket"),
        ("sqrt(1, 2)", "wrong number of values"),
        ("sqrt", "is a function; write sqrt"),
        ("span + 1", "mixes .* plain number"),
        ("span + ratio*1 kg", "mixes"),
        ("max(span, 1 kg)", "mixes"),
        ("1/0", "divides by zero"),
        ("sqrt(-1)", "root of a negative"),
        ("2^span", "exponent must be a plain number"),
        ("9**9**9**9", "no finite value"),
        ("1+" * 300 + "1", "longer than"),
        ("(" * 60 + "1" + ")" * 60 + "^2" + "+(-1)" * 0, None),
        ("_q0", "reserved"),
        ("kg", "is a unit; a number is missing before it"),
    ],
)
def test_bad_text_is_named(text: str, says: str | None) -> None:
    if says is None:  # plain brackets alone are no nesting
        assert evaluated(text).base == 1
        return
    with pytest.raises(ExpressionError, match=says):
        evaluated(text, KNOBS)


@given(st.text(max_size=60))
def test_no_text_makes_a_traceback(text: str) -> None:
    with suppress(ExpressionError):
        found = parse(text)
        evaluated(text, {name: quantity(1.0) for name in found.names})


PIECES = st.sampled_from(
    [
        "3",
        "2 mm",
        "wall",
        "span",
        "+",
        "-",
        "*",
        "/",
        "^",
        "(",
        ")",
        "sqrt(",
        ",",
        "min(",
        "kg",
        "%",
    ]
)


@given(st.lists(PIECES, max_size=12).map(" ".join))
def test_no_arithmetic_makes_a_traceback(text: str) -> None:
    with suppress(ExpressionError):
        evaluated(text, KNOBS)


@given(st.floats(-1e6, 1e6), st.sampled_from(sorted(UNIT_NAMES)))
def test_a_literal_is_recognised(value: float, unit: str) -> None:
    literal = parse(f"{value!r} {unit}").literal
    assert literal is not None
    assert literal[0] == value
    assert literal[1] == unit


def test_names_are_collected() -> None:
    assert parse("2*wall + span/ratio - 3 mm").names == {"wall", "span", "ratio"}
