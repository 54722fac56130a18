"""The column of the design sheet: its cards in the order of work, and the knobs below them."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QGuiApplication, QResizeEvent
from PySide6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.cards.card import Card
from belltone.desk.cards.component_cards import ComponentCard, MaterialCard, WantedCard
from belltone.desk.cards.excitation_card import ExcitationCard
from belltone.desk.cards.joined_card import JoinedCard
from belltone.desk.cards.knobs_card import KnobsCard
from belltone.desk.cards.notes_card import NotesCard
from belltone.desk.cards.parts_card import PartsCard
from belltone.desk.cards.preload_card import PreloadCard
from belltone.desk.cards.site_cards import HeldCard, HungCard
from belltone.desk.cards.targets_card import TargetsCard
from belltone.desk.cards.text_pane import TextPane
from belltone.desk.help.terms import set_term
from belltone.desk.look import label_font
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.sheet.clips import clip_of, with_clip
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path

__all__ = ["SheetColumn"]

_LEAST_WIDTH: Final = 300
_KNOBS_SHARE: Final = 0.42  # of the column's height, at most, until a hand says otherwise


class SheetColumn(QWidget):
    """All cards; one is open at a time, or all are."""

    text_turned = Signal(bool)

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session = session
        self._all = False
        self._following = False
        self.parts = PartsCard(session)
        self.component, self.material = ComponentCard(session), MaterialCard(session)
        self.joined, self.held, self.hung = (
            JoinedCard(session),
            HeldCard(session),
            HungCard(session),
        )
        self.preload, self.excitation = PreloadCard(session), ExcitationCard(session)
        self.targets, self.wanted = TargetsCard(session), WantedCard(session)
        self.wanted.target_asked.connect(self.targets.add_target)
        self.notes = NotesCard(session)
        for card, term in (
            (self.component, "component"),
            (self.material, "material"),
            (self.joined, "joint"),
            (self.held, "support"),
            (self.hung, "hung on it"),
            (self.preload, "preload"),
            (self.excitation, "excitation"),
            (self.targets, "target"),
            (self.wanted, "accuracy"),
            (self.parts, "part"),
        ):
            set_term(card, term)
        set_term(self, "sheet")
        self.knobs = KnobsCard(session, palette)
        set_term(self.knobs, "knob")
        self.cards: tuple[Card, ...] = (
            self.component,
            self.material,
            self.joined,
            self.held,
            self.hung,
            self.preload,
            self.excitation,
            self.targets,
            self.wanted,
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 8)
        column.setSpacing(0)
        column.addLayout(self._head())
        self._split = QSplitter(Qt.Orientation.Vertical)
        self._split.setChildrenCollapsible(False)
        self._split.setHandleWidth(7)
        self._scroll = self._cards_area()
        self.text = TextPane(session, palette)
        self._faces = QStackedWidget()
        self._faces.addWidget(self._scroll)
        self._faces.addWidget(self.text)
        self._split.addWidget(self._faces)
        pinned = QWidget()
        below = QVBoxLayout(pinned)
        below.setContentsMargins(8, 0, 13, 0)
        below.addWidget(self.knobs)
        self._split.addWidget(pinned)
        self._split.setStretchFactor(0, 1)
        self._split.splitterMoved.connect(self._moved)
        self._by_hand = False
        column.addWidget(self._split, 1)
        for card in self.cards:
            card.folded.connect(lambda card=card: self._folded(card))
        session.pointing.site_sought.connect(self.show_site)
        session.pointing.value_sought.connect(self.show_value)
        session.sheet_changed.connect(self._share)

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(16, 6, 13, 0)
        title = QLabel("The sheet")
        title.setFont(label_font(9.5, bold=True))
        row.addWidget(title, 1)
        self.all_button = QToolButton()
        self.text_button = QToolButton()
        for button, text, tip in (
            (self.all_button, "open all", "Open every card, or one at a time"),
            (self.text_button, "as text", "The sheet as text, beside its cards (F4)"),
        ):
            button.setText(text)
            button.setToolTip(tip)
            button.setProperty("plain", True)
            button.setFont(label_font(8.5))
            button.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            row.addWidget(button)
        self.all_button.clicked.connect(lambda: self.set_all_open(not self._all))
        self.text_button.clicked.connect(self.turn_text)
        return row

    def _cards_area(self) -> QScrollArea:
        sheet = QWidget()
        self._sheet = column = QVBoxLayout(sheet)
        column.setContentsMargins(8, 6, 4, 4)
        column.setSpacing(6)
        for each in (self.notes, self.parts, *self.cards):
            column.addWidget(each)
        column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidget(sheet)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setMinimumWidth(_LEAST_WIDTH)
        scroll.setAccessibleName("Design sheet")
        return scroll

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self.knobs.set_palette(palette)
        self.text.set_palette(palette)

    def turn_text(self) -> None:
        """Show the sheet as text, or as cards again."""
        as_text = self._faces.currentWidget() is self._scroll
        self._faces.setCurrentWidget(self.text if as_text else self._scroll)
        self.text_button.setText("as cards" if as_text else "as text")
        self.all_button.setVisible(not as_text)
        if as_text:
            self.text.editor.setFocus()
        self.text_turned.emit(as_text)

    # -- pieces as text -------------------------------------------------------------------------

    def copy_card(self) -> None:
        """Put what the card in hand says on the clipboard, as text of a sheet."""
        focus = QApplication.focusWidget()
        held = [c for c in self.cards if focus is not None and c.isAncestorOf(focus)]
        card = (held or [c for c in self.cards if c.is_open] or [self.component])[0]
        paths = card.clip_paths()
        QGuiApplication.clipboard().setText(clip_of(self._session.sheet, paths))
        self._session.told.emit(f"“{card.title}” is on the clipboard as text of a sheet")

    def paste_cards(self) -> None:
        """Put what pieces of a sheet the clipboard holds into this one."""
        text = QGuiApplication.clipboard().text()
        notes: list[str] = []

        def change(sheet: Sheet) -> Sheet:
            pasted, told = with_clip(sheet, text)
            notes.extend(told)
            return pasted

        problem = self._session.edit("what was copied", change)
        self._session.told.emit(problem or "; ".join(["pasted", *notes]))

    # -- open and shut --------------------------------------------------------------------------

    @property
    def all_open(self) -> bool:
        """Whether every card is open, not one at a time."""
        return self._all

    def set_all_open(self, opened: bool) -> None:
        """Open every card, or shut all; then one is opened at a time."""
        self._all = opened
        self.all_button.setText("shut all" if opened else "open all")
        self._following = True
        for card in self.cards:
            card.set_open(opened)
        self._following = False

    def _folded(self, opened: Card) -> None:
        """One at a time: what was open is shut when another opens."""
        if self._following or self._all or not opened.is_open:
            return
        self._following = True
        for card in self.cards:
            if card is not opened:
                card.set_open(False)
        self._following = False

    # -- found from elsewhere -------------------------------------------------------------------

    def show_site(self, site: str) -> None:
        """Open the card that speaks of a site and mark its sentence; else that of its part."""
        place = self._session.design.places.get(site)
        part = "" if place is None else place.part.split(".")[0]
        for card in self.cards:
            if not card.isHidden() and card.speaks_of(site):
                self._mark(card, site=site)
                return
        if part in self._session.sheet.content.parts:
            self._session.parts.select([part])
            self._mark(self.component, site=site)

    def show_value(self, path: Path) -> None:
        """Open the card with a value, mark its sentence, and have it ready to be typed over."""
        if path[0] == "knobs":
            self.knobs.show_knob(str(path[1]))
            return
        if self._faces.currentWidget() is self.text:
            self.turn_text()
        if path[0] == "parts":
            self._session.parts.select([str(path[1])])
        for card in self.cards:
            if not card.isHidden() and card.has_value(path):
                self._mark(card, path=path)
                return

    def _mark(self, marked: Card, site: str = "", path: Path = ()) -> None:
        for card in self.cards:
            if card is not marked:
                card.unmark()
        self.show_card(marked.mark(site, path) or marked)

    def show_card(self, card: QWidget) -> None:
        """Scroll to a card, or to a sentence of one."""
        self._sheet.activate()
        self._scroll.ensureWidgetVisible(card, 0, 30)

    # -- room -----------------------------------------------------------------------------------

    def _moved(self) -> None:
        self._by_hand = True

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.LayoutRequest:  # rows came, went or got their type
            self._share()
        return super().event(event)

    def _share(self) -> None:
        """The knobs take what they need, up to their share, unless a hand has said otherwise."""
        whole = self._split.height()
        if self._by_hand or whole < 2:
            return
        wanted = min(self.knobs.wanted_height(), int(_KNOBS_SHARE * whole))
        rest = whole - wanted - self._split.handleWidth()
        if self._split.sizes() != [rest, wanted]:
            self._split.setSizes([rest, wanted])
