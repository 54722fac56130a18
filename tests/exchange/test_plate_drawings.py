"""Plates from drawings: what is drawn becomes the plate that was meant, or says why not."""

import io
import math
from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from belltone.exchange.plate_drawings import DrawingError, layers_of, plate_sheet, read_plate
from belltone.geometry.outlines import closed_line
from belltone.geometry.shapes import Contour, ContourHole, Disc, Plate, RoundHole
from belltone.modes.solve import request_for, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from tests.conftest import Run, held


def _drawing(units: int = 4) -> tuple[Any, Any]:
    made = ezdxf.new("R2010")  # type: ignore[attr-defined]
    made.header["$INSUNITS"] = units
    return made, made.modelspace()


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
    text = plate_sheet(found, "3 mm", "wear plate", "structural steel")
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
    plate = _plate(plate_sheet(found, "2 mm", "x", "structural steel"))
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
    assert any("2 splines or ellipses are followed by arcs" in line for line in found.found)
    assert len(found.outline.segments) < 60


def test_units_are_those_of_the_drawing_or_asked_for(tmp_path: Path) -> None:
    made, space = _drawing(units=1)
    space.add_circle((0, 0), 10)
    path = _saved(made, tmp_path)
    plate = _plate(plate_sheet(read_plate(path), "3 mm", "x", "structural steel"))
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
    assert len(found.outline.segments) == 400
    with pytest.raises(DrawingError, match="a contour has 400 points, where a plate's has 150"):
        plate_sheet(found, "3 mm", "x", "structural steel")
    for number in range(5000):
        space.add_line((200 + number, 0), (200.5 + number, 0))
    with pytest.raises(DrawingError, match="5400 lines and arcs are drawn, where outlines of 5000"):
        read_plate(_saved(made, tmp_path))
