"""The shape view is judged by its pixels."""

from collections.abc import Callable

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QColor, QImage, QWheelEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from belltone.desk.window import MainWindow
from belltone.desk.windows import EMPTY
from belltone.drawing.colours import LIGHT, ramp
from belltone.drawing.scene import Scene
from belltone.mesh.discretisation import Discretisation
from belltone.modes.level import planned
from belltone.modes.solve import request_for, solve
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import read_sheet
from tests.desk.conftest import count_pixels, settle


def picture(window: MainWindow) -> QImage:
    return window.shape.canvas.grab().toImage()


def same(first: QImage, second: QImage) -> bool:
    return first == second


def test_the_shape_is_drawn_in_its_colours(make_window: Callable[..., MainWindow]) -> None:
    window = make_window(None, EMPTY)
    window.shape.canvas.look("y")
    image = picture(window)
    background = QColor(LIGHT.card)
    drawn = image.width() * image.height() - count_pixels(image, background, 3)
    assert drawn > 0.03 * image.width() * image.height()
    # Looking along y, a cantilever's tip (right) moves most and its root (left) stands still.
    scene = window.shape.canvas.scene
    ratio = window.shape.canvas.devicePixelRatioF()
    height = round(image.height())
    member = window.session.design.parts[0]
    root = scene.eye.on_picture(member.start + 0.04 * (member.stop - member.start), height)
    assert root[0] < image.width() / 2
    left = image.copy(0, 0, image.width() // 2, image.height())
    right = image.copy(image.width() // 2, 0, image.width() // 2, image.height())
    most = QColor(*[int(channel) for channel in ramp(LIGHT.motion)[235]])
    assert count_pixels(right, most, 40) > 5 * (1 + count_pixels(left, most, 40))
    assert ratio >= 1


def test_playing_moves_the_shape(window: MainWindow, qtbot: QtBot) -> None:
    before = picture(window)
    window.shape.play.click()
    assert window.shape.playing
    qtbot.waitUntil(lambda: not same(picture(window), before), timeout=20_000)
    window.shape.play.click()
    assert not window.shape.playing
    qtbot.waitUntil(lambda: window.shape.canvas.at_rest, timeout=20_000)
    still = picture(window)
    qtbot.wait(120)
    assert same(picture(window), still)


def test_amplitude_is_drawn_and_nothing_else(window: MainWindow, qtbot: QtBot) -> None:
    answer = window.session.answer
    window.shape.amplitude.setValue(0)
    qtbot.wait(250)
    flat = picture(window)
    window.shape.amplitude.setValue(100)
    qtbot.wait(250)
    assert not same(picture(window), flat)
    assert window.session.answer is answer


@pytest.mark.parametrize("axis", ["x", "y", "z"])
def test_looking_along_an_axis(window: MainWindow, axis: str) -> None:
    before = picture(window)
    window.shape.canvas.look(axis)
    assert not same(picture(window), before)
    axes = np.abs(window.shape.canvas.scene.eye.axes)
    assert axes["xyz".index(axis)] == pytest.approx([0, 0], abs=1e-9)


def test_turning_sliding_zooming_and_fitting(window: MainWindow, qtbot: QtBot) -> None:
    canvas = window.shape.canvas
    canvas.look("corner")
    fitted = picture(window)
    middle = canvas.rect().center()
    for button in (Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton):
        before = picture(window)
        qtbot.mousePress(canvas, button, pos=middle)
        qtbot.mouseMove(canvas, middle + QPoint(40, 15))
        qtbot.mouseRelease(canvas, button, pos=middle + QPoint(40, 15))
        assert not same(picture(window), before)
    before = picture(window)
    wheel = QWheelEvent(
        QPointF(middle),
        QPointF(canvas.mapToGlobal(middle)),
        QPoint(0, 0),
        QPoint(0, 240),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(canvas, wheel)
    assert not same(picture(window), before)
    for key in (Qt.Key.Key_Left, Qt.Key.Key_Plus):
        before = picture(window)
        qtbot.keyClick(canvas, key)
        assert not same(picture(window), before)
    canvas.look("corner")
    qtbot.wait(250)
    again = picture(window)
    assert count_pixels(again, QColor(LIGHT.card), 3) == pytest.approx(
        count_pixels(fitted, QColor(LIGHT.card), 3), rel=0.02
    )


def test_the_fitted_component_fills_the_picture(window: MainWindow) -> None:
    canvas = window.shape.canvas
    canvas.look("y")
    height = round(canvas.height() * canvas.devicePixelRatioF())
    member = window.session.design.parts[0]
    left = canvas.scene.eye.on_picture(member.start, height)[0]
    right = canvas.scene.eye.on_picture(member.stop, height)[0]
    width = canvas.width() * canvas.devicePixelRatioF()
    assert 0.6 * width < right - left < width


def test_every_section_is_drawn(make_window: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = make_window(None, EMPTY)
    path = ("parts", "bar", "section")
    seen: list[QImage] = []
    for section in (
        {"shape": "solid round", "diameter": "60 mm"},
        {"shape": "round tube", "diameter": "60 mm", "wall": "3 mm"},
        {"shape": "rectangular hollow", "width": "60 mm", "height": "60 mm", "wall": "3 mm"},
    ):
        assert window.session.edit("section", lambda s, x=section: s.with_value(path, x)) is None
        settle(qtbot, window)
        window.shape.canvas.look("x")
        image = picture(window)
        drawn = image.width() * image.height() - count_pixels(image, QColor(LIGHT.card), 3)
        assert drawn > 400
        assert not any(same(image, other) for other in seen)
        seen.append(image)


def test_a_twisting_mode_turns_its_section(window: MainWindow) -> None:
    """Looking along the member, twist shows as motion although the axis stands still."""
    answer = window.session.answer
    assert answer is not None
    twist = next(i for i, k in enumerate(answer.modes.kinds) if k.startswith("twist"))
    window.session.choose(answer.identities[twist])
    scene = window.shape.canvas.scene
    assert scene.skin.values.max() == pytest.approx(1.0, abs=1e-5)
    assert scene.skin.values.min() < 0.05


def test_the_legend_says_relative(window: MainWindow) -> None:
    legend = window.shape._legend
    assert "no distances" in legend.toolTip()
    image = legend.grab().toImage()
    for end, x in ((0, 2), (-1, image.width() - 3)):
        expected = QColor(LIGHT.motion[end])
        found = image.pixelColor(x, 5)
        assert abs(found.lightness() - expected.lightness()) < 12


def test_many_windows_may_come_and_go(make_window: Callable[..., MainWindow]) -> None:
    for _ in range(4):
        window = make_window(None, EMPTY)
        assert not picture(window).isNull()
        window.close()


def test_words_of_a_mode_end_in_dots_where_there_is_no_room(
    window: MainWindow, qtbot: QtBot
) -> None:
    words = window.shape.sub
    assert words.shown == words.text()
    window.session.choose_neighbour(1)
    words.setFixedWidth(40)
    assert words.shown.endswith("…")
    assert words.toolTip() == words.text()


def test_many_changes_are_one_picture(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    canvas = window.shape.canvas
    settle(qtbot, window)
    drawn: list[bool] = []
    draw = Scene.draw

    def counted(scene: Scene, width: int, height: int, fast: bool = False) -> object:
        drawn.append(fast)
        return draw(scene, width, height, fast)

    monkeypatch.setattr(Scene, "draw", counted)
    window.session.choose_neighbour(1)
    canvas.set_swing(0.3)
    canvas.look("y")
    canvas.fit()
    assert drawn == []
    QApplication.processEvents()
    assert drawn == [True]


@pytest.mark.usefixtures("smoothing")
def test_a_picture_at_rest_has_smooth_edges(window: MainWindow, qtbot: QtBot) -> None:
    canvas = window.shape.canvas
    canvas.look("y")
    quick = picture(window)
    qtbot.waitUntil(lambda: canvas.at_rest, timeout=20_000)
    smooth = picture(window)

    def shades(image: QImage) -> int:
        """How many colours there are: steps have those of faces and ground only."""
        pixels = np.frombuffer(image.convertToFormat(QImage.Format.Format_RGB32).constBits(), "u4")
        return len(np.unique(pixels))

    assert shades(smooth) > 1.2 * shades(quick)


@pytest.mark.usefixtures("smoothing")
def test_what_moves_is_not_smoothed(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    canvas = window.shape.canvas
    aside: list[int] = []
    draw = Scene.draw_aside

    def counted(scene: Scene, width: int, height: int, number: int) -> object:
        aside.append(number)
        if len(aside) == 3:
            # A hand moves on while the picture is being smoothed.
            QTimer.singleShot(0, canvas, lambda: canvas.set_swing(0.4))
        return draw(scene, width, height, number)

    monkeypatch.setattr(Scene, "draw_aside", counted)
    canvas.set_swing(0.2)
    qtbot.waitUntil(lambda: canvas.at_rest and len(aside) > 3, timeout=20_000)
    assert aside[-8:] == list(range(8))
    assert aside[:3] == [0, 1, 2]
    assert len(aside) <= 12


def test_what_is_drawn_coarser_while_it_moves_is_picked_where_it_is() -> None:
    design = evaluate(read_sheet(demo_sheet("pump_cover")))
    scene = Scene(LIGHT)
    try:
        scene.show_design(design, None)
        scene.look("z")
        found: list[tuple[object, tuple[float, float]]] = []
        fitted: list[tuple[float, float]] = []
        for fast in (False, True):
            scene.eye.headroom = 0
            scene.look("z")
            shown = scene.draw(2600, 1500, fast)
            assert (shown.shape[0] < 1500) is fast
            spot = scene.place_under(1000, 900, 1500)
            assert spot is not None
            found.append((spot.place, scene.eye.on_picture(np.array(spot.place), 1500)))
            # A view brought into the picture is the same, whatever was drawn last.
            scene.eye.headroom = 200
            scene.fit()
            fitted.append(scene.eye.on_picture(np.zeros(3), 1500))
        assert fitted[0] == pytest.approx(fitted[1], abs=3)
        (place, at), (again, _) = found
        assert np.allclose(place, again, atol=2e-3)
        assert at == pytest.approx((1000, 900), abs=3)
    finally:
        scene.close()


@pytest.mark.parametrize(
    ("name", "knob", "value"),
    [("infeed_rail", "post_at", 2.0), ("pump_cover", "inlet_at", 0.12)],
)
def test_what_holds_and_hangs_on_it_follows_a_knob_that_is_turned(
    name: str, knob: str, value: float
) -> None:
    family = DesignFamily(read_sheet(demo_sheet(name)))
    design, turned = family.at(), family.at({knob: value})
    modes = solve(design, request_for(design), planned(design, Discretisation(1, 3))).modes
    scene = Scene(LIGHT)
    try:
        scene.show_design(design, modes)
        scene.look("corner")
        before = scene.draw(500, 300).copy()
        assert scene.follow(turned, modes)
        scene.show_mode(modes, 0)
        scene.rest()
        after = scene.draw(500, 300).copy()
        scene.show_design(turned, modes)
        assert np.array_equal(scene.draw(500, 300), after)
        assert np.count_nonzero(np.any(before != after, axis=-1)) > 50
    finally:
        scene.close()
