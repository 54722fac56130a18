"""A window over tables of designs: plan, cost, progress, table, chart, and going there."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent, QGuiApplication, QKeyEvent, QShowEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QMenu,
    QProgressBar,
    QPushButton,
    QSplitter,
    QTabWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.asking import ask_write
from belltone.desk.designs.crossing_list import CrossingList
from belltone.desk.designs.design_chart import DesignChart
from belltone.desk.designs.design_list import DesignList
from belltone.desk.designs.order_lines import speed_notes
from belltone.desk.designs.plan_form import PlanForm
from belltone.desk.flow import FlowRow
from belltone.desk.help.terms import set_term
from belltone.desk.look import label_font, tell
from belltone.desk.session.session import Session
from belltone.desk.session.surveys import LANE, FoundSurvey
from belltone.drawing.colours import Palette
from belltone.errors import UserError
from belltone.exchange.handed_tables import write_tables
from belltone.exchange.sweep_tables import DesignTable, sweep_words
from belltone.exchange.tables import percent
from belltone.system.memory import free_memory
from belltone.tune.conditions import parse_condition
from belltone.tune.outputs import OUTPUTS, needs_solution, usual

__all__ = ["DesignsView"]

_MOST_PROCESSES = 256


class DesignsView(QWidget):
    """A window of its own over the session."""

    def __init__(self, session: Session, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self._session, self._palette = session, palette
        self._followed: FoundSurvey | None = None
        self._shown: FoundSurvey | None = None
        self._units = session.design.shown
        self.setWindowTitle("Table of designs · Bell Tone")
        set_term(self, "table of designs")
        self.resize(1120, 780)
        self.form = PlanForm(session)
        self.list, self.crossings = DesignList(), CrossingList()
        self.chart = DesignChart(palette)
        column = QVBoxLayout(self)
        column.addWidget(self.form)
        column.addWidget(self._asking())
        self.words = QLabel()
        self.words.setFont(label_font(9))
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        column.addWidget(self._using())
        self.halves = QSplitter(Qt.Orientation.Vertical)
        self.lists = QTabWidget()
        self.lists.setDocumentMode(True)
        self.lists.addTab(self.list, "Designs")
        self.lists.addTab(self.crossings, "Crossings")
        self.halves.addWidget(self.lists)
        self.halves.addWidget(self.chart)
        self.halves.setSizes([250, 270])
        self.halves.setChildrenCollapsible(False)
        column.addWidget(self.halves, 1)
        self.form.changed.connect(self._tell_cost)
        self.list.row_chosen.connect(self._choose)
        self.list.row_taken.connect(lambda _: self.go_there())
        self.chart.row_chosen.connect(self.list.choose)
        session.surveys.changed.connect(self._follow)
        session.jobs.changed.connect(lambda lane: self._follow_job() if lane == LANE else None)
        session.sheet_changed.connect(self._follow)
        session.answer_changed.connect(self._tell_cost)
        self._usual_outputs()
        self._follow_job()
        self._follow()

    # -- asking ---------------------------------------------------------------------------------

    def _asking(self) -> QWidget:
        row = FlowRow(8)
        self.outputs = QToolButton()
        self.outputs.setText("tell also…")
        self.outputs.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.outputs.setToolTip("what is told of each design beside its frequencies")
        menu = QMenu(self.outputs)
        for name in OUTPUTS:
            action = menu.addAction(name)
            action.setCheckable(True)
            action.toggled.connect(lambda _: self._tell_cost())
        self.outputs.setMenu(menu)
        self.exact = QCheckBox("solve every design")
        self.exact.setToolTip("else they are read off a model of some solved ones, where it pays")
        self.exact.toggled.connect(lambda _: self._tell_cost())
        self.who = QToolButton()
        self.who.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        hands = QMenu(self.who)
        hands.addAction("Processes of this machine…", self._ask_processes)
        hands.addAction("Workers of a scheduler…", self._ask_scheduler)
        self.who.setMenu(hands)
        self.run = QPushButton("Look at them")
        self.run.clicked.connect(self.run_or_stop)
        self.bar = QProgressBar()
        self.bar.setFixedWidth(90)
        self.bar.setTextVisible(False)
        self.cost = QLabel()
        self.cost.setFont(label_font(9))
        for widget in (self.outputs, self.exact, self.who, self.run, self.bar, self.cost):
            row.add(widget)
        return row

    def _using(self) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("show only designs with: mass < 18, least margin > 5")
        self.filter.setAccessibleName("conditions on the designs shown")
        self.filter.setClearButtonEnabled(True)
        self.filter.textChanged.connect(lambda _: self._keep())
        self.there = QPushButton("Go there")
        self.there.setToolTip("write what the chosen row sets into the sheet, as one step")
        self.there.clicked.connect(self.go_there)
        self.back = QPushButton("Back to the sheet")
        self.back.clicked.connect(self._go_back)
        self.copy = QPushButton("Copy")
        self.copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(self.list.copied()))
        self.write = QPushButton("Write the table…")
        self.write.clicked.connect(self._ask_write)
        line.addWidget(self.filter, 1)
        self.pin = QPushButton("Pin")
        self.pin.setToolTip("pin the chosen row as a variant")
        self.pin.clicked.connect(self._session.variants.pin_shown)
        for widget in (self.there, self.pin, self.back, self.copy, self.write):
            line.addWidget(widget)
        return row

    def _usual_outputs(self) -> None:
        told = usual(self._session.written, modelled=True)
        for action in self.outputs.menu().actions():
            action.setChecked(action.text() in told)

    @property
    def chosen_outputs(self) -> list[str]:
        """What is told beside frequencies."""
        return [own.text() for own in self.outputs.menu().actions() if own.isChecked()]

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self._followed = None
        self.chart.set_palette(palette)
        self._follow()

    def run_or_stop(self) -> None:
        """Look at the designs of the plan, or stop looking."""
        surveys = self._session.surveys
        if surveys.running:
            surveys.stop()
            return
        try:
            plan = self.form.plan()
        except UserError as error:
            self._say(str(error), "alarm")
            return
        surveys.run(plan, self.chosen_outputs, self.exact.isChecked())

    def _ask_processes(self) -> None:
        place = self._session.workplace
        count, good = QInputDialog.getInt(
            self, "Who solves", "Processes of this machine:", place.count, 1, _MOST_PROCESSES
        )
        if good:
            place.employ(count)
            self._tell_cost()

    def _ask_scheduler(self) -> None:
        place = self._session.workplace
        text = "Address of a dask scheduler, such as tcp://host:8786:"
        address, good = QInputDialog.getText(
            self, "Who solves", text, QLineEdit.EchoMode.Normal, place.scheduler
        )
        if good:
            place.employ(place.count, address.strip())
            self._tell_cost()

    # -- telling --------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._tell_cost()

    def _tell_cost(self) -> None:
        """What the plan costs, or what is wrong with it; kept up to date as it is typed."""
        if not self.isVisible():
            return
        surveys, place = self._session.surveys, self._session.workplace
        self.who.setText(f"solved by {place.words}")
        outputs = self.chosen_outputs
        self.exact.setEnabled(not needs_solution(outputs))
        try:
            plan = self.form.plan()
        except UserError as error:
            self.cost.setText(str(error))
            self.run.setEnabled(surveys.running)
            return
        cost = surveys.cost(plan, outputs, self.exact.isChecked())
        self.run.setEnabled(cost is not None or surveys.running)
        if cost is None:
            self.cost.setText(f"{len(plan)} designs")
        elif cost.memory > 0.7 * free_memory():
            self.cost.setText(f"{cost.words}, more memory than there is; take fewer designs")
            self.run.setEnabled(surveys.running)
        else:
            self.cost.setText(cost.words)

    def _follow_job(self) -> None:
        state = self._session.jobs.state(LANE)
        self.run.setText("Look at them" if state is None else "Stop")
        self.bar.setVisible(state is not None)
        if state is None:
            self._tell_cost()
            return
        self.run.setEnabled(True)
        self.bar.setRange(0, state.total)
        self.bar.setValue(state.done)
        left = state.seconds_left
        step = f"{state.step}, {state.done} of {state.total}" if state.total else "choosing a mesh"
        self.cost.setText(step + (f" · {left:.0f} s left" if left is not None else ""))

    def _follow(self) -> None:
        """Show what was found."""
        found, units = self._session.surveys.found, self._session.design.shown
        if found is None or found is not self._followed or units != self._units:
            self._followed, self._units = found, units
            self._shown = None if found is None else replace(found, table=found.table.shown(units))
            shown = self._shown
            self.list.show_table(
                None if shown is None else shown.table,
                () if shown is None else shown.identities,
                self._palette,
            )
            diagram = None if shown is None else shown.speeds
            self.crossings.show_diagram(diagram, units)
            self.lists.setTabVisible(1, diagram is not None)
            self.lists.tabBar().setVisible(diagram is not None)
            self._keep()
        self._note()

    def over_speed(self) -> None:
        """Ask for a speed diagram."""
        self.form.over_speed()

    def _note(self) -> None:
        """How good the table is, and whether it is of the sheet as it stands."""
        surveys = self._session.surveys
        found = surveys.found
        able = found is not None and not surveys.running
        self.there.setEnabled(able and bool(self._session.trying))
        for button in (self.back, self.pin):
            button.setEnabled(bool(self._session.trying))
        for widget in (self.copy, self.write, self.filter):
            widget.setEnabled(found is not None)
        if surveys.failure:
            self._say(surveys.failure, "alarm")
        elif found is None:
            self._say(
                "Nothing is looked at yet. A row's shape is shown as soon as it is chosen; "
                "a double click goes there.",
                "muted",
            )
        elif not surveys.current:
            self._say("These designs are of an older sheet; look at them again.", "alarm")
        else:
            survey = found.survey
            text = (
                f"{sweep_words(survey.solutions, survey.exact)}; largest error of any frequency "
                f"{percent(survey.worst_error)}"
            )
            if surveys.failure_shown:
                text = f"No answer: {surveys.failure_shown}"
            elif survey.failures:
                text += f"; {len(survey.failures)} without an answer, the reason in the last column"
            if survey.loops:
                count = len(survey.loops)
                text += (
                    f"; {count} loop{'s' * (count != 1)} of neighbours do not close: two modes "
                    "have one frequency about there"
                )
            if found.speeds is not None:
                text += "".join(f"; {each}" for each in speed_notes(found.speeds))
            if survey.refusal:
                text += f"; no model: {survey.refusal}"
            self._say(text + ".", "muted")

    def _say(self, text: str, role: str) -> None:
        tell(self.words, text, role)

    # -- using ----------------------------------------------------------------------------------

    def _keep(self) -> None:
        """Show the rows that keep what is typed, in table and chart."""
        found = self._shown
        if found is None:
            self.chart.show_table(None, ())
            return
        units = {column.name: column.unit for column in found.table.columns}
        try:
            parts = [part for part in self.filter.text().split(",") if part.strip()]
            conditions = tuple(parse_condition(part, units) for part in parts)
        except UserError as error:
            self.filter.setToolTip(str(error))
            self._say(str(error), "alarm")
            return
        self.filter.setToolTip("")
        self.list.keep(conditions)
        self.chart.show_table(
            found, sorted(self.list.rows), self._units, self._session.written.margin
        )
        self._note()

    def _choose(self, row: int) -> None:
        """Show the design of a row in the window beside."""
        found = self._session.surveys.found
        if found is None or not self._session.surveys.current:
            return
        self.chart.mark(row)
        self._session.surveys.try_row(row)
        self._note()

    def go_there(self) -> None:
        """Write the design that is shown, as one step."""
        self._session.surveys.take()
        self._note()

    def _go_back(self) -> None:
        self.list.clearSelection()
        self.chart.mark(None)
        self._session.surveys.give_up()
        self._note()

    def _ask_write(self) -> None:
        kinds = "Workbooks (*.xlsx);;CSV (*.csv)"
        ask_write(self, "Write the table", "designs.xlsx", kinds, self.write_table)

    def write_table(self, path: Path) -> None:
        """Write the rows shown, in their order, as CSV or a workbook; raises ``OSError``."""
        found = self._shown
        assert found is not None
        rows = tuple(found.table.rows[row] for row in self.list.rows)
        write_tables({"designs": DesignTable(found.table.columns, rows)}, path)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        """A design that was only tried is given up."""
        self._go_back()
        super().closeEvent(event)
