"""The user's own materials, kept between sheets."""

from belltone.sheet.document import Sheet
from belltone.store.library import keep_material, library, library_path
from tests.conftest import bar_text

GRADE = {"density": "2710 kg/m^3", "youngs_modulus": "69 GPa", "poisson_ratio": 0.33}


def test_a_material_is_kept_and_replaced() -> None:
    assert library() == {}
    keep_material("our grade", GRADE)
    assert library() == {"our grade": GRADE}
    keep_material("our grade", {**GRADE, "density": "2700 kg/m^3"})
    keep_material("second", GRADE)
    assert library()["our grade"]["density"] == "2700 kg/m^3"
    assert list(library()) == ["our grade", "second"]


def test_a_damaged_library_is_no_library() -> None:
    library_path().parent.mkdir(parents=True)
    library_path().write_text("not [ toml", encoding="utf-8")
    assert library() == {}


def test_a_kept_material_goes_into_a_sheet_as_it_is() -> None:
    keep_material("our grade", GRADE)
    sheet = Sheet.from_text(bar_text('shape = "solid round", diameter = "20 mm"'))
    made = sheet.with_values({("materials", "our grade"): library()["our grade"]})
    assert made.content.materials["our grade"].density == "2710 kg/m^3"
