"""Plates and shells in sheets: what is wrong is named, and what would be right."""

from __future__ import annotations

import math

import pytest
from verification.walls import held, plate, rectangle, sheet, shell, wall

from belltone.design.words import part_words
from belltone.geometry.shapes import Extruded, Lofted, Plate, Polygon, Revolved
from belltone.reading.family import evaluate
from belltone.sheet.demo import examples_folder
from belltone.sheet.document import Sheet, read_sheet
from belltone.sheet.errors import SheetError

PLATE = sheet(
    plate(
        rectangle(1, 0.6),
        0.01,
        'holes = [{ name = "port", shape = "round", at = ["0 m", "0 m"], diameter = "0.2 m" }]\n',
    ),
    held("clamped", "west") + '[sites.spot]\npart = "wall"\nat = ["0.3 m", "0.1 m"]\n',
    4,
)
BELL = sheet(
    shell("revolved", '{ at = ["0.1 m", "0 m"] }, { at = ["0.2 m", "0.3 m"] }', 0.002),
    held("clamped", "start"),
    4,
)
CHANNEL = sheet(
    shell(
        "extruded",
        '{ at = ["0 m", "0.1 m"] }, { at = ["0 m", "0 m"], bend = "0.01 m" }, '
        '{ at = ["0.1 m", "0 m"] }',
        0.002,
        'length = "0.5 m"\n',
    ),
    held("clamped", "start"),
    4,
)


def findings(text: str) -> str:
    """What is said of a sheet."""
    with pytest.raises(SheetError) as caught:
        evaluate(Sheet.from_text(text))
    return str(caught.value)


@pytest.mark.parametrize(
    ("text", "old", "new", "says"),
    [
        (PLATE, 'diameter = "0.2 m"', 'diameter = "2 m"', "reaches over the plate's outline"),
        (PLATE, 'at = ["0 m", "0 m"]', 'at = ["0 m", "0.1995 m"]', "mm are left between the hole"),
        (PLATE, 'name = "port"', 'name = "west"', "already names another site"),
        (
            PLATE,
            '"wall.west"',
            '"wall.wets"',
            "there is no site “wall.wets”; there are “wall.west”",
        ),
        (PLATE, 'thickness = "0.01 m"\n', "", "give either “thickness” with a “material”"),
        (PLATE, 'material = "steel"\n', "", "“material” is missing"),
        (PLATE, '"rectangle"', '"square"', "“square” is not one of"),
        (PLATE, 'shape = "rectangle", ', "", "“shape” is missing; it is one of rectangle"),
        (PLATE, '"round"', '"oval"', "“oval” is not one of"),
        (PLATE, 'thickness = "0.01 m"', "thickness = 10", "“10” has no unit; a length is needed"),
        (PLATE, '["0.3 m", "0.1 m"]', '["0.03 m", "0.01 m"]', "is in the hole “port”"),
        (PLATE, '["0.3 m", "0.1 m"]', '["3 m", "0.1 m"]', "is not on the plate"),
        (PLATE, 'at = ["0.3 m", "0.1 m"]', 'along = "0.3 m"', "is given by “at”"),
        (
            PLATE,
            'thickness = "0.01 m"',
            'thickness = { from = "1 mm", to = "2 mm", along = "around" }',
            "it has “x” and “y”",
        ),
        (BELL, '["0.1 m", "0 m"]', '["-0.1 m", "0 m"]', "crosses the axis"),
        (BELL, '["0.2 m", "0.3 m"]', '["0.1 m", "0 m"]', "is the same as the one before"),
        (CHANNEL, 'bend = "0.01 m"', 'bend = "0.3 m"', "a bend of 300 mm does not fit"),
        (CHANNEL, 'length = "0.5 m"', 'length = "0 m"', "must be greater than zero"),
        (CHANNEL, 'kind = "extruded"', 'kind = "pressed"', "“pressed” is not one of"),
    ],
)
def test_findings_say_what_would_be_right(text: str, old: str, new: str, says: str) -> None:
    assert old in text
    assert says in findings(text.replace(old, new, 1))


