"""What the window shows: one sheet with its history, its answers, and what is chosen.

Every panel reads this and asks it for changes; no panel talks to another. Sheets and results are
immutable values, so a panel can never see half of a change.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path as FilePath

from PySide6.QtCore import QObject, QTimer, Signal

from belltone.design.values import Design, KnobValue
from belltone.desk.session.answer import Answer
from belltone.desk.session.compared import Compared
from belltone.desk.session.ghosts import GhostCurves
from belltone.desk.session.hand_curves import HandCurves
from belltone.desk.session.handing import Handing
from belltone.desk.session.identity import carry_over
from belltone.desk.session.jobs import Jobs
from belltone.desk.session.measuring import Measuring
from belltone.desk.session.models import Models
from belltone.desk.session.others import Others
from belltone.desk.session.pairs import with_other_end
from belltone.desk.session.pointing import Pointing
from belltone.desk.session.proposals import Proposals
from belltone.desk.session.reaching import Reaching
from belltone.desk.session.sheet_file import SheetFile
from belltone.desk.session.sheet_parts import SheetParts
from belltone.desk.session.surveys import Surveys
from belltone.desk.session.tuning import Tuning
from belltone.desk.session.turned import Known, answer_at, count_asked, outside_words
from belltone.desk.session.variants import Variants
from belltone.desk.session.workplace import Workplace
from belltone.modes.modeset import Mode, ModeSet
from belltone.progress import Progress
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.document import Sheet, read_sheet, write_sheet
from belltone.sheet.errors import Path, SheetError, in_a_line, path_text
from belltone.sheet.history import History
from belltone.store.failures import error_words
from belltone.store.journal import Journal
from belltone.sweep.engine import Engine, Questions
from belltone.tune.bands import verdict
from belltone.tune.pull import Pull
from belltone.tune.questions import FoundModes, find_modes, find_pulls

__all__ = ["Session"]

_LOG = logging.getLogger("belltone")

_WHERE = frozenset(("placement", "from", "to", "path", "nodes"))  # of a part, what is its place
_PULL_DELAY_MS = 150  # pulls wait until the numbers have come to rest


def _most_troubled(modes: ModeSet, design: Design) -> int:
    """The mode to look at first: the lowest in a band, else in a margin, else of all."""
    found = verdict(modes, design.bands, design.margin)
    numbers = [number for number, _ in (*found.inside, *found.margin)]
    return numbers[0] - 1 if numbers else 0


@dataclass(frozen=True)
class _Draft:
    """A sheet that is shown and not written yet, with what it would be called as a step.

    One ``tried`` is written when it is told to stay, or when somebody edits it further; ``rest``
    is the answer about the sheet as written.
    """

    label: str
    sheet: Sheet
    tried: bool = False
    rest: Answer | None = None


@dataclass(frozen=True)
class _Turn:
    """A knob being turned: its value now, and how things stood before the hand took it."""

    knob: str
    value: float
    written: Design
    rest: Answer | None


class Session(QObject):
    """One open sheet and everything known about it."""

    sheet_changed = Signal()
    answer_changed = Signal()
    choice_changed = Signal()
    told = Signal(str)
    turned = Signal()
    knob_chosen = Signal(str)
    opened_another = Signal()

    def __init__(
        self,
        sheet: Sheet,
        path: FilePath | None,
        journal: Journal,
        engines: tuple[Questions, Questions, Questions] | None = None,
    ) -> None:
        super().__init__()
        self.jobs = Jobs(self)
        self.compared = Compared(self.jobs, self)
        # One answers what the sheet is asked first, one what goes beside it, one makes models.
        self._engine, self._beside, self._modeller = engines or (
            Engine(),
            Engine(),
            Engine(patient=True),
        )
        self._journal = journal
        self._pull_timer = QTimer(self, singleShot=True, interval=_PULL_DELAY_MS)
        self._pull_timer.timeout.connect(self._find_pulls)
        self.opened = 0  # counts sheets opened, so that no field keeps what belongs to another
        self._load(sheet, path)
        self.models = Models(self, self._modeller, self)
        self.workplace = Workplace()
        self.pointing = Pointing(self)
        self.tuning = Tuning(self, self)
        self.reaching = Reaching(self, self._modeller, self)
        self.surveys = Surveys(self, self)
        self.proposals = Proposals(self, self._modeller, self)
        self.handing = Handing(self, self._modeller, self)
        self.measuring = Measuring(self, self._modeller, self)
        self.variants = Variants(self, self._beside, self)
        self.variants.changed.connect(self._keep_variants)
        self.others = Others(self, self._beside, self)
        self.parts = SheetParts(self, self._beside, self)
        self.hand = HandCurves(self, self)
        self.ghosts = GhostCurves(self, self._modeller, self)
        self.answer_changed.connect(self.variants.consider)
        self.compared.changed.connect(self.choice_changed)
        self.variants.load()

    def _load(self, sheet: Sheet, path: FilePath | None, saved: str | None = None) -> None:
        self._family = DesignFamily(sheet)
        self.design = self._family.at()
        self.history = History(sheet)
        self._file = SheetFile.at(path, sheet.text if saved is None else saved)
        self.wrong: dict[Path, tuple[str, str]] = {}
        self.answer: Answer | None = None
        self.failure = ""
        self.stopped = False  # whether the modes of the sheet were stopped on their way
        self.chosen: int = 0
        self.before: Answer | None = None
        self._draft: _Draft | None = None
        self._turn: _Turn | None = None

    # -- the sheet ------------------------------------------------------------------------------

    @property
    def sheet(self) -> Sheet:
        """The sheet as it stands, in the middle of a gesture too."""
        return self.history.present if self._draft is None else self._draft.sheet

    @property
    def written_sheet(self) -> Sheet:
        """The sheet as written, whatever is shown."""
        return self.history.present

    @property
    def written(self) -> Design:
        """The design as written, whatever knob is being turned."""
        return self.design if self._turn is None else self._turn.written

    @property
    def turning(self) -> str | None:
        """The knob that is being turned, if one is."""
        return None if self._turn is None else self._turn.knob

    @property
    def path(self) -> FilePath | None:
        """Where the sheet is kept, once it is."""
        return self._file.path

    @property
    def modified(self) -> bool:
        """Whether there is anything to save; what is only tried is not."""
        sheet = self.written_sheet if self.trying else self.sheet
        return sheet.text != self._file.saved

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
        if self.answer is not None and not self.hand.known:
            return False
        return not self._pull_timer.isActive() and (self.answer is not None or bool(self.failure))

    def open_text(self, text: str, path: FilePath | None, variants: str = "") -> None:
        """Take up recovered work as an unsaved edit of ``path``; raises `SheetError`."""
        folder = None if path is None else path.resolve().parent
        self._switch(Sheet.from_text(text, folder), path, "", variants)

    def open(self, path: FilePath) -> None:
        """Open a sheet file; raises `SheetError` and leaves everything as it was."""
        self._switch(read_sheet(path), path)

    def start_new(self, sheet: Sheet) -> None:
        """Begin with another sheet that has no file yet."""
        self._switch(sheet, None)

    def _switch(
        self, sheet: Sheet, path: FilePath | None, saved: str | None = None, variants: str = ""
    ) -> None:
        evaluate(sheet)
        self.jobs.stop("modes")
        self.jobs.stop("pulls")
        for kept in (self.others, self.tuning, self.surveys, self.proposals, self.models):
            kept.forget()
        for asked in (self.parts, self.reaching, self.handing, self.measuring):
            asked.forget()
        self._journal.clear()
        self._load(sheet, path, saved)
        self.variants.load(variants)
        self.opened += 1
        self._after_edit()
        self.answer_changed.emit()
        self.opened_another.emit()

    def save(self, path: FilePath | None = None) -> None:
        """Write the sheet; raises ``OSError``. A design only tried is not what is saved."""
        self.give_up()
        self.end_gesture()
        target = path or self.path
        assert target is not None
        moved = self.sheet.for_folder(target.parent)
        if moved.text != self.sheet.text:
            # Files it names by where they are from its old folder stay the same files.
            self.edit("names of files", lambda _sheet: moved)
        write_sheet(self.sheet, target)
        before, self._file = self.path, SheetFile.at(target, self.sheet.text)
        self.variants.keep_beside(before)
        self._journal.clear()
        self.sheet_changed.emit()

    def changed_on_disk(self) -> str | None:
        """The text of the sheet's file, where somebody else has changed it since it was read."""
        return self._file.changed(self.sheet.text)

    def take_from_disk(self, text: str) -> str | None:
        """Take up what the file holds as a step that can be undone; what is wrong is returned."""
        before = self._file
        self._file = before.taken(text)
        problem = self.edit("what the file holds", lambda _: Sheet.from_text(text, before.folder))
        if problem is not None:
            self._file = before
        return problem

    def keep_from_disk(self, text: str) -> None:
        """Go on with what the window shows: it differs from the file, and is to be saved."""
        self._file = self._file.taken(text)
        self._keep_safe()

    def edit(
        self,
        label: str,
        change: Callable[[Sheet], Sheet],
        gesture: str | None = None,
        at: Path = (),
    ) -> str | None:
        """Apply an edit if its result is a good sheet; return what is wrong otherwise.

        Edits of one ``gesture`` (one drag) become a step of undo, and are kept safe, when it ends.
        What is wrong ``at`` the place edited is told without its name.
        """
        if gesture is None:
            self.end_gesture()
        try:
            sheet = change(self.sheet)
            family = DesignFamily(sheet)
            design = family.at()
        except SheetError as error:
            return in_a_line(error.findings, at)
        if sheet.text == self.sheet.text:
            return None
        _LOG.info("edit: %s", label)
        self._family, self.design = family, design
        if gesture is None:
            self.history = self.history.record(label, sheet)
            self._after_edit()
        else:
            self._draft = _Draft(label, sheet)
            self.sheet_changed.emit()
            self.solve()
        return None

    def set_value(self, path: Path, text: str, gesture: str | None = None) -> str | None:
        """Write one value; what is wrong with it is returned, kept, and shown at its field.

        While several parts are chosen, a number of one is that of all that have it, but for
        where it lies.
        """
        alike = self._alike(path)
        label = f"change of {path_text(path)}" + (f" in {len(alike)} parts" if alike[1:] else "")
        made: dict[Path, str] = dict.fromkeys(alike, text)
        problem = self.edit(label, lambda sheet: sheet.with_values(made), gesture, path)
        both = with_other_end(self.sheet, path, text) if problem is not None else None
        if both is not None:
            problem = self.edit(label, lambda sheet: sheet.with_values(both), gesture) and problem
        self.mark_wrong(path, text, problem)
        return problem

    def _alike(self, path: Path) -> list[Path]:
        """The path, and those of the same value of every other part that is chosen.

        Where parts lie is each one's own: they would come to lie on one another.
        """
        chosen = self.parts.chosen
        if path[0] != "parts" or path[1] not in chosen or path[2] in _WHERE:
            return [path]
        others = [("parts", name, *path[2:]) for name in chosen if name != path[1]]
        return [path, *(other for other in others if other in self.sheet.values)]

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
        """The drag is over: what it came to is written, as one step."""
        turn, draft = self._turn, self._draft
        self._turn = self._draft = None
        if draft is not None:
            self.history = self.history.record(draft.label, draft.sheet)
            self._keep_safe()
        if turn is None:
            return
        self.design = turn.written
        shown, self.answer, self.failure = self.answer, turn.rest, ""
        before = self.sheet.text
        if turn.value == self.design.knobs[turn.knob].value:
            self._show_again()
            return
        text = self.design.knobs[turn.knob].exact_text(float(f"{turn.value:.12g}"))
        path = ("knobs", turn.knob, "value")
        problem = self.edit(f"change of {path_text(path)}", lambda now: now.with_value(path, text))
        if problem is not None:
            self.told.emit(problem)
        elif shown is not None and self.sheet.text != before and self.answer is turn.rest:
            # What the hand left stands until the exact answer is there.
            self.before = turn.rest
            self.answer = replace(shown, sheet=self.sheet, design=self.design)
        self._show_again()

    @property
    def trying(self) -> str:
        """What the design that is shown and not written would be called, if one is."""
        return self._draft.label if self._draft is not None and self._draft.tried else ""

    def try_out(self, label: str, sheet: Sheet, modes: ModeSet | None = None) -> str | None:
        """Show another design, with its ``modes`` where they are known, and write nothing.

        `end_gesture` writes it, as one step; `give_up` goes back. Returns what is wrong with it.
        """
        if not self.trying:
            self.end_gesture()
        rest = self._draft.rest if self._draft is not None else self.answer
        try:
            family = DesignFamily(sheet)
            design = family.at()
        except SheetError as error:
            return in_a_line(error.findings)
        self._family, self.design = family, design
        self._draft = _Draft(label, sheet, True, rest)
        if modes is not None:
            shown = modes.limited(count_asked(design, modes))
            self._take(sheet, design, shown, 0.0, final=False)
        self.sheet_changed.emit()
        self.solve()
        return None

    def give_up(self) -> None:
        """Go back from a design that was only tried to the sheet as written."""
        draft = self._draft
        if draft is None or not draft.tried:
            return
        self._draft = None
        self._family = DesignFamily(self.history.present)
        self.design = self._family.at()
        rest = draft.rest
        if rest is not None:
            self.answer, self.failure = rest, ""
        self.sheet_changed.emit()
        if rest is not None and rest.final and rest.sheet.text == self.sheet.text:
            self.jobs.stop("modes")
            self._show_again()
        else:
            self.solve()

    def give_up_turn(self) -> None:
        """Let a knob go back to where it was; nothing was written."""
        turn, self._turn = self._turn, None
        if turn is not None:
            self.design, self.answer, self.failure = turn.written, turn.rest, ""
            self._show_again()

    def _show_again(self) -> None:
        self.models.consider()
        self.answer_changed.emit()
        self.choice_changed.emit()
        self.turned.emit()

    def turn_knob(self, name: str, value: float) -> str | None:
        """Show what a knob would do at a value of its unit, and write nothing until the drag ends.

        Returns what is wrong with the value.
        """
        if self._draft is not None or (self._turn is not None and self._turn.knob != name):
            self.end_gesture()
        turn = self._turn
        if turn is None:
            self.models.first(name)
            turn = _Turn(name, self.design.knobs[name].value, self.design, self.answer)
        knob = turn.written.knobs[name]
        try:
            design = self._family.at(knob.turned(value))
        except SheetError as error:
            return in_a_line(error.findings, ("knobs", name, "value"))
        self._turn, self.design = replace(turn, value=value), design
        self._show_turned(knob, value)
        return None

    def _show_turned(self, knob: KnobValue, value: float) -> None:
        """The modes at the value a knob is turned to, as far as anybody can tell at once."""
        assert self._turn is not None
        rest = self._turn.rest
        if rest is not None and not self.wrong:
            models, name = self.models, knob.name
            known = Known(models.of(name), models.older(name), models.about(name))
            parts = (rest, self.sheet, self.design, knob, value * knob.scale)
            self.answer, self.failure = answer_at(*parts, known)
        self.answer_changed.emit()
        self.turned.emit()

    def set_knob(self, name: str, value: float) -> str | None:
        """Write the value of a knob, in its unit."""
        text = self.design.knobs[name].exact_text(float(f"{value:.12g}"))
        return self.set_value(("knobs", name, "value"), text)

    def undo(self) -> None:
        """Take the last edit back."""
        self.end_gesture()
        self._travel(self.history.undo())

    def redo(self) -> None:
        """Make the last undone edit again."""
        self.end_gesture()
        self._travel(self.history.redo())

    def _travel(self, history: History) -> None:
        if history is self.history:
            return
        self.history = history
        self._family = DesignFamily(history.present)
        self.design = self._family.at()
        self._after_edit()

    def _after_edit(self) -> None:
        # A field whose value the sheet has no more takes its unusable text with it.
        self.wrong = {path: entry for path, entry in self.wrong.items() if self._has(path)}
        self._keep_safe()
        self.solve()
        self.models.consider()

    def _keep_safe(self) -> None:
        """Keep what is not saved where a crash cannot reach it, and tell who shows the sheet."""
        # Variants have a file of their own once the sheet has one.
        variants = self.variants.text if self.path is None else ""
        if self.modified or variants:
            try:
                self._journal.record(self.path, self.sheet.text, variants)
            except OSError as error:
                self.told.emit(f"unsaved work cannot be kept safe: {error.strerror}")
        else:
            self._journal.clear()
        self.sheet_changed.emit()

    def _keep_variants(self) -> None:
        if self.path is None and self.variants.text:
            self._keep_safe()

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
            self.models.consider()
            self.parts.look(sheet, design)
            self.others.find_bare(sheet)

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
        same = old is not None and old.sheet.text == sheet.text and self._turn is None
        if final and same and old is not None and old.source == "model":
            outside = outside_words(old.modes, modes, self.models.bound)
            if outside:
                self.told.emit(outside)
        identities = carry_over(old.modes if old else None, old.identities if old else (), modes)
        self.answer = Answer(sheet, design, modes, identities, seconds, final=final)
        self.failure = ""
        if self._turn is not None:
            # The hand goes on from the better answer.
            self._turn = replace(self._turn, rest=self.answer)
            knob = self._turn.written.knobs[self._turn.knob]
            self._show_turned(knob, self._turn.value)
            return
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

    @property
    def bare(self) -> Answer | None:
        """The modes without preload, once they are known."""
        return self.others.bare

    @property
    def bare_partner(self) -> int | None:
        """Place of the chosen mode among them."""
        return self.others.bare_partner

    def _find_pulls(self) -> None:
        answer = self.answer
        if answer is None or answer.sheet is not self.sheet or not answer.design.knobs:
            return
        engine, place = self._engine, (answer.sheet.text, answer.sheet.folder, self.path)

        def work(progress: Progress) -> Mapping[str, Pull]:
            found: Mapping[str, Pull] = engine.ask(find_pulls, *place, progress=progress)
            return found

        def finish(found: Mapping[str, Pull]) -> None:
            if self._turn is not None and self._turn.rest is answer:
                self._turn = replace(self._turn, rest=replace(answer, pulls=found))
            elif self.answer is answer:
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
        self.models.close()
        self.jobs.close()
        self.workplace.close()
        for engine in (self._engine, self._beside, self._modeller):
            engine.close()
        if not recoverable:
            self._journal.clear()
