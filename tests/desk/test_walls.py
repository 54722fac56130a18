"""Plates and shells in the window: sentences, picking, panes, colours, starting points."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QAction, QColor
from PySide6.QtWidgets import QInputDialog
from pytestqt.qtbot import QtBot

from belltone.design.parts import MeshValue
from belltone.desk.shape.site_menu import site_menu
from belltone.desk.starts import starts
from belltone.desk.window import MainWindow
from belltone.drawing.colours import LIGHT
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.system.kinds import place_lines
from tests.desk.conftest import count_pixels, number, roughly, settle

PLATE = next(start for start in starts() if start.title == "Splash plate").text


@pytest.fixture
def plate(make_window: Callable[..., MainWindow]) -> MainWindow:
    """A window on a plate held along its west edge."""
    return make_window(None, PLATE)


def at_site(window: MainWindow, site: str, share: float = 0.5) -> QPoint:
    """Where a site's middle is on the canvas."""
    canvas = window.shape.canvas
    surface = window.session.design.parts[0]
    assert surface is not None
    line = np.concatenate(place_lines(surface, window.session.design.places[site]))
    place = line[round(share * (len(line) - 1))]
    ratio = canvas.devicePixelRatioF()
    x, y = canvas.scene.eye.on_picture(place, round(canvas.height() * ratio))
    return QPointF(x / ratio, y / ratio).toPoint()


def test_a_plate_is_drawn_with_its_nodal_line(plate: MainWindow) -> None:
    plate.session.choose_neighbour(1)  # the twist: its middle line stands still
    canvas = plate.shape.canvas
    canvas.look("z")
    canvas.set_swing(0.0)
    image = canvas.grab().toImage()
    nodal = QColor(LIGHT.nodal)
    assert count_pixels(image, nodal, 40) > 150
    plate.shape.set_option(("nodal", True), False)
    assert count_pixels(canvas.grab().toImage(), nodal, 40) < 40


def test_energy_is_a_second_colouring(plate: MainWindow) -> None:
    canvas = plate.shape.canvas
    canvas.look("z")
    canvas.set_swing(0.0)

    def strongest() -> float:
        scalars = canvas.scene.skin.values  # the values behind the colours
        return float(canvas.scene.part.points[int(np.argmax(scalars)), 0])

    assert strongest() == pytest.approx(0.25, abs=0.02)  # the free end moves most
    before = canvas.grab().toImage()
    plate.shape.set_option(("colour", "energy"), True)
    assert strongest() < -0.2  # and the clamp is strained most
    assert canvas.grab().toImage() != before


def test_a_plate_is_cut_open_where_the_slider_says(plate: MainWindow) -> None:
    view, canvas = plate.shape, plate.shape.canvas
    canvas.look("z")
    canvas.set_swing(0.0)
    view.set_option(("clutter", True), False)
    view.set_option(("axes", True), False)

    def drawn() -> int:
        picture = canvas.scene.draw(600, 300).astype(int)
        return int(np.count_nonzero(np.abs(picture - picture[0, 0]).max(axis=2) > 3))

    whole = drawn()
    assert not view.cut.isVisible()
    view.set_option(("cut", "x"), True)
    assert view.cut.isVisible()
    half = drawn()
    assert half == pytest.approx(0.5 * whole, rel=0.05)
    view.cut.setValue(25)
    assert drawn() == pytest.approx(0.75 * whole, rel=0.05)
    view.set_option(("cut", ""), True)
    assert drawn() == pytest.approx(whole, rel=0.02)


def test_colour_is_only_where_there_is_much(
    plate: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    view, scene = plate.shape, plate.shape.canvas.scene
    everywhere = scene.skin.values.copy()
    view.set_option(("least", 0.5), True)
    masked = scene.skin.values
    assert np.all(masked[everywhere < 0.5] == 0)
    assert np.array_equal(masked[everywhere >= 0.5], everywhere[everywhere >= 0.5])
    view.set_option(("most", 0.75), True)
    within = (everywhere >= 0.5) & (everywhere <= 0.75)
    assert np.array_equal(scene.skin.values, np.where(within, everywhere, 0))
    view.set_option(("most", 1.0), True)
    view.set_option(("least", 0.0), True)
    assert np.array_equal(scene.skin.values, everywhere)
    # Any share can be stated.
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_: (62.5, True))
    view.findChild(QAction, "least stated").trigger()
    assert np.array_equal(scene.skin.values, np.where(everywhere >= 0.625, everywhere, 0))
    view.set_option(("least", 0.0), True)


