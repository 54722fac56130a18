"""The shape view: the component in the chosen mode, moving, with an honest legend."""

from __future__ import annotations

import math
import time

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import (
    QCloseEvent,
    QColor,
    QImage,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QSizePolicy,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.palette import Palette, label_font
from belltone.desk.scene import Scene
from belltone.desk.session import Session
from belltone.modes.modeset import ModeSet
from belltone.sheet.units import format_number

__all__ = ["ShapeCanvas", "ShapeView"]

_FRAME_MS = 33
_REST_MS = 180  # after so long without a move the picture is drawn once more, smoothed


class ShapeCanvas(QWidget):
    """The picture: drag turns it, drag with the right button slides it, the wheel zooms."""

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette = session, palette
        self._scene = Scene(palette)
        self._image: QImage | None = None
        self._held: Qt.MouseButton | None = None
        self._last = QPointF()
        self._shown_design: object = None
        self._shown_mode: tuple[ModeSet, int] | None = None
        self._swing = 1.0
        self._fitted = True  # until a hand moves the view; then resizing leaves it alone
        self.amplitude = 0.6
        self.setMinimumSize(240, 120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Shape view")
        self._rest = QTimer(self, singleShot=True, interval=_REST_MS)
        self._rest.timeout.connect(lambda: self._redraw(fast=False))
        session.answer_changed.connect(self._take_answer)
        session.choice_changed.connect(self._take_mode)

    @property
    def scene(self) -> Scene:
        """The scene drawn."""
        return self._scene

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self._scene.set_palette(palette)
        self._shown_mode = None
        self._take_mode()

    def set_swing(self, swing: float) -> None:
        """Show the mode at ``swing`` (-1 to 1) of its cycle."""
        self._swing = swing
        self._scene.pose(swing * self.amplitude)
        self._redraw(fast=True)

    def look(self, direction: str) -> None:
        """Look along an axis."""
        self._fitted = True
        self._scene.look(direction)
        self._redraw(fast=False)

    def fit(self) -> None:
        """Bring everything into view."""
        self._fitted = True
        self._scene.fit()
        self._redraw(fast=False)

    def finish(self) -> None:
        """Stop drawing for good."""
        self._rest.stop()
        self._scene.close()

    def _take_answer(self) -> None:
        answer = self._session.answer
        if answer is None:
            self._shown_design = None
            self._image = None
            self.update()
            return
        if answer.design is not self._shown_design:
            first = self._shown_design is None
            self._shown_design = answer.design
            self._shown_mode = None
            self._scene.show_design(answer.design)
            if first:
                self._scene.look("corner")
            elif self._fitted:
                self._scene.fit()
            self._take_mode()
        else:
            self.update()

    def _take_mode(self) -> None:
        answer, index = self._session.answer, self._session.chosen_index
        if answer is None or answer.design is not self._shown_design:
            return
        if index is None or (answer.modes, index) == self._shown_mode:
            return
        self._shown_mode = (answer.modes, index)
        self._scene.show_mode(answer.modes, index)
        self._scene.pose(self._swing * self.amplitude)
        self._redraw(fast=True)

    def _redraw(self, fast: bool) -> None:
        if self._shown_design is None or self.width() < 10 or self.height() < 10:
            return
        ratio = self.devicePixelRatioF()
        width, height = round(self.width() * ratio), round(self.height() * ratio)
        self._image = self._scene.draw(width, height, fast)
        self._image.setDevicePixelRatio(ratio)
        if fast:
            self._rest.start()
        self.update()

    # -- painting -------------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self._palette.card))
        if self._image is not None:
            painter.drawImage(0, 0, self._image)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_names(painter)
            self._paint_axes(painter)
        else:
            painter.setPen(QColor(self._palette.muted))
            text = self._session.failure or "solving …"
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
        painter.end()

    def _paint_names(self, painter: QPainter) -> None:
        """Name supports and masses beside where they are, never over one another."""
        answer = self._session.answer
        if answer is None:
            return
        painter.setFont(label_font(8))
        metrics = painter.fontMetrics()
        ratio = self.devicePixelRatioF()
        height = round(self.height() * ratio)
        names = [(s.name, answer.design.location(s.place)) for s in answer.design.supports]
        names += [
            (
                f"{m.name}, {format_number(m.mass, 4)} kg",
                answer.design.location(m.place) + np.array(m.offset),
            )
            for m in answer.design.masses
        ]
        taken: list[QRectF] = []
        for name, place in names:
            x, y = self._scene.on_picture(place, height)
            at = QPointF(x / ratio, y / ratio)
            width = metrics.horizontalAdvance(name) + 8
            box = QRectF(at.x() - width / 2, at.y() + 34, width, 15)
            while any(box.intersects(other) for other in taken):
                box.translate(0, 16)
            box.moveLeft(min(max(box.left(), 2.0), self.width() - width - 2.0))
            box.moveBottom(min(box.bottom(), self.height() - 2.0))
            taken.append(box)
            painter.setPen(QPen(QColor(self._palette.line), 1))
            painter.drawLine(QPointF(at.x(), at.y() + 14), QPointF(at.x(), box.top()))
            ground = QColor(self._palette.card)
            ground.setAlpha(200)
            painter.fillRect(box, ground)
            painter.setPen(QColor(self._palette.muted))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, name)

    def _paint_axes(self, painter: QPainter) -> None:
        origin = QPointF(30, self.height() - 28)
        painter.setFont(label_font(8))
        for name, (right, down) in zip("xyz", self._scene.axes_on_picture(), strict=True):
            tip = QPointF(origin.x() + 20 * right, origin.y() + 20 * down)
            painter.setPen(QPen(QColor(self._palette.muted), 1.3))
            painter.drawLine(origin, tip)
            if math.hypot(right, down) > 0.25:
                out = QPointF(origin.x() + 27 * right, origin.y() + 27 * down)
                box = QRectF(out.x() - 7, out.y() - 7, 14, 14)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, name)

    # -- hands ----------------------------------------------------------------------------------

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        ratio = self.devicePixelRatioF()
        self._scene.resize(round(self.width() * ratio), round(self.height() * ratio))
        if self._fitted and self._shown_design is not None:
            self._scene.fit()
        self._redraw(fast=True)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held, self._last = event.button(), event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is None:
            return
        self._fitted = False
        moved = event.position() - self._last
        self._last = event.position()
        if self._held == Qt.MouseButton.LeftButton:
            self._scene.turn(0.5 * moved.x(), 0.5 * moved.y())
        else:
            self._scene.shift(moved.x() / self.height(), -moved.y() / self.height())
        self._redraw(fast=True)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._held = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._fitted = False
        self._scene.zoom(1.15 ** (event.angleDelta().y() / 120))
        self._redraw(fast=True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        turns = {
            Qt.Key.Key_Left: (-8, 0),
            Qt.Key.Key_Right: (8, 0),
            Qt.Key.Key_Up: (0, -8),
            Qt.Key.Key_Down: (0, 8),
        }
        key = Qt.Key(event.key())
        self._fitted = self._fitted and key not in (*turns, Qt.Key.Key_Plus, Qt.Key.Key_Minus)
        if key in turns:
            self._scene.turn(*turns[key])
            self._redraw(fast=True)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            self._scene.zoom(1.15 if key == Qt.Key.Key_Plus else 1 / 1.15)
            self._redraw(fast=True)
        else:
            event.ignore()


class ShapeView(QFrame):
    """The canvas with its heading, legend and controls."""

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session = session
        self.setProperty("card", True)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 7, 12, 6)
        column.setSpacing(3)
        top = QHBoxLayout()
        self.head = QLabel()
        self.head.setFont(label_font(11, bold=True))
        self.sub = QLabel()
        self.sub.setFont(label_font(9))
        self.sub.setProperty("role", "muted")
        self._legend = _Legend(palette)
        top.addWidget(self.head)
        top.addWidget(self.sub, 1)
        top.addWidget(self._legend)
        column.addLayout(top)
        self.canvas = ShapeCanvas(session, palette)
        column.addWidget(self.canvas, 1)
        column.addLayout(self._controls())
        self._phase = math.pi / 2
        self._then = time.monotonic()
        self._clock = QTimer(self, interval=_FRAME_MS)
        self._clock.timeout.connect(self._tick)
        session.choice_changed.connect(self._name_mode)
        session.answer_changed.connect(self._name_mode)
        self._name_mode()

    @property
    def playing(self) -> bool:
        """Whether the shape moves."""
        return self._clock.isActive()

    def set_playing(self, playing: bool) -> None:
        """Let the shape move, or hold it where it is."""
        self.play.setChecked(playing)
        self.play.setText("❚❚" if playing else "▶")
        self._then = time.monotonic()
        self._clock.start() if playing else self._clock.stop()

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._legend.set_palette(palette)
        self.canvas.set_palette(palette)

    def finish(self) -> None:
        """Stop moving and drawing for good."""
        self._clock.stop()
        self.canvas.finish()

    def closeEvent(self, event: QCloseEvent) -> None:
        self.finish()
        super().closeEvent(event)

    def _controls(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        self.play = _button("▶", "Play or pause the motion (Ctrl+Space)")
        self.play.setCheckable(True)
        self.play.clicked.connect(self.set_playing)
        row.addWidget(self.play)
        self.speed = _slider("speed", 100, 40)
        self.amplitude = _slider("amplitude (drawn)", 100, 60)
        self.amplitude.valueChanged.connect(self._set_amplitude)
        for slider in (self.speed, self.amplitude):
            row.addWidget(slider)
            label = QLabel(slider.accessibleName())
            label.setFont(label_font(8.5))
            label.setProperty("role", "muted")
            row.addWidget(label)
        row.addStretch(1)
        looking = QLabel("look along")
        looking.setFont(label_font(8.5))
        looking.setProperty("role", "muted")
        row.addWidget(looking)
        for direction in ("x", "y", "z"):
            button = _button(direction, f"Look along the {direction} axis")
            button.clicked.connect(lambda _=False, axis=direction: self.canvas.look(axis))
            row.addWidget(button)
        for text, tip, call in (
            ("slant", "Look at it from a corner", lambda: self.canvas.look("corner")),
            ("fit", "Bring everything into view", lambda: self.canvas.fit()),
        ):
            button = _button(text, tip)
            button.clicked.connect(call)
            row.addWidget(button)
        return row

    def _set_amplitude(self, value: int) -> None:
        self.canvas.amplitude = value / 100
        self.canvas.set_swing(math.sin(self._phase))

    def _tick(self) -> None:
        now = time.monotonic()
        cycles = 0.1 + 2.4 * self.speed.value() / 100
        self._phase = (self._phase + 2 * math.pi * cycles * (now - self._then)) % (2 * math.pi)
        self._then = now
        self.canvas.set_swing(math.sin(self._phase))

    def _name_mode(self) -> None:
        mode = self._session.chosen_mode
        if mode is None:
            self.head.setText("")
            self.sub.setText("")
            return
        self.head.setText(f"Mode {mode.number} · {format_number(mode.frequency, 5)} Hz")
        older = "  (of the older design)" if self._session.stale else ""
        self.sub.setText(mode.kind + older)


class _Legend(QWidget):
    """Says what the colours are: relative motion, with no unit of length."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._palette = palette
        self.setFixedSize(196, 26)
        self.setToolTip(
            "Amplitudes of a mode are relative: how far one spot moves compared with the spot "
            "that moves most. They are no distances."
        )

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        bar = QRectF(0, 2, self.width(), 8)
        gradient = QLinearGradient(bar.topLeft(), bar.topRight())
        for place, name in enumerate(self._palette.motion):
            gradient.setColorAt(place / (len(self._palette.motion) - 1), QColor(name))
        painter.fillRect(bar, gradient)
        painter.setFont(label_font(7.5))
        painter.setPen(QColor(self._palette.muted))
        text = QRectF(0, 12, self.width(), 13)
        painter.drawText(text, Qt.AlignmentFlag.AlignLeft, "still")
        painter.drawText(text, Qt.AlignmentFlag.AlignHCenter, "relative motion")
        painter.drawText(text, Qt.AlignmentFlag.AlignRight, "most")
        painter.end()


def _button(text: str, tip: str) -> QToolButton:
    button = QToolButton()
    button.setText(text)
    button.setToolTip(tip)
    button.setProperty("plain", True)
    button.setFont(label_font(8.5))
    button.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    return button


def _slider(name: str, top: int, value: int) -> QSlider:
    slider = QSlider(Qt.Orientation.Horizontal)
    slider.setRange(0, top)
    slider.setValue(value)
    slider.setFixedWidth(84)
    slider.setAccessibleName(name)
    return slider
