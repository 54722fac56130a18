"""What was measured, in the real window: listed, held against modes, fitted."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QGuiApplication
from pytestqt.qtbot import QtBot

from belltone.desk.measuring.measured_view import MeasuredView
from belltone.desk.window import MainWindow
from belltone.drawing.colours import LIGHT
from tests.desk.conftest import WAIT, count_pixels, settle

Measuring = tuple[MainWindow, MeasuredView]


@pytest.fixture
def measuring(make_window: Callable[..., MainWindow], rail_path: Path) -> Measuring:
    window = make_window(rail_path, models=True)
    window.show_measured()
    view = window.beside.of(MeasuredView)
    assert view is not None
    return window, view


def _cell(view: MeasuredView, row: int, column: int) -> str:
    item = view.table.item(row, column)
    assert item is not None
    return item.text()


def _type(qtbot: QtBot, view: MeasuredView, text: str) -> None:
    view.line.clear()
    qtbot.keyClicks(view.line, text)
    qtbot.keyClick(view.line, Qt.Key.Key_Return)


def test_typed_frequencies_find_their_modes(measuring: Measuring, qtbot: QtBot) -> None:
    window, view = measuring
    assert "Nothing was measured yet" in view.words.text()
    _type(qtbot, view, "37.5 Hz; 3048 rpm")
    assert view.line.text() == ""
    assert [_cell(view, row, 1) for row in range(2)] == ["1", "2"]
    assert _cell(view, 1, 0) == "50.8"
    assert _cell(view, 0, 3) == "-0.792 %"
    assert "2 of 2 measured frequencies are modes" in view.words.text()
    said = window.session.sheet.content.measured
    assert said is not None
    assert [mode.frequency for mode in said.modes] == ["37.5 Hz", "50.8 Hz"]
    settle(qtbot, window)
    view.table.selectRow(1)
    assert window.session.chosen_mode is not None
    assert window.session.chosen_mode.number == 2
    window.session.edit("per minute", lambda now: now.with_value(("shown_in", "frequency"), "rpm"))
    head = view.table.horizontalHeaderItem(0)
    assert head is not None
    assert head.text() == "measured (rpm)"
    assert _cell(view, 1, 0) == "3048"
    window.session.undo()
    assert _cell(view, 1, 0) == "50.8"
    window.session.undo()
    assert view.table.rowCount() == 0


def test_what_is_wrong_stays_typed(measuring: Measuring, qtbot: QtBot) -> None:
    _, view = measuring
    _type(qtbot, view, "37.5 kg")
    assert view.line.text() == "37.5 kg"
    assert "row 2" in view.words.text()
    assert view.table.rowCount() == 0


def test_they_stand_on_the_ruler(measuring: Measuring, qtbot: QtBot) -> None:
    window, view = measuring
    live = QColor(LIGHT.live)

    def marks() -> int:
        image = window.ruler.grab().toImage()
        return count_pixels(image.copy(0, image.height() - 36, image.width(), 12), live)

    before = marks()
    _type(qtbot, view, "300 Hz")
    assert marks() > before + 10
    held = window.ruler._measured_at(
        window.ruler.mapFromGlobal(window.ruler.mapToGlobal(window.ruler.rect().topLeft()))
    )
    assert held is None


def test_a_pasted_table_with_kinds(measuring: Measuring, qtbot: QtBot) -> None:
    _, view = measuring
    QGuiApplication.clipboard().setText(
        "frequency (Hz)\tkind\tnote\n102\tbending about z\ttap 1\n80\tbending about y\t\n"
    )
    qtbot.mouseClick(view.paste, Qt.MouseButton.LeftButton)
    assert view.words.text().startswith("Matched by kind;")
    assert _cell(view, 0, 6) == "tap 1"
    assert _cell(view, 0, 1) == "2"  # the lowest of its kind
    view.how.setCurrentText("by order")
    view.how.activated.emit(view.how.currentIndex())
    assert view.words.text().startswith("Matched by order;")
    assert _cell(view, 0, 1) == "4"


def test_a_file_beside_the_sheet(measuring: Measuring, rail_path: Path) -> None:
    window, view = measuring
    file = rail_path.with_name("tap.csv")
    file.write_text("frequency (Hz)\n37.5\n50.8\n", encoding="utf-8")
    view.read_file(file)
    said = window.session.sheet.content.measured
    assert said is not None
    assert said.file == "tap.csv"
    assert view.table.rowCount() == 2
    view.read_file(rail_path)
    assert str(rail_path) in view.words.text()
    view.table.selectRow(0)
    view.drop_chosen()
    assert view.table.rowCount() == 0


def test_frequencies_are_dropped(measuring: Measuring, qtbot: QtBot) -> None:
    window, view = measuring
    _type(qtbot, view, "37.5; 50.8; 75")
    view.table.selectRow(1)
    qtbot.mouseClick(view.drop, Qt.MouseButton.LeftButton)
    assert [_cell(view, row, 0) for row in range(2)] == ["37.5", "75"]
    view.table.selectRow(0)
    qtbot.keyClick(view, Qt.Key.Key_Delete)
    assert view.table.rowCount() == 1
    assert window.session.modified


def test_knobs_are_fitted_and_taken(measuring: Measuring, qtbot: QtBot) -> None:
    window, view = measuring
    _type(qtbot, view, "37.507; 50.7917; 74.8946; 96.2509; 195.677")
    fit = view.fit
    assert not fit.run.isEnabled()
    for tick in fit.ticks.values():
        qtbot.mouseClick(tick, Qt.MouseButton.LeftButton)
    assert fit.run.isEnabled()
    assert not fit.take.isEnabled()
    fit.within.setText("big")
    qtbot.mouseClick(fit.run, Qt.MouseButton.LeftButton)
    assert "big" in fit.words.text()
    fit.within.setText("0.1 %")
    qtbot.mouseClick(fit.run, Qt.MouseButton.LeftButton)
    assert fit.run.text() == "Stop"
    qtbot.waitUntil(lambda: not window.session.measuring.fitting, timeout=WAIT)
    texts = [fit.table.item(row, 2) for row in range(2)]
    wall, post = (float(item.text().split()[0]) for item in texts if item is not None)
    assert wall == pytest.approx(3.3, abs=0.02)
    assert post == pytest.approx(1.5, abs=1e-3)
    assert "5 of 5 measured frequencies are modes" in fit.words.text()
    qtbot.mouseClick(fit.take, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    value = window.session.sheet.content.knobs["post_at"].value
    assert float(str(value).split()[0]) == pytest.approx(1.5, abs=1e-3)
    assert not fit.take.isEnabled()
    assert "of an older sheet" in fit.words.text()
    window.session.undo()
    assert window.session.sheet.content.knobs["post_at"].value == "1.55 m"
    settle(qtbot, window)


def test_a_fit_that_cannot_be_made_says_why(measuring: Measuring, qtbot: QtBot) -> None:
    window, view = measuring
    QGuiApplication.clipboard().setText("frequency (Hz)\tkind\n50\twobbling\n")
    view.paste.click()
    qtbot.mouseClick(view.fit.ticks["wall"], Qt.MouseButton.LeftButton)
    view.fit.run_or_stop()
    qtbot.waitUntil(lambda: not window.session.measuring.fitting, timeout=WAIT)
    assert "no mode left is “wobbling”" in view.fit.words.text()
