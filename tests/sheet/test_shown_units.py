"""Units a sheet is shown in: they change what is read, never what is meant."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.design.words import part_words
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.sheet.errors import SheetError
from belltone.sheet.retelling import in_unit
from belltone.sheet.shown_units import AS_TYPED, SHOWN_UNITS, ShownUnits
from belltone.sheet.units import DIMENSIONS, as_dimension, quantity, unit_of, usual_units

CHOICES = [
    (dimension, unit) for dimension, several in SHOWN_UNITS.items() for unit in ("", *several)
]


@given(st.sampled_from(CHOICES), st.floats(1e-6, 1e6))
def test_what_is_shown_reads_back_as_what_it_was(choice: tuple[str, str], value: float) -> None:
    dimension, unit = choice
    shown = ShownUnits(**{dimension: unit}).text(value, dimension, 12)
    number, _, told = shown.partition(" ")
    assert told == (unit or SHOWN_UNITS[dimension][0])
    back = as_dimension(quantity(float(number), told), DIMENSIONS[dimension])
    assert back == pytest.approx(value, rel=1e-9)


def test_they_change_no_mode() -> None:
    sheet = read_sheet(demo_sheet())
    other = sheet.with_values(
        {("shown_in", "length"): "in", ("shown_in", "frequency"): "rpm", ("shown_in", "mass"): "lb"}
    )
    assert other.answer_hash() == sheet.answer_hash()
    design, told = evaluate(sheet), evaluate(other)
    assert design.shown == AS_TYPED
    assert told.shown == ShownUnits("in", "rpm", "lb")
    assert told.bands == design.bands
    assert part_words(design.parts[0], told.shown).startswith("86.614 in ")


def test_walls_are_told_in_inches() -> None:
    design = evaluate(read_sheet(demo_sheet("pump_cover")))
    words = part_words(design.parts[0], ShownUnits(length="in"))
    assert " in" in words
    assert " mm" not in words


def test_another_unit_is_refused_by_name() -> None:
    text = read_sheet(demo_sheet()).text + '\n[shown_in]\nlength = "furlong"\n'
    with pytest.raises(SheetError, match="length") as caught:
        Sheet.from_text(text)
    assert "in" in str(caught.value)


def test_a_knob_is_told_in_another_unit_with_all_that_is_said_of_it() -> None:
    sheet = read_sheet(demo_sheet()).with_values(
        {("knobs", "wall", "stock"): ["2 mm", "2.54 mm"], ("knobs", "wall", "tolerance"): "5 %"}
    )
    told = in_unit(sheet, "wall", "in")
    knob, before = evaluate(told).knobs["wall"], evaluate(sheet).knobs["wall"]
    assert knob.unit == "in"
    assert knob.base == pytest.approx(before.base, rel=1e-11)
    assert knob.stock == pytest.approx((2 / 25.4, 0.1))
    assert told.content.knobs["wall"].tolerance == "5 %"
    assert told.content.knobs["wall"].start == "0.0787401574803 in"
    assert evaluate(in_unit(told, "wall", "mm")).knobs["wall"].base == pytest.approx(before.base)


def test_a_worked_out_knob_keeps_its_formula() -> None:
    sheet = read_sheet(demo_sheet()).with_value(("knobs", "wall", "value"), "2 * 1.5 mm")
    assert in_unit(sheet, "wall", "in").content.knobs["wall"].value == "2 * 1.5 mm"
    assert usual_units(unit_of("mm")) == ("mm", "m", "in")
    assert usual_units(unit_of("")) == ()
