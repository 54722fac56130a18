"""Starts the window: the page to begin with at once, all else while it is looked at."""

from __future__ import annotations

import contextlib
import gc
import importlib
import signal
import socket
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Final

from belltone.desk.application import make_application  # isort: skip; before Qt is loaded

import threadpoolctl
from PySide6.QtCore import QSettings, QSocketNotifier, QTimer
from PySide6.QtWidgets import QApplication, QWidget

from belltone.desk.opening import Opening
from belltone.store.failures import error_words

if TYPE_CHECKING:
    from belltone.desk.windows import Windows

__all__ = ["failure_hook", "load_soon", "run_desk"]

_SOON: Final = (
    "scipy.linalg",
    "scipy.interpolate",
    "scipy.optimize",
    "scipy.spatial",
    "scipy.sparse.csgraph",
    "meshio",
)


def run_desk(path: Path | None) -> int:
    """Open the window and run it; raises `SheetError` for a sheet that cannot be opened.

    Any other file somebody sent is told and begun with, as if it were dropped.
    """
    application = make_application()
    opening = None
    if path is None:
        opening = Opening(QSettings())
        if not opening.load():
            return 0
    from belltone.desk.windows import Windows
    from belltone.exchange.arriving import kind_of
    from belltone.sheet.document import read_sheet
    from belltone.store.journal import abandoned

    # What the window works out itself is small; what is large has processes of its own.
    threadpoolctl.threadpool_limits(1)
    sent = path if path is not None and kind_of(path) is not None else None
    path = path if sent is None else None
    sheet = read_sheet(path) if path is not None else None
    code = 0
    windows = Windows()
    with _leaving_on_signals(application, windows) as told:
        window = windows.begin(sheet, path)
        sys.excepthook = failure_hook(windows)
        threading.Thread(target=load_soon, name="loading", daemon=True).start()
        if opening is not None:
            opening.hand_over(window)
        if not told:
            windows.offer(abandoned())
        if sent is not None:
            QTimer.singleShot(0, window, lambda: window.files.receive(sent))
        gc.freeze()
        gc.enable()
        if told:
            windows.leave()
        else:
            code = int(application.exec())
    return told[0] if told else code


def load_soon() -> None:
    """Load what the window asks for a little later, so that it does not wait for it then.

    What is loaded by then stays: looking through all of it for what may go takes a fifth of a
    second, in which nothing else is done.
    """
    for name in _SOON:
        importlib.import_module(name)
    threadpoolctl.threadpool_limits(1)  # what has just come with them, too
    gc.freeze()


@contextlib.contextmanager
def _leaving_on_signals(application: QApplication, windows: Windows) -> Iterator[list[int]]:
    """Close the windows in order on Ctrl+C or an end of the session; gives the exit codes told.

    A window that is not shown yet is left alone: who makes it looks at what was told.
    Qt's loop runs no Python by itself, so a byte in a socket wakes it when a signal comes.
    """
    told: list[int] = []
    here, there = socket.socketpair()
    for end in (here, there):
        end.setblocking(False)
    signal.set_wakeup_fd(there.fileno(), warn_on_full_buffer=False)
    awake = QSocketNotifier(here.fileno(), QSocketNotifier.Type.Read, application)

    def woken() -> None:
        with contextlib.suppress(BlockingIOError):
            here.recv(64)

    def leave(number: int, _frame: object) -> None:
        if not told:
            told.append(128 + number)
            windows.leave()
            for shown in filter(QWidget.isVisible, QApplication.topLevelWidgets()):
                shown.close()
            QApplication.exit(told[0])

    awake.activated.connect(woken)
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, leave)
    try:
        yield told
    finally:
        signal.set_wakeup_fd(-1)
        here.close()
        there.close()


def failure_hook(windows: Windows) -> Callable[..., None]:
    """What to do with an error nobody foresaw: log it, say so, and go on; the sheet is safe."""

    def told(_kind: type[BaseException], error: BaseException, _trace: object) -> None:
        words = error_words(error)
        if windows.front is not None:
            windows.front.session.told.emit(words)

    return told
