"""A process of its own for the questions of one sheet: what asks never stutters, and can stop."""

from __future__ import annotations

import contextlib
import logging
import os
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from typing import Any, Final, Protocol

from belltone.errors import UserError
from belltone.progress import Cancelled, Progress
from belltone.store.failures import fault_of, fault_words
from belltone.sweep.pool import BEHIND, POLL_SECONDS, end_with_owner, forkserver
from belltone.system.factor import solver_name

__all__ = ["Answered", "Engine", "EngineError", "Questions"]

_LOG = logging.getLogger("belltone")

_LOST: Final = "the process that was working on this was lost; change a value or ask again"


_PATIENCE: Final = 0.25  # s
_PATIENT: Final = 10  # how far work that nobody waits for stands back
_LAST_WORDS: Final = ("answer", "error", "fault", "stopped")


class EngineError(UserError):
    """A question that has no answer, in the words of the process that was asked."""


@dataclass(frozen=True)
class Answered:
    """An answer, and what is to be done for it once it is on its way."""

    value: Any
    after: Callable[[], None]


class Questions(Protocol):
    """Where questions are asked."""

    def ask(self, question: Callable[..., Any], *arguments: Any, progress: Progress) -> Any:
        """Call a function of a module with these arguments and ``progress``, and wait for it."""

    def close(self) -> None:
        """Let go of what answers."""


class Engine:
    """Answers one question after another in a process, which keeps what the last ones found.

    A stop is heard where the work looks for one; if that is not at once, the process is ended, and
    another stands ready for the next question. A ``patient`` one leaves the processor to others.
    """

    def __init__(self, patient: bool = False) -> None:
        self._lock = threading.Lock()
        self._patient = patient
        self._closed = False
        self._number = 0
        self._process: BaseProcess | None = None
        # What processes are forked from takes a second or two to load, while nobody waits.
        threading.Thread(target=self._stand_by, name="belltone engine", daemon=True).start()

    def ask(self, question: Callable[..., Any], *arguments: Any, progress: Progress) -> Any:
        """Call a function of a module in the process, with ``progress`` passed on both ways.

        Raises `EngineError` with what the function says of an error, or where the process was
        lost, and ``Cancelled``.
        """
        with self._lock:
            progress.check()
            if self._closed:
                raise Cancelled
            try:
                self._ready()
                self._number += 1
                self._line.send((self._number, question, arguments))
                begun = time.monotonic()
                answer = self._heard(progress)
                _LOG.info("%s took %.2f s", question.__name__, time.monotonic() - begun)
                return answer
            except (EOFError, OSError) as error:
                self._end()
                raise EngineError(_LOST) from error
            except Cancelled:
                if not self._stopped():
                    self._end()
                    self._start()
                raise

    def close(self) -> None:
        """End the process; whoever waits for an answer is to be stopped before."""
        with self._lock:
            self._closed = True
            self._end()

    def _stand_by(self) -> None:
        with self._lock:
            if not self._closed:
                with contextlib.suppress(OSError):  # whoever asks is told
                    self._ready()

    def _ready(self) -> None:
        if self._process is None or not self._process.is_alive():
            self._start()

    def _heard(self, progress: Progress) -> Any:
        while True:
            if not self._line.poll(POLL_SECONDS):
                progress.check()
                continue
            what, *told = self._line.recv()
            if what == "answer":
                return told[0]
            if what == "error":
                raise EngineError(told[0])
            if what == "fault":
                raise EngineError(fault_words(*told))
            if what == "report":
                progress.report(*told)
            elif what == "show":
                progress.show(*told)
            else:
                progress.announce(*told)

    def _stopped(self) -> bool:
        """Ask the process to stop; returns whether it did within its patience."""
        until = time.monotonic() + _PATIENCE
        try:
            self._stop.send(self._number)
            while (left := until - time.monotonic()) > 0:
                if self._line.poll(left) and self._line.recv()[0] in _LAST_WORDS:
                    return True
        except (EOFError, OSError):
            return False
        return False

    def _start(self) -> None:
        context = forkserver()
        # Pipes alone: a program that ends while this starts leaves nothing that would be missed.
        self._line, theirs = context.Pipe()
        hears, self._stop = context.Pipe(duplex=False)
        self._process = context.Process(
            target=_serve,
            args=(theirs, hears, os.getpid(), self._patient),
            name="belltone engine",
            daemon=True,
        )
        self._process.start()
        theirs.close()
        hears.close()

    def _end(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.join()
            self._process.close()
            self._process = None
            self._line.close()
            self._stop.close()


class _Stop:
    """Whether the question being answered is to be stopped, heard down a line of its own."""

    def __init__(self, line: Connection) -> None:
        self._line = line
        self._asked = 0
        self.number = 0

    def asked(self) -> bool:
        """Whether the question of that number, or a later one, is to be stopped."""
        try:
            while self._line.poll():
                self._asked = self._line.recv()
        except (EOFError, OSError):
            return True
        return self._asked >= self.number


def _serve(line: Connection, hears: Connection, owner: int, patient: bool) -> None:
    """Answer what comes down the line until it is closed."""
    end_with_owner(owner)
    os.nice(_PATIENT if patient else BEHIND)
    solver_name()  # loads its library while nobody waits
    stop = _Stop(hears)
    progress = Progress(
        lambda done, total, text: line.send(("report", done, total, text)),
        lambda text: line.send(("announce", text)),
        lambda answer: line.send(("show", answer)),
        stop.asked,
    )
    while True:
        try:
            stop.number, question, arguments = line.recv()
        except (EOFError, OSError):
            return
        after: Callable[[], None] | None = None
        try:
            found = question(*arguments, progress=progress)
            if isinstance(found, Answered):
                found, after = found.value, found.after
            answer: tuple[Any, ...] = ("answer", found)
        except Cancelled:
            answer = ("stopped",)
        except UserError as error:
            answer = ("error", str(error))
        except Exception as error:
            answer = ("fault", *fault_of(error))
        line.send(answer)
        if after is not None:
            after()
