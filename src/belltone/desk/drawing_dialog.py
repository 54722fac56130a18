"""What a drawing of a plate holds, told before it becomes a sheet."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.look import label_font, tell
from belltone.errors import UserError
from belltone.exchange.plate_drawings import PlateDrawing, layers_of, plate_sheet, read_plate
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.handbook import handbook

__all__ = ["DrawingDialog"]

_STATED: Final = "as the drawing says"
_UNITS: Final = (_STATED, "mm", "cm", "m", "in", "ft")


class DrawingDialog(QDialog):
    """Chooses layers, unit, thickness and material; ``sheet`` is what comes of it."""

    def __init__(self, path: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._path = path
        self.sheet: Sheet | None = None
        self._found: PlateDrawing | None = None
        self.setWindowTitle(f"A plate from “{path.name}”")
        self.resize(520, 460)
        self.unit = QComboBox()
        self.unit.addItems(list(_UNITS))
        self.unit.setAccessibleName("unit of the drawing")
        self.thickness = QLineEdit("3 mm")
        self.thickness.setAccessibleName("thickness of the plate")
        self.material = QComboBox()
        self.material.addItems(list(handbook()))
        self.material.setCurrentText("structural steel")
        self.material.setAccessibleName("material of the plate")
        self.layers = QListWidget()
        self.layers.setAccessibleName("layers that are read")
        self.layers.setMaximumHeight(110)
        form = QFormLayout()
        for text, widget in (
            ("Lengths in", self.unit),
            ("Thickness", self.thickness),
            ("Material", self.material),
            ("Layers", self.layers),
        ):
            form.addRow(text, widget)
        self.words = QLabel()
        self.words.setFont(label_font(9.5))
        self.words.setWordWrap(True)
        self.words.setAccessibleName("what was found")
        buttons = QDialogButtonBox.StandardButton
        self.buttons = QDialogButtonBox(buttons.Ok | buttons.Cancel)
        self.begin = self.buttons.button(buttons.Ok)
        self.begin.setText("Begin with it")
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(self.words, 1)
        column.addWidget(self.buttons)
        try:
            for layer in layers_of(path):
                item = QListWidgetItem(layer)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(Qt.CheckState.Checked)
                self.layers.addItem(item)
        except UserError as error:
            self._tell_wrong(error)
            return
        self.unit.currentIndexChanged.connect(self.look)
        self.layers.itemChanged.connect(self.look)
        self.thickness.textChanged.connect(self.tell_found)
        self.material.currentIndexChanged.connect(self.tell_found)
        self.look()

    @property
    def chosen(self) -> list[str]:
        """The layers that are ticked."""
        items = (self.layers.item(row) for row in range(self.layers.count()))
        return [item.text() for item in items if item.checkState() == Qt.CheckState.Checked]

    def look(self) -> None:
        """Read the drawing; what was found is kept for as long as layers and unit stay."""
        unit = self.unit.currentText()
        self._found = None
        try:
            self._found = read_plate(self._path, None if unit == _STATED else unit, self.chosen)
        except UserError as error:
            self._tell_wrong(error)
        self.tell_found()

    def tell_found(self) -> None:
        """Say what was found, or what is wrong with the plate that comes of it."""
        if self._found is None:
            return
        try:
            self.sheet = self._sheet(self._found)
        except UserError as error:
            self._tell_wrong(error)
            return
        lines = "\n".join(f"•  {line}" for line in self._found.found)
        tell(self.words, f"Found:\n{lines}", "")
        self.begin.setEnabled(True)

    def _sheet(self, found: PlateDrawing) -> Sheet:
        thickness, material = self.thickness.text().strip(), self.material.currentText()
        sheet = Sheet.from_text(plate_sheet(found, thickness, self._path.stem, material))
        evaluate(sheet)
        return sheet

    def _tell_wrong(self, error: UserError) -> None:
        self.sheet = None
        tell(self.words, str(error), "alarm")
        self.begin.setEnabled(False)
