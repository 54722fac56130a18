"""One side of a comparison: its picture, and what it is called."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QLabel, QSizePolicy, QVBoxLayout, QWidget

from belltone.compare.likeness import Side
from belltone.design.values import Design
from belltone.desk.look import label_font
from belltone.desk.session.answer import Answer
from belltone.desk.shape.canvas import ShapeCanvas
from belltone.drawing.colours import Palette
from belltone.sheet.shown_units import ShownUnits

__all__ = ["SideView"]


class _Shown(QObject):
    """What the canvas shows: the answer of one side, and the mode chosen there."""

    answer_changed = Signal()
    sheet_changed = Signal()
    choice_changed = Signal()

    def __init__(self, design: Design, answer: Answer | None) -> None:
        super().__init__()
        self.answer, self.design = answer, design
        self.bare: Answer | None = None
        self.failure, self.opened = "", 0
        self.chosen_index: int | None = None
        self.bare_partner: int | None = None


class SideView(QWidget):
    """A canvas with a heading, for one of two designs."""

    def __init__(self, design: Design, answer: Answer | None, palette: Palette) -> None:
        """Show a design, at rest or by its ``answer``, until a side of a comparison is shown."""
        super().__init__()
        self._shown = _Shown(design, answer)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        self.head, self.text = QLabel(), QLabel()
        self.head.setFont(label_font(9.5, bold=True))
        self.text.setFont(label_font(8.5))
        self.text.setProperty("role", "muted")
        for label in (self.head, self.text):
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            column.addWidget(label)
        self.canvas = ShapeCanvas(self._shown, palette)
        self.canvas.named = False
        column.addWidget(self.canvas, 1)

    def show_side(
        self, side: Side, answer: Answer, place: int | None, why: str, units: ShownUnits
    ) -> None:
        """Show the mode at a ``place`` among the flexible ones; without one say ``why``."""
        shown = self._shown
        new = shown.answer is None or shown.answer.modes is not side.modes
        if new:
            shown.opened += 1
            shown.answer = Answer(answer.sheet, side.design, side.modes, (), answer.seconds)
            shown.design = side.design
        shown.chosen_index = None if place is None else side.modes.rigid_count + place
        if new:
            shown.answer_changed.emit()
        shown.choice_changed.emit()
        if shown.chosen_index is None:
            self.head.setText(f"{side.name} · no partner")
            self.text.setText(why)
        else:
            mode = side.modes.mode(shown.chosen_index)
            frequency = units.frequency_text(mode.frequency)
            self.head.setText(f"{side.name} · mode {mode.number} · {frequency}")
            self.text.setText(mode.kind_words)
        self.text.setToolTip(self.text.text())

    def finish(self) -> None:
        """Stop drawing for good."""
        self.canvas.finish()
