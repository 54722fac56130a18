"""Variants and designs held against each other, in the real window."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QGuiApplication, QImage
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMessageBox
from pytestqt.qtbot import QtBot

from belltone.compare.variants import read_variants, variants_path
from belltone.desk.comparing.compare_view import CompareView
from belltone.desk.session.session import Session
from belltone.desk.window import MainWindow
from belltone.desk.windows import EMPTY
from belltone.exchange.workbooks import read_table
from belltone.sheet.document import Sheet, read_sheet
from belltone.store.journal import Journal, abandoned
from tests.desk.conftest import WAIT, count_pixels, drawn, settle

WALL = ("knobs", "wall", "value")


def variants_settled(window: MainWindow, qtbot: QtBot) -> None:
    """Wait until every variant is solved."""
    settle(qtbot, window)
    variants = window.session.variants
    qtbot.waitUntil(lambda: all(variants.answer(own.name) for own in variants.listed), timeout=WAIT)


@pytest.fixture
def three(window: MainWindow, qtbot: QtBot) -> MainWindow:
    """The rail as drawn, with a thicker and with a thinner wall, each pinned by its key."""
    for wall in ("3 mm", "5 mm", "2 mm"):
        window.session.set_value(WALL, wall)
        settle(qtbot, window)
        qtbot.keyClick(window, Qt.Key.Key_F8)
    variants_settled(window, qtbot)
    return window


@pytest.fixture
def comparing(three: MainWindow) -> Iterator[CompareView]:
    """The window that compares, with the first variant against the sheet."""
    three.show_comparison("as drawn")
    view = three.beside.of(CompareView)
    assert view is not None
    yield view
    view.close()


def test_pinning_keeps_each_design_at_once_and_says_what_it_is(three: MainWindow) -> None:
    strip, session = three.strip, three.session
    assert strip.isVisible()
    assert list(strip.cards) == ["as drawn", "wall 5 mm", "wall 2 mm"]
    assert session.path is not None
    kept = read_variants(variants_path(session.path))
    assert [each.name for each in kept] == list(strip.cards)
    assert kept[-1].text == session.sheet.text
    card = strip.cards["wall 5 mm"]
    assert card.differs.text() == "wall: 3 mm → 5 mm (+66.7 %)"
    answer = session.variants.answer("wall 5 mm")
    assert answer is not None
    assert card.stands.text().startswith(f"{answer.modes.mass:.4g} kg · ")
    assert "now" in strip.cards["wall 2 mm"].head.text()
    assert strip.cards["as drawn"].differs.text() == "the first"


def test_showing_the_strip_again_reads_and_compares_nothing(
    three: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It is shown anew with every move of a knob."""

    def compared(*_sheets: object) -> object:
        raise AssertionError("sheets are compared once")

    monkeypatch.setattr("belltone.desk.session.variants.differences", compared)
    monkeypatch.setattr(Sheet, "from_text", compared)
    for _ in range(3):
        three.strip.refresh()
    assert three.strip.cards["wall 5 mm"].differs.text() == "wall: 3 mm → 5 mm (+66.7 %)"


def test_a_click_shows_a_variants_modes_as_ghosts(three: MainWindow, qtbot: QtBot) -> None:
    ruler, session = three.ruler, three.session
    assert session.others.ghost is None
    card = three.strip.cards["wall 5 mm"]
    qtbot.mouseClick(card, Qt.MouseButton.LeftButton)
    assert session.others.ghost is not None
    name, answer = session.others.ghost
    assert name == "“wall 5 mm”"
    match = session.others.ghost_match
    chosen = session.chosen_mode
    assert match is not None
    assert chosen is not None
    assert match.number_after == chosen.number
    assert match.assurance > 0.9
    # A hollow peg stands where the variant has the mode.
    picture = ruler.grab().toImage()
    assert match.before is not None
    x = round(ruler.x_of(match.before))
    muted = QColor(three._palette.muted)
    near = picture.copy(x - 6, ruler.height() - 60, 13, 40)
    qtbot.mouseClick(card, Qt.MouseButton.LeftButton)
    assert session.others.ghost is None
    without = ruler.grab().toImage().copy(x - 6, ruler.height() - 60, 13, 40)
    assert count_pixels(near, muted) > count_pixels(without, muted)
    assert answer.design.knobs["wall"].value == 5


