"""Where order lines meet modes, as a list."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from belltone.desk.help.terms import set_term
from belltone.exchange.preload_tables import crossing_columns, crossing_rows
from belltone.sheet.shown_units import ShownUnits
from belltone.tune.speed_diagram import SpeedDiagram

__all__ = ["CrossingList"]

_KIND = 4  # the column of words


class CrossingList(QTableWidget):
    """A row for each crossing, by speed."""

    def __init__(self) -> None:
        super().__init__(0, len(crossing_columns()))
        set_term(self, "speed diagram")
        self.setAccessibleName("Crossings of order lines with modes")
        self.verticalHeader().hide()
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        header = self.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(_KIND, QHeaderView.ResizeMode.Stretch)

    def show_diagram(self, diagram: SpeedDiagram | None, units: ShownUnits) -> None:
        """List the crossings of a diagram."""
        self.setHorizontalHeaderLabels(list(crossing_columns(units)))
        rows = [] if diagram is None else crossing_rows(diagram, units)
        self.setRowCount(len(rows))
        for row, texts in enumerate(rows):
            for place, text in enumerate(texts):
                item = QTableWidgetItem(text)
                side = Qt.AlignmentFlag.AlignLeft if place == _KIND else Qt.AlignmentFlag.AlignRight
                item.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
                self.setItem(row, place, item)
