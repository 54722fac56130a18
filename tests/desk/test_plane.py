"""The map of two knobs in the real window."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from pytestqt.qtbot import QtBot

from belltone.desk.charts.plane_view import PlaneView
from belltone.desk.window import MainWindow
from belltone.tune.bands import verdict
from belltone.tune.plane import least_margins
from tests.desk.conftest import WAIT, settle


def narrowed(text: str) -> str:
    """The rail with its knobs turned less: where curves are few there is little to wait for."""
    for wide, narrow in (('"2 mm"', '"3 mm"'), ('"6 mm"', '"4.5 mm"'), ('"2.1 m"', '"1.7 m"')):
        text = text.replace(wide, narrow, 1)
    return text


def test_the_map_of_two_knobs_shows_what_is_clear_and_goes_there(
    make_window: Callable[..., MainWindow], rail_path: Path, qtbot: QtBot
) -> None:
    rail_path.write_text(narrowed(rail_path.read_text()))
    window = make_window(rail_path, models=True)
    session = window.session
    window.show_plane()
    view = window.beside.of(PlaneView)
    assert view is not None
    assert (view.across.currentText(), view.up.currentText()) == ("wall", "post_at")
    assert "Nothing is drawn yet" in view.words.text()
    qtbot.mouseClick(view.draw, Qt.MouseButton.LeftButton)
    assert view.draw.text() == "Stop"
    qtbot.waitUntil(lambda: session.jobs.state("plane") is None, timeout=WAIT)
    assert view.found is not None
    plane = view.found.plane
    assert plane.whole
    assert "within" in view.words.text()
    assert "clear of every band" in view.legend.text()
    # A place that the map says is clear is clear when it is solved.
    margins = least_margins(plane, session.design.bands)
    row, column = np.unravel_index(int(np.nanargmax(margins)), margins.shape)
    assert margins[row, column] > session.design.margin
    at = QPointF(1e3 * plane.across[column], plane.up[row])
    scene = view.plot.getPlotItem().vb.mapViewToScene(at)
    view.plot.scene().sigMouseMoved.emit(scene)
    assert "from bands" in view.under.text()
    view.mode.setCurrentIndex(2)
    view.plot.scene().sigMouseMoved.emit(scene)
    assert "mode 3 about" in view.under.text()
    followed = view._track
    steps = len(session.history.past)
    on_screen = view.plot.mapFromScene(scene)
    qtbot.mouseClick(view.plot.viewport(), Qt.MouseButton.LeftButton, pos=on_screen)
    assert len(session.history.past) == steps + 1
    assert session.design.knobs["wall"].base == pytest.approx(plane.across[column], rel=0.02)
    settle(qtbot, window)
    assert session.answer is not None
    assert verdict(session.answer.modes, session.design.bands, session.design.margin).clear
    found = session.answer.modes.flexible
    told = plane.frequencies[row, column, : len(found)]
    assert found == pytest.approx(told, rel=0.03)  # a pixel beside
    # The mode chosen is the same one, by its shape, where the design has gone.
    place = list(session.answer.identities).index(view._known[followed])
    view.mode.setCurrentIndex(place)
    assert view._track == followed
    assert plane.of_track(followed)[row, column] == pytest.approx(found[place], rel=0.03)
    # Both knobs are known to each other now, and the map to be of this design still.
    assert session.models.about("post_at") is not None
    assert "within" in view.words.text()
    session.set_value(("parts", "rail", "length"), "2.3 m")
    assert "Nothing is drawn yet" in view.words.text()
    view.close()


def test_what_keeps_a_map_from_being_drawn_is_said(window: MainWindow, qtbot: QtBot) -> None:
    window.show_plane()
    view = window.beside.of(PlaneView)
    assert view is not None
    view.up.setCurrentText("wall")
    assert view.words.text() == "Choose different knobs."
    assert not view.draw.isEnabled()
    view.up.setCurrentText("post_at")
    view.draw.click()
    qtbot.waitUntil(lambda: "No map: models are left out" in view.words.text(), timeout=WAIT)
    assert view.draw.text() == "Draw it"
    view.close()


@pytest.mark.usefixtures("coarse_maps")
def test_a_third_knob_has_a_slider(
    make_window: Callable[..., MainWindow], rail_path: Path, qtbot: QtBot
) -> None:
    text = rail_path.read_text().replace(
        "[parts.rail]",
        '[knobs.drive]\nvalue = "7.5 kg"\nfrom = "5 kg"\nto = "10 kg"\n\n[parts.rail]',
    )
    rail_path.write_text(narrowed(text).replace('mass = "7.5 kg"', 'mass = "drive"'))
    window = make_window(rail_path, models=True)
    session = window.session
    window.show_plane()
    view = window.beside.of(PlaneView)
    assert view is not None
    view.third.setCurrentText("wall")
    assert view.words.text() == "Choose different knobs."
    view.third.setCurrentText("drive")
    assert view.third_words.text() == "drive 7.5 kg"
    view.draw.click()
    qtbot.waitUntil(lambda: session.jobs.state("plane") is None, timeout=WAIT)
    found = view.found
    assert found is not None
    assert found.others == pytest.approx([7.5])
    solutions = found.model.solutions
    view.slider.setValue(0)
    qtbot.waitUntil(lambda: session.jobs.state("plane") is None, timeout=WAIT)
    lighter = view.found
    assert lighter is not None
    assert lighter.others == pytest.approx([5.0])
    assert lighter.model.solutions == solutions  # nothing new was solved
    assert np.nanmean(lighter.plane.frequencies[..., 0]) > np.nanmean(
        found.plane.frequencies[..., 0]
    )
    view.go_to(4.0, 1.5)
    assert session.design.knobs["drive"].value == 5
    assert len(session.history.past) == 1
    settle(qtbot, window)
    assert session.answer is not None
    told = found.model.at(4e-3, 1.5, 5.0)
    assert session.answer.modes.flexible[:4] == pytest.approx(told.flexible[:4], rel=2e-3)  # type: ignore[union-attr]
    view.close()
