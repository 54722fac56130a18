"""Units that a sheet is shown in, chosen in the menu of the real window."""

from collections.abc import Iterator

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QHelpEvent
from PySide6.QtWidgets import QInputDialog, QMenu, QToolTip
from pytestqt.qtbot import QtBot

from belltone.desk.fields import ChoiceWord, LiveNumber
from belltone.desk.variant_strip import VariantCard
from belltone.desk.window import MainWindow
from tests.desk.conftest import WAIT, drawn, settle, swept

LENGTH = ("parts", "rail", "length")


def length_of(window: MainWindow) -> LiveNumber:
    """The field of the rail's length."""
    return next(
        each
        for each in window.findChildren(LiveNumber, "parts/rail/length")
        if isinstance(each, LiveNumber) and each.isVisible()
    )


def _menus(menu: QMenu) -> Iterator[QMenu]:
    yield menu
    for action in menu.actions():
        within = action.menu()
        if isinstance(within, QMenu):
            yield from _menus(within)


def units_menu(window: MainWindow) -> QMenu:
    """The menu of units."""
    tops = [action.menu() for action in window.menuBar().actions()]
    every = [each for top in tops if isinstance(top, QMenu) for each in _menus(top)]
    return next(menu for menu in every if menu.title() == "Un&its")


def act(window: MainWindow, words: str) -> QAction:
    """One line of the menu of units."""
    return next(each for each in units_menu(window).actions() if each.text() == words)


def test_frequencies_are_shown_per_minute_everywhere(window: MainWindow, qtbot: QtBot) -> None:
    solved = window.session.answer
    assert window.readout.frequency.text() == "49.8415 Hz"
    act(window, "Frequencies in rpm").trigger()
    assert window.readout.frequency.text() == "2990.49 rpm"
    assert window.readout.other.text() == "49.8415 Hz"
    assert window.shape.head.text() == "Mode 2 · 2990.5 rpm"
    assert "below 2429\u00a0rpm or above 3240\u00a0rpm" in window.readout.wanted.text()
    assert window.readout.reach.target.placeholderText() == "3300 rpm"
    units_menu(window).aboutToShow.emit()
    assert act(window, "Frequencies in rpm").isChecked()
    assert not act(window, "Frequencies as they are typed").isChecked()
    identity, _, head = next(iter(window.ruler.pegs()))
    window.ruler.event(QHelpEvent(QHelpEvent.Type.ToolTip, head.toPoint(), QPoint(0, 0)))
    assert "rpm" in QToolTip.text(), identity
    QToolTip.hideText()
    # Nothing is solved again, and it is one step back.
    assert window.session.answer is solved
    assert window.session.jobs.state("solve") is None
    assert "frequencies in rpm" in window.menus.undo.text()
    window.session.undo()
    assert window.readout.frequency.text() == "49.8415 Hz"


def test_a_typed_value_is_kept_as_typed(window: MainWindow, qtbot: QtBot) -> None:
    session = window.session
    session.set_value(LENGTH, "2 m")
    settle(qtbot, window)
    before = session.sheet.values
    act(window, "Lengths in in").trigger()
    length = length_of(window)
    assert length.text() == "78.7402 in"
    assert "Typed as 2 m" in length.toolTip()
    assert session.sheet.values == before
    length.begin_edit()
    assert length.text() == "2 m"
    length.setText("80 in")
    length.commit()
    assert session.sheet.values[LENGTH][0] == "80 in"
    act(window, "Lengths in mm").trigger()
    assert length_of(window).text() == "2032 mm"
    act(window, "Lengths as they are typed").trigger()
    assert length_of(window).text() == "80 in"
    assert session.sheet.content.shown_in.length is None


def test_a_drag_steps_what_was_typed(window: MainWindow, qtbot: QtBot) -> None:
    act(window, "Lengths in in").trigger()
    length = length_of(window)
    typed = window.session.sheet.values[LENGTH][0]
    length.setFocus()
    qtbot.keyClick(length, Qt.Key.Key_Up)
    now = window.session.sheet.values[LENGTH][0]
    assert now != typed
    assert now.split()[-1] == typed.split()[-1]
    assert length_of(window).text().endswith(" in")


def test_the_ruler_has_round_numbers_of_its_unit(window: MainWindow) -> None:
    """A place on the ruler is the same frequency whatever the unit is called."""
    at = window.ruler.x_of(50.0)
    act(window, "Frequencies in rpm").trigger()
    assert window.ruler.x_of(50.0) == at
    window.ruler.reach_asked.emit(55.0)
    assert window.readout.reach.target.text() == "3300 rpm"
    window.session.jobs.stop("reach")


def test_masses_and_the_picture_too(window: MainWindow, qtbot: QtBot) -> None:
    window.session.variants.pin_shown()
    (card,) = window.strip.findChildren(VariantCard)
    qtbot.waitUntil(lambda: " kg · " in card.stands.text(), timeout=WAIT)
    act(window, "Masses in lb").trigger()
    assert " lb · " in card.stands.text()
    hung = window.findChildren(LiveNumber, "masses/0/mass")
    assert [each.text() for each in hung if each.isVisible()] == ["16.5347 lb"]
    window.session.set_value(("masses", 0, "mass"), "2 lb")
    settle(qtbot, window)
    assert window.session.design.masses[0].mass == pytest.approx(2 * 0.45359237)


def test_the_map_follows(window: MainWindow, qtbot: QtBot) -> None:
    swept(qtbot, window, points=3)
    act(window, "Frequencies in rpm").trigger()
    drawn(qtbot, window)
    axis = window.map.plot.getAxis("left")
    assert axis.labelText == "rpm"
    assert axis.scale == pytest.approx(60.0)


def test_a_knob_keeps_its_unit_until_it_is_told_in_another(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    act(window, "Lengths in in").trigger()
    (wall,) = window.findChildren(LiveNumber, "parts/rail/section/wall")
    assert wall.text() == "• 3 mm"
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_words, **_named: ("in", True))
    more = window.column.knobs.row("wall").findChild(ChoiceWord)
    assert more is not None
    next(each for each in more.menu().actions() if each.text() == "its unit…").trigger()
    assert wall.text() == "• 0.11811 in"
    assert window.session.sheet.content.knobs["wall"].stop == "0.236220472441 in"
    settle(qtbot, window)
    assert window.map.range.text().startswith("0.07874 in to 0.2362 in")
    assert window.readout.frequency.text() == "49.8415 Hz"
