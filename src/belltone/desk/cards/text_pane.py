"""The sheet as text: coloured, with findings at their lines, live both ways."""

from __future__ import annotations

import re
from typing import Final

from PySide6.QtCore import QEvent, QRect, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QFont,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QShowEvent,
    QSyntaxHighlighter,
    QTextCharFormat,
    QTextCursor,
    QTextFormat,
)
from PySide6.QtWidgets import (
    QLabel,
    QListWidget,
    QPlainTextEdit,
    QPushButton,
    QTextEdit,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.look import label_font
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Finding, Path, SheetError

__all__ = ["TextPane"]

_PAUSE_MS: Final = 350  # what is typed is read after such a pause
_STEP_MS: Final = 2500  # and is a step of undo after such a one
_PATH: Final[Path] = ("text",)
_MOST_FINDINGS: Final = 40
_LINE_HIGH, _MOST_HIGH = 34, 120  # pixels


class TextPane(QWidget):
    """An editor over the sheet's text. Text that is no good sheet stays, and says why."""

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette = session, palette
        self._opened = session.opened
        self._known = ""  # what was put here or read last
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 6, 4, 4)
        column.setSpacing(4)
        self.editor = _Editor(palette)
        self._colours = _Colours(self.editor.document(), palette)
        self.note = QLabel()
        self.note.setFont(label_font(8.5))
        self.note.setWordWrap(True)
        self.findings = QListWidget()
        self.findings.setFont(label_font(8.5))
        self.findings.setWordWrap(True)
        self.findings.setAccessibleName("What is wrong with the text")
        self.findings.itemActivated.connect(lambda _item: self._go())
        self.findings.itemClicked.connect(lambda _item: self._go())
        self.back = QPushButton("Show the sheet as it stands, without what was typed")
        self.back.setFont(label_font(8.5))
        self.back.clicked.connect(self.give_up)
        column.addWidget(self.editor, 1)
        column.addWidget(self.note)
        column.addWidget(self.findings)
        column.addWidget(self.back)
        self._found: list[Finding] = []
        self._pause = QTimer(self, singleShot=True, interval=_PAUSE_MS)
        self._pause.timeout.connect(self.take)
        self._step = QTimer(self, singleShot=True, interval=_STEP_MS)
        self._step.timeout.connect(session.end_gesture)
        self.editor.textChanged.connect(self._typed)
        self.editor.left.connect(self._leave)
        self.editor.undone.connect(self.take)
        session.sheet_changed.connect(self.follow)
        self.follow()

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self.editor.set_palette(palette)
        self._colours.set_palette(palette)
        self._mark()

    @property
    def wrong(self) -> bool:
        """Whether what stands here is no good sheet."""
        return bool(self._found)

    def follow(self) -> None:
        """Show the sheet's text, unless something is typed here that is no good sheet yet."""
        if self._opened != self._session.opened:
            self._opened = self._session.opened
            self._found = []
            self._pause.stop()
        if self.wrong or self._pause.isActive():
            self._tell()
        elif self.isVisible():  # nobody reads it meanwhile, and drags change the sheet often
            self._put(self._session.sheet.text)
            self._tell()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.follow()

    def take(self) -> None:
        """Read what is typed: a good sheet is shown at once, else it is said what is wrong."""
        self._pause.stop()
        session, text = self._session, self.editor.toPlainText()
        self._known = text
        if text == session.sheet.text:
            self._take_findings([])
            return
        try:
            sheet = Sheet.from_text(text, session.sheet.folder)
            evaluate(sheet)
        except SheetError as error:
            self._take_findings(list(error.findings))
            return
        self._take_findings([])
        problem = session.edit("the text", lambda _sheet: sheet, "text")
        if problem is not None:
            self._take_findings([Finding((), problem)])
        else:
            self._step.start()

    def give_up(self) -> None:
        """Forget what was typed and could not be used."""
        self._pause.stop()
        self._take_findings([])
        self._put(self._session.sheet.text)

    def _typed(self) -> None:
        # Colouring counts as a change to Qt, too.
        if self.editor.toPlainText() != self._known:
            self._pause.start()

    def _leave(self) -> None:
        if self._pause.isActive():
            self.take()
        if self._step.isActive():
            self._step.stop()
            self._session.end_gesture()

    def _take_findings(self, findings: list[Finding]) -> None:
        self._found = findings
        if findings:
            first = findings[0]
            lines = self.editor.toPlainText().splitlines()
            line = first.line or 0
            shown = lines[line - 1].strip() if 0 < line <= len(lines) else "the text of the sheet"
            self._session.mark_wrong(_PATH, shown, first.message)
        else:
            self._session.mark_wrong(_PATH, "", None)
        self._tell()

    def _tell(self) -> None:
        self.findings.clear()
        for finding in self._found[:_MOST_FINDINGS]:
            where = f"line {finding.line}: " if finding.line else ""
            self.findings.addItem(f"{where}{finding.message}")
        self.findings.setVisible(self.wrong)
        self.findings.setFixedHeight(min(_MOST_HIGH, 8 + _LINE_HIGH * max(1, len(self._found))))
        self.back.setVisible(self.wrong)
        count = len(self._found)
        self.note.setText(
            f"{count} thing{'s' if count != 1 else ''} wrong; the sheet is as it was before."
            if self.wrong
            else "Every change is taken at once; the cards say the same."
        )
        self._mark()

    def _mark(self) -> None:
        lines = [finding.line for finding in self._found if finding.line]
        self.editor.mark_lines(lines, QColor(self._palette.alarm_wash))

    def _go(self) -> None:
        """Put the keyboard at the line of a finding."""
        finding = self._found[self.findings.currentRow()]
        if finding.line:
            block = self.editor.document().findBlockByNumber(finding.line - 1)
            self.editor.setTextCursor(QTextCursor(block))
            self.editor.setFocus()

    def _put(self, text: str) -> None:
        """Change what differs only, so that the cursor and the view stay where they are."""
        old = self.editor.toPlainText()
        if old == text:
            return
        first = next(
            (at for at, (one, other) in enumerate(zip(old, text, strict=False)) if one != other),
            min(len(old), len(text)),
        )
        most = min(len(old), len(text)) - first
        last = next(
            (at for at in range(most) if old[len(old) - 1 - at] != text[len(text) - 1 - at]), most
        )
        self._known = text
        cursor = QTextCursor(self.editor.document())
        cursor.setPosition(first)
        cursor.setPosition(len(old) - last, QTextCursor.MoveMode.KeepAnchor)
        cursor.insertText(text[first : len(text) - last])


