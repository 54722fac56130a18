"""Work off the window's thread: a lane for each kind of work, the newest request wins."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import Any

from PySide6.QtCore import QObject, Signal

from belltone.progress import Cancelled, Progress

__all__ = ["Jobs", "LaneState"]


@dataclass(frozen=True)
class LaneState:
    """How far the work in a lane is; ``total`` 0 means that nobody can tell.

    ``step`` says what is under way, ``text`` how large it is, where it takes long.
    """

    done: int
    total: int
    started: float
    step: str = ""
    text: str = ""

    @property
    def seconds_left(self) -> float | None:
        """Time left at the pace so far, or ``None`` when it cannot be told yet."""
        spent = time.monotonic() - self.started
        if self.total <= 0 or self.done <= 0 or spent < 0.2:
            return None
        return spent * (self.total - self.done) / self.done


@dataclass(frozen=True)
class _Ticket:
    lane: str
    number: int
    progress: Progress
    finish: Callable[[Any], None]
    fail: Callable[[Exception], None]
    look: Callable[[Any], None] | None


class Jobs(QObject):
    """Runs functions in threads; answers arrive in the window's thread, stale ones never."""

    changed = Signal(str)
    _answered = Signal(object, object, object)
    _reported = Signal(object, int, int, str)
    _announced = Signal(object, str)
    _shown = Signal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._threads: dict[str, ThreadPoolExecutor] = {}
        self._current: dict[str, _Ticket] = {}
        self._states: dict[str, LaneState] = {}
        self._numbers = 0
        self._answered.connect(self._deliver)
        self._reported.connect(self._note)
        self._announced.connect(self._hear)
        self._shown.connect(self._show)

    def start(
        self,
        lane: str,
        work: Callable[[Progress], Any],
        finish: Callable[[Any], None],
        fail: Callable[[Exception], None],
        look: Callable[[Any], None] | None = None,
    ) -> None:
        """Run ``work`` in a lane; whatever ran there is stopped and its answer dropped.

        ``look`` takes answers that come before the last.
        """
        self.stop(lane)
        self._numbers += 1
        number = self._numbers
        progress = Progress(
            lambda done, total, text: self._reported.emit(number, done, total, text),
            lambda text: self._announced.emit(number, text),
            None if look is None else lambda answer: self._shown.emit(number, answer),
        )
        ticket = _Ticket(lane, number, progress, finish, fail, look)
        self._current[lane] = ticket
        self._states[lane] = LaneState(0, 0, time.monotonic())
        threads = self._threads.setdefault(lane, ThreadPoolExecutor(1, thread_name_prefix=lane))
        threads.submit(self._run, ticket, work)
        self.changed.emit(lane)

    def stop(self, lane: str) -> None:
        """Stop what runs in a lane, if anything does."""
        ticket = self._current.pop(lane, None)
        if ticket is not None:
            ticket.progress.cancel()
            self._states.pop(lane, None)
            self.changed.emit(lane)

    def state(self, lane: str) -> LaneState | None:
        """How far the lane's work is, or ``None`` when it is idle."""
        return self._states.get(lane)

    def close(self, wait: bool = True) -> None:
        """Stop everything, and ``wait`` for the threads; else they end when they hear of it."""
        for lane in list(self._current):
            self.stop(lane)
        for threads in self._threads.values():
            threads.shutdown(wait=wait, cancel_futures=True)
        self._threads.clear()

    def _run(self, ticket: _Ticket, work: Callable[[Progress], Any]) -> None:
        try:
            ticket.progress.check()
            answer = work(ticket.progress)
        except Cancelled:
            return
        except Exception as error:
            self._answered.emit(ticket, None, error)
        else:
            self._answered.emit(ticket, answer, None)

    def _deliver(self, ticket: _Ticket, answer: object, error: Exception | None) -> None:
        if self._current.get(ticket.lane) is not ticket:
            return  # a newer request has taken its place
        del self._current[ticket.lane]
        self._states.pop(ticket.lane, None)
        if error is None:
            ticket.finish(answer)
        else:
            ticket.fail(error)
        self.changed.emit(ticket.lane)

    def _note(self, number: int, done: int, total: int, step: str) -> None:
        for lane, ticket in self._current.items():
            if ticket.number == number:
                state = self._states[lane]
                self._states[lane] = replace(state, done=done, total=total, step=step)
                self.changed.emit(lane)

    def _show(self, number: int, answer: object) -> None:
        ticket = next((each for each in self._current.values() if each.number == number), None)
        if ticket is not None and ticket.look is not None:
            ticket.look(answer)

    def _hear(self, number: int, text: str) -> None:
        for lane, ticket in self._current.items():
            if ticket.number == number:
                self._states[lane] = replace(self._states[lane], text=text)
                self.changed.emit(lane)
