"""Waiting: progress on the terminal, and stopping in order."""

from __future__ import annotations

import contextlib
import signal
import sys
from collections.abc import Callable, Iterator
from typing import Final

from belltone.cli.messages import note
from belltone.progress import Cancelled, Progress, may_break_in


class Interrupted(BaseException):
    """Ctrl+C; of a kind of its own, since the command line's library ends on the usual one."""


_PATIENCE: Final = 0.5  # s; how long work may take to hear of a stop
_SOON: Final = 0.05  # s
_under_way: list[Progress] = []


def interrupt(_signal: int, _frame: object) -> None:
    """Answer the signal of Ctrl+C.

    Work under way is asked to stop: an exception out of nowhere could leave locks held on which
    what collects the workers' answers would wait forever. Work that does not hear of it soon,
    or is asked twice, ends by the exception all the same.
    """
    if _under_way and not _under_way[-1].cancelled:
        _under_way[-1].cancel()
        signal.setitimer(signal.ITIMER_REAL, _PATIENCE)
    elif _under_way and not may_break_in():
        signal.setitimer(signal.ITIMER_REAL, _SOON)
    else:
        raise Interrupted


def _impatient(_signal: int, _frame: object) -> None:
    if may_break_in():
        raise Interrupted
    signal.setitimer(signal.ITIMER_REAL, _SOON)


@contextlib.contextmanager
def progress_shown(title: str) -> Iterator[Progress]:
    """Show progress on standard error, on a terminal only; Ctrl+C stops the work in order."""
    before = signal.signal(signal.SIGALRM, _impatient)
    try:
        with _progress_bar(title) as progress:
            _under_way.append(progress)
            try:
                yield progress
            finally:
                _under_way.pop()
                signal.setitimer(signal.ITIMER_REAL, 0)
    except (KeyboardInterrupt, Interrupted):
        raise Cancelled from None
    finally:
        signal.signal(signal.SIGALRM, before)


@contextlib.contextmanager
def _progress_bar(title: str) -> Iterator[Progress]:
    if not sys.stderr.isatty():
        yield Progress(herald=note)
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, TextColumn, TimeRemainingColumn
    from rich.progress import Progress as Bar

    console = Console(stderr=True)
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn())
    with Bar(*columns, TimeRemainingColumn(), console=console, transient=True) as bar:
        task = bar.add_task(title, total=None)
        listener: Callable[[int, int, str], None] = lambda done, total, text: bar.update(  # noqa: E731
            task, completed=done, total=total or None
        )
        yield Progress(listener, lambda text: bar.console.print(f"belltone: note: {text}"))
