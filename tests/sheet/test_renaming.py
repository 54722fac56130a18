import pytest

from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.sheet.errors import Path, SheetError
from belltone.sheet.renaming import renamed_everywhere

CASES: list[tuple[str, Path, str, str]] = [
    ("infeed_rail", ("knobs", "wall"), "skin", "wall"),
    ("infeed_rail", ("sites", "post"), "mid_post", "“post”"),
    ("infeed_rail", ("parts", "rail"), "track", "rail.start"),
    ("filler_gantry", ("parts", "gantry"), "portal", "gantry."),
    ("pump_cover", ("parts", "cover", "holes", 0), "mouth", "cover.inlet"),
    ("ribbed_cover", ("parts", "cover"), "lid", "cover."),
    ("paddle", ("materials", "carbon ply"), "own plies", "carbon ply"),
]


@pytest.mark.parametrize(("demo", "path", "name", "gone"), CASES)
def test_what_refers_to_a_name_follows_it(demo: str, path: Path, name: str, gone: str) -> None:
    sheet = read_sheet(demo_sheet(demo))
    renamed = renamed_everywhere(sheet, path, name)
    before, after = evaluate(sheet), evaluate(renamed)
    assert len(before.places) == len(after.places)
    assert len(before.supports) == len(after.supports)
    assert len(before.masses) == len(after.masses)
    assert gone not in "".join(renamed.text.split("note")[0])
    # Its place in the sheet stays, and back again everything is as it was.
    back_path = path if len(path) > 2 else (path[0], name)
    old = str(path[1]) if len(path) == 2 else str((sheet.value(path) or {})["name"])
    assert renamed_everywhere(renamed, back_path, old).content == sheet.content


def test_a_knob_is_followed_in_formulas() -> None:
    text = read_sheet(demo_sheet("infeed_rail")).text.replace(
        'length = "2.2 m"', 'length = "2 m + 60*wall + wall_2 - 1 mm"'
    )
    sheet = Sheet.from_text(text + '\n[knobs.wall_2]\nvalue = "2*wall"\n')
    renamed = renamed_everywhere(sheet, ("knobs", "wall"), "w")
    assert renamed.value(("parts", "rail", "length")) == "2 m + 60*w + wall_2 - 1 mm"
    assert renamed.value(("knobs", "wall_2", "value")) == "2*w"
    assert next(iter(renamed.content.knobs)) == next(
        name if name != "wall" else "w" for name in sheet.content.knobs
    )


@pytest.mark.parametrize(
    ("path", "name", "words"),
    [
        (("knobs", "wall"), "two words", "no name of a knob"),
        (("knobs", "wall"), "", "must not be empty"),
        (("sites", "post"), "drive_seat", "there is a “drive_seat” already"),
        (("parts", "rail"), " ", "must not be empty"),
    ],
)
def test_names_that_cannot_be(path: Path, name: str, words: str) -> None:
    with pytest.raises(SheetError, match=words):
        renamed_everywhere(read_sheet(demo_sheet("infeed_rail")), path, name)
