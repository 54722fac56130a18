"""The one small object every long function takes: it hears of progress and may say stop."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

__all__ = ["Cancelled", "Progress", "may_break_in", "undisturbed"]

_undisturbed: list[object] = []


class Cancelled(Exception):
    """Raised inside a long function after its caller asked it to stop."""


@dataclass(frozen=True)
class Progress:
    """Progress out, cancelling in.

    ``listener`` is called as ``listener(done, total, text)`` from the thread that does the work,
    ``herald`` with words on how large the work ahead is where it takes long, ``viewer`` with an
    answer that is good already and will become better.
    ``cancel`` may be called from any thread; the work stops at its next ``check``, as it does
    where ``asked`` says that a stop was asked for elsewhere.
    """

    listener: Callable[[int, int, str], None] | None = None
    herald: Callable[[str], None] | None = None
    viewer: Callable[[Any], None] | None = None
    asked: Callable[[], bool] | None = None
    _stop: threading.Event = field(default_factory=threading.Event)

    def report(self, done: int, total: int, text: str) -> None:
        """Tell that ``done`` of ``total`` steps are behind us; raises ``Cancelled`` when asked."""
        self.check()
        if self.listener is not None:
            self.listener(done, total, text)

    def announce(self, text: str) -> None:
        """Say how large the work ahead is, before it begins."""
        self.check()
        if self.herald is not None:
            self.herald(text)

    @property
    def watched(self) -> bool:
        """Whether anybody wants to see answers that are not the last."""
        return self.viewer is not None

    def show(self, answer: Any) -> None:
        """Show an answer while a better one is being worked on."""
        self.check()
        if self.viewer is not None:
            self.viewer(answer)

    def cancel(self) -> None:
        """Ask the work to stop."""
        self._stop.set()

    @property
    def cancelled(self) -> bool:
        """Whether stopping was asked for."""
        return self._stop.is_set() or (self.asked is not None and self.asked())

    def check(self) -> None:
        """Raise ``Cancelled`` when stopping was asked for."""
        if self.cancelled:
            raise Cancelled


@contextmanager
def undisturbed() -> Iterator[None]:
    """For a step that must not be broken off half done, however a stop is told."""
    _undisturbed.append(None)
    try:
        yield
    finally:
        _undisturbed.pop()


def may_break_in() -> bool:
    """Whether nothing `undisturbed` is under way."""
    return not _undisturbed
