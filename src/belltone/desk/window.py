"""The main window: places the panels, holds the menus, guards unsaved work."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Final, TypeVar, cast

from PySide6.QtCore import QEvent, QMimeData, QSettings, Qt, QTimer
from PySide6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QKeySequence,
)
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QMainWindow,
    QMenu,
    QMessageBox,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from belltone import __version__
from belltone.desk.arrival_dialog import ArrivalDialog
from belltone.desk.asking import ask_write
from belltone.desk.beside import Beside
from belltone.desk.cards.sheet_column import SheetColumn
from belltone.desk.changed_file import ChangedFileDialog, Decision
from belltone.desk.charts.plane_view import PlaneView
from belltone.desk.charts.ruler import Ruler
from belltone.desk.charts.speed_view import SpeedView
from belltone.desk.charts.sweep_map import SweepMap
from belltone.desk.comparing.compare_view import CompareView
from belltone.desk.designs.designs_view import DesignsView
from belltone.desk.fields import LiveNumber
from belltone.desk.handing.hand_over_view import HandOverView
from belltone.desk.look import label_font, qt_palette, stylesheet
from belltone.desk.measuring.measured_view import MeasuredView
from belltone.desk.mode_table import ModeTable
from belltone.desk.pictures import ask_write_chart
from belltone.desk.proposals.tuning_view import TuningView
from belltone.desk.reading_ahead import read_ahead
from belltone.desk.readout import Readout
from belltone.desk.session.session import Session
from belltone.desk.shape.shape_view import ShapeView
from belltone.desk.starts import Start, StartDialog
from belltone.desk.variant_strip import VariantStrip
from belltone.desk.verdict_bar import VerdictBar
from belltone.drawing.colours import DARK, LIGHT, Palette
from belltone.exchange.arriving import ENDINGS, kind_of
from belltone.exchange.frame_tables import FrameTableError, frame_arrival
from belltone.exchange.revisions import Revised, revisable
from belltone.exchange.tables import MODE_COLUMNS, as_csv, mode_rows
from belltone.files import same_file, write_text
from belltone.reading.family import evaluate
from belltone.sheet.demo import examples_folder
from belltone.sheet.document import Sheet, read_sheet
from belltone.sheet.errors import SheetError

__all__ = ["NEW_SHEET", "MainWindow"]

W = TypeVar("W", bound=QWidget)

_FILES: Final = (
    f"Files somebody sent ({' '.join('*' + ending for ending in ENDINGS)});;All files (*)"
)
_MOST_RECENT: Final = 8

NEW_SHEET: Final = """\
belltone = 1
title = ""

[parts.bar]
kind = "member"
material = "structural steel"
length = "500 mm"
section = { shape = "solid rectangle", width = "40 mm", height = "20 mm" }

[[supports]]
site = "bar.start"
hold = "clamped"

[excitation]
margin = "10 %"

