"""Clearing the bands, pulls and tolerances in the real window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QInputDialog, QLabel
from pytestqt.qtbot import QtBot

from belltone.desk.cards.excitation_card import ExcitationCard
from belltone.desk.proposals.tuning_view import TuningView
from belltone.desk.spared import spared_kinds, spared_text
from belltone.desk.window import MainWindow
from belltone.tune.bands import verdict
from belltone.tune.proposals import Tried
from tests.desk.conftest import WAIT, count_pixels, settle
from tests.tune.test_clearing import bar

SHARE = ("excitation", "bands", 0, "least")


@pytest.fixture
def bar_window(
    make_window: Callable[..., MainWindow], tmp_path: Path, qtbot: QtBot
) -> tuple[MainWindow, TuningView]:
    path = tmp_path / "bar.toml"
    path.write_text(bar([(4.0, 4.4)]).text)
    window = make_window(path, models=True)
    qtbot.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    tuner = window.beside.of(TuningView)
    assert tuner is not None
    return window, tuner


def test_the_bands_are_cleared_and_the_proposal_is_gone_to(
    bar_window: tuple[MainWindow, TuningView], qtbot: QtBot
) -> None:
    window, view = bar_window
    session, panel = window.session, view.clear
    shown: list[Tried] = []
    session.proposals.tried_changed.connect(
        lambda: shown.append(session.proposals.tried) if session.proposals.tried else None
    )
    assert panel.knobs.chosen == ("wide", "tall")
    before = session.sheet.text
    qtbot.mouseClick(panel.run, Qt.MouseButton.LeftButton)
    assert panel.run.text() == "Stop"
    qtbot.waitUntil(lambda: not session.proposals.searching, timeout=WAIT)
    assert session.proposals.failure == ""
    assert shown
    assert panel.words.text().startswith("Clear at wide 40 mm, tall ")
    assert panel.table.item(0, 0).text() == "clear"
    heads = [panel.table.horizontalHeaderItem(n).text() for n in range(panel.table.columnCount())]
    column = heads.index("mass (kg)")
    kilograms = float(panel.table.item(0, column).text())
    session.edit("in lb", lambda now: now.with_value(("shown_in", "mass"), "lb"))
    assert panel.table.horizontalHeaderItem(column).text() == "mass (lb)"
    pounds = float(panel.table.item(0, column).text())
    assert pounds == pytest.approx(kilograms / 0.45359237, rel=1e-4)
    session.undo()
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
    for name in ("wide", "tall"):
        panel.knobs.box(name).setChecked(False)
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
    bar_window: tuple[MainWindow, TuningView], qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, view = bar_window
    session, panel = window.session, view.tolerances
    view.tabs.setCurrentWidget(panel)
    assert "No knob has a tolerance yet" in panel.made.text()
    assert not panel.run.isEnabled()
    row = window.column.knobs.row("tall")
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("5 %", True))
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
    # In another unit they are the same designs.
    session.edit("per minute", lambda now: now.with_value(("shown_in", "frequency"), "rpm"))
    assert panel.table.horizontalHeaderItem(2).text() == "as drawn (rpm)"
    assert "of an older sheet" not in panel.words.text()
    session.set_value(("knobs", "tall", "value"), "21 mm")
    assert "of an older sheet" in panel.words.text()
    # Sizes there are: the slider then stands at none else.
    row = window.column.knobs.row("tall")
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("10 mm, 20 mm, 30 mm", True))
    row._ask_sizes()
    assert session.design.knobs["tall"].allowed() == (10, 20, 30)
    row.slider.setValue(row.slider.value() + 150)
    assert session.design.knobs["tall"].value == 30
    # About 2 Hz for each 10 mm: of these sizes 20 mm alone comes within 10 % of 4.3 Hz.
    form = window.readout.reach
    form.knob.setCurrentText("tall")
    form.within.setText("10 %")
    form.ask_for(4.3)
    qtbot.waitUntil(lambda: session.reaching.found is not None, timeout=WAIT)
    assert session.reaching.found.short == ""  # type: ignore[union-attr]
    assert session.design.knobs["tall"].value == 20
    form.within.setText("")
    form.ask_for(5.0)
    qtbot.waitUntil(lambda: session.reaching.found is not None, timeout=WAIT)
    assert form.said.text().startswith("Not reached: ")
    assert session.design.knobs["tall"].value == 20
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("", True))
    row._ask_sizes()
    assert session.design.knobs["tall"].allowed() == ()
    settle(qtbot, window)
    view.close()


def test_several_knobs_bring_a_mode_to_its_frequency(
    bar_window: tuple[MainWindow, TuningView], qtbot: QtBot
) -> None:
    window, _ = bar_window
    session, form = window.session, window.readout.reach
    assert not form.ticks.isVisibleTo(form)
    form.knob.setCurrentText("several knobs")
    assert form.ticks.isVisibleTo(form)
    assert form.ticks.chosen == ("wide", "tall")
    assert session.answer is not None
    target = 1.1 * float(session.answer.modes.flexible[0])
    before = session.sheet.text
    qtbot.keyClicks(form.target, f"{target:.6g} Hz")
    qtbot.keyClicks(form.within, "0.05 %")
    qtbot.keyClick(form.within, Qt.Key.Key_Return)
    assert form.button.text() == "Stop"
    qtbot.waitUntil(lambda: session.reaching.found is not None, timeout=WAIT)
    settle(qtbot, window)
    assert session.answer.modes.flexible[0] == pytest.approx(target, rel=5e-4)
    assert "tall is now " in form.said.text()
    assert "Undo reach of" in window.menus.undo.text()
    session.undo()
    assert session.sheet.text == before
    # Known by its shape where it passes another, it is told what number it has there.
    session.set_value(("knobs", "wide", "value"), "22 mm")
    settle(qtbot, window)
    form.target.setText(f"{1.15 * target:.6g} Hz")
    form.ask()
    qtbot.waitUntil(lambda: session.reaching.found is not None, timeout=WAIT)
    settle(qtbot, window)
    assert "(as mode 2)." in form.said.text()
    assert session.answer.modes.flexible[1] == pytest.approx(1.15 * target, rel=5e-4)
    session.undo()
    session.undo()
    assert session.sheet.text == before
    # What cannot be read or is not ticked is said before anything is looked for.
    form.within.setText("3 mm")
    form.ask()
    assert "length" in form.said.text()
    form.within.clear()
    for name in ("wide", "tall"):
        form.ticks.box(name).setChecked(False)
    form.ask()
    assert form.said.text() == "Tick the knobs that may be turned."
    # Stopped, nothing is written.
    form.ticks.box("tall").setChecked(True)
    form.ask()
    form.button.click()
    assert form.said.text() == "Stopped."
    assert session.sheet.text == before


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
    # What else moves it: the length, which becomes a knob by a double click.
    qtbot.mouseClick(panel.ask, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: panel.others.rowCount() == 1, timeout=WAIT)
    assert panel.others.item(0, 0).text() == "parts · bar · length"
    assert float(panel.others.item(0, 2).text()) == pytest.approx(-2.0, abs=0.01)
    qtbot.mouseClick(panel.make, Qt.MouseButton.LeftButton)
    assert session.design.knobs["length"].value == 2
    assert session.sheet.value(("parts", "bar", "length")) == "length"
    settle(qtbot, window)
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


def test_a_target_is_added_from_the_chosen_mode_and_watched(
    bar_window: tuple[MainWindow, TuningView], qtbot: QtBot
) -> None:
    window, view = bar_window
    view.close()
    session = window.session
    session.edit("no bands", lambda sheet: sheet.without(("excitation", "bands", 0)))
    settle(qtbot, window)
    assert not window.column.targets.isVisible()
    assert session.answer is not None
    session.choose(session.answer.identities[1])
    window.column.targets.add_target()
    (target,) = session.sheet.content.targets
    assert (target.mode.kind, target.mode.place) == ("bending about z", 1)
    assert window.column.targets.isVisible()
    settle(qtbot, window)
    assert window.verdict.head.text() == "Every target is met."
    session.set_value(("targets", 0, "frequency"), "9 Hz")
    settle(qtbot, window)
    assert window.verdict.head.text() == "A target is missed:"
    assert "stands at 8." in window.verdict.text.text()
    assert window.verdict.clear.isVisible()


def test_bands_are_dragged_and_added_on_the_ruler(
    bar_window: tuple[MainWindow, TuningView], qtbot: QtBot
) -> None:
    window, view = bar_window
    view.close()
    session, ruler = window.session, window.ruler
    session.set_value(("excitation", "bands", 0, "to"), "300 rpm")
    settle(qtbot, window)
    y = 30
    steps = len(session.history.past)

    def drag(start: float, stop: float) -> None:
        begin, end = (QPoint(round(ruler.x_of(each)), y) for each in (start, stop))
        qtbot.mousePress(ruler, Qt.MouseButton.LeftButton, pos=begin)
        text = session.sheet.text
        qtbot.mouseMove(ruler, (begin + end) / 2)
        qtbot.mouseMove(ruler, end)
        assert session.sheet.text == text  # nothing is written before the hand lets go
        qtbot.mouseRelease(ruler, Qt.MouseButton.LeftButton, pos=end)

    drag(5.0, 7.0)
    assert session.sheet.value(("excitation", "bands", 0, "from")) == "4.0 Hz"
    to = str(session.sheet.value(("excitation", "bands", 0, "to")))
    assert to.endswith(" rpm")  # in the unit it was written in
    assert float(to.split()[0]) == pytest.approx(420, abs=3)
    assert len(session.history.past) == steps + 1
    drag(5.0, 15.0)  # its body
    (band,) = session.design.bands
    assert (band.low, band.high) == (pytest.approx(14, abs=0.1), pytest.approx(17, abs=0.1))
    assert len(session.history.past) == steps + 2
    qtbot.mouseDClick(ruler, Qt.MouseButton.LeftButton, pos=QPoint(round(ruler.x_of(30.0)), y))
    assert len(session.design.bands) == 2
    assert session.design.bands[1].low < 30 < session.design.bands[1].high
    # What a knob decides stays where the knob has it.
    session.edit(
        "", lambda s: s.with_value(("excitation", "bands", 0, "to"), "17 Hz * wide / tall / 2")
    )
    qtbot.mouseMove(ruler, QPoint(round(ruler.x_of(17.0)), y))
    before = session.sheet.text
    drag(17.0, 20.0)
    assert session.sheet.text == before
    settle(qtbot, window)


def test_a_band_that_spares_a_kind_says_so_and_no_peg_is_ringed(
    bar_window: tuple[MainWindow, TuningView], qtbot: QtBot
) -> None:
    window, view = bar_window
    view.close()
    session = window.session
    card = next(each for each in window.column.cards if isinstance(each, ExcitationCard))
    assert "1 mode stands in a band" in window.verdict.head.text()
    card.set_spares(("excitation", "bands", 0), "bending about y, twist")
    assert session.design.bands[0].spares == ("bending about y", "twist")
    settle(qtbot, window)
    assert window.verdict.head.text() == "Every band is clear."
    words = " ".join(label.text() for label in card.findChildren(QLabel))
    assert "but for modes of bending about y and twist" in words
    image = window.ruler.grab().toImage()
    # A single mode, by all that is told of it.
    card.set_spares(("excitation", "bands", 0), "bending about y, 1 half-wave, axial")
    assert session.design.bands[0].spares == ("bending about y, 1 half-wave", "axial")
    settle(qtbot, window)
    assert window.verdict.head.text() == "Every band is clear."
    card.set_spares(("excitation", "bands", 0), "")
    assert session.design.bands[0].spares == ()
    settle(qtbot, window)
    assert window.ruler.grab().toImage() != image


def test_kinds_with_commas_of_their_own_are_read_as_they_are_told() -> None:
    known = ("bending about y, 1 half-wave", "bending about y, 2 half-waves", "twist, 1 half-wave")
    assert spared_kinds("twist, axial", known) == ("twist", "axial")
    assert spared_kinds("bending about y, 2 half-waves, twist", known) == (known[1], "twist")
    assert spared_kinds("twist, 1 half-wave; axial, 3 half-waves", known) == (
        "twist, 1 half-wave",
        "axial, 3 half-waves",
    )
    assert spared_kinds(" , ", known) == spared_kinds(";", known) == ()
    for kinds in (("twist", "axial"), (known[1], "twist"), (known[2],), ()):
        assert spared_kinds(spared_text(kinds), ()) == kinds


def test_a_band_that_shakes_one_way_says_so(
    bar_window: tuple[MainWindow, TuningView], qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, view = bar_window
    view.close()
    session = window.session
    card = next(each for each in window.column.cards if isinstance(each, ExcitationCard))
    assert "1 mode stands in a band" in window.verdict.head.text()
    answers = iter((("along y", True), ("along z", True), ("any way", True)))
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_, **__: next(answers))

    def ask() -> str:
        card._ask_direction(("excitation", "bands", 0), None)
        settle(qtbot, window)
        return " ".join(label.text() for label in card.findChildren(QLabel))

    assert ", along y what moves" in ask()
    assert window.verdict.head.text() == "Every band is clear."
    assert ", along z what moves" in ask()
    assert "1 mode stands in a band" in window.verdict.head.text()
    session.edit("share", lambda sheet: sheet.with_value(SHARE, "90 %"))
    settle(qtbot, window)
    assert window.verdict.head.text() == "Every band is clear."
    assert "along" not in ask()
    assert session.sheet.value(SHARE) is None
