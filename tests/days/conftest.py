"""A hand at the real window: it only clicks, drags and types, and everything it does is counted."""

from __future__ import annotations

import gc
import shutil
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, QSettings, Qt, QTimer, QUrl
from PySide6.QtGui import QAction, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QListWidget,
    QMenu,
    QTabWidget,
    QWidget,
)
from pytestqt.qtbot import QtBot

from belltone.desk.application import make_application
from belltone.desk.arrival_dialog import ArrivalDialog
from belltone.desk.cards.card import Card
from belltone.desk.fields import ChoiceWord, LiveNumber
from belltone.desk.session.session import Session
from belltone.desk.starting import load_soon
from belltone.desk.welcome import welcome_page
from belltone.desk.window import MainWindow
from belltone.desk.windows import EMPTY
from belltone.sheet.demo import examples_folder
from belltone.sheet.document import Sheet
from belltone.store.journal import Journal
from tests.desk.conftest import NoModels

WAIT = 300_000  # a search over two knobs beside another test has a part of a processor
LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(scope="session")
def qapp() -> object:
    return make_application()


class Watch(QWidget):
    """Ticks in the window's thread and keeps the longest time between two ticks (s).

    ``own`` is the most the window itself worked between two: what is more it waited for a
    processor, which solvers and other tests have as well.
    """

    def __init__(self) -> None:
        super().__init__()
        self.longest = self.own = 0.0
        self._last, self._worked = time.perf_counter(), time.thread_time()
        self._timer = QTimer(self, interval=5)
        self._timer.timeout.connect(self._tick)
        self._timer.start()

    def _tick(self) -> None:
        now, worked = time.perf_counter(), time.thread_time()
        self.longest = max(self.longest, now - self._last)
        self.own = max(self.own, worked - self._worked)
        self._last, self._worked = now, worked

    def stop(self) -> None:
        self._timer.stop()


