"""Pictures of charts as files: PNG, or SVG whose lines and words stay lines and words."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QRect
from PySide6.QtGui import QImage, QPainter
from PySide6.QtSvg import QSvgGenerator
from PySide6.QtWidgets import QFileDialog, QGraphicsView, QMessageBox, QWidget

__all__ = ["ask_write_chart", "write_chart"]

_SHARPER = 2  # pixels of a PNG for each of the screen


def write_chart(view: QGraphicsView, path: Path) -> None:
    """Write a chart as it stands, as SVG or as what else its ending says; raises ``OSError``."""
    size = view.viewport().size()
    if path.suffix.lower() == ".svg":
        drawing = QSvgGenerator()
        drawing.setFileName(str(path))
        drawing.setSize(size)
        drawing.setViewBox(QRect(0, 0, size.width(), size.height()))
        drawing.setTitle(view.accessibleName())
        painter = QPainter()
        if not painter.begin(drawing):
            raise OSError(f"“{path}” cannot be written")
        view.render(painter)
        painter.end()
        return
    image = QImage(size * _SHARPER, QImage.Format.Format_RGB32)
    image.fill(view.backgroundBrush().color())
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    view.render(painter)
    painter.end()
    if not image.save(str(path)):
        raise OSError(f"“{path}” cannot be written")


def ask_write_chart(view: QGraphicsView, name: str, parent: QWidget) -> None:
    """Ask where to write a chart, and write it there."""
    title = "Write the picture of the chart"
    told, _ = QFileDialog.getSaveFileName(parent, title, f"{name}.svg", "Pictures (*.svg *.png)")
    if not told:
        return
    path = Path(told)
    try:
        write_chart(view, path if path.suffix else path.with_suffix(".svg"))
    except OSError as error:
        QMessageBox.warning(parent, "Not written", f"“{told}”: {error.strerror or error}")
