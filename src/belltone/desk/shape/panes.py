"""One, two or four canvases with linked views, each with a mode of its own."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QAction, QCursor
from PySide6.QtWidgets import QGridLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from belltone.desk.session.session import Session
from belltone.desk.shape.canvas import ShapeCanvas
from belltone.desk.shape.site_menu import site_menu
from belltone.drawing.colours import Palette
from belltone.drawing.options import SceneOptions
from belltone.drawing.shown import STATE_KINDS, Shown
from belltone.modes.base_state import BaseState

__all__ = ["Panes"]

_COUNTS = (1, 2, 4)
_CAPTION = 36  # pixels that say what a pane shows


class Panes(QWidget):
    """The canvases. The first shows the chosen mode; the others keep the modes given to them."""

    changed = Signal()

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette = session, palette
        self._options = SceneOptions()
        self._swing, self._amplitude = 1.0, 0.6
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(6)
        self.canvases: list[ShapeCanvas] = []
        self.set_count(1)
        session.pointing.changed.connect(self._point)

    def _point(self) -> None:
        pointing = self._session.pointing
        self.first.point_at(pointing.site, pointing.gathered, pointing.spots)

    @property
    def first(self) -> ShapeCanvas:
        """The canvas of the chosen mode."""
        return self.canvases[0]

    @property
    def count(self) -> int:
        """How many canvases there are."""
        return len(self.canvases)

    def set_count(self, count: int) -> None:
        """Show one, two or four."""
        if count not in _COUNTS:
            raise ValueError(f"there are one, two or four panes, not {count}")
        while len(self.canvases) > count:
            canvas = self.canvases.pop()
            canvas.finish()
            canvas.deleteLater()
        while len(self.canvases) < count:
            self._add()
        for place, canvas in enumerate(self.canvases):
            canvas.named = count == 1  # names would cover small pictures
            canvas.make_room(_CAPTION if count > 1 else 0)
            self._grid.addWidget(canvas, place // 2, place % 2)
        self.changed.emit()

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        for canvas in self.canvases:
            canvas.set_palette(palette)

    @property
    def options(self) -> SceneOptions:
        """What is to be seen."""
        return self._options

    def set_options(self, options: SceneOptions) -> None:
        """Take what is to be seen, in all of them."""
        self._options = options
        for canvas in self.canvases:
            canvas.set_options(options)
        self.changed.emit()

    def set_swing(self, swing: float, behind: float = 0.0) -> None:
        """Show all modes at ``swing`` of their cycles, ``behind`` of it a quarter turn later."""
        self._swing = swing
        for canvas in self.canvases:
            canvas.set_swing(swing, behind)

    def set_amplitude(self, amplitude: float) -> None:
        """Draw all modes with another amplitude."""
        self._amplitude = amplitude
        for canvas in self.canvases:
            canvas.amplitude = amplitude

    def look(self, direction: str) -> None:
        """Look along an axis."""
        self.first.look(direction)

    def fit(self) -> None:
        """Bring everything into view."""
        self.first.fit()

    def finish(self) -> None:
        """Stop drawing for good."""
        for canvas in self.canvases:
            canvas.finish()

    def _add(self) -> None:
        canvas = ShapeCanvas(self._session, self._palette)
        canvas.amplitude = self._amplitude
        canvas.set_options(self._options)
        if self.canvases:
            canvas.share_camera(self.first)
            canvas.show_this(Shown("mode", self._next_mode()))
            button = QToolButton(canvas)
            button.setText("mode…")
            button.setProperty("plain", True)
            button.setToolTip("Choose what this pane shows")
            button.clicked.connect(lambda _=False, canvas=canvas: self._ask_mode(canvas))
            corner = QVBoxLayout(canvas)
            corner.setContentsMargins(0, 0, 4, 4)
            place = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom
            corner.addWidget(button, 0, place)
        canvas.set_swing(self._swing)
        canvas.moved.connect(lambda: self._follow(canvas))
        canvas.site_clicked.connect(lambda site: self._ask_what(canvas, site))
        canvas.site_gathered.connect(self._session.pointing.gather)
        self.canvases.append(canvas)

    def _next_mode(self) -> int:
        taken = [canvas.index for canvas in self.canvases if canvas.index is not None]
        return max(taken, default=-1) + 1

    def _follow(self, moved: ShapeCanvas) -> None:
        for canvas in self.canvases:
            if canvas is not moved:
                canvas.follow()

    def mode_menu(self, canvas: ShapeCanvas) -> QMenu:
        """The modes a pane can keep."""
        menu = QMenu(canvas)
        answer, units = self._session.answer, self._session.design.shown
        if answer is None:
            return menu
        for index, mode in enumerate(answer.modes.modes()):
            name = "rigid" if mode.rigid else str(mode.number)
            frequency = units.frequency_text(mode.frequency)
            action = QAction(f"{name} · {frequency} · {mode.kind}", menu)
            action.triggered.connect(
                lambda _=False, index=index: canvas.show_this(Shown("mode", index))
            )
            menu.addAction(action)
        if answer.modes.base is not None:
            menu.addSeparator()
            for shown, words in self.state_choices(answer.modes.base):
                menu.addAction(words).triggered.connect(
                    lambda _=False, shown=shown: canvas.show_this(shown)
                )
        return menu

    @staticmethod
    def state_choices(base: BaseState) -> list[tuple[Shown, str]]:
        """What can be shown of a preload, and the words for it."""
        found = [(Shown("bare"), "the chosen mode without preload")]
        found += [(Shown(kind), words) for kind, words in STATE_KINDS.items()]
        for number in range(len(base.factors)):
            words = f"buckling shape {number + 1}, {base.factor_words(number)}"
            found.append((Shown("buckling", number), words))
        return found

    def show_beside(self, kind: str) -> None:
        """Show something of the preload in a second pane, linked to the first."""
        if self.count == 1:
            self.set_count(2)
        self.canvases[1].show_this(Shown(kind))

    def _ask_mode(self, canvas: ShapeCanvas) -> None:
        self.mode_menu(canvas).exec(canvas.mapToGlobal(QPoint(8, 60)))

    def _ask_what(self, canvas: ShapeCanvas, site: str) -> None:
        menu = site_menu(self._session, site, canvas, canvas.spot)
        menu.exec(QCursor.pos())
        menu.deleteLater()
