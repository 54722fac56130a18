"""A window beside the main one: clear the bands, see pulls, follow tolerances."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent, QKeyEvent
from PySide6.QtWidgets import QTabWidget, QVBoxLayout, QWidget

from belltone.desk.help.terms import set_term
from belltone.desk.proposals.clear_panel import ClearPanel
from belltone.desk.proposals.pull_panel import PullPanel
from belltone.desk.proposals.tolerance_panel import TolerancePanel
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette

__all__ = ["TuningView"]


class TuningView(QWidget):
    """A window of its own over the session."""

    def __init__(self, session: Session, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self._session = session
        self.setWindowTitle("Clear the bands · Bell Tone")
        self.resize(880, 640)
        self.clear = ClearPanel(session, palette)
        self.pulls = PullPanel(session, palette)
        self.tolerances = TolerancePanel(session)
        self.tabs = QTabWidget()
        for panel, name, term in (
            (self.clear, "Clear", "proposal"),
            (self.pulls, "Pulls", "pull"),
            (self.tolerances, "Tolerances", "tolerances"),
        ):
            self.tabs.addTab(panel, name)
            set_term(panel, term)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.addWidget(self.tabs)

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self.clear.set_palette(palette)
        self.pulls.set_palette(palette)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        """A proposal that was only tried is given up."""
        if self._session.proposals.shown is not None:
            self.clear.give_up()
        super().closeEvent(event)
