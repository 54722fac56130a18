"""Pictures that come as files, as Qt takes them; light, as the first page is drawn with it."""

from __future__ import annotations

from PySide6.QtGui import QPixmap

__all__ = ["as_pixmap"]


def as_pixmap(png: bytes) -> QPixmap:
    """A picture of what a PNG file holds."""
    pixmap = QPixmap()
    pixmap.loadFromData(png)
    return pixmap
