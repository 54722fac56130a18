"""The one application object; loads Qt and nothing of what solves or draws."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Final

__all__ = ["make_application"]

from belltone.drawing.display import prepare_display

if not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")  # Qt reads it when it is loaded
prepare_display()

from PySide6.QtCore import QtMsgType, qInstallMessageHandler  # noqa: E402
from PySide6.QtGui import QIcon  # noqa: E402
from PySide6.QtWidgets import QApplication  # noqa: E402

from belltone.desk.look import label_font  # noqa: E402

_ICON: Final = Path(__file__).resolve().parents[1] / "share" / "icons" / "belltone.svg"


def make_application() -> QApplication:
    """The one application object, with its names and type set when it is made."""
    present = QApplication.instance()
    if isinstance(present, QApplication) and present.applicationName() == "belltone":
        return present
    application = present if isinstance(present, QApplication) else QApplication(sys.argv[:1])
    qInstallMessageHandler(_note_from_qt)
    application.setApplicationName("belltone")
    application.setApplicationDisplayName("")
    application.setOrganizationName("belltone")
    application.setDesktopFileName("org.belltone.BellTone")
    application.setWindowIcon(QIcon(str(_ICON)))
    application.setStyle("Fusion")
    application.setFont(label_font(9))
    return application


def _note_from_qt(kind: QtMsgType, _context: object, text: str) -> None:
    """Pass on what Qt says, but for what only the absence of a screen makes it say."""
    if not text.startswith("This plugin does not support") and kind != QtMsgType.QtDebugMsg:
        print(f"belltone: {text}", file=sys.stderr)
