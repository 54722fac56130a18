"""Ruler, sweep map, readout, verdict and reach, driven by hand in the real window."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor
from pytestqt.qtbot import QtBot

from belltone.desk.charts.ruler_marks import nice_step
from belltone.desk.session.jobs import LaneState
from belltone.desk.window import MainWindow
from belltone.desk.windows import EMPTY
from belltone.modes.modeset import ModeSet
from tests.desk.conftest import WAIT, await_clear, count_pixels, drawn, settle, swept

LEFT = Qt.MouseButton.LeftButton


def _sideways(modes: ModeSet) -> int:
    """The first mode that bends about z."""
    return next(at for at, kind in enumerate(modes.kinds) if kind.startswith("bending about z"))


def head_of(window: MainWindow, identity: int) -> QPoint:
    """Where a peg's head is on the ruler."""
    return next(head.toPoint() for peg, _, head in window.ruler.pegs() if peg == identity)


def test_the_mode_in_trouble_is_shown_first(window: MainWindow) -> None:
    assert window.session.chosen_mode is not None
    assert window.session.chosen_mode.number == 2
    assert window.readout.head.text() == "Mode 2"
    assert window.readout.frequency.text() == "49.8415 Hz"
    assert window.readout.radians.text() == "313.163 rad/s"
    assert window.readout.other.text() == "2990.49 rpm"
    assert window.readout.period.text() == "20.064 ms"
    assert window.readout.standing.text() == "In “drive 2×”."
    assert "below 40.48\u00a0Hz or above 54\u00a0Hz" in window.readout.wanted.text()
    assert window.readout.kind.text() == "Bending about z, 2 half-waves."
    assert "1 mode stands in a band" in window.verdict.head.text()
    assert "No table has it: a mass hangs beside its axis." in window.readout.check.text()
    answer = window.session.answer
    assert answer is not None
    share = 100 * answer.modes.effective[1, 1] / answer.modes.mass
    assert f"y {share:.0f}\u00a0%" in window.readout.effective.text()
    assert window.readout.effective.text().startswith("x 0")


