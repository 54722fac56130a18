from collections.abc import Callable

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QInputDialog, QLabel, QLineEdit, QToolButton
from pytestqt.qtbot import QtBot

from belltone.desk.cards.card import Card
from belltone.desk.cards.name_word import NameWord
from belltone.desk.fields import ChoiceWord, LiveNumber
from belltone.desk.window import MainWindow
from belltone.desk.windows import EMPTY
from tests.desk.conftest import number, settle


def words(card: Card) -> str:
    """What a card says, as one text."""
    kinds = QLabel | QToolButton | QLineEdit
    children = [child for body in card._bodies for child in body.children()]
    told = " ".join(child.text() for child in children if isinstance(child, kinds))
    return told.replace(" :", ":")


def choices(card: Card, shown: str) -> list[ChoiceWord]:
    """The words of a card that read ``shown`` and can be chosen."""
    words_of_card = [word for body in card._bodies for word in body.findChildren(ChoiceWord)]
    return [word for word in words_of_card if word.text() == shown]


def choose(card: Card, shown: str, option: str) -> None:
    """Choose an option of a word of a card."""
    word = choices(card, shown)[0]
    next(action for action in word.menu().actions() if action.text() == option).trigger()


def name_it(qtbot: QtBot, card: Card, place: int, name: str) -> None:
    """Type over a name of a card, by a double click."""
    word = [w for body in card._bodies for w in body.findChildren(NameWord)][place]
    qtbot.mouseDClick(word, Qt.MouseButton.LeftButton)
    qtbot.keyClicks(word, name)
    qtbot.keyClick(word, Qt.Key.Key_Return)


def act(card: Card, text: str, place: int = 0) -> None:
    """Press a link that says what can be done with something a sentence speaks of."""
    links = [link for body in card._bodies for link in body.findChildren(QToolButton)]
    [link for link in links if link.text() == text][place].click()


def add(card: Card, text: str) -> None:
    """Press one of the links beside a card's title."""
    next(button for button in card.findChildren(QToolButton) if button.text() == text).click()


def test_cards_state_the_problem(window: MainWindow) -> None:
    column = window.column
    assert "A straight member rail , 2.2 m long." in words(column.component)
    assert "rectangular hollow 60 mm wide, 40 mm high, • 3 mm wall" in words(column.component)
    assert "193 GPa stiff, 7950 kg/m³ dense, Poisson's ratio 0.3." in words(column.material)
    assert "west post: clamped at the start" in words(column.held)
    assert "second post: held in y, z, turn x at “post” at • 1.55 m" in words(column.held)
    hung = "drive unit: 7.5 kg at “drive_seat” at 0.9 m , with inertia and offset"
    assert hung in words(column.hung)
    assert "drive: 1320 rpm to 1500 rpm , orders 1×, 2×" in words(column.excitation)
    assert "mains hum: 119 Hz to 121 Hz" in words(column.excitation)
    assert "clear of them by 8 %" in words(column.excitation)
    assert "At least 10 modes" in words(column.wanted)


def test_the_material_is_chosen_from_the_list(window: MainWindow, qtbot: QtBot) -> None:
    choose(window.column.material, "stainless steel, austenitic", "aluminium, wrought")
    assert "70 GPa stiff" in words(window.column.material)
    choose(window.column.material, "aluminium, wrought", "one of your own…")
    field = number(window, ("materials", "own material 1", "density"))
    assert field.text() == "2700 kg/m^3"
    qtbot.mouseClick(field, Qt.MouseButton.LeftButton)
    qtbot.keyClicks(field, "27 kN/m^3")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert "weight density" in field.problem


def test_supports_are_changed_added_and_taken_away(window: MainWindow, qtbot: QtBot) -> None:
    held = window.column.held
    before = window.session.answer
    choose(held, "clamped", "pinned")
    assert window.session.sheet.content.supports[0].hold == "pinned"
    settle(qtbot, window)
    assert before is not None
    assert window.session.answer is not None
    assert window.session.answer.modes.flexible[0] < before.modes.flexible[0]
    choose(held, "held in y, z, turn x", "no longer hold turn x")
    assert any(
        action.text() == "hold only x" for action in choices(held, "pinned")[0].menu().actions()
    )
    assert window.session.sheet.content.supports[1].hold == ("y", "z")
    add(held, "add a support")
    assert window.session.sheet.content.supports[2].site == "rail.end"
    choose(held, "the end", "a new point…")
    assert window.session.sheet.content.sites["point_1"].along == "1100 mm"
    act(held, "take away", -1)
    assert len(window.session.sheet.content.supports) == 2