[accuracy]
target = "0.5 %"
"""


class MainWindow(QMainWindow):
    """One window over one session."""

    def __init__(self, session: Session, settings: QSettings | None = None) -> None:
        super().__init__()
        self.session = session
        self._settings = settings or QSettings()
        self._palette = DARK if self._settings.value("theme") == DARK.name else LIGHT
        self.setAcceptDrops(True)
        self._asking = False
        self._leaving = False
        self.beside = Beside()
        self.verdict = VerdictBar(session, self._palette)
        self.strip = VariantStrip(session, self._palette)
        self.shape = ShapeView(session, self._palette)
        self.map = SweepMap(session, self._palette)
        self.readout = Readout(session, self._palette)
        self.ruler = Ruler(session, self._palette)
        self.column = SheetColumn(session, self._palette)
        self.column.set_all_open(self._settings.value("every card open") in (True, "true"))
        self.setCentralWidget(self._workspace())
        self._menus()
        self.verdict.sweep_asked.connect(self.map.run_or_stop)
        self.verdict.clear_asked.connect(self.show_tuning)
        self.strip.compare_asked.connect(self.show_comparison)
        self.ruler.reach_asked.connect(self.readout.reach.ask_for)
        session.sheet_changed.connect(self._follow)
        session.told.connect(lambda text: self.statusBar().showMessage(text, 9000))
        self.statusBar().messageChanged.connect(
            lambda text: self.statusBar().setVisible(bool(text))
        )
        self.statusBar().hide()
        self.statusBar().setFont(label_font(8.5))
        self.statusBar().setSizeGripEnabled(False)
        self._apply_theme()
        self.resize(1280, 800)
        self._follow()
        if session.answer is None:
            session.solve()

    # -- building -------------------------------------------------------------------------------

    def _workspace(self) -> QWidget:
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.addWidget(self.shape)
        middle.addWidget(self.map)
        middle.setSizes([300, 270])
        middle.setChildrenCollapsible(False)
        across = QSplitter(Qt.Orientation.Horizontal)
        for widget in (self.column, middle, self.readout):
            across.addWidget(widget)
        across.setSizes([320, 702, 248])  # the picture's controls then stand in one row
        across.setStretchFactor(1, 1)
        across.setChildrenCollapsible(False)
        across.setHandleWidth(8)
        middle.setHandleWidth(8)
        whole = QWidget()
        rows = QVBoxLayout(whole)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(0)
        rows.addWidget(self.verdict)
        rows.addWidget(self.strip)
        rows.addWidget(across, 1)
        rows.addWidget(self.ruler)
        return whole

    def _menus(self) -> None:
        keys = QKeySequence.StandardKey
        file = self.menuBar().addMenu("&File")
        self._action(file, "&New…", keys.New, self.new)
        self._action(file, "&Open…", keys.Open, self.ask_open)
        self.recent = file.addMenu("Open &recent")
        self.recent.aboutToShow.connect(self._fill_recent)
        self._action(
            file, "New from a file somebody sent…", QKeySequence("Ctrl+Shift+N"), self.ask_file
        )
        self._action(file, "New &frame from a table copied", None, self.paste_frame)
        demos = file.addMenu("Open a &demo")
        for path in sorted(examples_folder().glob("*.toml")):
            name = path.stem.replace("_", " ")
            self._action(demos, name, None, lambda path=path: self.open(path))
        file.addSeparator()
        self._action(file, "&Save", keys.Save, self.save)
        self._action(file, "Save &as…", keys.SaveAs, self.save_as)
        file.addSeparator()
        self._action(file, "&Hand over…", QKeySequence("Ctrl+P"), self.show_handing)
        self._action(file, "Write the &table of modes…", None, self.ask_write_table)
        self._action(
            file,
            "Write the picture of the &map…",
            None,
            lambda: ask_write_chart(self.map.plot, "map", self),
        )
        file.addSeparator()
        self._action(file, "&Quit", keys.Quit, self.close)
        edit = self.menuBar().addMenu("&Edit")
        self.undo_action = self._action(edit, "&Undo", keys.Undo, self.session.undo)
        self.redo_action = self._action(edit, "&Redo", keys.Redo, self.session.redo)
        edit.addSeparator()
        self._action(
            edit, "&Copy the table of modes", QKeySequence("Ctrl+Shift+C"), self.copy_table
        )
        view = self.menuBar().addMenu("&View")
        self._action(view, "&All modes in a table", QKeySequence("Ctrl+T"), self.show_table)
        self._action(view, "&Play or pause", QKeySequence("Ctrl+Space"), self._toggle_play)
        self._action(
            view, "&Lower mode", QKeySequence("Alt+Left"), lambda: self.session.choose_neighbour(-1)
        )
        self._action(
            view,
            "&Higher mode",
            QKeySequence("Alt+Right"),
            lambda: self.session.choose_neighbour(1),
        )
        for axis in "xyz":
            self._action(
                view,
                f"Look along &{axis}",
                QKeySequence(f"Alt+{axis.upper()}"),
                lambda axis=axis: self.shape.panes.look(axis),
            )
        self._action(view, "&Fit", QKeySequence("Alt+0"), self.shape.panes.fit)
        shown = view.addMenu(self.shape.show_button.menu())
        shown.setText("&Show")
        view.addSeparator()
        self._action(view, "&Pin this design", QKeySequence("F8"), self.session.variants.pin_shown)
        self._action(
            view, "Compare desi&gns", QKeySequence("Ctrl+J"), lambda: self.show_comparison("")
        )
        view.addSeparator()
        self._action(view, "Run or stop the &sweep", QKeySequence("Ctrl+R"), self.map.run_or_stop)
        self._action(view, "Clear the &bands", QKeySequence("Ctrl+K"), self.show_tuning)
        self._action(view, "T&wo knobs", QKeySequence("Ctrl+2"), self.show_plane)
        self._action(view, "Table of &designs", QKeySequence("Ctrl+3"), self.show_designs)
        self._action(view, "Speed dia&gram", QKeySequence("Ctrl+D"), self.show_speeds)
        self._action(view, "What was &measured", QKeySequence("Ctrl+M"), self.show_measured)
        self._action(
            view,
            "&With and without preload",
            QKeySequence("Ctrl+B"),
            lambda: self.shape.panes.show_beside("bare"),
        )
        self._action(view, "&Day or night", None, self.switch_theme)
        help_menu = self.menuBar().addMenu("&Help")
        self._action(help_menu, "&Hands and keys", QKeySequence("F1"), self._show_keys)
        self._action(help_menu, "&About Bell Tone", None, self._show_about)

    def _action(
        self,
        menu: QMenu,
        text: str,
        keys: QKeySequence | QKeySequence.StandardKey | None,
        call: object,
    ) -> QAction:
        action = QAction(text, self)
        if keys is not None:
            action.setShortcut(keys)
        action.triggered.connect(lambda _checked=False: call())  # type: ignore[operator]
        menu.addAction(action)
        return action

    def _follow(self) -> None:
        session = self.session
        name = session.path.name if session.path else "new sheet"
        title = session.sheet.content.title
        mark = "*" if session.modified else ""
        self.setWindowTitle(f"{name}{mark}{f' · {title}' if title else ''} · Bell Tone")
        undo, redo = session.history.undo_label, session.history.redo_label
        self.undo_action.setText(f"&Undo {undo}" if undo else "&Undo")
        self.undo_action.setEnabled(undo is not None)
        self.redo_action.setText(f"&Redo {redo}" if redo else "&Redo")
        self.redo_action.setEnabled(redo is not None)

    # -- files ----------------------------------------------------------------------------------

    def new(self) -> None:
        """Begin a new sheet from a starting point."""
        if not self.may_discard():
            return
        dialog = StartDialog(self._palette, self)
        if dialog.exec() and dialog.chosen is not None:
            self.begin(dialog.chosen)
        dialog.deleteLater()

    def begin(self, start: Start) -> None:
        """Begin a new sheet with a starting point's text."""
        self.session.start_new(Sheet.from_text(start.text))

    def ask_open(self) -> None:
        """Ask for a sheet and open it."""
        start = str(self.session.path.parent) if self.session.path else ""
        name, _ = QFileDialog.getOpenFileName(self, "Open a sheet", start, "Sheets (*.toml)")
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> bool:
        """Open a sheet, after a word about unsaved work; a bad one is explained and not opened."""
        if not self.may_discard():
            return False
        try:
            if not read_ahead(read_sheet(path), self):
                return False
            self.session.open(path)
        except SheetError as error:
            self.tell_wrong(path, error)
            return False
        self.remember(path)
        return True

    def tell_wrong(self, path: Path, error: SheetError) -> None:
        """Explain what is wrong with a sheet file."""
        lines = "\n".join(f"•  {finding}" for finding in error.findings[:12])
        more = len(error.findings) - 12
        if more > 0:
            lines += f"\n… and {more} more"
        QMessageBox.warning(self, "The sheet cannot be opened", f"{path.name}\n\n{lines}")

    def save(self) -> bool:
        """Save; asks for a name when there is none. Returns whether the sheet is on disk."""
        self._take_what_is_typed()
        if self.session.path is None:
            return self.save_as()
        return self._write(self.session.path)

    def save_as(self) -> bool:
        """Save under a name asked for."""
        start = str(self.session.path or Path.home() / "sheet.toml")
        name, _ = QFileDialog.getSaveFileName(self, "Save the sheet as", start, "Sheets (*.toml)")
        if not name:
            return False
        path = Path(name)
        return self._write(path if path.suffix else path.with_suffix(".toml"))

    def _write(self, path: Path) -> bool:
        theirs = self.session.changed_on_disk() if self._is_own(path) else None
        if theirs is not None:
            decision = self._ask_of_change(path, theirs, saving=True)
            if decision is Decision.ELSEWHERE:
                return self.save_as()
            if decision is not Decision.MINE:
                return False
        try:
            self.session.save(path)
        except OSError as error:
            QMessageBox.warning(
                self,
                "Not saved",
                f"“{path}” cannot be written: {error.strerror or error}.\n"
                "Nothing is lost; choose another place with “Save as”.",
            )
            return False
        self.remember(path)
        self.statusBar().showMessage(f"Saved to {path}", 5000)
        return True

    def _is_own(self, path: Path) -> bool:
        own = self.session.path
        return own is not None and (own == path or same_file(own, path))

    def look_at_disk(self) -> None:
        """Say so where the sheet's file was changed by somebody else, and ask what to do."""
        theirs = self.session.changed_on_disk()
        if theirs is None or self._asking or self.session.path is None:
            return
        self._ask_of_change(self.session.path, theirs, saving=False)

    def _ask_of_change(self, path: Path, theirs: str, saving: bool) -> Decision:
        self._asking = True
        dialog = ChangedFileDialog(path, theirs, self.session.sheet.text, saving, self)
        try:
            dialog.exec()
        finally:
            self._asking = False
            dialog.deleteLater()
        if dialog.decision is Decision.THEIRS:
            problem = self.session.take_from_disk(theirs)
            if problem is not None:
                QMessageBox.warning(
                    self,
                    "Not taken",
                    f"What “{path.name}” holds is no good sheet: {problem}.\n"
                    "The window goes on with what it shows.",
                )
        elif dialog.decision is Decision.MINE and not saving:
            self.session.keep_from_disk(theirs)
        return dialog.decision

    def may_discard(self) -> bool:
        """Ask what to do with unsaved work; returns whether the sheet may be left."""
        self._take_what_is_typed()
        unkept = self.session.path is None and bool(self.session.variants.listed)
        if not self.session.modified and not self.session.wrong and not unkept:
            return True
        text = "The sheet has changes that are not saved."
        if unkept:
            text += "\nIts variants are kept only where it is saved."
        for typed, problem in self.session.wrong.values():
            text += f"\n\n“{typed}” stands in a field and cannot be saved: {problem}."
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self,
            "Unsaved changes",
            text,
            buttons.Save | buttons.Discard | buttons.Cancel,
            buttons.Save,
        )
        if answer == buttons.Save:
            return self.save()
        return answer == buttons.Discard

    def _take_what_is_typed(self) -> None:
        """A value still being typed counts as typed."""
        for number in self.findChildren(LiveNumber):
            if number.isVisibleTo(self):
                number.commit()

    def recent_paths(self) -> list[Path]:
        """Sheets opened or saved lately, the newest first."""
        stored = self._settings.value("recent") or []
        names = [stored] if isinstance(stored, str) else list(stored)
        return [Path(name) for name in names]

    def remember(self, path: Path) -> None:
        """Put a sheet at the head of the recent ones."""
        path = path.resolve()
        paths = [path, *(other for other in self.recent_paths() if other != path)]
        self._settings.setValue("recent", [str(entry) for entry in paths[:_MOST_RECENT]])

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
            self.session.told.emit(f"no frame: {error}")
            return
        if self.may_discard():
            self.session.start_new(sheet)
            self.session.told.emit("; ".join(arrival.doubts))

    def ask_file(self) -> None:
        """Ask for a file that somebody sent and begin with it."""
        told, _ = QFileDialog.getOpenFileName(self, "A file somebody sent", "", _FILES)
        if told:
            self.receive(Path(told))

    def receive(self, path: Path) -> None:
        """Begin with what a file holds, or put it in place of another, once that is told."""
        current = self.session.sheet
        dialog = ArrivalDialog(path, self, current, revisable(current, path))
        taken = dialog.exec()
        if taken and dialog.revision is not None:
            self._take_revision(path, dialog.revision)
        elif taken and dialog.sheet is not None and self.may_discard():
            self.session.start_new(dialog.sheet)
        dialog.deleteLater()

    def _take_revision(self, path: Path, found: Revised) -> None:
        """The design before stays as a variant beside the new one."""
        self.session.variants.pin("before " + path.stem)
        self.session.edit(f"{path.name} taken in", lambda _sheet: found.sheet)
        self.session.told.emit("; ".join(found.told))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if _dropped(event.mimeData()) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """A sheet that is dropped is opened, any other file told first."""
        path = _dropped(event.mimeData())
        if path is None:
            return
        event.acceptProposedAction()
        begin = self.open if path.suffix.lower() == ".toml" else self.receive
        # Not from inside the event: a dialog would hold up who drops.
        QTimer.singleShot(0, self, lambda: begin(path))

    def _fill_recent(self) -> None:
        self.recent.clear()
        for path in self.recent_paths():
            action = self.recent.addAction(f"{path.name}   ({path.parent})")
            action.setEnabled(path.exists())
            action.triggered.connect(lambda _=False, path=path: self.open(path))
        if self.recent.isEmpty():
            self.recent.addAction("none yet").setEnabled(False)

    # -- the table ------------------------------------------------------------------------------

    def _table(self) -> str:
        answer = self.session.answer
        return as_csv(MODE_COLUMNS, mode_rows(answer.modes, answer.design)) if answer else ""

    def copy_table(self) -> None:
        """Put the table of modes on the clipboard."""
        QGuiApplication.clipboard().setText(self._table())
        self.statusBar().showMessage("The table of modes is on the clipboard.", 5000)

    def ask_write_table(self) -> None:
        """Write the table of modes to a CSV file."""
        ask_write(
            self,
            "Write the table",
            "modes.csv",
            "CSV (*.csv)",
            lambda path: write_text(self._table(), path),
        )

    # -- view and help --------------------------------------------------------------------------

    def show_table(self) -> None:
        """Show all modes in a table beside this window."""
        self.beside.bring(ModeTable, lambda: ModeTable(self.session, self), self._palette)

    def show_plane(self) -> None:
        """Show the map of two knobs beside this window."""
        self._bring(PlaneView)

    def show_designs(self) -> None:
        """Show the table of designs beside this window."""
        self._bring(DesignsView)

    def show_tuning(self) -> None:
        """Show what clears the bands, pulls and tolerances beside this window."""
        self._bring(TuningView)

    def show_comparison(self, variant: str) -> None:
        """Show two designs held against each other beside this window; a ``variant`` first."""
        self._bring(CompareView).compare_variant(variant)

    def show_speeds(self) -> None:
        """Show the speed diagram beside this window."""
        self._bring(SpeedView)

    def show_measured(self) -> None:
        """Show what was measured, and fit to it, beside this window."""
        self._bring(MeasuredView)

    def show_handing(self) -> None:
        """Show what hands over reports, films, pictures, tables and files."""
        scene = self.shape.canvas.scene
        self.beside.bring(
            HandOverView,
            lambda: HandOverView(self.session, self._pictures, lambda: scene.heading, self),
            self._palette,
        )

    def _bring(self, kind: Callable[[Session, Palette, QWidget], W]) -> W:
        """Show a window of a kind beside this one."""
        return self.beside.bring(
            cast(type[W], kind), lambda: kind(self.session, self._palette, self), self._palette
        )

    def _pictures(self) -> dict[str, QWidget]:
        """What can be pictured: the charts of windows that are open, too."""
        found: dict[str, QWidget] = {
            "the shape": self.shape.canvas,
            "the ruler": self.ruler,
            "the sweep map": self.map.plot,
        }
        plane, speeds = self.beside.of(PlaneView), self.beside.of(SpeedView)
        if plane is not None:
            found["the map of two knobs"] = plane.plot
        if speeds is not None:
            found["the speed diagram"] = speeds.plot
        return found

    def _toggle_play(self) -> None:
        self.shape.set_playing(not self.shape.playing)

    def switch_theme(self) -> None:
        """Change between the light and the dark theme."""
        self._palette = LIGHT if self._palette is DARK else DARK
        self._settings.setValue("theme", self._palette.name)
        self._apply_theme()

    def _apply_theme(self) -> None:
        QApplication.setPalette(qt_palette(self._palette))
        self.setStyleSheet(stylesheet(self._palette))
        for panel in (
            self.verdict, self.strip, self.shape, self.map, self.readout, self.ruler, self.column
        ):  # fmt: skip
            panel.set_palette(self._palette)

    def _show_keys(self) -> None:
        QMessageBox.information(
            self,
            "Hands and keys",
            "Numbers: click to type, drag sideways to change (Shift: finely), arrow up and down, "
            "right-click to make a knob.\n\n"
            "Shape: drag turns it, drag with the right button slides it, the wheel zooms; "
            "Ctrl+Space plays. A click on a marked point, edge or face says what to do with it; "
            "“show…” holds colours, lines and panes.\n\n"
            "Ruler: click a peg or use the left and right arrows; drag a peg to where the mode "
            "should be.\n\n"
            "Sweep map: drag the cursor to turn the knob; click a branch to choose it; Ctrl+R "
            "runs or stops the sweep; Ctrl+2 shows the map of two knobs, Ctrl+3 tables of "
            "designs; Ctrl+K clears the bands.\n\n"
            "Ctrl+T shows all modes in a table; Ctrl+C there copies it.\n\n"
            "F8 pins the design that is shown as a variant; click a variant for its ghost on the "
            "ruler, twice to return to it; Ctrl+J holds designs against each other.\n\n"
            "Ctrl+M holds measured frequencies against the modes and fits knobs to them; Ctrl+P "
            "hands over reports, films, pictures, tables and files.\n\n"
            "Ctrl+B shows the chosen mode with and without the preload side by side; Ctrl+D the "
            "speed diagram of what spins.\n\n"
            "Alt+Left and Alt+Right choose the lower or higher mode from anywhere.",
        )

    def _show_about(self) -> None:
        QMessageBox.about(
            self,
            "About Bell Tone",
            f"Bell Tone {__version__}\n\nTunes the natural frequencies of a component until every "
            "excitation band is clear.\n\nLicence: Apache-2.0",
        )

    def leave(self) -> None:
        """Close without a question, as when told to from outside; unsaved changes are kept safe."""
        self._take_what_is_typed()
        self._leaving = True
        self.close()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.ActivationChange and self.isActiveWindow():
            # Not from inside the event: a dialog would hold it up.
            QTimer.singleShot(0, self, self.look_at_disk)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self._leaving and not self.may_discard():
            event.ignore()
            return
        self._settings.setValue("every card open", self.column.all_open)
        self.shape.finish()
        comparing = self.beside.of(CompareView)
        if comparing is not None:
            comparing.finish()
        self.session.close(recoverable=self._leaving)
        super().closeEvent(event)


def _dropped(data: QMimeData) -> Path | None:
    """The one file of a drop that the window can begin with."""
    paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
    known = [path for path in paths if path.suffix.lower() == ".toml" or kind_of(path)]
    return known[0] if len(known) == 1 else None
