"""Plates from drawings: what is drawn becomes the plate that was meant, or says why not."""

import io
import math
from dataclasses import replace
from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from belltone.errors import UserError
from belltone.exchange.drawings.curves import DrawingError
from belltone.exchange.drawings.folded import Bends
from belltone.exchange.drawings.plates import layers_of, plate_arrival, read_plate
from belltone.geometry.outlines import closed_line
from belltone.geometry.shapes import Contour, ContourHole, Disc, Plate, RoundHole
from belltone.modes.solve import request_for, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet, read_sheet
from tests.conftest import Run, held


def _drawing(units: int = 4) -> tuple[Any, Any]:
    made = ezdxf.new("R2010")  # type: ignore[attr-defined]
    made.header["$INSUNITS"] = units
    return made, made.modelspace()


FREE = "[modes]\ncount = 6\nfree = true\n"


def _saved(made: Any, tmp_path: Path) -> Path:
    path = tmp_path / "wear plate.dxf"
    made.saveas(path)
    return path


def _area(contour: Contour) -> float:
    """Exact: corners by the shoelace, arcs by their segments."""
    total = 0.0
    for segment in contour.segments:
        (x0, y0), (x1, y1) = segment.start, segment.stop
        total += 0.5 * (x0 * y1 - x1 * y0)
        if hasattr(segment, "radius"):
            turn = segment.last - segment.first
            total += 0.5 * segment.radius**2 * (turn - math.sin(turn))
    return total


def _plate(text: str) -> Plate:
    part = evaluate(Sheet.from_text(text)).parts[0]
    assert isinstance(part.shape, Plate)  # type: ignore[union-attr]
    return part.shape  # type: ignore[union-attr]


def _box(space: Any, x: float, y: float, width: float, height: float, **on: Any) -> None:
    corners = [(x, y), (x + width, y), (x + width, y + height), (x, y + height)]
    for start, stop in zip(corners, corners[1:] + corners[:1], strict=True):
        space.add_line(start, stop, dxfattribs=on)


def test_lines_circles_and_a_turned_window(tmp_path: Path) -> None:
    made, space = _drawing()
    _box(space, 100, 50, 400, 300)
    space.add_circle((200, 150), 20)
    turned = [(0, 0), (60, 0), (60, 30), (0, 30)]
    angle = math.radians(20)
    turn = np.array([[math.cos(angle), math.sin(angle)], [-math.sin(angle), math.cos(angle)]])
    spun = (np.array(turned) @ turn + (350, 200)).tolist()
    space.add_lwpolyline(spun, close=True)
    found = read_plate(_saved(made, tmp_path))
    assert found.found[0] == "a plate 400 × 300 mm with 2 holes"
    assert "lengths are in mm, as the drawing says" in found.found
    assert any("(300, 200) mm of the drawing" in line for line in found.found)
    text = plate_arrival(found, "3 mm", "wear plate", "structural steel").text
    assert 'outline = { shape = "rectangle", width = "400 mm", height = "300 mm" }' in text
    plate = _plate(text)
    hole, window = plate.holes
    assert isinstance(hole, RoundHole)
    assert hole.centre == pytest.approx((-0.1, -0.05))
    assert hole.radius == pytest.approx(0.02)
    assert window.turned == pytest.approx(angle)  # type: ignore[union-attr]
    assert (window.width, window.height) == pytest.approx((0.06, 0.03))  # type: ignore[union-attr]


def test_arcs_bulges_and_a_slot(tmp_path: Path) -> None:
    """A polyline with rounded corners, and a slot of two lines and two arcs in no order."""
    made, space = _drawing()
    bulge = math.tan(math.pi / 8)
    space.add_lwpolyline(
        [(-100, -60, 0), (80, -60, bulge), (100, -40, 0), (100, 60, 0), (-100, 60, 0)],
        format="xyb", close=True,
    )  # fmt: skip
    space.add_arc((30, 0), 10, 270, 90)
    space.add_line((-30, 10), (30, 10))
    space.add_arc((-30, 0), 10, 90, 270)
    space.add_line((-30, -10), (30, -10))
    found = read_plate(_saved(made, tmp_path))
    assert _area(found.outline) == pytest.approx(0.2 * 0.12 - (1 - math.pi / 4) * 0.02**2)
    (slot,) = found.holes
    assert _area(slot) == pytest.approx(0.06 * 0.02 + math.pi * 0.01**2)
    plate = _plate(plate_arrival(found, "2 mm", "x", "structural steel").text)
    assert isinstance(plate.outline, Contour)
    assert _area(plate.outline) == pytest.approx(_area(found.outline), rel=1e-9)
    (hole,) = plate.holes
    assert isinstance(hole, ContourHole)
    assert _area(hole.rim) == pytest.approx(_area(slot), rel=1e-9)


