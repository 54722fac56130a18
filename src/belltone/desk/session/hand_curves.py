"""Textbook values of the chosen mode, and those over the knob that is looked at."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final, Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal, SignalInstance

from belltone.design.values import Design
from belltone.desk.session.answer import Answer
from belltone.desk.session.jobs import Jobs
from belltone.errors import UserError
from belltone.hand.check import HandCheck
from belltone.hand.checks import hand_checks
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.progress import Progress
from belltone.reading.family import DesignFamily

__all__ = ["LANE", "HandChecks", "HandCurve", "HandCurves"]

LANE = "hand"
_VALUES: Final = 9


@dataclass(frozen=True)
class HandChecks:
    """Textbook values of one mode, and why there are none where there are none."""

    found: tuple[HandCheck, ...]
    why: str


@dataclass(frozen=True, eq=False)
class HandCurve:
    """What one formula gives (Hz) at some values of a knob, in its unit."""

    formula: str
    values: NDArray[np.float64]
    frequencies: NDArray[np.float64]


class Chosen(Protocol):
    """A sheet with an answer, and a mode chosen in it."""

    jobs: Jobs
    answer: Answer | None
    answer_changed: SignalInstance
    choice_changed: SignalInstance

    @property
    def chosen_index(self) -> int | None:
        """The place of the mode."""


class HandCurves(QObject):
    """Works them out in the background, once for each answer, mode and knob.

    ``checks`` are those of the mode chosen now; ``None`` until they are known.
    """

    changed = Signal()
    checked = Signal()

    def __init__(self, session: Chosen, owner: QObject) -> None:
        super().__init__(owner)
        self._session = session
        self._knob = ""
        self._of: tuple[object, ...] = ()
        self.checks: HandChecks | None = None
        self._checked: tuple[object, ...] = ()
        self.curves: tuple[HandCurve, ...] = ()
        for signal in (session.answer_changed, session.choice_changed):
            signal.connect(self.consider)

    @property
    def known(self) -> bool:
        """Whether textbook values of the chosen mode are there, as far as any are wanted."""
        return self.checks is not None or self._session.jobs.state(LANE) is None

    def look_at(self, knob: str) -> None:
        """Follow the knob that is looked at."""
        self._knob = knob
        self.consider()

    def consider(self) -> None:
        """Work out what is wanted, where it is not what is there."""
        session = self._session
        answer, index = session.answer, session.chosen_index
        if answer is None or answer.source or index is None:
            return
        wanted = (answer.modes, index, self._knob if answer.final else "")
        if wanted == self._of:
            return
        self._of = wanted
        session.jobs.stop(LANE)
        if self.curves:
            self.curves = ()
            self.changed.emit()
        known = self.checks if self._checked == wanted[:2] else None
        self.checks, self._checked = known, wanted[:2]
        name = wanted[2] if wanted[2] in answer.design.knobs else ""
        if known is not None and not name:
            return

        def work(progress: Progress) -> tuple[HandCurve, ...]:
            checks = known or HandChecks(*hand_checks(answer.design, answer.modes, index))
            progress.show(checks)
            return _curves(answer, index, checks.found, name, progress) if name else ()

        def look(found: HandChecks) -> None:
            self.checks = found
            self.checked.emit()

        def finish(found: tuple[HandCurve, ...]) -> None:
            self.curves = found
            if found:
                self.changed.emit()

        def fail(_error: Exception) -> None:
            if self.checks is None:
                look(HandChecks((), "it could not be worked out"))

        session.jobs.start(LANE, work, finish, fail, look)


def _curves(
    answer: Answer, index: int, here: tuple[HandCheck, ...], name: str, progress: Progress
) -> tuple[HandCurve, ...]:
    if not here:
        return ()
    knob, family = answer.design.knobs[name], DesignFamily(answer.sheet)
    values = np.linspace(*knob.range, _VALUES)
    rows: list[list[float]] = []
    for value in values:
        progress.check()
        try:
            design = family.at(knob.turned(float(value)))
            modes = _loaded_as(design, answer.modes, progress)
        except UserError:
            rows.append([np.nan] * len(here))
            continue
        checks, _ = hand_checks(design, modes, index)
        found = [each.frequency for each in checks[: len(here)]]
        rows.append(found + [np.nan] * (len(here) - len(found)))
    table = np.array(rows)
    return tuple(HandCurve(each.formula, values, table[:, at]) for at, each in enumerate(here))


def _loaded_as(design: Design, modes: ModeSet, progress: Progress) -> ModeSet:
    """The modes with the state another design is loaded to, which formulas of it go by.

    Only members have any for loaded designs, and their states are found in a moment.
    """
    if design.preload is None or modes.base is None:
        return modes
    found = solve_modes(design, ModeRequest(1, None, 1e-2), modes.discretisation, progress)
    return replace(modes, base=found.base)
