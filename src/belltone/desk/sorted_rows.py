"""Rows of text that sort by what they stand for, and can be copied."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QSortFilterProxyModel, Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView, QWidget

from belltone.exchange.tables import as_csv

__all__ = ["Rows", "SortedRows"]

_ORDER_ROLE = Qt.ItemDataRole.UserRole


@dataclass(frozen=True)
class Rows:
    """Texts under columns, and for each what it sorts by; columns of ``words`` stand left."""

    columns: tuple[str, ...]
    texts: Sequence[tuple[str, ...]] = ()
    keys: Sequence[tuple[object, ...]] = ()
    words: frozenset[str] = frozenset()


class _Model(QAbstractTableModel):
    def __init__(self, rows: Rows) -> None:
        super().__init__()
        self._rows = rows

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._rows.texts)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(self._rows.columns)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.DisplayRole:
            return self._rows.texts[index.row()][index.column()]
        if role == _ORDER_ROLE:
            return self._rows.keys[index.row()][index.column()]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            words = self._rows.columns[index.column()] in self._rows.words
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
            return self._rows.columns[section]
        return None


class SortedRows(QTableView):
    """A table of rows; places of rows are those before sorting."""

    def __init__(self, name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setSortingEnabled(True)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(25)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setAlternatingRowColors(True)
        self.setAccessibleName(name)
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self._columns: tuple[str, ...] = ()
        self._source: _Model | None = None
        self._sorted = QSortFilterProxyModel(self)
        self._sorted.setSortRole(_ORDER_ROLE)
        self.setModel(self._sorted)

    def show_rows(self, rows: Rows) -> None:
        """Take other rows, sorted as those before."""
        old, self._source = self._source, _Model(rows)
        self._columns = rows.columns
        self._sorted.setSourceModel(self._source)
        if old is not None:
            old.deleteLater()

    @property
    def current(self) -> int | None:
        """The place of the row under the cursor."""
        index = self.currentIndex()
        return self._sorted.mapToSource(index).row() if index.isValid() else None

    @property
    def chosen(self) -> tuple[int, ...]:
        """Places of the rows selected."""
        rows = self.selectionModel().selectedRows()
        return tuple(sorted(self._sorted.mapToSource(index).row() for index in rows))

    def choose(self, place: int) -> None:
        """Put the cursor on a row."""
        assert self._source is not None
        row = self._sorted.mapFromSource(self._source.index(place, 0))
        if row.row() != self.currentIndex().row():
            self.setCurrentIndex(row)

    def copied(self) -> str:
        """The selected rows, or all of them, as CSV in the order shown."""
        rows = sorted(index.row() for index in self.selectionModel().selectedRows())
        return self._as_text(rows) if len(rows) > 1 else self.whole()

    def whole(self) -> str:
        """All rows, as CSV in the order shown."""
        return self._as_text(range(self._sorted.rowCount()))

    def _as_text(self, rows: Sequence[int]) -> str:
        cells = [
            [str(self._sorted.index(row, place).data()) for place in range(len(self._columns))]
            for row in rows
        ]
        return as_csv(self._columns, cells)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            QGuiApplication.clipboard().setText(self.copied())
        else:
            super().keyPressEvent(event)
