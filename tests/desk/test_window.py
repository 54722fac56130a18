import json
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QListWidget, QMessageBox
from pytestqt.qtbot import QtBot

from belltone.desk.recovery import RecoveryDialog
from belltone.desk.starting import failure_hook
from belltone.desk.window import MainWindow
from belltone.desk.windows import Windows
from belltone.drawing.colours import DARK, LIGHT
from belltone.sheet.document import read_sheet
from belltone.store.journal import Unsaved, abandoned
from tests.desk.conftest import WAIT, Recalled, number, settle

BUTTONS = QMessageBox.StandardButton
HEIGHT = ("parts", "rail", "section", "height")


def type_in(qtbot: QtBot, window: MainWindow, path: tuple[str | int, ...], text: str) -> None:
    field = number(window, path)
    qtbot.mouseClick(field, Qt.MouseButton.LeftButton)
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


def answer_with(
    monkeypatch: pytest.MonkeyPatch, kind: str, answer: QMessageBox.StandardButton
) -> list[str]:
    """Answer message boxes of a kind and collect what they said."""
    said: list[str] = []

    def box(_parent: object, title: str, text: str, *_: object) -> QMessageBox.StandardButton:
        said.append(f"{title}: {text}")
        return answer

    monkeypatch.setattr(QMessageBox, kind, box)
    return said


def test_edit_save_and_reopen(
    window: MainWindow, make_window: Callable[[Path], MainWindow], qtbot: QtBot, rail_path: Path
) -> None:
    type_in(qtbot, window, HEIGHT, "45 mm")
    assert window.windowTitle().startswith("infeed_rail.toml* · Infeed rail")
    qtbot.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert not window.session.modified
    assert window.windowTitle().startswith("infeed_rail.toml · ")
    written = rail_path.read_text(encoding="utf-8")
    assert 'height = "45 mm"' in written
    assert "# it hangs below the rail" in written
    other = make_window(rail_path)
    assert number(other, HEIGHT).text() == "45 mm"


def test_undo_and_redo_bring_answers_back(window: MainWindow, qtbot: QtBot) -> None:
    def first() -> float:
        settle(qtbot, window)
        assert window.session.answer is not None
        return float(window.session.answer.modes.flexible[0])

    start = first()
    type_in(qtbot, window, HEIGHT, "50 mm")
    changed = first()
    assert changed != start
    assert "height" in window.menus.undo.text()
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert first() == start
    assert number(window, HEIGHT).text() == "40 mm"
    window.menus.redo.trigger()
    assert first() == changed
    assert not window.menus.redo.isEnabled()


@pytest.mark.parametrize(
    ("button", "closes", "saved"),
    [(BUTTONS.Cancel, False, False), (BUTTONS.Discard, True, False), (BUTTONS.Save, True, True)],
)
def test_unsaved_work_is_guarded(
    window: MainWindow,
    qtbot: QtBot,
    monkeypatch: pytest.MonkeyPatch,
    rail_path: Path,
    button: QMessageBox.StandardButton,
    closes: bool,
    saved: bool,
) -> None:
    type_in(qtbot, window, HEIGHT, "45 mm")
    said = answer_with(monkeypatch, "question", button)
    assert window.close() is closes
    assert "not saved" in said[0]
    assert ("45 mm" in rail_path.read_text(encoding="utf-8")) is saved


def test_a_value_still_being_typed_is_saved(
    window: MainWindow, qtbot: QtBot, rail_path: Path
) -> None:
    field = number(window, HEIGHT)
    qtbot.mouseClick(field, Qt.MouseButton.LeftButton)
    qtbot.keyClicks(field, "44 mm")
    assert window.files.save()
    assert "44 mm" in rail_path.read_text(encoding="utf-8")


