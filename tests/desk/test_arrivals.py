"""Files somebody sent in the real window: told, chosen, begun with, put in place of older ones."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdxf
import meshio
import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QApplication, QDialog, QWhatsThis
from pytestqt.qtbot import QtBot

from belltone.desk.arrival_dialog import ArrivalDialog
from belltone.desk.cards.component_cards import ComponentCard
from belltone.desk.shape.site_menu import site_menu
from belltone.desk.window import MainWindow
from belltone.sheet.document import read_sheet
from tests import solids
from tests.desk.conftest import WAIT, number, roughly, settle


@pytest.fixture
def drawing(tmp_path: Path) -> Path:
    """A wear plate with a slot on one layer, a frame round the sheet on another; no unit."""
    made: Any = ezdxf.new("R2010")  # type: ignore[attr-defined]
    made.header["$INSUNITS"] = 0
    space = made.modelspace()
    for layer in ("cut", "frame"):
        made.layers.add(layer)
    for name, box in (("cut", (0, 0, 240, 160)), ("frame", (-500, -500, 1000, 1000))):
        x, y, width, height = box
        corners = [(x, y), (x + width, y), (x + width, y + height), (x, y + height)]
        space.add_lwpolyline(corners, close=True, dxfattribs={"layer": name})
    space.add_lwpolyline(
        [(90, 70, 0), (150, 70, 1), (150, 90, 0), (90, 90, 1)], format="xyb", close=True,
        dxfattribs={"layer": "cut"},
    )  # fmt: skip
    path = tmp_path / "wear plate.dxf"
    made.saveas(path)
    return path


def ready(qtbot: QtBot, dialog: ArrivalDialog) -> None:
    """Wait until the file is read."""
    qtbot.waitUntil(lambda: not dialog.words.text().startswith("Reading"), timeout=WAIT)
    qtbot.waitUntil(lambda: dialog.words.text() != "", timeout=WAIT)


def lines(dialog: ArrivalDialog) -> str:
    return "\n".join(dialog.found.item(row).text() for row in range(dialog.found.count()))


def drop(window: MainWindow, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    none, left = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.LeftButton
    window.dropEvent(QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, left, none))


def with_dialog(qtbot: QtBot, act: Callable[[ArrivalDialog], None]) -> list[str]:
    """Act on the next dialog once its file is read; what was found is noted."""
    seen: list[str] = []

    def look() -> None:
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, ArrivalDialog) or dialog.words.text().startswith("Reading"):
            QTimer.singleShot(30, look)
            return
        if dialog.words.text() == "":
            QTimer.singleShot(30, look)
            return
        seen.append(dialog.words.text() + lines(dialog))
        act(dialog)

    QTimer.singleShot(0, look)
    return seen


def test_what_was_found_is_told_before(drawing: Path, qtbot: QtBot) -> None:
    dialog = ArrivalDialog(drawing)
    qtbot.addWidget(dialog)
    assert not dialog.begin.isEnabled()
    ready(qtbot, dialog)
    assert "states no unit" in dialog.words.text()
    dialog.unit.setCurrentText("mm")
    ready(qtbot, dialog)
    assert "lies in a hole" in dialog.words.text()
    assert dialog.sheet is None
    for row in range(dialog.layers.count()):
        if dialog.layers.item(row).text() == "frame":
            dialog.layers.item(row).setCheckState(Qt.CheckState.Unchecked)
    qtbot.waitUntil(dialog.begin.isEnabled, timeout=WAIT)
    assert "a plate 240 × 160 mm with 1 hole" in lines(dialog)
    dialog.thickness.setText("4 kg")
    assert not dialog.begin.isEnabled()
    ready(qtbot, dialog)
    dialog.thickness.setText("4 mm")
    qtbot.waitUntil(dialog.begin.isEnabled, timeout=WAIT)
    assert dialog.sheet is not None
    assert dialog.sheet.content.knobs["thickness"].value == "4 mm"
    dialog.reject()


@pytest.mark.usefixtures("read_apart")
@pytest.mark.parametrize("ending", ["dxf", "svg", "csv", "step", "vtu", "stl"])
def test_a_damaged_file_is_told_by_name(ending: str, tmp_path: Path, qtbot: QtBot) -> None:
    path = tmp_path / f"x.{ending}"
    path.write_text("nothing of the sort\n", encoding="utf-8")
    dialog = ArrivalDialog(path)
    qtbot.addWidget(dialog)
    ready(qtbot, dialog)
    assert path.name in dialog.words.text()
    assert "failures.log" not in dialog.words.text()
    assert not dialog.begin.isEnabled()
    dialog.reject()


def test_a_dropped_drawing_begins_a_plate(
    make_window: Callable[..., MainWindow], rail_path: Path, drawing: Path, qtbot: QtBot
) -> None:
    window = make_window(rail_path)

    def unit(dialog: ArrivalDialog) -> None:
        dialog.layers.item(1).setCheckState(Qt.CheckState.Unchecked)
        dialog.unit.setCurrentText("mm")
        qtbot.waitUntil(dialog.begin.isEnabled, timeout=WAIT)
        qtbot.mouseClick(dialog.begin, Qt.MouseButton.LeftButton)

    with_dialog(qtbot, unit)
    drop(window, drawing)
    qtbot.waitUntil(lambda: "plate" in window.session.sheet.content.parts, timeout=WAIT)
    settle(qtbot, window)
    assert window.session.answer is not None
    # The slot's points are numbers of the card, like any others.
    field = number(window, ("parts", "plate", "holes", 0, "points", 0, "at", 0))
    assert field.text().startswith("-30 mm") or "mm" in field.text()


def test_a_dropped_bracket_is_begun_with_saved_and_revised(
    make_window: Callable[..., MainWindow],
    rail_path: Path,
    tmp_path: Path,
    qtbot: QtBot,
) -> None:
    window = make_window(rail_path)
    sent = tmp_path / "sent"
    sent.mkdir()
    first = solids.write_step(sent / "holder.step", solids.bracket(holes=[(20, 40), (60, 40)]))
    seen = with_dialog(qtbot, lambda dialog: dialog.begin.click())
    drop(window, first)
    qtbot.waitUntil(lambda: "holder" in window.session.sheet.content.parts, timeout=WAIT)
    assert "3 faces, 2 mm thick, 2 holes" in seen[0]
    assert window.session.design.part_of("holder").thickness.mean == pytest.approx(0.002)  # type: ignore[union-attr]
    settle(qtbot, window)
    # Saved elsewhere, it finds its file from there; what it names is no whole path.
    saved = tmp_path / "mine.toml"
    window.session.save(saved)
    part = read_sheet(saved).content.parts["holder"]
    assert part.file == "sent/holder.step"  # type: ignore[union-attr]
    window.session.edit(
        "held",
        lambda sheet: sheet.with_entry(("supports",), {"site": "holder.hole 1", "hold": "clamped"}),
    )
    longer = solids.cut(
        solids.bracket(holes=[(20, 40), (60, 40)], back=44), solids.cylinder(7, 10, (40, 40, -3))
    )
    second = solids.write_step(sent / "holder_b.step", longer)
    with_dialog(qtbot, lambda dialog: dialog.replace[0].click())
    drop(window, second)
    qtbot.waitUntil(
        lambda: window.session.sheet.content.supports[0].site == "holder.hole 2", timeout=WAIT
    )
    assert window.session.sheet.content.parts["holder"].file == "sent/holder_b.step"  # type: ignore[union-attr]
    assert [variant.name for variant in window.session.variants.listed] == ["before holder_b"]
    window.session.undo()
    assert window.session.sheet.content.supports[0].site == "holder.hole 1"


def test_a_mesh_is_asked_what_tells_its_regions(tmp_path: Path, qtbot: QtBot) -> None:
    points = np.array([(x, y, 0.0) for y in (0, 100, 200) for x in (0, 100, 200)])
    quads = np.array([(0, 1, 4, 3), (1, 2, 5, 4), (3, 4, 7, 6), (4, 5, 8, 7)])
    data = {"part": [np.array([1, 1, 1, 1])], "colour": [np.array([3, 3, 4, 4])]}
    path = tmp_path / "floor.vtu"
    meshio.Mesh(points, [("quad", quads)], cell_data=data).write(path)
    dialog = ArrivalDialog(path)
    qtbot.addWidget(dialog)
    qtbot.waitUntil(dialog.begin.isEnabled, timeout=WAIT)
    assert "if it counts in mm" in lines(dialog)
    assert "regions could be told by part, colour" in lines(dialog)
    dialog.regions.setCurrentText("colour")
    qtbot.waitUntil(lambda: "2 regions: 3, 4" in lines(dialog), timeout=WAIT)
    assert dialog.sheet is not None
    assert dialog.sheet.content.parts["floor"].regions_by == "colour"  # type: ignore[union-attr]
    dialog.reject()


def test_a_table_of_points_becomes_a_shell_and_rims_are_sewn(tmp_path: Path, qtbot: QtBot) -> None:
    table = tmp_path / "bow.csv"
    table.write_text("x (mm), y\n50,0\n60,0\n60,40\n", encoding="utf-8")
    dialog = ArrivalDialog(table)
    qtbot.addWidget(dialog)
    qtbot.waitUntil(dialog.begin.isEnabled, timeout=WAIT)
    dialog.becomes.setCurrentText("a shell, the profile drawn along x")
    qtbot.waitUntil(dialog.begin.isEnabled, timeout=WAIT)
    dialog.length.setText("300 mm")
    assert not dialog.begin.isEnabled()
    qtbot.waitUntil(dialog.begin.isEnabled, timeout=WAIT)
    assert dialog.sheet is not None
    assert dialog.sheet.content.parts["shell"].length == "300 mm"  # type: ignore[union-attr]
    dialog.reject()
    points = [(0, 0), (90, 0), (90, 90), (0, 90), (90.2, 0), (180, 0), (180, 90), (90.2, 90)]
    mesh = tmp_path / "two.vtu"
    places = np.array([(x, y, 0.0) for x, y in points])
    meshio.Mesh(places, [("quad", np.array([(0, 1, 2, 3), (4, 5, 6, 7)]))]).write(mesh)
    dialog = ArrivalDialog(mesh)
    qtbot.addWidget(dialog)
    qtbot.waitUntil(dialog.begin.isEnabled, timeout=WAIT)
    assert "“sew” joins them" in lines(dialog)
    dialog.sew.setText("0.5 mm")
    qtbot.waitUntil(lambda: "2 nodes of free edges were sewn" in lines(dialog), timeout=WAIT)
    dialog.reject()


def test_a_sheet_whose_cad_file_was_never_read_is_read_ahead(
    make_window: Callable[..., MainWindow], rail_path: Path, tmp_path: Path, qtbot: QtBot
) -> None:
    window = make_window(rail_path)
    solids.write_step(tmp_path / "lid.step", solids.box((0, 0, 0), (120, 80, 3)))
    path = tmp_path / "lid.toml"
    path.write_text(
        'belltone = 1\n[parts.lid]\nkind = "skin"\nfile = "lid.step"\n'
        'material = "structural steel"\n[[supports]]\nsite = "lid.edge 1"\nhold = "clamped"\n',
        encoding="utf-8",
    )
    assert window.files.open(path)
    assert window.session.design.part_of("lid").thickness.mean == pytest.approx(0.003)  # type: ignore[union-attr]


def test_closing_while_a_file_is_read_ends_the_reading(tmp_path: Path, qtbot: QtBot) -> None:
    path = solids.write_step(tmp_path / "lid.step", solids.bracket())
    dialog = ArrivalDialog(path)
    qtbot.addWidget(dialog)
    dialog.reject()
    assert dialog.result() == QDialog.DialogCode.Rejected
    assert dialog.sheet is None
    qtbot.waitUntil(
        lambda: not any(each.name.startswith("reading") for each in threading.enumerate()),
        timeout=WAIT,
    )


def test_faces_of_a_skin_are_picked_hidden_and_get_points(
    make_window: Callable[..., MainWindow], rail_path: Path, tmp_path: Path, qtbot: QtBot
) -> None:
    window = make_window(rail_path)
    solids.write_step(tmp_path / "holder.step", solids.bracket(holes=[(20, 40), (60, 40)]))
    path = tmp_path / "holder.toml"
    path.write_text(
        'belltone = 1\n[parts.holder]\nkind = "skin"\nfile = "holder.step"\n'
        'material = "structural steel"\n[[supports]]\nsite = "holder.hole 1"\nhold = "clamped"\n'
        '[accuracy]\ntarget = "5 %"\n[modes]\ncount = 2\n',
        encoding="utf-8",
    )
    assert window.files.open(path)
    settle(qtbot, window)
    canvas = window.shape.canvas
    canvas.look("z")
    canvas.set_swing(0.0)
    ratio = canvas.devicePixelRatioF()
    height = round(canvas.height() * ratio)
    foot = canvas.scene.eye.project(np.array([[0.04, 0.05, 0.001]]), height)[0]
    at = QPoint(round(foot[0] / ratio), round(foot[1] / ratio))
    qtbot.mouseMove(canvas, at)
    assert canvas.hovered == "holder.face 1"
    assert canvas.spot is not None
    assert canvas.spot.place == pytest.approx([0.04, 0.05, 0.001], abs=5e-4)
    menu = site_menu(window.session, "holder.face 1", window, canvas.spot)
    act = next(each for each in menu.actions() if each.text() == "put a point here")
    act.trigger()
    assert window.session.sheet.content.sites["point_1"].part == "holder"
    assert "point_1" in window.session.design.places
    card = window.findChild(ComponentCard)
    (first, *_) = card.sentences()
    acts = {each.text: each for each in first[-1].acts}  # type: ignore[union-attr]
    dict(acts["another diameter…"].options)["hole 2"]()
    holes = window.session.sheet.content.parts["holder"].holes  # type: ignore[union-attr]
    assert holes["hole 2"].diameter == "10 mm"
    window.session.undo()
    window.shape._fill_regions()
    words = [each.text() for each in window.shape._region_menu.actions()]
    assert words[:3] == ["holder.face 1 (seen)", "holder.face 2 (seen)", "holder.face 3 (seen)"]
    window.session.parts.set_view(["holder.face 1"], "hidden")
    canvas.follow()
    qtbot.mouseMove(canvas, QPoint(3, 3))
    qtbot.mouseMove(canvas, at)
    assert canvas.hovered is None


def test_a_face_of_a_skin_gets_a_thickness_of_its_own(
    make_window: Callable[..., MainWindow], tmp_path: Path, qtbot: QtBot
) -> None:
    solids.write_step(tmp_path / "holder.step", solids.bracket())
    path = tmp_path / "holder.toml"
    path.write_text(
        'belltone = 1\n[parts.holder]\nkind = "skin"\nfile = "holder.step"\n'
        'material = "structural steel"\n[modes]\nfree = true\ncount = 2\n',
        encoding="utf-8",
    )
    window = make_window(path)
    card = window.findChild(ComponentCard)
    assert card is not None
    (first, *_) = card.sentences()
    acts = {each.text: each for each in first[-1].acts}  # type: ignore[union-attr]
    faces = dict(acts["a face of its own thickness…"].options)
    assert set(faces) == {"face 1", "face 2", "face 3"}
    faces["face 1"]()
    stated = window.session.sheet.values["parts", "holder", "regions", "face 1", "thickness"][0]
    assert stated == "2 mm"
    number(window, ("parts", "holder", "regions", "face 1", "thickness"))
    # Where walls differ, each face is offered its own thickness and no mean.
    window.session.set_value(("parts", "holder", "regions", "face 1", "thickness"), "3 mm")
    acts = {each.text: each for each in card.sentences()[0][-1].acts}  # type: ignore[union-attr]
    dict(acts["a face of its own thickness…"].options)["face 3"]()
    stated = {
        face: window.session.sheet.values["parts", "holder", "regions", face, "thickness"][0]
        for face in ("face 1", "face 3")
    }
    assert stated == {"face 1": "3 mm", "face 3": "2 mm"}


def test_regions_of_a_mesh_are_told_one_by_one(
    make_window: Callable[..., MainWindow], tmp_path: Path, qtbot: QtBot
) -> None:
    window = make_window(roughly("drip_tray", tmp_path, 1))
    card = window.column.component
    told = [" ".join(str(piece) for piece in sentence) for sentence in card.sentences()]
    assert [line.split(":")[0] for line in told[1:4]] == ["Region 1", "Region 2", "Region 3"]
    regions = window.session.sheet.content.parts["tray"].regions  # type: ignore[union-attr]
    assert set(regions) == {"3"}
    own = next(each for each in card.sentences()[1][-1].acts if "thickness" in each.text)  # type: ignore[union-attr]
    own.do()  # type: ignore[union-attr]
    (back,) = [
        each
        for each in card.sentences()[1][-1].acts  # type: ignore[union-attr]
        if each.text == "as thick as the mesh"
    ]
    assert window.session.sheet.values["parts", "tray", "regions", "1", "thickness"][0] == "floor"
    back.do()  # type: ignore[union-attr]
    assert set(window.session.sheet.content.parts["tray"].regions) == {"3"}  # type: ignore[union-attr]


def test_the_dialog_explains_what_arrives(drawing: Path, qtbot: QtBot) -> None:
    dialog = ArrivalDialog(drawing)
    qtbot.addWidget(dialog)
    dialog.show()
    qtbot.waitUntil(dialog.isActiveWindow)
    ready(qtbot, dialog)
    before = set(QApplication.topLevelWidgets())
    qtbot.keyClick(dialog, Qt.Key.Key_F1)
    shown = [each for each in QApplication.topLevelWidgets() if each not in before]
    assert any(each.isVisible() for each in shown)
    QWhatsThis.hideText()
    dialog.reject()
