"""Tables of designs in the real window."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QImage
from pytestqt.qtbot import QtBot

from belltone.desk.designs.designs_view import DesignsView
from belltone.desk.pictures import write_chart
from belltone.desk.window import MainWindow
from belltone.exchange.workbooks import read_table
from belltone.modes.solve import request_for, solve
from belltone.reading.family import evaluate
from tests.desk.conftest import WAIT, settle


@pytest.fixture
def looked_at(window: MainWindow, qtbot: QtBot) -> DesignsView:
    """Three walls by two posts, looked at."""
    window.show_designs()
    view = window.beside.of(DesignsView)
    assert view is not None
    view.form.tick("wall", "2 mm, 3 mm, 5 mm")
    view.form.tick("post_at", "1.4 m, 1.6 m")
    assert view.cost.text().startswith("6 designs, about ")
    assert view.cost.text().endswith(" MB")
    qtbot.mouseClick(view.run, Qt.MouseButton.LeftButton)
    assert view.run.text() == "Stop"
    qtbot.waitUntil(lambda: not window.session.surveys.running, timeout=WAIT)
    assert window.session.surveys.failure == ""
    return view


def test_a_table_is_sorted_filtered_copied_and_written(
    looked_at: DesignsView, window: MainWindow, tmp_path: Path
) -> None:
    found = window.session.surveys.found
    assert found is not None
    table, view = found.table, looked_at
    assert [row[:2] for row in table.rows] == [
        (wall, post) for wall in (2.0, 3.0, 5.0) for post in (1.4, 1.6)
    ]
    assert "designs solved; largest error" in view.words.text()
    heads = list(table.heads)
    column = heads.index("mass (kg)")
    view.list.sortByColumn(column, Qt.SortOrder.DescendingOrder)
    masses = [table.rows[row][column] for row in view.list.rows]
    assert masses == sorted(masses, reverse=True)  # type: ignore[type-var]
    view.filter.setText("wall < 4, post_at = 1.6 m")
    assert view.list.rows == [3, 1]
    view.copy.click()
    copied = QGuiApplication.clipboard().text().splitlines()
    assert copied[0].split("\t") == heads
    assert [line.split("\t")[:2] for line in copied[1:]] == [["3", "1.6"], ["2", "1.6"]]
    for name in ("designs.csv", "designs.xlsx"):
        view.write_table(tmp_path / name)
        rows = read_table(tmp_path / name)
        assert [str(head) for head in rows[0]][:2] == ["wall (mm)", "post_at (m)"]
        assert [[float(cell) for cell in row[:2]] for row in rows[1:]] == [[3, 1.6], [2, 1.6]]
    view.filter.setText("wal < 4")
    assert sorted(view.list.rows) == [0, 1, 2, 3]
    view.filter.setText("colour < 4")
    assert "“colour” is nothing that is told" in view.words.text()
    view.filter.setText("")
    assert len(view.list.rows) == 6
    view.close()


def test_a_table_follows_the_units_chosen(looked_at: DesignsView, window: MainWindow) -> None:
    view, found = looked_at, window.session.surveys.found
    assert found is not None
    column = list(found.table.heads).index("mass (kg)")
    window.session.edit("in lb", lambda now: now.with_value(("shown_in", "mass"), "lb"))
    window.session.edit("per minute", lambda now: now.with_value(("shown_in", "frequency"), "rpm"))
    heads, first = (line.split("\t") for line in view.list.copied().splitlines()[:2])
    kilograms, hertz = found.table.rows[0][column], found.table.rows[0][2]
    assert isinstance(kilograms, float)
    assert isinstance(hertz, float)
    assert heads[column] == "mass (lb)"
    assert float(first[column]) == pytest.approx(kilograms / 0.45359237, rel=1e-5)
    assert float(first[2]) == pytest.approx(60 * hertz, rel=1e-5)
    assert view.chart.plot.getAxis("left").labelText == "frequency (rpm)"
    # What is kept is asked in the unit that is read.
    view.filter.setText(f"mass < {kilograms / 0.45359237 + 1e-6:.8g}")
    assert 0 in view.list.rows
    view.filter.setText(f"mass < {kilograms + 1e-6:.8g}")
    assert view.list.rows == []


def test_a_row_is_shown_at_once_and_written_only_when_it_is_gone_to(
    looked_at: DesignsView, window: MainWindow, qtbot: QtBot
) -> None:
    session, view = window.session, looked_at
    before, steps = session.sheet.text, len(session.history.past)
    answer = session.answer
    view.list.setFocus()
    view.list.choose(5)
    # The modes of the row are there before anything is solved again.
    assert session.answer is not None
    assert session.answer is not answer
    assert session.design.knobs["wall"].value == 5
    found = session.surveys.found
    assert found is not None
    there = found.survey.sets[5]
    assert there is not None
    assert session.answer.modes.flexible[0] == pytest.approx(there.flexible[0])
    assert not session.modified
    settle(qtbot, window)
    design = evaluate(session.sheet)
    exact, shown = solve(design, request_for(design)).modes, session.answer
    assert shown.final
    away = np.abs(shown.modes.flexible / exact.flexible - 1)
    assert np.all(away <= shown.modes.errors + exact.errors)
    assert view.back.isEnabled()
    qtbot.mouseClick(view.back, Qt.MouseButton.LeftButton)
    assert session.sheet.text == before
    assert session.answer is answer
    view.list.choose(4)
    qtbot.keyClick(view.list, Qt.Key.Key_Return)
    assert len(session.history.past) == steps + 1
    assert session.design.knobs["wall"].value == 5
    assert session.design.knobs["post_at"].value == 1.4
    assert "older" not in view.words.text()
    session.undo()
    assert session.sheet.text == before
    session.set_value(("parts", "rail", "length"), "2.3 m")
    assert "older sheet" in view.words.text()
    settle(qtbot, window)
    view.close()


def test_closing_or_saving_gives_up_what_was_only_tried(
    looked_at: DesignsView, window: MainWindow, rail_path: Path, qtbot: QtBot
) -> None:
    session, before = window.session, rail_path.read_text()
    looked_at.list.choose(5)
    assert session.trying
    assert window.files.save()
    assert rail_path.read_text() == before
    assert not session.trying
    looked_at.list.choose(4)
    assert session.trying
    qtbot.keyClick(looked_at, Qt.Key.Key_Escape)
    assert not session.trying
    assert session.sheet.text == before
    settle(qtbot, window)


def test_a_chart_has_a_second_axis_and_becomes_a_picture(
    looked_at: DesignsView, window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    chart = looked_at.chart
    chart.right.setCurrentText("mass (kg)")
    axis = chart.plot.getPlotItem().getAxis("right")
    assert axis.isVisible()
    assert axis.labelText == "mass (kg)"
    low, high = chart.beside.viewRange()[1]
    found = window.session.surveys.found
    assert found is not None
    at = list(found.table.heads).index("mass (kg)")
    masses = [row[at] for row in found.table.rows]
    assert low < min(masses) < max(masses) < high  # type: ignore[type-var, operator]
    write_chart(chart.plot, tmp_path / "chart.svg")
    drawing = (tmp_path / "chart.svg").read_text()
    assert "<svg" in drawing
    assert "mass (kg)" in drawing
    write_chart(chart.plot, tmp_path / "chart.png")
    picture = QImage(str(tmp_path / "chart.png"))
    assert picture.width() == 2 * chart.plot.viewport().width()
    with pytest.raises(OSError, match="there is no folder"):
        write_chart(chart.plot, tmp_path / "nowhere" / "chart.svg")
    # A dot is its design.
    chart.row_chosen.emit(3)
    assert looked_at.list.chosen == [3]
    settle(qtbot, window)
    looked_at.close()


def test_designs_are_typed_and_one_that_fails_says_why(
    make_window: Callable[..., MainWindow], rail_path: Path, qtbot: QtBot
) -> None:
    window = make_window(rail_path)
    window.show_designs()
    view = window.beside.of(DesignsView)
    assert view is not None
    view.form.how.setCurrentText("a table of designs")
    assert "type or paste a table" in view.cost.text()
    assert not view.run.isEnabled()
    view.form.text.setPlainText("wall\tparts.rail.material\n2 mm\tstructural steel\nthick\tbrass")
    assert "row 3 of the table" in view.cost.text()
    view.form.text.setPlainText(
        "wall;parts.rail.material\n2 mm;structural steel\n4 mm;chewing gum\n3;aluminium, wrought"
    )
    assert view.cost.text().startswith("3 designs")
    view.run.click()
    qtbot.waitUntil(lambda: not window.session.surveys.running, timeout=WAIT)
    assert "1 without an answer" in view.words.text()
    before = window.session.sheet.text
    view.list.choose(1)
    assert "no material “chewing gum”" in view.words.text()
    assert window.session.sheet.text == before
    view.list.choose(2)
    assert window.session.sheet.content.parts["rail"].material == "aluminium, wrought"  # type: ignore[union-attr]
    settle(qtbot, window)
    view.close()


def test_what_keeps_a_plan_from_being_run_is_said(window: MainWindow, qtbot: QtBot) -> None:
    window.show_designs()
    view = window.beside.of(DesignsView)
    assert view is not None
    form, place = view.form, window.session.workplace
    form.tick("wall", "2 mm : 1 mm : 5")
    assert "must end above its start" in view.cost.text()
    form.tick("wall", "2 mm : 5 mm : 5")
    form.how.setCurrentText("in step")
    assert "tick two knobs" in view.cost.text()
    form.tick("post_at", "1.4 m : 1.5 m : 4")
    assert "as many values each" in view.cost.text()
    form.tick("post_at", "1.4 m : 1.5 m : 5")
    assert view.cost.text().startswith("5 designs")
    place.employ(place.count, "no-such-place")
    view.run.click()
    qtbot.waitUntil(lambda: not window.session.surveys.running, timeout=WAIT)
    assert "no scheduler answers at “no-such-place”" in view.words.text()
    place.employ(1)
    view.run.click()
    view.run.click()
    assert not window.session.surveys.running
    assert place.words == "1 process here"
    form.how.setCurrentText("every combination")
    form.tick("wall", "2 mm : 5 mm : 2001")
    form.tick("post_at", "1.4 m : 1.5 m : 2001")
    assert "take fewer" in view.cost.text()
    view.close()


def test_stress_stands_beside_frequency_up_to_buckling(
    make_window: Callable[..., MainWindow], qtbot: QtBot
) -> None:
    """A rail held at both ends and warmed: its stress is E·alpha·T, and it buckles."""
    text = """\
