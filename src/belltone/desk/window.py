"""The main window: places the panels, holds the menus, guards unsaved work."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cached_property, partial
from pathlib import Path
from typing import Final, TypeVar, cast

from PySide6.QtCore import QEvent, QSettings, Qt, QTimer, Signal
from PySide6.QtGui import (
    QCloseEvent,
    QCursor,
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QKeyEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QFrame,
    QMainWindow,
    QMessageBox,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from belltone import __version__
from belltone.desk.asking import ask_write
from belltone.desk.beside import Beside
from belltone.desk.cards.sheet_column import SheetColumn
from belltone.desk.charts.plane_view import PlaneView
from belltone.desk.charts.ruler import Ruler
from belltone.desk.charts.sweep_map import SweepMap
from belltone.desk.comparing.compare_view import CompareView
from belltone.desk.designs.designs_view import DesignsView
from belltone.desk.energy_table import EnergyTable
from belltone.desk.finding.find_box import FindBox
from belltone.desk.finding.finds import Find
from belltone.desk.finding.sheet_finds import sheet_finds
from belltone.desk.handing.hand_over_view import HandOverView
from belltone.desk.help.help_view import HelpView
from belltone.desk.help.terms import pages, set_term, term_of, terms
from belltone.desk.help.tour import Step, Tour
from belltone.desk.look import label_font, qt_palette, stylesheet
from belltone.desk.measuring.measured_view import MeasuredView
from belltone.desk.menus import BOUNDS, Menus, commands
from belltone.desk.mode_table import ModeTable
from belltone.desk.notices import Notices
from belltone.desk.proposals.tuning_view import TuningView
from belltone.desk.readout import Readout
from belltone.desk.session.session import Session
from belltone.desk.shape.shape_view import ShapeView
from belltone.desk.sheet_files import SheetFiles, dropped
from belltone.desk.small_pictures import SmallPictures
from belltone.desk.starts import Start, starts
from belltone.desk.themes import SYSTEM, palette_for
from belltone.desk.variant_strip import VariantStrip
from belltone.desk.verdict_bar import VerdictBar
from belltone.desk.welcome.welcome_page import WelcomePage
from belltone.drawing.colours import Palette
from belltone.exchange.tables import MODE_COLUMNS, as_csv, mode_rows
from belltone.files import write_text
from belltone.reduce.designs import DEFAULT_BOUND
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.sweep.engine import Questions

__all__ = ["MainWindow"]

W = TypeVar("W", bound=QWidget)

_BOUND_KEPT: Final = "models within"
_SHEET_WIDTH, _TEXT_WIDTH = 320, 520  # pixels


class MainWindow(QMainWindow):
    """One window over one session.

    With ``welcome`` it begins with the page of what can be begun with, and solves nothing yet;
    ``painter`` draws that page's pictures, a process of their own unless told.
    """

    another_asked = Signal(object)
    quit_asked = Signal()
    closed = Signal()

    def __init__(
        self,
        session: Session,
        settings: QSettings | None = None,
        welcome: bool = False,
        painter: Questions | None = None,
    ) -> None:
        super().__init__()
        self.session = session
        self._settings = settings or QSettings()
        self.theme = str(self._settings.value("theme") or SYSTEM)
        self._palette = palette_for(self.theme)
        kept = str(self._settings.value(_BOUND_KEPT))
        session.models.take_bound(next((b for b in BOUNDS if str(b) == kept), DEFAULT_BOUND))
        self.setAcceptDrops(True)
        self._leaving = self._gone = False
        self.beside = Beside(self.explain)
        self.files = SheetFiles(session, self._settings, self)
        self.verdict = VerdictBar(session, self._palette)
        self.strip = VariantStrip(session, self._palette)
        self.shape = ShapeView(session, self._palette)
        self.shape.canvas.make_ready()
        self.map = SweepMap(session, self._palette)
        self.readout = Readout(session, self._palette)
        self.ruler = Ruler(session, self._palette)
        self.column = SheetColumn(session, self._palette)
        self.column.set_all_open(self._settings.value("every card open") in (True, "true"))
        self._pictures_of_sheets = SmallPictures(session.jobs, painter)
        self._work = self._workspace()
        self._pages = QStackedWidget()
        self._pages.addWidget(self._work)
        self.setCentralWidget(self._pages)
        self.tour: Tour | None = None
        self.menus = Menus(self)
        self.notices = Notices(session.jobs, self)
        self.verdict.sweep_asked.connect(self.map.run_or_stop)
        self.verdict.clear_asked.connect(self.show_tuning)
        self.strip.compare_asked.connect(self.show_comparison)
        self.ruler.reach_asked.connect(self.readout.reach.ask_for)
        self.readout.energy_asked.connect(self.show_energy)
        session.sheet_changed.connect(self._follow)
        session.opened_another.connect(self.show_work)
        self.column.text_turned.connect(self._widen_text)
        QGuiApplication.styleHints().colorSchemeChanged.connect(self._follow_desktop)
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
        if welcome:
            self.show_welcome(fresh=True)
        elif session.answer is None:
            session.solve()

    # -- building -------------------------------------------------------------------------------

    def _workspace(self) -> QWidget:
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.addWidget(self.shape)
        middle.addWidget(self.map)
        middle.setSizes([300, 270])
        middle.setChildrenCollapsible(False)
        self._across = across = QSplitter(Qt.Orientation.Horizontal)
        beside = QScrollArea()  # what a low window has no room for is reached all the same
        beside.setWidget(self.readout)
        beside.setWidgetResizable(True)
        beside.setFrameShape(QFrame.Shape.NoFrame)
        beside.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        beside.setMinimumWidth(self.readout.minimumWidth())
        for widget in (self.column, middle, beside):
            across.addWidget(widget)
        across.setSizes([_SHEET_WIDTH, 702, 248])  # the picture's controls then stand in one row
        across.setStretchFactor(1, 1)
        across.setChildrenCollapsible(False)
        across.setHandleWidth(8)
        middle.setHandleWidth(8)
        for panel, term in (
            (self.verdict, "clear"),
            (self.strip, "variant"),
            (self.shape, "mode shape"),
            (self.map, "sweep"),
            (self.readout, "natural frequency"),
            (self.ruler, "ruler"),
        ):
            set_term(panel, term)
        whole = QWidget()
        rows = QVBoxLayout(whole)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(0)
        rows.addWidget(self.verdict)
        rows.addWidget(self.strip)
        rows.addWidget(across, 1)
        rows.addWidget(self.ruler)
        return whole

    def _follow(self) -> None:
        session = self.session
        if self.untouched:
            self.setWindowTitle("Bell Tone")
            return
        name = session.path.name if session.path else "new sheet"
        title = session.sheet.content.title
        mark = "*" if session.modified else ""
        self.setWindowTitle(f"{name}{mark}{f' · {title}' if title else ''} · Bell Tone")
        undo, redo = session.history.undo_label, session.history.redo_label
        for action, verb, label in (
            (self.menus.undo, "&Undo", undo),
            (self.menus.redo, "&Redo", redo),
        ):
            action.setText(f"{verb} {label}" if label else verb)
            action.setEnabled(label is not None)

    # -- files ----------------------------------------------------------------------------------

    def new(self) -> None:
        """Show what a new sheet can be begun with."""
        self.show_welcome()

    def begin(self, start: Start) -> None:
        """Begin a new sheet with a starting point's text."""
        if self.files.may_discard():
            self.session.start_new(Sheet.from_text(start.text))

    # -- pages ----------------------------------------------------------------------------------

    @cached_property
    def welcome(self) -> WelcomePage:
        """What can be begun with; made when it is first wanted."""
        page = WelcomePage(self._pictures_of_sheets, self._palette)
        page.start_chosen.connect(self.begin)
        page.path_chosen.connect(self.files.open)
        page.open_asked.connect(self.files.ask_open)
        page.file_asked.connect(self.files.ask_file)
        page.tour_asked.connect(self.take_tour)
        page.back_asked.connect(self.show_work)
        self._pages.addWidget(page)
        return page

    @property
    def untouched(self) -> bool:
        """Whether nothing was begun with yet."""
        return self.welcoming and self.welcome.back.isHidden()

    @property
    def welcoming(self) -> bool:
        """Whether the page of what can be begun with is shown."""
        return self._pages.currentWidget() is not self._work

    def show_welcome(self, fresh: bool = False) -> None:
        """Show what can be begun with; unless ``fresh``, there is a sheet to go back to."""
        self._pages.setCurrentWidget(self.welcome)
        self.welcome.back.setVisible(not fresh)
        self.welcome.show_recent(self.files.recent_paths())
        self._follow()

    def show_work(self) -> None:
        """Show the sheet."""
        self._pages.setCurrentWidget(self._work)
        if self.session.answer is None and self.session.jobs.state("modes") is None:
            self.session.solve()
        self._follow()

    def take_tour(self) -> None:
        """Show what is where, in five steps, over a demo if there is no sheet yet."""
        if self.untouched:
            self.session.start_new(read_sheet(demo_sheet()))
        self.show_work()
        if self.tour is not None:
            self.tour.end()
        self.tour = Tour(self._tour_steps(), self._palette, self)
        self.tour.ended.connect(self._end_tour)

    def _end_tour(self) -> None:
        self.tour = None

    def _tour_steps(self) -> list[Step]:
        return [
            Step(
                self.column,
                "The sheet states the problem",
                "Each card is one sentence; click its title for every number and all that can be "
                "done. Type a number over, with its unit, or drag it sideways.",
            ),
            Step(
                self.ruler,
                "The ruler shows what rings",
                "What shakes the component is hatched, every mode is a peg. A peg in a hatched "
                "band rings. Click one to see its shape; drag one to where it should be.",
            ),
            Step(
                self.shape,
                "The shape shows how it moves",
                "Colours compare spots; lines stand still. Play it, turn it, click an edge or a "
                "point to hold it or to hang something on it.",
            ),
            Step(
                self.column.knobs,
                "Knobs are what you may change",
                "Right-click any number to make it a knob. Beside each stands its pull: how far "
                "the chosen mode moves for one percent. Turn it, and everything follows.",
            ),
            Step(
                self.verdict,
                "The verdict says whether you are done",
                "It names what is in the way, and offers what clears it. Ctrl+F finds anything, "
                "F1 explains what the mouse is on. Ctrl+P hands the result over.",
            ),
        ]

    def _widen_text(self, shown: bool) -> None:
        """Text needs longer lines than the cards' sentences."""
        sizes = self._across.sizes()
        wanted = _TEXT_WIDTH if shown else _SHEET_WIDTH
        self._across.setSizes([wanted, sizes[1] - (wanted - sizes[0]), sizes[2]])

    def find_anything(self) -> None:
        """Ask for a word and go to what it means."""
        box = FindBox(self._finds, self)
        if box.exec() and box.chosen is not None:
            box.chosen.act()
        box.deleteLater()

    def _finds(self) -> Iterator[Find]:
        if not self.welcoming:
            yield from sheet_finds(self.session)
        yield from commands(self.menuBar())
        for start in starts():
            yield Find(start.title, "beginning", "a starting point", partial(self.begin, start))
        for name in terms():
            yield Find(name, "help", "what it means", partial(self._show_term, name))
        for title, path in pages().items():
            yield Find(title, "manual", path.name, partial(self.show_page, path))

    # -- help -----------------------------------------------------------------------------------

    def help_view(self) -> HelpView:
        """The help, in front."""
        return self.beside.bring(HelpView, lambda: HelpView(self), self._palette)

    def _show_term(self, name: str) -> None:
        self.help_view().show_term(name)

    def show_page(self, path: Path) -> None:
        """Show a page of the manual."""
        self.help_view().show_page(path)

    def explain(self) -> None:
        """Explain what the mouse is on, else what the keyboard is in."""
        under = QApplication.widgetAt(QCursor.pos())
        term = term_of(under) or term_of(QApplication.focusWidget())
        if term:
            self._show_term(term)
        else:
            self.help_view().show_keys()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if dropped(event.mimeData()) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """A sheet that is dropped is opened, any other file told first."""
        path = dropped(event.mimeData())
        if path is None:
            return
        event.acceptProposedAction()
        begin = self.files.open if path.suffix.lower() == ".toml" else self.files.receive
        # Not from inside the event: a dialog would hold up who drops.
        QTimer.singleShot(0, self, lambda: begin(path))

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

    def show_energy(self) -> None:
        """List where the energy of the chosen mode is, beside this window."""
        self.beside.bring(EnergyTable, lambda: EnergyTable(self.session, self), self._palette)

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
        """Show the table of designs with the plan of a speed diagram."""
        self._bring(DesignsView).over_speed()

    def show_measured(self) -> None:
        """Show what was measured, and fit to it, beside this window."""
        self._bring(MeasuredView)

    def show_handing(self) -> None:
        """Show what hands over reports, films, pictures, tables and files."""
        scene = self.shape.canvas.scene
        self.beside.bring(
            HandOverView,
            lambda: HandOverView(self.session, self._pictures, lambda: scene.eye.heading, self),
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
        plane, designs = self.beside.of(PlaneView), self.beside.of(DesignsView)
        if plane is not None:
            found["the map of two knobs"] = plane.plot
        if designs is not None:
            found["the chart of designs"] = designs.chart.plot
        return found

    def toggle_play(self) -> None:
        self.shape.set_playing(not self.shape.playing)

    def take_theme(self, choice: str) -> None:
        """Take a theme by its name, or the one the desktop asks for."""
        self.theme = choice
        self._settings.setValue("theme", choice)
        self._palette = palette_for(choice)
        self._apply_theme()

    def take_bound(self, bound: float) -> None:
        """Have models of knobs within a bound, now and whenever the program starts."""
        self._settings.setValue(_BOUND_KEPT, str(bound))
        self.session.models.take_bound(bound)

    def _follow_desktop(self) -> None:
        if self.theme == SYSTEM and palette_for(SYSTEM) is not self._palette:
            self.take_theme(SYSTEM)

    def _apply_theme(self) -> None:
        QApplication.setPalette(qt_palette(self._palette))
        self.setStyleSheet(stylesheet(self._palette))
        for panel in (
            self.verdict, self.strip, self.shape, self.map, self.readout, self.ruler, self.column,
        ):  # fmt: skip
            panel.set_palette(self._palette)
        if "welcome" in self.__dict__:
            self.welcome.set_palette(self._palette)

    def show_about(self) -> None:
        QMessageBox.about(
            self,
            "About Bell Tone",
            f"Bell Tone {__version__}\n\nTunes the natural frequencies of a component until every "
            "excitation band is clear.\n\nLicence: Apache-2.0",
        )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape leaves the welcome page where there is a sheet to go back to."""
        if event.key() == Qt.Key.Key_Escape and self.welcoming and not self.welcome.back.isHidden():
            self.show_work()
        else:
            super().keyPressEvent(event)

    def leave(self) -> None:
        """Close without a question, as when told to from outside; unsaved changes are kept safe."""
        self.files.take_what_is_typed()
        self._leaving = True
        self.close()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.ActivationChange and self.isActiveWindow():
            # Not from inside the event: a dialog would hold it up.
            QTimer.singleShot(0, self, self.files.look_at_disk)

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._gone:
            return
        if not self._leaving and not self.files.may_discard():
            event.ignore()
            return
        self._settings.setValue("every card open", self.column.all_open)
        if self.tour is not None:
            self.tour.end()
        self._pictures_of_sheets.close()
        self.shape.finish()
        comparing = self.beside.of(CompareView)
        if comparing is not None:
            comparing.finish()
        self.session.close(recoverable=self._leaving)
        super().closeEvent(event)
        self._gone = True
        self.closed.emit()
        # What its signals reach would hold it, and it the window, where no collector sees it.
        self.session.deleteLater()
