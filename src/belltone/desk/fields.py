"""Live words and numbers: the pieces the sheet's sentences are made of."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QPoint, QSize, Qt, Signal
from PySide6.QtGui import (
    QAction,
    QContextMenuEvent,
    QFocusEvent,
    QGuiApplication,
    QKeyEvent,
    QMouseEvent,
)
from PySide6.QtWidgets import (
    QLabel,
    QLineEdit,
    QMenu,
    QSizePolicy,
    QToolButton,
)

from belltone.desk.look import restyle, sentence_font
from belltone.desk.session.session import Session
from belltone.desk.values import ShownValue, preview, shown_value, stepped
from belltone.sheet.clips import clip_of, entry_of
from belltone.sheet.errors import Path, path_text

__all__ = ["ChoiceWord", "LiveNumber", "word_label"]

_PIXELS_PER_STEP = 4
_DRAG_THRESHOLD = 4


def word_label(text: str) -> QLabel:
    """One word of a sentence."""
    label = QLabel(text)
    label.setFont(sentence_font())
    label.setTextFormat(Qt.TextFormat.PlainText)
    if text and text[0] in ".,;:)":
        label.setProperty("hug", True)
    return label


class LiveNumber(QLineEdit):
    """A number in a sentence: click to type, drag or arrow keys to step, menu to make a knob.

    What cannot be used stays in the field, marked, with the reason in its tip and ``problem``.
    """

    problem_changed = Signal()

    def __init__(self, session: Session, path: Path, label: str = "") -> None:
        super().__init__()
        self._session, self.path = session, path
        self.problem = ""
        self._editing = self._taking = False
        self._resting: tuple[str, str] | None = None  # what stands here while nothing is typed
        self._looks = False, False  # wrong, being edited
        self._press: QPoint | None = None
        self._scrubbing = False
        self._origin = 0.0
        self._gestures = 0
        self._opened = session.opened
        self.setFont(sentence_font())
        self.setProperty("live", True)
        self.setFrame(False)
        self.setTextMargins(0, 0, 0, 0)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(label or path_text(path))
        self.setObjectName("/".join(str(step) for step in path))
        self.textChanged.connect(self._fit)
        self.textEdited.connect(self._preview)
        self._worked: QLabel | None = None  # below the field while arithmetic is typed
        session.turned.connect(self._follow_turn)
        self._rest()

    # -- showing --------------------------------------------------------------------------------

    @property
    def value(self) -> ShownValue:
        """The value as the sheet has it."""
        return shown_value(self._session.sheet, self._session.design, self.path)

    @property
    def editing(self) -> bool:
        """Whether text is being typed, or something unusable stands in the field."""
        return self._editing

    def refresh(self) -> None:
        """Show the sheet's value again, unless something is being typed here."""
        if not self._editing and self._resting != self._at_rest():
            self._rest()

    def _follow_turn(self) -> None:
        """Show what a knob comes to while it is being turned."""
        if self._editing:
            return
        value = self.value
        mine = self.path[:2] == ("knobs", self._session.turning)
        if mine or value.formula or value.knob == self._session.turning:
            self.setText(_marked(value))
            self._resting = None

    def _rest(self) -> None:
        self._editing = False
        self._hide_preview()
        self.setReadOnly(True)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self._resting = text, tip = self._at_rest()
        self.setText(text)
        self.setCursorPosition(0)
        self.deselect()
        self._mark("", tip)

    def _at_rest(self) -> tuple[str, str]:
        """What stands in the field, and its tip, while nothing is typed there."""
        value = self.value
        tip = "Click to type, drag sideways to change, right-click for more."
        if value.knob:
            tip = f"This is the knob “{value.knob}”. {tip}"
        elif value.formula:
            tip = f"Worked out: {value.raw}. Click to change it."
        elif value.retold:
            tip = f"Typed as {value.raw}. {tip}"
        return _marked(value), tip

    def _mark(self, problem: str, tip: str) -> None:
        changed = problem != self.problem
        self.problem = problem
        self.setToolTip(problem or tip)
        looks = bool(problem), self._editing
        if looks != self._looks:
            self._looks = looks
            self.setProperty("wrong", looks[0])
            self.setProperty("editing", looks[1])
            restyle(self)
        self._fit()
        if changed:
            self.problem_changed.emit()

    def _fit(self) -> None:
        width = self.fontMetrics().horizontalAdvance(self.text() or " ") + 6
        self.setFixedWidth(max(width, 30 if self._editing else 0))
        self.setFixedHeight(self.fontMetrics().height() + 3)

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.FontChange:
            self._fit()

    def sizeHint(self) -> QSize:
        return QSize(self.width(), self.height())

    def _preview(self, text: str) -> None:
        """Show what arithmetic comes to while it is typed."""
        told = preview(self._session.sheet, self._session.design, self.path, text)
        if self._worked is None:
            self._worked = QLabel(self, Qt.WindowType.ToolTip)
            self._worked.setFont(sentence_font(9.5))
            self._worked.setMargin(3)
        self._worked.setText(told)
        self._worked.adjustSize()
        self._worked.move(self.mapToGlobal(QPoint(0, self.height() + 2)))
        self._worked.setVisible(bool(told))

    def _hide_preview(self) -> None:
        if self._worked is not None:
            self._worked.hide()

    @property
    def worked(self) -> str:
        """What the arithmetic being typed comes to, as it is shown."""
        shown = self._worked is not None and self._worked.isVisible()
        return self._worked.text() if shown and self._worked is not None else ""

    # -- typing ---------------------------------------------------------------------------------

    def begin_edit(self, text: str | None = None) -> None:
        """Start typing, with the value selected or with ``text`` in its place."""
        if not self._editing:
            self._editing, self._resting = True, None
            self.setReadOnly(False)
            self.setCursor(Qt.CursorShape.IBeamCursor)
            self.setText(self.value.raw)
            self._mark("", "Enter takes it, Escape gives up.")
            self.selectAll()
        if text is not None:
            self.setText(text)

    @property
    def typing(self) -> tuple[str, int] | None:
        """What is being typed and where its cursor is, unless it is being taken just now."""
        if not self._editing or self._taking or self.problem:
            return None
        return self.text(), self.cursorPosition()

    def type_on(self, text: str, cursor: int) -> None:
        """Go on typing what another field for the same value was left with."""
        self.begin_edit(text)
        self.deselect()
        self.setCursorPosition(cursor)

    def retire(self) -> None:
        """The field goes: losing the focus on its way out must not write anything."""
        self._editing = False
        self._hide_preview()
        self.setReadOnly(True)

    def take_up(self) -> None:
        """Show again what could not be used, after the card around this field was rebuilt."""
        text, problem = self._session.wrong.get(self.value.target, ("", ""))
        if problem:
            self.begin_edit(text)
            self._mark(problem, problem)

    def commit(self) -> None:
        """Take what was typed; if it cannot be used it stays, and the field says why."""
        if not self._editing or self._opened != self._session.opened:
            return  # what was typed into another sheet is no value of this one
        value, text = self.value, self.text().strip()
        if text == value.raw:
            self._session.mark_wrong(value.target, text, None)
            self._rest()
            return
        self._taking = True
        problem = self._session.set_value(value.target, text)
        self._taking = False
        if problem is None:
            self._rest()
        else:
            self._mark(problem, problem)

    def give_up(self) -> None:
        """Forget what was typed and show the sheet's value."""
        self._session.mark_wrong(self.value.target, "", None)
        self._rest()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if self._editing:
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.commit()
            elif key == Qt.Key.Key_Escape:
                self.give_up()
            else:
                super().keyPressEvent(event)
            return
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and control:
            self.become_knob()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2):
            self.begin_edit()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._step(1 if key == Qt.Key.Key_Up else -1, fine)
        elif event.text() and (event.text()[0].isalnum() or event.text()[0] in "-.("):
            self.begin_edit(event.text())
        else:
            event.ignore()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self._hide_preview()
        # A menu or another window on top is no decision about what was typed.
        if event.reason() not in (
            Qt.FocusReason.PopupFocusReason,
            Qt.FocusReason.ActiveWindowFocusReason,
        ):
            self.commit()

    # -- stepping -------------------------------------------------------------------------------

    def _step(self, steps: int, fine: bool) -> None:
        value = self.value
        if value.number is None:
            return
        self._write(value, stepped(value.number, steps, fine), None)

    def _write(self, value: ShownValue, number: float, gesture: str | None) -> None:
        target = value.target
        if gesture is not None and target[0] == "knobs" and target[2] == "value":
            problem = self._session.turn_knob(str(target[1]), number)
            if problem is not None:
                self._session.told.emit(problem)
            return
        problem = self._session.set_value(target, f"{number:.10g} {value.unit}".strip(), gesture)
        if problem is not None:
            # The number before stays; stepping out of what is possible just stops.
            self._session.mark_wrong(value.target, "", None)
            self._session.told.emit(problem)
        self._rest()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._editing or event.button() != Qt.MouseButton.LeftButton:
            super().mousePressEvent(event)
            return
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        self._press = event.position().toPoint()
        self._scrubbing = False
        self._origin = self.value.number or 0.0

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            super().mouseMoveEvent(event)
            return
        moved = event.position().toPoint().x() - self._press.x()
        value = self.value
        if value.number is None:
            return
        if not self._scrubbing and abs(moved) >= _DRAG_THRESHOLD:
            self._scrubbing = True
            self._gestures += 1
        if self._scrubbing:
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            number = stepped(self._origin, moved // _PIXELS_PER_STEP, fine)
            if number != value.number:
                self._write(value, number, f"{id(self)}:{self._gestures}")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            super().mouseReleaseEvent(event)
            return
        self._press = None
        if self._scrubbing:
            self._scrubbing = False
            self._session.end_gesture()
        else:
            self.begin_edit()

    # -- knobs ----------------------------------------------------------------------------------

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = QMenu(self)
        for action in self.actions_offered():
            menu.addAction(action)
        menu.exec(event.globalPos())
        menu.deleteLater()

    def actions_offered(self) -> list[QAction]:
        """What the menu offers for this value."""
        value = self.value
        edit = QAction("Type a value", self)
        edit.triggered.connect(lambda: self.begin_edit())
        copy = QAction("Copy this entry as text", self)
        copy.triggered.connect(self._copy_entry)
        if self.path[0] == "knobs":
            return [edit, copy]
        actions = [edit, copy]
        if value.knob is None:
            make = QAction("Make this a knob (Ctrl+Enter)", self)
            make.triggered.connect(self.become_knob)
            actions.append(make)
        else:
            free = QAction(f"Let go of the knob “{value.knob}”", self)
            free.triggered.connect(lambda: self._session.set_value(self.path, value.raw))
            actions.append(free)
        return actions

    def _copy_entry(self) -> None:
        """Put the entry this value belongs to on the clipboard, with what it uses."""
        entry = entry_of(self.path)
        QGuiApplication.clipboard().setText(clip_of(self._session.sheet, [entry]))
        self._session.told.emit(f"“{path_text(entry)}” is on the clipboard as text of a sheet")

    def become_knob(self) -> None:
        """Turn this value into a knob, named after it; its name waits to be typed over."""
        if self.path[0] == "knobs" or self.value.knob is not None:
            return
        stem = str(next(step for step in reversed(self.path) if isinstance(step, str)))
        name, number = stem, 2
        while name in self._session.design.knobs:
            name, number = f"{stem}_{number}", number + 1
        problem = self.make_knob(name)
        if problem is not None:
            self._session.told.emit(problem)
        else:
            self._session.pointing.name_sought.emit(name)

    def make_knob(self, name: str) -> str | None:
        """Turn this value into a knob; returns what is wrong with the name, if anything."""
        value = self.value
        if name in self._session.design.knobs:
            return f"there is a knob “{name}” already; choose another name"
        changes: dict[Path, str] = {("knobs", name, "value"): value.raw, self.path: name}
        if value.number:
            low, high = sorted((value.number / 2, value.number * 2))
            changes |= {
                ("knobs", name, "from"): f"{low:.6g} {value.unit}".strip(),
                ("knobs", name, "to"): f"{high:.6g} {value.unit}".strip(),
            }
        return self._session.edit(f"knob {name}", lambda sheet: sheet.with_values(changes))


def _marked(value: ShownValue) -> str:
    """The text of a value at rest, with a mark where it is a knob or worked out."""
    return ("• " if value.knob else "= " if value.formula else "") + value.shown


class ChoiceWord(QToolButton):
    """A word in a sentence with others to choose from."""

    def __init__(
        self,
        text: str,
        options: Sequence[tuple[str, Callable[[], object]]],
        label: str,
        size: float = 0.0,
    ) -> None:
        super().__init__()
        self.setProperty("live", True)
        font = sentence_font(size or 10.5)
        font.setItalic(bool(size))
        self.setFont(font)
        self.setText(text)
        self.setAccessibleName(label)
        self.setToolTip(label)
        self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextOnly)
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        menu = QMenu(self)
        for name, choose in options:
            action = menu.addAction(name)
            action.triggered.connect(lambda _checked=False, choose=choose: choose())
        self.setMenu(menu)

    def sizeHint(self) -> QSize:
        metrics = self.fontMetrics()
        return QSize(metrics.horizontalAdvance(self.text()) + 6, metrics.height() + 3)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        # Enter opens the menu like Space does, so that the sentence can be walked by keyboard.
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.showMenu()
        else:
            super().keyPressEvent(event)
