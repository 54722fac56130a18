"""Waiting: progress on the terminal, and stopping in order."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Callable, Iterator

from belltone.cli.messages import note
from belltone.progress import Cancelled, Progress


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
