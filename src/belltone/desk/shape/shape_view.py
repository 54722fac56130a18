"""The shape view: the component in the chosen mode, moving, with an honest legend."""

from __future__ import annotations

import math
import time
from dataclasses import replace

from PySide6.QtCore import QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QColor, QLinearGradient, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMenu,
    QSizePolicy,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.elided import ElidedLabel
from belltone.desk.flow import FlowRow
from belltone.desk.look import label_font
from belltone.desk.session.session import Session
from belltone.desk.shape.canvas import ShapeCanvas
from belltone.desk.shape.panes import Panes
from belltone.drawing.colours import Palette
from belltone.drawing.shown import CHOSEN, Shown, state_values
from belltone.modes.base_state import BaseState
from belltone.sheet.shown_units import ShownUnits
from belltone.sheet.units import format_number

__all__ = ["ShapeView"]

_FRAME_MS = 33
_LEAST_HEIGHT = 200  # pixels: heading, a small picture, two rows of controls
_VIEWS = {"shown": "seen", "faint": "see-through", "hidden": "hidden"}
_CHOICES = ("colour", "cut", "least", "most")  # options of which one value is chosen
_COLOURS = {
    "motion": "relative motion",
    "energy": "relative strain energy",
    "kinetic": "relative kinetic energy",
}


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
        self.sub = ElidedLabel()
        self.sub.setFont(label_font(9))
        self.sub.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.sub.setProperty("role", "muted")
        self._legend = _Legend(palette)
        top.addWidget(self.head)
        top.addWidget(self.sub, 1)
        top.addWidget(self._legend)
        column.addLayout(top)
        self.panes = Panes(session, palette)
        self.panes.changed.connect(self._show_options)
        column.addWidget(self.panes, 1)
        column.addWidget(self._controls())
        self._phase = math.pi / 2
        self._then = time.monotonic()
        self._clock = QTimer(self, interval=_FRAME_MS)
        self._clock.timeout.connect(self._tick)
        session.parts.changed.connect(self._show_parts)
        session.choice_changed.connect(self._name_mode)
        session.answer_changed.connect(self._name_mode)
        self._name_mode()

    @property
    def canvas(self) -> ShapeCanvas:
        """The picture of the chosen mode."""
        return self.panes.first

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
        self.panes.set_palette(palette)

    def finish(self) -> None:
        """Stop moving and drawing for good."""
        self._clock.stop()
        self.panes.finish()

    def minimumSizeHint(self) -> QSize:
        # The controls are two rows at the least width; the layout would count them one by one.
        return QSize(super().minimumSizeHint().width(), _LEAST_HEIGHT)

    def closeEvent(self, event: QCloseEvent) -> None:
        self.finish()
        super().closeEvent(event)

    def _controls(self) -> FlowRow:
        """What moves and turns the picture, in as many rows as the width asks for."""
        row = FlowRow(6)
        self.play = _button("▶", "Play or pause the motion (Ctrl+Space)")
        self.play.setCheckable(True)
        self.play.clicked.connect(self.set_playing)
        row.add(self.play)
        self.speed = _slider("speed", 100, 40)
        self.amplitude = _slider("amplitude (drawn)", 100, 60)
        self.amplitude.valueChanged.connect(self._set_amplitude)
        for slider in (self.speed, self.amplitude):
            row.add(slider)
            label = QLabel(slider.accessibleName())
            label.setFont(label_font(8.5))
            label.setProperty("role", "muted")
            row.add(label)
        self.cut = _slider("where it is cut", 100, 50)
        self.cut.setToolTip("Where the component is cut open")
        self.cut.valueChanged.connect(
            lambda value: self.panes.set_options(replace(self.panes.options, cut_at=value / 100))
        )
        self.cut.hide()
        self.show_button = _button("show…", "Choose colours, lines and how many panes")
        self.show_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.show_button.setMenu(self.show_menu())
        row.add(self.show_button)
        row.add(self.cut)
        looking = QLabel("look along")
        looking.setFont(label_font(8.5))
        looking.setProperty("role", "muted")
        row.add(looking)
        for direction in ("x", "y", "z"):
            button = _button(direction, f"Look along the {direction} axis")
            button.clicked.connect(lambda _=False, axis=direction: self.panes.look(axis))
            row.add(button)
        for text, tip, call in (
            ("slant", "Look at it from a corner", lambda: self.panes.look("corner")),
            ("fit", "Bring everything into view", lambda: self.panes.fit()),
        ):
            button = _button(text, tip)
            button.clicked.connect(call)
            row.add(button)
        return row

    def show_menu(self) -> QMenu:
        """What is seen: colours, lines, names, and the number of panes."""
        menu = QMenu(self)
        self._checks: dict[tuple[str, object], QAction] = {}
        for key, words in _COLOURS.items():
            self._check(menu, ("colour", key), f"colour by {words}")
        menu.addSeparator()
        for key, words in (
            ("nodal", "lines that stand still"),
            ("mesh", "lines between elements"),
            ("clutter", "supports, masses and names"),
            ("axes", "axes in the corner"),
        ):
            self._check(menu, (key, True), words)
        menu.addSeparator()
        cuts = menu.addMenu("cut it open")
        for axis in ("", "x", "y", "z"):
            words = f"across {axis}, where the slider says" if axis else "not at all"
            self._check(cuts, ("cut", axis), words)
        masks = menu.addMenu("colour only where there is much, or little")
        for least in (0.0, 0.1, 0.25, 0.5):
            words = f"from {100 * least:.0f} % of the most on" if least else "from nothing on"
            self._check(masks, ("least", least), words)
        self._stated(masks, "least", "from another share on…")
        masks.addSeparator()
        for most in (0.25, 0.5, 1.0):
            words = f"up to {100 * most:.0f} % of the most" if most < 1 else "up to the most"
            self._check(masks, ("most", most), words)
        self._stated(masks, "most", "up to another share…")
        self.half = menu.addAction("move to one side only (half a cycle)")
        self.half.setCheckable(True)
        menu.addSeparator()
        self._region_menu = menu.addMenu("regions of received parts")
        self._region_menu.aboutToShow.connect(self._fill_regions)
        self._state_menu = menu.addMenu("what the preload does")
        self._state_menu.aboutToShow.connect(self._fill_states)
        menu.addSeparator()
        for count, words in ((1, "one pane"), (2, "two panes"), (4, "four panes")):
            action = menu.addAction(words)
            action.setCheckable(True)
            action.triggered.connect(lambda _=False, count=count: self.panes.set_count(count))
            self._checks[("panes", count)] = action
        self._show_options()
        return menu

    def _fill_regions(self) -> None:
        """Regions of received parts, each to be seen, seen through, hidden or shown alone."""
        menu, session = self._region_menu, self._session
        menu.clear()
        names = [
            f"{part.name}.{region}"
            for part in session.design.solid_parts
            for region in part.region_names
        ]
        if not names:
            menu.addAction("there are none").setEnabled(False)
            return
        for name in names:
            own = menu.addMenu(f"{name} ({_VIEWS[session.parts.views.get(name, 'shown')]})")
            for view, words in _VIEWS.items():
                own.addAction(words).triggered.connect(
                    lambda _=False, name=name, view=view: session.parts.set_view([name], view)
                )
            own.addAction("alone").triggered.connect(
                lambda _=False, name=name: self._show_region(name, names)
            )
        menu.addAction("all of them seen").triggered.connect(
            lambda: session.parts.set_view(names, "shown")
        )

    def _show_region(self, name: str, names: list[str]) -> None:
        self._session.parts.set_view([each for each in names if each != name], "hidden")
        self._session.parts.set_view([name], "shown")

    def _fill_states(self) -> None:
        """What can be shown of the preload, in the first pane."""
        self._state_menu.clear()
        answer = self._session.answer
        base = None if answer is None else answer.modes.base
        if base is None:
            self._state_menu.addAction("nothing loads it").setEnabled(False)
            return
        for shown, words in [(CHOSEN, "nothing: the chosen mode"), *self.panes.state_choices(base)]:
            self._state_menu.addAction(words).triggered.connect(
                lambda _=False, shown=shown: self.show_this(shown)
            )

    def show_this(self, shown: Shown) -> None:
        """Show something of the preload, or the chosen mode again, in the first pane."""
        self.canvas.show_this(shown)
        self._name_mode()

    def _check(self, menu: QMenu, key: tuple[str, object], words: str) -> None:
        action = menu.addAction(words)
        action.setCheckable(True)
        action.triggered.connect(lambda checked: self.set_option(key, checked))
        self._checks[key] = action

    def set_option(self, key: tuple[str, object], on: bool) -> None:
        """Change one of the options: a switch on or off, or the colour chosen."""
        name, value = key
        chosen = value if name in _CHOICES else on
        self.panes.set_options(replace(self.panes.options, **{name: chosen}))  # type: ignore[arg-type]

    def _stated(self, menu: QMenu, name: str, words: str) -> None:
        action = menu.addAction(words)
        action.setObjectName(f"{name} stated")
        action.triggered.connect(lambda: self._ask(name))

    def _ask(self, name: str) -> None:
        """Ask from, or up to, which share of the most there is any colour."""
        words = "from" if name == "least" else "up to"
        share, good = QInputDialog.getDouble(
            self,
            "Colour in part",
            f"Colour only {words} this share of the most (%)",
            100 * getattr(self.panes.options, name),
            0.0,
            100.0,
            1,
        )
        if good:
            self.set_option((name, share / 100), True)

    def _show_parts(self) -> None:
        """Hide, see through or outline parts as the session has them."""
        session = self._session
        self.panes.set_options(
            replace(
                self.panes.options,
                hidden=session.parts.seen("hidden"),
                faint=session.parts.seen("faint"),
                lit=session.parts.lit,
            )
        )

    def _show_options(self) -> None:
        options = self.panes.options
        for (name, value), action in self._checks.items():
            present = self.panes.count if name == "panes" else getattr(options, name)
            action.setChecked(present == value)
        self._legend.set_words(_COLOURS[options.colour])
        self.cut.setVisible(bool(options.cut))

    def _set_amplitude(self, value: int) -> None:
        self.panes.set_amplitude(value / 100)
        self.panes.set_swing(math.sin(self._phase))

    def _tick(self) -> None:
        now = time.monotonic()
        cycles = 0.1 + 2.4 * self.speed.value() / 100
        self._phase = (self._phase + 2 * math.pi * cycles * (now - self._then)) % (2 * math.pi)
        self._then = now
        if self.half.isChecked():
            # From rest to the one side and back; a whirl goes round all the same.
            self.panes.set_swing(0.5 - 0.5 * math.cos(self._phase), 0.5 * math.sin(self._phase))
        else:
            self.panes.set_swing(math.sin(self._phase), math.cos(self._phase))

    def _name_mode(self) -> None:
        mode, shown = self._session.chosen_mode, self.canvas.shown
        answer = self._session.answer
        base = None if answer is None else answer.modes.base
        units = self._session.design.shown
        self._legend.set_state(base, shown, units)
        if mode is None or shown != CHOSEN:
            self.head.setText("")
            self.sub.setText("")
            return
        self.head.setText(f"Mode {mode.number} · {units.frequency_text(mode.frequency)}")
        older = "  (of the older design)" if self._session.stale else ""
        self.sub.setText(mode.kind + older)


