"""A real window over a session, off screen, with settings and journal of its own."""

from __future__ import annotations

import multiprocessing
import pickle
import re
import shutil
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import QSettings, QTimer
from PySide6.QtGui import QColor, QImage
from PySide6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMessageBox
from pytestqt.qtbot import QtBot

from belltone.desk.application import make_application
from belltone.desk.fields import LiveNumber
from belltone.desk.session.session import Session
from belltone.desk.shape.canvas import ShapeCanvas
from belltone.desk.window import MainWindow
from belltone.drawing.colours import LIGHT
from belltone.drawing.scene import Scene
from belltone.errors import UserError
from belltone.progress import Progress
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.sheet.errors import Path as SheetPath
from belltone.store.journal import Journal
from belltone.sweep.engine import Answered, EngineError

WAIT = 60_000  # a shared machine may be slow; what is waited for takes well below a second


@pytest.fixture(scope="session")
def qapp() -> Iterator[object]:
    """The application, and a drawing surface that stays: the last one takes the driver with it.

    Loading that again takes a third of a second, for every window there is.
    """
    application = make_application()
    kept = Scene(LIGHT)
    kept.draw(8, 8)
    yield application
    kept.close()


@pytest.fixture(scope="session")
def known_answers() -> dict[bytes, Any]:
    """Modes and pulls already found by an earlier test on the very same design."""
    return {}


class Recalled:
    """Answers in this process, and each question once: how they solve is not what is asked here."""

    def __init__(self, known: dict[bytes, Any]) -> None:
        self.known = known

    def ask(self, question: Callable[..., Any], *arguments: Any, progress: Progress) -> Any:
        # Every test has a folder of its own; what is asked is in the text.
        asked = [each for each in arguments if not isinstance(each, Path)]
        key = pickle.dumps((question.__name__, asked))
        if key not in self.known:
            try:
                found = question(*arguments, progress=progress)
                self.known[key] = found.value if isinstance(found, Answered) else found
            except UserError as error:
                raise EngineError(str(error)) from error
        return self.known[key]

    def close(self) -> None:
        pass


class NoModels:
    """Makes none: most tests ask for other things, and models and pictures take long."""

    def ask(self, _question: Callable[..., Any], *_arguments: Any, progress: Progress) -> Any:
        progress.check()
        raise EngineError("models are left out here")

    def close(self) -> None:
        pass


@pytest.fixture(autouse=True)
def _nobody_is_asked(monkeypatch: pytest.MonkeyPatch) -> None:
    """A question that no test answers fails it, and does not wait for ever."""

    def asked(*words: object, **_named: object) -> object:
        told = [word for word in words if isinstance(word, str)]
        raise AssertionError(f"a question nobody answers: {told}")

    for dialog, names in (
        (QInputDialog, ("getText", "getInt", "getItem")),
        (QMessageBox, ("question", "warning", "information", "about")),
        (QFileDialog, ("getOpenFileName", "getSaveFileName")),
    ):
        for name in names:
            monkeypatch.setattr(dialog, name, asked)


@pytest.fixture(autouse=True)
def _nothing_is_left(qapp: QApplication) -> Iterator[None]:
    """A thread, a process, a ticking timer or an open window that outlives a test fails it."""
    threads, processes = set(threading.enumerate()), set(multiprocessing.active_children())
    yield
    left = [own.name for own in threading.enumerate() if own not in threads and not own.daemon]
    assert not left, f"threads left running: {left}"
    extra = [own.name for own in multiprocessing.active_children() if own not in processes]
    assert not extra, f"processes left running: {extra}"
    shown = [own for own in qapp.topLevelWidgets() if own.isVisible()]
    assert not shown, f"windows left open: {shown}"
    ticking = [own for own in qapp.findChildren(QTimer) if own.isActive()]
    assert not ticking, f"timers left ticking: {ticking}"


@pytest.fixture
def smoothing() -> None:
    """For tests that look at smooth edges."""


