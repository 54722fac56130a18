import threading
import time
from types import SimpleNamespace

import pytest
from PySide6.QtWidgets import QMainWindow
from pytestqt.qtbot import QtBot

from belltone.desk.notices import Notices
from belltone.desk.session import jobs as module
from belltone.desk.session.jobs import Jobs, LaneState
from belltone.desk.session.workplace import Workplace
from belltone.progress import Progress


@pytest.fixture
def jobs(qtbot: QtBot) -> Jobs:
    del qtbot
    return Jobs()


def test_the_newest_request_wins(jobs: Jobs, qtbot: QtBot) -> None:
    gate, started = threading.Event(), threading.Event()
    answers: list[str] = []
    stopped: list[bool] = []

    def slow(progress: Progress) -> str:
        started.set()
        gate.wait(20)
        stopped.append(progress.cancelled)
        return "old"

    jobs.start("lane", slow, answers.append, lambda error: answers.append(str(error)))
    assert started.wait(20)
    jobs.start("lane", lambda _: "new", answers.append, lambda error: answers.append(str(error)))
    gate.set()
    qtbot.waitUntil(lambda: bool(answers))
    qtbot.wait(30)
    assert answers == ["new"]
    assert stopped == [True]
    jobs.close()


def test_failures_and_progress_arrive(jobs: Jobs, qtbot: QtBot) -> None:
    failures: list[Exception] = []
    states: list[LaneState] = []
    gate = threading.Event()

    def work(progress: Progress) -> None:
        progress.report(3, 10, "x")
        gate.wait(20)
        raise ArithmeticError("no")

    def note(lane: str) -> None:
        state = jobs.state(lane)
        if state is not None and state.total:
            states.append(state)
            gate.set()

    jobs.changed.connect(note)
    jobs.start("lane", work, lambda _: None, failures.append)
    qtbot.waitUntil(lambda: bool(failures))
    assert isinstance(failures[0], ArithmeticError)
    assert (states[0].done, states[0].total) == (3, 10)
    assert jobs.state("lane") is None
    jobs.close()


def test_stopping_drops_the_answer(jobs: Jobs, qtbot: QtBot) -> None:
    gate = threading.Event()
    answers: list[object] = []

    def work(progress: Progress) -> str:
        gate.wait(20)
        progress.check()
        return "late"

    jobs.start("lane", work, answers.append, answers.append)
    jobs.stop("lane")
    jobs.stop("lane")
    gate.set()
    jobs.close()
    qtbot.wait(30)
    assert answers == []


def test_time_left_follows_the_pace(monkeypatch: pytest.MonkeyPatch) -> None:
    # Only this module's clock stands still: whoever waits for processes reads the other one.
    monkeypatch.setattr(module, "time", SimpleNamespace(monotonic=lambda: 10.0))
    assert LaneState(5, 20, 0.0).seconds_left == pytest.approx(30.0)
    assert LaneState(0, 20, 0.0).seconds_left is None
    assert LaneState(5, 0, 0.0).seconds_left is None
    assert LaneState(5, 20, 9.95).seconds_left is None


def test_looks_arrive_before_the_answer_and_not_after_a_stop(jobs: Jobs, qtbot: QtBot) -> None:
    gate = threading.Event()
    heard: list[str] = []

    def work(progress: Progress) -> str:
        progress.show("look")
        gate.wait(20)
        return "answer"

    jobs.start("lane", work, heard.append, lambda _: None, heard.append)
    qtbot.waitUntil(lambda: heard == ["look"])
    gate.set()
    qtbot.waitUntil(lambda: heard == ["look", "answer"])
    gate.clear()
    shown = threading.Event()

    def stubborn(progress: Progress) -> str:
        shown.wait(20)
        viewer = progress.viewer
        assert viewer is not None
        viewer("late")
        return "late"

    jobs.start("lane", stubborn, heard.append, lambda _: None, heard.append)
    jobs.stop("lane")
    shown.set()
    qtbot.wait(50)
    assert heard == ["look", "answer"]
    jobs.close()


def test_steps_are_told_in_words(jobs: Jobs, qtbot: QtBot) -> None:
    gate = threading.Event()

    def work(progress: Progress) -> None:
        progress.report(1, 0, "look 2: 18000 unknowns")
        gate.wait(20)

    jobs.start("lane", work, lambda _: None, lambda _: None)

    def told() -> bool:
        state = jobs.state("lane")
        return state is not None and state.step == "look 2: 18000 unknowns"

    qtbot.waitUntil(told)
    gate.set()
    jobs.close()


def test_long_work_is_told_when_nobody_looks(qtbot: QtBot) -> None:
    """Work of ten seconds and more, of a kind somebody waits for, behind another window."""
    now, told = [0.0], []
    window = QMainWindow()
    qtbot.addWidget(window)
    window.setWindowTitle("rail")
    jobs = Jobs(window)
    Notices(jobs, window, lambda head, words: told.append((head, words)), lambda: now[0])
    for lane, seconds in (("sweep", 12.0), ("modes", 2.0), ("contacts", 60.0), ("designs", 11.0)):
        with qtbot.waitSignal(jobs.changed):
            jobs.start(lane, lambda progress: None, lambda answer: None, print)
        now[0] += seconds
        qtbot.waitUntil(lambda lane=lane: jobs.state(lane) is None)  # type: ignore[misc]
    assert told == [("The sweep is done", "rail"), ("The table of designs is done", "rail")]
    jobs.close()


def test_work_under_way_keeps_its_processes_when_others_are_asked_for() -> None:
    place = Workplace()
    with place.processes() as before:
        slow = before.submit(time.sleep, 0.5)
        place.employ(place.count + 1)
        assert not slow.done()  # nothing waited for it
        with place.processes() as after:
            assert after is not before
            assert after.submit(abs, -2).result(60) == 2
        assert before.submit(abs, -1).result(60) == 1
    with pytest.raises(RuntimeError, match="after shutdown"):
        before.submit(abs, -1)
    with place.processes() as again:
        assert again is after
    place.close()
