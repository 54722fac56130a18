"""Components of several parts, plates and meshes on the command line."""

from __future__ import annotations

import csv
import io
import json
import math
from pathlib import Path

import pytest

from belltone.sheet.document import read_sheet
from tests.assemblies import STEEL, joint, plate
from tests.assemblies import held as held_at
from tests.conftest import Run


def test_a_plate_on_the_command_line(run: Run, tmp_path: Path) -> None:
    sheet = tmp_path / "lid.toml"
    sheet.write_text(
        'belltone = 1\n[parts.lid]\nkind = "plate"\nmaterial = "structural steel"\n'
        'thickness = "5 mm"\noutline = { shape = "disc", diameter = "400 mm" }\n'
        '[[supports]]\nsite = "lid.rim"\nhold = "clamped"\n[modes]\ncount = 3\n',
        encoding="utf-8",
    )
    code, out, _ = run("check", sheet)
    assert code == 0
    assert "400 mm disc, 5 mm thick" in out
    code, out, err = run("modes", sheet, "--format", "json")
    assert (code, err) == (0, "")
    modes = json.loads(out)["modes"]
    # Thin clamped disc: 10.2158 sqrt(D / rho h) / R^2.
    thin = 10.2158 / (2 * math.pi * 0.04) * math.sqrt(210e9 * 25e-6 / (12 * 0.91 * 7850))
    assert modes[0]["frequency_hz"] == pytest.approx(thin, rel=0.01)
    assert modes[1]["kind"] == "bending, 1 nodal diameter, 0 nodal circles"
    low = f"{modes[1]['frequency_hz'] * 1.1} Hz"
    code, out, _ = run("modes", sheet, "--from", low, "--count", "2", "--format", "json")
    assert code == 0
    window = json.loads(out)["modes"]
    assert [mode["number"] for mode in window] == [4, 5]
    code, _, err = run("modes", sheet, "--from", "500 Hz", "--to", "400 Hz")
    assert code == 2
    assert "must end above its start" in err
    code, out, _ = run("summary", sheet)
    assert code == 0
    assert "time for all modes and their errors" in out


PAIR = "\n".join(
    [
        "belltone = 1",
        STEEL,
        plate("a", 250, 400, (-175, 0, 0)),
        plate("b", 350, 400, (125, 0, 0)),
        held_at("a.west"),
        "[accuracy]\ndivisions = 1\norder = 3\n[modes]\ncount = 2\n",
    ]
)


def test_summary_lists_what_touches_and_what_is_joined(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "pair.toml"
    path.write_text(PAIR, encoding="utf-8")
    code, out, _ = run("summary", path)
    assert code == 0
    assert "not decided, so not joined" in out
    assert "along 400 mm" in out
    assert "“b” slides along x" in out
    path.write_text(PAIR + joint("a", "b"), encoding="utf-8")
    code, out, _ = run("summary", path)
    assert "welded by “a – b”" in out
    assert "rigid motions left" in out
    assert "none" in out.split("rigid motions left")[1].splitlines()[0]


def test_energy_by_part(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "pair.toml"
    path.write_text(PAIR + joint("a", "b"), encoding="utf-8")
    code, out, _ = run("modes", path, "--parts", "--format", "csv")
    assert code == 0
    rows = list(csv.reader(io.StringIO(out)))
    assert rows[0] == [
        "mode", "frequency (Hz)", "strain in a", "strain in b", "moving in a", "moving in b",
    ]  # fmt: skip
    shares = [float(cell.removesuffix(" %")) for cell in rows[1][2:]]
    assert sum(shares[:2]) == pytest.approx(100, abs=0.2)
    assert sum(shares[2:]) == pytest.approx(100, abs=0.2)
    code, out, _ = run("modes", path, "--format", "json")
    assert set(json.loads(out)["modes"][0]["energy_share_by_part"]) == {"a", "b"}


def test_energy_by_element(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "pair.toml"
    path.write_text(PAIR + joint("a", "b"), encoding="utf-8")
    code, out, _ = run("modes", path, "--elements", "3 %", "--format", "csv", "--count", 2)
    assert code == 0
    rows = list(csv.DictReader(io.StringIO(out)))
    assert {row["mode"] for row in rows} == {"1", "2"}
    for row in rows:
        shares = [float(row[name].removesuffix(" %")) for name in ("strain", "moving")]
        assert max(shares) >= 3.0
    code, out, _ = run("modes", path, "--elements", "0.001 %", "--format", "json", "--count", 1)
    (mode,) = json.loads(out)["modes"]
    for name in ("strain_energy_share", "kinetic_energy_share"):
        assert sum(each[name] for each in mode["elements"]) == pytest.approx(1.0, abs=1e-3)
    assert len(mode["elements"][0]["centre_m"]) == 3
    code, _, err = run("modes", path, "--elements", "much")
    assert code == 1
    assert "much" in err


def test_parts_that_do_not_meet_are_told(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "apart.toml"
    apart = PAIR.replace('"125 mm"', '"200 mm"')
    path.write_text(apart + joint("a", "b"), encoding="utf-8")
    for command in ("check", "modes"):
        code, _, err = run(command, path)
        assert code == 1
        assert "the joint “a – b” joins nothing" in err
        assert "75 mm apart" in err


def test_a_frame_from_a_table(run: Run, tmp_path: Path) -> None:
    table = tmp_path / "stand.csv"
    table.write_text("a,0,0,0\nb,0,0,500\nc,300,0,500\npost,a,b\narm,b,c\n", encoding="utf-8")
    sheet = tmp_path / "stand.toml"
    code, _, err = run("frame", table, "-o", sheet)
    assert code == 0
    assert "the table gives no unit, so lengths are taken in mm" in err
    assert read_sheet(sheet).content.title == "stand"
    code, out, _ = run("check", sheet)
    assert code == 0
    assert "good. 2 members" in out
    table.write_text("a,0,0,0\n", encoding="utf-8")
    code, _, err = run("frame", table)
    assert code == 1
    assert "A frame needs two nodes and a member at least" in err
    table.write_bytes(b"\xff\xfe\x00")
    code, _, err = run("frame", table)
    assert code == 1
    assert "not a text file in UTF-8" in err


def test_a_missing_mesh_is_named(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "sent.toml"
    path.write_text(
        'belltone = 1\n[parts.m]\nkind = "mesh"\nfile = "sent.vtu"\nunit = "mm"\n'
        'material = "brass"\nthickness = "1 mm"\n',
        encoding="utf-8",
    )
    code, _, err = run("modes", path)
    assert code == 1
    assert "parts · m · file" in err
    assert "No such file" in err


def test_a_frame_table_may_say_what_its_rows_are(run: Run, tmp_path: Path) -> None:
    table = tmp_path / "stand.csv"
    rows = "name,x (m),y,z\nnode,a,0,0,0\nnode,b,0,0,0.5\nmember,post,a,b\n"
    table.write_text(rows, encoding="utf-8")
    code, out, err = run("frame", table)
    assert code == 0
    assert "a frame of 1 member between 2 nodes" in err
    assert "the sections are not in the table" in err
    assert 'b = ["0 m", "0 m", "0.5 m"]' in out
    table.write_text("node,a;0;0\n", encoding="utf-8")
    code, _, err = run("frame", table)
    assert code == 1
    assert "holds 0 nodes and 0 members; line 1, “node,a, 0, 0”, is no node" in err
    assert "“A, 0, 0, 0” is a node" in err