def test_motion_and_both_energies_are_coloured(plate: MainWindow) -> None:
    """Of a bending plate's first mode: most strain at the clamp, most motion at the free rim."""
    session, view, scene = plate.session, plate.shape, plate.shape.canvas.scene
    assert session.answer is not None
    at = session.chosen_index
    assert at is not None
    modes = session.answer.modes
    for colour, densities in (("energy", modes.densities), ("kinetic", modes.motion_densities)):
        view.set_option(("colour", colour), True)
        assert float(scene.skin.values.max()) == pytest.approx(1.0, abs=1e-6)
        assert densities[at].max() == pytest.approx(1.0)
    moved = np.linalg.norm(modes.shapes[at][:, :3], axis=1)
    assert np.argmax(modes.motion_densities[at]) == np.argmax(moved)
    # Evenly thick, kinetic energy by area goes with the square of the motion.
    assert modes.motion_densities[at] == pytest.approx(moved**2 / moved.max() ** 2, abs=1e-6)
    view.set_option(("colour", "motion"), True)


def test_half_a_cycle_moves_to_one_side_only(plate: MainWindow) -> None:
    view, canvas = plate.shape, plate.shape.canvas
    for half, sides in ((True, {1}), (False, {1, -1})):
        view.half.setChecked(half)
        seen = set()
        for phase in np.linspace(0.1, 6.2, 25):
            view._phase, view._then = float(phase), time.monotonic()
            view._tick()
            if abs(canvas._swing) > 0.05:
                seen.add(int(np.sign(canvas._swing)))
        assert seen == sides


@pytest.mark.parametrize(
    ("site", "share", "wanted"),
    [
        ("plate.east", 0.4, "plate.east"),
        ("plate.north-east", 0.0, "plate.north-east"),
        ("plate.south", 0.6, "plate.south"),
    ],
)
def test_sites_are_named_before_the_click(
    plate: MainWindow, qtbot: QtBot, site: str, share: float, wanted: str
) -> None:
    canvas = plate.shape.canvas
    canvas.look("z")
    canvas.set_swing(0.0)
    qtbot.mouseMove(canvas, at_site(plate, site, share))
    assert canvas.hovered == wanted
    clicked: list[str] = []
    canvas.site_clicked.disconnect()
    canvas.site_clicked.connect(clicked.append)
    qtbot.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=at_site(plate, site, share))
    assert clicked == [wanted]
    blue = QColor(LIGHT.live)
    assert count_pixels(canvas.grab().toImage(), blue, 12) > 60


