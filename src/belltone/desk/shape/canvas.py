"""One picture of the component in one mode: turned, slid and zoomed by hand, its sites picked."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from belltone.design.values import Design
from belltone.desk.images import as_image
from belltone.desk.session.pointing import Point
from belltone.desk.shape.caption import caption
from belltone.desk.shape.lettering import Lettering, told_box
from belltone.desk.shape.seen import Seen
from belltone.drawing.colours import Palette
from belltone.drawing.options import SceneOptions
from belltone.drawing.picking import SitePicker
from belltone.drawing.scene import ASIDE, Scene, Spot
from belltone.drawing.shown import CHOSEN, Shown, state_values
from belltone.drawing.stills import plain
from belltone.modes.base_state import BaseState
from belltone.modes.modeset import ModeSet

__all__ = ["ShapeCanvas"]

_REST_MS = 180  # after so long without a move the picture is smoothed
_BETWEEN_MS = 15  # between two pictures of which a smooth one is made
_CLICK_PIXELS = 4


class ShapeCanvas(QWidget):
    """The picture: drag turns it, drag with the right button slides it, the wheel zooms.

    A canvas shows the chosen mode, or a mode of its own where one is ``pinned`` (by its place in
    the list). ``moved`` tells that the view was turned, so that others may follow.
    """

    moved = Signal()
    site_clicked = Signal(str)
    site_gathered = Signal(str)

    def __init__(self, session: Seen, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette = session, palette
        self._scene = Scene(palette)
        self._picker: SitePicker | None = None
        self._leading: ShapeCanvas | None = None
        self._image: QImage | None = None
        self._old = True  # the picture no longer shows what it should
        self._sum: NDArray[np.uint16] | None = None
        self._summed = 0
        self._held: Qt.MouseButton | None = None
        self._last = QPointF()
        self._press = QPointF()
        self._dragged = False
        self._opened = -1
        self._followed = False
        self._shown_design: Design | None = None
        self._shown_modes: ModeSet | None = None
        self._shown_mode: tuple[ModeSet, Shown, int] | None = None
        self._swing, self._behind = 1.0, 0.0
        self._fitted = True  # until a hand moves the view; then resizing leaves it alone
        self.shown = CHOSEN
        self.hovered: str | None = None
        self._pointed = ""
        self._gathered: tuple[str, ...] = ()
        self._spots: tuple[Point, ...] = ()
        self.named = True
        self.amplitude = 0.6
        self.setMinimumSize(120, 90)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Shape view")
        self._rest = QTimer(self, singleShot=True, interval=_REST_MS)
        self._rest.timeout.connect(self._smooth)
        # What else shows an answer comes first, and a hand is never kept waiting for both.
        self._building = QTimer(self, singleShot=True, interval=0)
        self._building.timeout.connect(self._build)
        session.answer_changed.connect(self._take_answer)
        session.sheet_changed.connect(self._take_sheet)
        session.choice_changed.connect(self._take_mode)
        self._take_answer()

    @property
    def scene(self) -> Scene:
        """The scene drawn, of what is shown now."""
        if self._building.isActive():
            self._building.stop()
            self._build()
        return self._scene

    @property
    def index(self) -> int | None:
        """The place of the mode shown in the list of modes."""
        answer = self._session.answer
        if self.shown.kind != "mode" or self.shown.number is None or answer is None:
            return self._session.chosen_index
        return min(self.shown.number, len(answer.modes) - 1)

    def make_room(self, pixels: int) -> None:
        """Leave so much clear at the top, for a caption."""
        room = round(pixels * self.devicePixelRatioF())
        if room != self._scene.eye.headroom:
            self._scene.eye.headroom = room
            if self._fitted and self._shown_design is not None:
                self._scene.fit()
                self._turned()

    def show_this(self, shown: Shown) -> None:
        """Show something of one's own, or the chosen mode again."""
        self.shown = shown
        self._take_mode()
        self.update()

    @property
    def _base(self) -> BaseState | None:
        answer = self._session.answer
        return None if answer is None else answer.modes.base

    @property
    def _now(self) -> tuple[Design, ModeSet | None]:
        """The design to be shown, and its modes once there are any."""
        answer = self._session.answer
        return (self._session.design, None) if answer is None else (answer.design, answer.modes)

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        if palette == self._palette:
            return
        self._palette = palette
        self._scene.set_palette(palette)
        self._shown_mode = None
        self._take_mode()

    def set_options(self, options: SceneOptions) -> None:
        """Take what is to be seen."""
        if options != self._scene.options:
            self._scene.set_options(options)
            self._redraw()

    def set_swing(self, swing: float, behind: float = 0.0) -> None:
        """Show the mode at ``swing`` (-1 to 1) of its cycle; ``behind`` is a quarter turn later."""
        self._swing, self._behind = swing, behind
        self._pose()
        self._redraw()

    def _pose(self) -> None:
        # What the preload does stands still: it is a state, and no motion.
        swing, behind = (1.0, 0.0) if self.shown.of_state else (self._swing, self._behind)
        self._scene.pose(swing * self.amplitude, behind * self.amplitude)

    def share_camera(self, other: ShapeCanvas) -> None:
        """Look from wherever another canvas looks, from now on."""
        self._leading = other
        self._scene.share_eye(other._scene)
        self._redraw()

    def look(self, direction: str) -> None:
        """Look along an axis."""
        self._fitted = True
        self.scene.look(direction)
        self._turned()

    def fit(self) -> None:
        """Bring everything into view."""
        self._fitted = True
        self._scene.fit()
        self._turned()

    def follow(self) -> None:
        """Draw again after the shared camera was moved by another canvas."""
        self._redraw()

    def finish(self) -> None:
        """Stop drawing for good."""
        self._rest.stop()
        self._building.stop()
        self._image = self._shown_design = None  # painted once more, it draws nothing
        self._session.answer_changed.disconnect(self._take_answer)
        self._session.sheet_changed.disconnect(self._take_sheet)
        self._session.choice_changed.disconnect(self._take_mode)
        self._scene.close()

    def _leave_room(self) -> bool:
        """Keep the view clear of why there is no answer; returns whether that takes other room."""
        told = self._session.failure if self._session.answer is None else ""
        pixels = self.rect().bottom() - told_box(self.rect(), told).top() if told else 0
        before, eye = self._scene.eye.footroom, self._scene.eye
        eye.footroom = round(pixels * self.devicePixelRatioF())
        return eye.footroom != before

    def _turned(self) -> None:
        self._redraw()
        self.moved.emit()

    def _take_answer(self) -> None:
        """Show what was answered; until there is anything, the component at rest."""
        answer = self._session.answer
        design, modes = self._now
        if design is self._shown_design and modes is self._shown_modes:
            if self._leave_room() and self._fitted:
                self.fit()
            self.update()
            return
        if design is self._shown_design and not self._followed and _alike(modes, self._shown_modes):
            # A better look at the same component: only what moves changes.
            self._shown_modes = modes
            self._take_mode()
            return
        turned = answer is not None and answer.source and self._opened == self._session.opened
        if turned and modes is not None and self._scene.follow(design, modes):
            # A knob is being turned: what is drawn is moved, and drawn anew when the hand rests.
            self._followed = True
            self._shown_design, self._shown_modes = design, modes
            self._take_mode()
            return
        self._picker = self.hovered = None
        self._building.start()

    def _build(self) -> None:
        """Show a component afresh; after the one whose view and scale it has."""
        if self._leading is not None:
            _ = self._leading.scene
        design, modes = self._now
        first = self._opened != self._session.opened
        self._opened = self._session.opened
        self._shown_design, self._shown_modes, self._shown_mode = design, modes, None
        self._followed = False
        self._scene.show_design(design, modes)
        if self.shown.kind == "buckling":
            self.shown = CHOSEN  # another design may have fewer of them
        self._picker = SitePicker(design, self._scene)
        self._leave_room()
        if first:
            self._scene.look("corner")
        elif self._fitted:
            self._scene.fit()
        if not self._take_mode():
            self._redraw()

    def _take_sheet(self) -> None:
        """Before there is an answer, the picture follows the sheet."""
        if self._session.answer is None:
            self._take_answer()

    def _take_mode(self) -> bool:
        """Show the mode chosen; returns whether that was anything new."""
        answer, index = self._session.answer, self.index
        if answer is None or answer.modes is not self._shown_modes:
            return False
        modes, base = answer.modes, self._base
        if self.shown.kind == "bare" and self._session.bare is not None:
            modes, index = self._session.bare.modes, self._session.bare_partner
        if index is None and self._shown_mode is not None:
            self._shown_mode = None
            self._scene.rest()
            self._redraw()
            return True
        if index is None or (modes, self.shown, index) == self._shown_mode:
            return False
        self._shown_mode = (modes, self.shown, index)
        if self.shown.of_state and base is not None:
            values, _ = state_values(base, self.shown.kind)
            top = values.max() or 1.0
            self._scene.show_state(modes, base.displacements, values / top)
        elif self.shown.kind == "buckling" and base is not None and self.shown.number is not None:
            shape = base.shapes[self.shown.number]
            sizes = np.linalg.norm(shape[:, :3], axis=1)
            self._scene.show_state(modes, shape, sizes / (sizes.max() or 1.0))
        else:
            self._scene.show_mode(modes, index)
        self._pose()
        self._redraw()
        return True

    def _redraw(self) -> None:
        """What is seen has changed: it is drawn when the window is painted next, and once."""
        self._old = True
        self._sum, self._summed = None, 0
        self._rest.start()
        self.update()

    @property
    def _pixels(self) -> tuple[int, int]:
        ratio = self.devicePixelRatioF()
        return round(self.width() * ratio), round(self.height() * ratio)

    def _draw(self) -> None:
        """Draw what is old, quickly and with steps along its edges."""
        width, height = self._pixels
        if self._shown_design is None or self.width() < 10 or self.height() < 10:
            return
        self._keep(self._scene.draw(width, height, fast=True))
        self._old = False

    def make_ready(self) -> None:
        """Draw once before anybody looks: the first picture takes many times as long as others."""
        _ = self.scene
        self._draw()

    @property
    def at_rest(self) -> bool:
        """Whether what is seen is drawn, and smooth."""
        waiting = self._old or self._rest.isActive() or self._building.isActive()
        return not waiting and self._sum is None

    def _smooth(self) -> None:
        """Draw once more, a part of a pixel aside; the mean of several has smooth edges.

        One at a time, so that the window never waits for more than one.
        """
        moved = self._old or self._rest.isActive()  # since this picture was asked for
        if self._image is None or moved or not self.isVisible():
            return
        width, height = self._pixels
        pixels = self._scene.draw_aside(width, height, self._summed)
        if self._sum is None:
            self._sum = pixels.astype(np.uint16)
        else:
            self._sum += pixels
        self._summed += 1
        if self._summed < len(ASIDE):
            QTimer.singleShot(_BETWEEN_MS, self, self._smooth)
            return
        self._keep((self._sum // len(ASIDE)).astype(np.uint8))
        self._sum, self._summed = None, 0
        self.update()

    def _keep(self, pixels: NDArray[np.uint8]) -> None:
        self._image = as_image(pixels)

    def picture(self, width: int, transparent: bool, bare: bool) -> QImage:
        """What is seen, so many pixels wide; ``bare`` of axes, names and supports.

        The ground may be ``transparent``.
        """
        scale = width / max(self.width(), 1)
        height = round(self.height() * scale)
        scene, options = self.scene, self._scene.options
        scene.transparent = transparent
        if bare:
            scene.set_options(plain(options))
        try:
            pixels = scene.draw(width, height)
            image = as_image(pixels, transparent)
            if not bare:
                painter = QPainter(image)
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                painter.scale(scale, scale)
                over = Lettering(painter, self._palette, scene.eye, self.rect(), scale)
                if options.clutter and self.named and self._shown_design is not None:
                    over.names(self._shown_design)
                if options.axes:
                    over.axes()
                painter.end()
        finally:
            scene.transparent = False
            scene.set_options(options)
            self._redraw()
        return image

    # -- painting -------------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent) -> None:
        building = self._building.isActive()
        if self._old and not building:
            self._draw()
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self._palette.card))
        if self._image is not None:
            painter.drawImage(self.rect(), self._image)
        if self._image is not None and not building:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            ratio = self.devicePixelRatioF()
            self._letter(Lettering(painter, self._palette, self._scene.eye, self.rect(), ratio))
        painter.end()

    def _letter(self, over: Lettering) -> None:
        """Write and mark what belongs over the picture."""
        options, failure = self._scene.options, self._session.failure
        waiting = failure or "at rest; its modes are being solved"
        taken = [told_box(over.room, waiting)] if self._session.answer is None else []
        if options.clutter and self.named and self._shown_design is not None:
            over.names(self._shown_design, taken)
        if options.axes:
            over.axes()
        over.rings(self._spots)
        self._paint_sites(over)
        heading = None if self.shown == CHOSEN else self.caption
        if heading is not None:
            over.heading(*heading)
        for box in taken:
            over.waiting(waiting, box, failed=bool(failure))

    @property
    def caption(self) -> tuple[str, str] | None:
        """A heading for what is shown, and a line below it."""
        return caption(self._session, self.shown, self.index)

    @property
    def spot(self) -> Spot | None:
        """Where on a face the mouse is, if it is on one."""
        return None if self._picker is None else self._picker.spot

    def point_at(
        self, site: str, gathered: tuple[str, ...] = (), spots: tuple[Point, ...] = ()
    ) -> None:
        """Mark a site that is spoken of elsewhere, none by an empty name; those gathered; spots."""
        self._pointed, self._gathered, self._spots = site, gathered, spots
        self.update()

    def _paint_sites(self, over: Lettering) -> None:
        """The site under the mouse, or spoken of: its line or point, and its name beside it."""
        if self._picker is None:
            return
        height = round(self.height() * over.ratio)
        for gathered in self._gathered:
            if gathered in self._picker.names:
                over.marked(self._picker.on_picture(gathered, height))
        site = self.hovered or self._pointed
        if site not in self._picker.names:
            return
        lines = self._picker.on_picture(site, height)
        over.marked(lines)
        at = self._last
        if self.hovered is None and lines:
            # Spoken of elsewhere, so the mouse is not there: beside its last point.
            at = QPointF(*(float(each) / over.ratio for each in lines[0][-1]))
        over.label(f"{self._picker.sort(site)} “{site}”", at)

    # -- hands ----------------------------------------------------------------------------------

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        ratio = self.devicePixelRatioF()
        self._scene.resize(round(self.width() * ratio), round(self.height() * ratio))
        self._leave_room()
        if self._fitted and self._shown_design is not None:
            self._scene.fit()
        self._redraw()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held, self._last = event.button(), event.position()
        self._press, self._dragged = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is None:
            self._hover(event.position())
            return
        if (event.position() - self._press).manhattanLength() < _CLICK_PIXELS and not self._dragged:
            return
        self._dragged = True
        self._fitted = False
        self.hovered = None
        moved = event.position() - self._last
        self._last = event.position()
        if self._held == Qt.MouseButton.LeftButton:
            self._scene.eye.turn(0.5 * moved.x(), 0.5 * moved.y())
        else:
            self._scene.eye.shift(moved.x() / self.height(), -moved.y() / self.height())
        self._turned()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, self._held = self._held, None
        if held == Qt.MouseButton.LeftButton and not self._dragged:
            self._hover(event.position())
            if self.hovered is not None:
                control = event.modifiers() & Qt.KeyboardModifier.ControlModifier
                told = self.site_gathered if control else self.site_clicked
                told.emit(self.hovered)

    def leaveEvent(self, _event: object) -> None:
        self.hovered = None
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        event.ignore()

    def _hover(self, at: QPointF) -> None:
        self._last = at
        if self._picker is None:
            return
        ratio = self.devicePixelRatioF()
        height = round(self.height() * ratio)
        found = self._picker.at(at.x() * ratio, at.y() * ratio, height)
        if found is not None or self.hovered is not None:
            self.hovered = found
            self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._fitted = False
        self._scene.eye.zoom(1.15 ** (event.angleDelta().y() / 120))
        self._turned()

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
            self._scene.eye.turn(*turns[key])
            self._turned()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            self._scene.eye.zoom(1.15 if key == Qt.Key.Key_Plus else 1 / 1.15)
            self._turned()
        else:
            event.ignore()


def _alike(one: ModeSet | None, other: ModeSet | None) -> bool:
    """Whether shapes of both are read at the same points."""
    return one is not None and other is not None and one.point_counts == other.point_counts