def test_return_rename_note_move_and_drop_by_hand_and_keys(
    three: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, strip = three.session, three.strip
    before = session.sheet.text
    qtbot.mouseDClick(strip.cards["as drawn"], Qt.MouseButton.LeftButton)
    assert session.design.knobs["wall"].value == 3
    assert session.history.undo_label == "return to “as drawn”"
    session.undo()
    assert session.sheet.text == before
    settle(qtbot, three)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_args, **_kw: ("stout", True))
    qtbot.keyClick(strip.cards["wall 5 mm"], Qt.Key.Key_F2)
    assert list(strip.cards) == ["as drawn", "stout", "wall 2 mm"]
    monkeypatch.setattr(QInputDialog, "getText", lambda *_args, **_kw: ("for the trial", True))
    strip.cards["stout"].ask_note()
    assert "for the trial" in strip.cards["stout"].toolTip()
    menu = strip.cards["stout"].menu()
    acts = {action.text(): action for action in menu.actions()}
    acts["Move right"].trigger()
    assert list(strip.cards) == ["as drawn", "wall 2 mm", "stout"]
    told: list[str] = []
    session.told.connect(told.append)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_args, **_kw: ("as drawn", True))
    strip.cards["stout"].ask_name()
    assert told[-1] == "there is a variant “as drawn” already; choose another name"
    qtbot.keyClick(strip.cards["wall 2 mm"], Qt.Key.Key_Delete)
    assert list(strip.cards) == ["as drawn", "stout"]
    assert session.path is not None
    kept = read_variants(variants_path(session.path))
    assert [(each.name, each.note) for each in kept] == [
        ("as drawn", ""),
        ("stout", "for the trial"),
    ]


def test_variants_are_there_again_and_go_along_with_save_as(
    three: MainWindow,
    make_window: Callable[[Path | None], MainWindow],
    rail_path: Path,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    other = tmp_path / "other.toml"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args, **_kw: (str(other), ""))
    assert three.files.save_as()
    assert [each.name for each in read_variants(variants_path(other))] == list(three.strip.cards)
    again = make_window(rail_path)
    assert list(again.strip.cards) == ["as drawn", "wall 5 mm", "wall 2 mm"]


def test_a_damaged_file_of_variants_is_told_and_harms_nothing(
    make_window: Callable[[Path | None], MainWindow], rail_path: Path
) -> None:
    variants_path(rail_path).write_text("belltone_variants = 1\n[[variants]]\nname = 3\n")
    window = make_window(rail_path)
    told: list[str] = []
    window.session.told.connect(told.append)
    assert not window.strip.isVisible()
    window.session.variants.pin_shown()
    assert "variant 1 needs a “name” and a “sheet”" in told[-1]
    assert "name = 3" in variants_path(rail_path).read_text()


def test_variants_of_a_sheet_without_a_file_survive_a_crash(tmp_path: Path, qtbot: QtBot) -> None:
    class Silent:
        def ask(self, *_question: object, progress: object) -> object:
            raise RuntimeError("nothing is solved here")

        def close(self) -> None:
            pass

    folder = tmp_path / "journal"
    silent = Silent()
    session = Session(Sheet.from_text(EMPTY), None, Journal(folder), (silent, silent, silent))
    session.variants.pin("first idea")
    (file,) = folder.glob("*.json")
    # The program that wrote it is gone.
    file.write_text(file.read_text().replace('"pid": ', '"pid": 99999'))
    (found,) = abandoned(folder)
    other = Session(Sheet.from_text(EMPTY), None, Journal(folder), (silent, silent, silent))
    other.open_text(found.text, found.sheet_path, found.variants)
    assert [each.name for each in other.variants.listed] == ["first idea"]
    assert other.variants.listed[0].text == EMPTY
    for each in (session, other):
        each.close()


