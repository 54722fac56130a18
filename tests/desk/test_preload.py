"""The preload in the window: sentences, loads drawn, states in real sizes, ghosts, speeds."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from pyqtgraph import TextItem
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor, QCursor, QFontMetrics
from pytestqt.qtbot import QtBot

from belltone.desk.designs.designs_view import DesignsView
from belltone.desk.look import label_font
from belltone.desk.shape.lettering import told_box
from belltone.desk.shape.site_menu import site_menu
from belltone.desk.window import MainWindow
from belltone.drawing.colours import LIGHT
from belltone.drawing.shown import CHOSEN, Shown
from tests.assemblies import held, member, text_of
from tests.conftest import STEEL
from tests.desk.conftest import WAIT, count_pixels, number, settle
from tests.desk.test_cards import act, choose, words

STRIP = f"""belltone = 1
{STEEL}expansion = "12 um/m/K"
[knobs.push]
value = "300 N"
from = "0 N"
to = "3 kN"
[parts.strip]
kind = "member"
material = "steel"
length = "600 mm"
section = {{ shape = "solid rectangle", width = "30 mm", height = "5 mm" }}
[[supports]]
site = "strip.start"
hold = "clamped"
[[supports]]
site = "strip.end"
hold = ["y", "z", "turn x", "turn y", "turn z"]
[modes]
count = 4
"""
PUSHED = """[preload]
[[preload.forces]]
name = "press"
site = "strip.end"
force = ["-push", "0 N", "0 N"]
"""


@pytest.fixture
def pushed(make_window: Callable[..., MainWindow], qtbot: QtBot) -> MainWindow:
    """A strip pushed between its ends, and the modes it would have otherwise."""
    window = make_window(None, STRIP + PUSHED)
    qtbot.waitUntil(lambda: window.session.bare is not None, timeout=WAIT)
    return window


def test_nothing_loads_it_until_something_is_added(
    make_window: Callable[..., MainWindow], qtbot: QtBot
) -> None:
    window = make_window(None, STRIP)
    card = window.column.preload
    assert "Nothing loads it." in words(card)
    assert not window.verdict.load.isVisible()
    choose(card, "load it with…", "warmth")
    settle(qtbot, window)
    assert "Everything is warmer by 20 K" in words(card)
    assert window.session.design.preload is not None
    choose(card, "load it with more…", "a force")
    choose(card, "load it with more…", "a spin")
    choose(card, "load it with more…", "its weight")
    choose(card, "load it with more…", "a set displacement")
    choose(card, "load it with more…", "a pull")
    said = words(card)
    for text in ("a force of x 0 N", "It spins at 1000 rpm", "pulled by x", "is moved by z 1 mm"):
        assert text in said
    assert "“strip” is put under a pull of 1 kN" in said
    settle(qtbot, window)
    for _ in range(6):
        act(card, "take away")
    assert "Nothing loads it." in words(card)
    assert window.session.sheet.content.preload is None
    window.session.undo()
    assert window.session.sheet.content.preload is not None


def test_the_card_states_the_load_and_its_numbers_are_live(
    pushed: MainWindow, qtbot: QtBot
) -> None:
    card = pushed.column.preload
    assert "press: a force of x = -300 N y 0 N z 0 N on the end" in words(card)
    assert "small deflection: the shape stays, stress alone counts." in words(card)
    field = number(pushed, ("preload", "forces", 0, "force", 2))
    field.setFocus()
    qtbot.keyClick(field, Qt.Key.Key_Return)
    qtbot.keyClicks(field.focusProxy() or field, "")
    field.begin_edit("-4 N")
    field.commit()
    settle(qtbot, pushed)
    assert pushed.session.design.preload is not None
    assert pushed.session.design.preload.forces[0].force[2] == -4
    field.begin_edit("-4 mm")
    field.commit()
    assert "a force (in N, kN, …) is needed" in field.problem
    field.begin_edit("0 N")
    field.commit()
    choose(card, "small deflection", "large deflection: modes are those of the deflected shape.")
    settle(qtbot, pushed)
    assert pushed.session.design.preload.large
    choose(card, "Applied", "leave it out")
    assert pushed.session.design.preload is None
    assert "Not applied" in words(card)


def test_the_effect_is_told_beside_each_mode_and_ghosts_stand_in_the_ruler(
    pushed: MainWindow,
) -> None:
    session = pushed.session
    assert "softens it" in pushed.readout.loaded.text()
    assert "Hz without." in pushed.readout.loaded.text()
    bare = session.bare
    assert bare is not None
    assert bare.modes.flexible[0] > session.answer.modes.flexible[0]  # type: ignore[union-attr]
    assert session.bare_partner == 0
    ruler = pushed.ruler
    picture = ruler.grab().toImage()
    x = int(ruler.x_of(float(bare.modes.flexible[1])))
    spot = picture.copy(x - 6, ruler.height() - 60, 12, 24)
    assert count_pixels(spot, QColor(LIGHT.muted), 60) > 8


def test_the_buckling_factor_is_always_in_sight(pushed: MainWindow, qtbot: QtBot) -> None:
    text = pushed.verdict.load.text()
    assert text.startswith("Buckles at ")
    factor = float(text.split()[2])
    euler = 4 * np.pi**2 * 200e9 * 0.03 * 0.005**3 / 12 / 0.6**2
    assert factor == pytest.approx(euler / 300, rel=5e-3)
    pushed.session.set_value(("knobs", "push", "value"), f"{1.2 * euler:.1f} N")
    qtbot.waitUntil(lambda: bool(pushed.session.failure), timeout=WAIT)
    assert pushed.session.failure.startswith("buckled at 83.")
    assert pushed.session.answer is not None  # what was found before stays in sight, as older
    assert pushed.session.stale


def test_states_are_drawn_in_real_sizes(pushed: MainWindow, qtbot: QtBot) -> None:
    view = pushed.shape
    loads = count_pixels(view.canvas.grab().toImage(), QColor(LIGHT.load), 40)
    assert loads > 30
    view.show_this(Shown("moved"))
    base = pushed.session.answer.modes.base  # type: ignore[union-attr]
    assert base is not None
    head, text = view.canvas.caption or ("", "")
    assert head == "Displacement under the preload"
    assert text.endswith(" mm")
    assert view._legend._top is not None
    assert view._legend._top.endswith("mm")
    view.show_this(Shown("buckling", 0))
    assert "times the load" in view.canvas.shown.heading(base)
    view.show_this(CHOSEN)
    assert view._legend._top is None
    view.panes.show_beside("bare")
    assert view.panes.count == 2
    caption = view.panes.canvases[1].caption
    assert caption[0].startswith("Without preload: mode 1")
    entries = [action.text() for action in view.panes.mode_menu(view.canvas).actions()]
    assert "stress under the preload" in entries
    view._state_menu.aboutToShow.emit()
    assert view._state_menu.actions()[0].text() == "nothing: the chosen mode"


def test_the_speed_diagram_is_drawn_with_its_crossings(
    make_window: Callable[..., MainWindow], qtbot: QtBot, tmp_path: Path
) -> None:
    path = tmp_path / "arm.toml"
    spin = '[preload.spin]\nspeed = "900 rpm"\nspeeds = ["0 rpm", "2400 rpm"]\norders = [1, 2]\n'
    text = STRIP.replace('hold = ["y", "z", "turn x", "turn y", "turn z"]', 'hold = "free"')
    path.write_text(text.replace("count = 4", "count = 2") + spin, encoding="utf-8")
    window = make_window(path)
    window.show_speeds()
    view = window.beside.of(DesignsView)
    assert view is not None
    assert not view.lists.tabBar().isVisible()
    assert view.form.spin.text() == "now 900 rpm; orders 1×, 2×"
    assert view.form.speeds.placeholderText() == "0 rpm : 2400 rpm : 13"
    view.form.speeds.setText("-1 rpm : 2400 rpm : 13")
    assert "must not be negative" in view.cost.text()
    view.form.speeds.clear()
    qtbot.mouseClick(view.run, Qt.MouseButton.LeftButton)
    assert view.run.text() == "Stop"
    qtbot.waitUntil(lambda: window.session.surveys.found is not None, timeout=WAIT)
    diagram = window.session.surveys.found.speeds  # type: ignore[union-attr]
    assert diagram is not None
    assert diagram.speeds[-1] == pytest.approx(2400)
    flap = [each for each in diagram.crossings if each.tracks == (1,) and each.order == 2]
    assert len(flap) == 1
    assert flap[0].frequency == pytest.approx(2 * flap[0].speed / 60)
    assert "drawn from 2.4 rpm on" in view.words.text()
    # Drawn from rest, with both orders by name.
    assert view.chart.plot.getPlotItem().vb.viewRange()[0][0] == 0
    texts = [item.toPlainText() for item in view.chart.plot.items() if isinstance(item, TextItem)]
    assert sorted(texts) == ["1×", "2×"]
    view.lists.setCurrentWidget(view.crossings)
    assert view.crossings.rowCount() == len(diagram.crossings)
    qtbot.waitUntil(view.isActiveWindow)
    QCursor.setPos(9000, 9000)
    view.crossings.setFocus()
    qtbot.keyClick(view.crossings, Qt.Key.Key_F1)
    assert window.help_view().text.toPlainText().lower().startswith("speed diagram")
    # Any row is shown at once, and gone to: the sheet says the speed it has there.
    view.lists.setCurrentWidget(view.list)
    view.list.choose(6)
    assert len(window.session.trying) > 0
    view.go_there()
    assert window.session.sheet.content.preload.spin.speed == "1200 rpm"  # type: ignore[union-attr]
    assert "spin_speed" not in window.session.sheet.text
    assert window.session.surveys.current
    window.session.edit("no spin", lambda sheet: sheet.without(("preload",)))
    assert "older sheet" in view.words.text()
    assert not view.run.isEnabled()
    assert "needs a spin" in view.cost.text()


def test_whirling_modes_turn_in_the_picture(
    make_window: Callable[..., MainWindow], qtbot: QtBot
) -> None:
    spin = '[preload.spin]\nspeed = "3000 rpm"\naxis = "x"\ngyroscopic = true\n'
    text = STRIP.replace('width = "30 mm", height = "5 mm"', 'width = "20 mm", height = "20 mm"')
    hung = '[sites.middle]\npart = "strip"\nalong = "300 mm"\n'
    hung += '[[masses]]\nsite = "middle"\nmass = "0.1 kg"\n'
    window = make_window(None, text + spin + hung)
    modes = window.session.answer.modes  # type: ignore[union-attr]
    assert set(modes.waves[:2]) == {1, -1}
    assert "whirl" in modes.kinds[0]
    scene = window.shape.canvas.scene
    window.shape.panes.set_swing(0.0, 0.0)
    still, (ball, centre, _, _) = scene.skin.points.copy(), scene._masses[0]
    window.shape.panes.set_swing(0.0, 1.0)
    moved = np.linalg.norm(scene.skin.points - still, axis=1).max()
    # What hangs on it goes along.
    assert np.linalg.norm(ball.GetPosition() - centre) == pytest.approx(moved, rel=0.05)
    window.shape.panes.set_swing(1.0, 0.0)
    ahead = np.linalg.norm(scene.skin.points - still, axis=1).max()
    assert moved == pytest.approx(ahead, rel=0.05)


def test_why_there_is_no_answer_hides_nothing_of_the_component(
    make_window: Callable[..., MainWindow], qtbot: QtBot
) -> None:
    column = STRIP.split("[[supports]]")[0].replace(
        'length = "600 mm"', 'from = ["0 mm", "0 mm", "0 mm"]\nto = ["0 mm", "0 mm", "600 mm"]'
    )
    load = (
        '[[preload.forces]]\nname = "weight"\nsite = "strip.end"\nforce = ["0 N", "0 N", "-9 kN"]\n'
    )
    window = make_window(None, column + held("strip.start") + load)
    qtbot.waitUntil(lambda: "buckled" in window.session.failure, timeout=WAIT)
    canvas = window.shape.canvas
    lowest = canvas.scene.eye.on_picture(np.zeros(3), canvas.height())[1]
    assert lowest < told_box(canvas.rect(), window.session.failure).top()


def test_a_picked_site_can_be_loaded(pushed: MainWindow) -> None:
    menu = site_menu(pushed.session, "strip.end", pushed)
    next(a for a in menu.actions() if a.text() == "push it with a force").trigger()
    assert len(pushed.session.sheet.content.preload.forces) == 2  # type: ignore[union-attr]
    assert "press on it" not in [action.text() for action in menu.actions()]


def test_textbook_curves_follow_the_load(pushed: MainWindow, qtbot: QtBot) -> None:
    """Over the knob of a load, up to where the strip buckles: Galef's rule for the first mode."""
    session = pushed.session
    hand = session.hand
    hand.look_at("push")
    qtbot.waitUntil(lambda: bool(hand.curves), timeout=WAIT)
    at, frequencies = hand.curves[0].values, hand.curves[0].frequencies
    assert at == pytest.approx(np.linspace(0, 3000, 9))  # N, as it is written
    # Both ends are clamped, one slides: EI of 62.5 N m² over 0.6 m buckles at 6.9 kN.
    critical = 4 * np.pi**2 * 200e9 * (0.03 * 0.005**3 / 12) / 0.6**2
    expected = frequencies[0] * np.sqrt(1 - at / critical)
    assert frequencies == pytest.approx(expected, rel=0.01)


