"""The form in which a frequency of the chosen mode is asked from a knob, or from several."""

from __future__ import annotations

import math

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from belltone.desk.knob_box import KnobBox, KnobTicks
from belltone.desk.look import label_font, tell
from belltone.desk.session.reaching import REACH, Reached
from belltone.desk.session.session import Session
from belltone.sheet.plain import PlainValueError, plain_value
from belltone.sheet.units import DIMENSIONS

__all__ = ["ReachForm"]

_SEVERAL = "several knobs"


class ReachForm(QWidget):
    """Ask for a frequency of the chosen mode, and say what came of it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        title = QLabel("Reach: bring this mode to")
        title.setFont(label_font(8.5))
        title.setProperty("role", "muted")
        column.addWidget(title)
        self.target = self._field("frequency to reach")
        self.within = self._field("how far off it may be")
        self.within.setPlaceholderText("0.01 %")
        self.within.setToolTip("how near is near enough, as a frequency or a share of it")
        self.knob = KnobBox(session, "knob to turn", several=_SEVERAL)
        self.knob.currentTextChanged.connect(lambda _: self._show_ticks())
        self.ticks = KnobTicks(session, "Least change of")
        self.button = QPushButton("Reach")
        self.button.clicked.connect(self._press)
        row = QHBoxLayout()
        row.addWidget(self.target, 3)
        row.addWidget(QLabel("within"))
        row.addWidget(self.within, 2)
        column.addLayout(row)
        row = QHBoxLayout()
        row.addWidget(QLabel("by"))
        row.addWidget(self.knob, 2)
        row.addWidget(self.button, 1)
        column.addLayout(row)
        column.addWidget(self.ticks)
        self.said = QLabel()
        self.said.setFont(label_font(8.5))
        self.said.setWordWrap(True)
        self.said.setTextFormat(Qt.TextFormat.PlainText)
        column.addWidget(self.said)
        self._offer()
        self._show_ticks()
        session.sheet_changed.connect(self._offer)
        session.reaching.changed.connect(self._show_outcome)
        session.jobs.changed.connect(lambda lane: self._show_outcome() if lane == REACH else None)

    def _field(self, name: str) -> QLineEdit:
        field = QLineEdit()
        field.setProperty("plain", True)
        field.setAccessibleName(name)
        field.returnPressed.connect(self.ask)
        return field

    def _offer(self) -> None:
        """An example in the units the sheet is shown in."""
        units = self._session.design.shown
        self.target.setPlaceholderText("3300 rpm" if units.frequency == "rpm" else "55 Hz")

    def _show_ticks(self) -> None:
        self.ticks.setVisible(self.knob.several)

    def ask(self) -> None:
        """Start looking; a frequency that cannot be read is said at once."""
        try:
            target = plain_value(self.target.text().strip(), DIMENSIONS["frequency"])
            tolerance = self._tolerance(target)
        except PlainValueError as error:
            self._say(str(error), wrong=True)
            return
        knobs = self.ticks.chosen if self.knob.several else (self.knob.currentText(),)
        if not self.knob.currentText():
            self._say("Make a number a knob first (right-click it).", wrong=True)
        elif not knobs:
            self._say("Tick the knobs that may be turned.", wrong=True)
        else:
            self._session.reaching.start(target, knobs, tolerance)

    def _tolerance(self, target: float) -> float | None:
        text = self.within.text().strip()
        if not text:
            return None
        if text.endswith("%"):
            return plain_value(text, DIMENSIONS["share"]) * target
        return plain_value(text, DIMENSIONS["frequency"])

    def ask_for(self, frequency: float) -> None:
        """Ask for a frequency given by hand on the ruler."""
        self.target.setText(self._session.design.shown.frequency_text(frequency, 4))
        self.ask()

    def _press(self) -> None:
        if self._session.jobs.state(REACH) is not None:
            self._session.reaching.stop()
            self._say("Stopped.", wrong=False)
        else:
            self.ask()

    def _show_outcome(self) -> None:
        session = self._session
        state, reaching = session.jobs.state(REACH), session.reaching
        self.button.setText("Reach" if state is None else "Stop")
        if state is not None:
            step = f" {state.step}" if state.step else ""
            part = f" {state.done} of {state.total}" if state.total else ""
            self._say(f"Looking …{step}{part}", wrong=False)
        elif reaching.failure:
            self._say(reaching.failure, wrong=True)
        elif reaching.found is not None:
            self._tell(reaching.found)
        elif self.said.text().startswith("Looking"):
            self._say("", wrong=False)

    def _tell(self, found: Reached) -> None:
        told = self._session.design.shown.frequency_text(found.frequency, 6)
        if found.short:
            values = ", ".join(f"{name} {text}" for name, text in found.texts.items())
            nearest = "" if math.isnan(found.frequency) else f" The nearest is {told} at {values}."
            self._say(f"Not reached: {found.short}.{nearest}", wrong=True)
            return
        values = ", ".join(f"{name} is now {text}" for name, text in found.texts.items())
        also = f" Also near {', '.join(found.also)}." if found.also else ""
        besides = f" ({found.besides})" if found.besides else ""
        self._say(f"{values}: {told}{besides}.{also}", wrong=False)

    def _say(self, text: str, wrong: bool) -> None:
        tell(self.said, text, "alarm" if wrong else "muted")
        self.said.setVisible(bool(text))
