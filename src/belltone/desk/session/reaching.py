"""Reach on the open sheet: the chosen mode brought to a frequency by one knob or several."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from PySide6.QtCore import QObject, Signal, SignalInstance

from belltone.design.values import Design
from belltone.desk.session.models import Models
from belltone.desk.session.trying import Tryable
from belltone.desk.session.tuning import Tuning
from belltone.desk.session.workplace import Workplace
from belltone.modes.modeset import Mode
from belltone.progress import Progress
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.store.failures import error_words
from belltone.sweep.engine import Questions
from belltone.tune.questions import find_reached
from belltone.tune.reach import reach
from belltone.tune.together import Together, wanted_at

__all__ = ["REACH", "Reached", "Reaching"]

REACH = "reach"
"""The lane of it."""


@dataclass(frozen=True)
class Reached:
    """What came of it: the values as written, by knob, and the frequency solved there (Hz).

    ``also`` are other values that bring the mode there too; ``short`` says what is in the way
    where it was not brought there. Then nothing was written, and the values are the nearest.
    ``besides`` says how else the mode is not what it was: its number, what it does.
    """

    texts: Mapping[str, str]
    frequency: float
    also: tuple[str, ...] = ()
    short: str = ""
    besides: str = ""


class Reachable(Tryable, Protocol):
    """What is tuned: the mode looked at, and what is known of the knobs."""

    models: Models
    tuning: Tuning
    workplace: Workplace
    sheet_changed: SignalInstance
    chosen: int

    @property
    def chosen_mode(self) -> Mode | None:
        """The mode looked at."""

    @property
    def written(self) -> Design:
        """The design as written, whatever knob is being turned."""

    def edit(
        self, label: str, change: Callable[[Sheet], Sheet], gesture: str | None = None
    ) -> str | None:
        """Change the sheet; returns what would be wrong with it, if anything."""


class Reaching(QObject):
    """The reach under way, and what the last one came to."""

    changed = Signal()

    def __init__(self, session: Reachable, engine: Questions, owner: QObject) -> None:
        super().__init__(owner)
        self._session, self._engine = session, engine
        self.found: Reached | None = None
        self.failure = ""
        session.sheet_changed.connect(self._follow_sheet)

    def forget(self) -> None:
        """Drop everything: another sheet is opened."""
        self._session.jobs.stop(REACH)
        self._say(None)

    def start(self, target: float, knobs: Sequence[str], tolerance: float | None = None) -> None:
        """Ask for the values that bring the chosen mode to ``target`` within ``tolerance`` (Hz).

        One knob is turned as far as it takes; of several the least change of all is looked for,
        and of one that is had in steps the step that does it.
        """
        session, mode = self._session, self._session.chosen_mode
        if mode is None or mode.rigid:
            return
        session.give_up()
        self._say(None)
        sheet, path = session.sheet, session.path
        in_steps = any(session.written.knobs[name].allowed() for name in knobs)
        label = f"reach of {target:g} Hz"

        def finish(found: Reached) -> None:
            if not found.short:
                # The knobs alone: what was edited meanwhile stays.
                values: dict[Path, str] = {
                    ("knobs", name, "value"): text for name, text in found.texts.items()
                }
                session.edit(label, lambda now: now.with_values(values))
            session.models.consider()
            self._say(found)

        def fail(error: Exception) -> None:
            session.models.consider()
            self._say(None, error_words(error))

        if len(knobs) == 1 and not in_steps:
            (knob,) = knobs
            workplace = session.workplace
            near = session.tuning.value_for(session.chosen, target)
            guess = near[1] if near is not None and near[0] == knob else None

            def work(progress: Progress) -> Reached:
                with workplace.processes() as workers:
                    asked = (sheet, mode.number, target, knob, workers, tolerance)
                    found = reach(*asked, progress=progress, guess=guess)
                also = tuple(found.knob.text(value, 4) for value in found.others)
                besides = "" if found.number == mode.number else f"as mode {found.number}"
                return Reached({knob: found.text}, found.frequency, also, besides=besides)

        else:
            session.models.give_way()
            wanted = (wanted_at(mode.number, target, tolerance),)
            place = (sheet.text, sheet.folder, path, wanted, tuple(knobs))
            engine = self._engine

            def work(progress: Progress) -> Reached:
                found: Together = engine.ask(find_reached, *place, progress=progress)
                best, (stands,) = found.cleared.best, found.stands
                short = "" if best.clear else "; ".join(found.cleared.binding)
                return Reached(best.texts, stands.frequency, (), short, stands.words)

        session.jobs.start(REACH, work, finish, fail)
        self.changed.emit()

    def stop(self) -> None:
        """Stop looking; the sheet stays as it is."""
        self._session.jobs.stop(REACH)
        self._session.models.consider()
        self.changed.emit()

    def _follow_sheet(self) -> None:
        """After an edit what was reached is of another sheet."""
        if self._session.jobs.state(REACH) is not None:
            self.stop()
            self._session.told.emit("Reach stopped, because the sheet was changed.")
        self._say(None)

    def _say(self, found: Reached | None, failure: str = "") -> None:
        self.found, self.failure = found, failure
        self.changed.emit()
