"""A report as PDF, laid out and printed by Qt; it needs no screen and no window."""

from __future__ import annotations

import os
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path
from typing import Final

if not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")  # Qt reads it when it is loaded

from PySide6.QtCore import QByteArray, QCoreApplication, QMarginsF, QRectF, QSizeF, Qt, QUrl
from PySide6.QtGui import (
    QColor,
    QFont,
    QGuiApplication,
    QImage,
    QPageLayout,
    QPageSize,
    QPainter,
    QPdfWriter,
    QTextDocument,
)
from PySide6.QtSvg import QSvgRenderer

from belltone.desk.images import as_image
from belltone.drawing.charts import as_pixels
from belltone.drawing.colours import LIGHT
from belltone.exchange.report.blocks import Cards, Chart, Pages, Photo
from belltone.exchange.report.html import as_text_for_print
from belltone.files import writing

__all__ = ["write_pdf"]

_DPI: Final = 200
_PX: Final = 96  # of a text's pixels to the inch
_SHARPER: Final = 2.0  # pixels of a picture for each of its size
_MARGINS: Final = QMarginsF(15, 14, 15, 14)  # mm
_FOOT: Final = 7.0  # mm, below the text


def write_pdf(pages: Pages, path: Path) -> None:
    """Write the pages on A4 sheets with numbers; raises ``OSError``."""
    _application()
    with writing(path) as place:
        writer = QPdfWriter(str(place))
        writer.setResolution(_DPI)
        writer.setTitle(pages.title)
        writer.setCreator(pages.foot)
        writer.setPageLayout(
            QPageLayout(
                QPageSize(QPageSize.PageSizeId.A4),
                QPageLayout.Orientation.Portrait,
                _MARGINS,
                QPageLayout.Unit.Millimeter,
            )
        )
        document = QTextDocument()
        document.documentLayout().setPaintDevice(writer)
        document.setDefaultFont(QFont("DejaVu Sans", 9))
        document.setDocumentMargin(0)
        for name, image in _pictures(pages):
            document.addResource(QTextDocument.ResourceType.ImageResource, QUrl(name), image)
        area = writer.pageLayout().paintRectPixels(_DPI)
        foot = _FOOT / 25.4 * _DPI
        size = QSizeF(area.width(), area.height() - foot)
        document.setHtml(as_text_for_print(pages, size.height() * _PX / _DPI))
        document.setPageSize(size)
        _print(document, writer, size, pages.foot)


@lru_cache
def _application() -> QCoreApplication:
    """Fonts need an application; where there is none before, one is made and lives on."""
    return QGuiApplication.instance() or QGuiApplication(["belltone"])


def _print(document: QTextDocument, writer: QPdfWriter, size: QSizeF, foot: str) -> None:
    painter = QPainter(writer)
    if not painter.isActive():
        raise OSError(5, "the pages could not be written")
    count = document.pageCount()
    for number in range(count):
        if number:
            writer.newPage()
        painter.save()
        painter.translate(0, -number * size.height())
        document.drawContents(
            painter, QRectF(0, number * size.height(), size.width(), size.height())
        )
        painter.restore()
        painter.setFont(QFont("DejaVu Sans", 7))
        painter.setPen(QColor(LIGHT.muted))
        line = QRectF(0, size.height(), size.width(), _FOOT / 25.4 * _DPI)
        bottom = Qt.AlignmentFlag.AlignBottom
        painter.drawText(line, bottom | Qt.AlignmentFlag.AlignLeft, foot)
        painter.drawText(line, bottom | Qt.AlignmentFlag.AlignRight, f"{number + 1} / {count}")
    painter.end()


def _pictures(pages: Pages) -> Iterator[tuple[str, QImage]]:
    """Every picture under the name the text calls it by."""
    for at, section in enumerate(pages.sections, start=1):
        for number, block in enumerate(section.blocks):
            name = f"{at}-{number}"
            if isinstance(block, Chart):
                yield f"chart-{name}", as_image(as_pixels(block.figure, _SHARPER))
            elif isinstance(block, Photo):
                yield f"photo-{name}", _photo(block)
            elif isinstance(block, Cards):
                for place, card in enumerate(block.cards):
                    yield f"card-{name}-{place}", _photo(card.photo)


def _photo(photo: Photo) -> QImage:
    """A picture with what is drawn over it."""
    image = QImage.fromData(QByteArray(photo.data))
    if not photo.overlay:
        return image
    wide = image.scaledToWidth(
        round(_SHARPER * photo.width), Qt.TransformationMode.SmoothTransformation
    )
    painter = QPainter(wide)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    QSvgRenderer(QByteArray(photo.overlay.encode())).render(painter)
    painter.end()
    return wide
