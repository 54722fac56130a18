"""A name that is changed where it stands."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QLineEdit, QSizePolicy

from belltone.desk.look import sentence_font

__all__ = ["NameWord"]


class NameWord(QLineEdit):
    """Double click or F2 to type another name; Enter takes it, Escape gives up.

    Tab takes it, too, and calls ``go_on``: by then another widget may stand in its place.
    """

    def __init__(
        self,
        name: str,
        rename: Callable[[str], object],
        go_on: Callable[[], object] | None = None,
    ) -> None:
        super().__init__(name)
        self._name, self._rename, self._go_on = name, rename, go_on
        self.setFont(sentence_font())
        self.setProperty("name", True)
        self.setFrame(False)
        self.setTextMargins(0, 0, 0, 0)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"name {name}")
        self.textChanged.connect(self._fit)
        self._rest()

    def begin(self) -> None:
        """Start typing another name."""
        self.setReadOnly(False)
        self.setCursor(Qt.CursorShape.IBeamCursor)
        self.setFocus()
        self.selectAll()

    @property
    def typing(self) -> tuple[str, int] | None:
        """What is being typed and where its cursor is."""
        return None if self.isReadOnly() else (self.text(), self.cursorPosition())

    def type_on(self, text: str, cursor: int) -> None:
        """Go on typing what another word for the same name was left with."""
        self.begin()
        self.setText(text)
        self.setCursorPosition(cursor)

    def retire(self) -> None:
        """The word goes: losing the focus on its way out must not rename anything."""
        self._rest()

    def _rest(self) -> None:
        self.setReadOnly(True)
        self.setText(self._name)
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self.setCursorPosition(0)
        self.deselect()
        self._fit()

    def _take(self) -> None:
        fresh = self.text().strip()
        self._rest()
        if fresh and fresh != self._name:
            self._rename(fresh)

    def _fit(self) -> None:
        self.setFixedWidth(self.fontMetrics().horizontalAdvance(self.text() or " ") + 6)
        self.setFixedHeight(self.fontMetrics().height() + 3)

    def sizeHint(self) -> QSize:
        return QSize(self.width(), self.height())

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self.begin()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if self.isReadOnly():
            if key in (Qt.Key.Key_F2, Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.begin()
            else:
                event.ignore()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._take()
        elif key == Qt.Key.Key_Escape:
            self._rest()
        else:
            super().keyPressEvent(event)

    def focusNextPrevChild(self, forward: bool) -> bool:
        if self.isReadOnly() or not forward or self._go_on is None:
            return super().focusNextPrevChild(forward)
        go_on = self._go_on
        self._take()
        go_on()
        return True

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        if not self.isReadOnly() and event.reason() != Qt.FocusReason.ActiveWindowFocusReason:
            self._take()
