"""Sweeps on the command line: one knob, grids, knobs in step, tables."""

import csv
import io
import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from openpyxl import load_workbook

from belltone.sheet.demo import demo_sheet
from tests.conftest import Run


def test_sweep_as_json(run: Run, rail_path: Path) -> None:
    code, out, err = run("sweep", rail_path, "--over", "wall=2 mm:6 mm:9", "--format", "json")
    assert (code, err) == (0, "")
    data = json.loads(out)
    assert data["points"] == [2 + 0.5 * n for n in range(9)]
    assert data["clear_intervals"][0]["from"] == pytest.approx(4.989, abs=2e-3)
    assert data["clear_intervals"][0]["to"] == 6.0
    drive = next(band for band in data["bands"] if band["name"] == "drive 2×")
    assert drive["visits"][0]["branch"] == 2
    assert drive["visits"][0]["to"] == pytest.approx(4.989, abs=0.02)


def test_sweep_as_table_and_csv(run: Run, rail_path: Path) -> None:
    code, out, _ = run("sweep", rail_path, "--over", "wall=2 mm:6 mm:5")
    assert code == 0
    assert "clear intervals of wall: 4.98" in out
    assert "branch 2 stands in “drive 2×” from 2 mm" in out
    code, out, _ = run("sweep", rail_path, "--over", "wall=2 mm:6 mm:5", "--format", "csv")
    rows = list(csv.reader(io.StringIO(out)))
    assert rows[0][0] == "wall (mm)"
    assert len(rows) == 6


def test_an_interrupted_sweep_says_what_is_kept(rail_path: Path) -> None:
    process = subprocess.Popen(
        [sys.executable, "-m", "belltone", "sweep", str(rail_path), "--over", "wall=2 mm:6 mm:300"],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        start_new_session=True,
        # Python's own handler, whatever the test runner was started with.
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.default_int_handler),
    )
    store = rail_path.with_suffix(".results.sqlite-wal")
    end = time.monotonic() + 60
    while not (store.exists() and store.stat().st_size > 200_000):
        assert process.poll() is None, "the sweep ended before it could be interrupted"
        assert time.monotonic() < end
        time.sleep(0.01)
    os.killpg(process.pid, signal.SIGINT)
    out, err = process.communicate(timeout=60)
    assert process.returncode == 130
    assert out == ""
    assert err == "belltone: stopped; everything finished so far is kept\n"


GRID = ("--over", "wall=2 mm, 3 mm, 4 mm", "--over", "post_at=1.4 m:1.6 m:3")


def test_a_grid_as_table_csv_and_json(run: Run, rail_path: Path) -> None:
    code, out, err = run("sweep", rail_path, *GRID)
    assert (code, err) == (0, "")
    assert "of 9 designs are clear of every band" in out
    assert "farthest from every band: wall = " in out
    assert "designs solved\n" in out  # fewer than a model of both knobs would take
    code, out, _ = run("sweep", rail_path, *GRID, "--exact", "--format", "csv")
    rows = list(csv.reader(io.StringIO(out)))
    assert rows[0][:2] == ["wall (mm)", "post_at (m)"]
    assert [row[:2] for row in rows[1:4]] == [["2", "1.4"], ["2", "1.5"], ["2", "1.6"]]
    assert rows[0][-3:] == ["mass (kg)", "least margin (%)", "note"]
    code, out, _ = run("sweep", rail_path, *GRID, "--format", "json", "--outputs", "mass")
    data = json.loads(out)
    assert data["shape"] == [3, 3]
    assert data["open_loops"] == []
    assert [own["inputs"] for own in data["designs"][:2]] == [[2.0, 1.4], [2.0, 1.5]]
    modelled = np.array([own["frequency_hz"][0] for own in data["designs"]])
    assert modelled == pytest.approx([float(row[2]) for row in rows[1:]], rel=1e-3)
    masses = [own["outputs"][0] for own in data["designs"]]
    assert masses[0] == pytest.approx(masses[1], rel=1e-9)
    assert masses[0] < masses[3] < masses[6]
    # A larger grid is read off a model.
    over = ("--over", "wall=2 mm:4 mm:5", "--over", "post_at=1.4 m:1.6 m:5")
    code, out, _ = run("sweep", rail_path, *over, "--format", "json", "--outputs", "mass")
    data = json.loads(out)
    assert not all(own["solved"] for own in data["designs"])
    again = np.array([own["frequency_hz"][0] for own in data["designs"]]).reshape(5, 5)
    assert again[::2, ::2].ravel() == pytest.approx(modelled, rel=1e-3)


