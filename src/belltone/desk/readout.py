"""The readout: the chosen mode in every unit, how it stands, where its energy is, hand check."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.look import label_font, sentence_font, unparted
from belltone.desk.marks import mark_path
from belltone.desk.reach_form import ReachForm
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.exchange.tables import percent, standing_text
from belltone.modes.modeset import ModeSet
from belltone.sheet.units import format_number
from belltone.tune.bands import mode_standing

__all__ = ["Readout"]

_UNKNOWN_ERRORS = {"slopes": "by slopes", "before": "not moved", "older model": "about"}
_AGREES = 1e-5  # relative; a difference below says nothing
_TOLD, _PLACES = 0.05, 3  # the least share of a place that is told, and how many are
_ENERGY_ROWS = 4  # the largest shares; a fifth one is close to nothing


class Readout(QFrame):
    """Everything about the chosen mode, and reach."""

    energy_asked = Signal()

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette = session, palette
        self.setProperty("card", True)
        self.setMinimumWidth(232)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 10)
        column.setSpacing(5)
        top = QHBoxLayout()
        self._chip = _Chip(palette)
        self.head = QLabel()
        self.head.setFont(label_font(13, bold=True))
        top.addWidget(self._chip)
        top.addWidget(self.head, 1)
        column.addLayout(top)
        self.stale = _label("", 8.5, "alarm")
        column.addWidget(self.stale)
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        self.frequency, self.error = _label("", 12), _label("", 8.5, "muted")
        self.radians, self.other, self.period = (_label("", 10.5) for _ in range(3))
        self._other_note = _label("", 8.5, "muted")
        for row, (value, note) in enumerate(
            (
                (self.frequency, self.error),
                (self.radians, _label("angular", 8.5, "muted")),
                (self.other, self._other_note),
                (self.period, _label("period", 8.5, "muted")),
            )
        ):
            value.setFont(sentence_font(12.5 if row == 0 else 10.5))
            value.setWordWrap(False)  # a reading and its unit stay in one line
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            grid.addWidget(value, row, 0)
            grid.addWidget(note, row, 1, Qt.AlignmentFlag.AlignRight)
        grid.setColumnStretch(1, 1)
        column.addLayout(grid)
        self.kind = _label("", 10)
        column.addWidget(self.kind)
        self.loaded = _label("", 9, "muted")
        self.loaded.setToolTip("What the preload does to this mode, recognised by its shape")
        column.addWidget(self.loaded)
        column.addWidget(_rule())
        self.standing = _label("", 9.5)
        self.wanted = _label("", 9, "muted")
        column.addWidget(self.standing)
        column.addWidget(self.wanted)
        column.addWidget(_rule())
        heading = QHBoxLayout()
        heading.addWidget(_label("Where its strain energy is", 8.5, "muted"), 1)
        self.list_button = QToolButton()
        self.list_button.setText("list…")
        self.list_button.setProperty("live", True)
        self.list_button.setFont(label_font(8.5))
        self.list_button.setToolTip(
            "List the strain and kinetic energy by part, spring, region and mass, or by element "
            "(Ctrl+L)"
        )
        self.list_button.setAccessibleName("List where its energy is")
        self.list_button.clicked.connect(self.energy_asked)
        heading.addWidget(self.list_button)
        column.addLayout(heading)
        self.energy = _EnergyBars(palette)
        column.addWidget(self.energy)
        self.where = _label("", 8.5)
        self.where.setToolTip(
            "Shares of the mode's strain energy by part, by spring and joint, and by region of a "
            "received mesh; where it is, stiffening helps"
        )
        column.addWidget(self.where)
        column.addWidget(_rule())
        column.addWidget(_label("Effective mass, share of the whole", 8.5, "muted"))
        self.effective = _label("", 9)
        self.effective.setToolTip(
            "How much of the component's mass the mode moves as one along each axis: a mode with "
            "none is not shaken by its supports moving that way"
        )
        column.addWidget(self.effective)
        column.addWidget(_rule())
        column.addWidget(_label("Hand check; computed is off by", 8.5, "muted"))
        self.check = _label("", 9)
        column.addWidget(self.check)
        column.addStretch(1)
        column.addWidget(_rule())
        self.reach = ReachForm(session)
        column.addWidget(self.reach)
        for signal in (session.answer_changed, session.choice_changed, session.sheet_changed):
            signal.connect(self.refresh)
        session.hand.checked.connect(self._show_checks)
        self.refresh()

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self.energy.set_palette(palette)
        self.refresh()

    def refresh(self) -> None:
        """Show the chosen mode."""
        session = self._session
        answer, mode, index = session.answer, session.chosen_mode, session.chosen_index
        if answer is None or mode is None or index is None:
            self.head.setText("No mode yet")
            return
        self._chip.show_branch(session.chosen, self._palette)
        self.head.setText(f"Mode {mode.number}")
        older = "of the older design" if session.stale else ""
        if answer.source:
            older = "energies and masses are those before the turn"
        self.stale.setText(older)
        self.stale.setVisible(bool(older))
        units = session.design.shown
        self.frequency.setText(units.frequency_text(mode.frequency, 6))
        self.error.setText(
            _UNKNOWN_ERRORS[answer.source]
            if answer.source in _UNKNOWN_ERRORS
            else f"± {percent(mode.error)}".replace("± below", "<")
        )
        self.error.setToolTip(
            "Estimate of the errors of the model and of the discretisation in this frequency"
            if answer.source == "model"
            else "Estimate of the discretisation's error in this frequency"
        )
        self.radians.setText(f"{format_number(mode.angular, 6)} rad/s")
        turns = units.unit("frequency") == "rpm"
        other = f"{format_number(mode.frequency)} Hz" if turns else f"{format_number(mode.rpm)} rpm"
        self.other.setText(other)
        self._other_note.setText("per second" if turns else "per minute")
        self.period.setText(f"{format_number(1e3 * mode.period, 5)} ms")
        self.kind.setText(mode.kind_words[0].upper() + mode.kind_words[1:] + ".")
        self._show_loaded()
        standing = mode_standing(mode, answer.design)
        text = standing_text(standing)
        text = text[0].upper() + text[1:] + "." if text else "No excitation stated."
        self.standing.setText(unparted(text))
        troubled = standing is not None and standing.place != "clear"
        self.standing.setStyleSheet(
            f"color: {self._palette.alarm if troubled else self._palette.clear};"
            if standing is not None
            else ""
        )
        if standing is not None and troubled:
            low, high = (units.frequency_text(f, 4) for f in (standing.below, standing.above))
            self.wanted.setText(unparted(f"Wanted: below {low} or above {high}."))
        elif standing is not None and math.isfinite(standing.separation):
            self.wanted.setText(f"Margin asked for: {percent(answer.design.margin)}.")
        else:
            self.wanted.setText("")
        self.wanted.setVisible(bool(self.wanted.text()))
        self.energy.show_shares(mode.energy)
        self._show_where(answer.modes, index)
        self.effective.setText(
            "      ".join(
                f"{axis} {100 * mass / answer.modes.mass:.0f}\u00a0%"
                for axis, mass in zip("xyz", mode.effective_mass, strict=True)
            )
        )
        self._show_checks()

    def _show_where(self, modes: ModeSet, index: int) -> None:
        """Which parts, springs and joints hold the energy, where there are several."""
        found = modes.held.strained(index) if len(modes.part_names) > 1 or modes.held.places else ()
        told = [(name, share) for name, share in found if share >= _TOLD][:_PLACES]
        self.where.setText(", ".join(f"{name} {100 * share:.0f}\u00a0%" for name, share in told))
        self.where.setVisible(bool(told))

    def _show_checks(self) -> None:
        """Textbook values, as soon as they are known."""
        answer, found = self._session.answer, self._session.hand.checks
        if answer is not None and answer.source:
            self.check.setText("Worked out when the knob is let go.")
            return
        checks = () if found is None else found.found
        if not checks:
            self.check.setText(
                "Being worked out …" if found is None else f"No table has it: {found.why}."
            )
            self.check.setToolTip("")
            return
        lines, units = [], self._session.design.shown
        # The first is the table's, the last the fullest theory; the tip has them all.
        for each in checks if len(checks) < 3 else (checks[0], checks[-1]):
            sign = "+" if each.difference >= 0 else "−"
            # The formula itself is in the tip: three of them have no room here.
            name = each.formula.split(", f =")[0].split(", ω²")[0]
            name = name.replace(" by one-dimensional theory", "")
            off = f"{sign}{percent(abs(each.difference))}".replace(" %", "\u00a0%")
            if abs(each.difference) < _AGREES:
                off = "nothing"
            told = units.frequency_text(each.frequency).replace(" ", "\u00a0")
            lines.append(f"{name}: {told}, {off}")
        self.check.setText("\n".join(lines))
        tips = [f"{each.formula}\n{each.source}\nAssumes: {each.assumes}." for each in checks]
        self.check.setToolTip("\n\n".join(tips))

    def _show_loaded(self) -> None:
        """What the preload changes about the chosen mode."""
        session, mode = self._session, self._session.chosen_mode
        text = ""
        match = session.others.bare_match
        if match is not None and mode is not None:
            if match.change is None or match.before is None:
                text = f"Without preload it {match.words}."
            else:
                does = match.verb.replace("stays", "leaves")
                before = session.design.shown.frequency_text(match.before).replace(" ", "\u00a0")
                text = (
                    f"The preload {does} it: {100 * match.change:+.3g}\u00a0% from {before} without"
                )
                if match.number != mode.number:
                    text += f", where it was mode {match.number}"
                text += "."
        elif session.jobs.state("bare") is not None:
            text = "Finding it without preload …"
        self.loaded.setText(text)
        self.loaded.setVisible(bool(text))


class _Chip(QWidget):
    """The branch's mark in its colour."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._identity, self._palette = 0, palette
        self.setFixedSize(QSize(22, 22))

    def show_branch(self, identity: int, palette: Palette) -> None:
        self._identity, self._palette = identity, palette
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colour = QColor(self._palette.branch(self._identity))
        painter.setPen(QPen(colour, 1.5))
        painter.setBrush(colour)
        painter.drawPath(mark_path(self._identity, QPointF(11, 11), 7.5))
        painter.end()


