"""The page to begin with, shown at once; what solves and draws is loaded while it is looked at.

What is chosen meanwhile is done as soon as there is a window that can.
"""

from __future__ import annotations

import importlib
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

from PySide6.QtCore import QSettings, QTimer
from PySide6.QtGui import QCloseEvent, QKeySequence, QPixmap, QShortcut
from PySide6.QtWidgets import QApplication, QMainWindow

from belltone.desk.look import label_font, qt_palette, stylesheet
from belltone.desk.pixmaps import as_pixmap
from belltone.desk.recent import recent_paths
from belltone.desk.starts import Start
from belltone.desk.themes import SYSTEM, palette_for
from belltone.desk.welcome.welcome_page import WelcomePage
from belltone.drawing.kept_pictures import SmallPicture, kept_small

if TYPE_CHECKING:
    from belltone.desk.window import MainWindow

__all__ = ["Opening"]

_TITLES: Final = ("&File", "&Edit", "&View", "&Help")
_PARTS: Final = (
    "belltone.sheet.units",
    "belltone.sheet.part_models",
    "belltone.sheet.document",
    "belltone.reading.family",
    "scipy.sparse",
    "belltone.modes.solve",
    "belltone.sweep.runner",
    "belltone.tune.clear",
    "belltone.drawing.scene",
    "belltone.desk.session.session",
    "pyqtgraph",
    "belltone.desk.cards.sheet_column",
    "belltone.desk.window",
    "belltone.desk.windows",
)
"""What a window needs, in pieces between which the page answers."""

_Wish = Callable[["MainWindow"], object]


class _KeptPictures:
    """Small pictures that were drawn before; the others are drawn when there is a window."""

    def ask(
        self, wanted: Sequence[SmallPicture], take: Callable[[SmallPicture, QPixmap], None]
    ) -> None:
        for picture in wanted:
            kept = kept_small(picture)
            if kept is not None:
                take(picture, as_pixmap(kept))


class Opening(QMainWindow):
    """Stands where the first window will, with the page to begin with."""

    def __init__(self, settings: QSettings) -> None:
        super().__init__()
        self._wish: _Wish | None = None
        self._closed = False
        palette = palette_for(str(settings.value("theme") or SYSTEM))
        QApplication.setPalette(qt_palette(palette))
        self.setStyleSheet(stylesheet(palette))
        self.setWindowTitle("Bell Tone")
        for title in _TITLES:
            self.menuBar().addMenu(title).setEnabled(False)
        self.page = WelcomePage(_KeptPictures(), palette)
        self.page.show_recent(recent_paths(settings))
        self.setCentralWidget(self.page)
        self.statusBar().setFont(label_font(8.5))
        self.statusBar().setSizeGripEnabled(False)
        self.statusBar().hide()
        self.page.start_chosen.connect(self._begin)
        self.page.path_chosen.connect(self._open)
        for signal, keys, wish in (
            (self.page.open_asked, QKeySequence.StandardKey.Open, lambda w: w.files.ask_open()),
            (self.page.file_asked, "Ctrl+Shift+N", lambda w: w.files.ask_file()),
            (self.page.tour_asked, None, lambda w: w.take_tour()),
        ):
            signal.connect(lambda wish=wish: self._ask(wish))
            if keys is not None:
                QShortcut(QKeySequence(keys), self, lambda wish=wish: self._ask(wish))
        self.resize(1280, 800)

    def _begin(self, start: Start) -> None:
        self._ask(lambda window: window.begin(start))

    def _open(self, path: Path) -> None:
        self._ask(lambda window: window.files.open(path))

    def _ask(self, wish: _Wish) -> None:
        self._wish = wish
        self.statusBar().show()
        self.statusBar().showMessage("Comes as soon as all is loaded.")

    def load(self, parts: Sequence[str] = _PARTS, load: Callable[[str], Any] | None = None) -> bool:
        """Show the page and load the rest; False where it was closed meanwhile."""
        self.show()
        QApplication.processEvents()
        for part in parts:
            (load or importlib.import_module)(part)
            QApplication.processEvents()
            if self._closed:
                return False
        return True

    def hand_over(self, window: MainWindow) -> None:
        """Give way to the first window, which then does what was chosen here."""
        if self.isMaximized():
            window.showMaximized()
        else:
            window.resize(self.size())
            window.move(self.pos())
        wish = self._wish
        if wish is not None:
            QTimer.singleShot(0, window, lambda: wish(window))
        self.hide()
        self.deleteLater()

    def closeEvent(self, event: QCloseEvent) -> None:
        self._closed = True
        super().closeEvent(event)
