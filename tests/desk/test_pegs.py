"""Where pegs stand: none covers another, however many there are; and the zoom of the ruler."""

import itertools
from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from pytestqt.qtbot import QtBot

from belltone.desk.charts.peg_places import PEG, fanned, peg_places
from belltone.desk.charts.scale import Scale
from belltone.desk.window import MainWindow
from belltone.sheet.demo import demo_sheet
from tests.desk.conftest import settle


@given(st.lists(st.floats(0.0, 1200.0), max_size=220).map(sorted))
def test_no_head_covers_another(xs: list[float]) -> None:
    places = peg_places(xs)
    shown = [*places.levels, *itertools.chain.from_iterable(s for _, s in places.stacks)]
    assert sorted(shown) == list(range(len(xs)))
    heads = [(xs[place], level, PEG) for place, level in places.levels.items()]
    heads += [(centre, 0, PEG + 3) for centre, _ in places.stacks]
    for (x, level, half), (other, same, wide) in itertools.combinations(heads, 2):
        if level == same:
            assert abs(x - other) >= half + wide - 3.01


@given(st.floats(0.0, 1200.0), st.integers(1, 200))
def test_a_fan_shows_every_head_apart(centre: float, count: int) -> None:
    spots = fanned(centre, count, 1200.0)
    assert len(set(spots)) == count
    assert all(0 < x < 1200 for x, _ in spots)


@given(
    st.floats(40.0, 1100.0),
    st.lists(st.floats(0.3, 3.0), min_size=1, max_size=9),
)
def test_zooming_keeps_what_is_under_the_hand(x: float, factors: list[float]) -> None:
    scale = Scale(0.0, 500.0, 34.0, 1100.0)
    for factor in factors:
        before = scale.frequency_at(x)
        scale = scale.zoomed(x, factor, 500.0)
        assert -1e-9 <= scale.low < scale.high <= 500.0 + 1e-9
        inside = scale.low > 1e-9 and scale.high < 500.0 - 1e-9
        if inside:
            assert scale.frequency_at(x) == pytest.approx(before, rel=1e-9, abs=1e-9)
    assert scale.slid(1e6, 500.0).high == pytest.approx(500.0)


def wheel(window: MainWindow, x: float, notches: int) -> None:
    ruler = window.ruler
    at = QPointF(x, 40)
    event = QWheelEvent(
        at,
        QPointF(ruler.mapToGlobal(at.toPoint())),
        QPoint(),
        QPoint(0, 120 * notches),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    ruler.wheelEvent(event)


def test_the_wheel_zooms_and_home_shows_all_again(window: MainWindow, qtbot: QtBot) -> None:
    ruler = window.ruler
    whole = ruler.scale
    (_, frequency, head) = next(iter(ruler.pegs()))
    wheel(window, head.x(), 6)
    assert ruler.scale.span < 0.3 * whole.span
    assert ruler.x_of(frequency) == pytest.approx(head.x(), abs=0.5)
    qtbot.keyClick(ruler, Qt.Key.Key_Home)
    assert ruler.scale == whole


def test_a_crowd_stands_in_stacks_that_open(
    make_window: Callable[..., MainWindow], qtbot: QtBot
) -> None:
    text = demo_sheet("infeed_rail").read_text().replace("count = 10", "count = 80")
    window = make_window(None, text)
    ruler = window.ruler
    stacks = list(ruler.stacks())
    assert len(window.session.answer.modes.flexible) >= 80  # type: ignore[union-attr]
    assert stacks
    branches, head = max(stacks, key=lambda each: len(each[0]))
    shown = {identity for identity, _, _ in ruler.pegs()}
    qtbot.mouseMove(ruler, head.toPoint())
    opened = {identity: place for identity, _, place in ruler.pegs()}
    assert set(branches) <= set(opened)
    assert len(opened) > len(shown)
    last = branches[-1]
    qtbot.mouseMove(ruler, opened[last].toPoint())
    qtbot.mouseClick(ruler, Qt.MouseButton.LeftButton, pos=opened[last].toPoint())
    assert window.session.chosen == last
    settle(qtbot, window)
