"""Asking where to write, and telling what went wrong."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

__all__ = ["ask_write"]


def ask_write(
    parent: QWidget, title: str, name: str, filters: str, write: Callable[[Path], None]
) -> None:
    """Ask for a file and write it; without an ending it takes that of ``name``."""
    told, _ = QFileDialog.getSaveFileName(parent, title, name, filters)
    if not told:
        return
    path = Path(told)
    try:
        write(path if path.suffix else path.with_suffix(Path(name).suffix))
    except OSError as error:
        QMessageBox.warning(parent, "Not written", f"“{told}”: {error.strerror or error}")
