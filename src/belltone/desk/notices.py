"""A word to the desktop when long work ends while the window is not in front."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Final

from PySide6.QtCore import QObject
from PySide6.QtDBus import QDBusConnection, QDBusMessage
from PySide6.QtWidgets import QApplication, QMainWindow

from belltone.desk.session.jobs import Jobs

__all__ = ["Notices", "tell_desktop"]

_LONG: Final = 10.0  # seconds; who waited less has not gone elsewhere
_WORDS: Final = {
    "modes": "The modes are found",
    "sweep": "The sweep is done",
    "clear": "The clear intervals are found",
    "reach": "The reach is done",
    "designs": "The table of designs is done",
    "proposals": "The search is done",
    "handing": "What was handed over is written",
    "measuring": "The fit is done",
}
"""The kinds of work somebody may wait for, and what is said of each."""


class Notices(QObject):
    """Hears which work begins and ends; ``tell`` gets the words."""

    def __init__(
        self,
        jobs: Jobs,
        window: QMainWindow,
        tell: Callable[[str, str], None] | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        super().__init__(window)
        self._jobs, self._window, self._clock = jobs, window, clock
        self._tell = tell or tell_desktop
        self._begun: dict[str, float] = {}
        jobs.changed.connect(self._hear)

    def _hear(self, lane: str) -> None:
        if lane not in _WORDS:
            return
        if self._jobs.state(lane) is not None:
            self._begun.setdefault(lane, self._clock())
            return
        begun = self._begun.pop(lane, None)
        if begun is None or self._clock() - begun < _LONG or self._window.isActiveWindow():
            return
        QApplication.alert(self._window)
        self._tell(_WORDS[lane], self._window.windowTitle())


def tell_desktop(head: str, words: str) -> None:
    """Show a notification, where the desktop has any (Desktop Notifications Specification 1.2)."""
    bus = QDBusConnection.sessionBus()
    if not bus.isConnected():
        return
    name = "org.freedesktop.Notifications"
    message = QDBusMessage.createMethodCall(name, "/org/freedesktop/Notifications", name, "Notify")
    message.setArguments(["Bell Tone", 0, "belltone", head, words, [], {}, -1])
    bus.send(message)  # nobody waits for an answer
