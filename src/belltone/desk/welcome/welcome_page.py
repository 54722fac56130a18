"""The page the window begins with: starting points, sheets opened lately, demos."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Final, Protocol

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QPixmap, QShowEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListView,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.look import label_font, sentence_font
from belltone.desk.starts import Start, starts
from belltone.drawing.colours import Palette
from belltone.drawing.kept_pictures import SmallPicture
from belltone.files import MOST_SHEET_BYTES, FileError, read_text
from belltone.sheet.demo import examples_folder

__all__ = ["Pictures", "WelcomePage"]

_LARGE: Final = QSize(138, 92)
_SMALL: Final = QSize(84, 56)
_ROLE: Final = Qt.ItemDataRole.UserRole


@dataclass(frozen=True)
class _Entry:
    """One line of a list: its words, its sheet's text, and what choosing it gives."""

    title: str
    words: str
    text: str
    target: Path | Start


class Pictures(Protocol):
    """Gives the small pictures of sheets."""

    def ask(
        self, wanted: Sequence[SmallPicture], take: Callable[[SmallPicture, QPixmap], None]
    ) -> None:
        """Have ``take`` given each picture, now or later."""


class WelcomePage(QWidget):
    """Says what can be begun with; a choice is told by a signal."""

    start_chosen = Signal(object)
    path_chosen = Signal(object)
    open_asked = Signal()
    file_asked = Signal()
    tour_asked = Signal()
    back_asked = Signal()

    def __init__(self, pictures: Pictures, palette: Palette) -> None:
        super().__init__()
        self._pictures, self._palette = pictures, palette
        self._recent: Sequence[Path] = ()
        self._asked: tuple[object, ...] = ()
        self.setAccessibleName("Begin")
        columns = QHBoxLayout(self)
        columns.setContentsMargins(28, 18, 28, 18)
        columns.setSpacing(28)
        columns.addLayout(self._left(), 4)
        columns.addLayout(self._middle(), 6)
        columns.addLayout(self._right(), 5)

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        title = QLabel("What may ring, and what to change")
        title.setFont(sentence_font(16))
        title.setWordWrap(True)
        words = QLabel(
            "State a component, see every natural frequency beside what shakes it, and turn its "
            "numbers until nothing rings."
        )
        words.setFont(sentence_font(10.5))
        words.setWordWrap(True)
        column.addWidget(title)
        column.addWidget(words)
        column.addSpacing(10)
        self.back = _button("Back to the sheet", "Go on with the sheet that is open (Escape)")
        self.back.clicked.connect(self.back_asked)
        self.back.hide()
        column.addWidget(self.back)
        for text, tip, signal in (
            ("Open a sheet…", "A sheet that was saved (Ctrl+O)", self.open_asked),
            (
                "Begin with a file somebody sent…",
                "A CAD part, a drawing, a mesh, a table of a frame (Ctrl+Shift+N); or drop it here",
                self.file_asked,
            ),
            ("Take the tour, five steps", "See what is where, with a demo", self.tour_asked),
        ):
            button = _button(text, tip)
            button.clicked.connect(signal)
            column.addWidget(button)
        column.addSpacing(10)
        column.addWidget(_head("Opened lately"))
        self.recent = _list("Sheets opened lately", _SMALL, icons=False)
        self.none_yet = QLabel("None yet: what you open or save is listed here.")
        self.none_yet.setProperty("role", "muted")
        self.none_yet.setWordWrap(True)
        column.addWidget(self.none_yet)
        column.addWidget(self.recent, 1)
        column.addStretch(0)
        self.recent.itemActivated.connect(self._choose)
        self.recent.itemClicked.connect(self._choose)
        return column

    def _middle(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        column.addWidget(_head("Begin with what comes nearest; every number can be changed"))
        self.starts = _list("Starting points", _LARGE, icons=True)
        for start in starts():
            note = str(tomllib.loads(start.text).get("note", ""))
            _add(self.starts, _Entry(start.title, note, start.text, start), two_lines=False)
        self.starts.itemActivated.connect(self._choose)
        self.starts.itemClicked.connect(self._choose)
        column.addWidget(self.starts, 1)
        return column

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        column.addWidget(_head("From a bottling line: each with its question"))
        self.demos = _list("Demos, each with its question", _SMALL, icons=False)
        for path in sorted(examples_folder().glob("*.toml")):
            entry = _entry(path)
            if entry is not None:
                _add(self.demos, entry)
        self.demos.itemActivated.connect(self._choose)
        self.demos.itemClicked.connect(self._choose)
        column.addWidget(self.demos, 1)
        return column

    # -- what is listed -------------------------------------------------------------------------

    def show_recent(self, paths: Sequence[Path]) -> None:
        """List the sheets opened lately that are still there."""
        self._recent = paths
        self.recent.clear()
        for path in paths:
            entry = _entry(path, str(path.parent))
            if entry is not None:
                _add(self.recent, entry)
        some = self.recent.count() > 0
        self.recent.setVisible(some)
        self.none_yet.setVisible(not some)
        self._draw()

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self._draw()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._draw()

    def _draw(self) -> None:
        """Have pictures of all that is listed, in the present theme."""
        if not self.isVisible():
            return
        wanted: dict[SmallPicture, list[QListWidgetItem]] = {}
        for holder, size in ((self.starts, _LARGE), (self.recent, _SMALL), (self.demos, _SMALL)):
            for row in range(holder.count()):
                item = holder.item(row)
                entry: _Entry = item.data(_ROLE)
                folder = entry.target.parent if isinstance(entry.target, Path) else None
                picture = SmallPicture(
                    entry.text, folder, self._palette.name, size.width(), size.height()
                )
                wanted.setdefault(picture, []).append(item)
        asked = (tuple(wanted), self.recent.count())
        if asked == self._asked:
            return
        self._asked = asked

        def take(picture: SmallPicture, pixmap: QPixmap) -> None:
            for item in wanted[picture]:
                item.setIcon(QIcon(pixmap))

        self._pictures.ask(list(wanted), take)

    def _choose(self, item: QListWidgetItem) -> None:
        entry: _Entry = item.data(_ROLE)
        if not self.isVisible():
            return  # a second click of a double one
        if isinstance(entry.target, Start):
            self.start_chosen.emit(entry.target)
        else:
            self.path_chosen.emit(entry.target)


def _entry(path: Path, words: str = "") -> _Entry | None:
    """A sheet file as a line; ``None`` where it is not there or no sheet."""
    try:
        text = read_text(path, MOST_SHEET_BYTES, "a sheet")
        data = tomllib.loads(text)
    except (FileError, tomllib.TOMLDecodeError):
        return None
    title = str(data.get("title") or path.stem.replace("_", " "))
    return _Entry(title, words or str(data.get("note", "")), text, path)


def _add(holder: QListWidget, entry: _Entry, two_lines: bool = True) -> None:
    item = QListWidgetItem(f"{entry.title}\n{entry.words}" if two_lines else entry.title)
    empty = QPixmap(holder.iconSize())
    empty.fill(Qt.GlobalColor.transparent)
    item.setIcon(QIcon(empty))
    item.setData(_ROLE, entry)
    item.setToolTip(entry.words)
    if not two_lines:
        item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter)
    holder.addItem(item)


def _list(name: str, size: QSize, icons: bool) -> QListWidget:
    holder = QListWidget()
    holder.setIconSize(size)
    holder.setFont(label_font(9))
    holder.setAccessibleName(name)
    holder.setWordWrap(True)
    holder.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    holder.setMovement(QListView.Movement.Static)
    holder.setResizeMode(QListView.ResizeMode.Adjust)
    holder.setProperty("begin", True)
    if icons:
        holder.setViewMode(QListView.ViewMode.IconMode)
        holder.setSpacing(6)
    else:
        holder.setSpacing(3)
    return holder


def _head(text: str) -> QLabel:
    label = QLabel(text)
    label.setFont(label_font(9.5, bold=True))
    label.setWordWrap(True)
    return label


def _button(text: str, tip: str) -> QPushButton:
    button = QPushButton(text)
    button.setToolTip(tip)
    button.setFont(label_font(9.5))
    return button
