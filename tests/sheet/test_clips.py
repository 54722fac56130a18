import pytest

from belltone.reading.family import evaluate
from belltone.sheet.clips import clip_of, entry_of, with_clip
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.sheet.errors import Path, SheetError


def sheet(name: str) -> Sheet:
    return read_sheet(demo_sheet(name))


def test_a_piece_takes_along_what_it_uses() -> None:
    text = clip_of(sheet("infeed_rail"), [("supports",)])
    assert 'along = "post_at"' in text
    assert "[knobs.post_at]" in text
    assert "drive_seat" not in text
    assert "[parts" not in text


@pytest.mark.parametrize(
    ("demo", "paths"),
    [
        ("infeed_rail", [("excitation",)]),
        ("infeed_rail", [("accuracy",), ("modes",)]),
        ("weld_horn", [("targets",)]),
        ("pressed_cover", [("preload",)]),
    ],
)
def test_pieces_fit_into_another_sheet(demo: str, paths: list[Path]) -> None:
    source, other = sheet(demo), sheet("pump_cover")
    pasted, notes = with_clip(other, clip_of(source, paths))
    evaluate(pasted)
    assert notes == []
    for path in paths:
        put, was = pasted.value(path) or {}, source.value(path) or {}
        assert all(entry in put for entry in was)


def test_a_part_whose_name_is_taken_gets_another() -> None:
    rail = sheet("infeed_rail")
    pasted, notes = with_clip(rail, clip_of(rail, [("parts", "rail")]))
    assert notes == ["the part “rail” is here as “rail_2”"]
    assert list(pasted.content.parts) == ["rail", "rail_2"]
    evaluate(pasted)
    # What is there already is not there twice.
    again, _ = with_clip(rail, clip_of(rail, [("masses",), ("supports",)]))
    assert again.content == rail.content


def test_knobs_of_the_same_name_stay_as_they_are() -> None:
    rail = sheet("infeed_rail")
    other = rail.with_value(("knobs", "wall", "value"), "4 mm")
    pasted, notes = with_clip(other, clip_of(rail, [("parts", "rail")]))
    assert pasted.content.knobs["wall"].value == "4 mm"
    assert "“wall” stays as it is here" in notes


@pytest.mark.parametrize(
    ("text", "words"),
    [("such is life", "no text of a sheet"), ("", "it is empty"), ("cats = 3", "“cats”")],
)
def test_other_texts_are_refused(text: str, words: str) -> None:
    with pytest.raises(SheetError, match=words):
        with_clip(sheet("infeed_rail"), text)


def test_one_entry_of_a_list_is_taken_alone_with_what_it_uses() -> None:
    own = sheet("infeed_rail")
    assert entry_of(("supports", 1, "springs", "x")) == ("supports", 1)
    assert entry_of(("parts", "rail", "section", "wall")) == ("parts", "rail")
    assert entry_of(("excitation", "bands", 0, "from")) == ("excitation", "bands", 0)
    assert entry_of(("accuracy", "target")) == ("accuracy",)
    text = clip_of(own, [("supports", 1)])
    assert "second post" in text
    assert "west post" not in text
    assert "[knobs.post_at]" in text
    bare = own.without(("supports", 1))
    pasted, notes = with_clip(bare, text)
    assert notes == []
    assert pasted.content.supports == own.content.supports
