"""The column of cards: open and shut, found from the picture, renamed where names stand."""

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QToolButton
from pytestqt.qtbot import QtBot

from belltone.desk.cards.name_word import NameWord
from belltone.desk.shape.site_menu import site_menu
from belltone.desk.window import MainWindow
from tests.desk.conftest import number, roughly, settle
from tests.desk.test_cards import words

LEFT = Qt.MouseButton.LeftButton
Make = Callable[..., MainWindow]


@pytest.fixture
def shut(window: MainWindow) -> MainWindow:
    """A window as it opens the first time: every card says one sentence."""
    window.column.set_all_open(False)
    return window


def test_a_shut_card_is_one_sentence_with_live_numbers(shut: MainWindow, qtbot: QtBot) -> None:
    column = shut.column
    assert words(column.component) == (
        "“rail”: 2.2 m of rectangular hollow, 60 mm wide, 40 mm high, • 3 mm wall ."
    )
    assert words(column.material) == "stainless steel, austenitic, 193 GPa, 7950 kg/m³."
    assert words(column.held) == "At 2 places: west post, second post."
    assert words(column.hung) == "drive unit 7.5 kg ."
    assert words(column.excitation) == "drive, mains hum; every mode stays 8 % clear of them."
    field = number(shut, ("parts", "rail", "length"))
    qtbot.mouseClick(field, LEFT)
    qtbot.keyClicks(field, "2.1 m")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert shut.session.sheet.content.parts["rail"].length == "2.1 m"  # type: ignore[union-attr]


def test_one_card_is_open_at_a_time_or_all_are(shut: MainWindow, qtbot: QtBot) -> None:
    column = shut.column
    qtbot.mouseClick(column.held.head, LEFT)
    assert column.held.is_open
    assert "west post: clamped at the start" in words(column.held)
    qtbot.keyClick(column.hung.head, Qt.Key.Key_Return)
    assert [card.is_open for card in column.cards] == [card is column.hung for card in column.cards]
    # A click on the words of a shut card opens it, too.
    qtbot.mouseClick(column.material, LEFT, pos=column.material.rect().bottomRight() / 2)
    assert column.material.is_open
    qtbot.mouseClick(column.all_button, LEFT)
    assert all(card.is_open for card in column.cards)
    qtbot.mouseClick(column.held.head, LEFT)
    assert not column.held.is_open
    assert column.hung.is_open
    qtbot.mouseClick(column.all_button, LEFT)
    assert not any(card.is_open for card in column.cards)


def test_a_card_with_an_unusable_value_stays_open(shut: MainWindow, qtbot: QtBot) -> None:
    card = shut.column.component
    card.set_open(True)
    field = number(shut, ("parts", "rail", "length"))
    qtbot.mouseClick(field, LEFT)
    qtbot.keyClicks(field, "seven")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    qtbot.mouseClick(shut.column.held.head, LEFT)
    assert card.is_open
    assert "seven" in card._problem.text()


def test_all_of_what_is_wrong_with_a_knob_is_read(window: MainWindow, qtbot: QtBot) -> None:
    """However many lines it takes, in a card that has no more room than for its knobs."""
    field = number(window, ("knobs", "post_at", "value"))
    field.setFocus()
    qtbot.keyClicks(field, "30 deg")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    told = window.column.knobs._problem
    assert "this is an angle, where a value (in m, …) is needed" in told.text()
    qtbot.waitUntil(lambda: told.height() >= told.heightForWidth(told.width()))
    assert told.height() > 1.5 * told.fontMetrics().height()


def test_adding_opens_the_card(shut: MainWindow, qtbot: QtBot) -> None:
    card = shut.column.hung
    link = next(each for each in card.findChildren(QToolButton) if each.text() == "add a mass")
    qtbot.mouseClick(link, LEFT)
    assert card.is_open
    assert "a mass: 1 kg at the end" in words(card)


def test_from_the_picture_to_the_sentence_and_back(
    make_window: Make, tmp_path: Path, qtbot: QtBot
) -> None:
    window = make_window(roughly("pump_cover", tmp_path))
    window.column.set_all_open(False)
    canvas = window.shape.canvas
    told = site_menu(window.session, "gauge", window).actions()[1]
    assert told.text() == "show what the sheet says of it"
    told.trigger()
    assert window.column.hung.is_open
    marked = [body for body in window.column.hung._bodies if body.property("found")]
    assert len(marked) == 1
    # The hand in a sentence marks its site in the picture.
    before = canvas.grab().toImage()
    number(window, ("masses", 1, "mass")).setFocus()
    assert window.session.pointing.site == "gauge"
    assert canvas.grab().toImage() != before
    # What no sentence speaks of opens the part it belongs to.
    window.session.pointing.seek_site("cover.west")
    assert window.column.component.is_open


