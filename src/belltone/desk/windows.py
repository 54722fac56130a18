"""The windows that are open: each has a sheet of its own."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Final

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QApplication

from belltone.desk.recovery import RecoveryDialog
from belltone.desk.session.session import Session
from belltone.desk.themes import palette_for
from belltone.desk.window import MainWindow
from belltone.drawing.colours import LIGHT
from belltone.files import same_file
from belltone.sheet.document import Sheet
from belltone.sheet.errors import SheetError
from belltone.store.journal import Journal, Unsaved

__all__ = ["EMPTY", "Windows"]

EMPTY: Final = """\
belltone = 1
title = ""

[parts.bar]
kind = "member"
material = "structural steel"
length = "500 mm"
section = { shape = "solid rectangle", width = "40 mm", height = "20 mm" }

[[supports]]
site = "bar.start"
hold = "clamped"

[excitation]
margin = "10 %"

[accuracy]
target = "0.5 %"
"""
"""What a window holds behind the welcome page, until something is begun with."""


MakeWindow = Callable[[Sheet, Path | None, bool], MainWindow]


def _new_window(sheet: Sheet, path: Path | None, welcome: bool) -> MainWindow:
    return MainWindow(Session(sheet, path, Journal()), welcome=welcome)


class Windows(QObject):
    """Opens windows, keeps them, and closes all of them."""

    def __init__(self, make: MakeWindow | None = None) -> None:
        super().__init__()
        self._make = make or _new_window
        self.open: list[MainWindow] = []

    def begin(self, sheet: Sheet | None = None, path: Path | None = None) -> MainWindow:
        """Show one more window, on a sheet or on the page of what can be begun with."""
        window = self._make(sheet or Sheet.from_text(EMPTY), path, sheet is None)
        window.another_asked.connect(lambda asked: self.begin())
        window.quit_asked.connect(self.close_all)
        window.files.elsewhere = lambda asked: self._bring(asked, window)
        window.closed.connect(lambda: self._forget(window))
        self.open.append(window)
        if path is not None:
            window.files.remember(path)
        if len(self.open) > 1:
            window.move(self.open[-2].pos().x() + 36, self.open[-2].pos().y() + 36)
        window.show()
        return window

    @property
    def front(self) -> MainWindow | None:
        """The window in front, or the one opened last."""
        active = QApplication.activeWindow()
        if isinstance(active, MainWindow):
            return active
        return self.open[-1] if self.open else None

    def _bring(self, path: Path, asking: MainWindow) -> bool:
        """Bring the other window that has a sheet open to the front, if one has."""
        for window in self.open:
            own = window.session.path
            if window is not asking and own is not None and same_file(own, path):
                window.show()
                window.raise_()
                window.activateWindow()
                window.session.told.emit(f"“{path.name}” is open in this window already")
                return True
        return False

    def close_all(self) -> None:
        """Close every window; one whose work is not to be left stops that."""
        for window in reversed(list(self.open)):
            if not window.close():
                return

    def leave(self) -> None:
        """Close every window without a question; unsaved changes are kept safe."""
        for window in list(self.open):
            window.leave()

    def offer(self, left: list[Unsaved]) -> None:
        """Offer back what an earlier run left unsaved; what is not wanted stays for later."""
        if left:
            front = self.front
            theme = LIGHT if front is None else palette_for(front.theme)
            dialog = RecoveryDialog(left, self._recover, front, theme)
            dialog.exec()
            dialog.deleteLater()

    def _recover(self, unsaved: Unsaved) -> bool:
        front = self.front
        window = front if front is not None and front.untouched else self.begin()
        try:
            window.session.open_text(unsaved.text, unsaved.sheet_path, unsaved.variants)
        except SheetError as error:
            window.files.tell_wrong(unsaved.sheet_path or unsaved.file, error)
            return False
        return True

    def _forget(self, window: MainWindow) -> None:
        if window in self.open:
            self.open.remove(window)
            window.deleteLater()
