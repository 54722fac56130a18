"""Pictures as Qt takes them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage

__all__ = ["as_image"]


def as_image(pixels: NDArray[np.uint8], see_through: bool = False) -> QImage:
    """An image of pixels ``(height, width, 4)``, the top row first.

    The fourth value says how little one sees through, where that is asked for.
    """
    formats = QImage.Format
    kind = formats.Format_RGBA8888 if see_through else formats.Format_RGBX8888
    height, width = pixels.shape[:2]
    data = np.ascontiguousarray(pixels).data
    return QImage(data, width, height, 4 * width, kind).copy()
