"""Designs held against each other, and variants, on the command line."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

import pytest

from belltone.compare.variants import read_variants, variants_path
from belltone.sheet.document import read_sheet
from tests.conftest import Run

BAR = """belltone = 1
[parts.bar]
kind = "member"
material = "structural steel"
length = "500 mm"
section = { shape = "solid rectangle", width = "40 mm", height = "20 mm" }
[[supports]]
site = "bar.start"
hold = "clamped"
[modes]
count = 3
"""


def test_two_settings_of_one_sheet(run: Run, rail_path: Path) -> None:
    code, out, err = run("compare", rail_path, "--set-b", "wall=4 mm", "--matrix")
    assert (code, err) == (0, "")
    lines = out.splitlines()
    assert lines[0] == "“wall=4 mm” against “infeed_rail”; what differs:"
    assert lines[1] == "  wall: 3 mm → 4 mm (+33.3 %)"
    assert "what becomes of it" in lines[3]
    assert "softens" in out or "stiffens" in out
    first = out.rpartition("\nmode ")[2].splitlines()[1].split()
    assert float(first[1]) == max(map(float, first[1:])) > 0.95


def test_two_sheets_as_data_and_as_csv(run: Run, rail_path: Path, tmp_path: Path) -> None:
    other = tmp_path / "other.toml"
    other.write_text(read_sheet(rail_path).with_value(("knobs", "wall", "value"), "4 mm").text)
    code, out, _ = run("compare", rail_path, other, "--format", "json")
    data = json.loads(out)
    assert code == 0
    assert data["differences"][0] == {
        "what": "wall", "first": "3 mm", "second": "4 mm", "path": "knobs.wall.value",
    }  # fmt: skip
    first = data["modes"][0]
    assert first["change"] == pytest.approx(
        first["second_frequency_Hz"] / first["frequency_Hz"] - 1
    )
    assert len(data["modal_assurance"]) == sum(each["mode"] is not None for each in data["modes"])
    code, out, _ = run("compare", rail_path, other, "--format", "csv", "--by-change")
    rows = list(csv.DictReader(io.StringIO(out)))
    assert code == 0
    changes = [abs(float(row["change"].rstrip(" %"))) for row in rows if row["change"]]
    assert changes == sorted(changes, reverse=True)


def test_what_cannot_be_compared_is_said(run: Run, rail_path: Path) -> None:
    code, out, err = run("compare", rail_path)
    assert (code, out) == (1, "")
    assert "name a second sheet" in err
    code, _, err = run("compare", rail_path, "--set-b", "colour=red")
    assert code == 2
    assert "neither a knob (there are: “wall”, “post_at”)" in err
    code, _, err = run("compare", rail_path, "--variant", "thin")
    assert code == 1
    assert "there is no variant “thin” of “infeed_rail.toml”; there are: none" in err
    code, _, err = run("compare", rail_path, rail_path.with_name("none.toml"))
    assert code == 1
    assert "none.toml" in err


def test_variants_are_pinned_told_compared_and_taken(
    run: Run, rail_path: Path, tmp_path: Path
) -> None:
    code, out, err = run("variants", rail_path)
    assert (code, out) == (0, "")
    assert "no variant of “infeed_rail.toml” is pinned" in err
    for name, wall in (("thin", "2 mm"), ("thick", "5 mm")):
        code, _, err = run(
            "variants", rail_path, "--pin", name, "--set", f"wall={wall}", "--note", f"{wall} tube"
        )
        assert code == 0
        assert f"pinned “{name}”" in err
    code, out, _ = run("variants", rail_path)
    assert code == 0
    assert [line.split()[0] for line in out.splitlines()] == ["variant", "thin", "thick"]
    assert "wall: 2 mm → 5 mm (+150 %)" in out
    assert "5 mm tube" in out
    code, out, _ = run("compare", rail_path, "--variant", "thin", "--variant", "thick")
    assert code == 0
    assert "infeed_rail (Hz)" in out
    assert "thick (Hz)" in out
    code, _, err = run("variants", rail_path, "--pin", "thin")
    assert code == 1
    assert "there is a variant “thin” already" in err
    taken = tmp_path / "thick.toml"
    assert run("variants", rail_path, "--take", "thick", "-o", taken)[0] == 0
    assert read_sheet(taken).content.knobs["wall"].value == "5 mm"
    assert run("variants", rail_path, "--rename", "thick", "stout")[0] == 0
    assert run("variants", rail_path, "--drop", "thin")[0] == 0
    assert [each.name for each in read_variants(variants_path(rail_path))] == ["stout"]
    code, _, err = run("variants", rail_path, "--drop", "thin")
    assert code == 1
    assert "there is no variant “thin”; there are: “stout”" in err


def test_a_place_of_the_sheet_is_set_and_a_preload_left_out(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "bar.toml"
    pull = '[[preload.forces]]\nsite = "bar.end"\nforce = ["20 kN", "0 N", "0 N"]\n'
    path.write_text(BAR + pull)
    code, out, _ = run("compare", path, "--set-b", "parts.bar.material=aluminium, wrought")
    assert code == 0
    assert "part “bar”, material: structural steel → aluminium, wrought" in out
    code, out, _ = run("compare", path, "--without-preload", "--format", "json")
    data = json.loads(out)
    assert code == 0
    assert data["second"] == "without preload"
    assert data["modes"][0]["words"] == "softens"
    code, out, _ = run("compare", path, "--set-b", "supports.0.hold=pinned")
    assert code == 0
    assert "support “bar.start”, hold: clamped → pinned" in out


def test_modes_are_held_against_textbooks(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "bar.toml"
    path.write_text(BAR)
    code, out, _ = run("modes", path, "--by-hand")
    assert code == 0
    assert "Euler cantilever" in out
    assert "S. S. Rao, Vibration of Continuous Systems, table 11.1" in out
    code, out, _ = run("modes", path, "--by-hand", "--format", "json")
    first = json.loads(out)["modes"][0]
    assert abs(first["by_hand"][-1]["difference"]) < 1e-4
    assert first["none_because"] is None


def test_what_no_textbook_has_says_why(run: Run, rail_path: Path) -> None:
    code, out, _ = run("modes", rail_path, "--by-hand", "--format", "csv")
    rows = list(csv.DictReader(io.StringIO(out)))
    assert code == 0
    assert all(row["by hand (Hz)"] or row["formula"].startswith("none: ") for row in rows)
