"""Words that end in dots where there is no room for all of them; the tip has the whole."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel, QStyle, QStyleOption

__all__ = ["ElidedLabel"]


class ElidedLabel(QLabel):
    """One line of words that gives way to its neighbours; as written while some are selected."""

    def minimumSizeHint(self) -> QSize:
        return QSize(0, super().minimumSizeHint().height())

    def setText(self, text: str) -> None:
        super().setText(text)
        self.setToolTip(text)

    @property
    def shown(self) -> str:
        """The words as they are painted."""
        metrics = self.fontMetrics()
        return metrics.elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.hasSelectedText():
            super().paintEvent(event)
            return
        painter = QPainter(self)
        option = QStyleOption()
        option.initFrom(self)
        style = self.style()
        style.drawPrimitive(QStyle.PrimitiveElement.PE_Widget, option, painter, self)
        way = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        style.drawItemText(painter, self.rect(), way, option.palette, True, self.shown)
        painter.end()
