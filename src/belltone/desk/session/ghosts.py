"""Branches of the variant that stands as a ghost, over the knob that is looked at."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from PySide6.QtCore import QObject, Signal

from belltone.design.values import Design
from belltone.desk.session.answer import Answer
from belltone.desk.session.jobs import Jobs
from belltone.desk.session.models import Models
from belltone.desk.session.sheet_file import Filed
from belltone.desk.session.variants import Variants
from belltone.errors import UserError
from belltone.progress import Progress
from belltone.reduce.model import ReducedModel
from belltone.sweep.engine import Questions
from belltone.sweep.modelled import modelled_sweep
from belltone.sweep.runner import Sweep
from belltone.tune.questions import find_model

__all__ = ["LANE", "GhostCurves"]

LANE = "ghost"


class Haunted(Filed, Protocol):
    """A sheet with variants, and models that come first."""

    jobs: Jobs
    models: Models
    variants: Variants

    @property
    def written(self) -> Design:
        """The design as written."""


@dataclass(frozen=True)
class _Known:
    text: str
    knob: str
    sweep: Sweep | None


class GhostCurves(QObject):
    """Makes them when nothing else is to be made; those of one variant and knob are kept."""

    changed = Signal()

    def __init__(self, session: Haunted, engine: Questions, owner: QObject) -> None:
        super().__init__(owner)
        self._session, self._engine = session, engine
        self._knob = ""
        self._known: _Known | None = None
        session.variants.changed.connect(self.consider)
        session.models.changed.connect(lambda _: self.consider())

    def look_at(self, knob: str) -> None:
        """Follow the knob that is looked at."""
        self._knob = knob
        self.consider()

    @property
    def _wanted(self) -> Answer | None:
        """The variant whose branches are wanted, where there can be any."""
        variants = self._session.variants
        answer = variants.answer(variants.ghost) if variants.ghost else None
        return answer if answer is not None and self._knob in answer.design.knobs else None

    @property
    def sweep(self) -> Sweep | None:
        """The branches of the ghost, as far as they are known."""
        wanted, known = self._wanted, self._known
        if wanted is None or known is None:
            return None
        return known.sweep if (known.text, known.knob) == (wanted.sheet.text, self._knob) else None

    def consider(self) -> None:
        """Make what is wanted, once the model of the knob itself stands."""
        wanted, known, session = self._wanted, self._known, self._session
        if wanted is None:
            session.jobs.stop(LANE)
            if known is not None:
                self._known = None
                self.changed.emit()
            return
        if known is not None and (known.text, known.knob) == (wanted.sheet.text, self._knob):
            return
        if session.jobs.state(LANE) is not None or not session.models.stands(self._knob):
            return
        self._make(wanted, self._knob)

    def _make(self, wanted: Answer, name: str) -> None:
        session, engine = self._session, self._engine
        knob = wanted.design.knobs[name]
        here = session.written.knobs.get(name, knob)
        low, high = here.range
        ends = {name: (low * here.scale, high * here.scale)}
        sheet, level = wanted.sheet, wanted.modes.discretisation
        place = (sheet.text, sheet.folder, session.path, ends, level, session.models.bound)

        def work(progress: Progress) -> Sweep | None:
            try:
                model: ReducedModel = engine.ask(find_model, *place, progress=progress)
            except UserError:
                return None  # there is none of everything; then there are the pegs
            line = model.along(name)
            return None if line is None else modelled_sweep(sheet, wanted.design, line, progress)

        def finish(sweep: Sweep | None) -> None:
            self._known = _Known(sheet.text, name, sweep)
            self.changed.emit()
            self.consider()

        def fail(_error: Exception) -> None:
            finish(None)

        session.jobs.start(LANE, work, finish, fail)
