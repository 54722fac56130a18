import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.sheet.units import (
    DIMENSIONS,
    UnitError,
    as_dimension,
    convert,
    format_number,
    quantity,
    si_to_text,
)


@pytest.mark.parametrize(
    ("value", "unit", "dimension", "si"),
    [
        (3, "mm", "length", 3e-3),
        (1, "in", "length", 25.4e-3),
        (7.85, "g/cm^3", "density", 7850),
        (2700, "kg/m³", "density", 2700),
        (210, "GPa", "stress", 210e9),
        (1500, "rpm", "frequency", 25),
        (25, "Hz", "speed", 50 * math.pi),
        (50 * math.pi, "rad/s", "frequency", 25),
        (90, "deg", "angle", math.pi / 2),
        (8, "%", "share", 0.08),
        (2, "g·mm²", "moment of inertia", 2e-9),
    ],
)
def test_values_come_out_in_si(value: float, unit: str, dimension: str, si: float) -> None:
    assert as_dimension(quantity(value, unit), DIMENSIONS[dimension]) == pytest.approx(
        si, rel=1e-12
    )


def test_a_turn_is_one_cycle_and_not_two_pi() -> None:
    assert as_dimension(quantity(60, "rpm"), DIMENSIONS["frequency"]) == pytest.approx(1.0)


@pytest.mark.parametrize("unit", ["furlong", "Mm", "kg**", "m^x", "h", "b"])
def test_unknown_units_are_refused(unit: str) -> None:
    with pytest.raises(UnitError):
        quantity(1.0, unit)


def test_weight_density_is_named() -> None:
    with pytest.raises(UnitError, match=r"weight density.*density \(in kg/m\^3"):
        as_dimension(quantity(77_000, "N/m^3"), DIMENSIONS["density"])


@pytest.mark.parametrize("value", [math.inf, math.nan])
def test_values_must_be_finite(value: float) -> None:
    with pytest.raises(UnitError, match="finite"):
        as_dimension(quantity(value, "m"), DIMENSIONS["length"])


@given(st.floats(1e-3, 1e6), st.sampled_from(["mm", "cm", "m", "in", "ft", "um"]))
def test_text_of_a_value_reads_back(value: float, unit: str) -> None:
    length = DIMENSIONS["length"]
    si = as_dimension(quantity(value, unit), length)
    number, written = si_to_text(si, length, unit, 12).split()
    assert written == unit
    assert float(number) == pytest.approx(value, rel=1e-10)
    assert convert(si, length, unit) == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize(
    ("value", "text"),
    [(0, "0"), (3.0, "3"), (0.3, "0.3"), (37.20291, "37.2029"), (1e9, "1e+09"), (1e-5, "1e-05")],
)
def test_numbers_are_written_plainly(value: float, text: str) -> None:
    assert format_number(value) == text


@given(st.floats(-1e12, 1e12, allow_nan=False))
def test_written_numbers_keep_six_digits(value: float) -> None:
    assert float(format_number(value)) == pytest.approx(value, rel=1e-5, abs=1e-300)
