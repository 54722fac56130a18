import csv
import io
from collections.abc import Callable

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from pytestqt.qtbot import QtBot

from belltone.desk.mode_table import ModeTable
from belltone.desk.window import MainWindow
from belltone.desk.windows import EMPTY
from tests.desk.conftest import settle


@pytest.fixture
def table(window: MainWindow, qtbot: QtBot) -> ModeTable:
    qtbot.keyClick(window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    table = window.beside.of(ModeTable)
    assert table is not None
    return table


def column(table: ModeTable, place: int) -> list[str]:
    model = table.view.model()
    return [str(model.index(row, place).data()) for row in range(model.rowCount())]


def test_every_mode_is_there_with_the_chosen_one_lit(window: MainWindow, table: ModeTable) -> None:
    assert column(table, 0) == [str(number) for number in range(1, 11)]
    assert column(table, 1)[1] == "49.8415"
    assert column(table, 9)[1] == "30 %"
    assert table.view.currentIndex().row() == 1
    window.session.choose_neighbour(3)
    assert table.view.currentIndex().row() == 4


def test_choosing_a_row_chooses_the_mode(
    window: MainWindow, table: ModeTable, qtbot: QtBot
) -> None:
    table.view.setFocus()
    qtbot.keyClick(table.view, Qt.Key.Key_Down)
    assert window.readout.head.text() == "Mode 3"


def test_numbers_sort_as_numbers(window: MainWindow, table: ModeTable) -> None:
    table.view.sortByColumn(1, Qt.SortOrder.DescendingOrder)
    frequencies = [float(text) for text in column(table, 1)]
    assert frequencies == sorted(frequencies, reverse=True)
    table.view.sortByColumn(6, Qt.SortOrder.AscendingOrder)
    assert column(table, 6)[0].startswith("axial")
    # The chosen mode stays chosen, wherever its row went.
    assert window.session.chosen_mode is not None
    assert window.session.chosen_mode.number == 2


def test_a_pair_is_one_row_and_either_mode_stays_chosen(
    make_window: Callable[..., MainWindow],
) -> None:
    text = EMPTY.replace(
        'shape = "solid rectangle", width = "40 mm", height = "20 mm"',
        'shape = "solid round", diameter = "30 mm"',
    )
    window = make_window(None, text)
    window.show_table()
    table = window.beside.of(ModeTable)
    assert table is not None
    assert column(table, 0)[:3] == ["1 and 2", "3 and 4", "5 and 6"]
    assert column(table, 6)[0].startswith("bending about ")
    assert column(table, 6)[0].endswith("; a pair")
    # Together they move as much sideways as up, however they are mixed.
    masses = [column(table, place)[0] for place in (9, 10)]
    assert masses[0] == masses[1] != "0 %"
    answer = window.session.answer
    assert answer is not None
    window.session.choose(answer.identities[3])
    assert table.view.currentIndex().row() == 1
    assert window.session.chosen_index == 3
    table.close()


def test_the_table_is_copied_as_shown(table: ModeTable, qtbot: QtBot) -> None:
    table.view.sortByColumn(0, Qt.SortOrder.DescendingOrder)
    qtbot.keyClick(table.view, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    rows = list(csv.DictReader(io.StringIO(QGuiApplication.clipboard().text())))
    assert [row["mode"] for row in rows] == [str(number) for number in range(10, 0, -1)]
    assert rows[-1]["frequency (Hz)"] == "37.2029"


def test_the_table_follows_the_design(window: MainWindow, table: ModeTable, qtbot: QtBot) -> None:
    window.session.set_knob("wall", 6.0)
    assert "older design" in table.windowTitle()
    settle(qtbot, window)
    assert table.windowTitle() == "All modes"
    assert column(table, 1)[1] == "54.757"
    qtbot.keyClick(table.view, Qt.Key.Key_Escape)
    assert table.isHidden()