def test_splines_and_ellipses_are_followed(tmp_path: Path) -> None:
    made, space = _drawing()
    space.add_ellipse((0, 0), major_axis=(150, 0), ratio=0.6)
    space.add_spline([(-40, -20), (0, -35), (40, -20), (40, 20), (0, 30), (-40, 20), (-40, -20)])
    found = read_plate(_saved(made, tmp_path))
    assert _area(found.outline) == pytest.approx(math.pi * 0.15 * 0.09, rel=1e-4)
    assert len(found.holes) == 1
    assert any("2 curves are followed by arcs" in line for line in found.found)
    assert len(found.outline.segments) < 60


def test_units_are_those_of_the_drawing_or_asked_for(tmp_path: Path) -> None:
    made, space = _drawing(units=1)
    space.add_circle((0, 0), 10)
    path = _saved(made, tmp_path)
    plate = _plate(plate_arrival(read_plate(path), "3 mm", "x", "structural steel").text)
    assert isinstance(plate.outline, Disc)
    assert plate.outline.radius == pytest.approx(0.254)
    told = read_plate(path, "mm").found
    assert "lengths are taken in mm, though the drawing says in" in told
    made.header["$INSUNITS"] = 0
    with pytest.raises(DrawingError, match="states no unit that is known; say which: mm, cm"):
        read_plate(_saved(made, tmp_path))


def test_layers_are_chosen(tmp_path: Path) -> None:
    made, space = _drawing()
    for layer in ("cut", "frame", "off"):
        made.layers.add(layer)
    _box(space, 0, 0, 200, 100, layer="cut")
    _box(space, 300, 0, 500, 400, layer="frame")
    _box(space, 900, 0, 500, 400, layer="off")
    made.layers.get("off").off()
    space.add_text("SK 117", dxfattribs={"layer": "cut"})
    path = _saved(made, tmp_path)
    assert layers_of(path) == ("cut", "frame")
    with pytest.raises(DrawingError, match="beside or across the largest one"):
        read_plate(path)
    found = read_plate(path, layers=["cut"])
    assert found.found[0].startswith("a plate 200 × 100 mm")
    assert "passed over, since they are no lines: TEXT" in found.found
    with pytest.raises(DrawingError, match="no layer “glue”; there are “cut”, “frame”"):
        read_plate(path, layers=["glue"])


def test_gaps_are_closed_and_told_or_named(tmp_path: Path) -> None:
    made, space = _drawing()
    corners = [(0, 0), (200, 0), (200, 100), (0, 100.4)]
    for start, stop in zip(corners, [(200, 0.01), *corners[2:], (0, 0)], strict=True):
        space.add_line(start, stop)
    path = _saved(made, tmp_path)
    told = read_plate(path).found
    assert "gaps up to 0.01 mm are closed" in told
    space.add_line((20, 20), (60, 20))
    with pytest.raises(DrawingError, match=r"open at \(60, 20\) mm: the next end is .* mm away"):
        read_plate(_saved(made, tmp_path))


def test_what_lies_in_a_hole_is_no_hole(tmp_path: Path) -> None:
    made, space = _drawing()
    space.add_circle((0, 0), 100)
    space.add_circle((10, 0), 40)
    space.add_circle((10, 0), 10)
    with pytest.raises(DrawingError, match=r"about \(10, .*\) mm lies in a hole"):
        read_plate(_saved(made, tmp_path))


def test_blocks_are_taken_apart(tmp_path: Path) -> None:
    made, space = _drawing()
    block = made.blocks.new("BOLT")
    block.add_circle((0, 0), 5)
    _box(space, -100, -50, 200, 100)
    for x in (-80, 80):
        space.add_blockref("BOLT", (x, 0))
    assert len(read_plate(_saved(made, tmp_path)).holes) == 2