class _Legend(QWidget):
    """Says what the colours are: relative motion, with no unit of length."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._palette = palette
        self._words = _COLOURS["motion"]
        self._top: str | None = None
        self.setFixedSize(216, 26)
        self.setToolTip(
            "Amplitudes of a mode are relative: how far one spot moves compared with the spot "
            "that moves most. They are no distances."
        )

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.update()

    def set_words(self, words: str) -> None:
        """Say what the colours are now."""
        self._words = words
        self.update()

    def set_state(self, base: BaseState | None, shown: Shown, units: ShownUnits) -> None:
        """Say what the colours of a loaded state are: real sizes, with their unit."""
        self._top = None
        if base is not None and shown.of_state:
            values, unit = state_values(base, shown.kind, units)
            self._top = f"{format_number(float(values.max()), 4)} {unit}"
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        bar = QRectF(0, 2, self.width(), 8)
        gradient = QLinearGradient(bar.topLeft(), bar.topRight())
        colours = self._palette.motion if self._top is None else self._palette.state
        for place, name in enumerate(colours):
            gradient.setColorAt(place / (len(colours) - 1), QColor(name))
        painter.fillRect(bar, gradient)
        painter.setFont(label_font(7.5))
        painter.setPen(QColor(self._palette.muted))
        text = QRectF(0, 12, self.width(), 13)
        low, middle, high = "0, none", self._words, "1, most"
        if self._top is not None:
            low, middle, high = "0", "real size", self._top
        painter.drawText(text, Qt.AlignmentFlag.AlignLeft, low)
        painter.drawText(text, Qt.AlignmentFlag.AlignHCenter, middle)
        painter.drawText(text, Qt.AlignmentFlag.AlignRight, high)
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
    slider.setFixedWidth(50)
    slider.setAccessibleName(name)
    return slider