def test_a_spin_that_is_too_fast_is_told_below_the_axis_without_hints_over_it(
    make_window: Callable[..., MainWindow], qtbot: QtBot
) -> None:
    text = text_of(
        member("b", (0, 0, 0), (1000, 0, 0), 'shape = "solid round", diameter = "30 mm"'),
        held("b.start", '["x", "y", "z", "turn x"]'),
        held("b.end", '["y", "z"]'),
        '[preload]\nspin = { speed = "5000 rpm", axis = "x" }\n',
    )
    window = make_window(None, text)
    metrics = QFontMetrics(label_font(7.5))
    told, note = window.ruler.notes(metrics)
    assert told.startswith("too fast: from 3566 rpm on, 71.3 % of this speed")
    assert not note
    wide = window.ruler.width()
    assert metrics.horizontalAdvance(told) <= wide
    window.session.set_value(("preload", "spin", "speed"), "500 rpm")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: window.session.bare is not None, timeout=WAIT)
    told, note = window.ruler.notes(metrics)
    assert told == "hollow pegs: without preload"
    assert "double click adds a band" in note


def test_a_verdict_without_room_ends_in_dots_and_can_be_copied(
    window: MainWindow, qtbot: QtBot
) -> None:
    label = window.verdict.text
    label.setText("unmistakable " * 60)
    assert label.shown.endswith("…")
    assert label.toolTip() == label.text()
    qtbot.mouseDClick(label, Qt.MouseButton.LeftButton, pos=QPoint(20, label.height() // 2))
    assert label.selectedText() == "unmistakable"
    label.repaint()
