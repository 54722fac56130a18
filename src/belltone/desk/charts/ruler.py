"""The frequency ruler: bands hatched, a peg for every mode, always in sight."""

from __future__ import annotations

import math
from collections.abc import Iterator

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFontMetrics,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from belltone.compare.measured import Held
from belltone.desk.charts.band_hands import BandHands
from belltone.desk.charts.peg_places import PEG, fanned, peg_places
from belltone.desk.charts.ruler_marks import BEYOND, LEFT, RIGHT, RulerMarks
from belltone.desk.charts.scale import Scale
from belltone.desk.look import label_font
from belltone.desk.marks import mark_path
from belltone.desk.session.answer import Answer
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette
from belltone.tune.bands import Standing, stand

__all__ = ["Ruler"]

_AXIS_UP = 36  # from the bottom edge to the axis
_GRAB = 6.0
_NEARER = 1.25  # for a notch of the wheel


class Ruler(QWidget):
    """Frequency along the whole width; click a peg to choose its mode, drag it to ask for more."""

    reach_asked = Signal(float)

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette = session, palette
        self._dragged: int | None = None
        self._drag_from = 0.0
        self._drag_frequency: float | None = None
        self._span = 0.0
        self._near: tuple[float, float] | None = None
        self._fan: tuple[int, ...] = ()
        self.setMinimumHeight(122)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._hands = BandHands(session)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Frequency ruler")
        for signal in (session.answer_changed, session.choice_changed, session.sheet_changed):
            signal.connect(self.update)
        beside = (
            session.proposals.tried_changed,
            session.variants.changed,
            session.measuring.changed,
        )
        for changed in beside:
            changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(900, 122)

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self.update()

    # -- geometry -------------------------------------------------------------------------------

    @property
    def scale(self) -> Scale:
        """What is in view: all of it, or the part zoomed into."""
        whole = self.whole
        low, high = self._near or (0.0, whole)
        if high > whole:
            low, high = max(0.0, whole - (high - low)), whole
        return Scale(low, high, LEFT, max(1.0, self.width() - LEFT - RIGHT))

    def show_whole(self) -> None:
        """Back to the whole axis."""
        self._near = None
        self.update()

    def _show(self, scale: Scale) -> None:
        self._near = None if scale.span >= self.whole else (scale.low, scale.high)
        self._fan = ()
        self.update()

    @property
    def whole(self) -> float:
        """The highest frequency there is to see (Hz); it stays while a hand turns something."""
        if (self._session.turning is None and not self._hands.holding) or not self._span:
            self._span = self._wide_enough()
        return self._span

    def _wide_enough(self) -> float:
        answer = self._session.answer
        design = self._session.design
        ends = [band.high for band in design.bands]
        ends += [each.frequency for each in design.targets if each.frequency is not None]
        highest = max(ends, default=0.0) * 1.25
        if answer is not None and len(answer.modes.flexible):
            shown = answer.modes.flexible[: max(6, self._session.design.count)]
            highest = max(highest, float(shown[-1]) * 1.04)
        return highest or 100.0

    def x_of(self, frequency: float) -> float:
        """Where a frequency stands (pixels)."""
        return self.scale.x_of(frequency)

    def frequency_at(self, x: float) -> float:
        """The frequency at a place (Hz)."""
        return self.scale.frequency_at(x)

    def _in_view(self) -> list[tuple[int, float, float]]:
        """``(branch, frequency, x)`` of every mode in view."""
        answer = self._session.answer
        if answer is None:
            return []
        scale, end = self.scale, self.width() - RIGHT + BEYOND
        placed = [
            (identity, float(frequency), scale.x_of(float(frequency)))
            for identity, frequency in zip(answer.identities, answer.modes.flexible, strict=True)
        ]
        return [each for each in placed if LEFT - BEYOND <= each[2] <= end]

    def pegs(self) -> Iterator[tuple[int, float, QPointF]]:
        """Yield ``(branch, frequency, centre of the head)`` of modes with a head of their own.

        Heads that would cover one another are raised in turn; where too many are near, they are
        in a stack, and have heads while it is open. The chosen mode always has one.
        """
        seen = self._in_view()
        axis = self.height() - _AXIS_UP
        places = peg_places([x for _, _, x in seen])
        for place, level in places.levels.items():
            identity, frequency, x = seen[place]
            yield identity, frequency, QPointF(x, axis - 19 - level * 21)
        for centre, stacked in places.stacks:
            members = [seen[place] for place in stacked]
            if tuple(identity for identity, _, _ in members) == self._fan:
                spread = fanned(centre, len(members), self.width())
                for (identity, frequency, _), (x, row) in zip(members, spread, strict=True):
                    yield identity, frequency, QPointF(x, axis - 62 + 23 * row)
                continue
            for identity, frequency, x in members:
                if identity == self._session.chosen:
                    yield identity, frequency, QPointF(x, axis - 45)

    def stacks(self) -> Iterator[tuple[tuple[int, ...], QPointF]]:
        """Yield the branches of every stack, and the centre of its head."""
        seen = self._in_view()
        axis = self.height() - _AXIS_UP
        for centre, stacked in peg_places([x for _, _, x in seen]).stacks:
            yield tuple(seen[place][0] for place in stacked), QPointF(centre, axis - 19)

    def _stack_at(self, place: QPointF) -> tuple[int, ...]:
        """The stack under a place, or the open one while the hand is about its heads."""
        for branches, head in self.stacks():
            if abs(head.x() - place.x()) <= PEG + 4 and abs(head.y() - place.y()) <= PEG + 2:
                return branches
        if self._fan:
            near = [head for identity, _, head in self.pegs() if identity in self._fan]
            box = QPolygonF(near).boundingRect().adjusted(-22, -22, 22, 40)
            if near and box.contains(place):
                return self._fan
        return ()

    def _peg_at(self, place: QPointF) -> int | None:
        best: tuple[float, int] | None = None
        for identity, _, head in self.pegs():
            away = math.hypot(head.x() - place.x(), head.y() - place.y())
            on_stem = abs(head.x() - place.x()) <= 3 and place.y() > head.y()
            if away <= PEG + 2 or on_stem:
                near = min(away, abs(head.x() - place.x()) + 8 if on_stem else away)
                if best is None or near < best[0]:
                    best = (near, identity)
        return best[1] if best else None

    # -- painting -------------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self._palette.ledge))
        painter.setPen(QPen(QColor(self._palette.line), 1))
        painter.drawLine(0, 0, self.width(), 0)
        axis = self.height() - _AXIS_UP
        marks = RulerMarks(self._session, self._palette, self.scale, axis)
        marks.paint_behind(painter, self._hands.bands(self._session.design))
        self._paint_stacks(painter, axis)
        self._paint_pegs(painter, axis)
        marks.paint_tried(painter)
        self._paint_notes(painter)
        painter.end()

    def _paint_stacks(self, painter: QPainter, axis: int) -> None:
        """Modes too near for heads of their own: a plate with their count, and all their stems."""
        answer = self._session.answer
        if answer is None:
            return
        frequencies = {identity: (f, x) for identity, f, x in self._in_view()}
        for branches, head in self.stacks():
            troubled = False
            for identity in branches:
                frequency, x = frequencies[identity]
                painter.setPen(QPen(QColor(self._palette.branch(identity)), 1.4))
                painter.drawLine(QPointF(x, axis), QPointF(x, axis - 9))
                standing = self._standing(answer, identity, frequency)
                troubled |= standing is not None and standing.place != "clear"
            painter.setPen(QPen(QColor(self._palette.alarm if troubled else self._palette.ink), 2))
            painter.setBrush(QColor(self._palette.card))
            box = QRectF(head.x() - 13, head.y() - 9, 26, 18)
            painter.drawRoundedRect(box, 3, 3)
            painter.setFont(label_font(8, bold=True))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{len(branches)}×")
        if self._fan:
            heads = [head for identity, _, head in self.pegs() if identity in self._fan]
            if not heads:
                return
            around = QPolygonF(heads).boundingRect().adjusted(-16, -16, 16, 16)
            painter.setPen(QPen(QColor(self._palette.line), 1))
            painter.setBrush(QColor(self._palette.card))
            painter.drawRoundedRect(around, 5, 5)

    def _standing(self, answer: Answer, identity: int, frequency: float) -> Standing | None:
        """Where a peg stands against the bands as they are drawn."""
        at, design, modes = answer.index_of(identity) or 0, answer.design, answer.modes
        bands = self._hands.bands(design)
        return stand(frequency, bands, design.margin, modes.kinds[at], modes.swings[at])

    def _paint_pegs(self, painter: QPainter, axis: int) -> None:
        answer = self._session.answer
        if answer is None:
            return
        stale = self._session.stale
        if answer.modes.rigid_count:
            self._paint_rigid(painter, axis, answer.modes.rigid_count)
        pegs = []
        for identity, frequency, head in self.pegs():
            colour = QColor(self._palette.branch(identity))
            if stale:
                colour.setAlpha(110)
            pegs.append((identity, frequency, head, colour, QPointF(self.x_of(frequency), axis)))
        # All stems first: that of a raised peg runs behind the heads below it.
        for identity, _, head, colour, foot in pegs:
            if identity not in self._fan:
                painter.setPen(QPen(colour, 3.0 if identity == self._session.chosen else 1.8))
                painter.drawLine(foot, head)
        for identity, frequency, head, colour, foot in pegs:
            chosen = identity == self._session.chosen
            standing = self._standing(answer, identity, frequency)
            troubled = standing is not None and standing.place != "clear"
            number = str(answer.identities.index(identity) + 1)
            self._paint_head(painter, head, identity, colour, number, chosen, troubled)
            if standing is not None and standing.place == "inside":
                painter.setPen(QPen(QColor(self._palette.alarm), 2.4))
                painter.drawLine(foot + QPointF(-PEG, 2.0), foot + QPointF(PEG, 2.0))
        if self._dragged is not None and self._drag_frequency is not None:
            x = self.x_of(self._drag_frequency)
            painter.setPen(QPen(QColor(self._palette.live), 2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, 18), QPointF(x, axis))
            units = self._session.design.shown
            text = f"reach {units.frequency_text(self._drag_frequency, 4)}"
            painter.drawText(QPointF(x + 5, 30), text)

    def _paint_head(
        self,
        painter: QPainter,
        head: QPointF,
        identity: int,
        colour: QColor,
        number: str,
        chosen: bool,
        troubled: bool,
    ) -> None:
        path = mark_path(identity, head, PEG + (1.5 if chosen else 0))
        if troubled:
            ring = mark_path(identity, head, PEG + 4)
            painter.setPen(QPen(QColor(self._palette.alarm), 2.2))
            painter.setBrush(QColor(self._palette.ledge))
            painter.drawPath(ring)
        painter.setPen(QPen(colour, 2))
        painter.setBrush(colour if chosen else QColor(self._palette.card))
        painter.drawPath(path)
        painter.setFont(label_font(8 if len(number) < 3 else 6, bold=True))
        painter.setPen(QColor(self._palette.card) if chosen else colour)
        box = QRectF(head.x() - 12, head.y() - 8, 24, 16)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, number)

    def _paint_rigid(self, painter: QPainter, axis: int, count: int) -> None:
        painter.setPen(QPen(QColor(self._palette.muted), 2))
        x = self.x_of(0.0)
        painter.drawLine(QPointF(x, axis), QPointF(x, axis - 14))
        painter.setFont(label_font(7.5))
        painter.drawText(QPointF(4, axis - 18), f"{count} rigid")

    def _paint_notes(self, painter: QPainter) -> None:
        painter.setFont(label_font(7.5))
        bottom = QRectF(8, self.height() - 15, self.width() - 16, 13)
        told, note = self.notes(painter.fontMetrics())
        painter.setPen(QColor(self._palette.muted))
        painter.drawText(bottom, Qt.AlignmentFlag.AlignRight, note)
        if self._session.failure or self._session.stale:
            painter.setPen(QColor(self._palette.alarm))
        painter.drawText(bottom, Qt.AlignmentFlag.AlignLeft, told)

    def notes(self, metrics: QFontMetrics) -> tuple[str, str]:
        """What is told below the axis, and what can be done here where there is room beside it."""
        session, told = self._session, ""
        ghost = session.others.ghost
        if session.failure:
            told = session.failure
        elif session.stale:
            told = "pegs are of the older design"
        elif ghost is not None:
            told = f"hollow pegs: {ghost[0]}"
        note = "drag a peg to where it should be, a band to where it is · double click adds a band"
        note += " · the wheel zooms" if self._near is None else " · Home shows all of it"
        room = self.width() - 16
        if told and metrics.horizontalAdvance(told + "   " + note) > room:
            note = ""
        return metrics.elidedText(told, Qt.TextElideMode.ElideRight, room), note

    def _measured_at(self, place: QPointF) -> Held | None:
        """What was measured under a place of the ruler."""
        if place.y() < self.height() - _AXIS_UP:
            return None
        near = [
            (abs(self.scale.x_of(each.measured) - place.x()), at)
            for at, each in enumerate(self._session.measuring.held)
        ]
        away, at = min(near, default=(math.inf, 0))
        return self._session.measuring.held[at] if away <= _GRAB else None

    # -- hands ----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        identity = self._peg_at(event.position())
        if identity is not None:
            self._session.choose(identity)
            self._dragged = identity
            self._drag_from = event.position().x()
            self._drag_frequency = None
        elif self._hands.take(self.frequency_at(event.position().x()), self._pixel):
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Add a band where there is none."""
        frequency = self.frequency_at(event.position().x())
        if self._peg_at(event.position()) is None and not self._hands.over(frequency, self._pixel):
            self._hands.add(frequency)

    @property
    def _pixel(self) -> float:
        """How many Hz a pixel is."""
        return self.scale.span / self.scale.width

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._hands.holding:
            self._hands.drag(self.frequency_at(event.position().x()))
            self.update()
            return
        if self._dragged is None:
            fan = self._stack_at(event.position())
            if fan != self._fan:
                self._fan = fan
                self.update()
            self.setCursor(self._cursor_over(event.position()))
            return
        if self._drag_frequency is not None or abs(event.position().x() - self._drag_from) > _GRAB:
            self._drag_frequency = float(f"{self.frequency_at(event.position().x()):.4g}")
            self._pull_knob(self._dragged, self._drag_frequency)
            self.update()

    def _cursor_over(self, place: QPointF) -> Qt.CursorShape:
        if self._peg_at(place) is not None:
            return Qt.CursorShape.PointingHandCursor
        shapes = {"end": Qt.CursorShape.SizeHorCursor, "body": Qt.CursorShape.OpenHandCursor}
        over = self._hands.over(self.frequency_at(place.x()), self._pixel)
        return shapes.get(over, Qt.CursorShape.ArrowCursor)

    def _pull_knob(self, identity: int, frequency: float) -> None:
        """Show what the knob looked at does when it brings the mode there, by its model."""
        found = self._session.tuning.value_for(identity, frequency)
        if found is not None:
            name, value = found
            self._session.turn_knob(name, float(f"{value:.6g}"))

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        if self._hands.holding:
            self._hands.let_go()
            self.update()
            return
        frequency, self._dragged, self._drag_frequency = self._drag_frequency, None, None
        if frequency is not None:
            self._session.give_up_turn()  # what is asked for is solved
        self.update()
        if frequency is not None and frequency > 0:
            self.reach_asked.emit(frequency)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom about the mouse; sideways, or with Shift, slide along."""
        turn = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier or abs(turn.x()) > abs(turn.y()):
            share = -(turn.x() or turn.y()) / 120 * 0.1
            self._show(self.scale.slid(share, self.whole))
        else:
            factor = _NEARER ** (turn.y() / 120)
            self._show(self.scale.zoomed(event.position().x(), factor, self.whole))
        event.accept()

    def leaveEvent(self, _event: object) -> None:
        self._fan = ()
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Home:
            self.show_whole()
            return
        if event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            factor = _NEARER if event.key() == Qt.Key.Key_Plus else 1 / _NEARER
            mode = self._session.chosen_mode
            x = self.x_of(mode.frequency) if mode else 0.5 * self.width()
            self._show(self.scale.zoomed(x, factor, self.whole))
            return
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is None:
            event.ignore()
        else:
            self._session.choose_neighbour(step)

    def event(self, event: object) -> bool:
        units = self._session.design.shown
        if isinstance(event, QHelpEvent):
            identity = self._peg_at(QPointF(event.pos()))
            answer = self._session.answer
            if identity is not None and answer is not None:
                index = answer.index_of(identity)
                if index is not None:
                    mode = answer.modes.mode(index)
                    text = (
                        f"Mode {mode.number}: {units.frequency_text(mode.frequency, 6)}, "
                        f"{mode.kind_words}"
                    )
                    QToolTip.showText(event.globalPos(), text, self)
            elif answer is not None and answer.modes.rigid_count and event.pos().x() < LEFT + 6:
                names = "\n".join(answer.modes.rigid_names)
                QToolTip.showText(event.globalPos(), f"Rigid motions left:\n{names}", self)
            elif (held := self._measured_at(QPointF(event.pos()))) is not None:
                text = f"Measured {units.frequency_text(held.measured, 6)}"
                if held.difference is not None:
                    text += f": mode {held.number}, computed {100 * held.difference:+.3g} %"
                QToolTip.showText(event.globalPos(), text, self)
            else:
                QToolTip.hideText()
            return True
        return super().event(event)  # type: ignore[arg-type]
