"""A film of the chosen mode, of all, or of one as a knob is turned."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QSpinBox,
    QWidget,
)

from belltone.desk.handing.write_panel import WritePanel
from belltone.desk.knob_box import KnobBox
from belltone.desk.look import label_font, tell
from belltone.desk.questions import write_film
from belltone.desk.session.session import Session
from belltone.drawing.colours import LIGHT, Palette
from belltone.drawing.eye import Heading
from belltone.drawing.options import SceneOptions
from belltone.drawing.stills import View, plain
from belltone.exchange.films import Reel, frame_count
from belltone.exchange.handed import Filmed

__all__ = ["FilmPanel"]

_CHOSEN, _ALL, _OVER = "the chosen mode", "all modes, one after another", "the chosen mode over"
_SIZES = {"1280 × 720": (1280, 720), "1920 × 1080": (1920, 1080), "640 × 360": (640, 360)}
_HERE = "as in the window"
_FROM = {_HERE: "", "a corner": "corner", "x": "x", "y": "y", "z": "z"}
_VALUES = 25  # of a knob


class FilmPanel(WritePanel):
    """Says what is filmed and how, and has it made; ``heading`` is how the window looks at it."""

    def __init__(self, session: Session, heading: Callable[[], Heading]) -> None:
        super().__init__(session, "film")
        self._heading = heading
        self._palette = LIGHT
        self.what = QComboBox()
        self.what.addItems([_CHOSEN, _ALL, _OVER])
        self.what.setAccessibleName("what is filmed")
        self.knob = KnobBox(session, "knob that is turned")
        shown = QWidget()
        row = QHBoxLayout(shown)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.what)
        row.addWidget(self.knob, 1)
        self.pixels = QComboBox()
        self.pixels.addItems(list(_SIZES))
        self.pixels.setAccessibleName("size of the picture (pixels)")
        self.seen = QComboBox()
        self.seen.addItems(list(_FROM))
        self.seen.setAccessibleName("looked at from")
        self.frames = _number(2, 600, 60, " a cycle", "frames a cycle")
        self.cycles = _number(1, 100, 1, "", "cycles")
        self.rate = _number(2, 60, 30, " frames a second", "frames a second")
        self.half = QCheckBox("half a cycle: one side only")
        self.bare = QCheckBox("no words, no supports: the component alone")
        self.turntable = QDoubleSpinBox()
        self.turntable.setRange(-3600.0, 3600.0)
        self.turntable.setDecimals(0)
        self.turntable.setSuffix("° in all")
        self.turntable.setAccessibleName("turn the component meanwhile")
        form = QFormLayout()
        for text, widget in (
            ("Film", shown),
            ("Size", self.pixels),
            ("Seen from", self.seen),
            ("Frames", self.frames),
            ("Cycles", self.cycles),
            ("Speed", self.rate),
            ("Turn it by", self.turntable),
            ("", self.half),
            ("", self.bare),
        ):
            form.addRow(text, widget)
        self.body.addLayout(form)
        self.length = QLabel()
        self.length.setFont(label_font(9.5))
        self.body.addWidget(self.length)
        self.body.addStretch(1)
        for box in (self.what, self.pixels):
            box.currentIndexChanged.connect(self.follow)
        for number in (self.frames, self.cycles, self.rate):
            number.valueChanged.connect(self.follow)
        session.choice_changed.connect(self.follow)
        session.answer_changed.connect(self.follow)
        self.follow()
        self.refresh()

    def set_palette(self, palette: Palette) -> None:
        """Films are made in the theme's colours."""
        self._palette = palette

    @property
    def reel(self) -> Reel:
        """How the film runs."""
        width, height = _SIZES[self.pixels.currentText()]
        options = SceneOptions(axes=False)
        seen = self.seen.currentText()
        view = View(
            width,
            height,
            self._heading() if seen == _HERE else _FROM[seen],
            options=plain(options) if self.bare.isChecked() else options,
        )
        over = self.what.currentText() == _OVER
        return Reel(
            view,
            max(2, self.frames.value() // 12) if over else self.frames.value(),
            self.cycles.value(),
            self.rate.value(),
            self.half.isChecked(),
            self.turntable.value(),
            not self.bare.isChecked(),
            self._palette,
        )

    @property
    def shown(self) -> Filmed | None:
        """What is filmed; nothing where no mode is chosen."""
        mode, what = self._session.chosen_mode, self.what.currentText()
        if what == _ALL:
            return Filmed(every=True)
        if mode is None or mode.rigid:
            return None
        if what == _CHOSEN:
            return Filmed((mode.number,))
        name = self.knob.currentText()
        if not name:
            return None
        knob = self._session.written.knobs[name]
        low, high = (knob.exact_text(end) for end in knob.range)
        return Filmed((mode.number,), over=f"{name}={low}:{high}:{_VALUES}")

    def follow(self) -> None:
        """Say how long the film is, or what is missing."""
        self.knob.setVisible(self.what.currentText() == _OVER)
        answer, shown = self._session.answer, self.shown
        if answer is None or shown is None:
            tell(self.length, "Choose a mode that is to be filmed.", "muted")
            return
        reel = self.reel
        scenes = len(answer.modes.flexible) if shown.every else 1
        frames = _VALUES * reel.frames if shown.over else frame_count(reel, scenes)
        seconds = frames / reel.rate
        tell(self.length, f"{frames} frames, {seconds:.1f} s long.", "muted")

    def endings(self) -> tuple[str, str]:
        return ".mp4", "Film (*.mp4);;Moving picture (*.gif)"

    def start(self, target: Path) -> None:
        shown = self.shown
        if shown is not None:
            self._session.handing.write("film", write_film, target, shown, self.reel)


def _number(low: int, high: int, value: int, suffix: str, name: str) -> QSpinBox:
    box = QSpinBox()
    box.setRange(low, high)
    box.setValue(value)
    box.setSuffix(suffix)
    box.setAccessibleName(name)
    return box
