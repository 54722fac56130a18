"""Starts the window, offers back unsaved work, and draws the window without a display."""

from __future__ import annotations

import contextlib
import gc
import os
import signal
import socket
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Final

__all__ = ["draw_picture", "make_application", "run_desk", "wait_for"]

from belltone.drawing.display import prepare_display

if not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")  # Qt reads it when it is loaded
prepare_display()

import threadpoolctl  # noqa: E402
from PySide6.QtCore import (  # noqa: E402
    QSettings,
    QSocketNotifier,
    QTimer,
    QtMsgType,
    qInstallMessageHandler,
)
from PySide6.QtGui import QIcon  # noqa: E402
from PySide6.QtWidgets import QApplication, QWidget  # noqa: E402

from belltone.desk.look import label_font  # noqa: E402
from belltone.desk.session.session import Session  # noqa: E402
from belltone.desk.window import MainWindow  # noqa: E402
from belltone.desk.windows import Windows  # noqa: E402
from belltone.exchange.arriving import kind_of  # noqa: E402
from belltone.sheet.document import read_sheet  # noqa: E402
from belltone.store.failures import error_words  # noqa: E402
from belltone.store.journal import Journal, abandoned  # noqa: E402

_PICTURE_SECONDS: Final = 120.0
_ICON: Final = Path(__file__).resolve().parents[1] / "share" / "icons" / "belltone.svg"


def make_application() -> QApplication:
    """The one application object, with its names and type set when it is made."""
    present = QApplication.instance()
    if isinstance(present, QApplication) and present.applicationName() == "belltone":
        return present
    application = present if isinstance(present, QApplication) else QApplication(sys.argv[:1])
    qInstallMessageHandler(_note_from_qt)
    application.setApplicationName("belltone")
    application.setApplicationDisplayName("")
    application.setOrganizationName("belltone")
    application.setDesktopFileName("org.belltone.BellTone")
    application.setWindowIcon(QIcon(str(_ICON)))
    application.setStyle("Fusion")
    application.setFont(label_font(9))
    # What the window works out itself is small; what is large has processes of its own.
    threadpoolctl.threadpool_limits(1)
    return application


def _note_from_qt(kind: QtMsgType, _context: object, text: str) -> None:
    """Pass on what Qt says, but for what only the absence of a screen makes it say."""
    if not text.startswith("This plugin does not support") and kind != QtMsgType.QtDebugMsg:
        print(f"belltone: {text}", file=sys.stderr)


def run_desk(path: Path | None) -> int:
    """Open the window and run it; raises `SheetError` for a sheet that cannot be opened.

    Any other file somebody sent is told and begun with, as if it were dropped.
    """
    sent = path if path is not None and kind_of(path) is not None else None
    path = path if sent is None else None
    sheet = read_sheet(path) if path is not None else None
    application = make_application()
    code = 0
    windows = Windows()
    with _leaving_on_signals(application, windows) as told:
        window = windows.begin(sheet, path)
        sys.excepthook = failure_hook(windows)
        if not told:
            windows.offer(abandoned())
        if sent is not None:
            QTimer.singleShot(0, window, lambda: window.receive(sent))
        gc.freeze()
        gc.enable()
        if told:
            windows.leave()
        else:
            code = int(application.exec())
    return told[0] if told else code


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


def wait_for(ready: Callable[[], bool], seconds: float = _PICTURE_SECONDS) -> bool:
    """Run the application until ``ready`` or the time is up; returns whether it is ready."""
    application = make_application()
    end = time.monotonic() + seconds
    while not ready():
        if time.monotonic() > end:
            return False
        application.processEvents()
        time.sleep(0.005)
    application.processEvents()
    return True


def draw_picture(
    path: Path,
    picture: Path,
    prepare: Callable[[MainWindow], None] | None = None,
    sweep: bool = True,
) -> None:
    """Open a sheet in the real window, sweep its first knob, and write the window as a PNG.

    Without ``sweep`` the knob is left alone. ``prepare`` may do more by hand first; a table,
    map or speed diagram it opens is what is drawn.
    """
    make_application()
    session = Session(read_sheet(path), path, Journal())
    folder = tempfile.TemporaryDirectory()
    settings = QSettings(f"{folder.name}/settings.ini", QSettings.Format.IniFormat)
    window = MainWindow(session, settings)
    window.show()
    try:
        wait_for(lambda: session.settled)
        if sweep and session.design.knobs:
            window.map.run_or_stop()
            wait_for(
                lambda: (
                    session.tuning.sweep is not None and session.tuning.sweep.intervals is not None
                )
            )
        if prepare is not None:
            prepare(window)
        wait_for(lambda: session.settled)
        wait_for(lambda: window.map.settled)
        wait_for(lambda: False, 0.5)  # the smoothed picture follows a moment after the last move
        shown = window.beside.last or window
        if not shown.grab().save(str(picture)):
            raise OSError(None, "the picture cannot be written", str(picture))
    finally:
        window.may_discard = lambda: True  # type: ignore[method-assign]
        window.close()
        folder.cleanup()
