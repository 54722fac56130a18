"""The help: terms on the left, words or pages of the manual on the right."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Final

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QDesktopServices, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSplitter,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.help.terms import docs_folder, pages, term_html, terms
from belltone.desk.look import label_font

__all__ = ["KEYS", "HelpView"]

KEYS: Final = """\
# Hands and keys

**Find anything** with Ctrl+F: commands, numbers, sites, parts, materials, knobs, modes, demos and
help. **F1** explains what the keyboard or the mouse is in.

**Numbers.** Click to type, drag sideways to change (Shift: finely), arrow up and down; right-click
to make a knob. Arithmetic is worked out while you type. **Names.** Double click or F2.

**Cards.** Click a title to open it in place; Tab walks through every number and action.

**Shape.** Drag turns it, drag with the right button slides it, the wheel zooms; Ctrl+Space plays.
Alt+X, Alt+Y, Alt+Z look along an axis, Alt+0 fits. A click on a marked point, edge or face says
what to do with it.

**Ruler.** Click a peg or use the left and right arrows; drag a peg to where the mode should be.
The wheel or + and − zoom, with Shift the wheel slides, Home shows all of it.

**Modes.** Alt+Left and Alt+Right choose the lower or higher one from anywhere; Ctrl+L lists where
the energy of one is; Ctrl+T shows all in a table.

**Sweep map.** Drag the cursor to turn the knob; click a branch to choose it; Ctrl+R runs or stops
the sweep. Ctrl+2 shows two knobs, Ctrl+3 tables of designs, Ctrl+D the speed diagram.

**Tuning.** Ctrl+K clears the bands. F8 pins the design as a variant; Ctrl+J holds designs against
each other. Ctrl+B shows the mode with and without its preload. Ctrl+M holds measured frequencies
against the modes.

**Sheet.** F4 shows it as text beside the cards; Ctrl+Z and Ctrl+Shift+Z undo and redo by name.
Ctrl+P hands over reports, films, pictures, tables and files. Ctrl+Shift+O opens another window.
"""


def _with_pictures_there(page: Path) -> str:
    """A page without the pictures that are not beside it, as in an installed program."""
    lines = page.read_text(encoding="utf-8").splitlines()
    pictures = {line: re.fullmatch(r"!\[.*\]\((.*)\)", line) for line in lines}
    kept = [
        line
        for line in lines
        if (found := pictures[line]) is None or (page.parent / found[1]).is_file()
    ]
    return "\n".join(kept)


class HelpView(QWidget):
    """Terms and pages to read; a link to a term stays in here."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle("Help · Bell Tone")
        column = QVBoxLayout(self)
        split = QSplitter()
        left = QWidget()
        rows = QVBoxLayout(left)
        rows.setContentsMargins(0, 0, 0, 0)
        self.sought = QLineEdit()
        self.sought.setPlaceholderText("a word to look for")
        self.sought.setAccessibleName("Look for a word in the help")
        self.sought.setProperty("plain", True)
        self.sought.textChanged.connect(self._fill)
        self.list = QListWidget()
        self.list.setFont(label_font(9))
        self.list.setAccessibleName("Terms and pages")
        self.list.currentItemChanged.connect(self._show_item)
        rows.addWidget(self.sought)
        rows.addWidget(self.list, 1)
        self.text = QTextBrowser()
        self.text.setFont(label_font(10))
        self.text.setOpenLinks(False)
        self.text.setAccessibleName("What the help says")
        self.text.anchorClicked.connect(self._follow)
        split.addWidget(left)
        split.addWidget(self.text)
        split.setSizes([240, 600])
        column.addWidget(split)
        QShortcut(QKeySequence(Qt.Key.Key_Escape), self, self.close)
        self.resize(860, 600)
        self._fill()

    def show_term(self, name: str) -> None:
        """Show a term."""
        self.sought.clear()
        self._choose(f"term:{name}")

    def show_page(self, path: Path) -> None:
        """Show a page of the manual."""
        self.sought.clear()
        self._choose(f"page:{path}")

    def show_keys(self) -> None:
        """Show what hands and keys do."""
        self.sought.clear()
        self._choose("keys:")

    def _fill(self) -> None:
        """List the terms and pages that hold what is typed."""
        wanted = self.sought.text().strip().lower()
        entries = [("Hands and keys", "keys:", KEYS)]
        entries += [(title, f"page:{path}", "") for title, path in pages().items()]
        entries += [(each.name, f"term:{each.name}", each.text) for each in terms().values()]
        self.list.clear()
        for title, place, text in entries:
            if wanted in title.lower() or (wanted and wanted in text.lower()):
                item = QListWidgetItem(title)
                item.setData(Qt.ItemDataRole.UserRole, place)
                self.list.addItem(item)

    def _choose(self, place: str) -> None:
        for row in range(self.list.count()):
            if self.list.item(row).data(Qt.ItemDataRole.UserRole) == place:
                self.list.setCurrentRow(row)

    def _show_item(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        kind, _, rest = str(item.data(Qt.ItemDataRole.UserRole)).partition(":")
        if kind == "term":
            self.text.setHtml(term_html(rest))
        elif kind == "keys":
            self.text.setMarkdown(KEYS)
        else:
            self.text.setSearchPaths([str(Path(rest).parent), str(docs_folder())])
            self.text.setMarkdown(_with_pictures_there(Path(rest)))

    def _follow(self, link: QUrl) -> None:
        """A term, another page of the manual, or a page of somebody else's."""
        told = link.toString()
        if told.startswith("term:"):
            self.show_term(told.removeprefix("term:"))
            return
        if link.scheme() in ("http", "https"):
            QDesktopServices.openUrl(link)
            return
        name = Path(link.path()).name
        for path in pages().values():
            if path.name == name:
                self.show_page(path)
