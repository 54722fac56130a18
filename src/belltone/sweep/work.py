"""What a worker process does: one sheet, knobs set, one mode set back."""

from __future__ import annotations

import multiprocessing
import os
import select
import signal
import threading
import time
from collections.abc import Mapping
from concurrent.futures import ProcessPoolExecutor
from functools import lru_cache
from pathlib import Path

import threadpoolctl

from belltone.errors import UserError
from belltone.mesh.discretisation import Discretisation
from belltone.modes.modeset import ModeSet
from belltone.modes.solution import Solution
from belltone.modes.solve import ModeRequest, choose_discretisation, solve
from belltone.reading.evaluate import evaluate
from belltone.sheet.document import Sheet
from belltone.sweep.failure import PointFailure, failure_of

__all__ = ["choose_at", "solve_point", "start_workers"]

_LAST: dict[tuple[str, Discretisation], Solution] = {}
"""The point this process solved last."""


def solve_point(
    text: str,
    settings: Mapping[str, str],
    request: ModeRequest,
    discretisation: Discretisation,
    folder: Path | None = None,
    told: bool = False,
) -> ModeSet | PointFailure:
    """Solve one point of a sweep; a point that has no answer says why.

    Errors are no numbers where they are not to be ``told``. A process begins from the point it
    solved before, which is never far.
    """
    near = _LAST.get((text, discretisation))
    try:
        design = evaluate(_sheet(text, folder), settings)
        found = solve(design, request, discretisation, told=told, near=near)
    except UserError as error:
        return failure_of(error)
    _LAST.clear()
    _LAST[text, discretisation] = found.solution
    return found.modes


def choose_at(
    text: str, settings: Mapping[str, str], request: ModeRequest, folder: Path | None = None
) -> Discretisation | PointFailure:
    """The discretisation a point needs, or why it has no answer."""
    try:
        return choose_discretisation(evaluate(_sheet(text, folder), settings), request)
    except UserError as error:
        return failure_of(error)


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


@lru_cache(maxsize=4)
def _sheet(text: str, folder: Path | None) -> Sheet:
    return Sheet.from_text(text, folder)


def start_workers(count: int | None = None) -> ProcessPoolExecutor:
    """Start a pool of worker processes; the caller shuts it down.

    They are forked from a clean server process that has this module loaded, so they start at
    once and share nothing with a window or its threads.
    """
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload([__name__])
    return ProcessPoolExecutor(
        count or os.cpu_count() or 1,
        mp_context=context,
        initializer=_prepared,
        initargs=(os.getpid(),),
    )


def _prepared(owner: int) -> None:
    """End with the program that started this, and keep to one thread.

    The points of a sweep already fill the processors. Ctrl+C is for the program: it stops its
    workers in order.
    """
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_end_with, args=(owner,), daemon=True).start()
    os.environ["MKL_NUM_THREADS"] = "1"  # the factorisation's library is loaded at its first use
    threadpoolctl.threadpool_limits(1)
