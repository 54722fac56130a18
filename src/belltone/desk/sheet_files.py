"""Files of sheets: opened, saved, begun from what somebody sent; unsaved work is guarded."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Final

from PySide6.QtCore import QMimeData, QSettings
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from belltone.desk.arrival_dialog import ArrivalDialog
from belltone.desk.changed_file import ChangedFileDialog, Decision
from belltone.desk.fields import LiveNumber
from belltone.desk.reading_ahead import read_ahead
from belltone.desk.recent import recent_paths, remember
from belltone.desk.session.session import Session
from belltone.exchange.arriving import ENDINGS, kind_of
from belltone.exchange.frame_tables import FrameTableError, frame_arrival
from belltone.exchange.revisions import Revised, revisable
from belltone.files import MOST_SHEET_BYTES, FileError, read_text, same_file
from belltone.reading.family import evaluate
from belltone.sheet.demo import is_demo
from belltone.sheet.document import Sheet, read_sheet
from belltone.sheet.errors import SheetError, path_text
from belltone.sheet.salvage import salvaged

__all__ = ["SheetFiles", "dropped"]

_FILES: Final = (
    f"Files somebody sent ({' '.join('*' + ending for ending in ENDINGS)});;All files (*)"
)
_MOST_LISTED: Final = 12


class SheetFiles:
    """Where the sheet of one window comes from and goes to; asks in front of that window."""

    def __init__(self, session: Session, settings: QSettings, window: QWidget) -> None:
        self._session, self._settings, self._window = session, settings, window
        self._asking = False
        # Whether another window has a sheet open, which it then brings to the front.
        self.elsewhere: Callable[[Path], bool] = lambda _path: False

    def ask_open(self) -> None:
        """Ask for a sheet and open it."""
        start = str(self._session.path.parent) if self._session.path else ""
        name, _ = QFileDialog.getOpenFileName(
            self._window, "Open a sheet", start, "Sheets (*.toml)"
        )
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> bool:
        """Open a sheet, after a word about unsaved work; a bad one is explained and not opened."""
        if self.elsewhere(path):
            return True
        if not self.may_discard():
            return False
        try:
            if not read_ahead(read_sheet(path), self._window):
                return False
            self._session.open(path)
        except SheetError as error:
            return self._open_damaged(path, error)
        self.remember(path)
        return True

    def _open_damaged(self, path: Path, error: SheetError) -> bool:
        """Offer what can be read of a sheet that is not whole, with what is missing named."""
        folder = path.resolve().parent

        def read(text: str) -> Sheet:
            sheet = Sheet.from_text(text, folder)
            evaluate(sheet)
            return sheet

        try:
            found = salvaged(read_text(path, MOST_SHEET_BYTES, "a sheet"), read)
        except FileError:
            found = None
        if found is None:
            self.tell_wrong(path, error)
            return False
        buttons = QMessageBox.StandardButton
        text = (
            f"“{path.name}” cannot be read as it stands. It can be opened without these, as a new "
            f"sheet; the file stays as it is:\n\n{_listed(found.lost)}"
        )
        answer = QMessageBox.question(
            self._window,
            "The sheet is not whole",
            text,
            buttons.Open | buttons.Cancel,
            buttons.Open,
        )
        if answer != buttons.Open:
            return False
        self._session.start_new(found.sheet)
        self._session.told.emit(f"opened without {len(found.lost)} things of “{path.name}”")
        return True

    def tell_wrong(self, path: Path, error: SheetError) -> None:
        """Explain what is wrong with a sheet file."""
        lines = _listed([str(finding) for finding in error.findings])
        QMessageBox.warning(self._window, "The sheet cannot be opened", f"{path.name}\n\n{lines}")

    @property
    def _own_path(self) -> Path | None:
        """Where the sheet is kept: nowhere while it is new, or a demo."""
        path = self._session.path
        return None if path is None or is_demo(path) else path

    def save(self) -> bool:
        """Save; asks for a name when there is none, and for a demo, which stays as it came.

        Returns whether the sheet is on disk.
        """
        self.take_what_is_typed()
        path = self._own_path
        return self.save_as() if path is None else self._write(path)

    def save_as(self) -> bool:
        """Save under a name asked for."""
        start = self._session.path or Path.home() / "sheet.toml"
        if is_demo(start):
            start = Path.home() / start.name
        name, _ = QFileDialog.getSaveFileName(
            self._window, "Save the sheet as", str(start), "Sheets (*.toml)"
        )
        if not name:
            return False
        path = Path(name)
        return self._write(path if path.suffix else path.with_suffix(".toml"))

    def _write(self, path: Path) -> bool:
        theirs = self._session.changed_on_disk() if self._is_own(path) else None
        if theirs is not None:
            decision = self._ask_of_change(path, theirs, saving=True)
            if decision is Decision.ELSEWHERE:
                return self.save_as()
            if decision is not Decision.MINE:
                return False
        try:
            self._session.save(path)
        except OSError as error:
            QMessageBox.warning(
                self._window,
                "Not saved",
                f"“{path}” cannot be written: {error.strerror or error}.\n"
                "Nothing is lost; choose another place with “Save as”.",
            )
            return False
        self.remember(path)
        self._session.told.emit(f"Saved to {path}")
        return True

    def _is_own(self, path: Path) -> bool:
        own = self._session.path
        return own is not None and (own == path or same_file(own, path))

    def look_at_disk(self) -> None:
        """Say so where the sheet's file was changed by somebody else, and ask what to do."""
        theirs = self._session.changed_on_disk()
        if theirs is None or self._asking or self._session.path is None:
            return
        self._ask_of_change(self._session.path, theirs, saving=False)

    def _ask_of_change(self, path: Path, theirs: str, saving: bool) -> Decision:
        self._asking = True
        dialog = ChangedFileDialog(path, theirs, self._session.sheet.text, saving, self._window)
        try:
            dialog.exec()
        finally:
            self._asking = False
            dialog.deleteLater()
        if dialog.decision is Decision.THEIRS:
            problem = self._session.take_from_disk(theirs)
            if problem is not None:
                QMessageBox.warning(
                    self._window,
                    "Not taken",
                    f"What “{path.name}” holds is no good sheet: {problem}.\n"
                    "The window goes on with what it shows.",
                )
        elif dialog.decision is Decision.MINE and not saving:
            self._session.keep_from_disk(theirs)
        return dialog.decision

    def may_discard(self) -> bool:
        """Ask what to do with unsaved work; returns whether the sheet may be left."""
        self.take_what_is_typed()
        unkept = self._own_path is None and bool(self._session.variants.listed)
        if not self._session.modified and not self._session.wrong and not unkept:
            return True
        text = "The sheet has changes that are not saved."
        if unkept:
            text += "\nIts variants are kept only where it is saved."
        for path, (typed, problem) in self._session.wrong.items():
            text += f"\n\n“{typed}” in “{path_text(path)}” cannot be saved: {problem}."
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._window,
            "Unsaved changes",
            text,
            buttons.Save | buttons.Discard | buttons.Cancel,
            buttons.Save,
        )
        if answer == buttons.Save:
            return self.save()
        return answer == buttons.Discard

    def take_what_is_typed(self) -> None:
        """A value still being typed counts as typed."""
        for number in self._window.findChildren(LiveNumber):
            if number.isVisibleTo(self._window):
                number.commit()

    def recent_paths(self) -> list[Path]:
        """Sheets opened or saved lately, the newest first."""
        return recent_paths(self._settings)

    def remember(self, path: Path) -> None:
        """Put a sheet at the head of the recent ones."""
        remember(self._settings, path)

    def paste_frame(self) -> None:
        """Begin with a frame from a table in the clipboard: nodes, then members."""
        self.new_frame(QGuiApplication.clipboard().text())

    def new_frame(self, text: str) -> None:
        """Begin with a frame from a table's text; what is wrong with it is told."""
        try:
            arrival = frame_arrival(text, "")
            sheet = Sheet.from_text(arrival.text)
            evaluate(sheet)
        except (FrameTableError, SheetError) as error:
            self._session.told.emit(f"no frame: {error}")
            return
        if self.may_discard():
            self._session.start_new(sheet)
            self._session.told.emit("; ".join(arrival.doubts))

    def ask_file(self) -> None:
        """Ask for a file that somebody sent and begin with it."""
        told, _ = QFileDialog.getOpenFileName(self._window, "A file somebody sent", "", _FILES)
        if told:
            self.receive(Path(told))

    def receive(self, path: Path) -> None:
        """Begin with what a file holds, or put it in place of another, once that is told."""
        current = self._session.sheet
        dialog = ArrivalDialog(path, self._window, current, revisable(current, path))
        taken = dialog.exec()
        if taken and dialog.revision is not None:
            self._take_revision(path, dialog.revision)
        elif taken and dialog.sheet is not None and self.may_discard():
            self._session.start_new(dialog.sheet)
        dialog.deleteLater()

    def _take_revision(self, path: Path, found: Revised) -> None:
        """The design before stays as a variant beside the new one."""
        self._session.variants.pin("before " + path.stem)
        self._session.edit(f"{path.name} taken in", lambda _sheet: found.sheet)
        self._session.told.emit("; ".join(found.told))


def dropped(data: QMimeData) -> Path | None:
    """The one file of a drop that the window can begin with."""
    paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
    known = [path for path in paths if path.suffix.lower() == ".toml" or kind_of(path)]
    return known[0] if len(known) == 1 else None


def _listed(words: Sequence[str]) -> str:
    more = len(words) - _MOST_LISTED
    lines = [f"•  {each}" for each in words[:_MOST_LISTED]]
    return "\n".join([*lines, *([f"… and {more} more"] if more > 0 else [])])
