"""Pictures as Qt takes them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage

__all__ = ["as_image"]


def as_image(pixels: NDArray[np.uint8]) -> QImage:
    """An image of pixels ``(height, width, 4)``, the top row first; the fourth value is unused."""
    height, width = pixels.shape[:2]
    data = np.ascontiguousarray(pixels).data
    return QImage(data, width, height, 4 * width, QImage.Format.Format_RGBX8888).copy()