def test_a_drawn_plate_rings_as_the_one_it_is_of(run: Run, tmp_path: Path) -> None:
    """A plate of ours, written as a drawing, read again: the same frequencies."""
    text = (
        'belltone = 1\n[parts.p]\nkind = "plate"\nmaterial = "structural steel"\n'
        'thickness = "3 mm"\noutline = { shape = "rounded rectangle", width = "300 mm", '
        'height = "200 mm", radius = "40 mm" }\n[[parts.p.holes]]\nname = "eye"\n'
        'shape = "round"\nat = ["60 mm", "20 mm"]\ndiameter = "50 mm"\n'
        + held("p.outline", '"clamped"')
        + "[modes]\ncount = 4\n"
    )
    sheet, drawing = tmp_path / "own.toml", tmp_path / "own.dxf"
    sheet.write_text(text, encoding="utf-8")
    assert run("export", sheet, "--what", "outline", "-o", drawing)[0] == 0
    again = tmp_path / "again.toml"
    code, _, err = run("plate", drawing, "--thickness", "3 mm", "-o", again)
    assert code == 0
    assert "a plate 300 × 200 mm with 1 hole" in err
    drawn = again.read_text(encoding="utf-8") + held("plate.outline", '"clamped"')
    results = []
    for each in (text, drawn + "[modes]\ncount = 4\n"):
        design = evaluate(Sheet.from_text(each))
        results.append(solve_modes(design, request_for(design)).flexible)
    assert results[1] == pytest.approx(results[0], rel=5e-3)


def test_the_command_says_what_is_wrong(run: Run, tmp_path: Path) -> None:
    bad = tmp_path / "bad.dxf"
    bad.write_bytes(b"0\nSECTION\n2\nnonsense")
    for arguments, words in (
        ((bad, "--thickness", "3 mm"), "bad.dxf"),
        ((bad, "--thickness", "3 kg"), "kg"),
        ((tmp_path / "none.dxf", "--thickness", "3 mm"), "none.dxf"),
    ):
        code, out, err = run("plate", *arguments)
        assert (code, out) == (1, "")
        assert words in err


@settings(max_examples=25)
@given(st.binary(max_size=400), st.integers(0, 3000))
def test_damaged_drawings_never_break_it(data: bytes, cut: int) -> None:
    import tempfile

    made, space = _drawing()
    space.add_circle((0, 0), 10)
    stream = io.StringIO()
    made.write(stream)
    whole = stream.getvalue().encode()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "x.dxf"
        path.write_bytes(whole[:cut] + data + whole[cut + len(data) :])
        try:
            found = read_plate(path, "mm")
        except DrawingError:
            return
    assert len(closed_line(found.outline)) >= 3
    assert np.isfinite(closed_line(found.outline)).all()


def test_drawings_of_very_many_lines_are_refused_soon(tmp_path: Path) -> None:
    made, space = _drawing()
    angle = np.linspace(0, 2 * np.pi, 401)
    places = 100 * np.column_stack([np.cos(angle), np.sin(angle)])
    for start, stop in zip(places[:-1].tolist(), places[1:].tolist(), strict=True):
        space.add_line(start, stop)
    found = read_plate(_saved(made, tmp_path))
    # A circle of very short lines is followed by arcs, and that is told.
    assert len(found.outline.segments) < 10
    assert any("400 short pieces are followed by" in line for line in found.found)
    assert math.isclose(_area(found.outline), math.pi * 0.1**2, rel_tol=1e-3)
    made, space = _drawing()
    jagged = [
        (radius * x, radius * y)
        for (x, y), radius in zip(places[::2].tolist(), [1, 0.8] * 101, strict=False)
    ]
    space.add_lwpolyline(jagged[:-1], close=True)
    found = read_plate(_saved(made, tmp_path))
    with pytest.raises(DrawingError, match="a contour has 200 points, where a plate's has 150"):
        plate_arrival(found, "3 mm", "x", "structural steel")
    made, space = _drawing()
    for number in range(5001):
        space.add_line((200 + number, 0), (200.5 + number, 0))
    with pytest.raises(DrawingError, match="5001 lines and arcs are drawn, where outlines of 5000"):
        read_plate(_saved(made, tmp_path))


SVG = """<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="200mm"
viewBox="0 0 300 200">
<g id="cut" transform="translate(10 5)">
<path d="M 0 20 A 20 20 0 0 1 20 0 H 260 V 150 H 0 Z"/>
<circle cx="130" cy="75" r="25"/>
<rect x="200" y="50" width="30" height="20"/>
</g>
<g id="notes"><rect x="-50" y="-50" width="1000" height="800"/></g>
</svg>
"""