belltone = 1
title = ""

[knobs]
warm = { value = "20 K", from = "0 K", to = "120 K" }

[parts.bar]
kind = "member"
material = "structural steel"
length = "1 m"
section = { shape = "solid rectangle", width = "30 mm", height = "20 mm" }

[[supports]]
site = "bar.start"
hold = "clamped"

[[supports]]
site = "bar.end"
hold = "clamped"

[[preload.warmths]]
part = "bar"
change = "warm"

[modes]
count = 3
"""
    window = make_window(None, text)
    window.show_designs()
    view = window.beside.of(DesignsView)
    assert view is not None
    for action in view.outputs.menu().actions():
        action.setChecked(action.text() in ("axial stress", "buckling"))
    assert not view.exact.isEnabled()
    view.form.tick("warm", "10 K, 50 K, 100 K, 150 K")
    view.run.click()
    qtbot.waitUntil(lambda: not window.session.surveys.running, timeout=WAIT)
    found = window.session.surveys.found
    assert found is not None
    at = list(found.table.heads).index("largest axial stress (MPa)")
    design = evaluate(found.survey.sheet)
    assert design.member is not None
    material = design.member.material
    for row in found.table.rows[:3]:
        warm = row[0]
        assert isinstance(warm, float)
        expected = -material.youngs_modulus * material.expansion * warm / 1e6
        assert row[at] == pytest.approx(expected, rel=1e-3)
    # Clamped at both ends it buckles at 4 pi^2 E I / l^2, less a little for shear.
    critical = 4 * math.pi**2 * 0.02**2 / 12 / material.expansion
    assert 100 < critical < 150
    factor = list(found.table.heads).index("buckling factor")
    for row in found.table.rows[:3]:
        assert row[factor] * row[0] == pytest.approx(critical, rel=0.01)  # type: ignore[operator]
    first = [row[1] for row in found.table.rows[:3]]
    assert first == sorted(first, reverse=True)  # type: ignore[type-var]
    assert list(found.survey.failures) == [3]
    assert "buckle" in str(found.table.rows[3][-1])
    chart = view.chart
    chart.right.setCurrentText("largest axial stress (MPa)")
    assert chart.plot.getPlotItem().getAxis("right").isVisible()
    settle(qtbot, window)
    view.close()
