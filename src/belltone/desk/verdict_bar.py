"""The line on top: how the design stands, and the one step that would help."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QWidget

from belltone.desk.elided import ElidedLabel
from belltone.desk.look import label_font
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.exchange.preload_tables import buckling_text
from belltone.exchange.tables import percent
from belltone.exchange.tuning_tables import proposal_words
from belltone.exchange.verdicts import how_it_stands
from belltone.sheet.errors import Path
from belltone.tune.proposals import Proposal

__all__ = ["VerdictBar"]


_NEAR_BUCKLING: Final = 2.0  # a smaller factor is shown as alarming


_SOURCES = {
    "model": "By the model, within {}.",
    "older model": "Moved as before other knobs were turned, error not known.",
    "slopes": "Moved by slopes, error not known.",
    "before": "Frequencies are those before the turn.",
}


class VerdictBar(QWidget):
    """Says which modes stand in bands and offers the nearest clear value of the swept knob."""

    sweep_asked = Signal()
    clear_asked = Signal()

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette = session, palette
        self._wash = palette.ledge
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 5, 12, 5)
        self.head = QLabel()
        self.head.setFont(label_font(10.5, bold=True))
        self.text = ElidedLabel()
        self.text.setFont(label_font(9))
        self.text.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.go = QPushButton("Go there")
        self.go.setToolTip("Write the nearest design known at which every band is clear")
        self.go.clicked.connect(self._go)
        self.sweep = QPushButton("Sweep")
        self.sweep.setToolTip("Sweep the knob chosen at the sweep map to find where it is clear")
        self.sweep.clicked.connect(self.sweep_asked)
        self.clear = QPushButton("Clear the bands…")
        self.clear.setToolTip("Search for the nearest design of several knobs that is clear")
        self.clear.clicked.connect(self.clear_asked)
        self.load = QLabel()
        self.load.setFont(label_font(9, bold=True))
        self.load.setToolTip("What the preload comes to before the shape stops being stable")
        row.addWidget(self.head)
        row.addWidget(self.text, 1)
        row.addWidget(self.load)
        self.stop = QPushButton("Stop")
        self.stop.clicked.connect(self._stop_or_go_on)
        row.addWidget(self.stop)
        row.addWidget(self.sweep)
        row.addWidget(self.clear)
        row.addWidget(self.go)
        for signal in (
            session.answer_changed,
            session.tuning.sweep_changed,
            session.sheet_changed,
            session.proposals.changed,
        ):
            signal.connect(self.refresh)
        session.jobs.changed.connect(lambda lane: self.refresh() if lane == "modes" else None)
        self.refresh()

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self.refresh()

    def refresh(self) -> None:
        """Say how things stand."""
        session, palette = self._session, self._palette
        answer = session.answer
        colour, wash = palette.ink, palette.ledge
        head, text = "", ""
        if answer is None:
            head = "Solving …" if not session.failure else "No answer"
            text = session.failure or self._ahead()
        elif session.wrong:
            head, colour = "A value cannot be used", palette.alarm
            text = (
                next(iter(session.wrong.values()))[1] + " (what is shown is the design before it)"
            )
        else:
            stands = how_it_stands(answer.modes, answer.design)
            head, text = stands.head, stands.text
            if stands.tone == "open":
                text = "Say under “Shaken by” which frequencies must stay clear."
            elif stands.tone == "good":
                colour = palette.clear
            else:
                colour, wash = palette.alarm, palette.margin_wash
                text = f"{text} {self._advice()}"
        if answer is not None and answer.source:
            source = _SOURCES[answer.source].format(percent(answer.worst))
            text = f"{session.failure or text} {source}".strip()
        elif answer is not None and not answer.final and not session.stale:
            ahead = self._ahead()
            within = f"First look, within {percent(answer.worst)}"
            text = f"{within}: this may still change{f' ({ahead})' if ahead else ''}. {text}"
        if answer is not None and session.stale and not session.wrong:
            ahead = self._ahead()
            text = f"{text} (of the older design{'; ' + ahead if ahead else ''})"
        self._wash = wash
        self._show_load()
        self.stop.setVisible(session.stopped or session.jobs.state("modes") is not None)
        self.stop.setText("Go on" if session.stopped else "Stop")
        self.stop.setToolTip(
            "Solve to the accuracy asked for"
            if session.stopped
            else "Stop solving; what has been found so far stays"
        )
        self.head.setText(head)
        self.head.setStyleSheet(f"color: {colour};")
        self.text.setText(text)
        nearest = None if "target" in head else session.tuning.nearest_clear()
        clear = "clear" in head or "met" in head
        self.go.setVisible((nearest is not None or self._proposed() is not None) and not clear)
        self.clear.setVisible(
            self.go.isHidden()
            and answer is not None
            and not session.wrong
            and bool(answer.design.bands or answer.design.targets)
            and not clear
            and bool(session.design.knobs)
        )
        self.sweep.setVisible(
            nearest is None
            and answer is not None
            and not session.wrong
            and bool(answer.design.bands)
            and not clear
            and bool(session.design.knobs)
            and not session.tuning.shown_is_current
        )
        self.update()

    def _ahead(self) -> str:
        """What is being solved, and how large it is where it takes long."""
        state = self._session.jobs.state("modes")
        return "" if state is None else state.text or state.step

    def _show_load(self) -> None:
        """The buckling factor, always in sight where there is one."""
        answer = self._session.answer
        base = None if answer is None else answer.modes.base
        shown = base is not None and bool(base.factors or base.snapped is not None)
        self.load.setVisible(shown)
        if base is None or not shown:
            return
        near = base.snapped is not None or base.factors[0] < _NEAR_BUCKLING
        near = near and not (base.spun and base.gyroscopic)
        colour = self._palette.alarm if near else self._palette.muted
        text = buckling_text(base)
        self.load.setText(text[0].upper() + text[1:])
        self.load.setStyleSheet(f"color: {colour};")

    def _proposed(self) -> Proposal | None:
        """The best proposal, where it is clear and of the sheet as it stands."""
        proposals = self._session.proposals
        clear = [found for found in proposals.listed if found.clear and found.change > 0]
        return clear[0] if clear and proposals.current and not self._session.trying else None

    def _advice(self) -> str:
        session = self._session
        proposed, found = self._proposed(), session.proposals.found
        if proposed is not None and found is not None:
            words = proposal_words(proposed, found.present, session.design.shown)
            return f"Nearest clear design: {words}."
        nearest = session.tuning.nearest_clear()
        if nearest is not None and session.tuning.shown is not None:
            knob = session.tuning.shown.sweep.knob
            return f"Nearest clear design: {knob.name} {knob.text(nearest, 12)}."
        if session.tuning.shown_is_current and session.tuning.shown is not None:
            if session.tuning.shown.intervals is None:
                return "Looking for clear intervals …"
            if not session.tuning.shown_is_whole:
                name = session.tuning.shown.sweep.knob.name
                return f"No value of {name} near here clears them all; the rest is not known yet."
            return (
                f"No value of {session.tuning.shown.sweep.knob.name} in its range clears them all."
            )
        return "Sweep a knob to see where they are clear." if session.design.knobs else ""

    def _stop_or_go_on(self) -> None:
        if self._session.stopped:
            self._session.solve()
        else:
            self._session.stop_solving()

    def _go(self) -> None:
        session, proposed = self._session, self._proposed()
        if proposed is not None:
            texts: dict[Path, str] = {
                ("knobs", name, "value"): text for name, text in proposed.texts.items()
            }
            session.edit("proposal", lambda sheet: sheet.with_values(texts))
            return
        value = session.tuning.nearest_clear()
        if value is not None and session.tuning.shown is not None:
            session.set_knob(session.tuning.shown.sweep.knob.name, value)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self._wash))
        painter.end()
