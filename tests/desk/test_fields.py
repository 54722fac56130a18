from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from pytestqt.qtbot import QtBot

from belltone.desk.fields import LiveNumber
from belltone.desk.values import shown_value, stepped
from belltone.desk.window import MainWindow
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from tests.desk.conftest import number, settle

LENGTH = ("parts", "rail", "length")
HEIGHT = ("parts", "rail", "section", "height")
WALL = ("parts", "rail", "section", "wall")
LEFT = Qt.MouseButton.LeftButton


def test_typing_a_value_solves_again(window: MainWindow, qtbot: QtBot) -> None:
    field = number(window, HEIGHT)
    before = window.session.answer
    qtbot.mouseClick(field, LEFT)
    assert field.editing
    assert field.selectedText() == "40 mm"
    qtbot.keyClicks(field, "50 mm")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert not field.editing
    assert field.text() == "50 mm"
    settle(qtbot, window)
    assert before is not None
    assert window.session.answer is not None
    assert window.session.answer.modes.flexible[0] > 1.1 * before.modes.flexible[0]
    assert 'height = "50 mm"' in window.session.sheet.text
    assert "# motor, gear and bracket" in window.session.sheet.text


def test_an_unusable_value_stays_in_its_field(window: MainWindow, qtbot: QtBot) -> None:
    field = number(window, LENGTH)
    answer, text = window.session.answer, window.session.sheet.text
    qtbot.mouseClick(field, LEFT)
    qtbot.keyClicks(field, "2.4")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert field.text() == "2.4"
    assert field.editing
    assert "“2.4” has no unit; a length is needed" in field.problem
    card = window.column.component
    assert field.problem in card._problem.text()
    assert card._problem.isVisibleTo(card)
    # The last good answer stays and is marked; nothing was written.
    assert window.session.answer is answer
    assert window.session.stale
    assert window.session.sheet.text == text
    assert "A value cannot be used" in window.verdict.head.text()
    assert window.readout.stale.text() == "of the older design"
    # Leaving the field keeps what was typed.
    number(window, HEIGHT).setFocus()
    assert field.text() == "2.4"
    qtbot.keyClicks(field, " m")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert field.text() == "2.4 m"
    settle(qtbot, window)
    assert not window.session.stale
    assert not card._problem.isVisibleTo(card)


def test_an_unusable_value_outlives_its_card(window: MainWindow, qtbot: QtBot) -> None:
    """Adding something, undoing it or taking it away rebuilds the card; what was typed stays."""
    mass = ("masses", 0, "mass")
    field = number(window, mass)
    qtbot.mouseClick(field, LEFT)
    qtbot.keyClicks(field, "8")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    entry = {"site": "rail.end", "mass": "1 kg"}
    assert window.session.edit("x", lambda s: s.with_entry(("masses",), entry)) is None
    qtbot.wait(10)  # the old card's fields go
    rebuilt = number(window, mass)
    assert rebuilt is not field
    assert (rebuilt.text(), rebuilt.editing) == ("8", True)
    assert "has no unit" in rebuilt.problem
    window.session.undo()
    qtbot.wait(10)
    assert number(window, mass).text() == "8"
    assert window.session.stale
    # The mass goes, and its text with it: nothing stays marked for no visible reason.
    assert window.session.edit("x", lambda s: s.without(mass[:2])) is None
    settle(qtbot, window)
    assert not window.session.wrong
    assert not window.session.stale