def test_leaving_an_unsaved_sheet_with_variants_asks(
    make_window: Callable[..., MainWindow], qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = make_window(None, EMPTY)
    asked: list[str] = []

    def question(*words: object, **_named: object) -> object:
        asked.append(str(words[2]))
        return QMessageBox.StandardButton.Cancel

    monkeypatch.setattr(QMessageBox, "question", question)
    assert window.files.may_discard()
    window.session.variants.pin_shown()
    assert not window.files.may_discard()
    assert "Its variants are kept only where it is saved." in asked[0]


def test_both_shapes_are_seen_from_one_place_in_one_phase(
    comparing: CompareView, qtbot: QtBot
) -> None:
    first, second = (view.canvas.scene for view in comparing.views)
    canvas = comparing.views[1].canvas
    qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, pos=canvas.rect().center())
    qtbot.mouseMove(canvas, canvas.rect().center() + canvas.rect().topLeft() * 0)
    canvas.scene.eye.turn(17.0, 9.0)
    canvas.moved.emit()
    qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=canvas.rect().center())
    cameras = [scene._renderer.GetActiveCamera() for scene in (first, second)]
    assert cameras[0] is cameras[1]
    assert cameras[0].GetPosition() == cameras[1].GetPosition()
    comparing.set_playing(True)
    qtbot.wait(150)
    comparing.set_playing(False)
    swings = {(view.canvas._swing, view.canvas._behind) for view in comparing.views}
    assert len(swings) == 1
    # The same swing is drawn as large in both, whatever the size of each component.
    largest = [np.abs(scene.skin.points - scene.part.points).max() for scene in (first, second)]
    assert largest[0] == pytest.approx(largest[1], rel=0.05)


def test_rows_and_cells_show_both_shapes(comparing: CompareView, qtbot: QtBot) -> None:
    found = comparing.found
    assert found is not None
    assert (found.first.name, found.second.name) == ("as drawn", "the sheet")
    assert comparing.words.text() == "What differs: wall: 3 mm → 2 mm (-33.3 %)."
    comparing.list.choose(3)
    match = found.matches[3]
    assert match.number_after is not None
    heads = [view.head.text() for view in comparing.views]
    assert heads[0].startswith("as drawn · mode 4 · ")
    assert heads[1].startswith(f"the sheet · mode {match.number_after} · ")
    assert comparing.matrix.chosen == (3, match.number_after - 1)
    # A cell off the diagonal shows shapes that are no partners.
    place = comparing.matrix.place_of(1, 4).center().toPoint()
    qtbot.mouseClick(comparing.matrix, Qt.MouseButton.LeftButton, pos=place)
    assert comparing.matrix.chosen == (1, 4)
    assert "mode 2" in comparing.views[0].head.text()
    assert "mode 5" in comparing.views[1].head.text()
    assert comparing.views[1].canvas.index == 4
    qtbot.keyClick(comparing.matrix, Qt.Key.Key_Up)
    assert comparing.matrix.chosen == (0, 4)
    assert "mode 1" in comparing.views[0].head.text()


def test_the_matrix_is_darkest_where_modes_are_alike(comparing: CompareView) -> None:
    found = comparing.found
    assert found is not None
    picture = comparing.matrix.grab().toImage()

    def light(row: int, column: int) -> float:
        box = comparing.matrix.place_of(row, column).toRect()
        return QColor(picture.pixel(box.left() + 4, box.top() + 4)).lightnessF()

    for row, values in enumerate(found.assurance):
        shades = [light(row, column) for column in range(len(values))]
        assert int(np.argmin(shades)) == int(np.argmax(values))


