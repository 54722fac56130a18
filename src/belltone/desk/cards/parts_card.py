"""The list of parts: mass, share of the chosen mode's energy, and how each is seen."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHeaderView,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
)

from belltone.desk.cards.fold import FoldButton
from belltone.desk.flow import FlowRow
from belltone.desk.look import label_font
from belltone.desk.session.session import Session
from belltone.sheet.renaming import renamed_everywhere

__all__ = ["PartsCard"]

_VIEWS: Final = {"shown": "●", "faint": "◐", "hidden": "○"}
_VIEW_WORDS: Final = {"shown": "seen", "faint": "see-through", "hidden": "hidden"}
_COLUMNS: Final = ("part", "mass", "energy", "")
_MOST_ROWS: Final = 6  # shown at once; more are scrolled to


class PartsCard(QFrame):
    """One row for each part; there only where there are several."""

    title = "Parts"

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setProperty("card", True)
        self.setAccessibleName(self.title)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 5, 12, 7)
        column.setSpacing(3)
        self.head = FoldButton(self.title, opened=True)
        self.head.clicked.connect(self._turn_over)
        column.addWidget(self.head, 0, Qt.AlignmentFlag.AlignLeft)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setHorizontalHeaderLabels(list(_COLUMNS))
        self.table.setAccessibleName("Parts; choose one or several")
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        triggers = QAbstractItemView.EditTrigger
        self.table.setEditTriggers(triggers.DoubleClicked | triggers.EditKeyPressed)
        self.table.itemChanged.connect(self._named)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        header.setMinimumSectionSize(24)
        header.setFont(label_font(8))
        self.table.setMinimumWidth(0)
        self.table.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.table.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.table.itemSelectionChanged.connect(self._select)
        column.addWidget(self.table)
        self._buttons = buttons = FlowRow(2)
        for text, tip, call in (
            ("seen", "Show the chosen parts", lambda: self._view("shown")),
            ("see-through", "Make the chosen parts see-through", lambda: self._view("faint")),
            ("hide", "Hide the chosen parts", lambda: self._view("hidden")),
            ("alone", "Show nothing but the chosen parts", self.show_alone),
            ("all", "Show every part", self.show_all),
        ):
            button = QToolButton()
            button.setText(text)
            button.setToolTip(tip)
            button.setProperty("plain", True)
            button.setFont(label_font(8))
            button.clicked.connect(call)
            buttons.add(button)
        column.addWidget(buttons)
        self._filling = False
        for signal in (session.sheet_changed, session.answer_changed, session.choice_changed):
            signal.connect(self.refresh)
        session.parts.changed.connect(self.refresh)
        self.refresh()

    @property
    def names(self) -> list[str]:
        """The parts listed, in order."""
        return [part.name for part in self.session.design.solid_parts]

    def refresh(self) -> None:
        """Show the parts as they stand."""
        design = self.session.design
        self.setVisible(len(design.solid_parts) > 1)
        if len(design.solid_parts) < 2:
            return
        answer = self.session.answer
        shares: dict[str, float] = {}
        index = self.session.chosen_index
        if answer is not None and index is not None:
            energies = answer.modes.held.part_strain[index]
            shares = dict(zip(answer.modes.part_names, energies.tolist(), strict=True))
        self._filling = True
        names = self.names
        chosen = set(self._rows_of(self.session.parts.chosen))
        self.table.setRowCount(len(names))
        owners = dict.fromkeys(self._owner(name) for name in self._chosen())
        # A selection made by hand stands; it may be of some members of a frame alone.
        kept = tuple(owners) == self.session.parts.chosen
        for row, name in enumerate(names):
            mass, share = self.session.parts.masses.get(name), shares.get(name)
            view = self.session.parts.views.get(name, "shown")
            texts = (
                name,
                "" if mass is None else self.session.design.shown.mass_text(mass, 3),
                "" if share is None else f"{100 * share:.0f} %",
                _VIEWS[view],
            )
            for place, text in enumerate(texts):
                item = self.table.item(row, place)
                if item is None:
                    item = QTableWidgetItem()
                    item.setFont(label_font(9))
                    if place:
                        item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                    if place in (1, 2):
                        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                        item.setTextAlignment(right)
                    self.table.setItem(row, place, item)
                item.setText(text)
                item.setToolTip(f"{name}, {_VIEW_WORDS[view]}; double click to rename")
                if not kept:
                    item.setSelected(row in chosen)
            self.table.setRowHeight(row, 20)
        rows = min(len(names), _MOST_ROWS)
        self.table.setFixedHeight(self.table.horizontalHeader().height() + 20 * rows + 4)
        self._filling = False

    def _turn_over(self) -> None:
        self.set_open(self.table.isHidden())

    def set_open(self, opened: bool) -> None:
        """Show the list, or its title only."""
        self.table.setVisible(opened)
        self._buttons.setVisible(opened)
        self.head.show_open(opened)

    def _named(self, item: QTableWidgetItem) -> None:
        """Give a part the name that was typed over its own; all that refers to it follows."""
        if self._filling or item.column():
            return
        old, fresh = self.names[item.row()], item.text().strip()
        if old == fresh:
            return
        if old in self.session.sheet.content.parts:
            label = f"“{old}” named “{fresh}”"
            problem = self.session.edit(
                label, lambda sheet: renamed_everywhere(sheet, ("parts", old), fresh)
            )
        else:
            problem = f"“{old}” has its name from “{self._owner(old)}”; rename that in the sheet"
        if problem is not None:
            self.session.told.emit(problem)
        self.refresh()

    def show_alone(self) -> None:
        """Hide everything but the chosen parts."""
        chosen = set(self._chosen())
        self.session.parts.set_view([name for name in self.names if name not in chosen], "hidden")
        self.session.parts.set_view(chosen, "shown")

    def show_all(self) -> None:
        """Show every part."""
        self.session.parts.set_view(self.names, "shown")

    def _view(self, view: str) -> None:
        self.session.parts.set_view(self._chosen(), view)

    def _chosen(self) -> list[str]:
        rows = sorted({item.row() for item in self.table.selectedItems()})
        names = self.names
        return [names[row] for row in rows if row < len(names)]

    def _rows_of(self, parts: tuple[str, ...]) -> list[int]:
        """Rows of the sheet's parts: members of a frame and copies stand for theirs."""
        return [row for row, name in enumerate(self.names) if self._owner(name) in parts]

    def _owner(self, name: str) -> str:
        """The part of the sheet a part of the design comes from."""
        content = self.session.sheet.content
        if name in content.parts:
            return name
        for owner in content.parts:
            if name.startswith((f"{owner}.", f"{owner} ")):
                return owner
        return name

    def _select(self) -> None:
        if self._filling:
            return
        chosen = self._chosen()
        owners = tuple(dict.fromkeys(self._owner(name) for name in chosen))
        self.session.parts.select_lit(chosen, owners)
