"""How a call under way in another process hears that its answer is wanted no more."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future
from contextlib import contextmanager
from typing import Any
from weakref import WeakKeyDictionary

from belltone.progress import Progress

__all__ = ["give_up", "here", "listening", "stopped_by"]

_stops: WeakKeyDictionary[Future[Any], Callable[[], None]] = WeakKeyDictionary()
_own = threading.local()


def stopped_by(future: Future[Any], stop: Callable[[], None]) -> None:
    """Say how a call is told to stop that is too far on to be cancelled."""
    _stops[future] = stop


def give_up(futures: Iterable[Future[Any]]) -> None:
    """Let calls go: those not begun never begin, those under way stop at their next step."""
    for future in futures:
        if not future.cancel() and not future.done() and (stop := _stops.get(future)):
            stop()


@contextmanager
def listening(asked: Callable[[], bool]) -> Iterator[None]:
    """On a worker: what this thread does meanwhile stops when it is ``asked`` to."""
    _own.asked = asked
    try:
        yield
    finally:
        del _own.asked


def here() -> Progress:
    """The progress of the call this thread is at, which hears of its stop."""
    return Progress(asked=getattr(_own, "asked", None))
