"""A file that somebody else changes, a window that fits a small screen, an order to leave."""

import gc
import os
import signal
import subprocess
import sys
import time
import weakref
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import QSettings, Qt, QTimer
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from belltone.desk.changed_file import ChangedFileDialog, Decision, differences
from belltone.desk.session.session import Session
from belltone.desk.window import MainWindow
from belltone.sheet.document import read_sheet
from belltone.store.journal import Journal, abandoned
from tests.desk.conftest import NoModels, Recalled, settle


def decide(qtbot: QtBot, decision: Decision, seen: list[str]) -> None:
    """Press a button of the question as soon as it stands there."""

    def press() -> None:
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, ChangedFileDialog):
            QTimer.singleShot(20, press)
            return
        seen.append(dialog.shown.toPlainText())
        qtbot.mouseClick(dialog.buttons[decision], Qt.MouseButton.LeftButton)

    QTimer.singleShot(0, press)


def change(path: Path) -> str:
    """What somebody else makes of the file."""
    text = path.read_text(encoding="utf-8").replace('"2.2 m"', '"2.4 m"')
    path.write_text(text, encoding="utf-8")
    return text


def test_a_changed_file_is_noticed_and_taken(
    window: MainWindow, rail_path: Path, qtbot: QtBot
) -> None:
    seen: list[str] = []
    mine = window.session.sheet.text
    window.files.look_at_disk()  # nothing has changed, so nothing is asked
    theirs = change(rail_path)
    decide(qtbot, Decision.THEIRS, seen)
    window.files.look_at_disk()
    assert 'in the file:   length = "2.4 m"' in seen[0]
    assert 'in the window: length = "2.2 m"' in seen[0]
    assert window.session.sheet.text == theirs
    assert not window.session.modified
    window.session.undo()
    assert window.session.sheet.text == mine
    window.files.look_at_disk()  # the same change is asked about once


def test_saving_over_a_changed_file_asks_first(
    window: MainWindow, rail_path: Path, qtbot: QtBot
) -> None:
    seen: list[str] = []
    window.session.set_value(("title",), "mine")
    theirs = change(rail_path)
    decide(qtbot, Decision.LATER, seen)
    assert not window.files.save()
    assert rail_path.read_text(encoding="utf-8") == theirs
    decide(qtbot, Decision.MINE, seen)
    assert window.files.save()
    assert rail_path.read_text(encoding="utf-8") == window.session.sheet.text
    assert len(seen) == 2
    assert window.files.save()  # what was written here is known


def test_keeping_mine_leaves_it_to_be_saved(
    window: MainWindow, rail_path: Path, qtbot: QtBot
) -> None:
    change(rail_path)
    decide(qtbot, Decision.MINE, [])
    window.files.look_at_disk()
    assert window.session.modified
    assert abandoned_texts(window) == []  # it is this program's own, and safe meanwhile


def abandoned_texts(window: MainWindow) -> list[str]:
    return [entry.text for entry in abandoned(window.session._journal._folder)]


def test_differences_are_marked_by_whose_they_are() -> None:
    told = differences("a\nb\nc\n", "a\nx\nc\n").splitlines()
    assert told[2:4] == ["in the file:   b", "in the window: x"]


def test_a_window_told_to_leave_keeps_what_is_not_saved(window: MainWindow, qtbot: QtBot) -> None:
    window.session.set_value(("title",), "not saved")
    window.leave()
    files = list(window.session._journal._folder.glob("*.json"))
    assert len(files) == 1
    assert "not saved" in files[0].read_text(encoding="utf-8")
    files[0].unlink()


@pytest.mark.skipif(not os.environ.get("QT_QPA_PLATFORM"), reason="needs no screen")
def test_a_window_that_is_closed_takes_all_of_it_along(
    rail_path: Path, tmp_path: Path, known_answers: dict[bytes, Any], qtbot: QtBot
) -> None:
    """Windows come and go all day; none leaves its sheet, its answers or its pictures behind."""
    engine = Recalled(known_answers)
    engines = (engine, engine, NoModels())
    session = Session(read_sheet(rail_path), rail_path, Journal(tmp_path / "journal"), engines)
    settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
    window = MainWindow(session, settings, painter=NoModels())
    window.show()
    settle(qtbot, window)
    for show in (
        window.show_table,
        window.show_energy,
        window.show_plane,
        window.show_designs,
        window.show_tuning,
        window.show_measured,
        window.show_handing,
        window.help_view,
        window.explain,
    ):
        show()
    window.show_comparison("")
    window.session.choose_neighbour(1)
    qtbot.wait(300)
    left = [
        weakref.ref(own)
        for own in (
            window,
            window.session,
            window.session.design,
            window.session.answer,
            window.shape.canvas.scene,
        )
    ]
    window.close()
    window.deleteLater()
    window.close()  # once more, as a desktop that ends may ask
    del window, session, show
    qtbot.wait(50)
    gc.collect()
    assert [own() for own in left] == [None] * len(left)


@pytest.mark.parametrize("seconds", [0.7, 2.0, 4.5])
def test_ctrl_c_ends_the_window(rail_path: Path, seconds: float) -> None:
    process = subprocess.Popen(
        [sys.executable, "-m", "belltone", "desk", str(rail_path)],
        stderr=subprocess.PIPE,
        text=True,
    )
    try:
        time.sleep(seconds)  # whether it is still loading or up, it ends in order
        process.send_signal(signal.SIGINT)
        _, told = process.communicate(timeout=60)
    finally:
        process.kill()
    assert process.returncode == 130
    assert "Traceback" not in told


def test_the_window_fits_a_small_screen(
    make_window: Callable[[Path | None], MainWindow], rail_path: Path, qtbot: QtBot
) -> None:
    window = make_window(rail_path)
    window.resize(1024, 700)
    qtbot.wait(50)
    assert (window.width(), window.height()) == (1024, 700)
    for panel in (window.shape, window.map, window.readout, window.ruler):
        corner = panel.mapTo(window, panel.rect().bottomRight())
        assert corner.x() < 1024
        assert corner.y() < 700
    reading = window.readout.frequency
    assert reading.sizeHint().height() < 2 * reading.fontMetrics().height()
