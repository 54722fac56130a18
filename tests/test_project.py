"""What the project promises about itself: schema, examples, documents, screenshots."""

import json
import re
import runpy
import tomllib
from dataclasses import replace
from pathlib import Path

import pytest

from belltone.modes.solve import request_for, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet, examples_folder
from belltone.sheet.document import read_sheet
from belltone.tune.bands import verdict

ROOT = Path(__file__).resolve().parents[1]


def test_the_published_schema_is_current() -> None:
    published = (ROOT / "docs" / "sheet.schema.json").read_text(encoding="utf-8")
    module = runpy.run_path(str(ROOT / "scripts" / "write_schema.py"))
    assert published == module["schema_text"](), "run `make schema`"
    keys = json.loads(published)["properties"]
    assert {"knobs", "materials", "parts", "sites", "supports", "masses", "excitation"} <= set(keys)


@pytest.mark.parametrize("path", sorted(examples_folder().glob("*.toml")), ids=lambda p: p.stem)
def test_examples_solve_without_a_word(path: Path) -> None:
    design = evaluate(read_sheet(path))
    assert design.warnings == ()
    # Less accurate than it asks for, since most take long: what is asked here is whether it solves.
    modes = solve_modes(design, replace(request_for(design), accuracy=max(0.1, design.accuracy)))
    assert modes.complete


def test_the_demo_has_one_mode_in_a_band() -> None:
    design = evaluate(read_sheet(demo_sheet()))
    found = verdict(solve_modes(design, request_for(design)), design.bands, design.margin)
    assert [number for number, _ in found.inside] == [2]
    assert found.margin == ()
    assert set(design.knobs) == {"wall", "post_at"}


def test_sheets_in_the_documents_are_good() -> None:
    text = (ROOT / "docs" / "sheet.md").read_text(encoding="utf-8")
    blocks = [block.split("```")[0] for block in text.split("```toml\n")[1:]]
    whole = [block for block in blocks if block.startswith("belltone = 1")]
    assert whole
    from belltone.sheet.document import Sheet

    for block in whole:
        assert evaluate(Sheet.from_text(block)).warnings == ()
    for block in blocks:
        tomllib.loads(block)


def test_every_screenshot_is_shown() -> None:
    shown = (ROOT / "README.md").read_text(encoding="utf-8")
    pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    assert 1 <= len(pictures) < 20
    for picture in pictures:
        assert f"docs/screenshots/{picture.name}" in shown


def test_files_the_documents_name_are_there() -> None:
    texts = [*(ROOT / "docs").glob("*.md"), ROOT / "CONTRIBUTING.md", ROOT / "README.md"]
    named = re.compile(r"`([a-z_]+(?:/[a-z_]+)*\.py)`")
    rooms = "src", "tests", "scripts", "benchmarks", "verification"
    files = {path.as_posix() for room in rooms for path in (ROOT / room).rglob("*.py")}
    gone = {
        name
        for text in texts
        for name in named.findall(text.read_text(encoding="utf-8"))
        if not any(file.endswith(f"/{name}") for file in files)
    }
    assert not gone
