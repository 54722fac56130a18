"""Where the energy of the chosen mode is: by part, spring, region and mass, or by element."""

from __future__ import annotations

from PySide6.QtCore import QItemSelection, Qt
from PySide6.QtGui import QCloseEvent, QKeyEvent, QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.asking import ask_write
from belltone.desk.help.terms import set_term
from belltone.desk.look import label_font
from belltone.desk.session.session import Session
from belltone.desk.sorted_rows import Rows, SortedRows
from belltone.files import write_text
from belltone.modes.shares import ELEMENT, MASS, PART, SPRING, Held
from belltone.sheet.shown_units import ShownUnits

__all__ = ["EnergyTable"]

_PIECES, _ELEMENTS = range(2)
_STRAIN = 5  # its column
_MOST_SPOTS = 400  # marked in the picture at once
_LEAST = 1.0  # per cent, to begin with


class EnergyTable(QWidget):
    """A window of its own beside the main one; it follows the chosen mode."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self._session = session
        self._listed: list[Held] = []
        self._asked: tuple[object, ...] = ()
        self.setWindowTitle("Where the energy is")
        set_term(self, "strain energy")
        self.setFont(label_font(9))
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        self.head = QLabel()
        self.head.setFont(label_font(11, bold=True))
        column.addWidget(self.head)
        row = QHBoxLayout()
        self.by = QComboBox()
        self.by.addItems(["parts, springs, regions, masses", "elements"])
        self.by.setAccessibleName("What is listed")
        self.least, self.most = (
            _share(_LEAST, "The least share that is listed"),
            _share(100.0, "The largest share that is listed"),
        )
        for widget in (
            QLabel("List"),
            self.by,
            QLabel("that hold"),
            self.least,
            QLabel("to"),
            self.most,
            QLabel("of either energy"),
        ):
            row.addWidget(widget)
        row.addStretch(1)
        self.write = QPushButton("Write as CSV…")
        self.write.clicked.connect(self._ask_write)
        row.addWidget(self.write)
        column.addLayout(row)
        self.view = SortedRows("Where the energy is", self)
        self.view.sortByColumn(_STRAIN, Qt.SortOrder.DescendingOrder)
        column.addWidget(self.view)
        self.foot = QLabel()
        self.foot.setProperty("role", "muted")
        column.addWidget(self.foot)
        self.resize(640, 460)
        for changed in (self.by.currentIndexChanged, self.least.valueChanged):
            changed.connect(self.refresh)
        self.most.valueChanged.connect(self.refresh)
        session.answer_changed.connect(self.refresh)
        session.choice_changed.connect(self.refresh)
        self.view.selectionModel().selectionChanged.connect(self._mark)

    def closeEvent(self, event: QCloseEvent) -> None:
        self._session.pointing.mark_spots(())
        self._session.parts.light(())
        super().closeEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """List what the chosen mode's energies are in; nothing while nobody sees it."""
        if not self.isVisible():
            return
        session = self._session
        answer, mode, index = session.answer, session.chosen_mode, session.chosen_index
        if answer is None or mode is None or index is None:
            self.head.setText("No mode yet")
            self._asked = ()
            self._show([], session.design.shown)
            self.foot.setText("")
            return
        units = session.design.shown
        name = "Rigid" if mode.rigid else f"Mode {mode.number}"
        older = "  (of the older design)" if session.stale else ""
        if answer.source:
            older = "  (as before the turn)"
        self.head.setText(f"{name} · {units.frequency_text(mode.frequency)} · {mode.kind}{older}")
        held = answer.modes.held
        by_element = self.by.currentIndex() == _ELEMENTS
        least, most = (box.value() / 100 for box in (self.least, self.most))
        asked = (held, index, by_element, least, most, units)
        if asked == self._asked:
            return  # a knob turns, and energies are those before
        self._asked = asked
        whole = held.elements(index, least) if by_element else held.pieces(index)
        shown = [each for each in whole if least <= each.most <= most]
        self._show(shown, units)
        if by_element:
            self.foot.setText(_summed(shown, sum(held.element_counts), answer.design.has_received))
        else:
            self.foot.setText(
                "Parts, springs and masses hold everything between them; regions are of parts."
                if held.places
                else "Parts hold everything between them."
            )

    def _show(self, listed: list[Held], units: ShownUnits) -> None:
        self._listed = listed
        unit = units.unit("length")
        axes = (f"{axis} ({unit})" for axis in "xyz")
        columns = ("piece", "what", *axes, "strain energy", "kinetic energy")
        texts, keys = [], []
        for held in listed:
            name = f"{held.name}, {held.number}" if held.piece == ELEMENT else held.name
            at = held.centre
            places = ("",) * 3 if at is None else tuple(units.number(x, "length", 5) for x in at)
            strain = "" if held.piece == MASS else f"{100 * held.strain:.2f} %"
            motion = "" if held.piece == SPRING else f"{100 * held.motion:.2f} %"
            texts.append((name, held.piece, *places, strain, motion))
            order = f"{held.name} {held.number:08d}"
            keys.append((order, held.piece, *(at or (0.0,) * 3), held.strain, held.motion))
        self.view.show_rows(Rows(columns, texts, keys, frozenset(("piece", "what"))))
        self._session.pointing.mark_spots(())  # what was chosen is so no more
        self.view.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for place in (2, 3, 4):
            self.view.setColumnHidden(place, not any(held.centre for held in listed))

    def _mark(self, _chosen: QItemSelection, _before: QItemSelection) -> None:
        """Mark the chosen elements in the picture, and outline the chosen parts."""
        chosen = [self._listed[place] for place in self.view.chosen]
        spots = [held.centre for held in chosen if held.centre is not None]
        self._session.pointing.mark_spots(tuple(spots[:_MOST_SPOTS]))
        self._session.parts.light([held.name for held in chosen if held.piece == PART])

    def _ask_write(self) -> None:
        ask_write(
            self,
            "Write where the energy is",
            "energy.csv",
            "CSV (*.csv)",
            lambda path: write_text(self.view.whole(), path),
        )


def _summed(shown: list[Held], whole: int, received: bool) -> str:
    """How many of all elements are listed, and what they hold between them."""
    strain, motion = (
        100 * sum(getattr(each, name) for each in shown) for name in ("strain", "motion")
    )
    faces = " Those of received meshes are their faces." if received else ""
    return (
        f"{len(shown)} of {whole} elements, with {strain:.0f} % of the strain energy and "
        f"{motion:.0f} % of the kinetic energy between them.{faces}"
    )


def _share(value: float, name: str) -> QDoubleSpinBox:
    box = QDoubleSpinBox()
    box.setRange(0.0, 100.0)
    box.setDecimals(2)
    box.setSuffix(" %")
    box.setValue(value)
    box.setAccessibleName(name)
    return box
