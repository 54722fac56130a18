"""Worker processes: starting them, waiting for what they do, and hearing of a stop meanwhile."""

from __future__ import annotations

import ctypes
import itertools
import multiprocessing
import multiprocessing.forkserver
import multiprocessing.resource_tracker
import os
import select
import signal
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import BrokenExecutor, Future, ProcessPoolExecutor, wait
from functools import partial
from multiprocessing.context import ForkServerContext
from typing import Any, Final

from belltone.errors import UserError
from belltone.progress import Progress, undisturbed
from belltone.sweep.stopping import give_up, listening, stopped_by
from belltone.system.threads import take_one_thread

__all__ = [
    "BEHIND",
    "LOST_WORKER",
    "POLL_SECONDS",
    "SweepError",
    "end_with_owner",
    "forkserver",
    "results_of",
    "start_workers",
]

LOST_WORKER: Final = (
    "a worker process was lost; the finished points are kept, so run the sweep again"
)
BEHIND: Final = 3
"""How far workers stand back, so that a window stays quick while they fill the processors."""
POLL_SECONDS: Final = 0.1  # how soon a stop is heard
_SLOTS: Final = 1024  # more than calls are ever under way at a time
_WORK: Final = ("belltone.sweep.work", "belltone.tune.questions", "scipy.linalg", "scipy.spatial")


class SweepError(UserError):
    """A sweep that could not be carried through."""


class _Pool(ProcessPoolExecutor):
    """Starts workers as points come; one that is half started would be missed at the end.

    Calls are numbered, and the numbers of those that are to stop stand in memory all share.
    """

    def __init__(self, count: int) -> None:
        context = forkserver()
        self._stopped = context.RawArray(ctypes.c_uint64, _SLOTS)
        self._numbers = itertools.count(1)
        prepared = partial(_prepared, os.getpid(), self._stopped)
        super().__init__(count, mp_context=context, initializer=prepared)

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        """Call a function of a module in one of the processes."""
        number = next(self._numbers)
        with undisturbed():
            future = super().submit(_numbered, number, fn, args, kwargs)
        stopped_by(future, lambda: self._stop(number))
        return future

    def _stop(self, number: int) -> None:
        self._stopped[number % _SLOTS] = number


def start_workers(count: int | None = None) -> ProcessPoolExecutor:
    """Start a pool of worker processes; the caller shuts it down.

    They are forked from a clean server process that has this module loaded, so they start at
    once and share nothing with a window or its threads.
    """
    return _Pool(count or os.cpu_count() or 1)


def forkserver() -> ForkServerContext:
    """Where processes are forked: a clean server that has what they do loaded.

    Ctrl+C is for the program, which stops its processes in order: they never hear of it.
    """
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(list(_WORK))
    # Started first: where the server has to start it, it lets signals through again.
    multiprocessing.resource_tracker.ensure_running()
    before = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    try:
        multiprocessing.forkserver.ensure_running()
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
    return context


def end_with_owner(owner: int) -> None:
    """Let this process end with the program that started it, and not by Ctrl+C before."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_end_with, args=(owner,), daemon=True).start()


_stopped = (ctypes.c_uint64 * _SLOTS)()
"""In a worker: the numbers of calls that are to stop."""


def _prepared(owner: int, stopped: ctypes.Array[ctypes.c_uint64]) -> None:
    """Keep to one thread: the points of a sweep already fill the processors."""
    global _stopped
    _stopped = stopped
    end_with_owner(owner)
    os.nice(BEHIND)
    take_one_thread()


def _numbered(
    number: int, fn: Callable[..., Any], args: tuple[Any, ...], kwargs: Mapping[str, Any]
) -> Any:
    """Call a function that may be told to stop by its number."""
    with listening(lambda: _stopped[number % _SLOTS] == number):
        return fn(*args, **kwargs)


def _end_with(owner: int) -> None:
    """Wait for a process to end, however it does, and end this one.

    Its last worker gone, the server workers are forked from ends by itself.
    """
    try:
        watched = os.pidfd_open(owner)
    except ProcessLookupError:
        os._exit(1)
    except OSError:  # an old kernel
        while os.path.exists(f"/proc/{owner}"):
            time.sleep(1.0)
        os._exit(1)
    select.select([watched], [], [])
    os._exit(1)


def results_of(futures: Sequence[Future[Any]], progress: Progress) -> list[Any]:
    """Results in order; a stop is heard soon. Raises `SweepError` where a worker was lost."""
    pending = set(futures)
    try:
        while pending:
            _, pending = wait(pending, timeout=POLL_SECONDS)
            progress.check()
        return [future.result() for future in futures]
    except BrokenExecutor as error:
        raise SweepError(LOST_WORKER) from error
    finally:
        give_up(pending)
