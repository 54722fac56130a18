from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from belltone.design.values import Design
from belltone.mesh.discretisation import Discretisation
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.errors import SheetError
from belltone.sheet.handbook import handbook
from belltone.system.constraints import site_rows
from belltone.system.division import mesh_bodies
from tests.conftest import CLAMPED, bar_text, held

RECTANGLE = 'shape = "solid rectangle", width = "50 mm", height = "30 mm"'


def findings(sheet: Sheet, **settings: str) -> str:
    with pytest.raises(SheetError) as caught:
        evaluate(sheet, settings)
    return str(caught.value)


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('length = "2.2 m"', "length = 2.2", "“2.2” has no unit; a length is needed: “2.2 mm” or"),
        ('"2.2 m"', '"2.2 kg"', "this is a mass, where a length"),
        ('"2.2 m"', '"-2 m"', "a length must be greater than zero"),
        ('wall = "wall"', 'wall = "wal"', "no knob “wal”; did you mean “wall”"),
        ('wall = "wall"', 'wall = "25 mm"', "does not fit into 40 mm; it must be below 20 mm"),
        ('value = "3 mm"', 'value = "2*wall"', "in a circle: wall → wall"),
        ('from = "2 mm"', 'from = "9 mm"', "must end above its start"),
        ('from = "2 mm"', 'from = "2"', "write it in mm"),
        (
            'value = "3 mm"',
            'value = "30 deg"',
            "an angle, where a value (in mm, …) is needed: “wall” goes from 2 mm to 6 mm",
        ),
        ('value = "3 mm"', 'value = "3"', "a plain number, where a value (in mm, …) is needed"),
        ('"stainless steel, austenitic"', '"stainless"', "there is no material “stainless”"),
        (
            'site = "post"',
            'site = "pst"',
            "there are “rail.start”, “rail.end”, “rail.axis”, “post”",
        ),
        ('along = "0.9 m"', 'along = "9 m"', "9000 mm is not on “rail”, which is 2200 mm long"),
        ('part = "rail"\nalong = "0.9 m"', 'part = "rial"\nalong = "0.9 m"', "no part “rial”"),
        ('from = "119 Hz"', 'from = "130 Hz"', "must end above its start"),
        ('margin = "8 %"', 'margin = "95 %"', "between 0 % and 90 %"),
        ('target = "0.1 %"', 'target = "40 %"', "between 0.0001 % and 20 %"),
        ("[knobs.wall]", "[knobs.mm]", "“mm” is a unit"),
        ("[knobs.wall]", "[knobs.sqrt]", "meaning of its own"),
        ('mass = "7.5 kg"', 'mass = "-1 kg"', "must not be negative"),
    ],
)
def test_findings_say_what_would_be_right(rail: Sheet, old: str, new: str, says: str) -> None:
    assert old in rail.text
    assert says in findings(Sheet.from_text(rail.text.replace(old, new, 1)))


def test_a_knob_of_another_measure_than_its_range_is_told_once(rail: Sheet) -> None:
    """Not at both ends of the range, which are right, nor wherever the knob is used."""
    told = findings(Sheet.from_text(rail.text.replace('value = "3 mm"', 'value = "3 kg"')))
    assert told.count("\n") == 0
    assert "knobs · wall · value: this is a mass" in told


def test_all_findings_come_at_once(rail: Sheet) -> None:
    text = rail.text.replace('"2.2 m"', '"2.2"').replace('"7.5 kg"', '"7.5"')
    assert findings(Sheet.from_text(text)).count("has no unit") == 2


def test_weight_density_is_told_from_mass_density() -> None:
    text = bar_text(RECTANGLE).replace("7850 kg/m^3", "77 kN/m^3")
    assert "divided by 9.80665 m/s²" in findings(Sheet.from_text(text))


def test_a_material_without_density() -> None:
    text = bar_text(RECTANGLE).replace('density = "7850 kg/m^3"\n', "")
    with pytest.raises(SheetError, match="materials · steel · density: “density” is missing"):
        Sheet.from_text(text)


def test_longer_circles_are_named(rail: Sheet) -> None:
    text = rail.text.replace('value = "3 mm"', 'value = "post_at/500"')
    text = text.replace('value = "1.55 m"', 'value = "500*wall"')
    assert "wall → post_at → wall" in findings(Sheet.from_text(text))


def test_settings_set_knobs(rail: Sheet) -> None:
    design = evaluate(rail, {"wall": "0.4 cm", "post_at": "1.6 m"})
    assert design.knobs["wall"].value == pytest.approx(4.0)
    assert design.places["post"].along == pytest.approx(1.6)
    assert design.parts[0].section.wall == pytest.approx(4e-3)  # type: ignore[attr-defined]
    assert "no knob “wal”; did you mean “wall”" in findings(rail, wal="4 mm")
    assert "given in mm: “4 mm”" in findings(rail, wall="4")


@pytest.mark.parametrize(
    ("formula", "unit", "value"),
    [
        ("2*post_at + 1 mm", "mm", 3101.0),
        ("sqrt(post_at*wall)", "mm", 68.19091),
        ("post_at/wall", "", 516.6667),
        ("sqrt(post_at)", "m^0.5", 1.244990),
        ("1/post_at", "m^-1", 0.6451613),
        ("7 kg/wall^3", "kg/m^3", 2.592593e8),
    ],
)
def test_worked_out_knobs_have_a_plain_unit(
    rail: Sheet, formula: str, unit: str, value: float
) -> None:
    knob = evaluate(rail.with_value(("knobs", "other", "value"), formula)).knobs["other"]
    assert (knob.unit, knob.literal) == (unit, False)
    assert knob.value == pytest.approx(value, rel=1e-6)