def test_knobs_in_step(run: Run, rail_path: Path) -> None:
    over = ("--over", "wall=2 mm, 3 mm", "--over", "post_at=1.4 m, 1.6 m")
    code, out, _ = run("sweep", rail_path, *over, "--in-step", "--format", "csv")
    assert code == 0
    rows = list(csv.reader(io.StringIO(out)))
    assert [row[:2] for row in rows[1:]] == [["2", "1.4"], ["3", "1.6"]]
    code, _, err = run("sweep", rail_path, *over[:2], "--over", "post_at=1 m:2 m:3", "--in-step")
    assert code == 1
    assert "as many values each; there are of “wall” 2, “post_at” 3" in err


def test_a_table_of_designs_to_a_workbook(run: Run, rail_path: Path, tmp_path: Path) -> None:
    table, book = tmp_path / "designs.csv", tmp_path / "answers.xlsx"
    table.write_text(
        "wall;parts.rail.material;post_at (mm)\n2;structural steel;1500\n"
        "3 mm;aluminium, wrought;1.5 m\n3;no such metal;1500\n",
        encoding="utf-8",
    )
    code, out, err = run(
        "sweep", rail_path, "--table", table, "--format", "xlsx", "-o", book, "--outputs", "mass"
    )
    assert (code, out, err) == (0, "", "")
    sheet = load_workbook(book).active
    rows = [[cell.value for cell in row] for row in sheet.iter_rows()]
    assert rows[0][:3] == ["wall (mm)", "parts.rail.material", "post_at (m)"]
    assert rows[1][:3] == [2, "structural steel", 1.5]
    assert rows[2][1] == "aluminium, wrought"
    assert isinstance(rows[1][3], float)
    assert rows[2][-2] < rows[1][-2]  # the mass
    assert "no such metal" in rows[3][-1]
    assert sheet.freeze_panes == "A2"
    for name, content in (("none.xlsx", None), ("text.xlsx", b"wall;post_at")):
        if content is not None:
            (tmp_path / name).write_bytes(content)
        code, out, err = run("sweep", rail_path, "--table", tmp_path / name)
        assert (code, out) == (1, "")
        assert name in err


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("wall\n", "at least one design"),
        ("wal\n2\n", "there is no knob “wal”"),
        ("wall,wall\n2,3\n", "two columns “wall”"),
        ("wall\n2 kg\n", "row 2 of the table"),
        ("wall,post_at\n2,\n", "row 2 of the table has nothing under “post_at”"),
        ("parts.rial.material,wall\nx,2\n", "nothing at “parts.rial”"),
        ("wall\n" + 200_000 * "2", "the table cannot be read"),
    ],
)
def test_a_table_that_cannot_be_meant_is_told(
    run: Run, rail_path: Path, tmp_path: Path, text: str, says: str
) -> None:
    table = tmp_path / "designs.csv"
    table.write_text(text, encoding="utf-8")
    code, out, err = run("sweep", rail_path, "--table", table)
    assert (code, out) == (1, "")
    assert says in err


def test_a_state_is_told_at_every_point(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "heated.toml"
    path.write_text(demo_sheet("heated_rail").read_text(encoding="utf-8"), encoding="utf-8")
    code, out, _ = run(
        "sweep", path, "--over", "sun=0 K:40 K:5", "--format", "csv",
        "--outputs", "stress,buckling,displacement,reactions,effective mass,kinds,axial stress",
    )  # fmt: skip
    assert code == 0
    rows = list(csv.DictReader(io.StringIO(out)))
    axial = [float(row["largest axial stress (MPa)"]) for row in rows]
    branch = next(name for name in rows[0] if name.startswith("branch 1"))
    lowest = [float(row[branch]) for row in rows]
    assert lowest == sorted(lowest, reverse=True)
    steps = np.diff(axial)
    assert steps == pytest.approx(steps[0], rel=1e-4)  # warmth held back, so linear
    factors = [float(row["buckling factor"]) for row in rows if row["buckling factor"]]
    assert len(factors) >= 4
    assert rows[0]["kind of mode 1"].startswith("bending")
    assert " mm" in rows[0]["where von Mises stress"]
    assert any(name.startswith("reaction of ") for name in rows[0])
