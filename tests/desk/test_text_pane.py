"""The sheet as text: live both ways, with findings at their lines."""

import pytest
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from belltone.desk.cards.text_pane import TextPane
from belltone.desk.window import MainWindow
from tests.desk.conftest import number, settle


@pytest.fixture
def pane(window: MainWindow) -> TextPane:
    window.column.turn_text()
    return window.column.text


def put(pane: TextPane, before: str, after: str) -> None:
    """Type over a piece of the text."""
    editor = pane.editor
    at = editor.toPlainText().index(before)
    cursor = editor.textCursor()
    cursor.setPosition(at)
    cursor.setPosition(at + len(before), cursor.MoveMode.KeepAnchor)
    cursor.insertText(after)


def test_what_is_typed_is_the_sheet_and_what_is_edited_is_the_text(
    window: MainWindow, pane: TextPane, qtbot: QtBot
) -> None:
    assert pane.isVisible()
    assert pane.editor.toPlainText() == window.session.sheet.text
    put(pane, '"2.2 m"', '"2.1 m"')
    qtbot.waitUntil(lambda: 'length = "2.1 m"' in window.session.sheet.text)
    settle(qtbot, window)
    pane.editor.left.emit()
    assert window.session.history.undo_label == "the text"
    cursor = pane.editor.textCursor().position()
    window.session.set_knob("wall", 4.0)
    assert 'value = "4 mm"' in pane.editor.toPlainText()
    assert abs(pane.editor.textCursor().position() - cursor) < 3
    qtbot.keyClick(pane.editor, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    window.session.undo()
    assert pane.editor.toPlainText() == window.session.sheet.text
    window.column.turn_text()
    assert not pane.isVisible()
    settle(qtbot, window)


def test_findings_stand_at_their_lines_and_nothing_typed_is_lost(
    window: MainWindow, pane: TextPane, qtbot: QtBot
) -> None:
    put(pane, '"2.2 m"', '"2.2"')
    put(pane, '"7.5 kg"', '"7.5 m"')
    pane.take()
    lines = pane.editor.toPlainText().splitlines()
    told = [pane.findings.item(row).text() for row in range(pane.findings.count())]
    assert len(told) == 2
    for text, piece in zip(told, ('"2.2"', '"7.5 m"'), strict=True):
        line = int(text.split(":")[0].removeprefix("line "))
        assert piece in lines[line - 1]
    assert "“2.2” has no unit" in told[0]
    assert window.session.wrong
    # Another edit goes on beside it; what was typed here stays until it is given up.
    window.session.set_knob("wall", 4.0)
    assert '"2.2"' in pane.editor.toPlainText()
    qtbot.mouseClick(pane.back, Qt.MouseButton.LeftButton)
    assert pane.editor.toPlainText() == window.session.sheet.text
    assert not window.session.wrong
    assert not pane.findings.isVisible()
    settle(qtbot, window)


def test_a_search_turns_back_to_the_cards(window: MainWindow, pane: TextPane, qtbot: QtBot) -> None:
    window.session.pointing.seek_value(("masses", 0, "mass"))
    assert not pane.isVisible()
    assert number(window, ("masses", 0, "mass")).isVisible()
