"""The program on a desktop: entry, icon, file type, manual page, completion, log."""

import configparser
import os
import runpy
import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree

import pytest
from typer.testing import CliRunner

from belltone.cli.program import _COMMANDS, app
from belltone.drawing.colours import PALETTES, Palette, contrast
from belltone.sheet.demo import demo_sheet

ROOT = Path(__file__).resolve().parents[1]
SHARE = ROOT / "src" / "belltone" / "share"
runner = CliRunner()


def test_the_manual_page_and_the_completion_are_current() -> None:
    written = runpy.run_path(str(ROOT / "scripts" / "write_share.py"))["written"]()
    for place, text in written.items():
        assert (SHARE / place).read_text(encoding="utf-8") == text, "run `make share`"
    page = written["man/belltone.1"]
    assert all(f"belltone {name}".replace("-", "\\-") in page for name in _COMMANDS)


def test_everything_is_put_on_the_desktop_and_taken_away(tmp_path: Path) -> None:
    result = runner.invoke(app, ["install-desktop", "--folder", str(tmp_path)])
    assert result.exit_code == 0, result.output
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str  # type: ignore[assignment, method-assign]
    entry.read(tmp_path / "applications" / "org.belltone.BellTone.desktop", encoding="utf-8")
    told = entry["Desktop Entry"]
    assert told["Exec"].endswith("desk %f")
    assert told["MimeType"] == "text/x-belltone-sheet;"
    icon = tmp_path / "icons/hicolor/scalable/apps" / f"{told['Icon']}.svg"
    assert ElementTree.parse(icon).getroot().tag.endswith("svg")
    kinds = ElementTree.parse(tmp_path / "mime/packages/belltone.xml").getroot()
    magic = next(each for each in kinds.iter() if each.tag.endswith("match"))
    assert magic.attrib["value"] in demo_sheet().read_text(encoding="utf-8")[:4096]
    component = ElementTree.parse(
        tmp_path / "metainfo/org.belltone.BellTone.metainfo.xml"
    ).getroot()
    assert component.findtext("launchable") == "org.belltone.BellTone.desktop"
    assert (tmp_path / "man/man1/belltone.1").is_file()
    assert (
        runner.invoke(app, ["install-desktop", "--remove", "--folder", str(tmp_path)]).exit_code
        == 0
    )
    left = [
        each for each in tmp_path.rglob("*") if each.is_file() and "belltone" in each.name.lower()
    ]
    assert left == []


def test_commands_are_completed_without_loading_them() -> None:
    asked = {
        "_BELLTONE_COMPLETE": "complete_bash", "COMP_WORDS": "belltone re", "COMP_CWORD": "1",
    }  # fmt: skip
    done = subprocess.run(
        [Path(sys.executable).with_name("belltone")],
        env=os.environ | asked | {"PYTHONPROFILEIMPORTTIME": "1"},
        capture_output=True,
        text=True,
        check=True,
    )
    assert done.stdout.split() == ["refine", "reach", "report", "revise"]
    assert "scipy" not in done.stderr


def test_what_is_done_is_written_down(tmp_path: Path) -> None:
    log, table = tmp_path / "log.txt", tmp_path / "modes.csv"
    done = subprocess.run(
        [
            *(sys.executable, "-m", "belltone", "--log", str(log)),
            *("modes", str(demo_sheet()), "--format", "csv", "-o", str(table)),
        ],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    text = log.read_text(encoding="utf-8")
    assert "belltone" in text.splitlines()[0]
    assert f"wrote {table}" in text


@pytest.mark.parametrize("palette", PALETTES.values(), ids=lambda palette: palette.name)
def test_every_theme_can_be_read(palette: Palette) -> None:
    """Contrast of words 4.5 and more, of marks 3 and more (WCAG 2.2, level AA)."""
    for words in ("ink", "muted", "live", "alarm", "clear", "load"):
        for ground in ("card", "desk", "ledge", "margin_wash"):
            found = contrast(getattr(palette, words), getattr(palette, ground))
            assert found >= 4.5, (words, ground, found)
    for mark in ("energy", "nodal"):
        assert contrast(getattr(palette, mark), palette.card) >= 3
    assert all(contrast(colour, palette.card) >= 4.5 for colour in palette.branches)
    if palette.name in ("print", "beacon"):
        assert contrast(palette.ink, palette.card) >= 15
        assert contrast(palette.muted, palette.card) >= 7
