"""Whatever is pressed, typed and turned, and in whatever order: no traceback comes of it."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import settings
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QMenu,
    QMessageBox,
    QWidget,
)
from pytestqt.qtbot import QtBot
from shiboken6 import isValid

from belltone.desk.window import MainWindow
from tests.desk.conftest import roughly

STEPS = 30
SEEDS = range(max(settings.default.max_examples // 50, 1))  # thousands of steps with `make fuzz`
TYPED = ("3 mm", "-2 mm", "0", "30 deg", "1e3 Hz", "no number", "wall * 2", "2.5 mm", "")
LEAVES = ("Quit", "Close", "Another window")
KEYS = (
    Qt.Key.Key_Tab, Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Space, Qt.Key.Key_Up,
    Qt.Key.Key_Down, Qt.Key.Key_Delete, Qt.Key.Key_Home, Qt.Key.Key_PageDown,
)  # fmt: skip
NO_KEYS = Qt.KeyboardModifier.NoModifier
LEFT = Qt.MouseButton.LeftButton


class Hand:
    """Does one thing after the other to a window, the same ones for the same seed."""

    def __init__(self, window: MainWindow, seed: int) -> None:
        self.window, self.chance = window, random.Random(seed)
        self.done: list[str] = []
        self._impatience = QTimer(interval=30)
        self._impatience.timeout.connect(self._leave_what_waits)
        self._impatience.start()

    def act(self) -> None:
        kinds = (self.command, self.press, self.press, self.write, self.choose, self.drag, self.key)
        self.chance.choice(kinds)()

    def stop(self) -> None:
        self._impatience.stop()

    def command(self) -> None:
        menus = self.window.menuBar().findChildren(QMenu)
        commands = [action for menu in menus for action in menu.actions() if self._is_safe(action)]
        chosen = self.chance.choice(commands)
        self.done.append(f"command {chosen.text()}")
        chosen.trigger()

    def press(self) -> None:
        widget, place = self._any(QAbstractButton if self.chance.random() < 0.5 else QWidget)
        QTest.mouseClick(widget, LEFT, NO_KEYS, place)

    def write(self) -> None:
        field, _ = self._any(QLineEdit)
        field.setFocus()
        if isinstance(field, QLineEdit):
            field.selectAll()
            QTest.keyClicks(field, self.chance.choice(TYPED))
        if isValid(field):
            QTest.keyClick(field, self.chance.choice(KEYS))

    def choose(self) -> None:
        box, _ = self._any(QComboBox)
        if isinstance(box, QComboBox) and box.count():
            box.setCurrentIndex(self.chance.randrange(box.count()))
            box.activated.emit(box.currentIndex())

    def drag(self) -> None:
        widget, start = self._any(QWidget)
        stop = start + QPoint(self.chance.randrange(-40, 40), self.chance.randrange(-20, 20))
        QTest.mousePress(widget, LEFT, NO_KEYS, start)
        if isValid(widget):  # a menu it opened may have taken it away
            QTest.mouseMove(widget, stop)
            QTest.mouseRelease(widget, LEFT, NO_KEYS, stop)

    def key(self) -> None:
        widget, _ = self._any(QWidget)
        QTest.keyClick(widget, self.chance.choice(KEYS))

    def _any(self, kind: type[QWidget]) -> tuple[QWidget, QPoint]:
        """A widget of a window that is open, and a place in it."""
        windows = [own for own in QApplication.topLevelWidgets() if own.isVisible()]
        among = self.chance.choice([own for own in windows if not isinstance(own, QMenu)])
        shown = [own for own in among.findChildren(kind) if own.isVisible() and own.isEnabled()]
        widget = self.chance.choice(shown or [among])
        size = widget.size()
        place = (self.chance.randrange(max(side, 1)) for side in (size.width(), size.height()))
        self.done.append(f"{type(widget).__name__} “{widget.accessibleName()}”")
        return widget, QPoint(*place)

    def _is_safe(self, action: QAction) -> bool:
        text = action.text().replace("&", "")
        leaves = any(word in text for word in LEAVES)
        return action.isEnabled() and not action.isSeparator() and not (action.menu() or leaves)

    def _leave_what_waits(self) -> None:
        """Take one of what a menu offers, and give up what a dialog asks."""
        menu, dialog = QApplication.activePopupWidget(), QApplication.activeModalWidget()
        if isinstance(menu, QMenu):
            offered = [action for action in menu.actions() if self._is_safe(action)]
            menu.close()
            if offered:
                self.done.append(f"menu {(chosen := self.chance.choice(offered)).text()}")
                chosen.trigger()
        elif menu is not None:
            menu.close()
        elif isinstance(dialog, QDialog):
            dialog.reject()


@pytest.fixture
def _any_answer(monkeypatch: pytest.MonkeyPatch) -> None:
    """Questions are answered, and files are not chosen."""
    buttons = QMessageBox.StandardButton
    monkeypatch.setattr(QMessageBox, "question", lambda *_, **__: buttons.Discard)
    for name in ("warning", "information", "about"):
        monkeypatch.setattr(QMessageBox, name, lambda *_, **__: buttons.Ok)
    for name in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *_, **__: ("", ""))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("a name", True))
    monkeypatch.setattr(QInputDialog, "getInt", lambda *_, **__: (2, True))
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_, **__: ("", False))


@pytest.fixture
def hand_on(
    make_window: Callable[[Path | None], MainWindow], tmp_path: Path
) -> Iterator[Callable[[str, int], Hand]]:
    hands: list[Hand] = []

    def lay(demo: str, seed: int) -> Hand:
        hands.append(Hand(make_window(roughly(demo, tmp_path)), seed))
        return hands[-1]

    yield lay
    for hand in hands:
        hand.stop()


@pytest.mark.fuzz
@pytest.mark.usefixtures("_any_answer")
@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("demo", ["infeed_rail", "pump_cover"])
def test_nothing_a_hand_does_breaks_the_window(
    hand_on: Callable[[str, int], Hand], qtbot: QtBot, demo: str, seed: int
) -> None:
    """What goes wrong in a slot or an event fails the test; what was done before is printed."""
    hand = hand_on(demo, seed)
    for _ in range(STEPS):
        hand.act()
        qtbot.wait(hand.chance.choice((0, 0, 20, 100)))
    print("\n".join(hand.done))
    assert hand.window.isVisible()
    assert hand.window.session.sheet.content.parts
