"""Handing over from the real window: report, film, picture, tables, files."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import av
import meshio
import pytest
from openpyxl import load_workbook
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QGuiApplication, QImage
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from belltone.desk.handing.hand_over_view import HandOverView
from belltone.desk.session.handing import HANDING
from belltone.desk.window import MainWindow
from belltone.drawing.colours import LIGHT
from tests.desk.conftest import WAIT, count_pixels

Making = tuple[MainWindow, HandOverView]


@pytest.fixture
def making(make_window: Callable[..., MainWindow], rail_path: Path, qtbot: QtBot) -> Making:
    """The window that hands over, opened by its key."""
    window = make_window(rail_path, models=True)
    qtbot.keyClick(window, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier)
    view = window.beside.of(HandOverView)
    if view is None:  # without a window manager, keys may not reach the menu
        window.show_handing()
        view = window.beside.of(HandOverView)
    assert view is not None
    return window, view


def _written(qtbot: QtBot, window: MainWindow, target: Path) -> None:
    handing = window.session.handing
    qtbot.waitUntil(lambda: handing.state is None, timeout=WAIT)
    assert handing.told == f"Written: {target}", handing.told
    assert not handing.failed


def test_a_report_of_what_is_ticked(
    making: Making, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, view = making
    panel = view.report
    assert not panel.ticks["preload"].isEnabled()
    assert not panel.ticks["two knobs"].isChecked()
    for part in ("shapes", "one knob", "by hand", "component"):
        panel.ticks[part].click()
    assert panel.chosen == ("excitation", "verdict", "modes", "grounds")
    # The sheet keeps the ticks, as steps that can be undone.
    assert window.session.sheet.content.report.contents == panel.chosen
    panel.author.setText("Line 3")
    panel.author.editingFinished.emit()
    assert window.session.sheet.content.report.author == "Line 3"
    target = tmp_path / "rail.html"
    asked: list[str] = []

    def ask(_parent: object, _title: str, start: str, filters: str) -> tuple[str, str]:
        asked.extend((start, filters))
        return str(target), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", ask)
    qtbot.mouseClick(panel.write, Qt.MouseButton.LeftButton)
    _written(qtbot, window, target)
    assert asked[0].endswith("infeed_rail.html")
    assert "*.pdf" in asked[1]
    text = target.read_text(encoding="utf-8")
    assert re.findall(r'data-part="([^"]+)"', text) == list(panel.chosen)
    assert "Line 3" in text
    window.session.undo()
    assert window.session.sheet.content.report.author == ""


def test_the_sheet_itself_is_never_replaced(making: Making) -> None:
    window, view = making
    assert window.session.path is not None
    before = window.session.path.read_bytes()
    for name in ("infeed_rail.toml", "infeed_rail.results.sqlite"):
        window.session.path.with_name(name).touch()
        view.report.begin(window.session.path.with_name(name))
        assert f"would replace “{name}”" in view.report.words.text()
    assert window.session.handing.state is None
    assert window.session.path.read_bytes() == before


def test_a_film_of_the_chosen_mode(making: Making, qtbot: QtBot, tmp_path: Path) -> None:
    window, view = making
    panel = view.film
    window.session.choose(2)
    assert panel.length.text() == "60 frames, 2.0 s long."
    panel.frames.setValue(6)
    panel.rate.setValue(12)
    panel.pixels.setCurrentText("640 × 360")
    assert panel.length.text() == "6 frames, 0.5 s long."
    target = tmp_path / "mode.mp4"
    panel.begin(target)
    assert panel.write.text() == "Stop"
    _written(qtbot, window, target)
    with av.open(str(target)) as film:
        frames = [frame.to_ndarray(format="rgb24") for frame in film.decode(video=0)]
    assert len(frames) == 6
    assert frames[0].shape == (360, 640, 3)
    panel.what.setCurrentText("all modes, one after another")
    assert panel.length.text() == "60 frames, 5.0 s long."
    panel.what.setCurrentText("the chosen mode over")
    assert panel.knob.isVisibleTo(panel)
    assert panel.shown is not None
    assert panel.shown.over == "wall=2 mm:6 mm:25"
    # It is seen as in the window, until another way is chosen.
    window.shape.panes.look("z")
    towards, up = panel.reel.view.direction
    assert towards == pytest.approx((0, 0, -1))  # type: ignore[comparison-overlap]
    assert up == pytest.approx((0, 1, 0))  # type: ignore[comparison-overlap]
    panel.seen.setCurrentText("x")
    assert panel.reel.view.direction == "x"


def test_what_is_written_is_stopped(making: Making, qtbot: QtBot, tmp_path: Path) -> None:
    window, view = making
    view.film.frames.setValue(600)
    window.session.choose(1)
    target = tmp_path / "long.mp4"
    view.film.begin(target)
    qtbot.waitUntil(
        lambda: (state := window.session.jobs.state(HANDING)) is not None and state.done > 0,
        timeout=WAIT,
    )
    qtbot.waitUntil(lambda: " of 600" in view.film.words.text(), timeout=WAIT)
    qtbot.mouseClick(view.film.write, Qt.MouseButton.LeftButton)
    assert view.film.words.text() == "Stopped; nothing was written."
    assert view.film.write.text() == "Write…"
    assert not target.exists()


def test_what_goes_wrong_is_told(making: Making, qtbot: QtBot, tmp_path: Path) -> None:
    window, view = making
    view.report.begin(tmp_path / "absent" / "rail.html")
    qtbot.waitUntil(lambda: window.session.handing.state is None, timeout=WAIT)
    assert view.report.words.text().startswith("Not written: ")
    assert "there is no folder" in view.report.words.text()
    view.files.what.setCurrentText("the loaded state")
    view.files.begin(tmp_path / "state.vtu")
    qtbot.waitUntil(lambda: window.session.handing.state is None, timeout=WAIT)
    assert "nothing loads the component" in view.files.words.text()


def test_pictures_of_the_shape(making: Making, tmp_path: Path) -> None:
    _window, view = making
    panel = view.picture
    panel.what.setCurrentText("the shape")
    panel.width_box.setValue(900)
    panel.write_to(tmp_path / "full.png")
    panel.clear.setChecked(True)
    panel.bare.setChecked(True)
    panel.write_to(tmp_path / "bare.png")
    full, bare = (QImage(str(tmp_path / name)) for name in ("full.png", "bare.png"))
    assert full.width() == bare.width() == 900
    assert not full.hasAlphaChannel() or full.pixelColor(3, 3).alpha() == 255
    assert bare.pixelColor(3, 3).alpha() == 0
    muted = QColor(LIGHT.muted)
    assert count_pixels(full, muted) > count_pixels(bare, muted) + 500  # names, axes, posts
    panel.copy.click()
    assert QGuiApplication.clipboard().image().width() == 900
    # The view itself goes on as it was.
    assert _window.shape.canvas.scene.options.clutter
    assert not _window.shape.canvas.scene.transparent


@pytest.mark.parametrize("name", ["the ruler", "the sweep map"])
def test_pictures_of_charts(making: Making, tmp_path: Path, name: str) -> None:
    _, view = making
    panel = view.picture
    panel.what.setCurrentText(name)
    assert not panel.clear.isEnabled()
    panel.write_to(tmp_path / "chart.svg")
    text = (tmp_path / "chart.svg").read_text(encoding="utf-8")
    assert text.startswith("<?xml")
    assert "<path" in text or "<polyline" in text or "<text" in text
    panel.copy.click()
    copied = QGuiApplication.clipboard().mimeData()
    assert copied.hasImage()
    assert copied.data("image/svg+xml").data().startswith(b"<?xml")
    panel.width_box.setValue(1400)
    panel.write_to(tmp_path / "chart.png")
    assert abs(QImage(str(tmp_path / "chart.png")).width() - 1400) <= 2
    panel.write_to(tmp_path / "chart.xyz")
    assert "use .png" in panel.told.text()
    assert sorted(path.name for path in tmp_path.glob("chart*")) == ["chart.png", "chart.svg"]


def test_open_charts_can_be_pictured(making: Making) -> None:
    window, view = making
    listed = [view.picture.what.itemText(at) for at in range(view.picture.what.count())]
    assert listed == ["the shape", "the ruler", "the sweep map"]
    window.show_plane()
    view.tabs.setCurrentWidget(view.picture)
    listed = [view.picture.what.itemText(at) for at in range(view.picture.what.count())]
    assert "the map of two knobs" in listed


def test_tables_are_written_and_copied(making: Making, qtbot: QtBot, tmp_path: Path) -> None:
    window, view = making
    panel = view.tables
    assert not panel.ticks["crossings"].isEnabled()
    target = tmp_path / "rail.xlsx"
    panel.begin(target)
    _written(qtbot, window, target)
    book = load_workbook(target)
    assert book.sheetnames == ["modes"]
    assert book["modes"]["B2"].value == pytest.approx(37.2029, rel=1e-5)
    qtbot.mouseClick(panel.copy, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.session.handing.state is None, timeout=WAIT)
    lines = QGuiApplication.clipboard().text().splitlines()
    assert lines[0].split("\t")[:2] == ["mode", "frequency (Hz)"]
    assert lines[1].split("\t")[1] == "37.2029"
    assert panel.words.text() == "The tables are on the clipboard."


def test_files_for_other_programs(making: Making, qtbot: QtBot, tmp_path: Path) -> None:
    window, view = making
    panel = view.files
    assert panel.endings()[0] == ".vtu"
    panel.begin(tmp_path / "shapes.vtu")
    _written(qtbot, window, tmp_path / "shapes.vtu")
    assert len(meshio.read(tmp_path / "shapes.vtu").points) > 100
    panel.what.setCurrentText("the surface")
    assert panel.endings()[0] == ".stl"
    panel.unit.setCurrentText("m")
    panel.begin(tmp_path / "rail.stl")
    _written(qtbot, window, tmp_path / "rail.stl")
    assert meshio.read(tmp_path / "rail.stl").points[:, 0].max() == pytest.approx(2.2, rel=1e-6)
    panel.what.setCurrentText("shapes over a knob")
    assert panel.endings()[0] == ".pvd"
