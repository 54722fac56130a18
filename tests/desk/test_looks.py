"""The component at once, a first look soon, better ones after: what a person sees while waiting."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PySide6.QtCore import QSettings, Qt
from pytestqt.qtbot import QtBot

from belltone.desk.session.session import Session
from belltone.desk.starts import starts
from belltone.desk.window import MainWindow
from belltone.drawing.drawn import DrawnComponent
from belltone.drawing.drawn_walls import DrawnWall, OutlinedWall
from belltone.modes.modeset import ModeSet
from belltone.progress import Progress
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.store.journal import Journal
from belltone.sweep.engine import EngineError
from belltone.tune.questions import find_modes
from tests.desk.conftest import WAIT, NoModels, Recalled, number
from tests.desk.test_walls import at_site

LENGTH = ("parts", "rail", "length")


class Slow:
    """Shows a rough look at once, and keeps the last answer until it is let go."""

    def __init__(self, known: dict[bytes, Any]) -> None:
        self.inner = Recalled(known)
        self.gate = threading.Event()
        self.looks = True
        self.wrong = ""
        self.asked = 0

    def ask(self, question: Callable[..., Any], *arguments: Any, progress: Progress) -> Any:
        if question is not find_modes:
            return self.inner.ask(question, *arguments, progress=progress)
        self.asked += 1
        if self.wrong:
            raise EngineError(self.wrong)
        found = self.inner.ask(question, *arguments, progress=Progress())
        progress.report(1, 0, "look 2, about 3 s: 18000 unknowns")
        if self.looks:
            progress.show(rough(found.modes))
        while not self.gate.wait(0.01):
            progress.check()
        return found

    def close(self) -> None:
        pass


def rough(modes: ModeSet) -> ModeSet:
    """Modes a percent off, and saying so."""
    return replace(
        modes,
        frequencies=1.01 * modes.frequencies,
        errors=0.04 + 0 * modes.errors,
        complete=None,
    )


@pytest.fixture
def slow(known_answers: dict[bytes, Any]) -> Slow:
    return Slow(known_answers)


@pytest.fixture
def waiting(
    qtbot: QtBot, tmp_path: Path, rail_path: Path, slow: Slow
) -> Iterator[Callable[..., MainWindow]]:
    """Opens a window whose answers wait."""
    made: list[MainWindow] = []

    def make(text: str | None = None) -> MainWindow:
        sheet = read_sheet(rail_path) if text is None else Sheet.from_text(text)
        session = Session(sheet, rail_path, Journal(tmp_path / "journal"), (slow, slow, NoModels()))
        settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
        window = MainWindow(session, settings)
        made.append(window)
        window.resize(1280, 800)
        window.show()
        return window

    yield make
    slow.gate.set()
    for window in made:
        window.files.may_discard = lambda: True  # type: ignore[method-assign]
        window.close()
        window.deleteLater()
    qtbot.wait(1)


def test_the_component_is_there_before_any_answer(
    waiting: Callable[..., MainWindow], slow: Slow, qtbot: QtBot
) -> None:
    slow.looks = False
    window = waiting(next(start.text for start in starts() if start.title == "Splash plate"))
    canvas = window.shape.canvas
    qtbot.waitUntil(lambda: canvas._image is not None, timeout=WAIT)
    assert window.session.answer is None
    assert len(canvas.scene.part.points) == 64  # of its rim
    assert window.verdict.head.text() == "Solving …"
    qtbot.waitUntil(lambda: "18000 unknowns" in window.verdict.text.text(), timeout=WAIT)
    # Its sites answer to the mouse already.
    canvas.look("z")
    qtbot.mouseMove(canvas, at_site(window, "plate.east", 0.4))
    assert canvas.hovered == "plate.east"
    slow.gate.set()
    qtbot.waitUntil(lambda: window.session.settled, timeout=WAIT)
    assert window.verdict.stop.isHidden()


def test_a_plate_is_drawn_by_its_rims_before_blocks_are_found() -> None:
    """Its triangles cover what is between outline and holes, and face the way the plate does."""
    design = evaluate(read_sheet(demo_sheet("wear_plate")))
    (plate,) = design.surfaces
    drawn = OutlinedWall(plate)
    corners = drawn.points[drawn.faces[0]]
    crossed = 0.5 * np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    sizes = np.linalg.norm(crossed, axis=1)
    blocks = DrawnComponent(design, None)
    whole = blocks.points[np.concatenate(blocks.parts[plate.name].faces)]
    halves = np.cross(whole[:, 2] - whole[:, 0], whole[:, 3] - whole[:, 1])
    assert sizes.sum() == pytest.approx(0.5 * np.linalg.norm(halves, axis=1).sum(), rel=2e-3)
    assert drawn.normals is not None
    assert np.all(crossed @ drawn.normals[0] > 0)
    assert len(drawn.edges) == 1 + len(plate.shape.holes)
    assert all(line[0] == line[-1] for line in drawn.edges)


def test_pictures_of_a_part_share_its_layout_and_move_by_themselves() -> None:
    family = DesignFamily(read_sheet(demo_sheet("rinsing_bell")))
    (bell,) = family.at().surfaces
    one, two = DrawnWall(bell, None, 0), DrawnWall(bell, None, 0)
    assert one.faces[0] is two.faces[0]
    assert np.array_equal(one.points, two.points)
    at_rest = two.points.copy()
    knob = family.at().knobs["depth"]
    deeper = family.at({"depth": 1.1 * knob.base})
    one.follow(deeper, deeper.surfaces[0])
    assert np.abs(one.points - at_rest).max() > 1e-3
    assert np.array_equal(two.points, at_rest)


def test_the_picture_comes_after_the_cards_and_nothing_is_picked_between(
    waiting: Callable[..., MainWindow], slow: Slow, qtbot: QtBot
) -> None:
    slow.looks = False
    window = waiting()
    canvas = window.shape.canvas
    qtbot.waitUntil(lambda: canvas.at_rest, timeout=WAIT)
    before = canvas._scene.part
    middle = canvas.rect().center()
    window.session.set_value(LENGTH, "3 m")
    assert canvas._scene.part is before
    assert not canvas.at_rest
    qtbot.mouseMove(canvas, middle)
    qtbot.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=middle)
    assert canvas.hovered is None
    qtbot.waitUntil(lambda: canvas._scene.part is not before, timeout=WAIT)
    # Who asks for the scene has that of the design there is.
    before = canvas._scene.part
    window.session.set_value(LENGTH, "2.5 m")
    assert canvas.scene.part is not before
    assert canvas.scene.part.size == pytest.approx(2.5, rel=0.1)


def test_a_component_without_an_answer_is_drawn_all_the_same(
    waiting: Callable[..., MainWindow], slow: Slow, qtbot: QtBot
) -> None:
    slow.wrong = "the joint “a – b” lets “b” swing"
    window = waiting()
    qtbot.waitUntil(lambda: bool(window.session.failure), timeout=WAIT)
    canvas = window.shape.canvas
    assert canvas._image is not None
    assert window.verdict.head.text() == "No answer"
    # What is wrong is mended in sight: the picture follows the sheet.
    before = canvas.scene.part
    window.session.set_value(LENGTH, "3 m")
    assert canvas.scene.part is not before


def test_a_first_look_says_so_and_gives_way_to_the_answer(
    waiting: Callable[..., MainWindow], slow: Slow, qtbot: QtBot
) -> None:
    window = waiting()
    session = window.session
    qtbot.waitUntil(lambda: session.answer is not None, timeout=WAIT)
    assert session.answer is not None
    assert not session.answer.final
    assert not session.settled
    text = window.verdict.text.text()
    assert text.startswith(
        "First look, within 4 %: this may still change (look 2, about 3 s: 18000"
    )
    look = float(session.answer.modes.flexible[2])
    third = session.answer.identities[2]
    session.choose(third)
    drawn = window.shape.canvas.scene.part
    slow.gate.set()
    qtbot.waitUntil(lambda: session.settled, timeout=WAIT)
    assert session.answer.final
    assert "First look" not in window.verdict.text.text()
    # The mode chosen is the same by its shape, and the picture was not built anew.
    assert session.chosen == third
    assert session.chosen_index == session.answer.modes.rigid_count + 2
    assert session.answer.modes.flexible[2] == pytest.approx(look / 1.01)
    assert window.shape.canvas.scene.part is drawn
    assert session.answer.pulls is not None


def test_stop_keeps_what_was_seen(
    waiting: Callable[..., MainWindow], slow: Slow, qtbot: QtBot
) -> None:
    window = waiting()
    qtbot.waitUntil(lambda: window.session.answer is not None, timeout=WAIT)
    assert window.verdict.stop.isVisible()
    qtbot.mouseClick(window.verdict.stop, Qt.MouseButton.LeftButton)
    assert window.session.jobs.state("modes") is None
    assert window.verdict.stop.text() == "Go on"
    assert window.session.answer is not None
    assert "First look, within 4 %" in window.verdict.text.text()
    slow.gate.set()
    qtbot.mouseClick(window.verdict.stop, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.session.settled, timeout=WAIT)
    assert window.session.answer.final
    assert window.verdict.stop.isHidden()


def test_stop_before_anything_was_seen_says_so(
    waiting: Callable[..., MainWindow], slow: Slow, qtbot: QtBot
) -> None:
    slow.looks = False
    window = waiting()
    qtbot.waitUntil(lambda: window.session.jobs.state("modes") is not None, timeout=WAIT)
    window.session.stop_solving()
    assert "stopped before there was anything to see; go on" in window.verdict.text.text()
    # An edit goes on by itself.
    slow.gate.set()
    window.session.set_value(LENGTH, "2.1 m")
    qtbot.waitUntil(lambda: window.session.settled, timeout=WAIT)
    assert window.session.answer is not None
    assert window.verdict.stop.isHidden()


def test_an_edit_does_not_wait_for_what_runs(
    waiting: Callable[..., MainWindow], slow: Slow, qtbot: QtBot
) -> None:
    window = waiting()
    qtbot.waitUntil(lambda: window.session.answer is not None, timeout=WAIT)
    field = number(window, LENGTH)
    field.begin_edit("2.3 m")
    field.commit()
    assert window.session.sheet.content.parts["rail"].length == "2.3 m"  # type: ignore[union-attr]
    qtbot.waitUntil(
        lambda: (
            window.session.answer is not None
            and window.session.answer.sheet.text == window.session.sheet.text
        ),
        timeout=WAIT,
    )
    assert slow.asked == 2
    assert not window.session.answer.final
