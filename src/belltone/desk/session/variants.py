"""The variants of the open sheet: kept in their file at once, solved in the background."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from PySide6.QtCore import QObject, Signal

from belltone.compare.differs import differences, in_brief
from belltone.compare.likeness import Side
from belltone.compare.variants import (
    Variant,
    VariantsError,
    change_variants,
    dropped,
    free_name,
    moved,
    pinned,
    read_variants,
    renamed,
    variants_of,
    variants_path,
    variants_text,
)
from belltone.desk.session.answer import Answer
from belltone.desk.session.trying import Tryable
from belltone.errors import UserError
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.demo import is_demo
from belltone.sheet.document import Sheet, read_sheet
from belltone.sheet.errors import SheetError, in_a_line
from belltone.store.failures import error_words
from belltone.sweep.engine import Questions
from belltone.tune.questions import FoundModes, find_modes

__all__ = ["LANE", "Variants"]

LANE = "variants"

_FEW, _SHORT = 2, 24  # differences a name may tell, and letters of each

Change = Callable[[tuple[Variant, ...]], tuple[Variant, ...]]


class Varied(Tryable, Protocol):
    """A sheet whose designs are pinned."""

    def edit(
        self, label: str, change: Callable[[Sheet], Sheet], gesture: str | None = None
    ) -> str | None:
        """Make a step; what is wrong with it is returned."""


class Variants(QObject):
    """What is pinned, its answers as far as they are known, and which one stands as a ghost."""

    changed = Signal()

    def __init__(self, session: Varied, engine: Questions, owner: QObject) -> None:
        super().__init__(owner)
        self._session, self._engine = session, engine
        self.listed: tuple[Variant, ...] = ()
        self.ghost = ""
        self._answers: dict[str, Answer] = {}
        self._failures: dict[str, str] = {}
        self._sheets: dict[str, Sheet] = {}
        self._differs: dict[tuple[str, str], str] = {}
        self.file: tuple[str, Sheet] | None = None  # another sheet's, taken up to be compared

    # -- keeping --------------------------------------------------------------------------------

    @property
    def _path(self) -> Path | None:
        path = self._session.path
        return None if path is None or is_demo(path) else variants_path(path)

    @property
    def text(self) -> str:
        """All of them as their file would hold them; nothing where there are none."""
        return variants_text(self.listed) if self.listed else ""

    def load(self, text: str = "") -> None:
        """Take up those of another sheet: from a ``text``, else from the file beside it."""
        self._session.jobs.stop(LANE)
        self.listed, self.ghost, self.file = (), "", None
        for known in (self._answers, self._failures, self._sheets, self._differs):
            known.clear()
        try:
            if text:
                self.listed = variants_of(text)
            elif self._path is not None:
                self.listed = read_variants(self._path)
        except VariantsError as error:
            self._session.told.emit(f"the variants of this sheet cannot be shown: {error}")
        self.changed.emit()
        self.consider()

    def keep_beside(self, before: Path | None) -> None:
        """The sheet was saved; under another name than ``before`` its variants go with it."""
        path = self._path
        if path is None or before == self._session.path or not self.listed:
            return
        self._sheets.clear()  # files they name may stand elsewhere now
        mine = self.listed
        self._change(lambda now: now or mine)

    def _change(self, change: Change) -> str:
        """Change them and keep them; what is wrong is returned."""
        try:
            if self._path is None:
                self.listed = change(self.listed)
            else:
                self.listed = change_variants(self._path, change)
        except VariantsError as error:
            return str(error)
        except OSError as error:
            return f"the variants cannot be kept: {error.strerror or error}"
        if self.ghost not in {each.name for each in self.listed}:
            self.ghost = ""
        self.changed.emit()
        self.consider()
        return ""

    def pin(self, name: str = "", sheet: Sheet | None = None, note: str = "") -> str:
        """Pin a design, that which is shown unless one is given; what is wrong is returned."""
        chosen = (sheet or self._session.sheet).text
        return self._change(lambda now: pinned(now, Variant(free_name(now, name), chosen, note)))

    def pin_shown(self) -> None:
        """Pin the design that is shown, whatever is written, under a name that says what it is."""
        wrong = self.pin(self._session.trying or self.suggested_name())
        name = self.listed[-1].name if self.listed else ""
        self._session.told.emit(
            wrong or f"pinned as “{name}”; right-click it to rename it or to note something"
        )

    def suggested_name(self) -> str:
        """What the design that is shown could be called: by what is new in it.

        Against the last one pinned of which it differs in little.
        """
        if not self.listed:
            return "as drawn"
        for variant in reversed(self.listed):
            sheet = self.sheet(variant.name)
            found = () if sheet is None else differences(sheet, self._session.sheet)
            told = [each for each in found if each.after is not None and len(each.after) < _SHORT]
            if told and len(found) <= _FEW:
                return ", ".join(f"{each.what.rpartition(', ')[2]} {each.after}" for each in told)
        return ""

    def rename(self, name: str, new: str, note: str | None = None) -> str:
        """Rename one, or note something about it; what is wrong is returned."""
        ghost = self.ghost == name
        wrong = self._change(lambda now: renamed(now, name, new, note))
        if ghost and not wrong:
            self.ghost = new.strip()
        return wrong

    def drop(self, name: str) -> str:
        """Drop one; what is wrong is returned."""
        return self._change(lambda now: dropped(now, name))

    def move(self, name: str, step: int) -> str:
        """Bring one so many places on; what is wrong is returned."""
        place = next((at for at, each in enumerate(self.listed) if each.name == name), 0)
        return self._change(lambda now: moved(now, name, max(place + step, 0)))

    def go_back_to(self, name: str) -> str:
        """Make a variant the sheet, as one step; what is wrong is returned."""
        sheet = self.sheet(name)
        if sheet is None:
            return self._failures.get(self._text(name), f"there is no variant “{name}” any more")
        self._session.give_up()
        return self._session.edit(f"return to “{name}”", lambda _: sheet) or ""

    def show_ghost(self, name: str) -> None:
        """Let a variant stand as a ghost on the ruler; none without a name."""
        self.ghost = "" if name == self.ghost else name
        self.changed.emit()

    # -- reading --------------------------------------------------------------------------------

    def _text(self, name: str) -> str:
        return next((each.text for each in self.listed if each.name == name), "")

    def sheet(self, name: str) -> Sheet | None:
        """The sheet of a variant; ``None`` where its text is no sheet any more."""
        text = self._text(name)
        if text in self._failures and text not in self._sheets:
            return None
        if text and text not in self._sheets:
            try:
                self._sheets[text] = Sheet.from_text(text, self._session.sheet.folder)
            except SheetError as error:
                self._failures[text] = in_a_line(error.findings)
        return self._sheets.get(text)

    def answer(self, name: str) -> Answer | None:
        """The modes of a variant, where they are known."""
        return self._answers.get(self._text(name))

    def side(self, name: str) -> Side | None:
        """A variant to be compared, where its modes are known."""
        found = self.answer(name)
        return None if found is None else Side(name, found.design, found.modes)

    def failure(self, name: str) -> str:
        """Why a variant, or the other file, has no modes, where it has none."""
        if self.file is not None and self.file[0] == name:
            return self._failures.get(self.file[1].text, "")
        return self._failures.get(self._text(name), "")

    def take_file(self, path: Path) -> str:
        """Take up another sheet's file to be compared; what is wrong with it is returned."""
        try:
            sheet = read_sheet(path)
            evaluate(sheet)
        except UserError as error:
            return str(error)
        self.file = path.name, sheet
        self.changed.emit()
        self.consider()
        return ""

    @property
    def file_answer(self) -> Answer | None:
        """The modes of that file, where they are known."""
        return None if self.file is None else self._answers.get(self.file[1].text)

    def is_shown(self, name: str) -> bool:
        """Whether the sheet as it stands is this variant."""
        return self._text(name) == self._session.sheet.text

    def differs(self, name: str) -> str:
        """What differs from the first variant, in one line."""
        if not self.listed or self.listed[0].name == name:
            return "the first"
        first, own = self.sheet(self.listed[0].name), self.sheet(name)
        if first is None or own is None:
            return "cannot be read"
        # Asked for again whenever something is shown anew, also while a knob turns.
        key = first.text, own.text
        if key not in self._differs:
            self._differs[key] = in_brief(differences(first, own))
        return self._differs[key]

    # -- solving --------------------------------------------------------------------------------

    def consider(self) -> None:
        """Solve the next variant whose modes are not known, once the sheet's own are there."""
        session = self._session
        answer = session.answer
        if answer is not None and answer.final and not answer.source:
            self._answers[answer.sheet.text] = answer
        if answer is None or not answer.final or session.jobs.state(LANE) is not None:
            return
        others = [] if self.file is None else [self.file[1]]
        for sheet in (*others, *(self.sheet(each.name) for each in self.listed)):
            if sheet is None or sheet.text in self._answers or sheet.text in self._failures:
                continue
            self._solve(sheet)
            return

    def _solve(self, sheet: Sheet) -> None:
        engine, place = self._engine, (sheet.text, sheet.folder, self._session.path)

        def work(progress: Progress) -> FoundModes:
            found: FoundModes = engine.ask(find_modes, *place, progress=progress)
            return found

        def finish(found: FoundModes) -> None:
            try:
                design = evaluate(sheet)
            except UserError as error:
                fail(error)
                return
            answer = Answer(sheet, design, found.modes, (), found.seconds)
            self._answers[sheet.text] = answer
            self.changed.emit()
            self.consider()

        def fail(error: Exception) -> None:
            self._failures[sheet.text] = error_words(error)
            self.changed.emit()
            self.consider()

        self._session.jobs.start(LANE, work, finish, fail)
