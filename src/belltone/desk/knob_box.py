"""To choose knobs of the sheet that can be turned: one from a box, or several by ticks."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QLabel

from belltone.desk.flow import FlowRow
from belltone.desk.session.session import Session

__all__ = ["KnobBox", "KnobTicks"]


class KnobBox(QComboBox):
    """Lists the knobs and follows the sheet; what is chosen stays chosen while it exists."""

    def __init__(self, session: Session, purpose: str, none: str = "", several: str = "") -> None:
        """Where there may be no knob, ``none`` says so in the first entry.

        Where there may be more than one, ``several`` says so in the last.
        """
        super().__init__()
        self._session, self._none, self._several = session, none, several
        self.setAccessibleName(purpose)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        session.sheet_changed.connect(self._follow)
        self._follow()

    @property
    def several(self) -> bool:
        """Whether more than one knob is to be chosen."""
        return bool(self._several) and self.currentText() == self._several

    def _follow(self) -> None:
        knobs = _knobs(self._session)
        names = [self._none] if self._none else []
        names += knobs
        if self._several and len(knobs) > 1:
            names.append(self._several)
        if names != [self.itemText(index) for index in range(self.count())]:
            chosen = self.currentText()
            self.clear()
            self.addItems(names)
            if chosen in names:
                self.setCurrentText(chosen)


class KnobTicks(FlowRow):
    """A box to tick for each knob, all ticked at first; those there stay as they are ticked."""

    changed = Signal()

    def __init__(self, session: Session, lead: str) -> None:
        super().__init__(8)
        self._session = session
        self._boxes: dict[str, QCheckBox] = {}
        self.add(QLabel(lead))
        session.sheet_changed.connect(self._follow)
        self._follow()

    def __bool__(self) -> bool:
        """Whether there is any knob."""
        return bool(self._boxes)

    @property
    def chosen(self) -> tuple[str, ...]:
        """The knobs that are ticked."""
        return tuple(name for name, box in self._boxes.items() if box.isChecked())

    def box(self, name: str) -> QCheckBox:
        """The box of a knob."""
        return self._boxes[name]

    def _follow(self) -> None:
        names = _knobs(self._session)
        if names == list(self._boxes):
            return
        before = {name: box.isChecked() for name, box in self._boxes.items()}
        for box in self._boxes.values():
            box.hide()
            box.deleteLater()
        self._boxes = {}
        for name in names:
            box = QCheckBox(name)
            box.setChecked(before.get(name, True))
            box.toggled.connect(lambda _: self.changed.emit())
            self.add(box)
            self._boxes[name] = box
        self.changed.emit()


def _knobs(session: Session) -> list[str]:
    return [name for name, knob in session.design.knobs.items() if knob.literal]
