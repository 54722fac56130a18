"""The list of where a mode's energy is, with the mouse and the keyboard."""

from __future__ import annotations

import csv
import io

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QComboBox
from pytestqt.qtbot import QtBot

from belltone.desk.energy_table import EnergyTable
from belltone.desk.window import MainWindow


@pytest.fixture
def table(window: MainWindow, qtbot: QtBot) -> EnergyTable:
    qtbot.mouseClick(window.readout.list_button, Qt.MouseButton.LeftButton)
    table = window.beside.of(EnergyTable)
    assert table is not None
    return table


def cells(table: EnergyTable) -> list[tuple[str, ...]]:
    model = table.view.model()
    return [
        tuple(str(model.index(row, place).data()) for place in range(model.columnCount()))
        for row in range(model.rowCount())
    ]


def choose(box: QComboBox, place: int, qtbot: QtBot) -> None:
    qtbot.keyClick(box, Qt.Key.Key_Home)
    for _ in range(place):
        qtbot.keyClick(box, Qt.Key.Key_Down)


def test_pieces_of_the_chosen_mode_are_listed(
    window: MainWindow, table: EnergyTable, qtbot: QtBot
) -> None:
    assert table.head.text().startswith("Mode 2 · 49.84")
    answer = window.session.answer
    assert answer is not None
    held = answer.modes.held
    rows = cells(table)
    strains = [float(row[5].removesuffix(" %")) for row in rows if row[5]]
    assert strains == sorted(strains, reverse=True)
    assert f"{100 * held.part_strain[answer.modes.rigid_count + 1, 0]:.2f} %" == rows[0][5]
    # Masses strain nothing and springs move nothing: their cells are empty.
    assert {row[5] == "" for row in rows if row[1] == "mass"} <= {True}
    assert {row[6] == "" for row in rows if row[1] == "spring"} <= {True}
    assert any(row[1] == "mass" for row in rows)
    window.session.choose_neighbour(1)
    assert table.head.text().startswith("Mode 3")
    assert cells(table) != rows


def test_elements_are_masked_marked_and_copied(
    window: MainWindow, table: EnergyTable, qtbot: QtBot
) -> None:
    choose(table.by, 1, qtbot)
    table.least.setValue(0.0)
    answer, index = window.session.answer, window.session.chosen_index
    assert answer is not None
    assert index is not None
    held = answer.modes.held
    every = cells(table)
    assert len(every) == sum(held.element_counts)
    assert sum(float(row[6].removesuffix(" %")) for row in every) == pytest.approx(
        100 * held.element_motion[index].sum(), abs=0.01 * len(every)
    )
    table.least.selectAll()
    qtbot.keyClicks(table.least, "45")
    qtbot.keyClick(table.least, Qt.Key.Key_Return)
    shown = cells(table)
    assert 0 < len(shown) < len(every)
    least = [max(float(cell.removesuffix(" %")) for cell in row[5:]) for row in shown]
    assert min(least) >= 45.0
    assert f"{len(shown)} of {len(every)} elements" in table.foot.text()
    # A chosen one is marked in the picture, and no more when its list goes.
    table.view.setFocus()
    table.view.selectRow(0)
    (spot,) = window.session.pointing.spots
    assert spot in [tuple(row) for row in held.element_centres.tolist()]
    qtbot.keyClick(table.view, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    copied = list(csv.reader(io.StringIO(QGuiApplication.clipboard().text())))
    assert [tuple(row) for row in copied[1:]] == shown
    assert copied[0][2] == "x (mm)"
    qtbot.keyClick(table.view, Qt.Key.Key_Escape)
    assert not table.isVisible()
    assert window.session.pointing.spots == ()


def test_a_chosen_part_is_outlined(window: MainWindow, table: EnergyTable) -> None:
    names = [row[0] for row in cells(table)]
    parts = [row[0] for row in cells(table) if row[1] == "part"]
    table.view.selectRow(names.index(parts[0]))
    assert window.session.parts.lit == {parts[0]}
    table.close()
    assert window.session.parts.lit == frozenset()
