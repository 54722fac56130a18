"""All modes at once, as a table: sort it, copy from it, choose a mode in it."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from belltone.desk.help.terms import set_term
from belltone.desk.look import label_font
from belltone.desk.session.answer import Answer
from belltone.desk.session.session import Session
from belltone.desk.sorted_rows import Rows, SortedRows
from belltone.exchange.tables import MODE_COLUMNS, mode_rows

__all__ = ["ModeTable"]

_COLUMNS = (*MODE_COLUMNS, "mass x", "mass y", "mass z")


class ModeTable(QWidget):
    """A window of its own beside the main one; it follows the session."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self._session = session
        self._shown: Answer | None = None
        self._entries: tuple[range, ...] = ()
        self.setWindowTitle("All modes")
        set_term(self, "natural frequency")
        self.setFont(label_font(9))
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        self.view = SortedRows("All modes", self)
        column.addWidget(self.view)
        self.resize(1290, 330)
        self.view.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        session.answer_changed.connect(self.refresh)
        session.choice_changed.connect(self._show_choice)
        self.view.selectionModel().currentRowChanged.connect(self._choose)
        self.refresh()

    def refresh(self) -> None:
        """Show the session's modes."""
        answer = self._session.answer
        self.setWindowTitle("All modes" + (" (of the older design)" if self._session.stale else ""))
        if answer is None or (self._shown is not None and answer.modes is self._shown.modes):
            return
        self._shown, self._entries = answer, answer.modes.entries()
        self.view.show_rows(_rows(answer))
        self._show_choice()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)

    def _choose(self, current: QModelIndex, _before: QModelIndex) -> None:
        place = self.view.current
        if self._shown is None or not current.isValid() or place is None:
            return
        entry = self._entries[place]
        if self._session.chosen_index in entry:
            return  # the other one of a pair stays chosen
        identity = self._shown.identity_at(entry.start)
        if identity is not None:
            self._session.choose(identity)

    def _show_choice(self) -> None:
        index = self._session.chosen_index
        if index is None or self._shown is None:
            return
        place = next((at for at, entry in enumerate(self._entries) if index in entry), None)
        if place is not None:
            self.view.choose(place)


def _rows(answer: Answer) -> Rows:
    """The rows of one answer; numbers sort as numbers."""
    texts: list[tuple[str, ...]] = []
    keys: list[tuple[object, ...]] = []
    entries = answer.modes.entries()
    for entry, row in zip(entries, mode_rows(answer.modes, answer.design), strict=True):
        mode = answer.modes.mode(entry.start)
        # Of equal modes, mixed at will, the sum alone means something.
        masses = answer.modes.effective[entry.start : entry.stop, :3].sum(axis=0)
        shares = [float(mass) / answer.modes.mass for mass in masses]
        texts.append((*row, *(f"{100 * share:.0f} %" for share in shares)))
        numbers = (mode.number, mode.frequency, mode.angular, mode.rpm, mode.period)
        keys.append((*numbers, mode.error, row[6], row[7], *shares))
    return Rows(_COLUMNS, texts, keys, frozenset(("kind", "excitation")))
