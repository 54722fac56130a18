"""Drawing where there is no screen: said before any library that draws is loaded."""

from __future__ import annotations

import ctypes
import os

__all__ = ["prepare_display"]


def prepare_display() -> None:
    """Let VTK draw through EGL where there is no screen; it reads this when it is loaded.

    Raises ``OSError`` with what to install where there is no EGL, without which it would crash.
    """
    if os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"):
        return
    os.environ.setdefault("VTK_DEFAULT_OPENGL_WINDOW", "vtkEGLRenderWindow")
    try:
        ctypes.CDLL("libEGL.so.1")
    except OSError as error:
        raise OSError(
            None,
            "drawing the component needs EGL: sudo apt-get install libegl1 libgl1 libgl1-mesa-dri",
            "libEGL.so.1",
        ) from error
