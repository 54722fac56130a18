"""What everything of a sort has to have: the recipes for new part kinds, loads and hand checks."""

import re
from pathlib import Path

import pytest
from verification.members import MEMBERS
from verification.walls import REFERENCES

from belltone.desk.cards import preload_card
from belltone.desk.cards.first_parts import FIRST_PARTS
from belltone.hand.checks import hand_checks
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet, examples_folder
from belltone.sheet.document import Sheet, read_sheet
from belltone.sheet.part_models import PART_KINDS, ReceivedPart
from belltone.sheet.preload_models import Preload
from belltone.system.kinds import kind_of

ROOT = Path(__file__).resolve().parents[1]
STARTS = ROOT / "src" / "belltone" / "desk" / "starts"


def test_the_recipes_name_what_is_there() -> None:
    text = (ROOT / "docs" / "extending.md").read_text(encoding="utf-8")
    named = re.findall(r"`((?:[a-z_]+/)+[a-z_]*(?:\.py)?)`", text)
    assert len(named) > 8
    for name in named:
        places = (ROOT / name, ROOT / "src" / "belltone" / name)
        assert any(place.exists() for place in places), name


@pytest.mark.parametrize("kind", PART_KINDS)
def test_every_part_kind_is_begun_with_shown_and_solved(kind: str) -> None:
    """It is published, somewhere to be begun with, and something meshes it."""
    schema = (ROOT / "docs" / "sheet.schema.json").read_text(encoding="utf-8")
    assert f'"{kind}"' in schema
    if issubclass(PART_KINDS[kind], ReceivedPart):
        known = list(examples_folder().glob("*.toml"))
    else:
        known = [*STARTS.glob("*.toml"), *examples_folder().glob("*.toml")]
    texts = [path.read_text(encoding="utf-8") for path in known]
    offered = any(entry["kind"] == kind for entry in FIRST_PARTS.values())
    shown = [text for text in texts if f'kind = "{kind}"' in text]
    assert shown or offered, f"nobody can begin with a {kind}"
    for text in shown[:1]:
        design = evaluate(Sheet.from_text(text, examples_folder()))
        assert all(kind_of(part) is not None for part in design.solid_parts)


def test_every_load_can_be_stated_in_the_window() -> None:
    lists = {
        name for name in Preload.model_fields if name not in ("applied", "scale", "deflection")
    }
    assert set(preload_card._LOADS) == lists
    balanced = (ROOT / "tests" / "system" / "test_equilibrium.py").read_text(encoding="utf-8")
    loaded = (ROOT / "tests" / "modes" / "test_preload_references.py").read_text(encoding="utf-8")
    loaded += (ROOT / "verification" / "loaded.py").read_text(encoding="utf-8")
    for name in lists:
        assert f"{name}" in balanced + loaded, f"no test knows {name}"


@pytest.mark.parametrize(
    "case", [MEMBERS[2], REFERENCES[1], REFERENCES[5]], ids=lambda case: case.name
)
def test_every_hand_check_says_where_it_is_from(case: object) -> None:
    design = evaluate(Sheet.from_text(case.text))  # type: ignore[attr-defined]
    modes = solve_modes(design, ModeRequest(4, None, 2e-2))
    found = [hand_checks(design, modes, index) for index in range(len(modes.frequencies))]
    assert any(checks for checks, _ in found)
    for checks, why in found:
        assert checks or why
        for check in checks:
            assert re.search(r"\d", check.source), check.source
            assert check.assumes


def test_the_demo_can_be_extended_by_hand() -> None:
    """A sheet with one more part of a kind the window offers is as good a sheet."""
    rail = read_sheet(demo_sheet())
    for kind, entry in FIRST_PARTS.items():
        if kind != "rib":
            more = rail.with_part("extra", {**entry, "material": "structural steel"})
            assert evaluate(more).solid_parts
