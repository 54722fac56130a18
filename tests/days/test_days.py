"""Five working days at the real window, by mouse and keyboard only, with what they take counted.

Clicks and keys are asserted, so that no day becomes longer unnoticed. Seconds and pauses depend on
the machine and are told (``pytest -s tests/days``), not asserted.
"""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtWidgets import QFileDialog

from belltone.desk.comparing.compare_view import CompareView
from belltone.desk.designs.designs_view import DesignsView
from belltone.desk.handing.hand_over_view import HandOverView
from belltone.desk.proposals.tuning_view import TuningView
from tests import solids
from tests.days.conftest import Hand


def bands(hand: Hand, *told: tuple[str, str, str]) -> None:
    """State bands: each typed in one go."""
    card = hand.window.column.excitation
    for name, low, high in told:
        hand.press(card, "add a band")
        hand.type(f"{name}\t{low}\t{high}\n")


def cleared(hand: Hand) -> None:
    """Go to the nearest clear value of the knob looked at, swept first where no model has it."""
    verdict, tuning = hand.window.verdict, hand.window.session.tuning
    if verdict.go.isHidden() and verdict.sweep.isVisible():
        hand.click(verdict.sweep)
    hand.wait(lambda: tuning.nearest_clear() is not None and verdict.go.isVisible())
    hand.click(verdict.go)
    hand.settle()


def done(hand: Hand, clicks: int, keys: int) -> None:
    """Tell what the day took, and hold it against what it may take."""
    print(hand.count())
    assert hand.clicks <= clicks, hand.count()
    assert hand.keys <= keys, hand.count()
    told = [each for each in hand.told if not each.startswith("pinned as")]
    assert told == [], told


def test_a_plate_with_a_hole_and_ribs_from_nothing(hand: Hand) -> None:
    """Day (a): three bands, cleared by two knobs at once."""
    window, column = hand.window, hand.window.column
    hand.begin(window.welcome.starts, "Splash plate")
    hand.settle()
    # How exact it comes out is not the point here: large elements, chosen by hand.
    hand.open(column.wanted)
    hand.press(column.wanted, "fix the mesh")
    hand.choose(column.wanted, str(window.session.design.fixed[0]), "1")  # type: ignore[index]
    hand.choose(column.wanted, str(window.session.design.fixed[1]), "2")  # type: ignore[index]
    hand.choose(column.wanted, "12", "4")
    hand.open(column.component)
    hand.choose(column.component, "cut a hole…", "a round hole")
    hand.set("90 mm", "parts", "plate", "holes", 0, "diameter")
    hand.set("80 mm", "parts", "plate", "holes", 0, "at", 0)
    hand.make_knob("wall", "parts", "plate", "thickness")
    hand.choose(column.component, "add a part…", "rib")
    rib = window.session.parts.chosen[0]
    hand.set("25 mm", "parts", rib, "section", "height")
    for end in ("from", "to"):  # beside the hole, not across it
        hand.set("-100 mm", "parts", rib, end, "at", 1)
    hand.make_knob("tall", "parts", rib, "section", "height")
    hand.settle()
    bands(
        hand, ("mains", "95 Hz", "105 Hz"), ("fan", "180 Hz", "210 Hz"), ("mixer", "24 Hz", "32 Hz")
    )
    hand.settle()
    told = [(band.name, band.low, band.high) for band in window.session.design.bands]
    assert told == [("mains", 95, 105), ("fan", 180, 210), ("mixer", 24, 32)]
    assert set(window.session.design.knobs) == {"tall", "wall"}
    hand.shortcut("Ctrl+K")
    tuning = window.beside.of(TuningView)
    assert tuning is not None
    hand.press(tuning.clear, "Clear the bands")
    hand.wait(lambda: window.session.proposals.found is not None)
    tuning.close()
    hand.click(window.verdict.go)
    hand.settle()
    assert window.verdict.head.text() == "Every band is clear."
    done(hand, 26, 130)


