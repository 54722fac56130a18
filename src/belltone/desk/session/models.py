"""Models of the knobs of the open sheet, made in the background and kept while they hold."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Final, Protocol

from PySide6.QtCore import QObject, QTimer, Signal, SignalInstance

from belltone.design.values import Design
from belltone.desk.session.answer import Answer
from belltone.desk.session.jobs import Jobs
from belltone.progress import Progress
from belltone.reduce.building import DEFAULT_BOUND
from belltone.reduce.line import LineModel
from belltone.sheet.document import Sheet
from belltone.store.failures import error_words
from belltone.sweep.engine import Questions
from belltone.tune.questions import find_model

__all__ = ["Models"]

_REST_MS: Final = 400  # models wait until hands and numbers have come to rest


class Modelled(Protocol):
    """What models are made of: a sheet with its answer."""

    jobs: Jobs
    path: Path | None
    answer_changed: SignalInstance

    @property
    def answer(self) -> Answer | None:
        """The modes of the sheet."""

    @property
    def written(self) -> Design:
        """The design as written."""

    @property
    def sheet(self) -> Sheet:
        """The sheet as it stands."""

    @property
    def turning(self) -> str | None:
        """The knob that is being turned, if one is."""


@dataclass(frozen=True)
class _Kept:
    """A model, or why there is none.

    ``rest`` is the sheet it is of but for the knob's value, ``shape`` but for those of all knobs.
    """

    rest: str
    shape: str
    model: LineModel | None
    refusal: str = ""
    whole: bool = True


class Models(QObject):
    """One model for each knob, the one under the hand first."""

    changed = Signal(str)

    def __init__(self, session: Modelled, engine: Questions, owner: QObject) -> None:
        super().__init__(owner)
        self._session, self._engine = session, engine
        self._kept: dict[str, _Kept] = {}
        self._order: list[str] = []
        self._making: tuple[str, str] | None = None
        self.bound = DEFAULT_BOUND
        self._timer = QTimer(self, singleShot=True, interval=_REST_MS)
        self._timer.timeout.connect(self._go_on)

    def forget(self) -> None:
        """Drop everything: another sheet is opened."""
        self._stop()
        self._timer.stop()
        self._kept.clear()
        self._order.clear()

    def close(self) -> None:
        """Make no more."""
        self._timer.stop()

    def of(self, knob: str) -> LineModel | None:
        """The model of a knob, where there is one of the design as it is."""
        kept = self._kept.get(knob)
        if kept is None or kept.rest != self._rest(knob):
            return None
        return kept.model

    def older(self, knob: str) -> LineModel | None:
        """The model of a knob from when other knobs stood elsewhere, and nothing else differed."""
        kept = self._kept.get(knob)
        return kept.model if kept is not None and kept.shape == self._shape() else None

    def refusal(self, knob: str) -> str:
        """Why there is no model of a knob, if that is known."""
        kept = self._kept.get(knob)
        return kept.refusal if kept is not None and kept.rest == self._rest(knob) else ""

    @property
    def making(self) -> str:
        """The knob whose model is being made, if any."""
        return "" if self._making is None else self._making[0]

    @property
    def settled(self) -> bool:
        """Whether no model is still to be made."""
        return self._making is None and not self._timer.isActive()

    def first(self, knob: str) -> None:
        """Make the model of a knob before all others."""
        if knob in self._order:
            self._order.remove(knob)
        self._order.insert(0, knob)
        if self._making is not None and self._making[0] != knob and self.of(knob) is None:
            self._stop()
        self.consider()

    def consider(self) -> None:
        """See whether models are to be made, once everything has come to rest."""
        if self._making is not None and self._making[1] != self._rest(self._making[0]):
            self._stop()
        self._timer.start()

    def _shape(self) -> str:
        """The sheet but for the values of all its knobs."""
        sheet = self._session.sheet
        return sheet.answer_hash(dict.fromkeys(sheet.content.knobs, ""))

    def _rest(self, knob: str) -> str:
        return self._session.sheet.answer_hash({knob: ""})

    def _stop(self) -> None:
        self._making = None
        self._session.jobs.stop("model")

    def _lacking(self) -> Iterator[str]:
        knobs = self._session.written.knobs
        for name in [*self._order, *(each for each in knobs if each not in self._order)]:
            if name not in knobs or not knobs[name].literal:
                continue
            low, high = knobs[name].range
            kept = self._kept.get(name)
            new = kept is None or kept.rest != self._rest(name) or not kept.whole
            if low < high and new:
                yield name

    def _go_on(self) -> None:
        session, answer = self._session, self._session.answer
        if self._making is not None or answer is None or session.turning is not None:
            return
        if not (answer.final or answer.source):
            return  # its discretisation is not the one to be kept
        if answer.sheet.text != session.sheet.text:
            return
        knob = next(self._lacking(), None)
        if knob is None:
            return
        rest, shape = self._rest(knob), self._shape()
        self._making = knob, rest
        sheet, engine, bound = answer.sheet, self._engine, self.bound
        place = (sheet.text, sheet.folder, session.path, knob, answer.modes.discretisation, bound)

        def work(progress: Progress) -> LineModel:
            found: LineModel = engine.ask(find_model, *place, progress=progress)
            return found

        def look(model: LineModel) -> None:
            self._keep(knob, _Kept(rest, shape, model, whole=False))

        def finish(model: LineModel) -> None:
            self._making = None
            self._keep(knob, _Kept(rest, shape, model))
            self._timer.start()

        def fail(error: Exception) -> None:
            self._making = None
            self._keep(knob, _Kept(rest, shape, None, error_words(error)))
            self._timer.start()

        session.jobs.start("model", work, finish, fail, look)

    def _keep(self, knob: str, kept: _Kept) -> None:
        self._kept[knob] = kept
        self.changed.emit(knob)