def test_another_sheet_opens_with_clean_fields(
    window: MainWindow, qtbot: QtBot, rail_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for path in (LENGTH, ("knobs", "wall", "value")):
        field = number(window, path)
        qtbot.mouseClick(field, LEFT)
        qtbot.keyClicks(field, "7")
        qtbot.keyClick(field, Qt.Key.Key_Return)
    assert len(window.session.wrong) == 2
    monkeypatch.setattr(window.files, "may_discard", lambda: True)
    assert window.files.open(rail_path)
    qtbot.wait(10)
    assert number(window, LENGTH).text() == "2.2 m"
    assert window.column.knobs.row("wall").value.text() == "3 mm"
    settle(qtbot, window)
    assert not window.session.stale


def test_escape_gives_up(window: MainWindow, qtbot: QtBot) -> None:
    field = number(window, LENGTH)
    for typed in ("5 m", "nonsense"):
        qtbot.mouseClick(field, LEFT)
        qtbot.keyClicks(field, typed)
        if typed == "nonsense":
            qtbot.keyClick(field, Qt.Key.Key_Return)
            assert window.session.wrong
        qtbot.keyClick(field, Qt.Key.Key_Escape)
        assert field.text() == "2.2 m"
    assert not window.session.wrong
    assert not window.session.modified


def test_dragging_scrubs_in_one_step_of_undo(window: MainWindow, qtbot: QtBot) -> None:
    field = number(window, LENGTH)
    middle = field.rect().center()
    qtbot.mousePress(field, LEFT, pos=middle)
    for moved in (10, 20, 40):
        qtbot.mouseMove(field, middle + QPoint(moved, 0))
    qtbot.mouseRelease(field, LEFT, pos=middle + QPoint(40, 0))
    assert field.text() == "2.3 m"
    settle(qtbot, window)
    assert window.session.answer is not None
    assert window.session.answer.design.parts[0].length == pytest.approx(2.3)
    assert len(window.session.history.past) == 1
    window.menus.undo.trigger()
    assert number(window, LENGTH).text() == "2.2 m"
    assert not window.session.modified


def test_scrubbing_stops_where_the_sheet_would_break(window: MainWindow, qtbot: QtBot) -> None:
    field = number(window, ("sites", "drive_seat", "along"))
    middle = field.rect().center()
    qtbot.mousePress(field, LEFT, pos=middle)
    qtbot.mouseMove(field, middle + QPoint(40, 0))
    qtbot.mouseMove(field, middle + QPoint(4000, 0))
    qtbot.mouseRelease(field, LEFT, pos=middle + QPoint(4000, 0))
    assert not window.session.wrong
    assert window.session.design.places["drive_seat"].along <= 2.2


def test_arrow_keys_step(window: MainWindow, qtbot: QtBot) -> None:
    field = number(window, HEIGHT)
    field.setFocus()
    qtbot.keyClick(field, Qt.Key.Key_Up)
    assert field.text() == "40.1 mm"
    qtbot.keyClick(field, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert field.text() == "40.09 mm"
    qtbot.keyClick(field, Qt.Key.Key_F2)
    assert field.editing
    qtbot.keyClick(field, Qt.Key.Key_Escape)
    qtbot.keyClicks(field, "42 mm")
    qtbot.keyClick(field, Qt.Key.Key_Enter)
    assert field.text() == "42 mm"


def test_a_knobs_number_turns_the_knob(window: MainWindow, qtbot: QtBot) -> None:
    field = number(window, WALL)
    assert field.text() == "• 3 mm"
    qtbot.mouseClick(field, LEFT)
    qtbot.keyClicks(field, "4 mm")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert window.session.sheet.content.knobs["wall"].value == "4 mm"
    assert window.session.sheet.value(WALL) == "wall"
    assert number(window, ("knobs", "wall", "value")).text() == "4 mm"
    free = next(a for a in field.actions_offered() if "Let go" in a.text())
    free.trigger()
    assert window.session.sheet.value(WALL) == "4 mm"
    assert field.text() == "4 mm"


def test_making_a_knob(window: MainWindow, qtbot: QtBot) -> None:
    number(window, HEIGHT).setFocus()
    qtbot.keyClick(number(window, HEIGHT), Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    label = window.column.knobs.row("height").label
    assert label.selectedText() == "height"
    qtbot.keyClicks(label, "depth")
    qtbot.keyClick(label, Qt.Key.Key_Return)
    knob = window.session.design.knobs["depth"]
    assert (knob.value, knob.unit, knob.range) == (40.0, "mm", (20.0, 80.0))
    assert window.session.sheet.value(HEIGHT) == "depth"
    assert window.column.knobs.row("depth").value.text() == "40 mm"
    assert "depth" in [window.map.knob.itemText(i) for i in range(window.map.knob.count())]
    settle(qtbot, window)
    assert window.session.answer is not None
    assert window.session.answer.pulls is not None
    assert "depth" in window.session.answer.pulls


@pytest.mark.parametrize(
    ("name", "says"), [("wall", "already"), ("mm", "is a unit"), ("two words", "cannot name")]
)
def test_a_knob_needs_a_good_name(window: MainWindow, name: str, says: str) -> None:
    problem = number(window, HEIGHT).make_knob(name)
    assert problem is not None
    assert says in problem
    assert not window.session.modified


def test_formulas_show_what_they_come_to(window: MainWindow, qtbot: QtBot) -> None:
    field = number(window, HEIGHT)
    qtbot.mouseClick(field, LEFT)
    qtbot.keyClicks(field, "10*wall + 12 mm")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert field.text() == "= 42 mm"
    window.session.set_knob("wall", 4.0)
    assert field.text() == "= 52 mm"
    qtbot.keyClick(field, Qt.Key.Key_Up)
    assert field.text() == "= 52 mm"


def test_values_are_shown_as_typed(rail: Sheet) -> None:
    design = evaluate(rail)
    plain = shown_value(rail, design, LENGTH)
    assert (plain.shown, plain.number, plain.unit, plain.target) == ("2.2 m", 2.2, "m", LENGTH)
    knob = shown_value(rail, design, WALL)
    assert (knob.shown, knob.knob, knob.target) == ("3 mm", "wall", ("knobs", "wall", "value"))
    limit = shown_value(rail, design, ("knobs", "wall", "from"))
    assert limit.shown == "2 mm"
    with pytest.raises(KeyError):
        shown_value(rail, design, ("parts", "rail", "colour"))


@pytest.mark.parametrize(
    ("value", "steps", "fine", "moved"),
    [
        (40.0, 1, False, 40.1),
        (40.0, -10, False, 39.0),
        (3.0, 1, True, 3.001),
        (0.0, 2, False, 0.002),
        (-90.0, 5, False, -89.5),
        (1500.0, 1, False, 1510.0),
    ],
)
def test_steps_are_about_a_percent_and_round(
    value: float, steps: int, fine: bool, moved: float
) -> None:
    assert stepped(value, steps, fine) == pytest.approx(moved, rel=1e-12)


def test_a_path_with_two_points_has_no_length_field(
    make_window: Callable[..., MainWindow], rail_path: Path
) -> None:
    text = rail_path.read_text(encoding="utf-8").replace(
        'length = "2.2 m"', 'from = ["0 m", "0 m", "0 m"]\nto = ["2.2 m", "0 m", "0 m"]'
    )
    rail_path.write_text(text, encoding="utf-8")
    window = make_window(rail_path)
    assert window.session.answer is not None
    assert window.session.answer.modes.flexible[1] == pytest.approx(49.84, abs=0.05)
    assert not window.findChildren(LiveNumber, "parts/rail/length")


def test_a_field_is_as_wide_as_its_words_in_whatever_type(window: MainWindow) -> None:
    """The ends of a knob's range stand in smaller type than its value."""
    for path in (LENGTH, ("knobs", "wall", "from"), ("knobs", "wall", "value")):
        field = number(window, path)
        assert field.width() == field.fontMetrics().horizontalAdvance(field.text()) + 6
        assert field.height() == field.fontMetrics().height() + 3
