"""What the window shows: one sheet with its history, its answers, and what is chosen.

Every panel reads this and asks it for changes; no panel talks to another. Sheets and results are
immutable values, so a panel can never see half of a change.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path as FilePath
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from belltone.desk.identity import carry_over
from belltone.desk.jobs import Jobs
from belltone.modes.modeset import Mode, ModeSet
from belltone.modes.solve import request_for, solve_modes
from belltone.progress import Progress
from belltone.sheet.design import Design
from belltone.sheet.document import Sheet, read_sheet, write_sheet
from belltone.sheet.errors import Path, SheetError, path_text
from belltone.sheet.evaluate import evaluate
from belltone.sheet.history import History
from belltone.store.journal import Journal
from belltone.store.results import ResultStore, store_path
from belltone.sweep.plan import default_plan
from belltone.sweep.runner import Sweep, run_sweep
from belltone.sweep.work import start_workers
from belltone.tune.bands import verdict
from belltone.tune.clear import ClearInterval, clear_intervals
from belltone.tune.pull import pulls
from belltone.tune.reach import Reach, reach

__all__ = ["Answer", "Session", "SweepAnswer"]

_PULL_DELAY_MS = 150  # pulls wait until the numbers have come to rest


@dataclass(frozen=True)
class Answer:
    """Modes, and the very sheet and design they belong to."""

    sheet: Sheet
    design: Design
    modes: ModeSet
    identities: tuple[int, ...]
    pulls: Mapping[str, NDArray[np.float64]] | None = None

    def index_of(self, identity: int) -> int | None:
        """The place in the mode list of a branch, if it is among the modes found."""
        if identity in self.identities:
            return self.modes.rigid_count + self.identities.index(identity)
        return None

    def identity_at(self, index: int) -> int | None:
        """The branch of the mode at a place; rigid modes have none."""
        flexible = index - self.modes.rigid_count
        return self.identities[flexible] if flexible >= 0 else None


@dataclass(frozen=True)
class SweepAnswer:
    """A sweep, its clear intervals (``None`` while being found), and its branches' identities."""

    sweep: Sweep
    identities: tuple[int, ...]
    excitation: tuple[Any, ...]
    intervals: tuple[ClearInterval, ...] | None


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
    sweep_changed = Signal()
    reached = Signal()
    told = Signal(str)

    def __init__(self, sheet: Sheet, path: FilePath | None, journal: Journal) -> None:
        super().__init__()
        self.jobs = Jobs(self)
        self._journal = journal
        self._workers: ProcessPoolExecutor | None = None
        self._pull_timer = QTimer(self, singleShot=True, interval=_PULL_DELAY_MS)
        self._pull_timer.timeout.connect(self._find_pulls)
        self.path: FilePath | None = None
        self._load(sheet, path)

    def _load(self, sheet: Sheet, path: FilePath | None, saved: str | None = None) -> None:
        self.design = evaluate(sheet)
        self.history = History(sheet)
        self.path = path
        self._saved = sheet.text if saved is None else saved
        self.wrong: dict[Path, tuple[str, str]] = {}
        self.answer: Answer | None = None
        self.failure = ""
        self.chosen: int = 0
        self.sweep: SweepAnswer | None = None
        self.sweep_failure = ""
        self.reach: Reach | None = None
        self.reach_failure = ""
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
        self._switch(Sheet.from_text(text), path, saved="")

    def open(self, path: FilePath) -> None:
        """Open a sheet file; raises `SheetError` and leaves everything as it was."""
        self._switch(read_sheet(path), path)

    def start_new(self, sheet: Sheet) -> None:
        """Begin with another sheet that has no file yet."""
        self._switch(sheet, None)

    def _switch(self, sheet: Sheet, path: FilePath | None, saved: str | None = None) -> None:
        evaluate(sheet)
        for lane in ("modes", "pulls", "sweep", "clear", "reach"):
            self.jobs.stop(lane)
        self._journal.clear()
        self._load(sheet, path, saved)
        self._after_edit()
        self.answer_changed.emit()
        self.sweep_changed.emit()
        self.reached.emit()

    def save(self, path: FilePath | None = None) -> None:
        """Write the sheet; raises ``OSError``."""
        target = path or self.path
        assert target is not None
        write_sheet(self.sheet, target)
        self.path = target
        self._saved = self.sheet.text
        self._journal.clear()
        self.sheet_changed.emit()

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
        self.wrong.clear()
        self._gesture = None
        self._after_edit()

    def _after_edit(self) -> None:
        if self.modified:
            try:
                self._journal.record(self.path, self.sheet.text)
            except OSError as error:
                self.told.emit(f"unsaved work cannot be kept safe: {error.strerror}")
        else:
            self._journal.clear()
        self.reach, self.reach_failure = None, ""
        self.sheet_changed.emit()
        self.solve()
        self._check_sweep()

    # -- modes ----------------------------------------------------------------------------------

    def solve(self) -> None:
        """Solve for the modes of the sheet as it stands, in the background."""
        sheet, design = self.sheet, self.design
        self._pull_timer.stop()
        self.jobs.stop("pulls")

        def work(progress: Progress) -> ModeSet:
            return solve_modes(design, request_for(design), progress=progress)

        def finish(modes: ModeSet) -> None:
            old = self.answer
            identities = carry_over(
                old.modes if old else None, old.identities if old else (), modes
            )
            self.answer = Answer(sheet, design, modes, identities)
            self.failure = ""
            if (old is None or self.chosen not in identities) and identities:
                self.chosen = identities[_most_troubled(modes, design)]
            self.answer_changed.emit()
            self.choice_changed.emit()
            self._pull_timer.start()

        def fail(error: Exception) -> None:
            self.failure = str(error) or type(error).__name__
            self.answer_changed.emit()

        self.jobs.start("modes", work, finish, fail)
        self.answer_changed.emit()

    def _find_pulls(self) -> None:
        answer = self.answer
        if answer is None or answer.sheet is not self.sheet or not answer.design.knobs:
            return
        request = request_for(answer.design)

        def work(progress: Progress) -> Mapping[str, NDArray[np.float64]]:
            return pulls(answer.sheet, answer.modes, request, progress)

        def finish(found: Mapping[str, NDArray[np.float64]]) -> None:
            if self.answer is answer:
                self.answer = replace(answer, pulls=found)
                self.choice_changed.emit()

        self.jobs.start("pulls", work, finish, lambda error: self.told.emit(str(error)))

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

    # -- sweep, clear intervals, reach ----------------------------------------------------------

    def workers(self) -> ProcessPoolExecutor:
        """The pool of worker processes, started at first use and again after a loss."""
        if self._workers is None or getattr(self._workers, "_broken", False):
            self._workers = start_workers()
        return self._workers

    def run_sweep(self, knob: str, points: int) -> None:
        """Sweep a knob over its range in worker processes."""
        sheet, design, path = self.sheet, self.design, self.path
        plan = default_plan(design.knobs[knob], points)
        workers = self.workers()
        self.sweep_failure = ""

        def work(progress: Progress) -> Sweep:
            with ResultStore(store_path(path)) as store:
                return run_sweep(sheet, plan, workers, store, progress)

        def finish(found: Sweep) -> None:
            self._take_sweep(found)

        def fail(error: Exception) -> None:
            self.sweep_failure = str(error) or type(error).__name__
            self.sweep_changed.emit()

        self.jobs.start("sweep", work, finish, fail)
        self.sweep_changed.emit()

    def stop_sweep(self) -> None:
        """Stop the sweep; its finished points are kept on disk."""
        if self.jobs.state("sweep") is not None:
            self.jobs.stop("sweep")
            self.told.emit("Sweep stopped; its finished points are kept and will not be redone.")
            self.sweep_changed.emit()

    def _take_sweep(self, found: Sweep) -> None:
        identities = self._branch_identities(found)
        self.sweep = SweepAnswer(found, identities, (), None)
        self._find_clear()
        self.sweep_changed.emit()

    def _branch_identities(self, sweep: Sweep) -> tuple[int, ...]:
        """Tell which branch of the sweep is which mode shown, at the knob's present value."""
        if self.answer is None:
            return tuple(range(len(sweep.branches)))
        value = self.answer.design.knobs[sweep.knob.name].value
        solved = [index for index, found in enumerate(sweep.sets) if found is not None]
        here = min(solved, key=lambda index: abs(sweep.values[index] - value))
        found = sweep.sets[here]
        assert found is not None
        at_point = carry_over(self.answer.modes, self.answer.identities, found)
        identities: list[int] = []
        spare = max((*at_point, *self.answer.identities), default=0) + 1
        for branch in sweep.branches:
            place = branch.places[here]
            if place >= 0:
                identities.append(at_point[place])
            else:
                identities.append(spare)
                spare += 1
        return tuple(identities)

    def _check_sweep(self) -> None:
        """After an edit: the clear intervals may need finding again."""
        if self.sweep is None:
            return
        if self.sweep_is_current and self.sweep.excitation != self._excitation():
            self._find_clear()
        self.sweep_changed.emit()

    @property
    def sweep_is_current(self) -> bool:
        """Whether the sweep shown belongs to the design written, but for the knob it sweeps."""
        if self.sweep is None:
            return False
        sweep = self.sweep.sweep
        name = sweep.knob.name
        if name not in self.design.knobs or not self.design.knobs[name].literal:
            return False
        same = {name: ""}
        limit = request_for(self.design).up_to or 0.0
        return (
            sweep.sheet.answer_hash(same) == self.sheet.answer_hash(same)
            and limit <= (sweep.request.up_to or 0.0)
            and not self.wrong
        )

    def _excitation(self) -> tuple[Any, ...]:
        return (self.design.bands, self.design.margin)

    def _find_clear(self) -> None:
        assert self.sweep is not None
        answer, bands, margin = self.sweep, self.design.bands, self.design.margin
        pending = replace(answer, excitation=self._excitation(), intervals=None)
        self.sweep = pending

        def work(progress: Progress) -> tuple[ClearInterval, ...]:
            return clear_intervals(answer.sweep, bands, margin, progress)

        def finish(found: tuple[ClearInterval, ...]) -> None:
            if self.sweep is pending:
                self.sweep = replace(pending, intervals=found)
                self.sweep_changed.emit()

        self.jobs.start("clear", work, finish, lambda error: self.told.emit(str(error)))

    def nearest_clear(self) -> float | None:
        """The nearest value of the swept knob at which every band is clear, if one is known."""
        if self.sweep is None or not self.sweep.intervals or not self.sweep_is_current:
            return None
        value = self.design.knobs[self.sweep.sweep.knob.name].value
        inside = [interval.clamp(value) for interval in self.sweep.intervals]
        return min(inside, key=lambda candidate: abs(candidate - value))

    def start_reach(self, target: float, knob: str, tolerance: float | None) -> None:
        """Ask for the knob value that brings the chosen mode to ``target`` (Hz)."""
        mode = self.chosen_mode
        if mode is None or mode.rigid:
            return
        sheet, path, workers = self.sheet, self.path, self.workers()
        self.reach, self.reach_failure = None, ""

        def work(progress: Progress) -> Reach:
            with ResultStore(store_path(path)) as store:
                return reach(
                    sheet, mode.number, target, knob, workers, tolerance, None, store, progress
                )

        def finish(found: Reach) -> None:
            self.reach = found
            self.edit(f"reach of {target:g} Hz", lambda _: found.sheet)
            self.reach = found
            self.reached.emit()

        def fail(error: Exception) -> None:
            self.reach_failure = str(error)
            self.reached.emit()

        self.jobs.start("reach", work, finish, fail)
        self.reached.emit()

    # -- end ------------------------------------------------------------------------------------

    def close(self) -> None:
        """Stop all work; saved or discarded, nothing is left to recover."""
        self._pull_timer.stop()
        self.jobs.close()
        if self._workers is not None:
            self._workers.shutdown(wait=True, cancel_futures=True)
            self._workers = None
        self._journal.clear()
