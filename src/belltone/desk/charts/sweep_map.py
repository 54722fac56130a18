"""The sweep map: branches over a knob, bands across, clear intervals along the axis, a cursor."""

from __future__ import annotations

import itertools

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QBrush, QColor, QPen
from PySide6.QtWidgets import (
    QFrame,
    QGraphicsRectItem,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
)

from belltone.desk.flow import FlowRow
from belltone.desk.knob_box import KnobBox
from belltone.desk.look import label_font, restyle
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.exchange.tables import percent
from belltone.sweep.cost import solving_seconds, time_words
from belltone.sweep.plan import MOST_POINTS
from belltone.sweep.runner import Sweep
from belltone.tune.bands import forbidden

__all__ = ["SweepMap"]

_LEAST_HEIGHT = 190  # pixels: two rows of controls, a small chart, a line of words

_DASHES = (
    Qt.PenStyle.SolidLine,
    Qt.PenStyle.DashLine,
    Qt.PenStyle.DashDotLine,
    Qt.PenStyle.DotLine,
    Qt.PenStyle.DashDotDotLine,
)
_NUMBER_WIDE, _NUMBER_HIGH = 16.0, 12.0  # pixels the number of a branch takes


class SweepMap(QFrame):
    """Chart of a sweep with the controls that run and stop it."""

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette = session, palette
        self._quiet = False
        self._drawn_for: tuple[object, ...] = ()
        # Where branches begin: frequency, knob, branch and colour; and the numbers written there.
        self._begins: list[tuple[float, float, int, QColor]] = []
        self._names: list[pg.TextItem] = []
        self._drawn_in = session.design.shown
        self._drawn_current = False
        self.setProperty("card", True)
        self.setAccessibleName("Sweep map")
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 7, 12, 6)
        column.setSpacing(3)
        column.addWidget(self._controls())
        self.plot = pg.PlotWidget()
        self.plot.setMenuEnabled(False)
        self.plot.hideButtons()
        self.plot.setMouseEnabled(x=False, y=False)
        self.plot.setMinimumHeight(110)
        for name in ("left", "bottom"):
            axis = self.plot.getAxis(name)
            axis.enableAutoSIPrefix(False)
            axis.setStyle(tickFont=label_font(8))
        column.addWidget(self.plot, 1)
        self.clear_text = QLabel()
        self.clear_text.setFont(label_font(8.5))
        self.clear_text.setProperty("role", "clear")
        self.clear_text.setWordWrap(True)
        self.quality = QLabel()
        self.quality.setFont(label_font(8.5))
        self.quality.setProperty("role", "muted")
        bottom = QHBoxLayout()
        bottom.addWidget(self.clear_text, 1)
        bottom.addWidget(self.quality)
        self.halt = QPushButton()
        self.halt.setFont(label_font(8.5))
        self.halt.setProperty("plain", True)
        self.halt.clicked.connect(self._halt_or_go_on)
        bottom.addWidget(self.halt)
        column.addLayout(bottom)
        self.plot.getViewBox().sigResized.connect(lambda _: self._follow_size())
        self.knob_line = pg.InfiniteLine(angle=90, movable=True)
        self.knob_line.sigPositionChanged.connect(self._cursor_moved)
        self.knob_line.sigPositionChangeFinished.connect(session.end_gesture)
        session.tuning.sweep_changed.connect(self.refresh)
        for changed in (session.ghosts.changed, session.hand.changed):
            changed.connect(self.refresh)
        session.sheet_changed.connect(self._follow_sheet)
        session.answer_changed.connect(self._show_range)
        self.points.valueChanged.connect(lambda _: self._show_range())
        session.choice_changed.connect(self._follow_choice)
        session.jobs.changed.connect(
            lambda lane: self._show_progress() if lane == "sweep" else None
        )
        session.jobs.changed.connect(lambda lane: self._note_quality() if lane == "model" else None)
        session.turned.connect(self._follow_turn)
        session.knob_chosen.connect(self.knob.setCurrentText)
        self._due = QTimer(self, singleShot=True, interval=0)
        self._due.timeout.connect(self._draw)
        self._look_at(self.knob.currentText())
        self._draw()

    def _follow_turn(self) -> None:
        """Move the cursor; branches fade while another knob is turned."""
        self._place_cursor()
        if self._session.tuning.shown_is_current != self._drawn_current:
            self.refresh()

    def _look_at(self, knob: str) -> None:
        """Show the branches of another knob."""
        self._session.tuning.look_at(knob)
        self._session.ghosts.look_at(knob)
        self._session.hand.look_at(knob)
        self._show_range()

    def _controls(self) -> FlowRow:
        """What is swept and how far that is, in as many rows as the width asks for."""
        row = FlowRow(6)
        self.heading = QLabel("Sweep of")
        self.heading.setFont(label_font(10, bold=True))
        self.knob = KnobBox(self._session, "knob to sweep")
        self.knob.currentTextChanged.connect(self._look_at)
        self.range = QLabel()
        self.range.setFont(label_font(8.5))
        self.range.setProperty("role", "muted")
        self.points = QSpinBox()
        self.points.setRange(2, MOST_POINTS)
        self.points.setValue(33)
        self.points.setSuffix(" points")
        self.points.setFixedWidth(98)
        self.points.setAccessibleName("points of the sweep")
        self.button = QPushButton("Sweep")
        self.button.clicked.connect(self.run_or_stop)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(80)
        self.progress_text = QLabel()
        self.progress_text.setFont(label_font(8.5))
        self.progress_text.setProperty("role", "muted")
        for widget in (self.heading, self.knob, self.range, self.points, self.button, self.bar):
            row.add(widget)
        row.add(self.progress_text)
        self.bar.hide()
        return row

    def minimumSizeHint(self) -> QSize:
        # The controls are two rows at the least width; the layout would count them one by one.
        return QSize(super().minimumSizeHint().width(), _LEAST_HEIGHT)

    @property
    def drawn(self) -> bool:
        """Whether what has changed is drawn."""
        return not self._due.isActive()

    @property
    def settled(self) -> bool:
        """Whether the branches of its knob are there, or nothing will bring them."""
        session, knob = self._session, self.knob.currentText()
        if not self.drawn:
            return False
        if session.turning is not None or not knob or session.models.refusal(knob):
            return True
        if session.models.halted:
            return True
        return session.models.stands(knob) and session.jobs.state("curves") is None

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self._draw()

    # -- running --------------------------------------------------------------------------------

    def run_or_stop(self) -> None:
        """Start the sweep, or stop the one that runs."""
        if self._session.jobs.state("sweep") is not None:
            self._session.tuning.stop_sweep()
        elif self.knob.currentText():
            self._session.tuning.run_sweep(self.knob.currentText(), self.points.value())

    def _show_progress(self) -> None:
        state = self._session.jobs.state("sweep")
        self.button.setText("Sweep" if state is None else "Stop")
        self.bar.setVisible(state is not None)
        if state is None:
            self.progress_text.setText("")
            return
        self.bar.setRange(0, state.total)
        self.bar.setValue(state.done)
        left = state.seconds_left
        text = f"{state.done} of {state.total}" if state.total else "choosing a discretisation"
        self.progress_text.setText(text + (f" · {left:.0f} s left" if left is not None else ""))

    def _follow_sheet(self) -> None:
        if self._drawn_in != self._session.design.shown:
            self.refresh()
        self._show_range()
        self._place_cursor()

    def _follow_choice(self) -> None:
        """Draw again only if another branch is chosen or modes have changed places."""
        if self._drawn_for != self._choice():
            self.refresh()

    def _choice(self) -> tuple[object, ...]:
        answer = self._session.answer
        return (self._session.chosen, answer.identities if answer is not None else ())

    def _show_range(self) -> None:
        knob = self._session.design.knobs.get(self.knob.currentText())
        self.button.setEnabled(knob is not None)
        if knob is None:
            self.range.setText("make a number a knob first")
        else:
            start, stop = knob.range
            self.range.setText(f"{knob.text(start, 4)} to {knob.text(stop, 4)}{self._cost()}")

    def _cost(self) -> str:
        """About how long the sweep will take, from what the last solution took."""
        answer = self._session.answer
        if answer is None or not answer.seconds:
            return ""
        parts = answer.modes, answer.seconds, self._session.workplace.count
        seconds = solving_seconds(self.points.value(), *parts)
        return f", about {time_words(seconds)}"

    # -- drawing --------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Draw the sweep as the session has it: soon, and once for all that changes together."""
        self._due.start()

    def _draw(self) -> None:
        self._due.stop()
        palette, answer = self._palette, self._session.tuning.shown
        self._drawn_for, self._drawn_in = self._choice(), self._session.design.shown
        self._drawn_current = self._session.tuning.shown_is_current
        self.plot.clear()
        self._begins, self._names = [], []
        self.plot.setBackground(palette.card)
        for name in ("left", "bottom"):
            axis = self.plot.getAxis(name)
            axis.setPen(QColor(palette.muted))
            axis.setTextPen(QColor(palette.ink))
        self._note_quality()
        if answer is None:
            self.plot.hideAxis("left")
            self.plot.hideAxis("bottom")
            self.clear_text.setText(self._session.tuning.sweep_failure)
            self._role("alarm")
            text = pg.TextItem(self._hint(), color=palette.muted, anchor=(0.5, 0.5))
            text.setFont(label_font(9))
            self.plot.addItem(text)
            self._names = [text]
            self._follow_size()
            self.plot.setXRange(-1, 1, padding=0)
            self.plot.setYRange(-1, 1, padding=0)
            return
        self.plot.showAxis("left")
        self.plot.showAxis("bottom")
        sweep = answer.sweep
        unit = f" ({sweep.knob.unit})" if sweep.knob.unit else ""
        style = {"font-size": "8.5pt", "color": palette.ink}
        self.plot.setLabel("bottom", f"{sweep.knob.name}{unit}", **style)
        units = self._session.design.shown
        self.plot.getAxis("left").setScale(units.factor("frequency"))
        self.plot.setLabel("left", units.unit("frequency"), **style)
        low, high = self._ends(sweep)
        top = self._top()
        self.plot.setXRange(low, high, padding=0.015)
        self.plot.setYRange(0, top, padding=0.0)
        self._draw_bands(low, high)
        self._draw_branches()
        self._draw_ghost(sweep)
        self._draw_hand_curves()
        self._draw_clear(top)
        self.knob_line.setPen(QPen(QColor(palette.live), 0))
        self.knob_line.setPen(pg.mkPen(palette.live, width=1.6))
        self.knob_line.setHoverPen(pg.mkPen(palette.ink, width=3))
        self.plot.addItem(self.knob_line)
        self._place_cursor()

    @staticmethod
    def _ends(sweep: Sweep) -> tuple[float, float]:
        """From where to where the map goes; a model that is not made yet covers a part of it."""
        low, high = float(sweep.values[0]), float(sweep.values[-1])
        if sweep.asked.any():
            return low, high
        return min(low, sweep.knob.range[0]), max(high, sweep.knob.range[1])

    def _top(self) -> float:
        """Show the branches that matter: past the bands, and the chosen one."""
        answer = self._session.tuning.shown
        assert answer is not None
        design = self._session.design
        highest = max([band.high * (1 + design.margin) for band in design.bands], default=0.0)
        lowest_branches = sorted(float(np.nanmax(b.frequencies)) for b in answer.sweep.branches)
        wanted = lowest_branches[: max(4, sum(f <= highest for f in lowest_branches) + 1)]
        for identity, branch in zip(answer.identities, answer.sweep.branches, strict=True):
            if identity == self._session.chosen:
                wanted.append(float(np.nanmax(branch.frequencies)))
        return 1.08 * max([highest, *wanted])

    def _draw_bands(self, low: float, high: float) -> None:
        design, palette = self._session.design, self._palette
        names: list[tuple[float, str]] = []
        for band in design.bands:
            below, above = forbidden(band, design.margin)
            self._rectangle(low, high, below, above, QBrush(QColor(palette.margin_wash)))
            self._rectangle(low, high, band.low, band.high, QBrush(QColor(palette.alarm_wash)))
            hatch = QColor(palette.alarm)
            hatch.setAlpha(90)
            brush = QBrush(hatch, Qt.BrushStyle.BDiagPattern)
            self._rectangle(low, high, band.low, band.high, brush)
            names.append((0.5 * (band.low + band.high), band.name))
        for middle, name in names:
            ground = QColor(palette.card)
            ground.setAlpha(170)
            text = pg.TextItem(name, color=palette.alarm, anchor=(1, 0.5), fill=ground)
            text.setFont(label_font(8))
            text.setPos(high, middle)
            text.setZValue(20)
            self.plot.addItem(text)

    def _rectangle(self, x0: float, x1: float, y0: float, y1: float, brush: QBrush) -> None:
        item = QGraphicsRectItem(QRectF(x0, y0, x1 - x0, max(y1 - y0, 1e-9)))
        item.setPen(QPen(Qt.PenStyle.NoPen))
        if brush.style() != Qt.BrushStyle.SolidPattern:
            # The pattern is drawn in pixels whatever the scale of the axes.
            transform = self.plot.getPlotItem().vb.viewTransform().inverted()[0]
            transform.setMatrix(transform.m11(), 0, 0, 0, transform.m22(), 0, 0, 0, 1)
            brush.setTransform(transform)
        item.setBrush(brush)
        item.setZValue(-20)
        self.plot.addItem(item)

    def _draw_branches(self) -> None:
        answer = self._session.tuning.shown
        assert answer is not None
        sweep, faded = answer.sweep, not self._session.tuning.shown_is_current
        begins: list[tuple[float, float, int, QColor]] = []
        for identity, branch in zip(answer.identities, sweep.branches, strict=True):
            colour = QColor(self._palette.branch(identity))
            if faded:
                colour.setAlpha(90)
            chosen = identity == self._session.chosen
            dash = _DASHES[identity % len(_DASHES)]
            pen = pg.mkPen(colour, width=3.2 if chosen else 1.7, style=dash)
            curve = branch.curve(sweep.values)
            if curve is None:
                continue
            x = np.linspace(curve.x[0], curve.x[-1], 300)
            line = pg.PlotCurveItem(x, curve(x), pen=pen, antialias=True)
            line.setClickable(True, width=10)
            line.sigClicked.connect(lambda *_, branch=identity: self._session.choose(branch))
            line.setZValue(10 if chosen else 5)
            self.plot.addItem(line)
            begins.append((float(curve(x[0])), float(x[0]), identity, colour))
        self._begins = sorted(begins, key=lambda each: each[0])
        self._name_branches()
        self._draw_solved(sweep)

    def _draw_ghost(self, shown: Sweep) -> None:
        """Branches of the variant shown as a ghost: thin dots, the chosen mode in colour."""
        sweep, match = self._session.ghosts.sweep, self._session.others.ghost_match
        ghost = self._session.others.ghost
        if sweep is None or ghost is None or sweep.knob.name != shown.knob.name:
            return
        modes = ghost[1].modes
        partner = None if match is None or match.number is None else match.number - modes.skipped
        here = int(np.argmin(np.abs(sweep.values - sweep.knob.value)))
        for branch in sweep.branches:
            curve = branch.curve(sweep.values)
            if curve is None:
                continue
            chosen = partner is not None and branch.places[here] == partner - 1
            colour = self._palette.branch(self._session.chosen) if chosen else self._palette.muted
            pen = pg.mkPen(QColor(colour), width=1.8 if chosen else 1.0, style=Qt.PenStyle.DotLine)
            x = np.linspace(curve.x[0], curve.x[-1], 300)
            line = pg.PlotCurveItem(x, curve(x), pen=pen, antialias=True)
            line.setZValue(3)
            self.plot.addItem(line)

    def _draw_hand_curves(self) -> None:
        """What textbooks say of the chosen mode: thin dashes beside its branch."""
        for each in self._session.hand.curves:
            pen = pg.mkPen(QColor(self._palette.ink), width=0.9, style=Qt.PenStyle.DashLine)
            line = pg.PlotCurveItem(
                each.values, each.frequencies, pen=pen, antialias=True, connect="finite"
            )
            line.setZValue(4)
            line.setToolTip(each.formula)
            self.plot.addItem(line)

    def _growing(self) -> str:
        """How far the model of the knob is."""
        state = self._session.jobs.state("model")
        done = 0 if state is None else state.done
        return f"making the model, {done} design{'s' * (done != 1)} so far"

    def _halt_or_go_on(self) -> None:
        models = self._session.models
        if models.halted:
            models.go_on()
        else:
            models.halt()
        self.refresh()

    def _show_halt(self, making: bool) -> None:
        """Offer to stop what is made, or to go on with what was stopped."""
        models = self._session.models
        halted = models.halted and not models.stands(self.knob.currentText())
        self.halt.setVisible(making or halted)
        self.halt.setText("Make the model" if halted else "Stop")
        self.halt.setToolTip(
            "Make the models of the knobs, so that they answer while they are turned"
            if halted
            else "Make no more models of this sheet; knobs are moved by slopes where there is none"
        )

    def _draw_solved(self, shown: Sweep) -> None:
        """Dots where branches were solved, on curves that were not."""
        exact = self._session.tuning.sweep
        if exact is None or exact.sweep is shown or not self._session.tuning.sweep_is_current:
            return
        if exact.sweep.knob.name != shown.knob.name:
            return
        for identity, branch in zip(exact.identities, exact.sweep.branches, strict=True):
            colour = QColor(self._palette.branch(identity))
            dots = pg.ScatterPlotItem(
                exact.sweep.values, branch.frequencies, size=6, brush=colour, pen=None
            )
            dots.setZValue(12)
            self.plot.addItem(dots)

    def _hint(self) -> str:
        """What stands where there are no branches yet."""
        session, knob = self._session, self.knob.currentText()
        if not knob:
            return "no knob yet: right-click a number and make one of it"
        refusal = session.models.refusal(knob)
        if refusal:
            return f"no model of {knob} ({refusal}); press Sweep to solve its points"
        if session.models.halted and not session.models.stands(knob):
            return "making the model of this knob was stopped; Sweep solves its points"
        return "branches appear as soon as a model of this knob stands; Sweep solves its points"

    def _follow_size(self) -> None:
        """What is laid out by pixels is laid out anew."""
        if self._session.tuning.shown is not None:
            self._name_branches()
            return
        for text in self._names:
            text.setTextWidth(max(80.0, self.plot.width() - 40.0))

    def _name_branches(self) -> None:
        """Write the number of each branch's mode where it begins.

        Numbers that would cover one another stand side by side.
        """
        for text in self._names:
            self.plot.removeItem(text)
        self._names = []
        answer = self._session.answer
        if answer is None:
            return
        (left, right), (low, high) = self.plot.getViewBox().viewRange()
        inside = self.plot.getViewBox().rect()
        beside = _NUMBER_WIDE * (right - left) / max(1.0, inside.width())
        above = _NUMBER_HIGH * (high - low) / max(1.0, inside.height())
        last: dict[int, float] = {}
        for y, x, identity, colour in self._begins:
            if identity not in answer.identities or y > high:
                continue
            column = next(c for c in itertools.count() if y - last.get(c, -np.inf) >= above)
            last[column] = y
            number = answer.identities.index(identity) + 1
            text = pg.TextItem(str(number), color=colour, anchor=(0.0, 1.0))
            text.setFont(label_font(8, bold=True))
            text.setPos(x + column * beside, y)
            text.setZValue(15)
            self.plot.addItem(text)
            self._names.append(text)

    def _draw_clear(self, top: float) -> None:
        answer, palette = self._session.tuning.shown, self._palette
        assert answer is not None
        knob = answer.sweep.knob
        if self._session.tuning.sweep_failure:
            self.clear_text.setText(self._session.tuning.sweep_failure)
            self._role("alarm")
            return
        if not self._session.tuning.shown_is_current:
            modelled = answer is self._session.tuning.modelled
            self.clear_text.setText(
                "These branches are of the design before the turn."
                if self._session.turning is not None
                else "These branches are of the design before; new ones are being made."
                if modelled
                else "This sweep is of an older design; sweep again."
            )
            self._role("alarm")
            return
        self._role("clear")
        if not self._session.design.bands:
            self.clear_text.setText("")
            return
        intervals, solved = self._session.tuning.clear
        if intervals is None:
            self.clear_text.setText("finding the clear intervals …")
            return
        for interval in intervals:
            bar = pg.PlotCurveItem(
                [interval.start, interval.stop],
                [0.012 * top, 0.012 * top],
                pen=pg.mkPen(palette.clear, width=6),
            )
            bar.setZValue(30)
            self.plot.addItem(bar)
        words = ", ".join(
            f"{knob.text(each.start, 4)} to {knob.text(each.stop, 4)}" for each in intervals
        )
        about = "" if solved else "about "
        known = float(answer.sweep.values[0]), float(answer.sweep.values[-1])
        some = ""
        if not self._session.tuning.shown_is_whole:
            some = f" between {knob.text(known[0], 4)} and {knob.text(known[1], 4)}"
        self._role("clear" if words else "alarm")
        self.clear_text.setText(
            f"clear intervals of {knob.name}{some}: {about}{words}"
            if words
            else f"no value of {knob.name}{some} clears every band; the rest is not known yet"
            if some
            else f"no clear interval: no value of {knob.name} in this range clears every band"
        )

    def _role(self, role: str) -> None:
        self.clear_text.setProperty("role", role)
        restyle(self.clear_text)

    def _note_quality(self) -> None:
        """Say how much was solved, how exactly, and where nothing could be."""
        answer = self._session.tuning.shown
        models, knob = self._session.models, self.knob.currentText()
        making = bool(knob) and models.making == knob
        self._show_halt(making)
        if answer is None:
            self.quality.setText(self._growing() if making else "")
            return
        if answer is self._session.tuning.modelled:
            text = f"by a model, within {percent(answer.sweep.worst_error)}"
            text += f" · {self._growing()}" if making else ""
        else:
            text = f"{len(answer.sweep.values)} solved · error {percent(answer.sweep.worst_error)}"
        failures = list(answer.sweep.failures.values())
        if failures:
            text += f" · {len(failures)} without an answer"
        self.quality.setText(text)
        self.quality.setToolTip(failures[0].detail if failures else "")

    # -- the cursor -----------------------------------------------------------------------------

    def _place_cursor(self) -> None:
        answer = self._session.tuning.shown
        if answer is None or answer.sweep.knob.name not in self._session.design.knobs:
            return
        self._quiet = True
        low, high = self._ends(answer.sweep)
        self.knob_line.setBounds((low, high))
        self.knob_line.setValue(self._session.design.knobs[answer.sweep.knob.name].value)
        self._quiet = False

    def _cursor_moved(self) -> None:
        answer = self._session.tuning.shown
        if self._quiet or answer is None:
            return
        name = answer.sweep.knob.name
        value = float(f"{self.knob_line.value():.4g}")
        if name in self._session.design.knobs and value != self._session.design.knobs[name].value:
            problem = self._session.turn_knob(name, value)
            if problem is not None:
                self._session.told.emit(problem)
