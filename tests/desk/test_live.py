"""Knobs that are alive: pegs, map, shape and numbers follow the hand before anything is written."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from belltone.desk.cards.knobs_card import KnobsCard
from belltone.desk.session.turned import outside_words
from belltone.desk.window import MainWindow
from belltone.modes.solve import request_for, solve
from belltone.reading.family import DesignFamily
from belltone.reduce.model import ReducedModes
from belltone.store.journal import Journal
from tests.conftest import CLAMPED, bar_text
from tests.desk.conftest import WAIT, drawn, number, settle, swept

Make = Callable[..., MainWindow]


@pytest.fixture
def alive(make_window: Make, rail_path: Path, qtbot: QtBot) -> MainWindow:
    """A window on the demo sheet whose models stand."""
    window = make_window(rail_path, models=True)
    await_models(qtbot, window)
    return window


def await_models(qtbot: QtBot, window: MainWindow) -> None:
    session = window.session
    qtbot.waitUntil(
        lambda: (
            session.models.settled
            and session.jobs.state("curves") is None
            and session.jobs.state("model") is None
        ),
        timeout=WAIT,
    )


@pytest.fixture
def writes(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Every text that is kept safe."""
    kept: list[str] = []
    record = Journal.record

    def counted(self: Journal, path: Path | None, text: str, variants: str = "") -> None:
        kept.append(text)
        record(self, path, text, variants)

    monkeypatch.setattr(Journal, "record", counted)
    return kept


def pegs(window: MainWindow) -> np.ndarray:
    return np.array([frequency for _, frequency, _ in window.ruler.pegs()])


def slider(window: MainWindow, name: str):
    return window.findChildren(KnobsCard)[0].row(name).slider


def truly(window: MainWindow, knob: str) -> np.ndarray:
    """Frequencies solved for at the value a knob is turned to."""
    session = window.session
    design = DesignFamily(session.sheet).at({knob: session.design.knobs[knob].base})
    answer = session.answer
    assert answer is not None
    found = solve(design, request_for(design), answer.modes.discretisation, told=False)
    return found.modes.flexible


def test_pegs_follow_a_slider_and_nothing_is_written_before_it_is_let_go(
    alive: MainWindow, writes: list[str], qtbot: QtBot
) -> None:
    session, knob = alive.session, slider(alive, "wall")
    before, text, steps = pegs(alive), session.sheet.text, len(session.history.past)
    solved = session.answer
    knob.setSliderDown(True)
    seen = []
    for tick in (300, 400, 500, 640):
        knob.setValue(tick)
        seen.append(pegs(alive))
    assert session.turning == "wall"
    assert session.answer is not None
    assert session.answer.source == "model"
    assert all(len(each) == len(before) for each in seen)
    assert np.abs(seen[-1] / seen[0] - 1).max() > 0.02
    assert seen[-1] == pytest.approx(truly(alive, "wall")[: len(seen[-1])], rel=1e-3)
    # Readout, verdict, sentence and map say so at once; text, steps and journal do not.
    assert "By the model" in alive.verdict.text.text()
    assert alive.readout.stale.text() == "energies and masses are those before the turn"
    assert (
        number(alive, ("knobs", "wall", "value")).text()
        == f"{session.design.knobs['wall'].value:g} mm"
    )
    assert alive.map.knob_line.value() == pytest.approx(session.design.knobs["wall"].value)
    assert session.sheet.text == text
    assert len(session.history.past) == steps
    assert writes == []
    knob.setSliderDown(False)
    assert len(session.history.past) == steps + 1
    assert len(writes) == 1
    assert session.turning is None
    settle(qtbot, alive)
    assert session.answer is not solved
    assert session.answer.final
    assert session.answer.source == ""
    assert pegs(alive) == pytest.approx(seen[-1], rel=1e-3)
    session.undo()
    assert session.sheet.text == text


