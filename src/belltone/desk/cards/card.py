"""A card: a title and sentences of live words, shut to one; rebuilt when they change shape."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import cast

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QEnterEvent, QMouseEvent
from PySide6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.cards.fold import FoldButton
from belltone.desk.cards.name_word import NameWord
from belltone.desk.fields import ChoiceWord, LiveNumber, word_label
from belltone.desk.flow import FlowLayout
from belltone.desk.look import label_font, restyle, sentence_font, unparted
from belltone.desk.session.session import Session
from belltone.sheet.errors import Path
from belltone.sheet.renaming import renamed_everywhere

__all__ = ["Act", "Acts", "Card", "Choice", "Name", "Number", "Piece", "Sentence"]


@dataclass(frozen=True)
class Number:
    """A live number of a sentence."""

    path: Path
    label: str = ""


@dataclass(frozen=True)
class Name:
    """A name that is typed over where it stands; ``text`` stands there while it has none."""

    path: Path
    text: str


@dataclass(frozen=True)
class Choice:
    """A live word with options; each option names itself and what choosing it does.

    ``site`` is the place the word speaks of, which the picture then marks.
    """

    text: str
    options: tuple[tuple[str, Callable[[], object]], ...] = field(compare=False)
    label: str = ""
    site: str = ""


@dataclass(frozen=True)
class Act:
    """A small link, such as “take away”; ``label`` says it in full."""

    text: str
    do: Callable[[], object] = field(compare=False)
    label: str = ""


@dataclass(frozen=True)
class Acts:
    """What can be done with the thing a sentence speaks of, in words on a row below it."""

    acts: tuple[Act | Choice, ...]


Piece = str | Number | Name | Choice | Act | Acts
Sentence = Sequence[Piece]


class Card(QFrame):
    """One card of the design sheet. Subclasses say their sentences; the card shows them.

    Shut, it shows its summary: one sentence, whose numbers are as live as the others.
    """

    title = ""
    folded = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setProperty("card", True)
        self.setAccessibleName(self.title)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(10, 5, 12, 7)
        self._column.setSpacing(3)
        self.head = FoldButton(self.title)
        self.head.clicked.connect(self._turn_over)
        top = QHBoxLayout()
        top.setSpacing(8)
        top.addWidget(self.head)
        top.addStretch(1)
        for act in self.adders():
            if isinstance(act, Choice):
                top.addWidget(_choice(act, 8.5))
            else:
                top.addWidget(_link(act, 8.5, self._open_first))
        self._column.addLayout(top)
        self._open = False
        self._shape: list[tuple[object, ...]] = []
        self._bodies: list[_Body] = []
        self._problem = QLabel()
        self._problem.setProperty("role", "alarm")
        self._problem.setFont(label_font(8.5))
        self._problem.setWordWrap(True)
        self._problem.hide()
        self._column.addWidget(self._problem)
        session.sheet_changed.connect(self.refresh)
        cast(QApplication, QApplication.instance()).focusChanged.connect(self._follow_keyboard)
        self.refresh()

    def _follow_keyboard(self, left: QWidget | None, entered: QWidget | None) -> None:
        """The picture marks the site of the sentence the keyboard is in."""
        for widget, here in ((left, False), (entered, True)):
            for body in self._bodies:
                if widget is not None and body.isAncestorOf(widget):
                    body.point(here)

    def sentences(self) -> list[Sentence]:
        """What the card says of the sheet as it stands."""
        raise NotImplementedError

    def summary(self) -> Sentence:
        """What the card says while it is shut; the first of its sentences unless told."""
        return [piece for piece in self.sentences()[0] if not isinstance(piece, Acts)]

    def clip_paths(self) -> list[Path]:
        """What of the sheet this card speaks of, to be copied as text."""
        return []

    def adders(self) -> list[Act | Choice]:
        """What can be added to this card; shown beside its title."""
        return []

    # -- open and shut --------------------------------------------------------------------------

    @property
    def is_open(self) -> bool:
        """Whether all sentences are shown."""
        return self._open

    def set_open(self, opened: bool) -> None:
        """Open the card in its place, or shut it; one with a value nobody can use stays open."""
        held = self._open and any(number.problem for number in self.numbers())
        if opened == self._open or held:
            self.head.show_open(self._open)
            return
        self._open = opened
        self.head.show_open(opened)
        for number in self.numbers():
            number.commit()
        self.refresh()
        self.folded.emit()

    def _turn_over(self) -> None:
        self.set_open(not self._open)

    def _open_first(self) -> None:
        self.set_open(True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """A click on the words of a shut card opens it."""
        if event.button() == Qt.MouseButton.LeftButton and not self._open:
            self.set_open(True)
        super().mouseReleaseEvent(event)

    # -- showing --------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Follow the sheet: rebuild if the sentences changed shape, else only their numbers."""
        sentences = self.sentences() if self._open else [self.summary()]
        shape: list[tuple[object, ...]] = [tuple(sentence) for sentence in sentences]
        shape.append((self.session.opened, self._open))
        if shape != self._shape:
            self._shape = shape
            self._rebuild(sentences)
        for number in self.numbers():
            number.refresh()
        self._show_problem()

    def numbers(self) -> list[LiveNumber]:
        """The live numbers of the card, in order."""
        return [number for body in self._bodies for number in body.findChildren(LiveNumber)]

    def _rebuild(self, sentences: Sequence[Sentence]) -> None:
        focused = QApplication.focusWidget()
        inside = focused is not None and self.isAncestorOf(focused)
        name = focused.objectName() if focused is not None and inside else ""
        # What is being typed goes on in the field that takes the place of its own.
        old = self._words()
        typed = {word.objectName(): word.typing for word in old if word.typing}
        for word in old:
            word.retire()
        for body in self._bodies:
            self._column.removeWidget(body)
            body.hide()
            body.deleteLater()
        self._bodies = [_Body(self.session, sentence, self.type_number) for sentence in sentences]
        for place, body in enumerate(self._bodies, start=1):
            self._column.insertWidget(place, body)
        for number in self.numbers():
            number.problem_changed.connect(self._show_problem)
            number.take_up()
            if name and number.objectName() == name:
                number.setFocus()
        for word in self._words():
            if word.objectName() in typed:
                word.type_on(*typed[word.objectName()])

    def _words(self) -> list[LiveNumber | NameWord]:
        """Everything that can be typed into."""
        return [
            word
            for body in self._bodies
            for word in body.findChildren(QLineEdit)
            if isinstance(word, LiveNumber | NameWord)
        ]

    def _show_problem(self) -> None:
        problems = [number.problem for number in self.numbers() if number.problem]
        self._problem.setText("\n".join(problems))
        self._problem.setVisible(bool(problems))

    def type_at(self, path: Path) -> None:
        """Have the keyboard at the name of an entry, or at its first number, to be typed over."""
        self.set_open(True)
        for body in self._bodies:
            for word in body.findChildren(NameWord):
                if word.objectName() == "/".join(str(step) for step in (*path, "name")):
                    word.begin()
                    return
        self.type_number(path)

    def type_number(self, path: Path) -> None:
        """Have the keyboard at the first number of an entry."""
        for number in self.numbers():
            if number.path[: len(path)] == path:
                number.setFocus()
                return

    # -- found from elsewhere -------------------------------------------------------------------

    def speaks_of(self, site: str) -> bool:
        """Whether a sentence of this card is about a site."""
        return any(site in sites_of(sentence) for sentence in self.sentences())

    def has_value(self, path: Path) -> bool:
        """Whether a live number of this card is the value at a path."""
        return any(path in _paths(sentence) for sentence in self.sentences())

    def mark(self, site: str = "", path: Path = ()) -> QWidget | None:
        """Open the card and mark the sentence about a site or with a value; returns it."""
        self.set_open(True)
        found = None
        for sentence, body in zip(self.sentences(), self._bodies, strict=True):
            sought = (bool(site) and site in sites_of(sentence)) or path in _paths(sentence)
            body.mark(sought and found is None)
            if sought and found is None:
                found = body
        for number in self.numbers():
            if path and number.path == path:
                number.setFocus()
        return found

    def unmark(self) -> None:
        """No sentence is marked any more."""
        for body in self._bodies:
            body.mark(False)