class _Editor(QPlainTextEdit):
    """Plain text with its lines numbered; undo is the window's, which names what it undoes."""

    left = Signal()
    undone = Signal()

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.setAccessibleName("The sheet as text")
        self.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.setUndoRedoEnabled(False)
        self.setTabChangesFocus(True)
        font = QFont()
        font.setFamilies(["Source Code Pro", "DejaVu Sans Mono", "monospace"])
        font.setPointSizeF(9.5)
        self.setFont(font)
        self._numbers = _Numbers(self)
        self._palette = palette
        self._lines: list[int] = []
        self.blockCountChanged.connect(lambda _count: self._room())
        self.updateRequest.connect(self._scrolled)
        self._room()

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self._numbers.update()

    def mark_lines(self, lines: list[int], colour: QColor) -> None:
        """Colour whole lines, counted from 1."""
        self._lines = lines
        marks = []
        for line in lines:
            mark = QTextEdit.ExtraSelection()
            mark.format.setBackground(colour)
            mark.format.setProperty(QTextFormat.Property.FullWidthSelection, True)
            mark.cursor = QTextCursor(self.document().findBlockByNumber(line - 1))
            marks.append(mark)
        self.setExtraSelections(marks)
        self._numbers.update()

    def numbers_width(self) -> int:
        """The width the line numbers take (pixels)."""
        return 10 + self.fontMetrics().horizontalAdvance("9") * len(str(max(99, self.blockCount())))

    def paint_numbers(self, event: QPaintEvent) -> None:
        """Paint the numbers of the lines in sight; lines with a finding have a mark."""
        painter = QPainter(self._numbers)
        painter.fillRect(event.rect(), QColor(self._palette.ledge))
        painter.setFont(self.font())
        block = self.firstVisibleBlock()
        top = self.blockBoundingGeometry(block).translated(self.contentOffset()).top()
        high = self.fontMetrics().height()
        while block.isValid() and top <= event.rect().bottom():
            line = block.blockNumber() + 1
            wrong = line in self._lines
            painter.setPen(QColor(self._palette.alarm if wrong else self._palette.muted))
            text = f"▸{line}" if wrong else str(line)
            box = QRect(0, round(top), self._numbers.width() - 4, high)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight, text)
            top += self.blockBoundingRect(block).height()
            block = block.next()
        painter.end()

    def _room(self) -> None:
        self.setViewportMargins(self.numbers_width(), 0, 0, 0)

    def _scrolled(self, rect: QRect, down: int) -> None:
        if down:
            self._numbers.scroll(0, down)
        else:
            self._numbers.update(0, rect.y(), self._numbers.width(), rect.height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        inside = self.contentsRect()
        self._numbers.setGeometry(
            QRect(inside.left(), inside.top(), self.numbers_width(), inside.height())
        )

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            keys = QKeySequence.StandardKey
            if event.matches(keys.Undo) or event.matches(keys.Redo):
                self.undone.emit()  # what is typed counts before a step is taken back
                event.ignore()
                return False
        return super().event(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.left.emit()


class _Numbers(QWidget):
    """The margin with the numbers of lines."""

    def __init__(self, editor: _Editor) -> None:
        super().__init__(editor)
        self._editor = editor

    def sizeHint(self) -> QSize:
        return QSize(self._editor.numbers_width(), 0)

    def paintEvent(self, event: QPaintEvent) -> None:
        self._editor.paint_numbers(event)


class _Colours(QSyntaxHighlighter):
    """Tables, keys, texts and remarks each in their colour and weight."""

    def __init__(self, document: object, palette: Palette) -> None:
        super().__init__(document)  # type: ignore[call-overload]
        self._rules: list[tuple[re.Pattern[str], QTextCharFormat]] = []
        self.set_palette(palette)

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._rules = [
            (re.compile(r"^\s*([\w.\"-]+)\s*(?==)"), _format(palette.live)),
            (re.compile(r"\"[^\"]*\""), _format(palette.clear)),
            (re.compile(r"^\s*\[\[?.*?\]\]?\s*(?:#.*)?$"), _format(palette.ink, bold=True)),
            (re.compile(r"(?:^|\s)#.*$"), _format(palette.muted, slanted=True)),
        ]
        self.rehighlight()

    def highlightBlock(self, text: str) -> None:
        for pattern, form in self._rules:
            for match in pattern.finditer(text):
                self.setFormat(match.start(), match.end() - match.start(), form)


def _format(colour: str, bold: bool = False, slanted: bool = False) -> QTextCharFormat:
    form = QTextCharFormat()
    form.setForeground(QColor(colour))
    if bold:
        form.setFontWeight(QFont.Weight.Bold)
    form.setFontItalic(slanted)
    return form