def test_the_face_is_picked_where_no_edge_is_near(plate: MainWindow, qtbot: QtBot) -> None:
    canvas = plate.shape.canvas
    canvas.look("z")
    canvas.set_swing(0.0)
    middle = QPoint(canvas.width() // 2, canvas.height() // 2)
    qtbot.mouseMove(canvas, middle)
    assert canvas.hovered == "plate.face"
    qtbot.mouseMove(canvas, QPoint(3, 3))
    assert canvas.hovered is None


def test_an_edge_behind_the_wall_is_not_picked(
    make_window: Callable[..., MainWindow], qtbot: QtBot
) -> None:
    drum = next(start for start in starts() if start.title == "Rinse drum").text
    window = make_window(None, drum)
    canvas = window.shape.canvas
    canvas.look("y")
    canvas.set_swing(0.0)
    line = np.concatenate(
        place_lines(window.session.design.parts[0], window.session.design.places["drum.start"])  # type: ignore[arg-type]
    )
    ratio = canvas.devicePixelRatioF()
    height = round(canvas.height() * ratio)
    flat = canvas.scene.eye.project(line, height)
    behind = int(np.argmax(flat[:, 2]))
    assert canvas._picker is not None
    # Looked at from the side, the far half of the foot is hidden by the near half of the wall
    # only where they do not fall on one line; tilt the view to part them.
    canvas.scene.eye.turn(0, 25)
    canvas.follow()
    flat = canvas.scene.eye.project(line, height)
    x, y, _ = flat[behind]
    assert canvas._picker.at(float(x), float(y), height) in ("drum.face", "drum.end")


def test_the_menu_of_a_site_holds_and_lets_go(plate: MainWindow, qtbot: QtBot) -> None:
    session = plate.session
    before = session.design.supports
    assert len(before) == 1
    texts = [action.text() for action in site_menu(session, "plate.east", plate).actions()]
    assert "hold it simply supported" in texts
    act(plate, "plate.east", "hold it clamped")
    settle(qtbot, plate)
    assert [support.place.site for support in session.design.supports] == [
        "plate.west",
        "plate.east",
    ]
    act(plate, "plate.east", "hang a mass on it")
    act(plate, "plate.west", "let it go")
    assert [support.place.site for support in session.design.supports] == ["plate.east"]
    assert session.design.masses[0].place.site == "plate.east"
    for _ in range(3):
        session.undo()
    assert len(session.design.supports) == 1
    settle(qtbot, plate)


def act(window: MainWindow, site: str, words: str) -> None:
    """Choose something from a site's menu."""
    menu = site_menu(window.session, site, window)
    next(action for action in menu.actions() if action.text() == words).trigger()


def test_panes_share_a_view_and_keep_their_modes(plate: MainWindow, qtbot: QtBot) -> None:
    panes = plate.shape.panes
    panes.set_count(4)
    qtbot.wait(50)
    assert [canvas.index for canvas in panes.canvases] == [0, 1, 2, 3]
    panes.look("x")
    axes = [canvas.scene.eye.axes for canvas in panes.canvases]
    for other in axes[1:]:
        assert other == pytest.approx(axes[0])
    pictures = [canvas.grab().toImage() for canvas in panes.canvases]
    assert len({picture.constBits().tobytes() for picture in pictures}) == 4
    panes.mode_menu(panes.canvases[2]).actions()[5].trigger()
    plate.session.choose_neighbour(1)
    assert [canvas.index for canvas in panes.canvases] == [1, 1, 5, 3]
    panes.set_count(1)
    assert panes.count == 1
    with pytest.raises(ValueError, match="one, two or four"):
        panes.set_count(3)


def test_numbers_of_a_plate_are_live(plate: MainWindow, qtbot: QtBot) -> None:
    before = plate.session.answer
    assert before is not None
    thickness = number(plate, ("parts", "plate", "thickness"))
    thickness.begin_edit("6 mm")
    thickness.commit()
    settle(qtbot, plate)
    assert plate.session.answer is not None
    ratio = plate.session.answer.modes.flexible[0] / before.modes.flexible[0]
    assert ratio == pytest.approx(2.0, rel=0.01)


def test_every_starting_point_is_a_sound_sheet(tmp_path: Path) -> None:
    assert len(starts()) >= 12
    for start in starts():
        sheet = Sheet.from_text(start.text)
        design = evaluate(sheet)
        assert not design.warnings, start.title
        assert design.supports or sheet.content.modes.free


def test_regions_of_a_received_mesh_are_hidden_and_shown_alone(
    make_window: Callable[..., MainWindow], tmp_path: Path
) -> None:
    window = make_window(roughly("drip_tray", tmp_path))
    view, session = window.shape, window.session
    view._region_menu.aboutToShow.emit()
    menus = [action.menu() for action in view._region_menu.actions() if action.menu()]
    assert len(menus) >= 2
    (tray,) = session.design.solid_parts
    assert isinstance(tray, MeshValue)
    scene = view.canvas.scene

    def drawn() -> tuple[int, int]:
        return scene.skin.solid.GetNumberOfPolys(), scene.skin.faint.GetNumberOfPolys()

    whole = len(tray.faces)
    assert drawn() == (whole, 0)
    name = menus[0].title().rpartition(" (")[0]
    own = len(tray.areas[name.partition(".")[2]])
    acts = {action.text(): action for action in menus[0].actions()}
    acts["hidden"].trigger()
    assert drawn() == (whole - own, 0)
    acts["see-through"].trigger()
    assert drawn() == (whole - own, own)
    acts["alone"].trigger()
    assert drawn()[0] >= own
    view._region_menu.actions()[-1].trigger()
    assert drawn() == (whole, 0)
