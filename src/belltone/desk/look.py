"""Type and style of the window."""

from __future__ import annotations

import re

from PySide6.QtGui import QColor, QFont, QPalette
from PySide6.QtWidgets import QLabel, QWidget

from belltone.drawing.colours import Palette

__all__ = ["label_font", "qt_palette", "restyle", "sentence_font", "stylesheet", "tell", "unparted"]


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


def tell(label: QLabel, text: str, role: str) -> None:
    """Show words in a role of the style: “muted”, “alarm”, “clear” or none."""
    label.setText(text)
    label.setProperty("role", role)
    restyle(label)


def restyle(widget: QWidget) -> None:
    """Let a widget follow the style sheet after one of its properties has changed."""
    widget.style().unpolish(widget)
    widget.style().polish(widget)


def stylesheet(palette: Palette) -> str:
    """Qt style for the whole window."""
    p = palette
    return f"""
    QMainWindow, QDialog, QMessageBox {{ background: {p.desk}; }}
    QWidget {{ color: {p.ink}; }}
    QMenuBar, QStatusBar {{ background: {p.desk}; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {p.ledge}; color: {p.ink}; }}
    QMenuBar::item:disabled {{ color: {p.muted}; }}
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
    QLineEdit[name="true"] {{ background: transparent; border: none; color: {p.ink}; }}
    QLineEdit[name="true"]:focus {{ background: {p.desk}; border-bottom: 2px solid {p.live}; }}
    QToolButton[live="true"] {{
        background: transparent; border: none; border-bottom: 1px dotted {p.live};
        color: {p.live}; padding: 0px;
    }}
    QToolButton[live="true"]:focus, QToolButton[live="true"]:hover {{ background: {p.ledge}; }}
    QToolButton[fold="true"] {{ background: transparent; border: none; color: {p.muted};
        padding: 2px 3px; }}
    QToolButton[fold="true"]:hover, QToolButton[fold="true"]:focus {{
        background: {p.ledge}; color: {p.ink}; border-radius: 3px; }}
    QWidget[found="true"] {{ background: {p.margin_wash}; border-radius: 3px; }}
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


def unparted(text: str) -> str:
    """Words in which no line ends between a number and its unit."""
    return re.sub(r"(?<=\d) (?=[%\w])", "\u00a0", text)
