"""Models of the knobs of the open sheet, made in the background and kept while they hold."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Final, Protocol

from PySide6.QtCore import QObject, QTimer, Signal, SignalInstance

from belltone.design.values import Design, KnobValue
from belltone.desk.session.answer import Answer
from belltone.desk.session.jobs import Jobs
from belltone.desk.session.sheet_file import Filed
from belltone.progress import Progress
from belltone.reduce.designs import DEFAULT_BOUND
from belltone.reduce.model import Line, ReducedModel
from belltone.sheet.document import Sheet
from belltone.store.failures import error_words
from belltone.sweep.engine import Questions
from belltone.tune.questions import FoundPlane, find_model, find_plane

__all__ = ["Models"]

_REST_MS: Final = 400  # models wait until hands and numbers have come to rest
_BESIDE: Final = 0.15  # of a knob's value; so far to both sides all knobs are modelled at once
_INNER: Final = 0.6  # of the way from the middle of such a model to its ends; beyond, a new one
_MOST_KNOBS: Final = 4  # in one model
_FIRST: Final = ("plane", "search", "tolerances", "others")  # lanes of what goes before models
_PLANE: Final = "two knobs"  # no knob can have such a name


class Modelled(Filed, Protocol):
    """What models are made of: a sheet with its answer."""

    jobs: Jobs
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

    ``rest`` is the sheet it is of but for the values of its knobs, ``shape`` but for those of all.
    """

    rest: str
    shape: str
    model: ReducedModel | None
    refusal: str = ""
    whole: bool = True


@dataclass(frozen=True)
class _Wanted:
    """A model to be made: of one knob over its range, or (without a ``name``) of all about here."""

    name: str
    ends: Mapping[str, tuple[float, float]]
    rest: str