def test_a_body_let_go_is_free(make_window: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = make_window(None, EMPTY)
    choose(window.column.held, "clamped", "free")
    settle(qtbot, window)
    assert window.session.answer is not None
    assert window.session.answer.modes.rigid_count == 6
    assert not window.column.notes.isHidden()
    assert "nothing holds the component" in window.column.notes.text.text()
    act(window.column.held, "take away")
    link = next(
        b for b in window.column.held.findChildren(QToolButton) if b.text() == "that is meant"
    )
    link.click()
    assert window.session.sheet.content.modes.free
    assert window.column.notes.isHidden()
    assert "as meant" in words(window.column.held)


def test_springs(window: MainWindow, qtbot: QtBot) -> None:
    held = window.column.held
    before = window.session.answer
    choose(held, "springs…", "put it on a spring along z")
    assert not window.session.wrong
    second = choices(held, "springs…")[1].menu().actions()
    next(a for a in second if a.text() == "put it on a spring along x").trigger()
    assert "on a spring along x of 100 N/mm" in words(held)
    settle(qtbot, window)
    assert before is not None
    assert window.session.answer is not None
    assert window.session.answer.modes.frequencies[-1] != before.modes.frequencies[-1]
    field = number(window, ("supports", 1, "springs", "x"))
    qtbot.mouseClick(field, Qt.MouseButton.LeftButton)
    qtbot.keyClicks(field, "3 kg")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert "where a stiffness" in field.problem
    qtbot.keyClick(field, Qt.Key.Key_Escape)
    for place in (0, 1):
        menu = choices(held, "springs…")[place].menu().actions()
        next(a for a in menu if a.text().startswith("no spring")).trigger()
    assert "on a spring" not in words(held)


def test_masses(window: MainWindow, qtbot: QtBot) -> None:
    hung = window.column.hung
    add(hung, "details")
    assert "about x 0.03 kg*m^2" in words(hung)
    assert number(window, ("masses", 0, "offset", 2)).text() == "-90 mm"
    add(hung, "details")
    add(hung, "add a mass")
    assert window.session.sheet.content.masses[1].mass == "1 kg"
    act(hung, "off the axis", -1)
    assert window.session.sheet.content.masses[1].offset is not None
    act(hung, "give it inertia", -1)
    assert window.session.sheet.content.masses[1].inertia is not None
    name_it(qtbot, hung, -1, "guard")
    assert "guard: 1 kg" in words(hung)


def test_excitation(window: MainWindow, qtbot: QtBot) -> None:
    card = window.column.excitation
    add(card, "add a band")
    assert len(window.session.design.bands) == 4
    add(card, "add a source")
    assert len(window.session.design.bands) == 6
    choose(card, "1×, 2×", "1×, 2×, 3×")
    assert [band.name for band in window.session.design.bands][2:5] == [
        "drive",
        "drive 2×",
        "drive 3×",
    ]
    for _ in range(4):
        act(card, "take away")
    assert window.session.design.bands == ()
    assert "Nothing yet" in words(card)
    settle(qtbot, window)
    assert "Nothing shakes it yet" in window.verdict.head.text()


def test_a_number_is_not_parted_from_its_unit_where_a_line_ends(window: MainWindow) -> None:
    card = window.column.excitation
    card.set_open(False)
    told = [label.text() for body in card._bodies for label in body.findChildren(QLabel)]
    assert "8 %" in told
    assert "clear of them." in " ".join(told)


def test_the_section_changes_shape_and_tapers(window: MainWindow, qtbot: QtBot) -> None:
    card = window.column.component
    act(card, "taper it")
    assert "At its end: 60 mm wide," in words(card)
    field = number(window, ("parts", "rail", "section_at_end", "height"))
    qtbot.mouseClick(field, Qt.MouseButton.LeftButton)
    qtbot.keyClicks(field, "30 mm")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.session.design.parts[0].tapered
    act(card, "make it even")
    assert not window.session.design.parts[0].tapered
    choose(card, "rectangular hollow", "round tube")
    assert "round tube 40 mm across, • 3 mm wall" in words(card)
    settle(qtbot, window)
    assert not window.session.failure


def test_accuracy_and_count(window: MainWindow, qtbot: QtBot) -> None:
    card = window.column.wanted
    choose(card, "10", "20")
    settle(qtbot, window)
    assert window.session.answer is not None
    assert len(window.session.answer.modes.flexible) == 20
    field = number(window, ("accuracy", "target"))
    qtbot.mouseClick(field, Qt.MouseButton.LeftButton)
    qtbot.keyClicks(field, "50 %")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert "between 0.0001 % and 20 %" in field.problem


def test_orders_are_typed(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    card = window.column.excitation
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("1, 2.5, 7×", True))
    choose(card, "1×, 2×", "other orders…")
    assert window.session.sheet.content.excitation.sources[0].orders == (1, 2.5, 7)
    assert "orders 1×, 2.5×, 7×" in words(card)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("1 to 7", True))
    choose(card, "1×, 2.5×, 7×", "other orders…")
    assert "“1 to 7” is no list of orders" in window.statusBar().currentMessage()


