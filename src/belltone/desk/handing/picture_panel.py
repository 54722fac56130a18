"""Pictures of what the window shows: the shape as PNG, charts as SVG or PNG, or copied."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

from PySide6.QtCore import QMimeData
from PySide6.QtGui import QGuiApplication, QImage
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.look import label_font, tell
from belltone.desk.pictures import chart_image, chart_svg, write_chart, write_image
from belltone.desk.session.session import Session
from belltone.desk.shape.canvas import ShapeCanvas

__all__ = ["PicturePanel"]

Sources = Callable[[], Mapping[str, QWidget]]


class PicturePanel(QWidget):
    """Takes pictures of the shape view and the charts that are open."""

    def __init__(self, session: Session, sources: Sources) -> None:
        super().__init__()
        self._session, self._sources = session, sources
        self.what = QComboBox()
        self.what.setAccessibleName("what is pictured")
        self.width_box = QSpinBox()
        self.width_box.setRange(100, 8000)
        self.width_box.setValue(1600)
        self.width_box.setSuffix(" pixels wide")
        self.width_box.setAccessibleName("how wide the picture is")
        self.clear = QCheckBox("see-through where nothing is drawn")
        self.bare = QCheckBox("clean: no axes, names, supports")
        form = QFormLayout()
        for text, widget in (
            ("Picture of", self.what),
            ("Size", self.width_box),
            ("", self.clear),
            ("", self.bare),
        ):
            form.addRow(text, widget)
        self.told = QLabel()
        self.told.setFont(label_font(9.5))
        self.told.setWordWrap(True)
        self.copy = QPushButton("Copy")
        self.copy.clicked.connect(self._copy)
        self.write = QPushButton("Write…")
        self.write.clicked.connect(self._ask_write)
        buttons = QHBoxLayout()
        buttons.addWidget(self.told, 1)
        buttons.addWidget(self.copy)
        buttons.addWidget(self.write)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addStretch(1)
        column.addLayout(buttons)
        self.what.currentIndexChanged.connect(self._follow)
        self.refresh()

    def refresh(self) -> None:
        """List what there is to be pictured."""
        names, now = list(self._sources()), self.what.currentText()
        if names != [self.what.itemText(at) for at in range(self.what.count())]:
            self.what.clear()
            self.what.addItems(names)
            self.what.setCurrentText(now)
        self._follow()

    @property
    def _widget(self) -> QWidget | None:
        return self._sources().get(self.what.currentText())

    def _follow(self) -> None:
        shape = isinstance(self._widget, ShapeCanvas)
        for box in (self.clear, self.bare):
            box.setEnabled(shape)

    def _image(self) -> QImage:
        widget, width = self._widget, self.width_box.value()
        assert widget is not None
        if isinstance(widget, ShapeCanvas):
            return widget.picture(width, self.clear.isChecked(), self.bare.isChecked())
        return chart_image(widget, width / max(widget.width(), 1))

    def _copy(self) -> None:
        copied = QMimeData()
        copied.setImageData(self._image())
        if self._widget is not None and not isinstance(self._widget, ShapeCanvas):
            copied.setData("image/svg+xml", chart_svg(self._widget))
        QGuiApplication.clipboard().setMimeData(copied)
        tell(self.told, "The picture is on the clipboard.", "clear")

    def _ask_write(self) -> None:
        name = self.what.currentText()
        shape = isinstance(self._widget, ShapeCanvas)
        filters = "Picture (*.png)" if shape else "Drawing (*.svg);;Picture (*.png)"
        ending = ".png" if shape else ".svg"
        told, _ = QFileDialog.getSaveFileName(self, "Write the picture", f"{name}{ending}", filters)
        if told:
            self.write_to(Path(told) if Path(told).suffix else Path(told + ending))

    def write_to(self, target: Path) -> None:
        """Write the picture; what goes wrong is told."""
        widget = self._widget
        assert widget is not None
        refused = self._session.handing.refused(target)
        if refused:
            tell(self.told, refused, "alarm")
            return
        try:
            if isinstance(widget, ShapeCanvas) or target.suffix.lower() != ".svg":
                write_image(self._image(), target)
            else:
                write_chart(widget, target)
        except OSError as error:
            tell(self.told, f"Not written: {error.strerror or error}", "alarm")
            return
        tell(self.told, f"Written: {target}", "clear")