@pytest.fixture(autouse=True)
def _edges_as_first_drawn(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """A picture at rest is drawn eight times more for its edges, which few tests look at."""
    if "smoothing" not in request.fixturenames:
        monkeypatch.setattr(ShapeCanvas, "_smooth", lambda _canvas: None)


@pytest.fixture
def make_window(
    qtbot: QtBot, tmp_path: Path, known_answers: dict[bytes, Any]
) -> Iterator[Callable[[Path | None], MainWindow]]:
    """Open a window on a sheet file and wait for its modes."""
    windows: list[MainWindow] = []

    def make(
        path: Path | None, text: str = "", models: bool = False, welcome: bool = False
    ) -> MainWindow:
        sheet = read_sheet(path) if path is not None else Sheet.from_text(text)
        engine = Recalled(known_answers)
        engines = (engine, engine, engine if models else NoModels())
        session = Session(sheet, path, Journal(tmp_path / "journal"), engines)
        settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
        settings.setValue("every card open", True)  # the cards' sentences are what most look at
        window = MainWindow(session, settings, welcome, NoModels())
        windows.append(window)
        window.show()
        if not welcome:
            settle(qtbot, window)
        return window

    yield make
    for window in windows:
        window.files.may_discard = lambda: True  # type: ignore[method-assign]
        window.close()
        window.deleteLater()
    qtbot.wait(1)


@pytest.fixture
def window(make_window: Callable[[Path | None], MainWindow], rail_path: Path) -> MainWindow:
    """A window on the demo sheet."""
    return make_window(rail_path)


def roughly(name: str, folder: Path, order: int = 3) -> Path:
    """A copy of a demo on large elements, for tests that ask something else than its answer."""
    for file in demo_sheet(name).parent.glob(f"{name}.*"):
        if file.suffix != ".sqlite":
            shutil.copy(file, folder)
    path = folder / f"{name}.toml"
    fixed = f"[accuracy]\ndivisions = 1\norder = {order}\n"
    path.write_text(re.sub(r"\[accuracy\]\ntarget = .*\n", fixed, path.read_text()))
    return path


def settle(qtbot: QtBot, window: MainWindow) -> None:
    """Wait until every answer about the sheet as it stands is in."""
    qtbot.waitUntil(lambda: window.session.settled, timeout=WAIT)


def drawn(qtbot: QtBot, window: MainWindow) -> None:
    """Wait until the map shows what has changed."""
    qtbot.waitUntil(lambda: window.map.drawn, timeout=WAIT)


def swept(qtbot: QtBot, window: MainWindow, knob: str = "wall", points: int = 7) -> None:
    """Run a sweep from its controls and wait for its clear intervals."""
    window.map.knob.setCurrentText(knob)
    window.map.points.setValue(points)
    window.map.button.click()
    await_clear(qtbot, window)


def await_clear(qtbot: QtBot, window: MainWindow) -> None:
    """Wait for the clear intervals of a sweep under way."""
    qtbot.waitUntil(
        lambda: (
            window.session.tuning.sweep is not None
            and window.session.tuning.sweep.intervals is not None
        ),
        timeout=WAIT,
    )


def number(window: MainWindow, path: SheetPath) -> LiveNumber:
    """The live number of a value."""
    name = "/".join(str(step) for step in path)
    found = window.findChildren(LiveNumber, name)
    assert found, name
    return found[-1]  # one of a card just rebuilt may still await its end


def count_pixels(image: QImage, colour: QColor, tolerance: int = 24) -> int:
    """How many pixels are about of a colour."""
    from typing import cast

    import numpy as np

    image = image.convertToFormat(QImage.Format.Format_RGBX8888)
    data = np.frombuffer(cast(bytes, image.constBits()), np.uint8)
    rows = data.reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width(), :3]
    wanted = np.array([colour.red(), colour.green(), colour.blue()])
    return int((np.abs(rows.astype(int) - wanted).max(axis=2) <= tolerance).sum())
