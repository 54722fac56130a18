import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet
from belltone.sheet.salvage import salvaged

TEXT = demo_sheet("infeed_rail").read_text(encoding="utf-8")


def read(text: str) -> Sheet:
    sheet = Sheet.from_text(text)
    evaluate(sheet)
    return sheet


@pytest.mark.parametrize(
    ("before", "after", "words", "supports", "masses"),
    [
        ("belltone = 1", "belltone = 2\nfuture = 3", "format 2; read as 1", 2, 1),
        ('"7.5 kg"', '"7.5 furlong"', "masses 1 · mass: “furlong” is not a unit", 2, 0),
        ('hold = "clamped"', 'hold = "clamped', 'the line “hold = "clamped” cannot be read', 1, 1),
        ('hold = "clamped"', 'hold = "clamped"\nglue = "yes"', "there is no key “glue”", 2, 1),
        ('site = "post"', 'site = "pest"', "supports 2 · site: there is no site “pest”", 1, 1),
        (TEXT[1100:], "", "cannot be read", 2, 1),
    ],
)
def test_what_can_be_read_is_and_the_rest_is_named(
    before: str, after: str, words: str, supports: int, masses: int
) -> None:
    found = salvaged(TEXT.replace(before, after), read)
    assert found is not None
    assert any(words in each for each in found.lost)
    assert len(found.sheet.content.supports) == supports
    assert len(found.sheet.content.masses) == masses
    assert list(found.sheet.content.parts) == ["rail"]


@pytest.mark.parametrize("text", ["", "nonsense", "belltone = 1\n", "[parts]\n", "a = [\n" * 9])
def test_nothing_is_made_of_nothing(text: str) -> None:
    assert salvaged(text, read) is None


def test_a_whole_sheet_loses_nothing() -> None:
    found = salvaged(TEXT, read)
    assert found is not None
    assert found.lost == ()
    assert found.sheet.content == Sheet.from_text(TEXT).content


@given(st.integers(0, len(TEXT) - 1), st.integers(1, 60), st.text(max_size=12))
def test_whatever_is_damaged_ends_in_a_sheet_or_in_none(at: int, count: int, put: str) -> None:
    found = salvaged(TEXT[:at] + put + TEXT[at + count :], read)
    if found is not None:
        evaluate(found.sheet)