def test_leaving_names_what_cannot_be_saved(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    type_in(qtbot, window, HEIGHT, "44")
    said = answer_with(monkeypatch, "question", BUTTONS.Cancel)
    assert not window.close()
    assert "“44” in “parts · rail · section · height” cannot be saved: “44” has no unit" in said[0]
    assert number(window, HEIGHT).text() == "44"


def test_a_demo_is_saved_elsewhere_and_stays_as_it_came(
    window: MainWindow,
    qtbot: QtBot,
    rail_path: Path,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr("belltone.sheet.demo.examples_folder", lambda: rail_path.parent)
    before, mine = rail_path.read_bytes(), tmp_path / "mine" / "rail.toml"
    mine.parent.mkdir()
    offered: list[str] = []

    def ask(_parent: object, _title: str, start: str, _filters: str) -> tuple[str, str]:
        offered.append(start)
        return str(mine), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", ask)
    type_in(qtbot, window, HEIGHT, "45 mm")
    window.session.variants.pin("taller")
    assert [own.name for own in rail_path.parent.glob("*.toml")] == [rail_path.name]
    assert window.files.save()
    assert offered == [str(Path.home() / rail_path.name)]
    assert rail_path.read_bytes() == before
    assert "45 mm" in mine.read_text(encoding="utf-8")
    assert (mine.parent / "rail.variants.toml").exists()
    type_in(qtbot, window, HEIGHT, "46 mm")
    assert window.files.save()  # now it is an own sheet
    assert len(offered) == 1
    assert "46 mm" in mine.read_text(encoding="utf-8")


def test_new_and_save_as(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    window.new()
    assert window.welcoming
    begin_with(qtbot, window.welcome.starts, 0)
    assert not window.welcoming
    settle(qtbot, window)
    assert window.session.path is None
    assert window.session.sheet.content.title == "Guide rail"
    assert window.session.answer is not None
    assert window.session.answer.modes.flexible[0] == pytest.approx(52.2, abs=0.05)
    target = tmp_path / "cap_chute"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    assert window.files.save()
    assert read_sheet(target.with_suffix(".toml")).content.parts
    assert window.files.recent_paths()[0] == target.with_suffix(".toml")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: ("", ""))
    assert not window.files.save_as()


def test_a_failed_save_loses_nothing(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    type_in(qtbot, window, HEIGHT, "45 mm")
    said = answer_with(monkeypatch, "warning", BUTTONS.Ok)
    target = str(tmp_path / "absent" / "rail.toml")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (target, ""))
    assert not window.files.save_as()
    assert "cannot be written" in said[0]
    assert window.session.modified
    assert number(window, HEIGHT).text() == "45 mm"


def test_a_bad_sheet_is_explained_and_not_opened(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    bad = tmp_path / "bad.toml"
    bad.write_text(window.session.sheet.text.replace('"2.2 m"', '"2.2"'), encoding="utf-8")
    said = answer_with(monkeypatch, "warning", BUTTONS.Ok)
    before = window.session.sheet
    assert not window.files.open(bad)
    assert "line 22, parts · rail · length: “2.2” has no unit" in said[0]
    assert window.session.sheet is before
    assert not window.files.open(tmp_path / "absent.toml")
    assert "cannot be read" in said[1]


def test_opening_through_the_dialog_and_recent(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    other = tmp_path / "other.toml"
    other.write_text(window.session.sheet.text.replace('"2.2 m"', '"2.4 m"'), encoding="utf-8")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(other), ""))
    window.files.ask_open()
    settle(qtbot, window)
    assert window.session.path == other
    assert window.session.design.parts[0].length == pytest.approx(2.4)
    window.menus._fill_recent()
    assert window.menus.recent.actions()[0].text().startswith("other.toml")


def test_the_table_of_modes_is_copied_and_written(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    window.copy_table()
    copied = QGuiApplication.clipboard().text()
    assert copied.startswith("mode,frequency (Hz),")
    assert len(copied.splitlines()) == 11
    target = tmp_path / "modes.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    window.ask_write_table()
    assert target.read_text(encoding="utf-8") == copied


def begin_with(qtbot: QtBot, holder: QListWidget, row: int) -> None:
    """Click an entry of a list of the welcome page."""
    at = holder.visualItemRect(holder.item(row)).center()
    qtbot.mouseClick(holder.viewport(), Qt.MouseButton.LeftButton, pos=at)


def open_again(window: MainWindow, left: Unsaved) -> bool:
    window.session.open_text(left.text, left.sheet_path, left.variants)
    return True


def test_both_themes_draw(window: MainWindow, qtbot: QtBot) -> None:
    bright = window.grab().toImage().pixelColor(5, 300).lightness()
    window.take_theme(DARK.name)
    qtbot.wait(20)
    assert window.grab().toImage().pixelColor(5, 300).lightness() < bright - 100
    assert window._settings.value("theme") == DARK.name
    window.take_theme(LIGHT.name)
    assert window._settings.value("theme") == LIGHT.name


def test_menus_say_how_it_is_handled(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    said = answer_with(monkeypatch, "about", BUTTONS.Ok)
    for menu in window.menuBar().actions():
        if "Help" in menu.text():
            for action in menu.menu().actions():
                action.trigger()
    assert any("Licence" in text for text in said)
    view = window.help_view()
    view.show_keys()
    assert "right-click to make a knob" in view.text.toPlainText().replace("\n", " ")
    view.close()


def test_unsaved_edits_are_journalled(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    folder = tmp_path / "journal"
    assert list(folder.glob("*.json")) == []
    type_in(qtbot, window, HEIGHT, "45 mm")
    entry = json.loads(next(folder.glob("*.json")).read_text(encoding="utf-8"))
    assert 'height = "45 mm"' in entry["text"]
    window.session.undo()
    assert list(folder.glob("*.json")) == []


def test_a_crash_offers_the_work_back(
    window: MainWindow,
    qtbot: QtBot,
    monkeypatch: pytest.MonkeyPatch,
    tmp_path: Path,
    rail_path: Path,
) -> None:
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    folder = tmp_path / "crashed"
    folder.mkdir()
    text = window.session.sheet.text.replace('"40 mm"', '"47 mm"')
    left = {"pid": gone.pid, "sheet": str(rail_path), "text": text}
    (folder / "x.json").write_text(json.dumps(left), encoding="utf-8")
    (folder / "y.json").write_text(json.dumps(left | {"text": "torn"}), encoding="utf-8")
    dialog = RecoveryDialog(
        abandoned(folder), lambda left: open_again(window, left), painter=Recalled({})
    )
    dialog.list.setCurrentRow(0)
    # The component is seen, too; what cannot be read has no picture.
    qtbot.waitUntil(lambda: not dialog.picture.pixmap().isNull(), timeout=WAIT)
    seen = dialog.picture.pixmap().toImage()
    assert len({seen.pixel(x, seen.height() // 2) for x in range(seen.width())}) > 3
    assert "Infeed rail: 2200 mm rectangular hollow" in dialog.words.text()
    (line,) = [each for each in dialog.shown.toPlainText().splitlines() if "in the window" in each]
    assert 'height = "47 mm"' in line
    dialog.list.setCurrentRow(1)
    assert "cannot be used as it stands" in dialog.words.text()
    assert dialog.picture.pixmap().isNull()
    answer_with(monkeypatch, "question", BUTTONS.Discard)
    dialog.discard_button.click()
    dialog.open_button.click()
    assert dialog.result() == 1
    assert number(window, HEIGHT).text() == "47 mm"
    assert window.session.modified
    assert window.session.path == rail_path
    assert abandoned(folder) == []
    settle(qtbot, window)


def test_an_unexpected_failure_is_said_and_the_old_answer_stays(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fail(*_: object, **__: object) -> None:
        raise ArithmeticError("the factorisation broke down")

    before = window.session.answer
    monkeypatch.setattr("belltone.desk.session.session.find_modes", fail)
    type_in(qtbot, window, HEIGHT, "45 mm")
    qtbot.waitUntil(lambda: bool(window.session.failure))
    assert window.session.answer is before
    assert window.session.stale
    assert "older design" in window.readout.stale.text()
    assert "the factorisation broke down" in window.session.failure
    assert "failures.log" in window.session.failure


def test_an_error_nobody_foresaw_is_told_in_the_window(window: MainWindow) -> None:
    windows = Windows()
    windows.open.append(window)
    failure_hook(windows)(ValueError, ValueError("odd"), None)
    assert "an error inside the program (ValueError: odd)" in window.statusBar().currentMessage()
    assert window.statusBar().isVisibleTo(window)