def test_both_are_changed_round_written_and_copied(comparing: CompareView, tmp_path: Path) -> None:
    comparing.swap()
    found = comparing.found
    assert found is not None
    assert (found.first.name, found.second.name) == ("the sheet", "as drawn")
    assert "wall: 2 mm → 3 mm (+50 %)" in comparing.words.text()
    comparing._copy()
    copied = [line.split("\t") for line in QGuiApplication.clipboard().text().splitlines()]
    assert copied[0][:5] == ["mode", "from (Hz)", "now", "to (Hz)", "change (%)"]
    path = tmp_path / "compared.xlsx"
    comparing.write_table(path)
    rows = read_table(path)
    assert [float(row[1]) for row in rows[1:]] == pytest.approx(
        [each.before for each in found.matches if each.before]
    )
    comparing.write_picture(tmp_path / "matrix.png")
    assert QImage(str(tmp_path / "matrix.png")).width() == 2 * comparing.matrix.width()


def test_frequencies_are_compared_in_the_unit_chosen(
    comparing: CompareView, three: MainWindow
) -> None:
    heads, *rows = (line.split("\t") for line in comparing.list.copied().splitlines())
    from_, change = heads.index("from (Hz)"), heads.index("change  (Hz)")
    three.session.edit("per minute", lambda now: now.with_value(("shown_in", "frequency"), "rpm"))
    after, *turned = (line.split("\t") for line in comparing.list.copied().splitlines())
    assert (after[from_], after[change]) == ("from (rpm)", "change  (rpm)")
    assert all(view.head.text().endswith(" rpm") for view in comparing.views)
    assert "rpm" in comparing.matrix._words(0, 0)
    for row, other in zip(rows, turned, strict=True):
        for place in (from_, change):
            if row[place]:
                assert float(other[place]) == pytest.approx(60 * float(row[place]), rel=1e-3)


def test_every_variant_stands_side_by_side(comparing: CompareView) -> None:
    comparing.choose("present", "every")
    several = comparing.several
    assert several is not None
    assert [side.name for side in several.sides] == [
        "the sheet", "as drawn", "wall 5 mm", "wall 2 mm",
    ]  # fmt: skip
    heads = comparing.list._sorted.table
    assert heads is not None
    assert "largest change (%)" in heads.heads
    column = heads.heads.index("largest change (%)")
    comparing.list.sortByColumn(column, Qt.SortOrder.DescendingOrder)
    order = [heads.rows[row][column] for row in comparing.list.rows]
    numbers = [value for value in order if isinstance(value, float)]
    assert numbers == sorted(numbers, reverse=True)
    # A click in a variant's columns shows that variant's shapes.
    model = comparing.list.model()
    comparing.list.clicked.emit(model.index(0, 2 + 3))
    assert comparing.found is several.comparisons[1]
    assert comparing.views[1].head.text().startswith("wall 5 mm · mode ")


def test_a_mode_without_partner_says_why_and_stands_still(three: MainWindow, qtbot: QtBot) -> None:
    session = three.session
    held = '\n[[supports]]\nsite = "rail.end"\nhold = "clamped"\n'
    session.edit("held", lambda sheet: Sheet.from_text(sheet.text + held, sheet.folder))
    settle(qtbot, three)
    three.show_comparison("as drawn")
    view = three.beside.of(CompareView)
    assert view is not None
    found = view.found
    assert found is not None
    alone = [at for at, each in enumerate(found.matches) if not each.paired]
    for at in alone[:1]:
        view.list.choose(at)
        lacking = view.views[1 if found.matches[at].number is not None else 0]
        assert lacking.head.text().endswith("no partner")
        scene = lacking.canvas.scene
        assert np.abs(scene.skin.points - scene.part.points.astype(np.float32)).max() == 0
    view.close()


