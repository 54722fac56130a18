"""What a file that somebody sent holds, told before it becomes a sheet."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Final

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWhatsThis,
    QWidget,
)

from belltone.desk.help.terms import term_html
from belltone.desk.look import label_font, tell
from belltone.desk.session.jobs import Jobs
from belltone.errors import UserError
from belltone.exchange.arrivals import Arrival
from belltone.exchange.arriving import Choices, Kind, arrived, choices_in, kind_of
from belltone.exchange.revisions import Revised, revised
from belltone.progress import Progress
from belltone.sheet.document import Sheet
from belltone.sheet.handbook import handbook
from belltone.store.failures import error_words

__all__ = ["ArrivalDialog"]

_STATED: Final = "as the file says"
_LIKELY: Final = "a likely one"
_FIRST: Final = "as found"
_UNITS: Final = {
    Kind.DRAWING: (_STATED, "mm", "cm", "m", "in", "ft"),
    Kind.POINTS: (_STATED, "mm", "cm", "m", "in", "ft"),
    Kind.MESH: (_LIKELY, "mm", "cm", "m", "in"),
}
_THICK: Final = {Kind.DRAWING: "3 mm", Kind.POINTS: "3 mm", Kind.MESH: "1 mm"}
_WORDS: Final = {
    Kind.DRAWING: "A plate from “{}”",
    Kind.POINTS: "A plate from “{}”",
    Kind.FRAME: "A frame from “{}”",
    Kind.SOLIDS: "The walls of “{}”",
    Kind.MESH: "The mesh of “{}”",
}
_SHAPES: Final = {
    "a plate of this outline": "plate",
    "a shell, the profile drawn along x": "extruded",
    "a shell, the profile turned about z": "revolved",
}
_DOUBT: Final = "?   "
_FOUND: Final = "•   "
_READING: Final = "reading"
_REST: Final = 250  # ms without a key, before a typed thickness is read


@dataclass(frozen=True)
class _Looked:
    """What a look at the file gave: its sheet, or what is wrong; a revision, where asked for."""

    arrival: Arrival | None
    sheet: Sheet | None
    wrong: str = ""
    revision: Revised | None = None


class ArrivalDialog(QDialog):
    """Asks what a file leaves open; ``sheet`` is what comes of it, off the window's thread.

    Where the sheet in the window names files of the same sort (``replaceable``), the new one can
    take the place of one of them; ``revision`` is what comes of that.
    """

    def __init__(
        self,
        path: Path,
        parent: QWidget | None = None,
        current: Sheet | None = None,
        replaceable: tuple[str, ...] = (),
    ) -> None:
        super().__init__(parent)
        self._path = path
        self._kind = kind_of(path)
        self._current = current
        self.sheet: Sheet | None = None
        self.revision: Revised | None = None
        self._jobs = Jobs(self)
        title = _WORDS[self._kind] if self._kind is not None else "“{}”"
        self.setWindowTitle(title.format(path.name))
        self.resize(560, 520)
        QShortcut(QKeySequence("F1"), self, self._explain)
        self._rest = QTimer(self, singleShot=True, interval=_REST)
        self._rest.timeout.connect(self.look)
        kind = self._kind or Kind.FRAME
        self._form = QFormLayout()
        self.unit = self._choice("Lengths in", "unit of the file", _UNITS.get(kind, ()))
        self.thickness = QLineEdit(_THICK.get(kind, ""))
        self.thickness.setAccessibleName("thickness of the walls")
        self._row("Thickness", self.thickness, bool(self.thickness.text()))
        wants_material = self._kind not in (None, Kind.FRAME)
        self.material = self._choice(
            "Material", "material", tuple(handbook()) if wants_material else ()
        )
        self.material.setCurrentText("structural steel")
        self.becomes = self._choice(
            "Becomes", "what it becomes", tuple(_SHAPES) if self._kind is Kind.POINTS else ()
        )
        self.length = self._line("Length", "length along x", "100 mm")
        self.sew = self._line("Sew within", "nodes of free edges so near become one", "")
        self._form.setRowVisible(self.sew, self._kind is Kind.MESH)
        self.regions = self._choice("Regions by", "data that tells regions", ())
        self.layers = QListWidget()
        self.layers.setAccessibleName("layers that are read")
        self.layers.setMaximumHeight(110)
        self._row("Layers", self.layers, False)
        self.words = QLabel()
        self.words.setFont(label_font(9.5))
        self.words.setWordWrap(True)
        self.found = QListWidget()
        self.found.setAccessibleName("what was found")
        self.found.setWordWrap(True)
        self.found.setFont(label_font(9.5))
        self.found.setSelectionMode(QListWidget.SelectionMode.NoSelection)
        buttons = QDialogButtonBox.StandardButton
        self.buttons = QDialogButtonBox(buttons.Ok | buttons.Cancel)
        self.begin = self.buttons.button(buttons.Ok)
        self.begin.setText("Begin with it")
        self.begin.setEnabled(False)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.replace: list[QPushButton] = []
        for name in replaceable:
            button = QPushButton(f"In place of {name}")
            button.setToolTip("Supports, masses, joints and loads stay where they are")
            button.clicked.connect(lambda _=False, name=name: self._replace(name))
            self.buttons.addButton(button, QDialogButtonBox.ButtonRole.ActionRole)
            self.replace.append(button)
        column = QVBoxLayout(self)
        column.addLayout(self._form)
        column.addWidget(self.words)
        column.addWidget(self.found, 1)
        column.addWidget(self.buttons)
        self.unit.currentIndexChanged.connect(self.look)
        self.layers.itemChanged.connect(self.look)
        self.thickness.textChanged.connect(self._wait)
        self.material.currentIndexChanged.connect(self.look)
        self.becomes.currentIndexChanged.connect(self._take_shape)
        self.finished.connect(self._leave)
        self._open()

    def _explain(self) -> None:
        """Say what a received part is, over the dialog, which lets nothing else be used."""
        place = self.mapToGlobal(self.rect().center())
        QWhatsThis.showText(place, term_html("received part"), self)

    def _leave(self) -> None:
        """What is still read ends when it hears of it; the window does not wait for that."""
        self._rest.stop()
        self._jobs.close(wait=self._jobs.state(_READING) is None)

    def _choice(self, label: str, name: str, items: tuple[str, ...]) -> QComboBox:
        box = QComboBox()
        box.addItems(list(items))
        box.setAccessibleName(name)
        self._row(label, box, bool(items))
        return box

    def _line(self, label: str, name: str, text: str) -> QLineEdit:
        line = QLineEdit(text)
        line.setAccessibleName(name)
        line.setPlaceholderText("not at all")
        self._row(label, line, False)
        line.textChanged.connect(self._wait)
        return line

    def _row(self, label: str, widget: QWidget, shown: bool) -> None:
        self._form.addRow(label, widget)
        self._form.setRowVisible(widget, shown)

    # -- reading --------------------------------------------------------------------------------

    def _open(self) -> None:
        """Read what there is to choose from, then all of it."""
        self._busy("Reading the file …")
        self._jobs.start(
            _READING, lambda _progress: choices_in(self._path), self._offer, self._tell_wrong
        )

    def _offer(self, choices: tuple[str, ...]) -> None:
        if self._kind is Kind.MESH and len(choices) > 1:
            self.regions.addItems([_FIRST, *choices])
            self._form.setRowVisible(self.regions, True)
            self.regions.currentIndexChanged.connect(self.look)
        elif self._kind is Kind.DRAWING and choices:
            self._form.setRowVisible(self.layers, True)
            self.layers.blockSignals(True)
            for layer in choices:
                item = QListWidgetItem(layer)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(Qt.CheckState.Checked)
                self.layers.addItem(item)
            self.layers.blockSignals(False)
        self.look()

    @property
    def chosen(self) -> tuple[str, ...]:
        """The layers that are ticked."""
        items = (self.layers.item(row) for row in range(self.layers.count()))
        return tuple(item.text() for item in items if item.checkState() == Qt.CheckState.Checked)

    @property
    def choices(self) -> Choices:
        """All that is chosen."""
        unit, by = self.unit.currentText(), self.regions.currentText()
        return Choices(
            self.thickness.text().strip(),
            self.material.currentText() or Choices.material,
            None if unit in ("", _STATED, _LIKELY) else unit,
            self.chosen,
            regions_by=None if by in ("", _FIRST) else by,
            sew=self.sew.text().strip() or None,
            becomes=_SHAPES.get(self.becomes.currentText(), "plate"),
            length=self.length.text().strip(),
        )

    def _take_shape(self) -> None:
        drawn = _SHAPES.get(self.becomes.currentText()) == "extruded"
        self._form.setRowVisible(self.length, drawn)
        self.look()

    def _wait(self) -> None:
        """What is typed is read once the hand rests."""
        self._busy("")
        self._rest.start()

    def look(self) -> None:
        """Read the file with what is chosen; the newest choice wins."""
        self._rest.stop()
        choices, path = self.choices, self._path

        def read(progress: Progress) -> _Looked:
            try:
                return _Looked(*arrived(path, choices, None, progress))
            except UserError as error:
                return _Looked(None, None, str(error))

        self._busy("Reading the file …")
        self._jobs.start(_READING, read, self._tell, self._tell_wrong)

    def _replace(self, name: str) -> None:
        """Put the file in place of another of the sheet, and close."""
        current, path = self._current, self._path
        assert current is not None

        def read(progress: Progress) -> _Looked:
            try:
                return _Looked(None, None, "", revised(current, name, path, progress))
            except UserError as error:
                return _Looked(None, None, str(error))

        self._busy("Reading both files …")
        self._jobs.start(_READING, read, self._take_revision, self._tell_wrong)

    def _take_revision(self, looked: _Looked) -> None:
        if looked.revision is None:
            self._tell(looked)
            return
        self.revision = looked.revision
        self.accept()

    def _busy(self, words: str) -> None:
        self.sheet = None
        self.begin.setEnabled(False)
        for button in self.replace:
            button.setEnabled(False)
        tell(self.words, words, "")

    def _tell(self, looked: _Looked) -> None:
        for button in self.replace:
            button.setEnabled(True)
        self.found.clear()
        if looked.arrival is None or looked.sheet is None:
            tell(self.words, looked.wrong, "alarm")
            return
        self.sheet = looked.sheet
        self.begin.setEnabled(True)
        tell(self.words, "What was found:", "")
        self.found.addItems([_FOUND + line for line in looked.arrival.found])
        self.found.addItems([_DOUBT + line for line in looked.arrival.doubts])

    def _tell_wrong(self, error: Exception) -> None:
        self._busy("")
        words = str(error) if isinstance(error, UserError) else error_words(error)
        tell(self.words, words, "alarm")
