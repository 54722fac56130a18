"""A box to choose one of the sheet's knobs that can be turned."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox

from belltone.desk.session.session import Session

__all__ = ["KnobBox"]


class KnobBox(QComboBox):
    """Lists the knobs and follows the sheet; what is chosen stays chosen while it exists."""

    def __init__(self, session: Session, purpose: str, none: str = "") -> None:
        """Where there may be no knob, ``none`` says so in the first entry."""
        super().__init__()
        self._session, self._none = session, none
        self.setAccessibleName(purpose)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        session.sheet_changed.connect(self._follow)
        self._follow()

    def _follow(self) -> None:
        names = [self._none] if self._none else []
        names += [name for name, knob in self._session.design.knobs.items() if knob.literal]
        if names != [self.itemText(index) for index in range(self.count())]:
            chosen = self.currentText()
            self.clear()
            self.addItems(names)
            if chosen in names:
                self.setCurrentText(chosen)
