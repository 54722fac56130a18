"""Anything is found in one box, and everything is explained."""

from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import Qt, QTimer, QUrl
from PySide6.QtGui import QAction, QCursor
from PySide6.QtWidgets import QApplication, QTabWidget, QWidget
from pytestqt.qtbot import QtBot

from belltone.desk.charts.plane_view import PlaneView
from belltone.desk.designs.designs_view import DesignsView
from belltone.desk.finding.find_box import FindBox
from belltone.desk.finding.finds import Find, nearest
from belltone.desk.handing.hand_over_view import HandOverView
from belltone.desk.help.terms import pages, set_term, term_of, terms
from belltone.desk.measuring.measured_view import MeasuredView
from belltone.desk.mode_table import ModeTable
from belltone.desk.proposals.tuning_view import TuningView
from belltone.desk.window import MainWindow
from tests.desk.conftest import number, settle


@given(st.lists(st.text("abc _", max_size=9)), st.text("abc ", max_size=5))
def test_what_is_found_holds_every_word(texts: list[str], typed: str) -> None:
    found = nearest([Find(text, "sort") for text in texts], typed)
    words = typed.split()
    wanted = [t for t in texts if words and all(w in t or w in "sort" for w in words)]
    assert sorted(each.text for each in found) == sorted(wanted)[: len(found)]
    assert len(found) == min(60, len(wanted))


def test_what_begins_so_comes_first() -> None:
    finds = [Find("drive_seat", "site"), Find("seat", "knob"), Find("a seated one", "part")]
    assert [each.text for each in nearest(finds, "seat")] == ["seat", "drive_seat", "a seated one"]
    assert nearest(finds, "sofa") == []


def ask(qtbot: QtBot, window: MainWindow, typed: str, downs: int = 0) -> list[list[str]]:
    """Open the box by its key, type, go down and press Enter; returns what was listed."""
    listed: list[list[str]] = []

    def answer() -> None:
        box = QApplication.activeModalWidget()
        assert isinstance(box, FindBox)
        qtbot.keyClicks(box.typed, typed)
        for row in range(box.list.topLevelItemCount()):
            item = box.list.topLevelItem(row)
            assert item is not None
            listed.append([item.text(column) for column in range(3)])
        for _ in range(downs):
            qtbot.keyClick(box.typed, Qt.Key.Key_Down)
        qtbot.keyClick(box.typed, Qt.Key.Key_Return)
        if box.isVisible():
            box.reject()

    QTimer.singleShot(0, window, answer)
    (action,) = [a for a in window.findChildren(QAction) if a.text() == "&Find anything…"]
    assert action.shortcut().toString() == "Ctrl+F"
    action.trigger()
    return listed


def test_each_sort_of_thing_is_found_and_gone_to(window: MainWindow, qtbot: QtBot) -> None:
    window.column.set_all_open(False)
    assert ask(qtbot, window, "mass drive unit")[0] == ["mass of drive unit", "number", "7.5 kg"]
    assert window.column.hung.is_open
    ask(qtbot, window, "post_at")
    assert window.column.knobs.row("post_at").value is not None
    listed = ask(qtbot, window, "site drive_seat")
    assert listed[0][:2] == ["drive_seat", "site"]
    assert window.session.pointing.site == "drive_seat"
    ask(qtbot, window, "mode 5")
    assert window.session.chosen_mode is not None
    assert window.session.chosen_mode.number == 5
    ask(qtbot, window, "material aluminium wrought")
    assert window.session.sheet.content.parts["rail"].material == "aluminium, wrought"
    settle(qtbot, window)
    assert ask(qtbot, window, "undo")[0][1] == "command"
    assert window.session.sheet.content.parts["rail"].material != "aluminium, wrought"
    settle(qtbot, window)
    assert ask(qtbot, window, "separation margin")[0][1] == "help"
    view = window.help_view()
    assert "stay away from every band" in view.text.toPlainText()
    view.close()
    assert ask(qtbot, window, "zzz") == []


def test_terms_lead_to_terms_that_are_there() -> None:
    assert len(terms()) > 45
    for term in terms().values():
        assert term.see
        assert set(term.see) <= set(terms()), term.name
        assert term.text.endswith(".")
    with pytest.raises(KeyError):
        set_term(QWidget(), "no term at all")


def test_every_panel_is_explained(window: MainWindow, qtbot: QtBot) -> None:
    column = window.column
    panels = (*column.cards, column.knobs, column.parts, window.ruler, window.shape, window.map)
    panels += (window.readout, window.verdict, window.strip)
    assert all(term_of(panel) for panel in panels)
    field = number(window, ("masses", 0, "mass"))
    assert term_of(field) == "hung on it"
    field.setFocus()
    QCursor.setPos(9000, 9000)  # the mouse, which comes first, is on nothing of ours
    window.explain()
    view = window.help_view()
    assert "Mass matters most" in view.text.toPlainText()
    view._follow(QUrl("term:site"))
    assert view.text.toPlainText().startswith("Site")
    qtbot.keyClicks(view.sought, "ghosts")
    assert [view.list.item(row).text() for row in range(view.list.count())] == ["variant"]
    view.close()


@pytest.mark.parametrize(
    ("shown", "kind", "term"),
    [
        ("show_table", ModeTable, "natural frequency"),
        ("show_plane", PlaneView, "map of two knobs"),
        ("show_designs", DesignsView, "table of designs"),
        ("show_tuning", TuningView, "proposal"),
        ("show_measured", MeasuredView, "measured"),
        ("show_handing", HandOverView, "report"),
    ],
)
def test_windows_beside_are_explained_too(
    window: MainWindow, qtbot: QtBot, shown: str, kind: type[QWidget], term: str
) -> None:
    getattr(window, shown)()
    view = window.beside.of(kind)
    assert view is not None
    qtbot.waitUntil(view.isActiveWindow)
    QCursor.setPos(9000, 9000)
    (tabs,) = view.findChildren(QTabWidget)[:1] or (None,)
    (tabs.currentWidget() if tabs is not None else view).setFocus()
    qtbot.keyClick(view, Qt.Key.Key_F1)
    told = window.help_view().text.toPlainText()
    assert told.lower().startswith(term)
    window.help_view().close()
    view.close()


def test_the_manual_is_read_in_the_window(window: MainWindow, qtbot: QtBot) -> None:
    view = window.help_view()
    for title, path in pages().items():
        view.show_page(path)
        assert title in view.text.toPlainText()
    view.close()


def test_the_tour_has_five_steps_and_can_be_left(
    make_window: Callable[..., MainWindow], qtbot: QtBot
) -> None:
    window = make_window(None, "belltone = 1\n" + BAR, welcome=True)
    window.take_tour()
    assert window.tour is not None
    assert not window.welcoming
    seen = []
    for _ in range(5):
        tour = window.tour
        assert tour is not None
        assert window.rect().contains(tour.geometry())
        seen.append(tour._head.text())
        qtbot.mouseClick(tour.next, Qt.MouseButton.LeftButton)
    assert len(set(seen)) == 5
    assert window.tour is None
    settle(qtbot, window)
    window.take_tour()
    assert window.tour is not None
    qtbot.keyClick(window.tour, Qt.Key.Key_Escape)
    assert window.tour is None


BAR = """\
[parts.bar]
kind = "member"
material = "structural steel"
length = "1 m"
section = { shape = "solid round", diameter = "20 mm" }
[[supports]]
site = "bar.start"
hold = "clamped"
"""