def test_sources_make_a_band_for_every_order(rail: Sheet) -> None:
    bands = {band.name: (band.low, band.high) for band in evaluate(rail).bands}
    assert bands["drive"] == pytest.approx((22, 25))
    assert bands["drive 2×"] == pytest.approx((44, 50))
    assert evaluate(rail).highest_excitation == pytest.approx(121 * 1.08)


def test_a_source_shakes_along_the_axis_it_says(rail: Sheet) -> None:
    source = ("excitation", "sources", 0)
    bands = evaluate(rail.with_value((*source, "along"), "y")).bands
    assert {(band.along, band.least) for band in bands if band.name.startswith("drive")} == {
        (1, 0.01)
    }
    sheet = rail.with_value((*source, "along"), "z").with_value((*source, "least"), "5 %")
    assert (2, 0.05) in {(band.along, band.least) for band in evaluate(sheet).bands}
    with pytest.raises(SheetError, match="a share of the mass is from 0 % to 100 %"):
        evaluate(sheet.with_value((*source, "least"), "150 %"))
    with pytest.raises(SheetError, match="along"):
        rail.with_value((*source, "along"), "w")


def test_words_hold_by_the_members_own_axes() -> None:
    text = bar_text(RECTANGLE, rest=held("bar.end", '"pinned"'))
    text = text.replace(
        'length = "1 m"', 'from = ["0 m", "0 m", "0 m"]\nto = ["0 m", "1 m", "0 m"]'
    )
    design = evaluate(Sheet.from_text(text))
    support = design.supports[0]
    assert support.own
    (_, mesh), *_ = mesh_bodies(design, Discretisation(1, 2))
    rows = site_rows(mesh.site(support.place), support.directions, support.own, mesh.unknowns)
    own = np.zeros((4, 6))
    own[0, 1] = own[1, 0] = own[2, 2] = own[3, 4] = 1
    assert np.abs(rows.toarray()[:, -6:]) == pytest.approx(own)


@pytest.mark.parametrize(
    ("stop", "up", "height_along"),
    [
        (("1 m", "0 m", "0 m"), None, (0, 0, 1)),
        (("0 m", "0 m", "1 m"), None, (0, 1, 0)),
        (("1 m", "0 m", "0 m"), (0, 1, 0), (0, 1, 0)),
    ],
)
def test_the_section_stands_up(
    stop: tuple[str, ...], up: tuple[int, ...] | None, height_along: tuple[int, ...]
) -> None:
    points = f'from = ["0 m", "0 m", "0 m"]\nto = {list(stop)}\n'
    points += f"up = {list(up)}\n" if up else ""
    text = bar_text(RECTANGLE).replace('length = "1 m"', points)
    frame = evaluate(Sheet.from_text(text)).parts[0].frame
    assert frame[2] == pytest.approx(np.array(height_along, float))
    assert np.linalg.det(frame) == pytest.approx(1.0)


def test_odd_designs_are_questioned(bar: Callable[..., Design]) -> None:
    def notes(**changes: str) -> str:
        return " ".join(str(found) for found in bar(RECTANGLE, **changes).warnings)

    assert notes(rest=CLAMPED) == ""
    assert "times longer than deep" in notes(length="100 m", rest=CLAMPED)
    assert "beam theory is rough" in notes(length="100 mm", rest=CLAMPED)
    assert "nothing holds the component" in notes()
    assert notes(rest="[modes]\nfree = true\n") == ""
    light = bar_text(RECTANGLE, rest=CLAMPED).replace("7850 kg/m^3", "7.85 kg/m^3")
    warning = evaluate(Sheet.from_text(light)).warnings[0]
    assert "lighter than cork" in warning.message
    assert warning.line == 4


def test_the_handbook_is_plausible() -> None:
    assert len(handbook()) >= 15
    for name in handbook():
        text = bar_text(RECTANGLE, rest=CLAMPED).replace(
            'material = "steel"', f'material = "{name}"'
        )
        material = evaluate(Sheet.from_text(text)).parts[0].material
        assert 900 < material.density < 9000
        assert 0.5e9 < material.youngs_modulus < 250e9
        assert 0.2 < material.poisson_ratio < 0.5


@given(
    st.floats(0.01, 10),
    st.sampled_from([("mm", 1e3), ("cm", 1e2), ("in", 1 / 25.4e-3), ("ft", 1 / 0.3048)]),
)
def test_units_do_not_change_the_design(length: float, unit: tuple[str, float]) -> None:
    name, factor = unit
    metres = evaluate(Sheet.from_text(bar_text(RECTANGLE, f"{length!r} m")))
    others = evaluate(Sheet.from_text(bar_text(RECTANGLE, f"{length * factor!r} {name}")))
    assert others.parts[0].length == pytest.approx(metres.parts[0].length, rel=1e-12)


def test_a_taper_keeps_its_shape() -> None:
    text = bar_text(RECTANGLE, taper='shape = "solid round", diameter = "20 mm"')
    assert "a taper keeps its shape" in findings(Sheet.from_text(text))


def test_the_mass_of_a_taper_is_exact(bar: Callable[..., Design]) -> None:
    taper = 'shape = "solid rectangle", width = "50 mm", height = "10 mm"'
    design = bar(RECTANGLE, taper=taper)
    assert design.parts[0].mass == pytest.approx(7850 * 0.05 * 0.02, rel=1e-12)
