"""The knobs: each with its value, a slider over its range, and its pull on the chosen mode."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QScrollArea,
    QSizePolicy,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.cards.fold import FoldButton
from belltone.desk.cards.name_word import NameWord
from belltone.desk.fields import ChoiceWord, LiveNumber
from belltone.desk.flow import FlowLayout
from belltone.desk.look import label_font, sentence_font
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.renaming import renamed_everywhere
from belltone.sheet.retelling import in_unit
from belltone.sheet.units import format_number, unit_of, usual_units

__all__ = ["KnobsCard", "PullBar"]

_TICKS = 1000
_MANY = 8  # knobs, from where on they can be looked for
_LEAST = 40  # pixels; one knob
_UNBOUND = 16_777_215  # pixels, what Qt takes for no bound
_TOLERANCE = ("tolerance", "deviation", "To both sides, such as 0.1 mm or 2 %:")
_DEVIATION = ("deviation", "tolerance", "Standard deviation, such as 0.05 mm or 1 %:")


class PullBar(QWidget):
    """How far the chosen mode moves, in percent, for one percent of a knob."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._palette = palette
        self._pull: float | None = None
        self._largest = 1.0
        self.setFixedSize(QSize(64, 18))
        self.setFont(label_font(7.5))

    def show_pull(self, pull: float | None, largest: float) -> None:
        """Show a pull on the scale of the largest one."""
        self._pull, self._largest = pull, max(largest, 1e-12)
        text = "not known yet" if pull is None else f"{pull:+.3f} % for 1 % of the knob"
        self.setToolTip(f"Pull on the chosen mode: {text}")
        self.setAccessibleDescription(text)
        self.update()

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        # The number stands above its bar: on it, it could not be read in every theme.
        bar = QRectF(0, self.height() - 5, self.width(), 4)
        painter.fillRect(bar, QColor(self._palette.line))
        if self._pull is not None:
            share = min(1.0, abs(self._pull) / self._largest)
            filled = QRectF(bar.left(), bar.top(), bar.width() * share, bar.height())
            painter.fillRect(filled, QColor(self._palette.energy))
            painter.setPen(QColor(self._palette.ink))
            text = QRectF(0, 0, self.width(), self.height() - 5)
            painter.drawText(text, Qt.AlignmentFlag.AlignRight, f"{self._pull:+.2f} %")
        painter.end()


