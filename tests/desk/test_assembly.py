"""The window with several parts: the list, the joints, what is seen, what is added."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from PySide6.QtCore import QItemSelectionModel, Qt
from PySide6.QtWidgets import QApplication, QToolButton
from pytestqt.qtbot import QtBot

from belltone.desk.cards.card import Card
from belltone.desk.fields import ChoiceWord
from belltone.desk.window import MainWindow
from belltone.store.library import library
from tests.assemblies import STEEL, frame, held, joint, plate
from tests.desk.conftest import WAIT, number, settle
from tests.desk.test_cards import act

FIXED = "[accuracy]\ndivisions = 1\norder = 3\n"
PLATES = "\n".join(
    [
        "belltone = 1",
        STEEL,
        plate("a", 250, 400, (-175, 0, 0)),
        plate("b", 350, 400, (125, 0, 0)),
        held("a.west"),
        held("b.east"),
        FIXED,
        "[modes]\ncount = 3\n",
    ]
)
PORTAL = "\n".join(
    [
        "belltone = 1",
        STEEL,
        frame(
            {"a": (0, 0, 0), "b": (0, 0, 800), "c": (600, 0, 800), "d": (600, 0, 0)},
            {
                "left": 'from = "a", to = "b"',
                "top": 'from = "b", to = "c"',
                "right": 'from = "c", to = "d"',
            },
        ),
        held("f.a"),
        held("f.d"),
    ]
)
Make = Callable[..., MainWindow]


def known(qtbot: QtBot, window: MainWindow) -> None:
    """Wait until it is known which parts touch."""
    settle(qtbot, window)
    qtbot.waitUntil(lambda: window.session.parts.contacts is not None, timeout=WAIT)
    qtbot.waitUntil(lambda: window.session.jobs.state("contacts") is None, timeout=WAIT)


def said(card: Card) -> str:
    return " ".join(
        " ".join(
            piece if isinstance(piece, str) else getattr(piece, "text", "•") for piece in sentence
        )
        for sentence in card.sentences()
    )


def choose(card: Card, text: str, option: str) -> None:
    """Pick an option of a live word, as a hand would in its menu."""
    QApplication.processEvents()  # a card rebuilt just now is laid out
    for word in card.findChildren(ChoiceWord):
        if word.text() == text and word.isVisibleTo(card):
            for action in word.menu().actions():
                if action.text() == option:
                    action.trigger()
                    return
    there = [(w.text(), w.isVisibleTo(card)) for w in card.findChildren(ChoiceWord)]
    raise AssertionError(f"no “{option}” at “{text}”; there are {there}")


def rows(window: MainWindow) -> list[list[str]]:
    table = window.column.parts.table
    return [
        [table.item(row, column).text() for column in range(table.columnCount())]
        for row in range(table.rowCount())
    ]


def pick(window: MainWindow, *chosen: int) -> None:
    model = window.column.parts.table.selectionModel()
    flags = QItemSelectionModel.SelectionFlag
    way = flags.ClearAndSelect | flags.Rows
    for row in chosen:
        model.select(window.column.parts.table.model().index(row, 0), way)
        way = flags.Select | flags.Rows


def press(window: MainWindow, text: str, qtbot: QtBot) -> None:
    (button,) = [b for b in window.column.parts.findChildren(QToolButton) if b.text() == text]
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)


def test_one_part_needs_no_list(window: MainWindow) -> None:
    assert not window.column.parts.isVisible()
    assert not window.column.joined.isVisible()


def test_parts_are_listed_with_mass_and_energy(make_window: Make, qtbot: QtBot) -> None:
    window = make_window(None, PORTAL)
    known(qtbot, window)
    listed = rows(window)
    assert [row[0] for row in listed] == ["f.left", "f.top", "f.right"]
    assert listed[0][1] == "5.65 kg"
    shares = [float(row[2].removesuffix(" %")) for row in listed]
    assert sum(shares) == pytest.approx(100, abs=2)
    assert said(window.column.joined).startswith("The members of “f” are joined in its nodes")


def test_a_pair_that_touches_waits_for_a_word(make_window: Make, qtbot: QtBot) -> None:
    window = make_window(None, PLATES)
    known(qtbot, window)
    session = window.session
    assert session.answer is not None
    loose = session.answer.modes.flexible[0]
    assert "“a” touches “b” along 400 mm: not decided, so not joined" in said(window.column.joined)
    choose(window.column.joined, "not decided, so not joined", "welded, as offered")
    assert session.parts.lit == {"a", "b"}
    known(qtbot, window)
    assert session.sheet.content.joints[0].how == "welded"
    assert session.answer.modes.flexible[0] > 1.5 * loose
    words = said(window.column.joined)
    assert "“a” and “b” are welded" in words
    assert "With the last change here:" in words
    choose(window.column.joined, "welded", "on springs")
    known(qtbot, window)
    assert session.sheet.content.joints[0].how == "sprung"
    assert session.sheet.content.joints[0].springs is not None
    choose(window.column.joined, "on springs", "hinged")
    known(qtbot, window)
    assert session.sheet.content.joints[0].springs is None
    session.undo()
    session.undo()
    session.undo()
    settle(qtbot, window)
    assert session.sheet.content.joints == ()


def test_spots_need_named_points(make_window: Make, qtbot: QtBot) -> None:
    window = make_window(None, PLATES)
    known(qtbot, window)
    told: list[str] = []
    window.session.told.connect(told.append)
    choose(window.column.joined, "not decided, so not joined", "joined at spots")
    assert any("name the points where the spots are" in text for text in told)
    assert window.session.sheet.content.joints == ()


def test_parts_are_hidden_seen_through_and_shown_alone(make_window: Make, qtbot: QtBot) -> None:
    window = make_window(None, PLATES + joint("a", "b"))
    known(qtbot, window)
    scene = window.shape.canvas.scene
    pick(window, 1)
    assert window.session.parts.selected == ("b",)
    assert scene.options.lit == {"b"}
    press(window, "hide", qtbot)
    assert scene.options.hidden == {"b"}
    assert rows(window)[1][3] == "○"
    press(window, "see-through", qtbot)
    assert scene.options.hidden == frozenset()
    assert scene.options.faint == {"b"}
    press(window, "alone", qtbot)
    assert scene.options.hidden == {"a"}
    press(window, "all", qtbot)
    assert scene.options.hidden | scene.options.faint == frozenset()


def drawn(window: MainWindow) -> np.ndarray:
    return window.shape.canvas.scene.draw(400, 300)


def test_hiding_a_part_changes_the_picture(make_window: Make, qtbot: QtBot) -> None:
    window = make_window(None, PLATES + joint("a", "b"))
    known(qtbot, window)
    before = drawn(window)
    window.session.parts.set_view(["b"], "hidden")
    hidden = drawn(window)
    window.session.parts.set_view(["b"], "faint")
    faint = drawn(window)
    assert np.count_nonzero(before != hidden) > 2000
    assert np.count_nonzero(hidden != faint) > 2000
    window.session.parts.set_view(["b"], "shown")
    assert np.count_nonzero(drawn(window) != before) < 500


def test_materials_of_several_parts_then_one_exception(make_window: Make, qtbot: QtBot) -> None:
    window = make_window(None, PLATES + joint("a", "b"))
    known(qtbot, window)
    material = window.column.material
    pick(window, 0, 1)
    assert window.session.parts.selected == ("a", "b")
    choose(material, "steel", "brass")
    settle(qtbot, window)
    parts = window.session.sheet.content.parts
    assert {part.material for part in parts.values()} == {"brass"}
    pick(window, 1)
    choose(material, "brass", "steel")
    settle(qtbot, window)
    parts = window.session.sheet.content.parts
    assert [part.material for part in parts.values()] == ["brass", "steel"]


def test_a_material_is_kept_for_other_sheets(make_window: Make, qtbot: QtBot) -> None:
    window = make_window(None, PLATES)
    settle(qtbot, window)
    act(window.column.material, "keep…")
    assert library()["steel"]["youngs_modulus"] == "200 GPa"
    other = make_window(None, PLATES.replace("steel", "iron"))
    settle(qtbot, other)
    choose(other.column.material, "iron", "steel, from your library")
    settle(qtbot, other)
    assert other.session.sheet.content.parts["a"].material == "steel"
    assert "steel" in other.session.sheet.content.materials


def test_members_of_a_frame_are_told_to_meet_in_its_nodes(make_window: Make, qtbot: QtBot) -> None:
    window = make_window(None, PORTAL)
    known(qtbot, window)
    told = said(window.column.joined)
    assert "The members of “f” are joined in its nodes, rigidly." in told
    assert "No two parts touch" not in told
    hinged = PORTAL.replace('from = "b", to = "c"', 'from = "b", to = "c", hinged = ["end"]')
    window = make_window(None, hinged)
    known(qtbot, window)
    assert "rigidly but for 1 hinged." in said(window.column.joined)


@pytest.mark.parametrize(
    "kind", ["member", "bent member", "turned member", "frame", "rib", "plate"]
)
def test_parts_are_added_of_every_kind(make_window: Make, qtbot: QtBot, kind: str) -> None:
    window = make_window(None, PLATES)
    settle(qtbot, window)
    component = window.column.component
    component.add_part(kind)  # type: ignore[attr-defined]
    assert len(window.session.sheet.content.parts) == 3
    name = window.session.parts.chosen[0]
    assert name not in ("a", "b")
    assert f" {name} " in said(component)
    assert (f"“{name}” is welded to “" in said(window.column.joined)) == (kind == "rib")
    settle(qtbot, window)
    component._remove(name)  # type: ignore[attr-defined]
    assert list(window.session.sheet.content.parts) == ["a", "b"]


@pytest.mark.parametrize(
    ("how", "words"),
    [
        ("in a row", "every"),
        ("round an axis", "round z"),
        ("mirrored", "twice, mirrored across x"),
    ],
)
def test_a_part_is_repeated(make_window: Make, qtbot: QtBot, how: str, words: str) -> None:
    window = make_window(None, PLATES)
    known(qtbot, window)
    window.session.parts.select(["b"])
    window.column.component.add_pattern(how)  # type: ignore[attr-defined]
    assert "b 2" in [part.name for part in window.session.design.parts]
    assert words in said(window.column.joined)


def test_frames_are_told_node_by_node(make_window: Make, qtbot: QtBot) -> None:
    window = make_window(None, PORTAL)
    settle(qtbot, window)
    words = said(window.column.component)
    assert "A frame f of 3 members" in words
    assert "left from a to b" in words
    held_words = said(window.column.held)
    assert "“f.a”" in held_words
    count = len(window.column.component.numbers())
    assert count == 2 + 4 * 3


def test_a_table_is_pasted_as_a_frame(make_window: Make, qtbot: QtBot) -> None:
    window = make_window(None, PORTAL)
    settle(qtbot, window)
    told: list[str] = []
    window.session.told.connect(told.append)
    window.files.new_frame("a,0,0,0\nb,0,0\n")
    assert any("no frame: line 2" in text for text in told)
    assert "f" in window.session.sheet.content.parts
    QApplication.clipboard().setText("a\t0\t0\t0\nb\t0\t0\t500\nc\t300\t0\t500\nm\ta\tb\nn\tb\tc\n")
    window.files.paste_frame()
    settle(qtbot, window)
    assert [part.name for part in window.session.design.parts] == ["frame.m", "frame.n"]


def test_a_number_of_several_parts_is_changed_at_once(make_window: Make, qtbot: QtBot) -> None:
    window = make_window(None, PLATES)
    known(qtbot, window)
    window.session.parts.select(("a", "b"))
    thick = number(window, ("parts", "a", "thickness"))
    assert "All 2 parts chosen" in said(window.column.component)
    other = window.session.sheet.values["parts", "b", "placement", "at", 0]
    window.session.set_value(("parts", "a", "placement", "at", 0), "-175.5 mm")
    assert window.session.sheet.values["parts", "b", "placement", "at", 0] == other
    window.session.undo()
    thick.begin_edit("5 mm")
    thick.commit()
    values = window.session.sheet.values
    assert {values["parts", name, "thickness"][0] for name in "ab"} == {"5 mm"}
    assert "in 2 parts" in window.menus.undo.text()
    window.session.undo()
    window.session.parts.select(("b",))
    window.session.set_value(("parts", "b", "thickness"), "6 mm")
    assert window.session.sheet.values["parts", "a", "thickness"][0] == "4 mm"
    thick = number(window, ("parts", "b", "thickness"))
    copy = next(each for each in thick.actions_offered() if each.text().startswith("Copy"))
    copy.trigger()
    text = QApplication.clipboard().text()
    assert "[parts.b]" in text
    assert "[parts.a]" not in text
