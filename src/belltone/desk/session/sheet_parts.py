"""The parts of the sheet: which are chosen, how each is seen, where they touch, what they weigh."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol

from PySide6.QtCore import QObject, Signal, SignalInstance

from belltone.design.values import Design
from belltone.desk.session.jobs import Jobs
from belltone.progress import Progress
from belltone.sheet.document import Sheet
from belltone.store.failures import error_words
from belltone.sweep.engine import Questions
from belltone.system.contacts import Contact
from belltone.tune.questions import find_contacts

__all__ = ["SheetParts"]

LANE = "contacts"


class Composed(Protocol):
    """A sheet of one or more parts."""

    jobs: Jobs
    told: SignalInstance

    @property
    def sheet(self) -> Sheet:
        """The sheet as it stands."""


class SheetParts(QObject):
    """What is chosen, hidden and outlined among the parts, and what is known of them.

    ``contacts`` are ``None`` until they are found; ``masses`` (kg) are by the part's name.
    """

    changed = Signal()

    def __init__(self, session: Composed, engine: Questions, owner: QObject) -> None:
        super().__init__(owner)
        self._session, self._engine = session, engine
        self._clear()

    def _clear(self) -> None:
        self.contacts: tuple[Contact, ...] | None = None
        self.masses: dict[str, float] = {}
        self.selected: tuple[str, ...] = ()
        self.views: dict[str, str] = {}
        self.lit: frozenset[str] = frozenset()

    def forget(self) -> None:
        """Another sheet is opened."""
        self._session.jobs.stop(LANE)
        self._clear()

    @property
    def chosen(self) -> tuple[str, ...]:
        """The sheet's parts that are chosen, at least the first."""
        parts = self._session.sheet.content.parts
        return tuple(name for name in self.selected if name in parts) or (next(iter(parts)),)

    def select(self, names: Iterable[str]) -> None:
        """Choose parts of the sheet to work on."""
        chosen = tuple(names)
        if chosen != self.selected:
            self.selected = chosen
            self.changed.emit()

    def set_view(self, names: Iterable[str], view: str) -> None:
        """Show parts of the design “shown”, “faint” (see-through) or “hidden”."""
        self.views |= dict.fromkeys(names, view)
        self.changed.emit()

    def light(self, names: Iterable[str]) -> None:
        """Outline some parts in the picture."""
        self.lit = frozenset(names)
        self.changed.emit()

    def select_lit(self, chosen: Iterable[str], owners: tuple[str, ...]) -> None:
        """Outline parts of the design and choose those of the sheet they come from, if any."""
        self.lit = frozenset(chosen)
        self.selected = owners or self.selected
        self.changed.emit()

    def seen(self, view: str) -> frozenset[str]:
        """Parts of the design that are shown in a way."""
        return frozenset(name for name, how in self.views.items() if how == view)

    def look(self, sheet: Sheet, design: Design) -> None:
        """See in the background which parts touch, and how heavy each is."""
        if len(design.solid_parts) < 2:
            self.contacts = ()
            self.changed.emit()
            return
        session, engine = self._session, self._engine

        def work(progress: Progress) -> tuple[tuple[Contact, ...], dict[str, float]]:
            found: tuple[tuple[Contact, ...], dict[str, float]] = engine.ask(
                find_contacts, sheet.text, sheet.folder, progress=progress
            )
            return found

        def finish(found: tuple[tuple[Contact, ...], dict[str, float]]) -> None:
            self.contacts, self.masses = found
            self.changed.emit()

        session.jobs.start(LANE, work, finish, lambda error: session.told.emit(error_words(error)))
