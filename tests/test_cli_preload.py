"""Preloads on the command line: states, buckling, speeds."""

from __future__ import annotations

import csv
import io
import json
import math
import re
from pathlib import Path

import pytest

from tests.assemblies import STEEL
from tests.conftest import Run

PUSHED = """belltone = 1
[knobs.push]
value = "2 kN"
from = "0 kN"
to = "30 kN"
[parts.rail]
kind = "member"
material = "structural steel"
length = "1 m"
section = { shape = "solid rectangle", width = "40 mm", height = "10 mm" }
[[supports]]
site = "rail.start"
hold = "clamped"
[[supports]]
site = "rail.end"
hold = ["y", "z", "turn x", "turn y", "turn z"]
[preload]
[[preload.forces]]
site = "rail.end"
force = ["-push", "0 N", "0 N"]
[modes]
count = 3
"""
EULER = 4 * math.pi**2 * 210e9 * 0.04 * 0.01**3 / 12


@pytest.fixture
def pushed_path(tmp_path: Path) -> Path:
    path = tmp_path / "pushed.toml"
    path.write_text(PUSHED, encoding="utf-8")
    return path


def test_preload_tells_state_reactions_buckling_and_every_mode(run: Run, pushed_path: Path) -> None:
    code, out, err = run("preload", pushed_path)
    assert (code, err) == (0, "")
    factor = float(re.search(r"buckles at ([\d.]+) times", out)[1])  # type: ignore[index]
    assert factor == pytest.approx(EULER / 2000, rel=3e-3)
    assert "axial force  -2000 N" in out
    assert "softens" in out
    code, out, _ = run("preload", pushed_path, "--format", "json", "--set", "scale=2")
    found = json.loads(out)
    assert found["scale"] == 2
    assert found["buckling_factors"][0] == pytest.approx(EULER / 4000, rel=3e-3)
    assert found["reactions"][0]["force_N"][0] == pytest.approx(4000)
    assert all(mode["with_preload_Hz"] < mode["without_Hz"] for mode in found["modes"])


def test_modes_without_preload_and_past_buckling(run: Run, pushed_path: Path) -> None:
    rows = {}
    for extra in ([], ["--without-preload"], ["--set", "push=0 N"]):
        code, out, _ = run("modes", pushed_path, "--format", "csv", *extra)
        assert code == 0
        rows[tuple(extra)] = float(out.splitlines()[1].split(",")[1])
    assert rows[()] < rows[("--without-preload",)]
    assert rows[("--set", "push=0 N")] == rows[("--without-preload",)]
    code, out, err = run("modes", pushed_path, "--set", "push=40 kN")
    assert (code, out) == (1, "")
    assert "buckled at 69 % of this load" in err
    code, _, err = run("preload", pushed_path, "--set", "push=0 N")
    assert code == 1
    assert "nothing loads the component" in err


def test_speeds_list_crossings(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "arm.toml"
    text = PUSHED.split("[preload]")[0].replace(
        '["y", "z", "turn x", "turn y", "turn z"]', '"free"'
    )
    spin = '[preload.spin]\nspeed = "600 rpm"\norders = [1]\n[modes]\ncount = 2\n'
    path.write_text(text + spin, encoding="utf-8")
    code, out, err = run("speeds", path)
    assert code == 0
    assert "drawn from 1.2 rpm on: a component that stands still does not whirl" in err
    assert "order" in out
    code, out, _ = run("speeds", path, "--format", "json")
    for crossing in json.loads(out)["crossings"]:
        assert crossing["frequency"] == pytest.approx(crossing["speed"] / 60)
    path.write_text(PUSHED, encoding="utf-8")
    code, _, err = run("speeds", path)
    assert code == 1
    assert "a speed diagram needs a spin" in err


def test_preload_leaves_no_mode_out(run: Run, tmp_path: Path) -> None:
    """With and without a set displacement that holds as well: every mode stands in the table."""
    path = tmp_path / "moved.toml"
    path.write_text(
        "belltone = 1\n"
        + STEEL
        + """
[parts.b]
kind = "member"
material = "steel"
length = "1 m"
section = { shape = "solid rectangle", width = "30 mm", height = "8 mm" }
[[supports]]
site = "b.start"
hold = "clamped"
[preload]
[[preload.moves]]
site = "b.end"
x = "0.3 mm"
y = "0 mm"
z = "0 mm"
[modes]
count = 6
""",
        encoding="utf-8",
    )
    code, out, _ = run("preload", path, "--format", "json")
    assert code == 0
    modes = json.loads(out)["modes"]
    assert {entry["mode"] for entry in modes} >= set(range(1, 7))
    assert {entry["mode_with_preload"] for entry in modes} >= set(range(1, 7))
    # Without the load the end is held where it is: a propped beam, which a pull stiffens.
    first = modes[0]
    expected = 3.926602**2 / (2 * math.pi) * math.sqrt(200e9 * 0.008**2 / 12 / 7850)
    assert first["without_Hz"] == pytest.approx(expected, rel=3e-3)
    assert first["with_preload_Hz"] > first["without_Hz"]
    code, out, _ = run("modes", path, "--without-preload", "--format", "json")
    assert json.loads(out)["modes"][0]["frequency_hz"] == pytest.approx(expected, rel=3e-3)


def test_a_sweep_follows_a_frequency_down_to_buckling(run: Run, pushed_path: Path) -> None:
    code, out, _ = run("sweep", pushed_path, "--over", "push=20 kN:40 kN:3", "--format", "csv")
    assert code == 0
    rows = [list(row) for row in csv.reader(io.StringIO(out))][1:]
    solved = [(float(row[0]), float(row[1])) for row in rows if row[1]]
    last, lowest = solved[-1]
    assert last == pytest.approx(EULER / 1000, rel=5e-3)
    assert lowest < 0.15 * solved[0][1] * math.sqrt(1 / (1 - 20000 / EULER))
    _, out, _ = run("sweep", pushed_path, "--over", "push=20 kN:40 kN:3")
    assert "buckled at 27." in out
    assert "to 40 kN" in out