class Models(QObject):
    """One model for each knob, the one under the hand first, and one of all of them about here.

    The last is for a knob that is turned while another stands where no model of the first is made
    yet.
    """

    changed = Signal(str)

    def __init__(self, session: Modelled, engine: Questions, owner: QObject) -> None:
        super().__init__(owner)
        self._session, self._engine = session, engine
        self._kept: dict[str, _Kept] = {}
        self._order: list[str] = []
        self._making: _Wanted | None = None
        self.halted = False
        """Whether no more are made until somebody asks for them, or another sheet is opened."""
        self.bound: float = DEFAULT_BOUND
        """How far frequencies of models may be from solved ones, relative."""
        self._timer = QTimer(self, singleShot=True, interval=_REST_MS)
        self._timer.timeout.connect(self._go_on)

    def forget(self) -> None:
        """Drop everything: another sheet is opened."""
        self._stop()
        self._session.jobs.stop("plane")
        self._timer.stop()
        self._kept.clear()
        self._order.clear()
        self.halted = False

    def halt(self) -> None:
        """Make no more of this sheet until `go_on`; what is made so far stays."""
        self.halted = True
        self._stop()

    def take_bound(self, bound: float) -> None:
        """Make models within another bound from now on; those that are not so near are let go."""
        if bound == self.bound:
            return
        self.bound = bound
        gone = [
            name
            for name, kept in self._kept.items()
            if kept.model is None or kept.model.bound > bound
        ]
        for name in gone:
            del self._kept[name]
        self._stop()
        for name in gone:
            self.changed.emit(name)
        self.consider()

    def go_on(self) -> None:
        """Make what is lacking again."""
        self.halted = False
        self.consider()

    def close(self) -> None:
        """Make no more."""
        self._timer.stop()

    def of(self, knob: str) -> Line | None:
        """What is known of a knob, the others standing as they do."""
        kept = self._kept.get(knob)
        if kept is not None and kept.model is not None and kept.rest == self._rest([knob]):
            return kept.model.along(knob)
        return self.about(knob)

    def older(self, knob: str) -> Line | None:
        """The model of a knob from when other knobs stood elsewhere, and nothing else differed."""
        kept = self._kept.get(knob)
        if kept is None or kept.model is None or kept.shape != self._shape():
            return None
        return kept.model.along(knob)

    def about(self, knob: str) -> Line | None:
        """What the model of all knobs knows of one, where the others stand within it."""
        for name in (_PLANE, ""):
            kept = self._kept.get(name)
            if kept is None or kept.model is None or knob not in kept.model.knobs:
                continue
            model = kept.model
            if kept.rest == self._rest(model.knobs) and self._stands_within(model, knob):
                stand = {each: self._session.written.knobs[each].base for each in model.knobs}
                return model.along(knob, stand)
        return None

    def _stands_within(self, model: ReducedModel, knob: str) -> bool:
        """Whether all knobs of a model but one stand where it knows them."""
        knobs = self._session.written.knobs
        return all(
            name == knob or low <= knobs[name].base <= high
            for name, low, high in zip(model.knobs, model.low, model.high, strict=True)
        )

    def find_plane(
        self,
        knobs: tuple[str, ...],
        others: tuple[float, ...],
        look: Callable[[FoundPlane], None],
        finish: Callable[[FoundPlane], None],
        fail: Callable[[Exception], None],
    ) -> None:
        """Have two knobs looked at over their ranges, before any other model is made.

        A third one stands where ``others`` says (base units). All are then known to each other,
        wherever the others stand.
        """
        session, answer = self._session, self._session.answer
        if answer is None:
            return
        self.give_way()
        known = session.written.knobs
        ends = {name: _whole(known[name]) for name in knobs}
        rest, shape = self._rest(knobs), self._shape()
        sheet, engine, bound = session.sheet, self._engine, self.bound
        level = answer.modes.discretisation
        place = (sheet.text, sheet.folder, session.path, ends, level, bound, others)

        def work(progress: Progress) -> FoundPlane:
            found: FoundPlane = engine.ask(find_plane, *place, progress=progress)
            return found

        def done(found: FoundPlane) -> None:
            self._kept[_PLANE] = _Kept(rest, shape, found.model)
            finish(found)
            self._timer.start()

        def failed(error: Exception) -> None:
            fail(error)
            self._timer.start()

        session.jobs.start("plane", work, done, failed, look)

    def give_way(self) -> None:
        """Leave the process that makes models to something else, until `consider`."""
        self._stop()
        self._timer.stop()

    def refusal(self, knob: str) -> str:
        """Why there is no model of a knob, if that is known."""
        kept = self._kept.get(knob)
        return kept.refusal if kept is not None and kept.rest == self._rest([knob]) else ""

    @property
    def making(self) -> str:
        """The knob whose model is being made, if any."""
        return "" if self._making is None else self._making.name

    @property
    def settled(self) -> bool:
        """Whether no model is still to be made."""
        return self._making is None and not self._timer.isActive()

    def first(self, knob: str) -> None:
        """Make the model of a knob before all others."""
        if knob in self._order:
            self._order.remove(knob)
        self._order.insert(0, knob)
        if self._making is not None and self._making.name != knob and not self.stands(knob):
            self._stop()
        self.consider()

    def consider(self) -> None:
        """See whether models are to be made, once everything has come to rest."""
        if self._making is not None and self._making.rest != self._rest(self._making.ends):
            self._stop()
        self._timer.start()

    def _shape(self) -> str:
        """The sheet but for the values of all its knobs."""
        sheet = self._session.sheet
        return sheet.answer_hash(dict.fromkeys(sheet.content.knobs, ""))

    def _rest(self, knobs: Iterable[str]) -> str:
        return self._session.sheet.answer_hash(dict.fromkeys(knobs, ""))

    def stands(self, knob: str) -> bool:
        """Whether the model of the whole range of a knob is there, or why there is none."""
        kept = self._kept.get(knob)
        return kept is not None and kept.rest == self._rest([knob]) and kept.whole

    def _stop(self) -> None:
        self._making = None
        self._session.jobs.stop("model")

    def _lacking(self) -> Iterator[_Wanted]:
        """What is to be made, first things first."""
        knobs = self._session.written.knobs
        names = [
            name
            for name in dict.fromkeys([*self._order, *knobs])
            if name in knobs and knobs[name].literal and knobs[name].range[0] < knobs[name].range[1]
        ]
        for name in names:
            if not self.stands(name):
                yield _Wanted(name, {name: _whole(knobs[name])}, self._rest([name]))
        several = [name for name in names if not self._kept[name].refusal][:_MOST_KNOBS]
        if len(several) > 1 and not self._covers(several):
            ends = {name: _about(knobs[name]) for name in several}
            yield _Wanted("", ends, self._rest(several))

    def _covers(self, names: list[str]) -> bool:
        """Whether these knobs stand well within the model of all, or none can be made."""
        kept = self._kept.get("")
        if kept is None or kept.rest != self._rest(names) or not kept.whole:
            return False
        if kept.model is None:
            return True
        if set(names) - set(kept.model.knobs):
            return False
        knobs = self._session.written.knobs
        ends = zip(kept.model.knobs, kept.model.low, kept.model.high, strict=True)
        return all(
            abs(knobs[name].base - 0.5 * (low + high)) <= _INNER * 0.5 * (high - low)
            or _about(knobs[name]) == (low, high)
            for name, low, high in ends
        )

    def _go_on(self) -> None:
        session, answer = self._session, self._session.answer
        if self._making is not None or answer is None or session.turning is not None or self.halted:
            return
        if any(session.jobs.state(lane) is not None for lane in _FIRST):
            return
        if not (answer.final or answer.source):
            return  # its discretisation is not the one to be kept
        if answer.sheet.text != session.sheet.text:
            return
        wanted = next(self._lacking(), None)
        if wanted is None:
            return
        shape = self._shape()
        self._making = wanted
        sheet, engine, bound = answer.sheet, self._engine, self.bound
        level, ends = answer.modes.discretisation, dict(wanted.ends)
        place = (sheet.text, sheet.folder, session.path, ends, level, bound)

        def work(progress: Progress) -> ReducedModel:
            found: ReducedModel = engine.ask(find_model, *place, progress=progress)
            return found

        def look(model: ReducedModel) -> None:
            self._keep(wanted, _Kept(wanted.rest, shape, model, whole=False))

        def finish(model: ReducedModel) -> None:
            self._making = None
            self._keep(wanted, _Kept(wanted.rest, shape, model))
            self._timer.start()

        def fail(error: Exception) -> None:
            self._making = None
            self._keep(wanted, _Kept(wanted.rest, shape, None, error_words(error)))
            self._timer.start()

        session.jobs.start("model", work, finish, fail, look)

    def _keep(self, wanted: _Wanted, kept: _Kept) -> None:
        self._kept[wanted.name] = kept
        for name in wanted.ends:
            self.changed.emit(name)


def _whole(knob: KnobValue) -> tuple[float, float]:
    """The range of a knob in base units."""
    low, high = (end * knob.scale for end in knob.range)
    return low, high


def _about(knob: KnobValue) -> tuple[float, float]:
    """From where to where all knobs are modelled at once, within the range of each."""
    low, high = _whole(knob)
    reach = _BESIDE * (abs(knob.base) or high - low)
    return max(low, knob.base - reach), min(high, knob.base + reach)
