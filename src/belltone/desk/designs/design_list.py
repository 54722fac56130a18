"""A table of designs on the screen: sorted, filtered, copied from."""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Sequence

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    QSortFilterProxyModel,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QGuiApplication, QKeyEvent, QKeySequence, QPainter, QPixmap
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from belltone.desk.marks import mark_path
from belltone.drawing.colours import Palette
from belltone.exchange.sweep_tables import Cell, DesignTable
from belltone.tune.conditions import Condition

__all__ = ["DesignList"]

Index = QModelIndex | QPersistentModelIndex
_ORDER_ROLE = Qt.ItemDataRole.UserRole
_WIDEST, _HEAD, _MARK = 170, 54, 12  # pixels


_SEVERAL = re.compile(r"(\d+) (?:and|to) \d+$")  # numbers of modes told as one


class _Model(QAbstractTableModel):
    """The rows of one table; numbers sort as numbers, empty cells last."""

    def __init__(self, table: DesignTable, marks: Sequence[QPixmap | None]) -> None:
        super().__init__()
        self._table, self._marks = table, marks
        self._texts = table.texts

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._texts)

    def columnCount(self, parent: Index | None = None) -> int:
        return len(self._table.columns)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row, column = index.row(), index.column()
        if role == Qt.ItemDataRole.DisplayRole:
            return self._texts[row][column]
        if role == _ORDER_ROLE:
            return self._table.rows[row][column]
        if role == Qt.ItemDataRole.ToolTipRole and self._table.columns[column].role == "note":
            return self._texts[row][column]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            number = _order(self._table.rows[row][column])[0] == 0
            side = Qt.AlignmentFlag.AlignRight if number else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        return None

    def headerData(
        self,
        section: int,
        orientation: Qt.Orientation,
        role: int = Qt.ItemDataRole.DisplayRole,
    ) -> object:
        if orientation == Qt.Orientation.Vertical:
            return section + 1 if role == Qt.ItemDataRole.DisplayRole else None
        if role == Qt.ItemDataRole.DisplayRole:
            return self._table.columns[section].text
        if role == Qt.ItemDataRole.DecorationRole:
            return self._marks[section]
        return None


class _Kept(QSortFilterProxyModel):
    """The rows that keep some conditions."""

    def __init__(self, parent: QTableView) -> None:
        super().__init__(parent)
        self.table: DesignTable | None = None
        self.conditions: tuple[Condition, ...] = ()

    def keep(self, conditions: tuple[Condition, ...]) -> None:
        self.conditions = conditions
        self.invalidate()

    def filterAcceptsRow(self, source_row: int, source_parent: Index) -> bool:
        if self.table is None:
            return True
        names = {column.name: at for at, column in enumerate(self.table.columns)}
        cells = self.table.rows[source_row]
        return all(own.holds(cells[names[own.name]]) for own in self.conditions)

    def lessThan(self, source_left: Index, source_right: Index) -> bool:
        return _order(source_left.data(_ORDER_ROLE)) < _order(source_right.data(_ORDER_ROLE))


def _order(cell: Cell) -> tuple[int, float, str]:
    if isinstance(cell, str):
        several = _SEVERAL.match(cell)
        if several is not None:
            return 0, float(several[1]), cell
        return 1, 0.0, cell.casefold()
    if cell is None or not math.isfinite(cell):
        return 2, 0.0, ""
    return 0, cell, ""


def _mark(identity: int, palette: Palette) -> QPixmap:
    """The mark of a branch in its colour."""
    picture = QPixmap(_MARK, _MARK)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    middle = QPointF(0.5 * _MARK, 0.5 * _MARK)
    painter.fillPath(mark_path(identity, middle, 0.4 * _MARK), QColor(palette.branch(identity)))
    painter.end()
    return picture


class DesignList(QTableView):
    """Shows a table of designs; a row that is gone to is told by its number in the table."""

    row_chosen = Signal(int)
    row_taken = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Designs")
        self.setSortingEnabled(True)
        self.setAlternatingRowColors(True)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.verticalHeader().setDefaultSectionSize(24)
        side = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        self.horizontalHeader().setDefaultAlignment(side | Qt.TextFlag.TextWordWrap)
        self.horizontalHeader().setFixedHeight(_HEAD)
        self._sorted = _Kept(self)
        self.setModel(self._sorted)
        self._model: _Model | None = None
        self.selectionModel().currentRowChanged.connect(self._tell)
        self.doubleClicked.connect(lambda at: self.row_taken.emit(self._row(at)))

    def show_table(
        self, table: DesignTable | None, identities: Sequence[int], palette: Palette
    ) -> None:
        """Show another table, in the order of its plan; tracks in the colours of their modes."""
        old = self._model
        self._sorted.keep(())
        self._sorted.table = table
        if table is None:
            self._sorted.setSourceModel(None)  # type: ignore[arg-type]
            self._model = None
        else:
            branches = iter(identities)
            marks = [
                _mark(next(branches), palette) if column.role == "frequency" else None
                for column in table.columns
            ]
            self._model = _Model(table, marks)
            self._sorted.setSourceModel(self._model)
            self.horizontalHeader().setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
            self._sorted.sort(-1)
            header = self.horizontalHeader()
            header.resizeSections(QHeaderView.ResizeMode.ResizeToContents)
            for column in range(header.count()):
                header.resizeSection(column, min(header.sectionSize(column) + 12, _WIDEST))
        if old is not None:
            old.deleteLater()

    def keep(self, conditions: tuple[Condition, ...]) -> None:
        """Show only the rows that keep some conditions."""
        self._sorted.keep(conditions)

    @property
    def rows(self) -> list[int]:
        """The rows shown, in the order they are shown, by their numbers in the table."""
        return [self._row(self._sorted.index(at, 0)) for at in range(self._sorted.rowCount())]

    @property
    def chosen(self) -> list[int]:
        """The rows selected, in the order they are shown."""
        places = sorted(index.row() for index in self.selectionModel().selectedRows())
        return [self._row(self._sorted.index(at, 0)) for at in places]

    def choose(self, row: int) -> None:
        """Select a row of the table."""
        if self._model is not None:
            index = self._sorted.mapFromSource(self._model.index(row, 0))
            self.setCurrentIndex(index)

    def copied(self) -> str:
        """The selected rows, or all shown, parted by tabs, so that a spreadsheet takes them."""
        table = self._sorted.table
        if table is None:
            return ""
        chosen = self.chosen
        stream = io.StringIO()
        writer = csv.writer(stream, delimiter="\t", lineterminator="\n")
        writer.writerow(table.heads)
        writer.writerows(table.texts[row] for row in (chosen if len(chosen) > 1 else self.rows))
        return stream.getvalue()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            QGuiApplication.clipboard().setText(self.copied())
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentIndex().isValid():
            self.row_taken.emit(self._row(self.currentIndex()))
        else:
            super().keyPressEvent(event)

    def _row(self, index: Index) -> int:
        return self._sorted.mapToSource(index).row()

    def _tell(self, current: QModelIndex, _before: QModelIndex) -> None:
        if current.isValid():
            self.row_chosen.emit(self._row(current))
