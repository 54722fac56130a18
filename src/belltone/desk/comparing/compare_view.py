"""A window over two designs: what differs, every mode matched by shape, both shapes moving."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from pathlib import Path
from typing import Final

from PySide6.QtCore import QModelIndex, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QGuiApplication, QKeyEvent, QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMessageBox,
    QPushButton,
    QSplitter,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from belltone.compare.among import Among
from belltone.compare.differs import differences
from belltone.compare.matched import Comparison
from belltone.desk.asking import ask_write
from belltone.desk.comparing.match_matrix import MatchMatrix
from belltone.desk.comparing.side_view import SideView
from belltone.desk.designs.design_list import DesignList
from belltone.desk.help.terms import set_term
from belltone.desk.look import label_font, tell
from belltone.desk.pictures import write_image
from belltone.desk.session.answer import Answer
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.exchange.compare_tables import among_table, match_table
from belltone.exchange.handed_tables import write_tables
from belltone.exchange.sweep_tables import DesignTable

__all__ = ["CompareView"]

_FRAME_MS: Final = 33
_PRESENT, _BEFORE, _BARE, _EVERY, _FILE = "present", "before", "bare", "every", "file"
_FIRST_COLUMNS, _COLUMNS_EACH = 2, 3  # of the table of every variant
_MOST_LINES: Final = 4  # of what differs


class CompareView(QWidget):
    """A window of its own over the session."""

    def __init__(self, session: Session, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self._session, self._palette = session, palette
        self.found: Comparison | None = None
        self.several: Among | None = None
        self._units = session.design.shown
        self.setWindowTitle("Designs held against each other · Bell Tone")
        set_term(self, "modal assurance")
        self.resize(1240, 780)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 10)
        column.addLayout(self._choice())
        self.words = QLabel()
        self.words.setFont(label_font(9))
        self.words.setWordWrap(True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(self.words)
        self.list = DesignList()
        self.list.setAccessibleName("Modes matched")
        self.list.verticalHeader().hide()
        self.list.row_chosen.connect(self._choose_row)
        self.list.clicked.connect(self._choose_variant)
        self.matrix = MatchMatrix(palette)
        self.matrix.cell_chosen.connect(self._show_pair)
        self.views = [SideView(session.design, session.answer, palette) for _ in range(2)]
        for view in self.views:
            view.canvas.amplitude = 0.6
            view.canvas.moved.connect(lambda moved=view: self._follow_camera(moved))
        self.views[1].canvas.share_camera(self.views[0].canvas)
        left = QSplitter(Qt.Orientation.Vertical)
        left.addWidget(self.list)
        left.addWidget(self.matrix)
        left.setSizes([340, 300])
        right = QSplitter(Qt.Orientation.Vertical)
        for view in self.views:
            right.addWidget(view)
        both = QSplitter(Qt.Orientation.Horizontal)
        both.addWidget(left)
        both.addWidget(right)
        both.setSizes([770, 450])
        for splitter in (left, right, both):
            splitter.setChildrenCollapsible(False)
            splitter.setHandleWidth(8)
        column.addWidget(both, 1)
        column.addLayout(self._acts())
        self._phase, self._then = math.pi / 2, time.monotonic()
        self._clock = QTimer(self, interval=_FRAME_MS)
        self._clock.timeout.connect(self._tick)
        for signal in (session.answer_changed, session.choice_changed, session.variants.changed):
            signal.connect(self.refresh)
        session.sheet_changed.connect(self.refresh)
        self._fill()
        self._choose_first()

    # -- building -------------------------------------------------------------------------------

    def _choice(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.first, self.second = QComboBox(), QComboBox()
        for box, name in ((self.first, "first design"), (self.second, "second design")):
            box.setAccessibleName(name)
            box.setMinimumWidth(250)
            box.activated.connect(lambda _=0, box=box: self._chosen(box))
        swap = QPushButton("⇄")
        swap.setToolTip("Change both round")
        swap.setAccessibleName("change both round")
        swap.clicked.connect(self.swap)
        for widget in (QLabel("From"), self.first, swap, QLabel("to"), self.second):
            row.addWidget(widget)
        row.addStretch(1)
        return row

    def _acts(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.play = QToolButton()
        self.play.setText("▶")
        self.play.setCheckable(True)
        self.play.setProperty("plain", True)
        self.play.setToolTip("Play or pause the motion of both")
        self.play.clicked.connect(self.set_playing)
        row.addWidget(self.play)
        for direction in ("x", "y", "z", "corner"):
            way = QToolButton()
            way.setText("slant" if direction == "corner" else direction)
            way.setProperty("plain", True)
            way.clicked.connect(lambda _=False, along=direction: self.views[0].canvas.look(along))
            row.addWidget(way)
        row.addStretch(1)
        for text, tip, act in (
            ("Copy", "Copy the table, parted by tabs (Ctrl+C)", self._copy),
            ("Write…", "Write the table as a workbook or CSV", self._ask_write),
            ("Write the matrix…", "Write the matrix as a picture", self._ask_picture),
        ):
            button = QPushButton(text)
            button.setToolTip(tip)
            button.clicked.connect(act)
            row.addWidget(button)
        return row

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self.matrix.set_palette(palette)
        for view in self.views:
            view.canvas.set_palette(palette)

    # -- what can be compared -------------------------------------------------------------------

    def _choices(self) -> list[tuple[str, str]]:
        session = self._session
        found = [(_PRESENT, "the sheet as it stands")]
        if session.before is not None:
            found.append((_BEFORE, "the sheet before the last edit"))
        if session.sheet.content.preload is not None:
            found.append((_BARE, "the sheet without preload"))
        found += [(f"variant {each.name}", f"“{each.name}”") for each in session.variants.listed]
        if session.variants.file is not None:
            found.append((_FILE, session.variants.file[0]))
        return found

    def _fill(self) -> None:
        """Offer what there is now, and keep what is chosen where it is still there."""
        choices = self._choices()
        for box, more in ((self.first, []), (self.second, self._every())):
            wanted = box.currentData()
            entries = [*choices, *more, ("open", "a sheet in a file…")]
            if [box.itemData(at) for at in range(box.count())] != [key for key, _ in entries] or [
                box.itemText(at) for at in range(box.count())
            ] != [words for _, words in entries]:
                box.clear()
                for key, words in entries:
                    box.addItem(words, key)
                at = box.findData(wanted)
                box.setCurrentIndex(max(at, 0))

    def _every(self) -> list[tuple[str, str]]:
        many = len(self._session.variants.listed) > 1
        return [(_EVERY, "every variant, side by side")] if many else []

    def _choose_first(self) -> None:
        """Begin with what is most likely asked: a variant against the sheet, else its last edit."""
        keys = [key for key, _ in self._choices()]
        other = next((key for key in keys if key.startswith("variant")), None)
        for key in (other, _BARE, _BEFORE):
            if key in keys:
                self.choose(key, _PRESENT)
                return
        self.refresh()

    def choose(self, first: str, second: str) -> None:
        """Hold two of the choices against each other, by their keys."""
        for box, key in ((self.first, first), (self.second, second)):
            box.setCurrentIndex(max(box.findData(key), 0))
        self.refresh()

    def compare_variant(self, name: str) -> None:
        """Hold a variant against the sheet as it stands; with no name leave the choice."""
        self._fill()
        if name:
            self.choose(f"variant {name}", _PRESENT)
        elif self.first.currentData() == self.second.currentData():
            self._choose_first()

    def swap(self) -> None:
        """Change both round."""
        first, second = self.first.currentData(), self.second.currentData()
        if second != _EVERY:
            self.choose(second, first)

    def _chosen(self, box: QComboBox) -> None:
        if box.currentData() == "open":
            name, _ = QFileDialog.getOpenFileName(self, "A sheet to compare", "", "Sheets (*.toml)")
            wrong = self._session.variants.take_file(Path(name)) if name else "no file chosen"
            self._fill()
            box.setCurrentIndex(max(box.findData(_FILE), 0))
            if name and wrong:
                QMessageBox.warning(self, "The sheet cannot be compared", wrong)
        self.refresh()

    def _answer(self, key: str) -> tuple[str, Answer | None]:
        """What one of the choices is called in words, and its answer where it is known."""
        session = self._session
        if key == _PRESENT:
            return "the sheet", session.answer
        if key == _BEFORE:
            return "before the edit", session.before
        if key == _BARE:
            return "without preload", session.bare
        if key == _FILE:
            name, _ = session.variants.file or ("", None)
            return name, session.variants.file_answer
        name = key.removeprefix("variant ")
        return name, session.variants.answer(name)

    # -- showing --------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Compare what is chosen, as far as it is solved."""
        if self._session.turning is not None or (not self.isVisible() and self.found is not None):
            return  # what a hand is turning is compared when it rests
        self._fill()
        keys = self.first.currentData(), self.second.currentData()
        if keys[1] == _EVERY:
            self._show_every(keys[0])
            return
        self.several = None
        (one, first), (two, second) = (self._answer(key) for key in keys)
        if first is None or second is None:
            lacking = one if first is None else two
            why = self._session.variants.failure(lacking)
            self._show_none(
                f"“{lacking}” has no modes: {why}" if why else f"“{lacking}” is being solved …"
            )
            return
        if one == two:
            two = f"{two}, again"
        named = [(one, first), (two, second)]
        together = self._session.compared.several(named)
        if together is None:
            why = self._session.compared.failure(named)
            self._show_none(why or "modes are being matched …")
            return
        (found,) = together.comparisons
        if found is self.found and self._units == self._session.design.shown:
            return
        lines = [each.words for each in differences(first.sheet, second.sheet)]
        more = len(lines) - _MOST_LINES
        text = "; ".join(lines[:_MOST_LINES]) + (f"; and {more} more" if more > 0 else "")
        tell(self.words, f"What differs: {text or 'nothing in the sheet'}.", "muted")
        self.words.setToolTip("\n".join(lines))
        self.found, self._answers = found, (first, second)
        self._show_list()
        self.matrix.show_comparison(found, self._units)
        self._choose_row(self._first_row(found))
        self.views[0].canvas.fit()

    def _first_row(self, found: Comparison) -> int:
        """The row of the mode chosen in the main window, else the first."""
        mode = self._session.chosen_mode
        for at, entry in enumerate(found.entries):
            if mode is not None and mode.number in [each.number_after for each in entry]:
                return at
        return 0

    def _show_none(self, text: str) -> None:
        self.found = self.several = None
        tell(self.words, text, "muted")
        self._show_list()
        self.matrix.show_comparison(None)

    def _show_list(self) -> None:
        self._units = self._session.design.shown
        self.list.show_table(self._table(), (), self._palette)

    def _show_every(self, first: str) -> None:
        """Every variant beside the first choice."""
        name, answer = self._answer(first)
        listed = [each.name for each in self._session.variants.listed if each.name != name]
        variants = self._session.variants
        answers = ((own, variants.answer(own)) for own in listed)
        known = [(own, found) for own, found in answers if found is not None]
        if answer is None or not known:
            self._show_none("the variants are being solved …")
            return
        together = self._session.compared.several([(name, answer), *known])
        if together is None:
            self._show_none("modes are being matched …")
            return
        if together is self.several and self._units == self._session.design.shown:
            return
        self.several = together
        waiting = len(listed) - len(known)
        text = f"{len(known)} variants beside {name}, each mode recognised by its shape"
        tell(self.words, text + (f"; {waiting} still being solved" if waiting else "."), "muted")
        self._show_list()
        self._all_answers = [answer, *(found for _, found in known)]
        self._look_at(0)
        self._choose_row(0)

    def _look_at(self, number: int) -> None:
        """Of several variants, show the shapes and the matrix of one."""
        assert self.several is not None
        self.found = self.several.comparisons[number]
        self._answers = self._all_answers[0], self._all_answers[number + 1]
        self.matrix.show_comparison(self.found, self._units)

    def _choose_variant(self, cell: QModelIndex) -> None:
        """A click in a variant's columns shows that variant."""
        if self.several is None or cell.column() < _FIRST_COLUMNS:
            return
        number = (cell.column() - _FIRST_COLUMNS) // _COLUMNS_EACH
        if number < len(self.several.comparisons):
            self._look_at(number)
            self._choose_row(self.list.chosen[0] if self.list.chosen else 0)

    def _choose_row(self, row: int) -> None:
        """Show the shapes of a row of the table."""
        if self.found is None:
            return
        if self.several is not None:
            entries = self.several.entries
            number = entries[row][0].number if row < len(entries) else None
            match = None if number is None else self.found.partner(number)
        else:
            match = self.found.entries[row][0] if row < len(self.found.entries) else None
        if match is None:
            return  # what only others have is shown where these are looked at
        first, second = self.found.first.modes, self.found.second.modes
        one = None if match.number is None else match.number - first.skipped - 1
        two = None if match.number_after is None else match.number_after - second.skipped - 1
        self._show(one, two, match.reason)
        self.matrix.choose(one, two)
        if self.list.chosen != [row]:
            self.list.choose(row)

    def _show_pair(self, row: int, column: int) -> None:
        """Show the shapes of a cell of the matrix, partners or not."""
        self._show(row, column, "")

    def _show(self, one: int | None, two: int | None, reason: str) -> None:
        if self.found is None:
            return
        sides = zip(
            self.views,
            (self.found.first, self.found.second),
            self._answers,
            (one, two),
            strict=True,
        )
        for view, side, answer, place in sides:
            view.show_side(side, answer, place, reason, self._session.design.shown)
        self._pose()

    # -- moving ---------------------------------------------------------------------------------

    @property
    def playing(self) -> bool:
        """Whether the shapes move."""
        return self._clock.isActive()

    def set_playing(self, playing: bool) -> None:
        """Let both shapes move, or hold them where they are."""
        self.play.setChecked(playing)
        self.play.setText("❚❚" if playing else "▶")
        self._then = time.monotonic()
        self._clock.start() if playing else self._clock.stop()

    def _tick(self) -> None:
        now = time.monotonic()
        self._phase = (self._phase + 2 * math.pi * (now - self._then)) % (2 * math.pi)
        self._then = now
        self._pose()

    def _pose(self) -> None:
        for view in self.views:
            view.canvas.set_swing(math.sin(self._phase), math.cos(self._phase))

    def _follow_camera(self, moved: SideView) -> None:
        for view in self.views:
            if view is not moved:
                view.canvas.follow()

    # -- handing on -----------------------------------------------------------------------------

    def _table(self) -> DesignTable | None:
        units = self._session.design.shown
        if self.several is not None:
            return among_table(self.several).shown(units)
        return None if self.found is None else match_table(self.found).shown(units)

    def _copy(self) -> None:
        QGuiApplication.clipboard().setText(self.list.copied())

    def write_table(self, path: Path) -> None:
        """Write the rows in their order, as CSV or a workbook; raises ``OSError``."""
        table = self._table()
        assert table is not None
        rows = tuple(table.rows[row] for row in self.list.rows)
        write_tables({"modes compared": DesignTable(table.columns, rows)}, path)

    def _ask_write(self) -> None:
        kinds = "Workbooks (*.xlsx);;CSV (*.csv)"
        self._ask("Write the table", "compared.xlsx", kinds, self.write_table)

    def write_picture(self, path: Path) -> None:
        """Write the matrix as a PNG; raises ``OSError``."""
        write_image(self.matrix.picture(), path)

    def _ask_picture(self) -> None:
        self._ask("Write the matrix", "assurance.png", "Pictures (*.png)", self.write_picture)

    def _ask(self, title: str, name: str, kinds: str, write: Callable[[Path], None]) -> None:
        if self._table() is not None:
            ask_write(self, title, name, kinds, write)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def closeEvent(self, event: QCloseEvent) -> None:
        self.set_playing(False)
        super().closeEvent(event)

    def finish(self) -> None:
        """Stop drawing for good."""
        self._clock.stop()
        for view in self.views:
            view.finish()