def test_a_value_is_shown_ready_to_be_typed_over(shut: MainWindow, qtbot: QtBot) -> None:
    path = ("masses", 0, "mass")
    shut.session.pointing.seek_value(path)
    assert shut.column.hung.is_open
    assert number(shut, path).hasFocus() or not shut.isActiveWindow()
    shut.session.pointing.seek_value(("knobs", "wall", "value"))
    assert not shut.column.knobs.row("wall").isHidden()


def test_a_knob_is_renamed_where_it_stands(window: MainWindow, qtbot: QtBot) -> None:
    label = window.column.knobs.row("wall").findChild(NameWord)
    qtbot.mouseDClick(label, LEFT)
    qtbot.keyClicks(label, "skin")
    qtbot.keyClick(label, Qt.Key.Key_Return)
    assert "skin" in window.session.sheet.content.knobs
    assert window.session.history.undo_label == "knob wall named skin"
    settle(qtbot, window)
    told: list[str] = []
    window.session.told.connect(told.append)
    label = window.column.knobs.row("skin").findChild(NameWord)
    qtbot.keyClick(label, Qt.Key.Key_F2)
    qtbot.keyClicks(label, "no good")
    qtbot.keyClick(label, Qt.Key.Key_Return)
    assert "no name of a knob" in told[0]
    assert label.text() == "skin"
    qtbot.keyClick(label, Qt.Key.Key_F2)
    qtbot.keyClicks(label, "x")
    qtbot.keyClick(label, Qt.Key.Key_Escape)
    assert label.text() == "skin"


def test_parts_are_renamed_in_their_list(make_window: Make, tmp_path: Path, qtbot: QtBot) -> None:
    window = make_window(roughly("ribbed_cover", tmp_path))
    table = window.column.parts.table
    names = window.column.parts.names
    row = names.index(next(iter(window.session.sheet.content.parts)))
    table.item(row, 0).setText("lid")
    assert "lid" in window.session.sheet.content.parts
    assert "lid" in window.column.parts.names


def test_forty_knobs_stay_in_reach(make_window: Make, qtbot: QtBot, rail_path: object) -> None:
    many = "".join(f'[knobs.spare_{n}]\nvalue = "{n} mm"\n' for n in range(1, 40))
    text = rail_path.read_text().replace("[parts.rail]", many + "[parts.rail]")  # type: ignore[attr-defined]
    window = make_window(None, text)
    knobs = window.column.knobs
    assert not knobs.sought.isHidden()
    assert knobs.height() < 0.5 * window.column.height()
    qtbot.keyClicks(knobs.sought, "spare_3")
    assert sum(not row.isHidden() for row in knobs._row_widgets.values()) == 11
    window.session.pointing.seek_value(("knobs", "spare_20", "value"))
    assert not knobs.row("spare_20").isHidden()
    qtbot.mouseClick(knobs.head, LEFT)
    assert knobs.height() < 60


def test_arithmetic_is_worked_out_while_it_is_typed(window: MainWindow, qtbot: QtBot) -> None:
    field = number(window, ("parts", "rail", "length"))
    qtbot.mouseClick(field, LEFT)
    qtbot.keyClicks(field, "2 m + 50*wall")
    assert field.worked == "= 2150 mm"
    qtbot.keyClicks(field, " + ")
    assert field.worked == ""
    qtbot.keyClick(field, Qt.Key.Key_Escape)
    qtbot.mouseClick(field, LEFT)
    qtbot.keyClicks(field, "2.1 m")
    assert field.worked == ""
    qtbot.keyClick(field, Qt.Key.Key_Escape)


def test_several_sites_are_held_at_once(make_window: Make, tmp_path: Path, qtbot: QtBot) -> None:
    window = make_window(roughly("pump_cover", tmp_path))
    pointing = window.session.pointing
    before = len(window.session.sheet.content.supports)
    canvas = window.shape.canvas
    blank = canvas.grab().toImage()
    canvas.site_gathered.emit("cover.west")
    canvas.site_gathered.emit("cover.east")
    assert pointing.gathered == ("cover.west", "cover.east")
    assert canvas.grab().toImage() != blank
    menu = site_menu(window.session, "cover.north", window)
    words = [action.text() for action in menu.actions()]
    assert "hold all 3 clamped" in words
    next(action for action in menu.actions() if action.text() == "hold all 3 clamped").trigger()
    assert len(window.session.sheet.content.supports) == before + 3
    assert pointing.gathered == ()
    window.session.undo()
    assert len(window.session.sheet.content.supports) == before
    canvas.site_gathered.emit("cover.west")
    canvas.site_gathered.emit("cover.west")
    assert pointing.gathered == ()
    settle(qtbot, window)
