"""How the program begins, and how it goes on with several windows and files that are not whole."""

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings, Qt
from PySide6.QtWidgets import QMessageBox
from pytestqt.qtbot import QtBot

from belltone.desk.session.session import Session
from belltone.desk.starts import starts
from belltone.desk.window import MainWindow
from belltone.desk.windows import EMPTY, Windows
from belltone.drawing.colours import LIGHT
from belltone.drawing.kept_pictures import SmallPicture, kept_small
from belltone.drawing.small import draw_small
from belltone.progress import Progress
from belltone.sheet.demo import demo_sheet, examples_folder
from belltone.sheet.document import Sheet, read_sheet
from belltone.store.journal import Journal
from tests.desk.conftest import NoModels, Recalled, settle
from tests.desk.test_window import BUTTONS, answer_with, begin_with

Make = Callable[..., MainWindow]


def test_the_first_start_asks_nothing_and_solves_nothing(make_window: Make, qtbot: QtBot) -> None:
    window = make_window(None, EMPTY, welcome=True)
    page = window.welcome
    assert window.welcoming
    assert window.windowTitle() == "Bell Tone"
    assert window.session.answer is None
    assert window.session.jobs.state("modes") is None
    assert page.starts.count() == len(starts())
    assert page.none_yet.isVisible()
    demos = [page.demos.item(row).text() for row in range(page.demos.count())]
    assert len(demos) == len(list(examples_folder().glob("*.toml")))
    assert all("?" in told or "may" in told for told in demos), "each says its question"
    begin_with(qtbot, page.starts, 2)
    assert window.session.sheet.content.title == page.starts.item(2).text()
    assert not window.welcoming
    settle(qtbot, window)


def test_from_a_sheet_to_the_page_and_back(window: MainWindow, qtbot: QtBot) -> None:
    sheet = window.session.sheet
    window.new()
    assert window.welcoming
    assert window.welcome.back.isVisible()
    assert window.welcome.recent.count() == 0 or window.welcome.recent.isVisible()
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert not window.welcoming
    assert window.session.sheet is sheet


def test_recent_sheets_are_listed_while_they_are_there(
    make_window: Make, qtbot: QtBot, rail_path: Path
) -> None:
    window = make_window(None, EMPTY, welcome=True)
    window.files.remember(rail_path)
    window.files.remember(rail_path.parent / "gone.toml")
    window.show_welcome(fresh=True)
    assert window.welcome.recent.count() == 1
    begin_with(qtbot, window.welcome.recent, 0)
    assert window.session.path == rail_path.resolve()
    settle(qtbot, window)


def test_small_pictures_are_drawn_once_and_kept(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("platformdirs.user_cache_dir", lambda _name: str(tmp_path))
    text = demo_sheet("pump_cover").read_text(encoding="utf-8")
    wanted = [SmallPicture(text, None, LIGHT.name, 84, 56), SmallPicture("", None, "paper", 9, 9)]
    seen: list[tuple[int, bytes]] = []
    assert kept_small(wanted[0]) is None
    assert draw_small(wanted, progress=Progress(None, None, seen.append)) == 1
    assert [place for place, _ in seen] == [0]
    assert kept_small(wanted[0]) == seen[0][1]
    assert seen[0][1].startswith(b"\x89PNG")


@pytest.fixture
def windows(qtbot: QtBot, tmp_path: Path) -> Windows:
    """Windows whose sessions answer at once."""
    settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)

    def make(sheet: Sheet, path: Path | None, welcome: bool) -> MainWindow:
        engine = Recalled({})
        session = Session(sheet, path, Journal(tmp_path / "j"), (engine, engine, NoModels()))
        return MainWindow(session, settings, welcome, NoModels())

    return Windows(make)


def test_several_windows_have_a_sheet_each(windows: Windows, qtbot: QtBot) -> None:
    first = windows.begin(read_sheet(demo_sheet("infeed_rail")))
    first.another_asked.emit(None)
    second = windows.open[1]
    assert second.untouched
    second.begin(starts()[0])
    settle(qtbot, first)
    settle(qtbot, second)
    # A card of the one is put into the other, as text.
    first.column.hung.set_open(True)
    first.column.hung.numbers()[0].setFocus()
    first.activateWindow()
    first.column.copy_card()
    before = len(second.session.sheet.content.masses)
    told: list[str] = []
    second.session.told.connect(told.append)
    second.column.paste_cards()
    if told[0].startswith("pasted"):
        assert len(second.session.sheet.content.masses) == before + 1
        assert second.session.history.undo_label == "what was copied"
    else:
        assert "rail" in told[0]  # the mass sits on a part that is not here, and it says so
    settle(qtbot, second)
    for window in windows.open:
        window.files.may_discard = lambda: True  # type: ignore[method-assign]
    windows.close_all()
    assert windows.open == []


def test_a_sheet_is_open_in_one_window_only(
    windows: Windows, qtbot: QtBot, rail_path: Path
) -> None:
    first = windows.begin(read_sheet(rail_path), rail_path)
    second = windows.begin()
    told: list[str] = []
    first.session.told.connect(told.append)
    assert second.files.open(rail_path)
    assert second.untouched, "the one that has it comes to the front"
    assert told == [f"“{rail_path.name}” is open in this window already"]
    settle(qtbot, first)
    windows.leave()


def test_a_window_that_will_not_close_stops_the_others(windows: Windows, qtbot: QtBot) -> None:
    first, second = windows.begin(), windows.begin()
    second.files.may_discard = lambda: False  # type: ignore[method-assign]
    windows.close_all()
    assert windows.open == [first, second]
    windows.leave()
    assert windows.open == []


def test_a_sheet_that_is_not_whole_is_opened_as_far_as_it_goes(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    text = window.session.sheet.text.replace('"7.5 kg"', '"7.5 furlong"')
    torn = tmp_path / "torn.toml"
    torn.write_text(text, encoding="utf-8")
    said = answer_with(monkeypatch, "question", BUTTONS.Cancel)
    assert not window.files.open(torn)
    assert "masses 1 · mass: “furlong” is not a unit known here" in said[0]
    assert window.session.sheet.content.masses[0].mass == "7.5 kg"
    answer_with(monkeypatch, "question", QMessageBox.StandardButton.Open)
    assert window.files.open(torn)
    assert window.session.path is None, "saving must not replace what could not be read"
    assert window.session.sheet.content.masses == ()
    assert torn.read_text(encoding="utf-8") == text
    settle(qtbot, window)