@dataclass
class Hand:
    """Does what a person would, and counts it."""

    window: MainWindow
    clicks: int = 0
    keys: int = 0
    begun: float = field(default_factory=time.perf_counter)
    told: list[str] = field(default_factory=list)
    watch: Watch | None = None

    def __post_init__(self) -> None:
        self.window.session.told.connect(self.told.append)

    # -- hands ----------------------------------------------------------------------------------

    def click(self, widget: QWidget, at: QPoint | None = None) -> None:
        """One click; what is not in sight cannot be clicked."""
        assert widget.isVisible(), widget
        assert widget.isEnabled(), widget
        self.clicks += 1
        QTest.mouseClick(widget, LEFT, Qt.KeyboardModifier.NoModifier, at or widget.rect().center())
        QApplication.processEvents()

    def type(self, text: str) -> None:
        """Type into what has the keyboard."""
        for sign in text:
            target = QApplication.focusWidget() or self.window.focusWidget() or self.window
            self.keys += 1
            if sign == "\t":
                QTest.keyClick(target, Qt.Key.Key_Tab)
            elif sign == "\n":
                QTest.keyClick(target, Qt.Key.Key_Return)
            else:
                QTest.keyClicks(target, sign)
            QApplication.processEvents()  # no hand is faster than the window shows what is new

    def shortcut(self, keys: str) -> None:
        """Press a key of a command."""
        self.keys += 1
        actions = [a for a in self.window.findChildren(QAction) if a.shortcut().toString() == keys]
        assert len(actions) == 1, keys
        assert actions[0].isEnabled()
        actions[0].trigger()
        QApplication.processEvents()

    # -- the sheet ------------------------------------------------------------------------------

    def open(self, card: Card) -> None:
        """Open a card by its title, if it is shut."""
        self.window.column._scroll.ensureWidgetVisible(card)
        if not card.is_open:
            self.click(card.head)

    def number(self, *path: str | int) -> LiveNumber:
        """The live number at a path, brought into sight."""
        name = "/".join(str(step) for step in path)
        found = [n for n in self.window.findChildren(LiveNumber, name) if n.isVisible()]
        assert found, name
        self.window.column._scroll.ensureWidgetVisible(found[-1])
        return found[-1]

    def set(self, text: str, *path: str | int) -> None:
        """Click a number and type another one."""
        field = self.number(*path)
        self.click(field)
        assert field.editing
        self.type(text + "\n")
        problems = [
            field.problem for field in self.window.findChildren(LiveNumber) if field.problem
        ]
        assert not problems, problems

    def press(self, where: QWidget, text: str, place: int = 0) -> None:
        """Click a button or link by what it says."""
        found = [
            b for b in where.findChildren(QAbstractButton) if b.text() == text and b.isVisible()
        ]
        assert found, (text, [b.text() for b in where.findChildren(QAbstractButton)])
        self.click(found[place])

    def choose(self, where: QWidget, word: str, option: str, place: int = 0) -> None:
        """Click a word with options, and one of them in the menu that opens."""
        found = [w for w in where.findChildren(ChoiceWord) if w.text() == word and w.isVisible()]
        assert found, (word, [w.text() for w in where.findChildren(ChoiceWord)])
        self._menu(lambda: self.click(found[place]), option)

    def _menu(self, opened: Callable[[], None], option: str) -> None:
        seen: list[str] = []
        end = time.perf_counter() + WAIT / 1000

        def pick() -> None:
            menu = QApplication.activePopupWidget()
            if not isinstance(menu, QMenu):
                if time.perf_counter() < end:
                    QTimer.singleShot(5, self.window, pick)
                return
            for action in menu.actions():
                seen.append(action.text())
                if action.text() == option:
                    self.clicks += 1
                    QTest.mouseClick(menu, LEFT, pos=menu.actionGeometry(action).center())
                    break
            if menu.isVisible():  # not to be clicked on, and nobody else would close it
                seen.clear()
                menu.close()

        QTimer.singleShot(0, self.window, pick)
        opened()
        assert option in seen, (option, seen)
        self.window.activateWindow()  # a desktop gives the keyboard back when a menu is gone
        self.wait(self.window.isActiveWindow)

    def make_knob(self, name: str, *path: str | int) -> None:
        """Turn a number into a knob by the keyboard, and name it."""
        field = self.number(*path)
        field.setFocus(Qt.FocusReason.TabFocusReason)
        self.keys += 1
        QTest.keyClick(field, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
        self.type(name + "\n")
        assert name in self.window.session.design.knobs, self.told

    def begin(self, holder: QListWidget, title: str) -> None:
        """Click an entry of the welcome page."""
        for row in range(holder.count()):
            item = holder.item(row)
            if item.text().split("\n")[0] == title:
                holder.scrollToItem(item)
                self.clicks += 1
                at = holder.visualItemRect(item).center()
                QTest.mouseClick(holder.viewport(), LEFT, pos=at)
                QApplication.processEvents()
                return
        raise AssertionError(title)

    def tab(self, tabs: QTabWidget, name: str) -> None:
        """Click a tab, unless it is in front."""
        place = next(at for at in range(tabs.count()) if tabs.tabText(at) == name)
        if tabs.currentIndex() != place:
            self.click(tabs.tabBar(), tabs.tabBar().tabRect(place).center())

    def choose_part(self, name: str) -> None:
        """Click a part in the list of parts."""
        table = self.window.column.parts.table
        row = self.window.column.parts.names.index(name)
        self.window.column._scroll.ensureWidgetVisible(table)
        self.clicks += 1
        at = table.visualItemRect(table.item(row, 0)).center()
        QTest.mouseClick(table.viewport(), LEFT, pos=at)
        QApplication.processEvents()
        assert self.window.session.parts.chosen == (name,)

    def drop(self, path: Path) -> None:
        """Drop a file onto the window, and begin with what it is said to hold."""
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        none = Qt.KeyboardModifier.NoModifier
        self.window.dropEvent(
            QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, LEFT, none)
        )

        end = time.perf_counter() + WAIT / 1000

        def begin() -> None:
            dialog = QApplication.activeModalWidget()
            ready = isinstance(dialog, ArrivalDialog) and dialog.begin.isEnabled()
            if isinstance(dialog, ArrivalDialog) and ready:
                self.click(dialog.begin)
            elif time.perf_counter() < end:
                QTimer.singleShot(20, self.window, begin)
            elif isinstance(dialog, ArrivalDialog):
                dialog.reject()
                raise AssertionError(("nothing to begin with", dialog.words.text()))

        QTimer.singleShot(0, self.window, begin)

    # -- waiting and telling --------------------------------------------------------------------

    def settle(self) -> None:
        """Wait for the answer about the sheet as it stands."""
        self.wait(lambda: self.window.session.settled)
        assert not self.window.session.failure, self.window.session.failure

    def wait(self, ready: Callable[[], bool]) -> None:
        end = time.perf_counter() + WAIT / 1000
        while not ready():
            assert time.perf_counter() < end, ("waited too long", self.window.verdict.text.text())
            QApplication.processEvents()
            time.sleep(0.01)  # what solves has the same processors

    def count(self) -> str:
        """What the day took."""
        seconds = time.perf_counter() - self.begun
        pause, own = (0.0, 0.0) if self.watch is None else (self.watch.longest, self.watch.own)
        told = f"{self.clicks} clicks, {self.keys} keys, {seconds:.0f} s"
        return f"{told}, longest pause {1e3 * pause:.0f} ms; most work at a time {1e3 * own:.0f} ms"


@pytest.fixture
def hand(
    qapp: object, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> Iterator[Hand]:
    """A window just started, and a hand at it."""
    gc.collect()  # of the tests before
    load_soon()  # as is done while its first page is looked at
    demos = tmp_path / "demos"
    shutil.copytree(examples_folder(), demos)  # opened where they are, results would lie there
    monkeypatch.setattr(welcome_page, "examples_folder", lambda: demos)
    settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
    session = Session(Sheet.from_text(EMPTY), None, Journal(tmp_path / "journal"))
    window = MainWindow(session, settings, welcome=True, painter=NoModels())
    window.show()
    window.raise_()
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    QApplication.sendPostedEvents(None, QEvent.Type.LayoutRequest)
    watch = Watch()
    found = Hand(window)
    found.watch = watch
    yield found
    watch.stop()
    watch.deleteLater()
    window.files.may_discard = lambda: True  # type: ignore[method-assign]
    window.close()
    window.deleteLater()
    qtbot.wait(1)
