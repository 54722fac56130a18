"""The page to begin with stands there before what solves and draws is loaded."""

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings, Qt
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from belltone.desk.opening import Opening
from belltone.desk.recent import remember
from belltone.desk.starts import starts
from belltone.desk.window import MainWindow
from belltone.desk.windows import EMPTY
from tests.desk.conftest import settle
from tests.desk.test_window import begin_with

Make = Callable[..., MainWindow]

_LOADED = """
import sys
from PySide6.QtCore import QSettings
from belltone.desk.application import make_application
from belltone.desk.opening import Opening
application = make_application()
opening = Opening(QSettings())
opening.show()
application.processEvents()
print(*sorted({name.split(".")[0] for name in sys.modules}))
"""


@pytest.fixture
def settings(tmp_path: Path) -> QSettings:
    return QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)


def test_nothing_that_solves_or_draws_is_loaded_for_the_page() -> None:
    told = subprocess.run(
        [sys.executable, "-c", _LOADED],
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        capture_output=True,
        text=True,
        check=True,
    )
    loaded = set(told.stdout.split())
    assert "PySide6" in loaded
    assert not loaded & {"scipy", "vtkmodules", "pyqtgraph", "pint", "pydantic", "sqlite3"}


def test_what_is_chosen_while_it_loads_is_done_by_the_window(
    make_window: Make, settings: QSettings, qtbot: QtBot
) -> None:
    opening = Opening(settings)
    loaded: list[str] = []

    def load(part: str) -> None:
        loaded.append(part)
        if len(loaded) == 2:
            begin_with(qtbot, opening.page.starts, 2)
            assert "as soon as" in opening.statusBar().currentMessage()

    opening.resize(1100, 720)
    assert opening.load(("one", "two", "three"), load)
    assert loaded == ["one", "two", "three"]
    window = make_window(None, EMPTY, welcome=True)
    opening.hand_over(window)
    assert not opening.isVisible()
    assert (window.width(), window.height()) == (1100, 720)
    title = starts()[2].title
    qtbot.waitUntil(lambda: window.session.sheet.content.title == title)
    settle(qtbot, window)


def test_a_sheet_opened_lately_is_opened(
    make_window: Make, settings: QSettings, qtbot: QtBot, rail_path: Path
) -> None:
    remember(settings, rail_path)
    opening = Opening(settings)
    assert opening.load((), None)
    begin_with(qtbot, opening.page.recent, 0)
    window = make_window(None, EMPTY, welcome=True)
    opening.hand_over(window)
    qtbot.waitUntil(lambda: window.session.path == rail_path.resolve())
    settle(qtbot, window)


def test_it_asks_by_keys_and_buttons_as_the_window_does(
    make_window: Make, settings: QSettings, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[str] = []
    window = make_window(None, EMPTY, welcome=True)
    for owner, name in (
        (window.files, "ask_open"),
        (window.files, "ask_file"),
        (window, "take_tour"),
    ):
        monkeypatch.setattr(owner, name, lambda name=name: asked.append(name))
    for ask in (
        lambda opening: qtbot.keyClick(opening, Qt.Key.Key_O, Qt.KeyboardModifier.ControlModifier),
        lambda opening: opening.page.file_asked.emit(),
        lambda opening: opening.page.tour_asked.emit(),
    ):
        opening = Opening(settings)
        opening.load((), None)
        opening.activateWindow()
        qtbot.waitUntil(opening.isActiveWindow)
        ask(opening)
        opening.hand_over(window)
        qtbot.wait(1)
    assert asked == ["ask_open", "ask_file", "take_tour"]
    bar = [action.text() for action in window.menuBar().actions()]
    assert bar == [action.text() for action in Opening(settings).menuBar().actions()]


def test_who_closes_it_meanwhile_sees_no_window(settings: QSettings, qapp: QApplication) -> None:
    opening = Opening(settings)
    loaded: list[str] = []

    def load(part: str) -> None:
        loaded.append(part)
        opening.close()

    assert not opening.load(("one", "two"), load)
    assert loaded == ["one"]