class _Body(QWidget):
    """One sentence; while the mouse or the keyboard is in it the picture marks its site."""

    def __init__(self, session: Session, sentence: Sentence, go_on: Callable[[Path], None]) -> None:
        super().__init__()
        self._session = session
        self._sites = sites_of(sentence)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground, True)
        flow = FlowLayout(self)
        for piece in sentence:
            if isinstance(piece, str):
                for word in filter(None, unparted(piece).split(" ")):
                    flow.addWidget(word_label(word.replace("\u00a0", " ")))
            elif isinstance(piece, Number):
                flow.addWidget(LiveNumber(session, piece.path, piece.label))
            elif isinstance(piece, Name):
                flow.addWidget(_name(session, piece, go_on))
            elif isinstance(piece, Acts):
                for place, act in enumerate(piece.acts):
                    link = _choice(act, 8.5) if isinstance(act, Choice) else _link(act, 8.5)
                    link.setProperty("row", place == 0)
                    flow.addWidget(link)
            else:
                flow.addWidget(_choice(piece) if isinstance(piece, Choice) else _link(piece))
        policy = self.sizePolicy()
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def mark(self, marked: bool) -> None:
        """Whether the sentence is marked as the one that was looked for."""
        if bool(self.property("found")) != marked:
            self.setProperty("found", marked)
            restyle(self)

    def point(self, here: bool) -> None:
        """Have the picture mark the site, or no more."""
        if self._sites:
            self._session.pointing.point_at(self._sites[0] if here else "")

    def enterEvent(self, event: QEnterEvent) -> None:
        self.point(True)
        super().enterEvent(event)

    def leaveEvent(self, event: QEvent) -> None:
        self.point(False)
        super().leaveEvent(event)


def sites_of(sentence: Sentence) -> tuple[str, ...]:
    """The sites a sentence speaks of."""
    return tuple(p.site for p in sentence if isinstance(p, Choice) and p.site)


def _paths(sentence: Sentence) -> Iterator[Path]:
    return (piece.path for piece in sentence if isinstance(piece, Number))


def _name(session: Session, piece: Name, go_on: Callable[[Path], None]) -> NameWord:
    def rename(fresh: str) -> None:
        label = f"name “{fresh}”"
        problem = session.edit(label, lambda s: renamed_everywhere(s, piece.path, fresh))
        if problem is not None:
            session.told.emit(problem)

    word = NameWord(piece.text, rename, lambda: go_on(piece.path))
    word.setObjectName("/".join(str(step) for step in (*piece.path, "name")))
    word.setToolTip("Double click or F2 to rename it")
    return word


def _choice(choice: Choice, size: float = 0.0) -> ChoiceWord:
    return ChoiceWord(choice.text, choice.options, choice.label, size)


def _link(act: Act, size: float = 9.0, first: Callable[[], object] | None = None) -> QToolButton:
    button = QToolButton()
    button.setProperty("live", True)
    font = sentence_font(size)
    font.setItalic(True)
    button.setFont(font)
    button.setText(act.text)
    button.setAccessibleName(act.label or act.text)
    button.setToolTip(act.label or act.text)
    button.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    if first is not None:
        button.clicked.connect(lambda: first())
    button.clicked.connect(lambda: act.do())
    return button
