"""Sheets opened or saved lately, as the settings keep them."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from PySide6.QtCore import QSettings

__all__ = ["recent_paths", "remember"]

_MOST: Final = 8


def recent_paths(settings: QSettings) -> list[Path]:
    """Sheets opened or saved lately, the newest first."""
    stored = settings.value("recent") or []
    names = [stored] if isinstance(stored, str) else list(stored)
    return [Path(name) for name in names]


def remember(settings: QSettings, path: Path) -> None:
    """Put a sheet at the head of the recent ones."""
    path = path.resolve()
    paths = [path, *(other for other in recent_paths(settings) if other != path)]
    settings.setValue("recent", [str(entry) for entry in paths[:_MOST]])