def test_names_are_given(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Outfeed rail", True))
    act(window.column.component, "title…")
    assert "Outfeed rail" in window.windowTitle()
    card = window.column.material
    choose(card, "stainless steel, austenitic", "one of your own…")
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("rail grade", True))
    act(card, "rename…")
    assert "rail grade" in words(card)
    assert set(window.session.sheet.content.materials) == {"rail grade"}
    window.session.undo()
    assert "own material 1" in words(card)


def test_a_knob_is_taken_away_and_its_value_stays(window: MainWindow) -> None:
    row = window.column.knobs.row("wall")
    row.findChild(ChoiceWord).menu().actions()[-1].trigger()
    assert set(window.session.design.knobs) == {"post_at"}
    assert number(window, ("parts", "rail", "section", "wall")).text() == "3 mm"
    # One that a formula needs stays.
    window.session.set_value(("sites", "post", "along"), "0.5*post_at")
    window.column.knobs.row("post_at").findChild(ChoiceWord).menu().actions()[-1].trigger()
    assert "post_at" in window.session.design.knobs
    assert "no knob “post_at”" in window.statusBar().currentMessage()


def test_end_points_are_live(make_window: Callable[..., MainWindow], qtbot: QtBot) -> None:
    points = 'from = ["0 m", "0 m", "0 m"]\nto = ["0.3 m", "0 m", "0.4 m"]'
    window = make_window(None, EMPTY.replace('length = "500 mm"', points))
    assert "from 0 m 0 m 0 m , to 0.3 m 0 m 0.4 m" in words(window.column.component)
    field = number(window, ("parts", "bar", "to", 0))
    qtbot.mouseClick(field, Qt.MouseButton.LeftButton)
    qtbot.keyClicks(field, "0 m")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.session.design.parts[0].length == pytest.approx(0.4)


def test_divisions_and_order_are_an_experts_choice(window: MainWindow, qtbot: QtBot) -> None:
    card = window.column.wanted
    act(card, "fix the mesh")
    assert "divisions of order" in words(card)
    choose(card, "6", "8")
    settle(qtbot, window)
    assert window.session.answer is not None
    assert window.session.answer.modes.discretisation.order == 8
    act(card, "choose by accuracy")
    assert "each to 0.1 %" in words(card)


def test_every_value_can_be_reached_by_keyboard(window: MainWindow) -> None:
    policies = {number.focusPolicy() for number in window.findChildren(LiveNumber)}
    policies |= {word.focusPolicy() for word in window.findChildren(ChoiceWord)}
    assert policies == {Qt.FocusPolicy.StrongFocus}
    assert all(number.accessibleName() for number in window.findChildren(LiveNumber))
