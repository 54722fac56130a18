"""Clearing the bands, pulls and tolerances in the real window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from pytestqt.qtbot import QtBot

from belltone.desk.proposals.tuning_view import TuningView
from belltone.desk.window import MainWindow
from belltone.tune.bands import verdict
from belltone.tune.clearing import Tried
from tests.desk.conftest import WAIT, count_pixels, settle
from tests.tune.test_clearing import bar


@pytest.fixture
def bar_window(
    make_window: Callable[..., MainWindow], tmp_path: Path, qtbot: QtBot
) -> tuple[MainWindow, TuningView]:
    path = tmp_path / "bar.toml"
    path.write_text(bar([(4.0, 4.4)]).text)
    window = make_window(path, models=True)
    qtbot.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    assert window.tuner is not None
    return window, window.tuner


def test_the_bands_are_cleared_and_the_proposal_is_gone_to(
    bar_window: tuple[MainWindow, TuningView], qtbot: QtBot
) -> None:
    window, view = bar_window
    session, panel = window.session, view.clear
    shown: list[Tried] = []
    session.proposals.tried_changed.connect(
        lambda: shown.append(session.proposals.tried) if session.proposals.tried else None
    )
    assert panel.chosen == ("wide", "tall")
    before = session.sheet.text
    qtbot.mouseClick(panel.run, Qt.MouseButton.LeftButton)
    assert panel.run.text() == "Stop"
    qtbot.waitUntil(lambda: not session.proposals.searching, timeout=WAIT)
    assert session.proposals.failure == ""
    assert shown
    assert panel.words.text().startswith("Clear at wide 40 mm, tall ")
    assert panel.table.item(0, 0).text() == "clear"
    # The line on top says it, too.
    assert "Nearest clear design: wide 40 mm, tall " in window.verdict.text.text()
    assert window.verdict.go.isVisible()
    panel.table.setCurrentCell(0, 0)
    assert session.trying == "proposal 1"
    assert session.answer is not None
    design = session.answer.design
    assert verdict(session.answer.modes, design.bands, design.margin).clear
    assert not session.modified
    settle(qtbot, window)
    qtbot.mouseClick(panel.back, Qt.MouseButton.LeftButton)
    assert session.sheet.text == before
    panel.table.setCurrentCell(0, 0)
    qtbot.mouseClick(panel.there, Qt.MouseButton.LeftButton)
    assert session.history.undo_label == "proposal 1"
    settle(qtbot, window)
    assert "Every band is clear." in window.verdict.head.text()
    session.undo()
    assert session.sheet.text == before
    settle(qtbot, window)
    # The same from the line on top.
    window.verdict.go.click()
    settle(qtbot, window)
    assert "Every band is clear." in window.verdict.head.text()
    session.undo()
    panel.table.setCurrentCell(0, 0)
    qtbot.mouseClick(panel.drop, Qt.MouseButton.LeftButton)
    assert session.sheet.text == before
    settle(qtbot, window)
    view.close()


def test_conditions_kinds_and_margins(
    bar_window: tuple[MainWindow, TuningView], qtbot: QtBot
) -> None:
    window, view = bar_window
    session, panel = window.session, view.clear
    panel.spare.setText("bending about y")
    panel.run.click()
    qtbot.waitUntil(lambda: not session.proposals.searching, timeout=WAIT)
    assert panel.words.text() == "Clear as it stands; nothing is to be changed"
    panel.spare.setText("")
    panel.keep.setText("heavy < 3 kg")
    panel.run.click()
    qtbot.waitUntil(lambda: not session.proposals.searching, timeout=WAIT)
    assert "“heavy” is nothing that is told" in panel.words.text()
    panel.keep.setText("mass < 2 kg")
    panel.run.click()
    qtbot.waitUntil(lambda: not session.proposals.searching, timeout=WAIT)
    assert "no design of these knobs meets every demand" in panel.words.text().lower()
    panel.keep.setText("")
    qtbot.mouseClick(panel.price, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not session.proposals.searching, timeout=WAIT)
    assert panel.plot.isVisible()
    assert session.proposals.found is not None
    assert len(session.proposals.found.trade) == 5
    # An edit of what is asked makes all of it old.
    session.set_value(("excitation", "margin"), "6 %")
    assert "of an older sheet" in panel.words.text()
    for box in panel._boxes.values():
        box.setChecked(False)
    assert not panel.run.isEnabled()
    settle(qtbot, window)
    view.close()


def test_a_stop_shows_the_best_so_far(
    bar_window: tuple[MainWindow, TuningView], qtbot: QtBot
) -> None:
    window, view = bar_window
    session = window.session
    view.clear.run.click()
    tried = Tried((), {"tall": "22 mm"}, (), True, "tall 22 mm")  # type: ignore[arg-type]
    session.proposals.tried = tried
    view.clear.run.click()
    assert not session.proposals.searching
    assert session.trying == "best so far"
    assert session.design.knobs["tall"].value == 22
    view.clear.give_up()
    assert session.design.knobs["tall"].value == 20
    settle(qtbot, window)
    view.close()


def test_tolerances_are_stated_followed_and_drawn(
    bar_window: tuple[MainWindow, TuningView], qtbot: QtBot
) -> None:
    window, view = bar_window
    session, panel = window.session, view.tolerances
    view.tabs.setCurrentWidget(panel)
    assert "No knob has a tolerance yet" in panel.made.text()
    assert not panel.run.isEnabled()
    row = window.knobs.row("tall")
    row.ask = lambda *_, **__: ("5 %", True)  # type: ignore[assignment, return-value]
    row._ask("tolerance", "deviation", "To both sides:")
    assert session.sheet.value(("knobs", "tall", "tolerance")) == "5 %"
    assert "tall 20 mm ±1 mm" in panel.made.text()
    settle(qtbot, window)
    bare = window.ruler.grab().toImage()
    panel.samples.setValue(600)
    qtbot.mouseClick(panel.run, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: session.proposals.tolerances is not None, timeout=WAIT)
    assert "of the designs have a mode in it" in panel.words.text()
    assert panel.table.rowCount() == len(session.proposals.tolerances.spreads)  # type: ignore[union-attr]
    window.ruler.repaint()
    assert window.ruler.grab().toImage() != bare
    session.set_value(("knobs", "tall", "value"), "21 mm")
    assert "of an older sheet" in panel.words.text()
    # Sizes there are: the slider then stands at none else.
    row = window.knobs.row("tall")
    row.ask = lambda *_, **__: ("10 mm, 20 mm, 30 mm", True)  # type: ignore[assignment, return-value]
    row._ask_sizes()
    assert session.design.knobs["tall"].allowed() == (10, 20, 30)
    row.slider.setValue(row.slider.value() + 150)
    assert session.design.knobs["tall"].value == 30
    row.ask = lambda *_, **__: ("", True)  # type: ignore[assignment, return-value]
    row._ask_sizes()
    assert session.design.knobs["tall"].allowed() == ()
    settle(qtbot, window)
    view.close()


def test_a_click_on_a_pull_chooses_knob_and_mode(
    bar_window: tuple[MainWindow, TuningView], qtbot: QtBot
) -> None:
    window, view = bar_window
    session, panel = window.session, view.pulls
    view.tabs.setCurrentWidget(panel)
    qtbot.waitUntil(lambda: panel.table.rowCount() == 2, timeout=WAIT)
    assert float(panel.table.item(1, 1).text()) == pytest.approx(1.0, abs=0.01)
    assert float(panel.table.item(0, 1).text()) == pytest.approx(0.0, abs=0.01)
    panel._choose(1, 2)
    assert window.map.knob.currentText() == "tall"
    assert session.answer is not None
    assert session.chosen == session.answer.identities[1]
    view.close()


def test_a_target_is_drawn_as_a_gate(
    make_window: Callable[..., MainWindow], tmp_path: Path, qtbot: QtBot
) -> None:
    path = tmp_path / "bar.toml"
    sheet = bar([]).with_value(
        ("targets",), [{"mode": {"kind": "bending about y"}, "frequency": "5 Hz", "name": "nod"}]
    )
    path.write_text(sheet.text)
    window = make_window(path)
    image = window.ruler.grab().toImage()
    assert count_pixels(image, QColor(window._palette.clear)) > 50
    settle(qtbot, window)