class KnobsCard(QFrame):
    """All knobs of the sheet."""

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette = session, palette
        self.setProperty("card", True)
        self.setAccessibleName("Knobs")
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 5, 6, 7)
        column.setSpacing(3)
        head = QGridLayout()
        self.head = FoldButton("Knobs", opened=True)
        self.head.clicked.connect(self._turn_over)
        self._pull_heading = QLabel()
        self._pull_heading.setProperty("role", "muted")
        self._pull_heading.setFont(label_font(7.5))
        head.addWidget(self.head, 0, 0, Qt.AlignmentFlag.AlignLeft)
        head.addWidget(self._pull_heading, 0, 1, Qt.AlignmentFlag.AlignRight)
        column.addLayout(head)
        self.sought = QLineEdit()
        self.sought.setPlaceholderText("only knobs whose name holds …")
        self.sought.setAccessibleName("Show only some knobs")
        self.sought.setProperty("plain", True)
        self.sought.textChanged.connect(self._show_sought)
        column.addWidget(self.sought)
        self._list = rows = QWidget()
        self._rows = QVBoxLayout(rows)
        self._rows.setContentsMargins(4, 0, 6, 0)
        self._rows.setSpacing(6)
        self._rows.addStretch(1)
        self._area = QScrollArea()
        self._area.setWidget(rows)
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._area.setFrameShape(QFrame.Shape.NoFrame)
        self._area.setMinimumHeight(_LEAST)
        column.addWidget(self._area, 1)
        self._problem = QLabel()
        self._problem.setProperty("role", "alarm")
        self._problem.setFont(label_font(8.5))
        self._problem.setWordWrap(True)
        column.addWidget(self._problem)
        self._names: list[tuple[str, bool, bool]] = []
        self._opened = session.opened
        self._row_widgets: dict[str, _KnobRow] = {}
        session.sheet_changed.connect(self.refresh)
        session.choice_changed.connect(self._show_pulls)
        session.pointing.name_sought.connect(self._name_it)
        self.refresh()

    def row(self, name: str) -> _KnobRow:
        """The row of one knob."""
        return self._row_widgets[name]

    def wanted_height(self) -> int:
        """The height at which every knob is seen (pixels)."""
        head = self.head.sizeHint().height() + 16 + self._problem.minimumHeight()
        if self._area.isHidden() or not self._names:
            return head
        wide = self._area.width()
        sought = 0 if self.sought.isHidden() else self.sought.sizeHint().height() + 3
        return head + sought + self._list.heightForWidth(wide) + 4

    def _turn_over(self) -> None:
        self._fold(self._area.isHidden())

    def _fold(self, opened: bool) -> None:
        self._area.setVisible(opened)
        self.sought.setVisible(opened and len(self._names) > _MANY)
        self.head.show_open(opened)
        self.setMaximumHeight(_UNBOUND if opened else self.wanted_height())

    def _show_sought(self) -> None:
        """Show the knobs whose name holds what is typed."""
        wanted = self.sought.text().strip().lower() if len(self._names) > _MANY else ""
        for name, row in self._row_widgets.items():
            row.setVisible(wanted in name.lower())

    def show_knob(self, name: str) -> None:
        """Bring a knob into sight, ready to be typed over."""
        self._fold(True)
        self.sought.clear()
        row = self._row_widgets.get(name)
        if row is not None:
            self._area.ensureWidgetVisible(row)
            row.value.setFocus()

    def _name_it(self, name: str) -> None:
        """Have the name of a new knob typed over."""
        self.show_knob(name)
        row = self._row_widgets.get(name)
        if row is not None:
            row.label.begin()

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        for row in self._row_widgets.values():
            row.bar.set_palette(palette)

    def refresh(self) -> None:
        """Follow the sheet."""
        content = self._session.sheet.content
        names = [
            (name, knob.start is not None, knob.stop is not None)
            for name, knob in content.knobs.items()
        ]
        if (names, self._session.opened) != (self._names, self._opened):
            self._names, self._opened = names, self._session.opened
            for row in self._row_widgets.values():
                for number in row.findChildren(LiveNumber):
                    number.retire()
                row.hide()
                self._rows.removeWidget(row)
                row.deleteLater()
            self._row_widgets = {}
            for name, *_ in names:
                row = _KnobRow(self._session, name, self._palette)
                for number in row.findChildren(LiveNumber):
                    number.problem_changed.connect(self._show_problem)
                    number.take_up()
                self._row_widgets[name] = row
                self._rows.insertWidget(self._rows.count() - 1, row)
            self.sought.setVisible(len(names) > _MANY)
            self._show_sought()
        for row in self._row_widgets.values():
            row.refresh()
        self._show_pulls()
        self._show_problem()

    def _show_problem(self) -> None:
        numbers = [n for row in self._row_widgets.values() for n in row.findChildren(LiveNumber)]
        text = "\n".join(number.problem for number in numbers if number.problem)
        if not self._names:
            text = ""
        self._problem.setText(text)
        self._problem.setVisible(bool(text))
        self._make_room()

    def _make_room(self) -> None:
        """All of what is wrong is read, whatever is left to the knobs."""
        problem = self._problem
        wanted = problem.heightForWidth(self._area.width()) if problem.text() else 0
        problem.setMinimumHeight(wanted)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._make_room()

    def _show_pulls(self) -> None:
        answer, mode = self._session.answer, self._session.chosen_mode
        found: dict[str, float] = {}
        if answer is not None and answer.pulls is not None and mode is not None and not mode.rigid:
            found = {
                name: float(p.frequencies[mode.number - 1]) for name, p in answer.pulls.items()
            }
        if not self._names:
            self._pull_heading.setText("right-click a number to make one")
        else:
            self._pull_heading.setText(f"pull on mode {mode.number}" if mode else "")
        largest = max((abs(pull) for pull in found.values()), default=1.0)
        for name, row in self._row_widgets.items():
            row.bar.show_pull(found.get(name), largest)


