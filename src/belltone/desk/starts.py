"""Starting points: small sheets to begin with, chosen from pictures of what they describe."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Final

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QLabel,
    QListView,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.images import as_image
from belltone.desk.look import label_font
from belltone.drawing.colours import Palette
from belltone.drawing.scene import Scene
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet

__all__ = ["Start", "StartDialog", "starts"]

_PICTURE: Final = QSize(168, 112)


@dataclass(frozen=True)
class Start:
    """One starting point: its title, and the text of its sheet."""

    title: str
    text: str


@cache
def starts() -> tuple[Start, ...]:
    """All starting points, in the order they are offered."""
    folder = files("belltone.desk").joinpath("starts")
    texts = [
        entry.read_text(encoding="utf-8")
        for entry in folder.iterdir()
        if entry.name.endswith(".toml")
    ]
    found = [Start(tomllib.loads(text)["title"], text) for text in texts]
    order = {title: place for place, title in enumerate(_ORDER)}
    return tuple(sorted(found, key=lambda start: order.get(start.title, len(order))))


_ORDER: Final = (
    "Guide rail",
    "Tapered arm",
    "Splash plate",
    "Inspection lid",
    "Turntable",
    "Star wheel ring",
    "Drip tray corner",
    "Rinse drum",
    "Funnel",
    "Dome lid",
    "Angle bracket",
    "Return chute",
    "Duct",
    "Guide vane",
)


class StartDialog(QDialog):
    """Shows every starting point as a picture; ``chosen`` is the one taken."""

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Begin with")
        self.chosen: Start | None = None
        column = QVBoxLayout(self)
        words = QLabel("Choose what comes nearest; every number can be changed afterwards.")
        words.setFont(label_font(9))
        column.addWidget(words)
        self.list = QListWidget()
        self.list.setViewMode(QListView.ViewMode.IconMode)
        self.list.setMovement(QListView.Movement.Static)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setIconSize(_PICTURE)
        self.list.setSpacing(8)
        self.list.setFont(label_font(9))
        self.list.setAccessibleName("Starting points")
        for start in starts():
            item = QListWidgetItem(QIcon(_picture(start, palette)), start.title)
            item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter)
            item.setToolTip(str(tomllib.loads(start.text).get("note", "")))
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.list.itemActivated.connect(lambda _item: self.accept())
        column.addWidget(self.list, 1)
        kinds = QDialogButtonBox.StandardButton
        buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self.resize(800, 560)

    def accept(self) -> None:
        """Take the one that is marked."""
        self.chosen = starts()[self.list.currentRow()]
        super().accept()


def _picture(start: Start, palette: Palette) -> QPixmap:
    """The component of a starting point, at rest and drawn like in the shape view."""
    scene = Scene(palette)
    try:
        scene.resize(2 * _PICTURE.width(), 2 * _PICTURE.height())
        scene.show_design(evaluate(Sheet.from_text(start.text)))
        scene.look("corner")
        image = as_image(scene.draw(2 * _PICTURE.width(), 2 * _PICTURE.height()))
        return QPixmap.fromImage(
            image.scaled(_PICTURE, mode=Qt.TransformationMode.SmoothTransformation)
        )
    finally:
        scene.close()
