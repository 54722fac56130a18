"""All modes at once, as a table: sort it, copy from it, choose a mode in it."""

from __future__ import annotations

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QSortFilterProxyModel, Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView, QVBoxLayout, QWidget

from belltone.desk.help.terms import set_term
from belltone.desk.look import label_font
from belltone.desk.session.answer import Answer
from belltone.desk.session.session import Session
from belltone.exchange.tables import MODE_COLUMNS, as_csv, mode_rows

__all__ = ["ModeTable"]

_COLUMNS = (*MODE_COLUMNS, "mass x", "mass y", "mass z")
_ORDER_ROLE = Qt.ItemDataRole.UserRole


class _Model(QAbstractTableModel):
    """The rows of one answer; numbers sort as numbers."""

    def __init__(self, answer: Answer | None) -> None:
        super().__init__()
        self._rows: list[tuple[str, ...]] = []
        self._keys: list[tuple[object, ...]] = []
        self.entries: tuple[range, ...] = ()
        if answer is None:
            return
        self.entries = answer.modes.entries()
        rows = mode_rows(answer.modes, answer.design)
        for entry, row in zip(self.entries, rows, strict=True):
            mode = answer.modes.mode(entry.start)
            # Of equal modes, mixed at will, the sum alone means something.
            masses = answer.modes.effective[entry.start : entry.stop, :3].sum(axis=0)
            shares = [float(mass) / answer.modes.mass for mass in masses]
            self._rows.append((*row, *(f"{100 * share:.0f} %" for share in shares)))
            numbers = (mode.number, mode.frequency, mode.angular, mode.rpm, mode.period)
            self._keys.append((*numbers, mode.error, row[6], row[7], *shares))

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(_COLUMNS)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.DisplayRole:
            return self._rows[index.row()][index.column()]
        if role == _ORDER_ROLE:
            return self._keys[index.row()][index.column()]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            words = _COLUMNS[index.column()] in ("kind", "excitation")
            side = Qt.AlignmentFlag.AlignLeft if words else Qt.AlignmentFlag.AlignRight
            return side | Qt.AlignmentFlag.AlignVCenter
        return None

    def headerData(
        self,
        section: int,
        orientation: Qt.Orientation,
        role: int = Qt.ItemDataRole.DisplayRole,
    ) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return _COLUMNS[section]
        return None


class ModeTable(QWidget):
    """A window of its own beside the main one; it follows the session."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self._session = session
        self._shown: Answer | None = None
        self.setWindowTitle("All modes")
        set_term(self, "natural frequency")
        self.setFont(label_font(9))
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        self.view = QTableView()
        self.view.setSortingEnabled(True)
        self.view.verticalHeader().hide()
        self.view.verticalHeader().setDefaultSectionSize(25)
        self.view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.view.setAlternatingRowColors(True)
        self.view.setAccessibleName("All modes")
        header = self.view.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self._sorted = QSortFilterProxyModel(self)
        self._sorted.setSortRole(_ORDER_ROLE)
        self.view.setModel(self._sorted)
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
        self._shown = answer
        old = self._sorted.sourceModel()
        self._model = _Model(answer)
        self._sorted.setSourceModel(self._model)
        if old is not None:
            old.deleteLater()
        self._show_choice()

    def copied(self) -> str:
        """The selected rows, or all of them, as CSV in the order shown."""
        rows = sorted(index.row() for index in self.view.selectionModel().selectedRows())
        chosen = rows if len(rows) > 1 else range(self._sorted.rowCount())
        cells = [
            [str(self._sorted.index(row, place).data()) for place in range(len(_COLUMNS))]
            for row in chosen
        ]
        return as_csv(_COLUMNS, cells)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            QGuiApplication.clipboard().setText(self.copied())
        elif event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)

    def _choose(self, current: QModelIndex, _before: QModelIndex) -> None:
        if self._shown is None or not current.isValid():
            return
        entry = self._model.entries[self._sorted.mapToSource(current).row()]
        if self._session.chosen_index in entry:
            return  # the other one of a pair stays chosen
        identity = self._shown.identity_at(entry.start)
        if identity is not None:
            self._session.choose(identity)

    def _show_choice(self) -> None:
        index = self._session.chosen_index
        if index is None or self._shown is None:
            return
        entries = self._model.entries
        place = next((at for at, entry in enumerate(entries) if index in entry), None)
        if place is None:
            return
        row = self._sorted.mapFromSource(self._model.index(place, 0))
        if row.row() != self.view.currentIndex().row():
            self.view.setCurrentIndex(row)