def test_polygons_that_cross_and_ones_listed_clockwise() -> None:
    corners = '["0 m", "0 m"], ["1 m", "1 m"], ["1 m", "0 m"], ["0 m", "1 m"]'
    bow = f'shape = "polygon", points = [{corners}]'
    assert "cross; list the corners in the order" in findings(sheet(plate(bow, 0.01), "", 4))
    # Two sides on one line are no crossing, unless they overlap.
    head = '["0 m", "0 m"], ["0.6 m", "0 m"], ["0.6 m", "0.2 m"], '
    stem = '["{} m", "0.2 m"], ["0.4 m", "0.5 m"], ["0.2 m", "0.5 m"], ["{} m", "0.2 m"], '
    tee = f'shape = "polygon", points = [{head}{stem}["0 m", "0.2 m"]]'
    assert isinstance(wall(plate(tee.format(0.4, 0.2), 0.01)).shape, Plate)
    overlapping = sheet(plate(tee.format(0.2, 0.4), 0.01), "", 4)
    assert "cross; list the corners in the order" in findings(overlapping)
    clockwise = 'shape = "polygon", points = [["0 m", "0 m"], ["0 m", "1 m"], ["2 m", "0 m"]]'
    outline = wall(plate(clockwise, 0.01)).shape
    assert isinstance(outline, Plate)
    assert isinstance(outline.outline, Polygon)
    named = dict(zip(outline.outline.corner_names, outline.outline.corners, strict=True))
    assert named["corner 2"] == (0.0, 1.0)
    sides = dict(zip(outline.outline.side_names, outline.outline.corners, strict=True))
    assert sides["edge 2"] == (2.0, 0.0)  # it is run the other way round, from the third corner


def test_an_impossible_ply_and_an_edge_word_on_a_member() -> None:
    text = read_sheet(examples_folder() / "paddle.toml").text
    assert "it must be below 3.61" in findings(
        text.replace("poisson_ratio = 0.3", "poisson_ratio = 4")
    )
    rail = read_sheet(examples_folder() / "infeed_rail.toml").text
    assert "can be “pinned”" in findings(rail.replace('"clamped"', '"simply supported"'))
    spread = 'spread = "even"\ninertia = "1 kg*m^2"\n[[masses]]\nsite = "chute.end"'
    chute = read_sheet(examples_folder() / "cap_chute.toml").text
    assert "neither inertia nor offset" in findings(
        chute.replace('spread = "even"', spread + '\nmass = "1 kg"')
    )


@pytest.mark.parametrize(
    ("name", "sort", "words"),
    [
        ("pump_cover", Plate, "600 × 400 mm plate, 1 hole, 4 mm thick"),
        ("rinsing_bell", Revolved, "shell of revolution, up to 170 mm across, 1.2 mm thick"),
        ("cap_chute", Extruded, "extruded shell of an open profile 204.85 mm round, 900 mm long"),
        ("paddle", Lofted, "lofted shell of an open profile 91.445 mm round, 320 mm long, 8 plies"),
    ],
)
def test_the_demo_sheets_read_as_they_should(name: str, sort: type, words: str) -> None:
    design = evaluate(read_sheet(examples_folder() / f"{name}.toml"))
    assert design.parts[0] is not None
    assert isinstance(design.parts[0].shape, sort)
    assert part_words(design.parts[0]).startswith(words)
    assert not design.warnings


def test_ply_angles_turn_stiffness_as_they_should() -> None:
    design = evaluate(read_sheet(examples_folder() / "paddle.toml"))
    assert design.parts[0] is not None
    plies = design.parts[0].layup.plies
    assert plies[0].angle == pytest.approx(math.radians(30))
    assert plies[1].angle == pytest.approx(math.radians(-30))
    ply = plies[0].material
    plane, _ = ply.stiffness_at(math.pi / 2)
    along, _ = ply.stiffness_at(0.0)
    assert plane[0, 0] == pytest.approx(along[1, 1])
    one, _ = ply.stiffness_at(0.4)
    assert sum(one[i, i] for i in (0, 1)) + 2 * one[0, 1] == pytest.approx(
        sum(along[i, i] for i in (0, 1)) + 2 * along[0, 1]
    )