def test_a_number_in_a_sentence_is_dragged(
    alive: MainWindow, writes: list[str], qtbot: QtBot
) -> None:
    field, session = number(alive, ("knobs", "post_at", "value")), alive.session
    before, middle = pegs(alive), field.rect().center()
    QTest.mousePress(field, Qt.MouseButton.LeftButton, pos=middle)
    shown = set()
    for step in range(1, 8):
        QTest.mouseMove(field, middle + QPoint(12 * step, 0))
        shown.add(field.text())
    assert len(shown) > 3
    assert session.turning == "post_at"
    assert np.abs(pegs(alive) / before - 1).max() > 1e-3
    assert writes == []
    QTest.mouseRelease(field, Qt.MouseButton.LeftButton, pos=middle + QPoint(84, 0))
    assert len(writes) == 1
    settle(qtbot, alive)
    assert f'value = "{session.design.knobs["post_at"].value} m"' in session.sheet.text


def test_a_plain_number_is_one_step_too(alive: MainWindow, writes: list[str], qtbot: QtBot) -> None:
    path = next(
        path
        for path, (raw, _) in alive.session.sheet.values.items()
        if path[0] == "masses" and path[-1] == "mass" and raw.endswith("kg")
    )
    field, session = number(alive, path), alive.session
    steps, middle = len(session.history.past), field.rect().center()
    QTest.mousePress(field, Qt.MouseButton.LeftButton, pos=middle)
    for step in range(1, 6):
        QTest.mouseMove(field, middle + QPoint(12 * step, 0))
    assert len(session.history.past) == steps
    assert writes == []
    dragged = session.sheet.text
    QTest.mouseRelease(field, Qt.MouseButton.LeftButton, pos=middle)
    assert session.sheet.text == dragged
    assert len(session.history.past) == steps + 1
    assert writes == [dragged]
    settle(qtbot, alive)


def test_equal_modes_keep_their_places_while_a_knob_turns(make_window: Make, qtbot: QtBot) -> None:
    """Shapes of one frequency may turn among themselves at will, and are not let to."""
    text = bar_text(
        'shape = "solid round", diameter = "k"',
        "0.6 m",
        CLAMPED + '[knobs.k]\nvalue = "20 mm"\nfrom = "10 mm"\nto = "40 mm"\n[modes]\ncount = 6\n',
    )
    window = make_window(None, text, models=True)
    await_models(qtbot, window)
    session = window.session
    first = session.answer
    assert first is not None
    for value in (22.0, 27.0, 35.0, 15.0):
        session.turn_knob("k", value)
        answer = session.answer
        assert answer is not None
        assert answer.source == "model"
        assert answer.identities[:4] == first.identities[:4]
        for mode in range(4):
            one, other = (modes.shapes[mode].ravel() for modes in (first.modes, answer.modes))
            alike = one @ other / np.linalg.norm(one) / np.linalg.norm(other)
            assert alike > 0.999
    session.give_up_turn()


def test_beyond_buckling_the_reason_stands_at_once(make_window: Make, qtbot: QtBot) -> None:
    text = bar_text(
        'shape = "solid rectangle", width = "20 mm", height = "5 mm"',
        "0.6 m",
        CLAMPED
        + CLAMPED.replace("bar.start", "bar.end")
        + '[knobs.k]\nvalue = "5 K"\nfrom = "1 K"\nto = "60 K"\n[modes]\ncount = 3\n'
        + '[preload]\n[[preload.warmths]]\nchange = "k"\n',
    ).replace("poisson_ratio = 0.3", 'poisson_ratio = 0.3\nexpansion = "12 um/m/K"')
    window = make_window(None, text, models=True)
    await_models(qtbot, window)
    session = window.session
    session.turn_knob("k", 15.0)
    assert session.answer is not None
    assert (session.answer.source, session.failure) == ("model", "")
    session.turn_knob("k", 50.0)
    assert session.answer.source == "before"
    assert "buckled" in session.failure
    assert "buckled" in window.verdict.text.text()
    session.turn_knob("k", 10.0)
    assert session.failure == ""
    session.give_up_turn()


def test_two_knobs_one_after_the_other_and_back(alive: MainWindow, qtbot: QtBot) -> None:
    session = alive.session
    wall, post = slider(alive, "wall"), slider(alive, "post_at")
    for knob, tick in ((wall, 600), (post, 300), (wall, 450)):
        knob.setSliderDown(True)
        knob.setValue(tick)
        assert session.answer is not None
        # The model of a knob is of the design with the others where they are now.
        assert session.answer.source in ("model", "older model")
        if session.answer.source == "model":
            name = session.turning
            assert name is not None
            found = pegs(alive)
            assert found == pytest.approx(truly(alive, name)[: len(found)], rel=1e-3)
        knob.setSliderDown(False)
        settle(qtbot, alive)
        await_models(qtbot, alive)
    assert session.models.of("wall") is not None
    assert session.models.of("post_at") is not None


