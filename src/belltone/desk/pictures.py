"""Pictures of charts as files: PNG, or SVG whose lines and words stay lines and words."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer, QPoint, QRect
from PySide6.QtGui import QImage, QPainter
from PySide6.QtSvg import QSvgGenerator
from PySide6.QtWidgets import QGraphicsView, QWidget

from belltone.desk.asking import ask_write
from belltone.files import write_bytes, writing

__all__ = ["ask_write_chart", "chart_image", "chart_svg", "write_chart", "write_image"]

_SHARPER = 2  # pixels of a PNG for each of the screen


def write_chart(view: QWidget, path: Path) -> None:
    """Write a chart as it stands, as SVG or as what else its ending says; raises ``OSError``."""
    if path.suffix.lower() != ".svg":
        write_image(chart_image(view, _SHARPER), path)
        return
    write_bytes(chart_svg(view), path)


def chart_svg(view: QWidget) -> bytes:
    """A chart as it stands, as an SVG file whose lines and words stay lines and words."""
    size, buffer = _inside(view).size(), QBuffer()
    drawing = QSvgGenerator()
    drawing.setOutputDevice(buffer)
    drawing.setSize(size)
    drawing.setViewBox(QRect(0, 0, size.width(), size.height()))
    drawing.setTitle(view.accessibleName())
    painter = QPainter(drawing)
    _render(view, painter)
    painter.end()
    return bytes(buffer.data().data())


def chart_image(view: QWidget, scale: float) -> QImage:
    """A chart as it stands, so many times as large as on the screen."""
    image = QImage(_inside(view).size() * scale, QImage.Format.Format_RGB32)
    ground = view.backgroundBrush().color() if isinstance(view, QGraphicsView) else None
    image.fill(ground or view.palette().window().color())
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if not isinstance(view, QGraphicsView):
        painter.scale(scale, scale)
    _render(view, painter)
    painter.end()
    return image


def write_image(image: QImage, path: Path) -> None:
    """Write a picture whole or not at all; raises ``OSError``."""
    with writing(path) as place:
        if not image.save(str(place)):
            raise OSError(5, f"pictures cannot be written as “{path.suffix}”; use .png")


def _inside(view: QWidget) -> QWidget:
    return view.viewport() if isinstance(view, QGraphicsView) else view


def _render(view: QWidget, painter: QPainter) -> None:
    if isinstance(view, QGraphicsView):
        view.render(painter)
    else:
        view.render(painter, QPoint())


def ask_write_chart(view: QGraphicsView, name: str, parent: QWidget) -> None:
    """Ask where to write a chart, and write it there."""
    ask_write(
        parent,
        "Write the picture of the chart",
        f"{name}.svg",
        "Pictures (*.svg *.png)",
        lambda path: write_chart(view, path),
    )