def test_a_frame_with_a_payload_free_then_on_soft_mounts(hand: Hand) -> None:
    """Day (b): six rigid motions, then mounts stated as text, tuned as one knob."""
    window, column = hand.window, hand.window.column
    hand.begin(window.welcome.starts, "Motor frame")
    hand.settle()
    hand.press(column.hung, "add a mass")
    hand.type("motor\n")
    hand.set("18 kg", "masses", 0, "mass")
    hand.settle()
    assert window.session.answer is not None
    assert window.session.answer.modes.rigid_count == 6
    hand.shortcut("F4")
    cursor = column.text.editor.textCursor()
    cursor.movePosition(cursor.MoveOperation.End)
    column.text.editor.setTextCursor(cursor)
    mounts = "\n".join(
        f'[[supports]]\nsite = "frame.foot_{foot}"\n'
        'springs = { x = "mount", y = "mount", z = "2*mount" }'
        for foot in "abcd"
    )
    hand.type('[knobs.mount]\nvalue = "40 N/mm"\nfrom = "10 N/mm"\nto = "200 N/mm"\n' + mounts)
    hand.wait(lambda: len(window.session.design.supports) == 4)
    hand.shortcut("F4")
    hand.settle()
    bands(hand, ("pump", "14 Hz", "16 Hz"))
    hand.settle()
    assert window.session.answer.modes.rigid_count == 0
    first = window.session.answer.modes.flexible[0]
    assert window.session.answer.modes.kinds[0].startswith("moving on its springs")
    print(
        window.verdict.head.text(),
        window.verdict.text.text(),
        window.session.answer.modes.flexible[:6],
    )
    cleared(hand)
    assert window.session.answer.modes.flexible[0] != first
    assert window.verdict.head.text() == "Every band is clear."
    done(hand, 8, 460)


def test_a_laminate_blade_is_spun_and_two_directions_compared(hand: Hand) -> None:
    """Day (c): a speed diagram, and the blade spun flat against spun upright."""
    window, column = hand.window, hand.window.column
    hand.begin(window.welcome.demos, "Steamer paddle")
    hand.settle()
    hand.open(column.preload)
    hand.choose(column.preload, "load it with…", "a spin")
    hand.set("340 rpm", "preload", "spin", "speed")
    hand.settle()
    hand.shortcut("Ctrl+D")
    speeds = window.beside.of(DesignsView)
    assert speeds is not None
    hand.press(speeds, "Look at them")
    hand.wait(lambda: window.session.surveys.found is not None)
    assert window.session.surveys.found.speeds is not None  # type: ignore[union-attr]
    speeds.close()
    hand.shortcut("F8")
    hand.choose(column.preload, "z", "y")
    hand.settle()
    hand.shortcut("Ctrl+J")
    comparing = window.beside.of(CompareView)
    assert comparing is not None
    hand.wait(lambda: comparing.found is not None)
    paired = [each for each in comparing.found.matches if each.paired]  # type: ignore[union-attr]
    assert len(paired) >= 4
    comparing.close()
    done(hand, 8, 20)


def test_a_part_somebody_sent_is_compared_with_a_variant(hand: Hand, tmp_path: Path) -> None:
    """Day (d): two bodies in a CAD file, how they meet decided, one of another material."""
    window, column = hand.window, hand.window.column
    sent = solids.write_step(
        tmp_path / "gusset.step",
        solids.box((0, 0, 0), (120, 80, 2)),
        solids.box((0, 39, 2), (120, 2, 30)),
    )
    hand.drop(sent)
    hand.wait(lambda: len(window.session.sheet.content.parts) == 2)
    hand.settle()
    _, web = window.session.sheet.content.parts
    assert not window.session.design.joints
    # Nothing joins them yet, so both float: the pair is listed, and decided.
    hand.wait(lambda: bool(window.session.parts.contacts))
    hand.open(column.joined)
    hand.choose(column.joined, "not decided, so not joined", "welded, as offered")
    hand.press(column.held, "add a support")
    hand.type("foot\n")
    hand.settle()
    assert window.session.answer is not None
    assert window.session.answer.modes.rigid_count == 0
    hand.shortcut("F8")
    hand.choose_part(web)
    hand.open(column.material)
    hand.choose(
        column.material, window.session.sheet.content.parts[web].material, "aluminium, wrought"
    )
    hand.settle()
    hand.shortcut("Ctrl+J")
    compared(hand)
    done(hand, 10, 10)


