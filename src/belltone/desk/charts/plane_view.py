"""Two knobs at once: how far every design is from the bands, and where one mode stands."""

from __future__ import annotations

import math

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from pyqtgraph.GraphicsScene.mouseEvents import MouseClickEvent
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QShowEvent, QTransform
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from belltone.desk.help.terms import set_term
from belltone.desk.knob_box import KnobBox
from belltone.desk.look import label_font
from belltone.desk.pictures import ask_write_chart
from belltone.desk.session.session import Session
from belltone.drawing.colours import Palette, rgb
from belltone.exchange.tables import percent
from belltone.sheet.errors import Path as SheetPath
from belltone.store.failures import error_words
from belltone.tune.plane import Plane, least_margins
from belltone.tune.questions import FoundPlane

__all__ = ["PlaneView"]

Array = NDArray[np.float64]

_NO_KNOB, _NOTCHES = "none", 200
_LINES = 6  # contour lines of the chosen mode, about
_FINER = 4
_FAR = 3.0  # margins; what is farther from every band is not told apart


class PlaneView(QWidget):
    """A window of its own over the session; it asks for the map when it is told to."""

    def __init__(self, session: Session, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self._session, self._palette = session, palette
        self.setWindowTitle("Two knobs · Bell Tone")
        set_term(self, "map of two knobs")
        self.resize(940, 700)
        self.found: FoundPlane | None = None
        self._slid = ""  # the knob the slider was set for
        self._rest = ""
        self._known: tuple[int, ...] = ()  # which modes the tracks of the map are, in order
        column = QVBoxLayout(self)
        column.addLayout(self._controls())
        column.addWidget(self._third_row())
        self.plot = pg.PlotWidget()
        self.plot.setAccessibleName("Least margin to any band over two knobs")
        self.plot.setMenuEnabled(False)
        self.plot.setMouseEnabled(x=False, y=False)
        self.plot.hideButtons()
        column.addWidget(self.plot, 1)
        self.legend = QLabel()
        self.legend.setFont(label_font(8.5))
        self.legend.setTextFormat(Qt.TextFormat.RichText)
        self.legend.setWordWrap(True)
        column.addWidget(self.legend)
        self.words = QLabel()
        self.words.setFont(label_font(9.5))
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        self.under = QLabel()
        self.under.setFont(label_font(9.5, bold=True))
        column.addWidget(self.under)
        self._fine: Plane | None = None
        self._mode_values: Array | None = None
        self._lines = [pg.InfiniteLine(angle=angle) for angle in (90, 0)]
        for line in self._lines:
            line.setZValue(20)
        scene = self.plot.scene()
        scene.sigMouseMoved.connect(self._hover)
        scene.sigMouseClicked.connect(self._clicked)
        session.jobs.changed.connect(self._follow_jobs)
        session.sheet_changed.connect(self._follow)
        session.turned.connect(self._place_cursor)
        session.choice_changed.connect(self._choose)
        self.set_palette(palette)
        self._choose()

    def _controls(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.across, self.up = (
            KnobBox(self._session, f"knob {where}") for where in ("across", "up")
        )
        if self.up.count() > 1:
            self.up.setCurrentIndex(1)
        self.third = KnobBox(self._session, "third knob", _NO_KNOB)
        self.mode = QComboBox()
        self.mode.setAccessibleName("mode whose frequency is drawn as lines")
        self.draw = QPushButton("Draw it")
        self.draw.clicked.connect(self.run_or_stop)
        for text, widget in (
            ("Across", self.across),
            ("up", self.up),
            ("third", self.third),
            ("lines of", self.mode),
        ):
            row.addWidget(QLabel(text))
            row.addWidget(widget)
        row.addStretch(1)
        self.write = QPushButton("Write the picture…")
        self.write.clicked.connect(self._ask_write)
        row.addWidget(self.write)
        row.addWidget(self.draw)
        for box in (self.across, self.up, self.third):
            box.currentTextChanged.connect(self._follow)
        self.mode.currentIndexChanged.connect(lambda _: self.show_plane())
        return row

    def _third_row(self) -> QWidget:
        """Where the third knob stands, if there is one."""
        self.third_row = QWidget()
        row = QHBoxLayout(self.third_row)
        row.setContentsMargins(0, 0, 0, 0)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, _NOTCHES)
        self.slider.setAccessibleName("value of the third knob")
        self.slider.valueChanged.connect(self._turn_third)
        self.third_words = QLabel()
        self.third_words.setFont(label_font(9, bold=True))
        self.third_words.setMinimumWidth(170)
        row.addWidget(self.third_words)
        row.addWidget(self.slider, 1)
        return self.third_row

    def _ask_write(self) -> None:
        ask_write_chart(self.plot, "two knobs", self)

    def set_palette(self, palette: Palette) -> None:
        """Take another theme's colours."""
        self._palette = palette
        self.plot.setBackground(palette.card)
        for side in ("bottom", "left"):
            axis = self.plot.getAxis(side)
            axis.setPen(palette.line)
            axis.setTextPen(palette.ink)
            axis.enableAutoSIPrefix(False)
        for line in self._lines:
            line.setPen(pg.mkPen(palette.live, width=2))
        self.show_plane()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._choose()

    # -- asking ---------------------------------------------------------------------------------

    @property
    def _knobs(self) -> tuple[str, str]:
        return self.across.currentText(), self.up.currentText()

    @property
    def _third(self) -> str:
        """The third knob, if there is one."""
        name = self.third.currentText()
        return "" if name == _NO_KNOB else name

    @property
    def _all_knobs(self) -> tuple[str, ...]:
        return (*self._knobs, self._third) if self._third else self._knobs

    @property
    def _third_value(self) -> float:
        """Where the third knob stands, in its unit."""
        low, high = self._session.written.knobs[self._third].range
        return low + (high - low) * self.slider.value() / _NOTCHES

    @property
    def _others(self) -> tuple[float, ...]:
        if not self._third:
            return ()
        return (self._third_value * self._session.written.knobs[self._third].scale,)

    def _turn_third(self) -> None:
        """Read the map off the model anew, once what is being read is there."""
        self._tell_third()
        if self._current and self._session.jobs.state("plane") is None:
            self._ask()

    def _tell_third(self) -> None:
        knob = self._session.written.knobs.get(self._third)
        self.third_row.setVisible(knob is not None)
        if knob is not None:
            self.third_words.setText(f"{self._third} {knob.text(self._third_value, 4)}")

    def _begin_third(self) -> None:
        """The slider of a third knob begins where the knob stands."""
        knob = self._session.written.knobs.get(self._third)
        if knob is not None and self._third != self._slid:
            low, high = knob.range
            self._slid = self._third
            self.slider.blockSignals(True)
            self.slider.setValue(round(_NOTCHES * (knob.value - low) / (high - low)))
            self.slider.blockSignals(False)
        self._tell_third()

    def run_or_stop(self) -> None:
        """Find the map in the background, or stop finding it."""
        session = self._session
        if session.jobs.state("plane") is not None:
            session.jobs.stop("plane")
            session.models.consider()
            self._follow()
            return
        self._ask()

    def _ask(self) -> None:
        session, rest = self._session, self._rest_now()
        known = () if session.answer is None else tuple(session.answer.identities)

        def look(found: FoundPlane) -> None:
            self.found, self._rest, self._known = found, rest, known
            self.show_plane()
            if self._current and found.others != self._others:
                self._ask()  # the slider went on meanwhile

        def finish(found: FoundPlane) -> None:
            look(found)
            self._follow()

        def fail(error: Exception) -> None:
            self.words.setText(f"No map: {error_words(error)}")

        session.models.find_plane(self._all_knobs, self._others, look, finish, fail)

    def _rest_now(self) -> str:
        return self._session.sheet.answer_hash(dict.fromkeys(self._all_knobs, ""))

    def _follow_jobs(self, lane: str) -> None:
        if lane != "plane":
            return
        state = self._session.jobs.state("plane")
        self.draw.setText("Draw it" if state is None else "Stop")
        if state is None:
            return
        if state.total:
            self.words.setText(f"reading the map: {state.done} of {state.total} rows")
        else:
            self.words.setText(f"looking at designs for the model: {state.done} so far")

    def _follow(self) -> None:
        """What the map is of, or why there is none."""
        session, (first, second) = self._session, self._knobs
        differ = len(set(self._all_knobs)) == len(self._all_knobs)
        able = bool(first and second and differ) and session.answer is not None
        self._begin_third()
        self.write.setEnabled(self._current)
        self.draw.setEnabled(able or session.jobs.state("plane") is not None)
        if not first or self.across.count() < 2:
            self.words.setText("The map needs two knobs: right-click a number and make one of it.")
        elif not differ:
            self.words.setText("Choose different knobs.")
        elif session.jobs.state("plane") is None:
            self.words.setText(self._told())
        self.show_plane()

    def _told(self) -> str:
        """How good the map is, and what of it is not known."""
        if not self._current:
            return "Nothing is drawn yet; the map is read off a model of a few solved designs."
        assert self.found is not None
        plane = self.found.plane
        solved = self.found.model.solutions
        text = (
            f"By a model of {solved} solved design{'s' * (solved != 1)}, within "
            f"{percent(max(plane.error, 1e-6))} of exact ones on the same elements. "
            "A click goes there, where the design is solved; the right button pins it."
        )
        if plane.unknown.any():
            text += f" The model does not know {percent(float(plane.unknown.mean()))} of the map."
        return text

    @property
    def _track(self) -> int | None:
        """The track of the map that is the mode chosen, wherever that stands by now."""
        answer, place = self._session.answer, self.mode.currentIndex()
        if answer is None or not 0 <= place < len(answer.identities):
            return None
        identity = answer.identities[place]
        return self._known.index(identity) if identity in self._known else None

    @property
    def _current(self) -> bool:
        """Whether what was found is of the knobs chosen and of the design, but for these two."""
        if self.found is None or self.found.model.knobs != self._all_knobs:
            return False
        return self._rest == self._rest_now()

    # -- drawing --------------------------------------------------------------------------------

    def _choose(self) -> None:
        """List the modes; the one looked at is drawn."""
        answer = self._session.answer
        count = 0 if answer is None else len(answer.modes.flexible)
        if self.mode.count() != count:
            self.mode.blockSignals(True)
            self.mode.clear()
            self.mode.addItems([f"mode {number}" for number in range(1, count + 1)])
            self.mode.blockSignals(False)
        chosen = self._session.chosen_mode
        if chosen is not None and not chosen.rigid:
            self.mode.setCurrentIndex(min(chosen.number, count) - 1)
        self._follow()

    def show_plane(self) -> None:
        """Draw the margins, the clear region's outline, lines of the mode, and the cursor."""
        if not self.isVisible():
            return  # drawn when it is shown
        self.plot.clear()
        self.legend.setText("")
        self.under.setText("")
        self._fine = None
        if not self._current:
            return
        assert self.found is not None
        plane, design, palette = self.found.plane, self._session.design, self._palette
        for side, knob in (("bottom", plane.knobs[0]), ("left", plane.knobs[1])):
            unit = design.knobs[knob].unit
            self.plot.setLabel(side, f"{knob} ({unit})" if unit else knob, color=palette.ink)
        # Bands are narrower than the steps; frequencies are smooth between them.
        fine = self._fine = plane.finer(_FINER)
        track = self._track
        self._mode_values = None if track is None else plane.of_track(track, _FINER)
        margins = least_margins(fine, design.bands)
        colours = self._colours(margins, design.margin)
        image = pg.ImageItem(colours, axisOrder="row-major", levels=(0, 255))
        image.setRect(self._corners(fine))
        self.plot.addItem(image)
        if np.isfinite(margins).any():
            edge = pg.mkPen(palette.clear, width=2.4)
            self._outline(fine, np.nan_to_num(margins, nan=-1.0), design.margin, edge)
        self._draw_lines(plane)
        self._cover(fine)
        for line in self._lines:
            self.plot.addItem(line)
        self.plot.setRange(self._corners(fine), padding=0.0)
        self._place_cursor()
        self._explain(margins)

    def _colours(self, margins: Array, margin: float) -> NDArray[np.uint8]:
        """Washes of alarm within bands and margins, of clear beyond, as far as told apart."""
        palette = self._palette
        card, inside, near, clear = (
            np.array(rgb(each)) * 255
            for each in (palette.card, palette.alarm, palette.alarm_wash, palette.clear)
        )
        wide = margin if margin > 0 else 0.05
        found = np.broadcast_to(np.append(card, 255.0), (*margins.shape, 4)).copy()
        known = np.isfinite(margins)
        deep = np.clip(-margins / wide, 0.0, 1.0)[..., None]
        far = np.clip((margins - margin) / (_FAR * wide), 0.0, 1.0)[..., None]
        outside = card + (0.18 + 0.5 * far) * (clear - card)
        washed = np.where(
            (margins < 0)[..., None],
            near + (0.35 + 0.4 * deep) * (inside - near),
            np.where((margins < margin)[..., None], near, outside),
        )
        found[..., :3] = np.where(known[..., None], washed, found[..., :3])
        return np.asarray(np.clip(found, 0, 255), np.uint8)

    def _scales(self, plane: Plane) -> tuple[float, float]:
        knobs = self._session.design.knobs
        return knobs[plane.knobs[0]].scale, knobs[plane.knobs[1]].scale

    def _corners(self, plane: Plane) -> QRectF:
        """The map's place in the units of its knobs, every value in the middle of its cell."""
        (left, right), (low, high) = (
            (own[0] / scale, own[-1] / scale)
            for own, scale in zip((plane.across, plane.up), self._scales(plane), strict=True)
        )
        wide = (right - left) / (len(plane.across) - 1)
        tall = (high - low) / (len(plane.up) - 1)
        return QRectF(left - wide / 2, low - tall / 2, right - left + wide, high - low + tall)

    def _outline(self, plane: Plane, values: Array, level: float, pen: object) -> None:
        """A line where values over the map have a level."""
        curve = pg.IsocurveItem(values.T, level, pen=pen)
        corners = self._corners(plane)
        wide, tall = corners.width() / len(plane.across), corners.height() / len(plane.up)
        place = QTransform.fromTranslate(corners.left(), corners.top())
        curve.setTransform(place.scale(wide, tall))
        curve.setZValue(5)
        self.plot.addItem(curve)

    def _draw_lines(self, plane: Plane) -> None:
        """Lines of equal frequency of the mode chosen, known by its shape wherever it goes."""
        palette = self._palette
        track = self._track
        if track is None:
            return
        values = plane.of_track(track)
        known = values[np.isfinite(values)]
        if not len(known) or np.ptp(known) == 0:
            return
        # Lines need a number everywhere; where nothing is known of the mode they are left out.
        from scipy.ndimage import distance_transform_edt  # loads slowly, and few look at this

        nearest = distance_transform_edt(
            ~np.isfinite(values), return_distances=False, return_indices=True
        )
        filled = values[tuple(nearest)]
        pen = pg.mkPen(palette.ink, width=1.1, style=Qt.PenStyle.DashLine)
        units = self._session.design.shown
        factor = units.factor("frequency")
        for level in _round_levels(factor * float(known.min()), factor * float(known.max())):
            self._draw_level(plane, filled, np.isfinite(values), level / factor, pen)
            spot = self._label_spot(plane, values, level / factor)
            if spot is None:
                continue
            ground = QColor(palette.card)
            ground.setAlpha(190)
            told = units.frequency_text(level / factor, 4)
            text = pg.TextItem(told, color=palette.ink, anchor=(0.5, 0.5), fill=ground)
            text.setFont(label_font(8))
            text.setPos(spot)
            text.setZValue(8)
            self.plot.addItem(text)

    def _draw_level(
        self, plane: Plane, filled: Array, known: NDArray[np.bool_], level: float, pen: object
    ) -> None:
        """Lines where a mode has a frequency, as far as it is known on both sides of them."""
        corners = self._corners(plane)
        size = np.array([corners.width(), corners.height()]) / filled.shape[::-1]
        for line in pg.functions.isocurve(filled.T, level, connected=True, extendToEdge=True):
            at = np.array(line)
            low = np.clip(np.floor(at - 0.5).astype(int), 0, np.array(filled.shape[::-1]) - 1)
            high = np.minimum(low + 1, np.array(filled.shape[::-1]) - 1)
            sure = known[low[:, 1], low[:, 0]] & known[high[:, 1], high[:, 0]]
            drawn = np.where(sure[:, None], at * size, np.nan)
            x, y = corners.left() + drawn[:, 0], corners.top() + drawn[:, 1]
            item = pg.PlotCurveItem(x, y, pen=pen, connect="finite", antialias=True)
            item.setZValue(5)
            self.plot.addItem(item)

    def _cover(self, plane: Plane) -> None:
        """Nothing is drawn where nothing is known."""
        unknown = ~np.isfinite(plane.frequencies).any(axis=2)
        cover = np.zeros((*unknown.shape, 4), np.uint8)
        cover[unknown] = *(int(255 * part) for part in rgb(self._palette.card)), 255
        image = pg.ImageItem(cover, axisOrder="row-major", levels=(0, 255))
        image.setRect(self._corners(plane))
        image.setZValue(6)
        self.plot.addItem(image)

    def _label_spot(self, plane: Plane, values: Array, level: float) -> QPointF | None:
        """Where a line crosses the diagonal of the map, else the middle row or column."""
        count = len(plane.across)
        corners = self._corners(plane)
        steps = np.arange(count)
        for rows, columns in (
            (steps, steps),
            (np.full(count, count // 2), steps),
            (steps, np.full(count, count // 2)),
        ):
            over = np.flatnonzero(np.diff(np.sign(values[rows, columns] - level)))
            over = over[(over > 0.05 * count) & (over < 0.95 * count)]  # room for the words
            if len(over):
                at = over[0]
                return QPointF(
                    corners.left() + (columns[at] + 1) * corners.width() / count,
                    corners.top() + (rows[at] + 1) * corners.height() / count,
                )
        return None

    def _explain(self, margins: Array) -> None:
        """What the colours mean, with how much of the map each covers."""
        design, palette = self._session.design, self._palette
        if not design.bands:
            self.legend.setText("No excitation band is stated, so every design is clear.")
            return
        known = np.isfinite(margins)
        total = max(int(known.sum()), 1)
        clear = int((margins[known] >= design.margin).sum()) / total
        inside = int((margins[known] < 0).sum()) / total
        mark = '<span style="color:{}">&#9632;</span>'
        text = (
            f"{mark.format(palette.clear)} clear of every band, {percent(clear)} of the map"
            f" &nbsp; {mark.format(palette.alarm)} a mode in a band, {percent(inside)}"
            f" &nbsp; {mark.format(palette.alarm_wash)} in a margin of {percent(design.margin)}"
        )
        if clear and np.isfinite(margins).any():
            row, column = divmod(int(np.nanargmax(margins)), margins.shape[1])
            text += f" &nbsp; farthest: {self._place_words(column, row)}"
        self.legend.setText(text)

    def _place_words(self, column: int, row: int) -> str:
        assert self._fine is not None
        plane, knobs = self._fine, self._session.design.knobs
        places = zip(plane.knobs, (plane.across[column], plane.up[row]), strict=True)
        return ", ".join(
            f"{name} {knobs[name].text(value / knobs[name].scale, 4)}" for name, value in places
        )

    # -- the cursor -----------------------------------------------------------------------------

    def _place_cursor(self) -> None:
        knobs = self._session.design.knobs
        for line, name in zip(self._lines, self._knobs, strict=True):
            if name in knobs:
                line.setValue(knobs[name].value)

    def _cell(self, scene_place: QPointF) -> tuple[int, int, QPointF] | None:
        """Column, row and values under a place of the picture, within the map."""
        plane = self._fine
        if plane is None:
            return None
        place = self.plot.getPlotItem().vb.mapSceneToView(scene_place)
        corners = self._corners(plane)
        if not corners.contains(place):
            return None
        column = int((place.x() - corners.left()) / corners.width() * len(plane.across))
        row = int((place.y() - corners.top()) / corners.height() * len(plane.up))
        return min(column, len(plane.across) - 1), min(row, len(plane.up) - 1), place

    def _hover(self, scene_place: QPointF) -> None:
        """Read out the design under the pointer."""
        at = self._cell(scene_place)
        if at is None:
            self.under.setText("")
            return
        column, row, _ = at
        assert self._fine is not None
        plane, design = self._fine, self._session.design
        words = [self._place_words(column, row)]
        if plane.unknown[row, column]:
            words.append("not known to the model")
        elif plane.failed[row, column]:
            words.append("no answer there")
        else:
            if self._mode_values is not None:
                frequency = float(self._mode_values[row, column])
                mode = self.mode.currentText()
                told = design.shown.frequency_text(frequency, 4)
                known = math.isfinite(frequency)
                words.append(
                    f"{mode} about {told}" if known else f"{mode} is not among those known"
                )
            margin = float(least_margins(plane, design.bands)[row, column])
            if math.isfinite(margin):
                far = percent(abs(margin))
                words.append(f"a mode in a band, {far} deep" if margin < 0 else f"{far} from bands")
        self.under.setText(" · ".join(words))

    def _clicked(self, event: MouseClickEvent) -> None:
        """Go to the design under the pointer; the right button pins it as a variant."""
        at = self._cell(event.scenePos())
        if at is None:
            return
        if event.button() == Qt.MouseButton.RightButton:
            self.pin(at[2].x(), at[2].y())
        else:
            self.go_to(at[2].x(), at[2].y())

    def go_to(self, across: float, up: float) -> None:
        """Write the knobs, in their units, as one step; a third one as its slider has it."""
        texts = self._texts(across, up)
        label = " and ".join(self._all_knobs)
        problem = self._session.edit(label, lambda sheet: sheet.with_values(texts))
        if problem is not None:
            self._session.told.emit(problem)

    def pin(self, across: float, up: float) -> None:
        """Pin the design with the knobs at values in their units; the sheet stays as it is."""
        texts = self._texts(across, up)
        name = ", ".join(f"{path[1]} {text}" for path, text in texts.items())
        sheet = self._session.sheet.with_values(texts)
        wrong = self._session.variants.pin(name, sheet)
        self._session.told.emit(wrong or f"pinned as “{name}”")

    def _texts(self, across: float, up: float) -> dict[SheetPath, str]:
        session = self._session
        texts: dict[SheetPath, str] = {}
        third = (self._third_value,) if self._third else ()
        for name, value in zip(self._all_knobs, (across, up, *third), strict=True):
            knob = session.design.knobs[name]
            low, high = knob.range
            texts["knobs", name, "value"] = knob.exact_text(
                float(f"{min(max(value, low), high):.4g}")
            )
        return texts


def _round_levels(low: float, high: float) -> list[float]:
    """Some round numbers between two."""
    step = (high - low) / _LINES
    size = 10.0 ** math.floor(math.log10(step))
    step = next(own * size for own in (1.0, 2.0, 5.0, 10.0) if own * size >= step)
    first = math.ceil(low / step)
    return [number * step for number in range(first, math.floor(high / step) + 1)]
