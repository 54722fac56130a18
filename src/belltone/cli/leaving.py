"""Ctrl+C while libraries load, when nothing is at stake yet; loads next to nothing itself."""

import contextlib
import os
import signal
from collections.abc import Iterator

INTERRUPTED = 130  # what a shell reports for a program ended by Ctrl+C


def leave_on_interrupt() -> None:
    """Let Ctrl+C end the program at once, until another answer to it is set.

    An exception would pass through libraries half loaded, which swallow it, or fall over it.
    """
    signal.signal(signal.SIGINT, _leave)


@contextlib.contextmanager
def left_on_interrupt() -> Iterator[None]:
    """Let Ctrl+C end the program at once for a while."""
    before = signal.signal(signal.SIGINT, _leave)
    try:
        yield
    finally:
        signal.signal(signal.SIGINT, before)


def _leave(_signal: int, _frame: object) -> None:
    os.write(2, b"belltone: stopped\n")
    os._exit(INTERRUPTED)