def test_a_sheet_in_a_file_is_compared(
    comparing: CompareView,
    three: MainWindow,
    tmp_path: Path,
    qtbot: QtBot,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    path = tmp_path / "theirs.toml"
    own = read_sheet(three.session.path or Path())
    path.write_text(own.with_value(WALL, "4 mm").text)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_args, **_kw: (str(path), ""))
    comparing.second.setCurrentIndex(comparing.second.findData("open"))
    comparing._chosen(comparing.second)
    assert comparing.second.currentText() == "theirs.toml"
    variants = three.session.variants
    qtbot.waitUntil(lambda: variants.file_answer is not None, timeout=WAIT)
    found = comparing.found
    assert found is not None
    assert found.second.name == "theirs.toml"
    assert "wall: 3 mm → 4 mm" in comparing.words.text()
    path.write_text("belltone = 1\n")
    warned: list[str] = []
    monkeypatch.setattr(QMessageBox, "warning", lambda *words: warned.append(str(words[2])))
    comparing.first.setCurrentIndex(comparing.first.findData("open"))
    comparing._chosen(comparing.first)
    assert "parts" in warned[0]


def test_a_ghosts_branches_are_in_the_map(
    make_window: Callable[..., MainWindow], qtbot: QtBot, tmp_path: Path
) -> None:
    """Two knobs of a bar: how wide it is moves bending sideways, over whatever height it has."""
    path = tmp_path / "bar.toml"
    path.write_text("""belltone = 1
[knobs.tall]
value = "20 mm"
from = "15 mm"
to = "25 mm"
[knobs.wide]
value = "30 mm"
[parts.bar]
kind = "member"
material = "structural steel"
length = "500 mm"
section = { shape = "solid rectangle", width = "wide", height = "tall" }
[[supports]]
site = "bar.start"
hold = "clamped"
[modes]
count = 4
""")
    window = make_window(path, models=True)
    session = window.session
    session.variants.pin_shown()
    session.set_knob("wide", 40.0)
    variants_settled(window, qtbot)
    window.map.knob.setCurrentText("tall")
    session.variants.show_ghost("as drawn")
    qtbot.waitUntil(lambda: session.ghosts.sweep is not None, timeout=WAIT)
    sweep = session.ghosts.sweep
    assert sweep is not None
    answer = session.variants.answer("as drawn")
    assert answer is not None
    at = int(np.argmin(np.abs(sweep.values - 20.0)))
    sideways = next(
        branch for branch in sweep.branches if abs(branch.frequencies[at] - 100.0) < 2.0
    )
    # Bending sideways knows nothing of the height.
    assert np.ptp(sideways.frequencies) < 2e-3 * sideways.frequencies[at]
    session.choose(session.answer.identities[0] if session.answer else 0)
    window.map.refresh()
    drawn(qtbot, window)
    session.variants.show_ghost("")
    assert session.ghosts.sweep is None


def test_what_is_laid_out_otherwise_is_matched_off_the_window(
    three: MainWindow, qtbot: QtBot
) -> None:
    """Another part changes where shapes are read: modes are matched in the background."""
    session = three.session
    joined = """
[parts.arm]
kind = "member"
material = "structural steel"
start = ["2200 mm", "0 mm", "0 mm"]
stop = ["2200 mm", "0 mm", "300 mm"]
section = { shape = "solid round", diameter = "12 mm" }

[[joints]]
between = ["rail.end", "arm.start"]
how = "welded"
"""
    problem = session.edit(
        "an arm", lambda sheet: Sheet.from_text(sheet.text + joined, sheet.folder)
    )
    assert problem is None
    settle(qtbot, three)
    three.show_comparison("as drawn")
    view = three.beside.of(CompareView)
    assert view is not None
    assert view.words.text() == "modes are being matched …"
    qtbot.waitUntil(lambda: view.found is not None, timeout=WAIT)
    found = view.found
    assert found is not None
    alone = [each for each in found.matches if not each.paired]
    assert any("“arm”" in each.reason for each in alone)
    assert "added: part “arm”" in view.words.text()
    view.close()
