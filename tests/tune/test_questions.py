"""What a window asks of its engine: known at once, or begun from what is near."""

from pathlib import Path

import numpy as np
import pytest

from belltone.progress import Progress
from belltone.sheet.document import Sheet, read_sheet
from belltone.tune import questions
from belltone.tune.questions import FoundModes, find_contacts, find_modes, find_pulls


@pytest.fixture(autouse=True)
def _new_process(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(questions, "_last", {})


def modes_of(text: str, path: Path, progress: Progress) -> FoundModes:
    """Ask, and let be done what is to be done after."""
    found = find_modes(text, path.parent, path, progress=progress)
    found.after()
    assert isinstance(found.value, FoundModes)
    return found.value


def turned(sheet: Sheet, wall: str) -> Sheet:
    return sheet.with_value(("knobs", "wall", "value"), wall)


def test_pulls_take_no_solution_beside_the_answer(rail_path: Path, solutions: list[int]) -> None:
    text = read_sheet(rail_path).text
    modes_of(text, rail_path, progress=Progress())
    before = len(solutions)
    found = find_pulls(text, None, rail_path, progress=Progress())
    assert set(found) == {"wall", "post_at"}
    assert len(solutions) == before


def test_an_edit_takes_one_solution_and_going_back_none(
    rail_path: Path, solutions: list[int]
) -> None:
    sheet = read_sheet(rail_path)
    first = modes_of(sheet.text, rail_path, progress=Progress())
    before = len(solutions)
    edited = turned(sheet, "3.2 mm")
    after = modes_of(edited.text, rail_path, progress=Progress())
    assert len(solutions) == before + 1
    assert not np.array_equal(after.modes.flexible, first.modes.flexible)
    back = modes_of(sheet.text, rail_path, progress=Progress())
    assert len(solutions) == before + 1
    assert back.seconds == 0.0
    assert np.array_equal(back.modes.flexible, first.modes.flexible)
    # Pulls of what came from the store take one solution, where its modes were found.
    pulls = find_pulls(sheet.text, None, rail_path, progress=Progress())
    assert len(solutions) == before + 2
    assert pulls["wall"].frequencies.shape == first.modes.flexible.shape


def test_what_is_known_outlives_the_process(
    rail_path: Path, solutions: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    text = read_sheet(rail_path).text
    first = modes_of(text, rail_path, progress=Progress())
    monkeypatch.setattr(questions, "_last", {})
    before = len(solutions)
    again = modes_of(text, rail_path, progress=Progress())
    assert len(solutions) == before
    assert np.array_equal(again.modes.flexible, first.modes.flexible)
    assert again.notes == ()


def test_a_store_that_cannot_be_used_is_told_and_costs_no_answer(
    rail_path: Path, solutions: list[int]
) -> None:
    rail_path.with_suffix(".results.sqlite").write_text("no database", encoding="utf-8")
    found = modes_of(read_sheet(rail_path).text, rail_path, progress=Progress())
    assert len(found.modes.flexible) == 10
    assert found.notes


def test_contacts_and_masses_of_parts() -> None:
    from belltone.sheet.demo import demo_sheet

    path = demo_sheet("filler_gantry")
    touching, masses = find_contacts(
        path.read_text(encoding="utf-8"), path.parent, progress=Progress()
    )
    assert isinstance(touching, tuple)
    assert all(mass >= 0 for mass in masses.values())
    assert sum(masses.values()) > 1
