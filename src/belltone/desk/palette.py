"""Colours and type of the window: paper and ink by day, lamp-lit slate by night."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QColor, QFont, QPalette

__all__ = [
    "DARK",
    "LIGHT",
    "MARKS",
    "Palette",
    "label_font",
    "qt_palette",
    "ramp",
    "sentence_font",
    "stylesheet",
]


@dataclass(frozen=True)
class Palette:
    """One theme. Branch colours go with marks, so that no meaning hangs on colour alone."""

    name: str
    desk: str
    card: str
    ledge: str
    ink: str
    muted: str
    line: str
    live: str
    alarm: str
    alarm_wash: str
    margin_wash: str
    clear: str
    energy: str
    nodal: str
    branches: tuple[str, ...]
    motion: tuple[str, ...]
    state: tuple[str, ...]
    load: str

    def branch(self, identity: int) -> QColor:
        """The colour of a branch."""
        return QColor(self.branches[identity % len(self.branches)])


LIGHT: Final = Palette(
    name="paper",
    desk="#f7f1e3",
    card="#fffdf6",
    ledge="#ece3cd",
    ink="#26231d",
    muted="#716a5c",
    line="#dcd2bb",
    live="#1f4e8c",
    alarm="#ab3722",
    alarm_wash="#f0cfc3",
    margin_wash="#f8e6dc",
    clear="#33702f",
    energy="#c39a3d",
    nodal="#c8861d",
    branches=(
        "#1d6e78",
        "#a9781a",
        "#574a9c",
        "#3d7437",
        "#9a3a74",
        "#4f5560",
        "#b2552f",
        "#2f62a0",
        "#6d6a1f",
        "#7d3f3f",
    ),
    motion=("#e9e0ca", "#c6d0bb", "#8db6ae", "#4b8f99", "#2a6480", "#163a5c"),
    state=("#f0e8d6", "#ecd0a4", "#dda76f", "#c2774f", "#964a41", "#5c2438"),
    load="#8a2f6b",
)

DARK: Final = Palette(
    name="lamp",
    desk="#22262a",
    card="#2b3035",
    ledge="#1b1e21",
    ink="#ece6d8",
    muted="#a59d8c",
    line="#434a50",
    live="#8ab8ee",
    alarm="#ec8b70",
    alarm_wash="#5b342c",
    margin_wash="#41312d",
    clear="#8cc583",
    energy="#d0ab57",
    nodal="#ffb347",
    branches=(
        "#5fb8c2",
        "#dcaf55",
        "#a99bea",
        "#84bd7c",
        "#d984b5",
        "#b4bac2",
        "#e3946e",
        "#7fadea",
        "#bdb95f",
        "#cc8d8d",
    ),
    motion=("#3d4448", "#44606a", "#4b8591", "#74aca9", "#b4ccb0", "#f3e6c2"),
    state=("#453f3d", "#6b4a44", "#96584a", "#c17a55", "#e2aa78", "#f9e2bf"),
    load="#e08fc6",
)

MARKS: Final = ("round", "square", "kite", "hexagon", "shield")
"""Outlines of a branch's peg, in turn."""


def sentence_font(size: float = 10.5) -> QFont:
    """The type of the sheet's sentences."""
    font = QFont()
    font.setFamilies(["Source Serif 4", "Charter", "DejaVu Serif", "serif"])
    font.setPointSizeF(size)
    return font


def label_font(size: float = 9.0, bold: bool = False) -> QFont:
    """The type of labels, buttons and scales."""
    font = QFont()
    font.setFamilies(["Inter", "Cantarell", "DejaVu Sans", "sans-serif"])
    font.setPointSizeF(size)
    font.setBold(bold)
    return font


def ramp(names: tuple[str, ...], count: int = 256) -> NDArray[np.uint8]:
    """Colours between some, none to most, as ``(count, 3)``; lightness is monotone."""
    colours = [QColor(name) for name in names]
    stops = np.array([(c.red(), c.green(), c.blue()) for c in colours], dtype=np.float64)
    at = np.linspace(0, len(stops) - 1, count)
    columns = [np.interp(at, np.arange(len(stops)), stops[:, channel]) for channel in range(3)]
    return np.column_stack(columns).round().astype(np.uint8)


def qt_palette(palette: Palette) -> QPalette:
    """The same colours for the widgets that no style sheet touches."""
    result = QPalette()
    roles = QPalette.ColorRole
    for role, name in (
        (roles.Window, palette.desk),
        (roles.Base, palette.card),
        (roles.AlternateBase, palette.desk),
        (roles.Button, palette.card),
        (roles.WindowText, palette.ink),
        (roles.Text, palette.ink),
        (roles.ButtonText, palette.ink),
        (roles.PlaceholderText, palette.muted),
        (roles.Highlight, palette.live),
        (roles.HighlightedText, palette.card),
        (roles.Mid, palette.line),
        (roles.ToolTipBase, palette.card),
        (roles.ToolTipText, palette.ink),
    ):
        result.setColor(role, QColor(name))
    return result