class _EnergyBars(QWidget):
    """Shares of strain energy."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._palette = palette
        self._shares: tuple[tuple[str, float], ...] = ()
        self.setFont(label_font(8.5))
        self.setFixedHeight(_ENERGY_ROWS * 18)

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.update()

    def show_shares(self, shares: tuple[tuple[str, float], ...]) -> None:
        # Springs have a row only where there are any.
        shown = [entry for entry in shares if entry[0] != "springs" or entry[1] > 0]
        self._shares = tuple(sorted(shown, key=lambda entry: -entry[1]))[:_ENERGY_ROWS]
        text = ", ".join(f"{name} {100 * share:.0f} %" for name, share in self._shares)
        self.setAccessibleDescription(text)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        name_width, number_width = 106.0, 42.0
        room = max(10.0, self.width() - name_width - number_width)
        for row, (name, share) in enumerate(self._shares):
            y = row * 18.0
            painter.setPen(QColor(self._palette.ink))
            middle = Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(0, y, name_width, 17), middle, name)
            bar = QRectF(name_width, y + 4, room * share, 9)
            painter.fillRect(bar, QColor(self._palette.energy))
            number = QRectF(self.width() - number_width, y, number_width, 17)
            painter.setPen(QColor(self._palette.muted))
            shown = f"{100 * share:.0f} %" if share >= 0.005 else "—"
            painter.drawText(number, middle | Qt.AlignmentFlag.AlignRight, shown)
        painter.end()


def _label(text: str, size: float, role: str = "") -> QLabel:
    label = QLabel(text)
    label.setFont(label_font(size))
    label.setWordWrap(True)
    label.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        label.setProperty("role", role)
    return label


def _rule() -> QFrame:
    line = QFrame()
    line.setFrameShape(QFrame.Shape.HLine)
    line.setFixedHeight(1)
    line.setProperty("card", True)
    return line
