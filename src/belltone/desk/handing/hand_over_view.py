"""A window beside the main one: everything that leaves the program."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QShowEvent
from PySide6.QtWidgets import QTabWidget, QVBoxLayout, QWidget

from belltone.desk.handing.files_panel import FilesPanel
from belltone.desk.handing.film_panel import FilmPanel
from belltone.desk.handing.picture_panel import PicturePanel, Sources
from belltone.desk.handing.report_panel import ReportPanel
from belltone.desk.handing.tables_panel import TablesPanel
from belltone.desk.help.terms import set_term
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.drawing.eye import Heading

__all__ = ["HandOverView"]


class HandOverView(QWidget):
    """Report, film, picture, tables and files, each on a page of its own."""

    def __init__(
        self,
        session: Session,
        sources: Sources,
        heading: Callable[[], Heading],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle("Hand over · Bell Tone")
        set_term(self, "hand over")
        self.resize(600, 400)
        self.report = ReportPanel(session)
        self.film = FilmPanel(session, heading)
        self.picture = PicturePanel(session, sources)
        self.tables = TablesPanel(session)
        self.files = FilesPanel(session)
        set_term(self.report, "report")
        self.tabs = QTabWidget()
        for panel, name in (
            (self.report, "Report"),
            (self.film, "Film"),
            (self.picture, "Picture"),
            (self.tables, "Tables"),
            (self.files, "Files"),
        ):
            self.tabs.addTab(panel, name)
        self.tabs.currentChanged.connect(lambda _: self.picture.refresh())
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.addWidget(self.tabs)

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self.film.set_palette(palette)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.picture.refresh()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)