def test_svg_outlines_with_arcs_transforms_and_groups(tmp_path: Path) -> None:
    path = tmp_path / "lid.svg"
    path.write_text(SVG.format(width="300mm"), encoding="utf-8")
    assert layers_of(path) == ("cut", "notes")
    found = read_plate(path, layers=["cut"])
    assert found.found[0] == "a plate 260 × 150 mm with 2 holes"
    corner = (1 - math.pi / 4) * 0.02**2
    assert _area(found.outline) == pytest.approx(0.26 * 0.15 - corner, rel=1e-4)
    plate = _plate(plate_arrival(found, "3 mm", "lid", "structural steel").text)
    holes = {type(hole).__name__: hole for hole in plate.holes}
    assert holes["RoundHole"].radius == pytest.approx(0.025, rel=1e-4)  # type: ignore[union-attr]
    # y counts upwards here, and from the middle of the outline.
    assert holes["RectangularHole"].centre == pytest.approx((0.085, 0.015), abs=1e-6)


def test_svg_without_a_unit_is_asked_for_one(tmp_path: Path) -> None:
    path = tmp_path / "lid.svg"
    path.write_text(SVG.format(width="300"), encoding="utf-8")
    with pytest.raises(DrawingError, match="states no unit in its width; say which: mm"):
        read_plate(path, layers=["cut"])
    found = read_plate(path, "in", ["cut"])
    assert "lengths are taken in in" in found.found
    wide = found.outline.segments
    assert max(abs(s.start[0]) for s in wide) == pytest.approx(130 * 0.0254 * 1.0, rel=1e-6)
    path.write_text("<!DOCTYPE x [<!ENTITY a 'b'>]><svg>&a;</svg>", encoding="utf-8")
    with pytest.raises(DrawingError, match="entities of its own"):
        read_plate(path)


def test_tables_of_points_outline_plates(tmp_path: Path) -> None:
    path = tmp_path / "outline.csv"
    rows = ["x (mm), y"] + [f"{x}, {y}" for x, y in ((0, 0), (120, 0), (120, 80), (0, 80))]
    path.write_text("\n".join([*rows, "", "20,20", "50,20", "50,40", ""]), encoding="utf-8")
    found = read_plate(path)
    assert found.found[0] == "a plate 120 × 80 mm with 1 hole"
    assert _area(found.outline) == pytest.approx(0.12 * 0.08)
    path.write_text("0 0\n120 0\n120 80\n", encoding="utf-8")
    with pytest.raises(DrawingError, match="states no unit; say which"):
        read_plate(path)
    assert read_plate(path, "mm").found[0] == "a plate 120 × 80 mm with 0 holes"
    path.write_text("0,0\n120,0\nhere,0\n120,80\n", encoding="utf-8")
    with pytest.raises(DrawingError, match="line 3: “here, 0” is no point"):
        read_plate(path, "mm")


def _pattern(tmp_path: Path, layer: str, at: float = 40.0) -> Path:
    """A flat pattern 80 mm wide and 100 mm long with one bend line across."""
    made, space = _drawing()
    made.layers.add(layer)
    space.add_lwpolyline([(0, 0), (80, 0), (80, 100), (0, 100)], close=True)
    space.add_line((0, at), (80, at), dxfattribs={"layer": layer})
    return _saved(made, tmp_path)


def test_a_bend_line_folds_the_plate_like_a_shell_that_is_bent(tmp_path: Path) -> None:
    found = read_plate(_pattern(tmp_path, "bend 90 deg R2 up"))
    arrival = plate_arrival(found, "2 mm", "holder", "structural steel")
    assert "bend 1: 90 deg up, 3 mm to the middle of the wall" in arrival.found
    folded = evaluate(Sheet.from_text(arrival.text + FREE))
    taken = 0.5 * math.pi * 3.0
    legs = [100 - 40 - taken / 2 + 3, 40 - taken / 2 + 3]
    shell = (
        'belltone = 1\n[parts.shell]\nkind = "extruded"\nmaterial = "structural steel"\n'
        'thickness = "2 mm"\nlength = "80 mm"\n'
        f'profile = [{{ at = ["{legs[0]} mm", "0 mm"] }}, '
        '{ at = ["0 mm", "0 mm"], bend = "3 mm" }, '
        f'{{ at = ["0 mm", "{legs[1]} mm"] }}]\n'
    )
    whole = evaluate(Sheet.from_text(shell + FREE))
    one, two = (
        solve_modes(design, replace(request_for(design), accuracy=5e-3)).frequencies[6:12]
        for design in (folded, whole)
    )
    assert one == pytest.approx(two, rel=5e-3)


