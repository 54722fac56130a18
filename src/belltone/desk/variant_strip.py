"""The strip of pinned designs: what differs, how heavy, how they stand; a click shows each one."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QMenu,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from belltone.compare.among import standing_words
from belltone.desk.elided import ElidedLabel
from belltone.desk.look import label_font, tell
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.exchange.tables import percent

__all__ = ["VariantStrip"]

_HEIGHT = 56
_WIDTH = 256


class VariantStrip(QWidget):
    """All variants in a row; it is there once one is pinned."""

    compare_asked = Signal(str)

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette = session, palette
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 2, 10, 3)
        row.setSpacing(8)
        self.pin = QPushButton("Pin")
        self.pin.setToolTip("Pin the design that is shown as a variant (F8)")
        self.pin.clicked.connect(session.variants.pin_shown)
        row.addWidget(self.pin)
        inner = QWidget()
        self._row = QHBoxLayout(inner)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(6)
        scroll = QScrollArea()
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setAccessibleName("Variants")
        row.addWidget(scroll, 1)
        self.all = QPushButton("Compare…")
        self.all.setToolTip("Hold designs against each other, every mode matched by shape (Ctrl+J)")
        self.all.clicked.connect(lambda: self.compare_asked.emit(""))
        row.addWidget(self.all)
        self.cards: dict[str, VariantCard] = {}
        self.setFixedHeight(_HEIGHT + 18)
        for signal in (session.variants.changed, session.sheet_changed, session.answer_changed):
            signal.connect(self.refresh)
        self.refresh()

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        for card in self.cards.values():
            card.set_palette(palette)

    def refresh(self) -> None:
        """Show what is pinned."""
        variants = self._session.variants
        names = [each.name for each in variants.listed]
        self.setVisible(bool(names))
        if list(self.cards) != names:
            for card in self.cards.values():
                self._row.removeWidget(card)
                card.hide()
                card.deleteLater()
            while self._row.count():
                self._row.takeAt(0)
            self.cards = {}
            for name in names:
                card = VariantCard(self._session, name, self._palette)
                card.compare_asked.connect(self.compare_asked)
                self.cards[name] = card
                self._row.addWidget(card)
            self._row.addStretch(1)
        for card in self.cards.values():
            card.refresh()


class VariantCard(QFrame):
    """One variant: click it for its ghost on the ruler, twice to return to it."""

    compare_asked = Signal(str)

    def __init__(self, session: Session, name: str, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette, self.name = session, palette, name
        self.setProperty("card", True)
        self.setFixedSize(QSize(_WIDTH, _HEIGHT))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"variant {name}")
        column = QVBoxLayout(self)
        column.setContentsMargins(9, 3, 9, 3)
        column.setSpacing(0)
        self.head, self.differs, self.stands = ElidedLabel(), ElidedLabel(), ElidedLabel()
        for label, size, bold in (
            (self.head, 9, True),
            (self.differs, 8, False),
            (self.stands, 8, False),
        ):
            label.setFont(label_font(size, bold=bold))
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            column.addWidget(label)
        self.refresh()

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self.refresh()

    def refresh(self) -> None:
        """Say what it is."""
        variants = self._session.variants
        own = next((each for each in variants.listed if each.name == self.name), None)
        if own is None:
            return
        mark = "  ·  now" if variants.is_shown(self.name) else ""
        self.head.setText(own.name + mark)
        differs = variants.differs(self.name)
        tell(self.differs, differs, "muted")
        side, failure = variants.side(self.name), variants.failure(self.name)
        if side is not None:
            words, least = standing_words(side)
            margin = "" if least is None else f", {'−' if least < 0 else ''}{percent(abs(least))}"
            mass = self._session.design.shown.mass_text(side.modes.mass)
            clear = words.startswith("all")
            role = "clear" if clear else ("muted" if least is None else "alarm")
            tell(self.stands, f"{mass} · {words}{margin}", role)
        elif failure:
            tell(self.stands, failure, "alarm")
        else:
            tell(self.stands, "being solved …", "muted")
        note = f"\n{own.note}" if own.note else ""
        self.setToolTip(
            f"{own.name}{note}\n{differs}\n{self.stands.text()}\n\n"
            "Click: its modes as hollow pegs on the ruler. Twice: return to it. "
            "Right-click: rename, note, compare, drop."
        )
        for label in (self.head, self.differs, self.stands):
            label.setToolTip("")  # that of all of it has their words, too
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        ghost = self._session.variants.ghost == self.name
        if not ghost and not self.hasFocus():
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colour = QColor(self._palette.live if self.hasFocus() else self._palette.muted)
        style = Qt.PenStyle.DashLine if ghost else Qt.PenStyle.SolidLine
        painter.setPen(QPen(colour, 1.6, style))
        painter.drawRoundedRect(self.rect().adjusted(1, 1, -2, -2), 4, 4)
        painter.end()

    # -- hands ----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.setFocus()
            self._session.variants.show_ghost(self.name)
        elif event.button() == Qt.MouseButton.RightButton:
            self._ask(event.globalPosition().toPoint())

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self.go_back()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        acts: dict[Qt.Key, Callable[[], object]] = {
            Qt.Key.Key_Space: lambda: self._session.variants.show_ghost(self.name),
            Qt.Key.Key_Return: self.go_back,
            Qt.Key.Key_Enter: self.go_back,
            Qt.Key.Key_Delete: self.drop,
            Qt.Key.Key_F2: self.ask_name,
            Qt.Key.Key_Menu: lambda: self._ask(self.mapToGlobal(self.rect().bottomLeft())),
            Qt.Key.Key_Left: lambda: self.focusPreviousChild(),
            Qt.Key.Key_Right: lambda: self.focusNextChild(),
        }
        if key in acts:
            acts[key]()
        else:
            event.ignore()

    def menu(self) -> QMenu:
        """What can be done with it."""
        menu = QMenu(self)
        variants = self._session.variants
        for words, act in (
            ("Return to it", self.go_back),
            ("Compare it with what is shown…", lambda: self.compare_asked.emit(self.name)),
            ("Rename…", self.ask_name),
            ("Note…", self.ask_note),
            ("Move left", lambda: self._told(variants.move(self.name, -1))),
            ("Move right", lambda: self._told(variants.move(self.name, 1))),
            ("Drop", self.drop),
        ):
            menu.addAction(words).triggered.connect(lambda _=False, act=act: act())
        return menu

    def _ask(self, place: QPoint) -> None:
        menu = self.menu()
        menu.exec(place)
        menu.deleteLater()

    def go_back(self) -> None:
        """Make it the sheet; that is a step which can be undone."""
        self._told(self._session.variants.go_back_to(self.name))

    def drop(self) -> None:
        """Drop it; what it was is told, so that it can be pinned again from the history."""
        name = self.name
        self._told(self._session.variants.drop(name) or f"dropped “{name}”")

    def ask_name(self) -> None:
        """Ask for another name."""
        name, wanted = QInputDialog.getText(self, "Rename", "Name of the variant", text=self.name)
        if wanted:
            self._told(self._session.variants.rename(self.name, name))

    def ask_note(self) -> None:
        """Ask for a note."""
        own = next(each for each in self._session.variants.listed if each.name == self.name)
        note, wanted = QInputDialog.getText(
            self, "Note", f"What to note about “{self.name}”", text=own.note
        )
        if wanted:
            self._told(self._session.variants.rename(self.name, self.name, note))

    def _told(self, words: str) -> None:
        if words:
            self._session.told.emit(words)