def test_clicking_a_peg_chooses_its_mode_everywhere(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.mouseClick(window.ruler, LEFT, pos=head_of(window, 4))
    assert window.session.chosen == 4
    assert window.readout.head.text() == "Mode 5"
    assert window.shape.head.text().startswith("Mode 5 · 187.14")
    assert "twist" in window.shape.sub.text()
    assert window.column.knobs._pull_heading.text() == "pull on mode 5"
    qtbot.keyClick(window.ruler, Qt.Key.Key_Left)
    assert window.readout.head.text() == "Mode 4"
    qtbot.mouseClick(window.ruler, LEFT, pos=QPoint(700, 20))
    assert window.readout.head.text() == "Mode 4"


def test_the_ruler_draws_bands_and_pegs(window: MainWindow) -> None:
    image = window.ruler.grab().toImage()
    palette = window._palette
    for identity in range(4):
        assert count_pixels(image, QColor(palette.branch(identity)), 12) > 20
    band = window.session.design.bands[2]
    x = round(window.ruler.x_of(0.5 * (band.low + band.high)))
    strip = image.copy(x - 3, 20, 6, 12)
    assert count_pixels(strip, QColor(palette.alarm_wash), 40) > 20
    assert window.ruler.frequency_at(window.ruler.x_of(123.0)) == pytest.approx(123.0)


def test_knobs_show_their_pull(window: MainWindow) -> None:
    answer = window.session.answer
    assert answer is not None
    assert answer.pulls is not None
    bar = window.column.knobs.row("wall").bar
    pull = answer.pulls["wall"].frequencies[1]
    assert bar.accessibleDescription() == f"{pull:+.3f} % for 1 % of the knob"


def test_turning_a_slider_is_one_step(window: MainWindow, qtbot: QtBot) -> None:
    slider = window.column.knobs.row("wall").slider
    slider.setSliderDown(True)
    for tick in (300, 500, 750):
        slider.setValue(tick)
    slider.setSliderDown(False)
    assert window.session.design.knobs["wall"].value == pytest.approx(5.0)
    assert len(window.session.history.past) == 1
    settle(qtbot, window)
    assert window.session.answer is not None
    assert window.session.answer.design.knobs["wall"].value == pytest.approx(5.0)


def test_sweep_then_go_there(window: MainWindow, qtbot: QtBot) -> None:
    window.verdict.sweep.click()
    await_clear(qtbot, window)
    assert "clear intervals of wall: 4.989 mm to 6 mm" in window.map.clear_text.text()
    assert "33 solved" in window.map.quality.text()
    assert "Nearest clear design: wall 5.01 mm" in window.verdict.text.text()
    window.verdict.go.click()
    settle(qtbot, window)
    assert window.verdict.head.text() == "Every band is clear."
    assert window.session.tuning.sweep_is_current
    assert window.map.knob_line.value() == pytest.approx(5.01)
    assert window.readout.standing.text().startswith("Clear, 8\u00a0% from")


def test_a_sweep_says_its_cost_before_it_runs(window: MainWindow) -> None:
    assert window.session.answer is not None
    window.session.answer = replace(window.session.answer, seconds=0.5)
    window.map.points.setValue(2)
    short = window.map.range.text()
    assert short.startswith("2 mm to 6 mm, about ")
    window.map.points.setValue(2001)
    assert window.map.range.text() != short


def test_the_map_draws_branches_bands_and_clear_intervals(window: MainWindow, qtbot: QtBot) -> None:
    swept(qtbot, window)
    qtbot.wait(50)
    image = window.map.plot.grab().toImage()
    palette = window._palette
    assert count_pixels(image, QColor(palette.branch(1)), 30) > 100
    assert count_pixels(image, QColor(palette.clear), 30) > 100
    assert count_pixels(image, QColor(palette.margin_wash), 6) > 500


def test_the_cursor_turns_the_knob(window: MainWindow, qtbot: QtBot) -> None:
    swept(qtbot, window)
    box = window.map.plot.getPlotItem().vb
    view = window.map.plot

    def at(value: float) -> QPoint:
        place = box.mapViewToScene(QPointF(value, 100.0))
        return view.mapFromScene(place)

    port = view.viewport()
    qtbot.mouseMove(port, at(3.0))
    qtbot.mousePress(port, LEFT, pos=at(3.0))
    for value in (3.5, 4.0, 4.5):
        qtbot.mouseMove(port, at(value))
        qtbot.wait(20)
    qtbot.mouseRelease(port, LEFT, pos=at(4.5))
    settle(qtbot, window)
    assert window.session.design.knobs["wall"].value == pytest.approx(4.5, abs=0.05)
    assert window.session.answer is not None
    assert window.session.answer.modes.flexible[1] == pytest.approx(53.39, abs=0.2)
    assert window.column.knobs.row("wall").value.text() == f"{window.map.knob_line.value():.4g} mm"


def test_clicking_a_branch_chooses_its_mode(window: MainWindow, qtbot: QtBot) -> None:
    swept(qtbot, window)
    qtbot.wait(50)
    branch = next(b for b in window.session.tuning.sweep.sweep.branches if b.places[0] == 2)
    curve = branch.curve(window.session.tuning.sweep.sweep.values)
    place = window.map.plot.getPlotItem().vb.mapViewToScene(QPointF(4.0, float(curve(4.0))))
    at = window.map.plot.mapFromScene(place)
    port = window.map.plot.viewport()
    qtbot.mouseMove(port, at)
    qtbot.mouseClick(port, LEFT, pos=at)
    assert window.readout.head.text() == "Mode 3"


def test_a_sweep_is_stopped_and_its_points_are_kept(window: MainWindow, qtbot: QtBot) -> None:
    said: list[str] = []
    window.session.told.connect(said.append)
    window.map.points.setValue(400)
    window.map.button.click()
    assert window.map.button.text() == "Stop"
    qtbot.waitUntil(
        lambda: (window.session.jobs.state("sweep") or LaneState(0, 0, 0.0)).done >= 5,
        timeout=WAIT,
    )
    assert " of 400" in window.map.progress_text.text()
    window.map.button.click()
    assert window.map.button.text() == "Sweep"
    assert window.session.tuning.sweep is None
    assert "finished points are kept" in said[0]
    # The window is alive and the sheet untouched.
    assert not window.session.modified


def test_an_edit_marks_the_sweep_as_older(window: MainWindow, qtbot: QtBot) -> None:
    swept(qtbot, window)
    window.session.set_value(("parts", "rail", "length"), "2.3 m")
    assert not window.session.tuning.sweep_is_current
    drawn(qtbot, window)
    assert "older design" in window.map.clear_text.text()
    assert window.verdict.go.isHidden()
    window.session.undo()
    assert window.session.tuning.sweep_is_current


def test_the_map_is_drawn_once_for_all_that_changes_together(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    swept(qtbot, window)
    drawn(qtbot, window)
    emptied: list[bool] = []
    clear = window.map.plot.clear
    monkeypatch.setattr(window.map.plot, "clear", lambda: (emptied.append(True), clear()))
    session = window.session
    for changed in (session.tuning.sweep_changed, session.ghosts.changed, session.hand.changed):
        changed.emit()
    drawn(qtbot, window)
    assert emptied == [True]


def test_a_new_band_finds_the_clear_intervals_again(window: MainWindow, qtbot: QtBot) -> None:
    swept(qtbot, window)
    window.session.set_value(("excitation", "margin"), "2 %")
    await_clear(qtbot, window)
    sweep = window.session.tuning.sweep
    assert sweep is not None
    assert sweep.intervals is not None
    assert sweep.intervals[0].start < 4.9


def test_a_sweep_that_cannot_be_run_says_why(window: MainWindow, qtbot: QtBot) -> None:
    window.session.set_value(("knobs", "wall", "to"), "90 mm")
    window.session.set_value(("knobs", "wall", "from"), "25 mm")
    window.map.run_or_stop()
    qtbot.waitUntil(lambda: bool(window.session.tuning.sweep_failure), timeout=WAIT)
    drawn(qtbot, window)
    assert "does not fit" in window.map.clear_text.text()
    window.session.undo()
    drawn(qtbot, window)
    assert "does not fit" not in window.map.clear_text.text()


def test_reach_from_the_readout(window: MainWindow, qtbot: QtBot) -> None:
    form = window.readout.reach
    form.knob.setCurrentText("wall")
    qtbot.keyClicks(form.target, "52 Hz")
    qtbot.keyClick(form.target, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.session.reaching.found is not None, timeout=WAIT)
    settle(qtbot, window)
    assert window.session.answer is not None
    assert window.session.answer.modes.flexible[1] == pytest.approx(52.0, abs=0.06)
    assert form.said.text().startswith("wall is now 3.7")
    assert "reach of 52 Hz" in window.menus.undo.text()
    window.session.undo()
    assert window.session.design.knobs["wall"].value == 3.0


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("52", "“52” has no unit; a frequency is needed: “52 Hz”?"),
        ("52 mm", "this is a length"),
        ("", "empty"),
        ("wall", "“wall” names something; a frequency is needed, such as “50 Hz”"),
    ],
)
def test_a_target_that_cannot_be_read(window: MainWindow, text: str, says: str) -> None:
    form = window.readout.reach
    form.target.setText(text)
    form.button.click()
    assert says in form.said.text()
    assert form.said.property("role") == "alarm"


