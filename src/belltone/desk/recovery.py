"""What an earlier run left unsaved: what each holds, to be opened, thrown away or left."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from typing import Final, cast

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QMessageBox,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from belltone.design.words import design_words
from belltone.desk.changed_file import differences
from belltone.desk.look import label_font
from belltone.desk.session.jobs import Jobs
from belltone.desk.small_pictures import SmallPictures
from belltone.drawing.colours import LIGHT, Palette
from belltone.drawing.kept_pictures import SmallPicture
from belltone.errors import UserError
from belltone.files import MOST_SHEET_BYTES, FileError, read_text
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.store.journal import Unsaved
from belltone.sweep.engine import Questions

__all__ = ["RecoveryDialog", "contained"]

_PICTURE: Final = QSize(200, 130)


def contained(unsaved: Unsaved) -> tuple[str, str]:
    """What unsaved work holds: a line of words, and what differs from its file."""
    folder = None if unsaved.sheet_path is None else unsaved.sheet_path.parent
    try:
        sheet = Sheet.from_text(unsaved.text, folder)
        title = sheet.content.title
        words = f"{title}: {design_words(evaluate(sheet))}" if title else "a sheet without a title"
    except UserError as error:
        words = f"a sheet that cannot be used as it stands: {str(error).splitlines()[0]}"
    try:
        if unsaved.sheet_path is None:
            return words, unsaved.text
        theirs = read_text(unsaved.sheet_path, MOST_SHEET_BYTES, "a sheet")
    except FileError:
        return f"{words}; its file is not there any more", unsaved.text
    return words, differences(theirs, unsaved.text) or "The file holds the same."


class RecoveryDialog(QDialog):
    """Lists what was left; ``open_one`` opens it and says whether it could.

    Pictures of the components come as they are drawn; ``painter`` draws them.
    """

    def __init__(
        self,
        left: Sequence[Unsaved],
        open_one: Callable[[Unsaved], bool],
        parent: QWidget | None = None,
        palette: Palette = LIGHT,
        painter: Questions | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Unsaved work")
        self._open_one = open_one
        self._theme = palette.name
        self._jobs = Jobs(self)
        self._painter = SmallPictures(self._jobs, painter)
        self._drawn: dict[SmallPicture, QPixmap] = {}
        self.finished.connect(self._leave)
        column = QVBoxLayout(self)
        words = QLabel(
            "The program ended before these were saved. What you leave is offered again next time."
        )
        words.setWordWrap(True)
        column.addWidget(words)
        row = QHBoxLayout()
        self.list = QListWidget()
        self.list.setAccessibleName("Unsaved work")
        self.list.setFont(label_font(9))
        self.list.setFixedWidth(230)
        for each in left:
            name = each.sheet_path.name if each.sheet_path else "a sheet without a file"
            when = datetime.fromtimestamp(each.when).strftime("%d %B, %H:%M")
            item = QListWidgetItem(f"{name}\n{when}")
            item.setData(Qt.ItemDataRole.UserRole, each)
            self.list.addItem(item)
        self.list.currentItemChanged.connect(lambda _now, _before: self._preview())
        row.addWidget(self.list)
        right = QVBoxLayout()
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setFont(label_font(9.5, bold=True))
        self.shown = QPlainTextEdit()
        self.shown.setReadOnly(True)
        self.shown.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.shown.setAccessibleName("What it holds")
        font = self.shown.font()
        font.setFamily("monospace")
        self.shown.setFont(font)
        self.picture = QLabel()
        self.picture.setAccessibleName("The component at rest")
        self.picture.setFixedSize(_PICTURE)  # nothing jumps when it is there
        self.picture.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight)
        top = QHBoxLayout()
        top.addWidget(self.words, 1, Qt.AlignmentFlag.AlignTop)
        top.addWidget(self.picture)
        right.addLayout(top)
        right.addWidget(self.shown, 1)
        row.addLayout(right, 1)
        column.addLayout(row, 1)
        buttons = QHBoxLayout()
        self.open_button = QPushButton("Open it")
        self.discard_button = QPushButton("Throw it away…")
        self.later_button = QPushButton("Leave the rest for later")
        buttons.addStretch(1)
        for button, call in (
            (self.discard_button, self._discard),
            (self.later_button, self.accept),
            (self.open_button, self._open),
        ):
            button.clicked.connect(call)
            buttons.addWidget(button)
        self.open_button.setDefault(True)
        column.addLayout(buttons)
        self.resize(820, 440)
        self.list.setCurrentRow(0)
        self._painter.ask(list(dict.fromkeys(map(self._pictured, left))), self._take)

    def _pictured(self, unsaved: Unsaved) -> SmallPicture:
        folder = None if unsaved.sheet_path is None else unsaved.sheet_path.parent
        size = _PICTURE
        return SmallPicture(unsaved.text, folder, self._theme, size.width(), size.height())

    def _take(self, picture: SmallPicture, pixmap: QPixmap) -> None:
        self._drawn[picture] = pixmap
        self._show_picture()

    def _show_picture(self) -> None:
        chosen = self._chosen
        known = None if chosen is None else self._drawn.get(self._pictured(chosen))
        self.picture.setPixmap(known or QPixmap())

    def _leave(self) -> None:
        """Draw no more."""
        self._painter.close()
        self._jobs.close()

    @property
    def _chosen(self) -> Unsaved | None:
        item = self.list.currentItem()
        return None if item is None else cast(Unsaved, item.data(Qt.ItemDataRole.UserRole))

    def _preview(self) -> None:
        chosen = self._chosen
        if chosen is not None:
            words, text = contained(chosen)
            self.words.setText(words)
            self.shown.setPlainText(text)
        self._show_picture()

    def _open(self) -> None:
        chosen = self._chosen
        if chosen is not None and self._open_one(chosen):
            chosen.discard()  # it is unsaved work of the window that has it now
            self._next()

    def _discard(self) -> None:
        chosen = self._chosen
        buttons = QMessageBox.StandardButton
        asked = "Throw this work away? It cannot be brought back."
        answer = QMessageBox.question(
            self, "Throw it away", asked, buttons.Discard | buttons.Cancel, buttons.Cancel
        )
        if chosen is not None and answer == buttons.Discard:
            chosen.discard()
            self._next()

    def _next(self) -> None:
        self.list.takeItem(self.list.currentRow())
        if not self.list.count():
            self.accept()