def test_bends_say_what_their_layer_leaves_open(tmp_path: Path) -> None:
    found = read_plate(_pattern(tmp_path, "fold"))
    arrival = plate_arrival(
        found, "2 mm", "x", "structural steel", Bends(math.pi / 3, 0.005, False)
    )
    assert (
        "bend 1: 60 deg down, 6 mm to the middle of the wall; its layer does not say its angle "
        "and radius and way" in arrival.found
    )
    design = evaluate(Sheet.from_text(arrival.text))
    lowest = min(part.origin[2] for part in design.parts)  # type: ignore[union-attr]
    assert lowest < -0.01


def test_bends_that_cannot_be_folded_are_told(tmp_path: Path) -> None:
    made, space = _drawing()
    made.layers.add("bend")
    space.add_lwpolyline([(0, 0), (80, 0), (60, 100), (0, 100)], close=True)
    space.add_line((0, 50), (70, 50), dxfattribs={"layer": "bend"})
    found = read_plate(_saved(made, tmp_path))
    with pytest.raises(DrawingError, match="do not run square to it"):
        plate_arrival(found, "2 mm", "x", "structural steel")
    made, space = _drawing()
    made.layers.add("bend")
    space.add_lwpolyline([(0, 0), (80, 0), (80, 100), (0, 100)], close=True)
    space.add_circle((40, 50), 8)
    space.add_line((0, 50), (80, 50), dxfattribs={"layer": "bend"})
    found = read_plate(_saved(made, tmp_path))
    with pytest.raises(DrawingError, match="lies across a bend"):
        plate_arrival(found, "2 mm", "x", "structural steel")


@pytest.mark.fuzz
@settings(max_examples=15)
@given(st.data())
def test_damaged_svg_and_tables_are_told(data: st.DataObject) -> None:
    import tempfile

    ending = data.draw(st.sampled_from(["svg", "csv"]))
    table = "x (mm), y\n0,0\n120,0\n120,80\n0,80\n\n20,20\n50,20\n50,40\n"
    content = bytearray((SVG.format(width="300mm") if ending == "svg" else table).encode())
    for _ in range(data.draw(st.integers(1, 5))):
        at = data.draw(st.integers(0, len(content) - 1))
        kind = data.draw(st.sampled_from(["flip", "cut", "double"]))
        if kind == "flip":
            content[at] = data.draw(st.integers(32, 126))
        elif kind == "cut":
            del content[at : at + data.draw(st.integers(1, 30))]
            content = content or bytearray(b" ")
        else:
            content[at:at] = content[at : at + 30]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"damaged.{ending}"
        path.write_bytes(bytes(content))
        try:
            found = read_plate(path, "mm")
        except UserError:
            return
    assert np.isfinite(closed_line(found.outline)).all()


def test_tables_of_points_are_profiles_too(run: Run, tmp_path: Path) -> None:
    """A quarter of a ring of many points, drawn and turned, against the arc itself."""
    table = tmp_path / "bow.csv"
    angles = np.linspace(0, math.pi / 2, 301)
    rows = [f"{100 * math.cos(a):.9f}, {100 * math.sin(a):.9f}" for a in angles]
    table.write_text("\n".join(["x (mm), y", *rows]), encoding="utf-8")
    common = ("--thickness", "2 mm")
    sheets = []
    for kind in ("extruded", "revolved"):
        target = tmp_path / f"{kind}.toml"
        code, _, err = run("profile", table, "--as", kind, *common, "-o", target)
        assert code == 0, err
        assert "an open profile of 301 points, taken as" in err
        assert "300 short pieces are followed by 1 lines and arcs" in err
        sheets.append(read_sheet(target))
    drawn, turned = (evaluate(sheet).parts[0].shape for sheet in sheets)  # type: ignore[union-attr]
    assert drawn.profile.length == pytest.approx(math.pi / 2 * 0.1, rel=1e-5)
    assert drawn.length == pytest.approx(0.1)
    assert turned.full
    square = tmp_path / "duct.csv"
    square.write_text("x (mm), y\n0,0\n60,0\n60,40\n0,40\n0,0\n", encoding="utf-8")
    target = tmp_path / "duct.toml"
    assert run("profile", square, "--as", "extruded", *common, "-o", target)[0] == 0
    duct = evaluate(read_sheet(target)).parts[0].shape  # type: ignore[union-attr]
    assert duct.profile.closed
    assert duct.profile.length == pytest.approx(0.2)
    square.write_text("x (mm), y\n0,0\n60,0\n\n60,40\n0,40\n", encoding="utf-8")
    code, _, err = run("profile", square, "--as", "extruded", *common)
    assert code == 1
    assert "“duct.csv”: the table holds 2 lines of points; a profile is one of them alone" in err
