"""What differs between two sheets, from their content."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.compare.differs import differences, in_brief
from belltone.sheet.document import Sheet

TEXT = """belltone = 1
title = "Rail"

[knobs.wall]
value = "3 mm"
from = "2 mm"
to = "5 mm"

[parts.bar]
kind = "member"
material = "structural steel"
length = "500 mm"
section = { shape = "round tube", diameter = "40 mm", wall = "wall" }

[[supports]]
site = "bar.start"
hold = "clamped"

[[masses]]
name = "motor"
site = "bar.end"
mass = "2 kg"

[excitation]
margin = "10 %"

[[excitation.bands]]
name = "pump"
from = "48 Hz"
to = "52 Hz"
"""


def words(change: str, into: str, more: str = "") -> list[str]:
    assert change in TEXT
    after = Sheet.from_text(TEXT.replace(change, into) + more)
    return [each.words for each in differences(Sheet.from_text(TEXT), after)]


@pytest.mark.parametrize(
    ("change", "into", "told"),
    [
        ('value = "3 mm"', 'value = "4 mm"', "wall: 3 mm → 4 mm (+33.3 %)"),
        ('to = "5 mm"', 'to = "6 mm"', "knob “wall”, to: 5 mm → 6 mm (+20 %)"),
        ('"500 mm"', '"0.6 m"', "part “bar”, length: 500 mm → 0.6 m (+20 %)"),
        (
            '"structural steel"',
            '"stainless steel"',
            "part “bar”, material: structural steel → stainless steel",
        ),
        ('"clamped"', '"pinned"', "support “bar.start”, hold: clamped → pinned"),
        ('"2 kg"', '"1500 g"', "mass “motor”, mass: 2 kg → 1500 g (-25 %)"),
        ('margin = "10 %"', 'margin = "15 %"', "excitation, margin: 10 % → 15 % (+50 %)"),
        ('to = "52 Hz"', 'to = "55 Hz"', "band “pump”, to: 52 Hz → 55 Hz (+5.77 %)"),
        ('"Rail"', '"Long rail"', "title: Rail → Long rail"),
    ],
)
def test_a_change_is_told_as_a_card_would_say_it(change: str, into: str, told: str) -> None:
    assert words(change, into) == [told]


def test_what_is_added_and_removed_is_told_whole() -> None:
    support = '\n[[supports]]\nsite = "bar.end"\nhold = ["y", "z"]\n'
    assert words("belltone = 1", "belltone = 1", support) == [
        "added: support “bar.end” (bar.end, y, z)"
    ]
    gone = '[[masses]]\nname = "motor"\nsite = "bar.end"\nmass = "2 kg"\n'
    assert words(gone, "") == ["removed: mass “motor” (bar.end, mass 2 kg)"]
    knob = '\n[knobs.gap]\nvalue = "1 mm"\n'
    assert words("belltone = 1", "belltone = 1", knob) == ["added: knob “gap” (1 mm)"]
    tube = 'section = { shape = "round tube", diameter = "40 mm", wall = "wall" }'
    other = 'section = { shape = "solid round", diameter = "40 mm" }'
    (told,) = words(tube, other)
    assert told.startswith("part “bar”, section: shape round tube, diameter 40 mm")
    assert told.endswith("→ shape solid round, diameter 40 mm")


def test_order_comments_and_another_unit_make_no_difference() -> None:
    first = Sheet.from_text(TEXT)
    band = '[[excitation.bands]]\nname = "fan"\nfrom = "20 Hz"\nto = "22 Hz"\n\n'
    pump = TEXT[TEXT.index("[[excitation.bands]]") :]
    one = Sheet.from_text(TEXT + band)
    two = Sheet.from_text(TEXT.replace(pump, band + pump + "\n# a remark\n"))
    assert differences(one, two) == ()
    assert differences(first, Sheet.from_text(TEXT.replace('"500 mm"', '"0.5 m"'))) == ()
    assert in_brief(differences(first, first)) == "the same"


def test_many_differences_are_told_in_brief() -> None:
    text = TEXT.replace('"3 mm"', '"4 mm"').replace('"2 kg"', '"3 kg"').replace("48 Hz", "47 Hz")
    found = differences(Sheet.from_text(TEXT), Sheet.from_text(text))
    assert in_brief(found, 1) == "wall: 3 mm → 4 mm (+33.3 %); and 2 more"
    assert [each.path for each in found] == [
        ("knobs", "wall", "value"),
        ("masses", 0, "mass"),
        ("excitation", "bands", 0, "from"),
    ]


@given(st.floats(0.01, 50), st.floats(0.01, 50))
def test_a_difference_there_and_back_is_the_same_turned_round(one: float, two: float) -> None:
    sheets = [Sheet.from_text(TEXT.replace('"3 mm"', f'"{value!r} mm"')) for value in (one, two)]
    there, back = differences(*sheets), differences(*sheets[::-1])
    assert len(there) == len(back) == (one != two)
    for here, again in zip(there, back, strict=True):
        assert (here.before, here.after) == (again.after, again.before)
        assert here.ratio == pytest.approx(1 / (again.ratio or 1), rel=1e-9)


def test_units_to_show_values_in_are_no_difference() -> None:
    assert words("belltone = 1", "belltone = 1", '\n[shown_in]\nfrequency = "rpm"\n') == []
