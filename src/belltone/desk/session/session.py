"""What the window shows: one sheet with its history, its answers, and what is chosen.

Every panel reads this and asks it for changes; no panel talks to another. Sheets and results are
immutable values, so a panel can never see half of a change.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from pathlib import Path as FilePath

from PySide6.QtCore import QObject, QTimer, Signal

from belltone.design.values import Design
from belltone.desk.session.answer import Answer
from belltone.desk.session.identity import carry_over
from belltone.desk.session.jobs import Jobs
from belltone.desk.session.tuning import Tuning
from belltone.files import FileError, read_text
from belltone.modes.modeset import Mode, ModeSet
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import MOST_BYTES, Sheet, read_sheet, write_sheet
from belltone.sheet.errors import Path, SheetError, path_text
from belltone.sheet.history import History
from belltone.store.failures import error_words
from belltone.store.journal import Journal
from belltone.sweep.engine import Engine, Questions
from belltone.system.contacts import Contact
from belltone.tune.bands import verdict
from belltone.tune.effect import effects
from belltone.tune.pull import Pull
from belltone.tune.questions import FoundModes, find_contacts, find_modes, find_pulls

__all__ = ["Session"]

_PULL_DELAY_MS = 150  # pulls wait until the numbers have come to rest


def _most_troubled(modes: ModeSet, design: Design) -> int:
    """The mode to look at first: the lowest in a band, else in a margin, else of all."""
    found = verdict(modes, design.bands, design.margin)
    numbers = [number for number, _ in (*found.inside, *found.margin)]
    return numbers[0] - 1 if numbers else 0


class Session(QObject):
    """One open sheet and everything known about it."""

    sheet_changed = Signal()
    answer_changed = Signal()
    choice_changed = Signal()
    parts_changed = Signal()
    told = Signal(str)

    def __init__(
        self,
        sheet: Sheet,
        path: FilePath | None,
        journal: Journal,
        engines: tuple[Questions, Questions] | None = None,
    ) -> None:
        super().__init__()
        self.jobs = Jobs(self)
        # One answers what the sheet is asked first, the other what goes beside it.
        self._engine, self._beside = engines or (Engine(), Engine())
        self._journal = journal
        self._pull_timer = QTimer(self, singleShot=True, interval=_PULL_DELAY_MS)
        self._pull_timer.timeout.connect(self._find_pulls)
        self.path: FilePath | None = None
        self.opened = 0  # counts sheets opened, so that no field keeps what belongs to another
        self._load(sheet, path)
        self.tuning = Tuning(self, self)

    def _load(self, sheet: Sheet, path: FilePath | None, saved: str | None = None) -> None:
        self.design = evaluate(sheet)
        self.history = History(sheet)
        self.path = path
        self._saved = sheet.text if saved is None else saved
        self._on_disk = None if path is None else _content(path)
        self.wrong: dict[Path, tuple[str, str]] = {}
        self.answer: Answer | None = None
        self.bare: Answer | None = None
        self.failure = ""
        self.stopped = False  # whether the modes of the sheet were stopped on their way
        self.chosen: int = 0
        self.before: Answer | None = None
        self.contacts: tuple[Contact, ...] | None = None
        self.part_masses: dict[str, float] = {}
        self.selected: tuple[str, ...] = ()
        self.views: dict[str, str] = {}
        self.lit: frozenset[str] = frozenset()
        self._gesture: str | None = None

    # -- the sheet ------------------------------------------------------------------------------

    @property
    def sheet(self) -> Sheet:
        """The sheet as it stands."""
        return self.history.present

    @property
    def modified(self) -> bool:
        """Whether there is anything to save."""
        return self.sheet.text != self._saved

    @property
    def stale(self) -> bool:
        """Whether the modes shown belong to an older design than the one written."""
        if self.answer is None:
            return False
        return self.answer.sheet.text != self.sheet.text or bool(self.wrong)

    @property
    def settled(self) -> bool:
        """Whether no answer about the modes of the sheet is still on its way."""
        if self.jobs.state("modes") is not None or self.jobs.state("pulls") is not None:
            return False
        return not self._pull_timer.isActive() and (self.answer is not None or bool(self.failure))

    def open_text(self, text: str, path: FilePath | None) -> None:
        """Take up recovered work as an unsaved edit of ``path``; raises `SheetError`."""
        folder = None if path is None else path.resolve().parent
        self._switch(Sheet.from_text(text, folder), path, saved="")

    def open(self, path: FilePath) -> None:
        """Open a sheet file; raises `SheetError` and leaves everything as it was."""
        self._switch(read_sheet(path), path)

    def start_new(self, sheet: Sheet) -> None:
        """Begin with another sheet that has no file yet."""
        self._switch(sheet, None)

    def _switch(self, sheet: Sheet, path: FilePath | None, saved: str | None = None) -> None:
        evaluate(sheet)
        self.jobs.stop("modes")
        self.jobs.stop("pulls")
        self.jobs.stop("contacts")
        self.jobs.stop("bare")
        self.tuning.forget()
        self._journal.clear()
        self._load(sheet, path, saved)
        self.opened += 1
        self._after_edit()
        self.answer_changed.emit()

    def save(self, path: FilePath | None = None) -> None:
        """Write the sheet; raises ``OSError``."""
        target = path or self.path
        assert target is not None
        write_sheet(self.sheet, target)
        self.path = target
        self._saved = self.sheet.text
        self._on_disk = _content(target)
        self._journal.clear()
        self.sheet_changed.emit()

    def changed_on_disk(self) -> str | None:
        """The text of the sheet's file, where somebody else has changed it since it was read.

        ``None`` where it is as it was, holds what the window shows, or cannot be read.
        """
        if self.path is None:
            return None
        now = _content(self.path)
        if now is None or now == self._on_disk or now == self.sheet.text:
            return None
        return now

    def take_from_disk(self, text: str) -> str | None:
        """Take up what the file holds as a step that can be undone; what is wrong is returned."""
        folder = None if self.path is None else self.path.resolve().parent
        before = self._saved
        self._saved = text
        problem = self.edit("what the file holds", lambda _: Sheet.from_text(text, folder))
        if problem is None:
            self._on_disk = text
        else:
            self._saved = before
        return problem

    def keep_from_disk(self, text: str) -> None:
        """Go on with what the window shows: it differs from the file, and is to be saved."""
        self._saved = self._on_disk = text
        self._keep_safe()

    def edit(
        self, label: str, change: Callable[[Sheet], Sheet], gesture: str | None = None
    ) -> str | None:
        """Apply an edit if its result is a good sheet; return what is wrong otherwise.

        Edits that share a ``gesture`` (one drag) make one step of undo.
        """
        try:
            sheet = change(self.sheet)
            design = evaluate(sheet)
        except SheetError as error:
            return "; ".join(found.message for found in error.findings)
        if sheet.text == self.sheet.text:
            return None
        if gesture is not None and gesture == self._gesture:
            self.history = self.history.amend(sheet)
        else:
            self.history = self.history.record(label, sheet)
        self._gesture = gesture
        self.design = design
        self._after_edit()
        return None

    def set_value(self, path: Path, text: str, gesture: str | None = None) -> str | None:
        """Write one value; what is wrong with it is returned, kept, and shown at its field."""
        label = f"change of {path_text(path)}"
        problem = self.edit(label, lambda sheet: sheet.with_value(path, text), gesture)
        self.mark_wrong(path, text, problem)
        return problem

    def mark_wrong(self, path: Path, text: str, problem: str | None) -> None:
        """Remember a field that holds something unusable, or that it is good again."""
        before = bool(self.wrong)
        if problem is None:
            self.wrong.pop(path, None)
        else:
            self.wrong[path] = (text, problem)
        if bool(self.wrong) != before:
            self.answer_changed.emit()

    def end_gesture(self) -> None:
        """The drag is over; the next edit is a step of its own."""
        self._gesture = None

    def set_knob(self, name: str, value: float, gesture: str | None = None) -> str | None:
        """Turn a knob, in the unit it is written in."""
        text = self.design.knobs[name].exact_text(float(f"{value:.12g}"))
        return self.set_value(("knobs", name, "value"), text, gesture)

    def undo(self) -> None:
        """Take the last edit back."""
        self._travel(self.history.undo())

    def redo(self) -> None:
        """Make the last undone edit again."""
        self._travel(self.history.redo())

    def _travel(self, history: History) -> None:
        if history is self.history:
            return
        self.history = history
        self.design = evaluate(history.present)
        self._gesture = None
        self._after_edit()

    def _after_edit(self) -> None:
        # A field whose value the sheet has no more takes its unusable text with it.
        self.wrong = {path: entry for path, entry in self.wrong.items() if self._has(path)}
        self._keep_safe()
        self.solve()

    def _keep_safe(self) -> None:
        """Keep what is not saved where a crash cannot reach it, and tell who shows the sheet."""
        if self.modified:
            try:
                self._journal.record(self.path, self.sheet.text)
            except OSError as error:
                self.told.emit(f"unsaved work cannot be kept safe: {error.strerror}")
        else:
            self._journal.clear()
        self.sheet_changed.emit()

    def _has(self, path: Path) -> bool:
        return path in self.sheet.values or (
            path[0] == "knobs" and self.sheet.value(path) is not None
        )

    # -- modes ----------------------------------------------------------------------------------

    def solve(self) -> None:
        """Solve for the modes of the sheet as it stands, in the background."""
        sheet, design = self.sheet, self.design
        self._pull_timer.stop()
        self.stopped = False
        self.jobs.stop("pulls")

        engine, place = self._engine, (sheet.text, sheet.folder, self.path)

        def work(progress: Progress) -> FoundModes:
            found: FoundModes = engine.ask(find_modes, *place, progress=progress)
            return found

        def look(modes: ModeSet) -> None:
            self._take(sheet, design, modes, 0.0, final=False)

        def finish(found: FoundModes) -> None:
            for note in found.notes:
                self.told.emit(note)
            self._take(sheet, design, found.modes, found.seconds, final=True)
            self._pull_timer.start()
            self._find_contacts(sheet, design)
            self._find_bare(sheet)

        def fail(error: Exception) -> None:
            self.failure = error_words(error)
            self.answer_changed.emit()

        self.jobs.start("modes", work, finish, fail, look)
        self.answer_changed.emit()

    def _take(
        self, sheet: Sheet, design: Design, modes: ModeSet, seconds: float, final: bool
    ) -> None:
        """Show modes; the one chosen is found again by its shape."""
        old = self.answer
        if old is not None and old.sheet.text != sheet.text:
            self.before = old
        identities = carry_over(old.modes if old else None, old.identities if old else (), modes)
        self.answer = Answer(sheet, design, modes, identities, seconds, final=final)
        self.failure = ""
        if (old is None or self.chosen not in identities) and identities:
            self.chosen = identities[_most_troubled(modes, design)]
        self.answer_changed.emit()
        self.choice_changed.emit()

    def stop_solving(self) -> None:
        """Stop where it is; what has been seen so far stays."""
        if self.jobs.state("modes") is None:
            return
        self.jobs.stop("modes")
        self.stopped = True
        if self.answer is None or self.answer.sheet.text != self.sheet.text:
            self.failure = "stopped before there was anything to see; go on, or change a value"
        self.answer_changed.emit()

    def _tell(self, error: Exception) -> None:
        self.told.emit(error_words(error))

    def _find_bare(self, sheet: Sheet) -> None:
        """Find in the background the modes there would be without the preload."""
        if sheet.content.preload is None or not sheet.content.preload.applied:
            self.bare = None
            self.jobs.stop("bare")
            return
        without = sheet.without_preload()
        if self.bare is not None and self.bare.sheet.text == without.text:
            return
        self.bare = None

        engine, place = self._beside, (without.text, without.folder, self.path)

        def work(progress: Progress) -> FoundModes:
            found: FoundModes = engine.ask(find_modes, *place, progress=progress)
            return found

        def finish(found: FoundModes) -> None:
            self.bare = Answer(without, evaluate(without), found.modes, (), found.seconds)
            self.choice_changed.emit()

        self.jobs.start("bare", work, finish, self._tell)

    @property
    def bare_partner(self) -> int | None:
        """Place of the chosen mode among those without preload, found by its shape."""
        index = self.chosen_index
        if self.bare is None or self.answer is None or index is None:
            return None
        number = self.answer.modes.mode(index).number
        for effect in effects(self.bare.modes, self.answer.modes):
            if effect.number_after == number and effect.number is not None:
                place = effect.number - 1 - self.bare.modes.skipped
                return self.bare.modes.rigid_count + place
        return None

    def _find_contacts(self, sheet: Sheet, design: Design) -> None:
        """See in the background which parts touch, and how heavy each is."""
        if len(design.solid_parts) < 2:
            self.contacts = ()
            self.parts_changed.emit()
            return

        engine = self._beside

        def work(progress: Progress) -> tuple[tuple[Contact, ...], dict[str, float]]:
            found: tuple[tuple[Contact, ...], dict[str, float]] = engine.ask(
                find_contacts, sheet.text, sheet.folder, progress=progress
            )
            return found

        def finish(found: tuple[tuple[Contact, ...], dict[str, float]]) -> None:
            self.contacts, self.part_masses = found
            self.parts_changed.emit()

        self.jobs.start(
            "contacts",
            work,
            finish,
            self._tell,
        )

    # -- parts ----------------------------------------------------------------------------------

    @property
    def selected_parts(self) -> tuple[str, ...]:
        """The sheet's parts that are chosen, at least the first."""
        parts = self.sheet.content.parts
        return tuple(name for name in self.selected if name in parts) or (next(iter(parts)),)

    def select(self, names: Iterable[str]) -> None:
        """Choose parts of the sheet to work on."""
        chosen = tuple(names)
        if chosen != self.selected:
            self.selected = chosen
            self.parts_changed.emit()

    def set_view(self, names: Iterable[str], view: str) -> None:
        """Show parts of the design “shown”, “faint” (see-through) or “hidden”."""
        self.views |= dict.fromkeys(names, view)
        self.parts_changed.emit()

    def light(self, names: Iterable[str]) -> None:
        """Outline some parts in the picture."""
        self.lit = frozenset(names)
        self.parts_changed.emit()

    def seen(self, view: str) -> frozenset[str]:
        """Parts of the design that are shown in a way."""
        return frozenset(name for name, how in self.views.items() if how == view)

    def _find_pulls(self) -> None:
        answer = self.answer
        if answer is None or answer.sheet is not self.sheet or not answer.design.knobs:
            return
        engine, place = self._engine, (answer.sheet.text, answer.sheet.folder, self.path)

        def work(progress: Progress) -> Mapping[str, Pull]:
            found: Mapping[str, Pull] = engine.ask(find_pulls, *place, progress=progress)
            return found

        def finish(found: Mapping[str, Pull]) -> None:
            if self.answer is answer:
                self.answer = replace(answer, pulls=found)
                self.choice_changed.emit()

        self.jobs.start("pulls", work, finish, self._tell)

    def choose(self, identity: int) -> None:
        """Choose a mode by its branch."""
        if identity != self.chosen:
            self.chosen = identity
            self.choice_changed.emit()

    def choose_neighbour(self, step: int) -> None:
        """Choose the next mode up or down in frequency."""
        if self.answer is None or not self.answer.identities:
            return
        identities = self.answer.identities
        here = identities.index(self.chosen) if self.chosen in identities else 0
        self.choose(identities[min(max(here + step, 0), len(identities) - 1)])

    @property
    def chosen_index(self) -> int | None:
        """Place of the chosen mode in the mode list, if there is one."""
        return self.answer.index_of(self.chosen) if self.answer else None

    @property
    def chosen_mode(self) -> Mode | None:
        """The chosen mode."""
        index = self.chosen_index
        return self.answer.modes.mode(index) if self.answer and index is not None else None

    # -- end ------------------------------------------------------------------------------------

    def close(self, recoverable: bool = False) -> None:
        """Stop all work; unsaved changes stay on disk only where they are ``recoverable``."""
        self._pull_timer.stop()
        self.jobs.close()
        self.tuning.close()
        self._engine.close()
        self._beside.close()
        if not recoverable:
            self._journal.clear()


def _content(path: FilePath) -> str | None:
    """The text of a file, or ``None`` where it cannot be read."""
    try:
        return read_text(path, MOST_BYTES, "a sheet")
    except FileError:
        return None
