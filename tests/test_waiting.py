"""Ctrl+C while something long is under way."""

import os
import signal
import time
from collections.abc import Iterator

import pytest

from belltone.cli.waiting import Interrupted, interrupt, progress_shown
from belltone.progress import Cancelled, undisturbed


@pytest.fixture(autouse=True)
def handled() -> Iterator[None]:
    before = signal.signal(signal.SIGINT, interrupt)
    yield
    signal.signal(signal.SIGINT, before)


def _interrupt() -> None:
    os.kill(os.getpid(), signal.SIGINT)


def test_work_under_way_is_asked_and_not_broken_into() -> None:
    done = []

    def work() -> None:
        with progress_shown("work") as progress:
            _interrupt()
            done.append(progress.cancelled)  # nothing was thrown out of nowhere
            progress.check()
            done.append(False)

    with pytest.raises(Cancelled):
        work()
    assert done == [True]
    assert signal.getitimer(signal.ITIMER_REAL)[0] == 0


def _deaf(times: int, seconds: float = 30.0) -> None:
    with progress_shown("work"):
        for _ in range(times):
            _interrupt()
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            time.sleep(0.01)
        pytest.fail("the work went on")


@pytest.mark.parametrize("times", [1, 2])
def test_work_that_does_not_hear_is_ended_all_the_same(times: int) -> None:
    with pytest.raises(Cancelled):
        _deaf(times)


@pytest.mark.parametrize("times", [1, 2])
def test_a_step_that_must_be_whole_is_done_first(times: int) -> None:
    whole = []

    def work() -> None:
        with progress_shown("work"):
            with undisturbed():
                for _ in range(times):
                    _interrupt()
                time.sleep(0.8)
                whole.append(True)
            time.sleep(30)
            pytest.fail("the work went on")

    with pytest.raises(Cancelled):
        work()
    assert whole == [True]


def test_without_work_it_ends_at_once() -> None:
    with pytest.raises(Interrupted):
        _interrupt()