class _KnobRow(QWidget):
    """One knob: name and value, slider over its range, pull."""

    def __init__(self, session: Session, name: str, palette: Palette) -> None:
        super().__init__()
        self._session, self._name = session, name
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(1)
        knob = session.sheet.content.knobs[name]
        top = QWidget()
        flow = FlowLayout(top)
        label = self.label = NameWord(name, self._rename)
        label.setToolTip(f"{knob.note}\nDouble click to rename it.".strip())
        flow.addWidget(label)
        self.value = LiveNumber(session, ("knobs", name, "value"), f"knob {name}")
        flow.addWidget(self.value)
        away = ("take this knob away, keep its value", self._take_away)
        more = (
            ("rename…", label.begin),
            ("how exactly it is made…", lambda: self._ask(*_TOLERANCE)),
            ("its standard deviation…", lambda: self._ask(*_DEVIATION)),
            ("in which steps or sizes it is had…", self._ask_sizes),
            ("its unit…", self._ask_unit),
            away,
        )
        flow.addWidget(ChoiceWord("more…", more, f"more about {name}", 8.5))
        grid.addWidget(top, 0, 0)
        self.bar = PullBar(palette)
        grid.addWidget(self.bar, 0, 1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, _TICKS)
        self.slider.setAccessibleName(f"knob {name}")
        self.slider.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.slider.valueChanged.connect(self._turned)
        self.slider.sliderReleased.connect(session.end_gesture)
        session.turned.connect(self._place)
        low, high = _limit(session, name, "from"), _limit(session, name, "to")
        range_row = QGridLayout()
        range_row.addWidget(low, 0, 0)
        range_row.addWidget(self.slider, 0, 1)
        range_row.addWidget(high, 0, 2)
        range_row.setColumnStretch(1, 1)
        grid.addLayout(range_row, 1, 0, 1, 2)

    def refresh(self) -> None:
        for number in self.findChildren(LiveNumber):
            number.refresh()
        self._place()

    def _place(self) -> None:
        """Put the slider where the knob stands, unless a hand holds it."""
        knob = self._session.design.knobs.get(self._name)
        if knob is None or self.slider.isSliderDown():
            return
        low, high = knob.range
        share = (knob.value - low) / (high - low) if high > low else 0.0
        self.slider.blockSignals(True)
        self.slider.setValue(round(_TICKS * min(max(share, 0.0), 1.0)))
        self.slider.blockSignals(False)
        self.slider.setEnabled(knob.literal)

    def _rename(self, fresh: str) -> None:
        path: Path = ("knobs", self._name)
        label = f"knob {self._name} named {fresh}"
        problem = self._session.edit(label, lambda s: renamed_everywhere(s, path, fresh))
        if problem is not None:
            self._session.told.emit(problem)

    def _take_away(self) -> None:
        name = self._name
        problem = self._session.edit(f"knob {name} taken away", lambda s: s.without_knob(name))
        if problem is not None:
            self._session.told.emit(problem)

    def _ask(self, key: str, other: str, question: str) -> None:
        """Ask for how a knob is made; nothing typed takes it away."""
        path: Path = ("knobs", self._name, key)
        now = self._session.sheet.value(path)
        text, good = QInputDialog.getText(self, self._name, question, text=str(now or ""))
        if good:
            self._write({key: text.strip() or None, other: None})

    def _ask_sizes(self) -> None:
        sheet, name = self._session.sheet, self._name
        stock = sheet.value(("knobs", name, "stock"))
        now = sheet.value(("knobs", name, "step")) if stock is None else ", ".join(stock)
        question = "A step, such as 0.5 mm, or all sizes there are, parted by commas:"
        text, good = QInputDialog.getText(self, name, question, text=str(now or ""))
        if good:
            sizes = [part.strip() for part in text.split(",") if part.strip()]
            step = sizes[0] if len(sizes) == 1 else None
            self._write({"step": step, "stock": sizes if len(sizes) > 1 else None})

    def _ask_unit(self) -> None:
        """Ask for another unit of the knob, and tell its value and range in it."""
        name = self._name
        unit = self._session.design.knobs[name].unit
        units = [each for each in usual_units(unit_of(unit)) if each != unit]
        if not units:
            self._session.told.emit(f"there is no other unit for “{name}”")
            return
        question = f"Its range and the axes of its maps will be in this unit, instead of {unit}:"
        text, good = QInputDialog.getItem(self, name, question, units, editable=False)
        if good:
            problem = self._session.edit(
                f"knob {name} in {text}", lambda sheet: in_unit(sheet, name, text)
            )
            if problem is not None:
                self._session.told.emit(problem)

    def _write(self, values: dict[str, Any]) -> None:
        """Write some of what is said of the knob, or take it away, as one step."""
        name = self._name

        def change(sheet: Sheet) -> Sheet:
            for key, value in values.items():
                path: Path = ("knobs", name, key)
                if value is not None:
                    sheet = sheet.with_value(path, value)
                elif sheet.value(path) is not None:
                    sheet = sheet.without(path)
            return sheet

        problem = self._session.edit(f"how knob {name} is made", change)
        if problem is not None:
            self._session.told.emit(problem)

    def _turned(self, tick: int) -> None:
        knob = self._session.design.knobs[self._name]
        low, high = knob.range
        value = float(f"{low + (high - low) * tick / _TICKS:.4g}")
        if sizes := knob.allowed():
            value = min(sizes, key=lambda each: abs(each - value))
        turn = self._session.turn_knob if self.slider.isSliderDown() else self._session.set_knob
        problem = turn(self._name, value)
        if problem is not None:
            self._session.mark_wrong(("knobs", self._name, "value"), "", None)
            self._session.told.emit(problem)


def _limit(session: Session, name: str, key: str) -> QWidget:
    """One end of a knob's range: live where the sheet states it, plain where it is implied."""
    if session.sheet.value(("knobs", name, key)) is not None:
        number = LiveNumber(session, ("knobs", name, key), f"{name} {key}")
        number.setFont(sentence_font(8.5))
        number.refresh()
        return number
    knob = session.design.knobs[name]
    value = knob.range[0] if key == "from" else knob.range[1]
    label = QLabel(f"{format_number(value, 4)} {knob.unit}")
    label.setProperty("role", "muted")
    label.setFont(sentence_font(8.5))
    return label