def stylesheet(palette: Palette) -> str:
    """Qt style for the whole window."""
    p = palette
    return f"""
    QMainWindow, QDialog, QMessageBox {{ background: {p.desk}; }}
    QWidget {{ color: {p.ink}; }}
    QMenuBar, QStatusBar {{ background: {p.desk}; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {p.ledge}; color: {p.ink}; }}
    QMenu {{ background: {p.card}; border: 1px solid {p.line}; }}
    QMenu::item {{ padding: 4px 22px 4px 14px; }}
    QMenu::item:disabled {{ color: {p.muted}; }}
    QScrollArea {{ background: transparent; border: none; }}
    QScrollArea > QWidget > QWidget {{ background: transparent; }}
    QFrame[card="true"] {{ background: {p.card}; border: 1px solid {p.line}; border-radius: 5px; }}
    QLabel[role="title"] {{ color: {p.muted}; }}
    QLabel[role="muted"] {{ color: {p.muted}; }}
    QLabel[role="alarm"] {{ color: {p.alarm}; }}
    QLabel[role="clear"] {{ color: {p.clear}; }}
    QLineEdit[live="true"] {{
        background: transparent; border: none; border-bottom: 1px dotted {p.live};
        color: {p.live}; padding: 0px; selection-background-color: {p.live};
        selection-color: {p.card};
    }}
    QLineEdit[live="true"][editing="true"] {{
        background: {p.desk}; border-bottom: 2px solid {p.live};
    }}
    QLineEdit[live="true"][wrong="true"] {{ color: {p.alarm}; border-bottom: 2px solid {p.alarm}; }}
    QLineEdit[live="true"]:focus {{ background: {p.desk}; }}
    QLineEdit[plain="true"], QComboBox {{
        background: {p.desk}; border: 1px solid {p.line}; border-radius: 3px; padding: 2px 4px;
        selection-background-color: {p.live}; selection-color: {p.card};
    }}
    QLineEdit[plain="true"]:focus, QComboBox:focus {{ border-color: {p.live}; }}
    QComboBox QAbstractItemView {{ background: {p.card}; selection-background-color: {p.ledge};
        selection-color: {p.ink}; }}
    QToolButton[live="true"] {{
        background: transparent; border: none; border-bottom: 1px dotted {p.live};
        color: {p.live}; padding: 0px;
    }}
    QToolButton[live="true"]:focus, QToolButton[live="true"]:hover {{ background: {p.ledge}; }}
    QToolButton[live="true"]::menu-indicator {{ width: 0px; image: none; }}
    QPushButton, QToolButton[plain="true"] {{
        background: {p.card}; border: 1px solid {p.muted}; border-radius: 4px; padding: 3px 10px;
    }}
    QToolButton[plain="true"] {{ padding: 2px 7px; border-color: {p.line}; }}
    QPushButton:hover, QToolButton[plain="true"]:hover {{ background: {p.ledge}; }}
    QPushButton:focus, QToolButton[plain="true"]:focus {{ border-color: {p.live}; }}
    QPushButton:disabled {{ color: {p.muted}; border-color: {p.line}; }}
    QToolButton[plain="true"]:checked {{ background: {p.ledge}; border-color: {p.muted}; }}
    QSlider::groove:horizontal {{ height: 4px; background: {p.line}; border-radius: 2px; }}
    QSlider::handle:horizontal {{
        width: 12px; height: 12px; margin: -4px 0; border-radius: 6px; background: {p.live};
    }}
    QSlider::handle:horizontal:focus {{ background: {p.ink}; }}
    QProgressBar {{ background: {p.line}; border: none; border-radius: 3px; height: 6px; }}
    QProgressBar::chunk {{ background: {p.live}; border-radius: 3px; }}
    QScrollBar:vertical {{ background: transparent; width: 9px; }}
    QScrollBar::handle:vertical {{ background: {p.line}; border-radius: 4px; min-height: 30px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0px; width: 0px; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QTableView {{ background: {p.card}; alternate-background-color: {p.desk};
        gridline-color: {p.line}; border: 1px solid {p.line}; outline: 0;
        selection-background-color: {p.ledge}; selection-color: {p.ink}; }}
    QHeaderView::section {{
        background: {p.desk}; color: {p.muted}; border: none; padding: 4px 8px;
    }}
    QTableView::item {{ padding: 2px 8px; }}
    QSplitter::handle {{ background: transparent; }}
    QToolTip {{ background: {p.card}; color: {p.ink}; border: 1px solid {p.line}; }}
    """