def test_regions_of_a_mesh_are_made_of_what_they_are(hand: Hand) -> None:
    """Day (d), a mesh: one region is thicker and of another metal, another has its own wall."""
    window, column = hand.window, hand.window.column
    hand.begin(window.welcome.demos, "Drip tray")
    hand.settle()
    hand.shortcut("F8")
    hand.open(column.component)
    flange = ("parts", "tray", "regions", "3")
    hand.set("2.5 mm", *flange, "thickness")
    steel = window.session.sheet.content.parts["tray"].material
    hand.choose(column.component, steel, "structural steel", place=2)
    hand.press(column.component, "a thickness of its own")
    regions = window.session.sheet.content.parts["tray"].regions  # type: ignore[union-attr]
    assert regions["3"].material == "structural steel"
    assert regions["1"].thickness == "floor"
    hand.settle()
    hand.shortcut("Ctrl+J")
    compared(hand)
    done(hand, 7, 12)


def compared(hand: Hand) -> None:
    """Look at two designs held against each other, mode by mode."""
    comparing = hand.window.beside.of(CompareView)
    assert comparing is not None
    hand.wait(lambda: comparing.found is not None)
    assert all(each.paired for each in comparing.found.matches[:3])  # type: ignore[union-attr]
    comparing.close()


def test_a_horn_is_brought_to_its_frequency(
    hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Day (e): reach, hand check, the chance within tolerances, a report and a film."""
    window = hand.window
    hand.begin(window.welcome.demos, "Weld horn of the capper")
    hand.settle()
    assert "target" in window.verdict.head.text()
    for _ in range(8):
        if window.session.chosen_mode.kind.startswith("axial"):  # type: ignore[union-attr]
            break
        hand.shortcut("Alt+Right")
    form = window.readout.reach
    hand.click(form.target)
    hand.type("28 kHz\n")
    hand.wait(lambda: window.session.jobs.state("reach") is None)
    hand.settle()
    assert abs(window.session.chosen_mode.frequency - 28e3) < 15  # type: ignore[union-attr]
    assert "met" in window.verdict.head.text()
    # A rod of uneven section tells nearly the same.
    assert "rod" in window.readout.check.text()
    hand.shortcut("Ctrl+K")
    tuning = window.beside.of(TuningView)
    assert tuning is not None
    hand.tab(tuning.tabs, "Tolerances")
    hand.press(tuning.tolerances, "Follow them")
    hand.wait(lambda: window.session.proposals.tolerances is not None)
    spread = tuning.tolerances.table
    kinds = [spread.item(row, 1).text() for row in range(spread.rowCount())]  # type: ignore[union-attr]
    assert any(kind.startswith("axial") for kind in kinds)
    print(tuning.tolerances.words.text())
    tuning.close()
    hand.shortcut("Ctrl+P")
    handing = window.beside.of(HandOverView)
    assert handing is not None
    for name, panel, written in (
        ("Report", handing.report, tmp_path / "horn.html"),
        ("Film", handing.film, tmp_path / "horn.mp4"),
    ):
        monkeypatch.setattr(
            QFileDialog, "getSaveFileName", lambda *_, written=written: (str(written), "")
        )
        hand.tab(handing.tabs, name)
        hand.press(panel, "Write…")
        hand.wait(lambda: window.session.handing.state is None)
        assert written.stat().st_size > 10_000, window.session.handing.told
    handing.close()
    done(hand, 10, 16)
