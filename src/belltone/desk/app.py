"""Draws the window without a display."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Final

from belltone.desk.application import make_application  # isort: skip; before Qt is loaded

from PySide6.QtCore import QSettings

from belltone.desk.session.session import Session
from belltone.desk.window import MainWindow
from belltone.sheet.document import read_sheet
from belltone.store.journal import Journal

__all__ = ["draw_picture", "wait_for"]

_PICTURE_SECONDS: Final = 120.0


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
        window.files.may_discard = lambda: True  # type: ignore[method-assign]
        window.close()
        folder.cleanup()
