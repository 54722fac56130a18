"""A card: a title and sentences of live words; rebuilt only when its sentences change shape."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from belltone.desk.fields import ChoiceWord, FlowLayout, LiveNumber, word_label
from belltone.desk.look import label_font, sentence_font
from belltone.desk.session.session import Session
from belltone.sheet.errors import Path

__all__ = ["Act", "Card", "Choice", "Number", "Sentence"]


@dataclass(frozen=True)
class Number:
    """A live number of a sentence."""

    path: Path
    label: str = ""


@dataclass(frozen=True)
class Choice:
    """A live word with options; each option names itself and what choosing it does."""

    text: str
    options: tuple[tuple[str, Callable[[], object]], ...] = field(compare=False)
    label: str = ""


@dataclass(frozen=True)
class Act:
    """A small link at the end of a sentence, such as "remove"."""

    text: str
    do: Callable[[], object] = field(compare=False)
    label: str = ""


Sentence = Sequence[str | Number | Choice | Act]


class Card(QFrame):
    """One card of the design sheet. Subclasses say their sentences; the card shows them."""

    title = ""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setProperty("card", True)
        self.setAccessibleName(self.title)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(12, 7, 12, 8)
        self._column.setSpacing(3)
        heading = QLabel(self.title.upper())
        heading.setProperty("role", "title")
        heading.setFont(label_font(7.5, bold=True))
        top = QHBoxLayout()
        top.setSpacing(8)
        top.addWidget(heading)
        top.addStretch(1)
        for act in self.adders():
            top.addWidget(_link(act, 8.5))
        self._column.addLayout(top)
        self._shape: list[tuple[object, ...]] = []
        self._bodies: list[QWidget] = []
        self._problem = QLabel()
        self._problem.setProperty("role", "alarm")
        self._problem.setFont(label_font(8.5))
        self._problem.setWordWrap(True)
        self._problem.hide()
        self._column.addWidget(self._problem)
        session.sheet_changed.connect(self.refresh)
        self.refresh()

    def sentences(self) -> list[Sentence]:
        """What the card says of the sheet as it stands."""
        raise NotImplementedError

    def adders(self) -> list[Act]:
        """What can be added to this card; shown beside its title."""
        return []

    def refresh(self) -> None:
        """Follow the sheet: rebuild if the sentences changed shape, else only their numbers."""
        sentences = self.sentences()
        shape: list[tuple[object, ...]] = [tuple(sentence) for sentence in sentences]
        shape.append((self.session.opened,))
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
        focused = self.focusWidget()
        name = focused.objectName() if focused is not None else ""
        for number in self.numbers():
            number.retire()
        for body in self._bodies:
            self._column.removeWidget(body)
            body.hide()
            body.deleteLater()
        self._bodies = [self._body(sentence) for sentence in sentences]
        for place, body in enumerate(self._bodies, start=1):
            self._column.insertWidget(place, body)
        for number in self.numbers():
            number.take_up()
            if name and number.objectName() == name:
                number.setFocus()

    def _body(self, sentence: Sentence) -> QWidget:
        body = QWidget()
        flow = FlowLayout(body)
        for piece in sentence:
            if isinstance(piece, str):
                for word in piece.split():
                    flow.addWidget(word_label(word))
            elif isinstance(piece, Number):
                number = LiveNumber(self.session, piece.path, piece.label)
                number.problem_changed.connect(self._show_problem)
                flow.addWidget(number)
            elif isinstance(piece, Choice):
                flow.addWidget(ChoiceWord(piece.text, piece.options, piece.label))
            else:
                flow.addWidget(_link(piece))
        policy = body.sizePolicy()
        policy.setHeightForWidth(True)
        body.setSizePolicy(policy)
        return body

    def _show_problem(self) -> None:
        problems = [number.problem for number in self.numbers() if number.problem]
        self._problem.setText("\n".join(problems))
        self._problem.setVisible(bool(problems))


def _link(act: Act, size: float = 9.0) -> QToolButton:
    button = QToolButton()
    button.setProperty("live", True)
    font = sentence_font(size)
    font.setItalic(True)
    button.setFont(font)
    button.setText(act.text)
    button.setAccessibleName(act.label or act.text)
    button.setToolTip(act.label or act.text)
    button.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    button.clicked.connect(lambda: act.do())
    return button
