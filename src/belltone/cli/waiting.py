"""Waiting: progress on the terminal, and stopping in order."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator

from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, TextColumn, TimeRemainingColumn
from rich.progress import Progress as Bar

from belltone.cli.output import note
from belltone.progress import Cancelled, Progress

INTERRUPTED = 130  # what a shell reports for a program ended by Ctrl+C


class Interrupted(BaseException):
    """Ctrl+C; of a kind of its own, since the command line's library ends on the usual one."""


def interrupt(_signal: int, _frame: object) -> None:
    """Answer the signal of Ctrl+C."""
    raise Interrupted


@contextlib.contextmanager
def progress_shown(title: str) -> Iterator[Progress]:
    """Show progress on standard error, on a terminal only; Ctrl+C stops the work in order."""
    try:
        with _progress_bar(title) as progress:
            yield progress
    except (KeyboardInterrupt, Interrupted):
        raise Cancelled from None


@contextlib.contextmanager
def _progress_bar(title: str) -> Iterator[Progress]:
    console = Console(stderr=True)
    if not console.is_terminal:
        yield Progress(herald=note)
        return
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn())
    with Bar(*columns, TimeRemainingColumn(), console=console, transient=True) as bar:
        task = bar.add_task(title, total=None)
        listener: Callable[[int, int, str], None] = lambda done, total, text: bar.update(  # noqa: E731
            task, completed=done, total=total or None
        )
        yield Progress(listener, lambda text: bar.console.print(f"belltone: note: {text}"))