def test_dragging_a_peg_asks_for_its_frequency(window: MainWindow, qtbot: QtBot) -> None:
    ruler = window.ruler
    start = head_of(window, 1)
    target = QPoint(round(ruler.x_of(60.0)), start.y())
    window.readout.reach.knob.setCurrentText("wall")
    qtbot.mousePress(ruler, LEFT, pos=start)
    qtbot.mouseMove(ruler, QPoint(start.x() + 12, start.y()))
    qtbot.mouseMove(ruler, target)
    qtbot.mouseRelease(ruler, LEFT, pos=target)
    qtbot.waitUntil(lambda: bool(window.session.reaching.failure), timeout=WAIT)
    assert "mode 2 does not reach" in window.readout.reach.said.text()
    assert "54.76 Hz (at 6 mm)" in window.readout.reach.said.text()
    assert not window.session.modified


def test_modes_keep_their_colour_when_they_change_places(
    make_window: Callable[..., MainWindow], qtbot: QtBot
) -> None:
    """The edgewise mode of a strip is overtaken by a flapping one as it grows thicker."""
    window = make_window(None, EMPTY)
    for path, text in (("width", "50 mm"), ("height", "7 mm")):
        window.session.set_value(("parts", "bar", "section", path), text)
    settle(qtbot, window)
    answer = window.session.answer
    assert answer is not None
    assert window.map.quality.text() == ""  # without a knob no model is being made
    edge = _sideways(answer.modes)
    identity = answer.identities[edge]
    window.session.choose(identity)
    window.session.set_value(("parts", "bar", "section", "height"), "9 mm")
    settle(qtbot, window)
    after = window.session.answer
    assert after is not None
    assert after.identities.index(identity) == _sideways(after.modes) != edge
    assert window.session.chosen == identity
    assert sorted(after.identities) == sorted(set(after.identities))
    assert np.all(np.diff(after.modes.flexible) >= 0)


@pytest.mark.parametrize(
    ("span", "wanted", "step"), [(550, 12, 50), (1.0, 10, 0.1), (4000, 9, 500), (77, 1, 100)]
)
def test_scales_have_round_steps(span: float, wanted: float, step: float) -> None:
    assert nice_step(span, wanted) == pytest.approx(step)