def test_a_model_of_before_the_other_knob_was_turned_moves_the_pegs(
    alive: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, wall, post = alive.session, slider(alive, "wall"), slider(alive, "post_at")
    wall.setSliderDown(True)
    wall.setValue(520)
    wall.setSliderDown(False)
    monkeypatch.setattr(session.models, "of", lambda _knob: None)  # no new one is there so soon
    post.setSliderDown(True)
    post.setValue(post.value() + 150)
    assert session.answer is not None
    assert session.answer.source == "older model"
    assert "as before other knobs were turned, error not known" in alive.verdict.text.text()
    assert alive.readout.error.text() == "about"
    found = pegs(alive)
    true = truly(alive, "post_at")[: len(found)]
    off = np.abs(found / true - 1)
    assert off.max() < 5e-2
    # Nearer than slopes would be.
    monkeypatch.setattr(session.models, "older", lambda _knob: None)
    session.turn_knob("post_at", session.design.knobs["post_at"].value)
    assert session.answer.source == "slopes"
    moved = pegs(alive)
    assert off.max() < 0.5 * np.abs(moved / true[: len(moved)] - 1).max()
    post.setSliderDown(False)


def test_until_a_model_stands_slopes_move_the_pegs(window: MainWindow) -> None:
    session, knob = window.session, slider(window, "wall")
    before = pegs(window)
    knob.setSliderDown(True)
    knob.setValue(knob.value() + 20)
    assert session.answer is not None
    assert session.answer.source == "slopes"
    assert "Moved by slopes, error not known" in window.verdict.text.text()
    assert window.readout.error.text() == "by slopes"
    moved = pegs(window)
    assert np.abs(moved / before - 1).max() > 1e-4
    assert moved == pytest.approx(truly(window, "wall")[: len(moved)], rel=2e-3)
    knob.setSliderDown(False)


def test_an_exact_answer_outside_what_the_model_told_is_told(alive: MainWindow) -> None:
    answer = alive.session.answer
    assert answer is not None
    modes = answer.modes
    assert outside_words(modes, modes, 1e-3) == ""
    off = replace(modes, frequencies=modes.frequencies * 1.004)
    assert "0.4 % off at mode" in outside_words(off, modes, 1e-3)
    assert outside_words(off, modes, 5e-3) == ""


def test_the_scale_of_the_ruler_stays_while_a_hand_turns(alive: MainWindow) -> None:
    knob, span = slider(alive, "wall"), alive.ruler.whole
    knob.setSliderDown(True)
    knob.setValue(950)
    assert alive.ruler.whole == span
    knob.setSliderDown(False)


def test_a_turn_that_comes_back_is_no_step(alive: MainWindow, writes: list[str]) -> None:
    session, knob = alive.session, slider(alive, "wall")
    answer, here = session.answer, session.design.knobs["wall"].value
    knob.setSliderDown(True)
    knob.setValue(700)
    session.turn_knob("wall", here)
    knob.setSliderDown(False)
    assert writes == []
    assert session.answer is answer
    assert session.design.knobs["wall"].value == here


def test_the_map_is_there_without_a_sweep_and_follows_its_cursor(
    alive: MainWindow, writes: list[str], qtbot: QtBot
) -> None:
    session, plot = alive.session, alive.map
    modelled = session.tuning.modelled
    assert modelled is not None
    assert session.tuning.shown is modelled
    assert len(modelled.sweep.branches) >= session.design.count
    assert not modelled.sweep.exact.any()
    assert "about" in plot.clear_text.text()
    assert "by a model, within" in plot.quality.text()
    before = pegs(alive)
    low, high = session.design.knobs["wall"].range
    plot.knob_line.setValue(0.5 * (low + high))
    assert session.turning == "wall"
    assert np.abs(pegs(alive) / before - 1).max() > 1e-2
    assert writes == []
    plot.knob_line.sigPositionChangeFinished.emit(plot.knob_line)
    assert len(writes) == 1
    settle(qtbot, alive)
    plot.knob.setCurrentText("post_at")
    qtbot.waitUntil(
        lambda: (
            session.tuning.modelled is not None
            and session.tuning.modelled.sweep.knob.name == "post_at"
        ),
        timeout=WAIT,
    )
    assert session.tuning.shown_is_current


def test_branches_fade_while_another_knob_is_turned(alive: MainWindow, qtbot: QtBot) -> None:
    alive.map.knob.setCurrentText("wall")
    assert alive.session.tuning.shown_is_current
    alive.session.turn_knob("post_at", 1.7)
    assert not alive.session.tuning.shown_is_current
    drawn(qtbot, alive)
    assert alive.map.clear_text.text() == "These branches are of the design before the turn."
    alive.session.give_up_turn()
    assert alive.session.tuning.shown_is_current
    drawn(qtbot, alive)
    assert "clear interval" in alive.map.clear_text.text()


def test_a_sweep_puts_solved_points_on_the_curves(alive: MainWindow, qtbot: QtBot) -> None:
    swept(qtbot, alive, "wall", 5)
    tuning = alive.session.tuning
    assert tuning.sweep is not None
    assert tuning.shown is tuning.modelled
    curves = {
        identity: branch.curve(tuning.modelled.sweep.values)
        for identity, branch in zip(
            tuning.modelled.identities, tuning.modelled.sweep.branches, strict=True
        )
    }
    for identity, branch in zip(tuning.sweep.identities, tuning.sweep.sweep.branches, strict=True):
        if identity in curves and np.isfinite(branch.frequencies).all():
            told = curves[identity](tuning.sweep.sweep.values)
            assert told == pytest.approx(branch.frequencies, rel=2e-3)
    # Ends of clear intervals that were solved for are told as such.
    assert tuning.clear[1]
    assert "about" not in alive.map.clear_text.text()
    dots = [item for item in alive.map.plot.listDataItems() if hasattr(item, "points")]
    assert dots


def test_a_value_beyond_what_is_possible_is_told_and_left(alive: MainWindow, qtbot: QtBot) -> None:
    session, told = alive.session, []
    session.told.connect(told.append)
    before = session.design
    problem = session.turn_knob("wall", 60.0)
    assert problem is not None
    assert "wall" in problem
    assert session.design is before
    session.end_gesture()
    assert session.design.knobs["wall"].value == before.knobs["wall"].value


def test_a_peg_pulls_its_knob_along(alive: MainWindow, qtbot: QtBot) -> None:
    session, ruler = alive.session, alive.ruler
    alive.map.knob.setCurrentText("wall")
    await_models(qtbot, alive)
    identity, frequency, head = next(iter(ruler.pegs()))
    before = session.design.knobs["wall"].value
    QTest.mousePress(ruler, Qt.MouseButton.LeftButton, pos=head.toPoint())
    for step in range(1, 6):
        QTest.mouseMove(ruler, (head + QPointF(4.0 * step, 0)).toPoint())
    assert session.turning == "wall"
    assert session.design.knobs["wall"].value != before
    now = next(own for own in ruler.pegs() if own[0] == identity)
    wanted = ruler.frequency_at(head.x() + 20)
    assert abs(now[1] - wanted) < abs(frequency - wanted)
    asked: list[float] = []
    ruler.reach_asked.disconnect()
    ruler.reach_asked.connect(asked.append)
    QTest.mouseRelease(ruler, Qt.MouseButton.LeftButton, pos=(head + QPointF(20, 0)).toPoint())
    assert session.turning is None
    assert session.design.knobs["wall"].value == before
    assert asked == [pytest.approx(wanted, rel=1e-3)]


def test_one_knob_after_the_other_goes_by_the_model_of_both(
    alive: MainWindow, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
) -> None:
    session, post = alive.session, slider(alive, "post_at")
    assert session.models.about("wall") is not None
    alive.map.knob.setCurrentText("post_at")
    qtbot.waitUntil(lambda: session.jobs.state("curves") is None, timeout=WAIT)
    # Nothing new is made: what is known of both must do.
    session.models.close()
    monkeypatch.setattr(session.models, "consider", lambda: None)
    session.set_knob("wall", 3.2)
    # The map has the part of its branches that is known.
    qtbot.waitUntil(lambda: session.tuning.shown_is_current, timeout=WAIT)
    assert not session.models.stands("post_at")
    assert not session.tuning.shown_is_whole
    assert " between 1.31" in alive.map.clear_text.text()
    assert "No value of post_at in its range" not in alive.verdict.text.text()
    settle(qtbot, alive)
    post.setSliderDown(True)
    post.setValue(post.value() + 40)
    assert session.answer is not None
    assert session.answer.source == "model"
    found = pegs(alive)
    assert found == pytest.approx(truly(alive, "post_at")[: len(found)], rel=1e-3)
    post.setValue(1000)  # beyond it
    assert session.answer.source == "older model"
    post.setSliderDown(False)


def test_pulls_follow_the_hand_where_a_model_says_them(alive: MainWindow) -> None:
    session, wall = alive.session, slider(alive, "wall")
    wall.setSliderDown(True)
    wall.setValue(wall.value() + 60)
    answer = session.answer
    assert answer is not None
    assert answer.pulls is not None
    value = session.design.knobs["wall"].base
    sides = []
    for factor in (0.999, 1.001):
        design = DesignFamily(session.sheet).at({"wall": value * factor})
        found = solve(design, request_for(design), answer.modes.discretisation, told=False)
        sides.append(np.log(found.modes.flexible))
    true = (sides[1] - sides[0]) / np.log(1.001 / 0.999)
    pulls = answer.pulls["wall"].frequencies
    assert pulls == pytest.approx(true[: len(pulls)], abs=2e-2)
    assert set(answer.pulls) == {"wall", "post_at"}
    wall.setSliderDown(False)


def test_making_models_can_be_stopped_and_taken_up_again(
    make_window: Make, rail_path: Path, qtbot: QtBot
) -> None:
    # A rail no other test has, or its models would be remembered and there at once.
    text = rail_path.read_text(encoding="utf-8").replace('width = "60 mm"', 'width = "61.7 mm"')
    window = make_window(None, text, models=True)
    session, chart = window.session, window.map
    chart.knob.setCurrentText("post_at")
    qtbot.waitUntil(lambda: session.models.making == "post_at", timeout=WAIT)
    qtbot.waitUntil(chart.halt.isVisible, timeout=WAIT)
    assert chart.halt.text() == "Stop"
    qtbot.mouseClick(chart.halt, Qt.MouseButton.LeftButton)
    assert session.jobs.state("model") is None
    assert chart.halt.text() == "Make the model"
    # An answer that arrives, which models follow else, begins none.
    session.set_knob("wall", 3.3)
    settle(qtbot, window)
    qtbot.waitUntil(lambda: session.models.settled, timeout=WAIT)
    assert session.models.making == ""
    assert not session.models.stands("post_at")
    qtbot.mouseClick(chart.halt, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: session.models.stands("post_at"), timeout=WAIT)
    qtbot.waitUntil(chart.halt.isHidden, timeout=WAIT)


def test_how_near_models_are_is_chosen_and_kept(
    alive: MainWindow, make_window: Make, qtbot: QtBot
) -> None:
    session = alive.session
    assert session.models.of("wall") is not None
    choose = {action.text(): action for action in alive.findChildren(QAction)}
    # A nearer bound lets go of what is not so near ...
    choose["Models within 0.03 %"].trigger()
    assert session.models.of("wall") is None
    await_models(qtbot, alive)
    line = session.models.of("wall")
    assert line is not None
    assert line.model.bound == pytest.approx(3e-4)
    found = line.at(session.design.knobs["wall"].base * 1.2)
    assert isinstance(found, ReducedModes)
    assert found.errors.max() <= 3e-4
    # ... and a wider one keeps it.
    choose["Models within 1 %"].trigger()
    assert session.models.of("wall") is not None
    # The next window begins with what was chosen.
    again = make_window(None, bar_text('shape = "solid round", diameter = "20 mm"', rest=CLAMPED))
    assert again.session.models.bound == pytest.approx(1e-2)
