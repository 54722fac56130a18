"""Which theme is shown: the one chosen, or the one the desktop asks for."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication

from belltone.drawing.colours import DARK, HIGH, LIGHT, NIGHT, PALETTES, Palette

__all__ = ["SYSTEM", "THEMES", "palette_for", "system_palette"]

SYSTEM: Final = "system"
THEMES: Final = {
    SYSTEM: "As the desktop has it",
    LIGHT.name: "Paper, by day",
    DARK.name: "Lamp, by night",
    HIGH.name: "High contrast, light",
    NIGHT.name: "High contrast, dark",
}
"""Every choice and its words."""


def system_palette() -> Palette:
    """The theme that goes with what the desktop says of light, dark and contrast."""
    hints = QGuiApplication.styleHints()
    dark = hints.colorScheme() == Qt.ColorScheme.Dark
    # Qt tells of contrast since 6.10 only.
    asked = hints.accessibility().contrastPreference() if hasattr(hints, "accessibility") else None
    if asked is not None and asked == Qt.ContrastPreference.HighContrast:
        return NIGHT if dark else HIGH
    return DARK if dark else LIGHT


def palette_for(choice: str) -> Palette:
    """The theme of a choice; an unknown one goes by the desktop."""
    return PALETTES.get(choice) or system_palette()
