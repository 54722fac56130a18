import csv
import io
import json
import math
import re
import subprocess
import sys
from pathlib import Path

import pytest

from belltone.sheet.document import read_sheet
from belltone.store import known
from tests.assemblies import STEEL, joint, plate
from tests.assemblies import held as held_at
from tests.conftest import CLAMPED, Run, bar_text


def test_check_says_what_the_sheet_is(run: Run, rail_path: Path) -> None:
    code, out, err = run("check", rail_path)
    assert code == 0
    assert "good. 2200 mm rectangular hollow section, 17.36 kg in all; 2 supports" in out
    assert err == ""


def test_check_notes_what_looks_odd(run: Run, rail_path: Path) -> None:
    text = rail_path.read_text(encoding="utf-8").replace('"2.2 m"', '"220 m"')
    rail_path.write_text(text, encoding="utf-8")
    code, _, err = run("check", rail_path)
    assert code == 0
    assert "note: line 19, parts · rail: “rail” is 3667 times longer than deep" in err


def test_modes_as_a_table(run: Run, rail_path: Path) -> None:
    code, out, err = run("modes", rail_path)
    assert code == 0
    assert err == ""
    lines = out.splitlines()
    assert lines[0].split()[:3] == ["mode", "frequency", "(Hz)"]
    assert lines[2].split()[:2] == ["2", "49.8415"]
    assert "in “drive 2×”" in lines[2]
    assert "proves that none is missing" in lines[-1]


def test_modes_as_json_with_knobs_set(run: Run, rail_path: Path) -> None:
    code, out, _ = run(
        "modes", rail_path, "--set", "wall=6 mm", "--set", "post_at = 1.6 m", "--format", "json"
    )
    assert code == 0
    data = json.loads(out)
    assert data["knobs"]["wall"] == {"value": 6.0, "unit": "mm"}
    assert [mode["number"] for mode in data["modes"]] == list(range(1, 11))
    for mode in data["modes"]:
        assert mode["error_relative"] <= 1e-3
        assert mode["rigid"] is False


def test_modes_by_count_and_by_limit(run: Run, rail_path: Path) -> None:
    def numbers(*options: str) -> list[float]:
        code, out, _ = run("modes", rail_path, "--format", "json", *options)
        assert code == 0
        return [mode["frequency_hz"] for mode in json.loads(out)["modes"]]

    assert len(numbers("--count", "3")) == 3
    below = numbers("--to", "12000 rpm")
    assert len(below) == 6
    assert max(below) < 200
    assert len(numbers("--to", "1 Hz")) == 0
    assert len(numbers("--to", "200 Hz", "--count", "2")) == 2


def test_modes_to_a_file(run: Run, rail_path: Path, tmp_path: Path) -> None:
    target = tmp_path / "modes.csv"
    code, out, _ = run("modes", rail_path, "--format", "csv", "-o", target)
    assert (code, out) == (0, "")
    rows = list(csv.DictReader(io.StringIO(target.read_text(encoding="utf-8"))))
    assert len(rows) == 10
    code, _, err = run("modes", rail_path, "-o", tmp_path / "absent" / "modes.csv")
    assert code == 1
    assert "there is no folder" in err


def test_a_second_call_reads_what_the_first_kept(
    run: Run, rail_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    first = run("modes", rail_path)
    monkeypatch.setattr(known, "solve_modes", lambda *_, **__: pytest.fail("solved again"))
    assert run("modes", rail_path) == first


def test_free_bodies_are_legal(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "paddle.toml"
    path.write_text(
        'belltone = 1\n[parts.paddle]\nkind = "member"\nmaterial = "polyamide"\n'
        'length = "300 mm"\nsection = { shape = "solid rectangle", width = "40 mm", '
        'height = "8 mm" }\n',
        encoding="utf-8",
    )
    code, out, err = run("modes", path, "--count", "2")
    assert code == 0
    assert out.count("rigid, ") == 6
    assert "nothing holds the component" in err


def test_reach_writes_the_sheet(run: Run, rail_path: Path, tmp_path: Path) -> None:
    target = tmp_path / "tuned.toml"
    code, out, _ = run(
        "reach", rail_path, "--mode", "2", "--target", "54 Hz", "--knob", "wall",
        "--tolerance", "0.01 Hz", "--write", target,
    )  # fmt: skip
    assert code == 0
    assert "mode 2 stands at 54" in out
    written = read_sheet(target)
    assert written.content.knobs["wall"].value.endswith(" mm")
    assert "# motor, gear and bracket" in written.text
    code, out, _ = run("modes", target, "--format", "json", "--count", "2")
    assert json.loads(out)["modes"][1]["frequency_hz"] == pytest.approx(54, abs=0.06)


@pytest.mark.parametrize(
    ("arguments", "code", "says"),
    [
        (["modes", "absent.toml"], 1, "“absent.toml” cannot be read"),
        (["modes", "{rail}", "--set", "wal=2 mm"], 1, "no knob “wal”; did you mean “wall”"),
        (["modes", "{rail}", "--set", "wall=2"], 1, "given in mm: “2 mm”"),
        (["modes", "{rail}", "--set", "wall"], 2, "is not KNOB=VALUE"),
        (["modes", "{rail}", "--to", "500"], 1, "“500” has no unit; a frequency is needed"),
        (["modes", "{rail}", "--to", "500 mm"], 1, "“500 mm”: this is a length"),
        (["modes", "{rail}", "--to", "-5 Hz"], 1, "above 0 Hz is needed"),
        (["modes", "{rail}", "--to", "wall"], 1, "“wall” names something"),
        (["modes", "{rail}", "--count", "0"], 2, "greater than or equal to 1"),
        (["modes", "{rail}", "--format", "xml"], 2, "'xml' is not one of"),
        (["modes"], 2, "Missing argument"),
        (["sweep", "{rail}"], 1, "say what to sweep"),
        (["sweep", "{rail}", "--over", "wall=2:6:5"], 1, "“2 mm”?"),
        (["sweep", "{rail}", "--over", "wall"], 1, "is neither KNOB=START:STOP:POINTS"),
        (["sweep", "{rail}", "--over", "wall=3 mm, 2 mm"], 1, "must ascend"),
        (["sweep", "{rail}", "--over", "wall=3 mm, 4 mm", "--in-step"], 1, "two knobs or more"),
        (["sweep", "{rail}", "--over", "wall=3 mm, 4 mm", "--over", "wall=3 mm, 5 mm"], 1,
         "“wall” is swept twice"),
        (["sweep", "{rail}", "--over", "wall=3 mm, 4 mm", "--outputs", "weight"], 1,
         "“weight” is not an output; there is mass, "),
        (["sweep", "{rail}", "--over", "wall=3 mm, 4 mm", "--format", "xlsx"], 1, "-o FILE"),
        (["sweep", "{rail}", "--over", "wall=3 mm, 4 mm", "--workers", "0"], 2, "--workers"),
        (["reach", "{rail}", "--mode", "2", "--target", "300 Hz", "--knob", "wall"], 1,
         "mode 2 does not reach 300 Hz between 2 mm and 6 mm"),
        (["reach", "{rail}", "--mode", "2", "--target", "50 Hz", "--knob", "x"], 1, "no knob “x”"),
        (["unheard-of"], 2, "No such command"),
    ],
)  # fmt: skip
def test_bad_input_gives_one_message(
    run: Run, rail_path: Path, arguments: list[str], code: int, says: str
) -> None:
    found, out, err = run(*[argument.replace("{rail}", str(rail_path)) for argument in arguments])
    assert found == code
    assert says in err
    assert out == ""
    assert "Traceback" not in err


def test_summary(run: Run, rail_path: Path) -> None:
    code, out, err = run("summary", rail_path, "--set", "wall=4 mm")
    assert (code, err) == (0, "")
    rows = dict(line.split(maxsplit=1) for line in out.splitlines())
    assert rows["mass"].endswith(" kg")
    assert "mass drive unit" in out
    assert "rigid motions left" in out
    assert "none" in out.splitlines()[-1]
    code, _, err = run("summary", rail_path, "--set", "wall=40 mm")
    assert code == 1
    assert "does not fit" in err


def test_refine_compares_every_frequency(run: Run, rail_path: Path) -> None:
    code, out, _ = run("refine", rail_path, "--format", "json")
    assert code == 0
    data = json.loads(out)
    assert data["within_estimates"] is True
    assert data["unknowns_finer"] > data["unknowns"]
    assert len(data["modes"]) == 10
    for mode in data["modes"]:
        assert abs(mode["change_relative"]) <= mode["error_relative"]
    code, out, _ = run("refine", rail_path)
    assert "Every change is within the error stated." in out
    code, out, _ = run("refine", rail_path, "--format", "csv")
    assert out.startswith(
        "mode,kind,frequency (Hz),on twice the divisions (Hz),change,error stated"
    )


def test_an_error_inside_is_told_in_a_line(
    run: Run, rail_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fail(*_: object, **__: object) -> None:
        raise ZeroDivisionError("odd")

    monkeypatch.setattr(known, "solve_modes", fail)
    code, _, err = run("modes", rail_path)
    assert code == 1
    assert "an error inside the program (ZeroDivisionError: odd); details are in" in err
    assert "Traceback" not in err


def test_the_program_runs_by_its_name(rail_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "belltone", "check", str(rail_path)],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0
    assert done.stdout.startswith(str(rail_path))
    version = subprocess.run(
        [sys.executable, "-m", "belltone", "--version"], capture_output=True, text=True, check=True
    )
    assert version.stdout.startswith("belltone 0.")


def test_the_core_loads_no_window_library() -> None:
    code = (
        "import sys, belltone.cli.program; window = {'PySide6', 'pyqtgraph', 'vtkmodules'}; "
        "sys.exit(any(name.split('.')[0] in window for name in sys.modules))"
    )
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0


def test_reading_units_loads_no_cluster_library() -> None:
    code = (
        "import sys, belltone.sheet.units; "
        "assert 'dask' not in sys.modules; "
        "import importlib.util as util, belltone.sheet.units as units; "
        "assert units.convert(1.0, units.DIMENSIONS['length'], 'mm') == 1000.0; "
        "sys.exit(0 if util.find_spec('dask') is not None else 5)"  # it is there for who wants it
    )
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0


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


def test_an_input_is_never_written_over(run: Run, rail_path: Path, tmp_path: Path) -> None:
    before = rail_path.read_bytes()
    link = tmp_path / "link.toml"
    link.symlink_to(rail_path)
    for command in (["modes"], ["sweep", "--over", "wall=2 mm:6 mm:3"], ["refine"]):
        for output in (rail_path, link):
            code, _, err = run(command[0], rail_path, *command[1:], "-o", output)
            assert code == 1
            assert "which is read here; write somewhere else" in err
    table = tmp_path / "t.csv"
    table.write_text("a,0,0,0\nb,1,0,0\nm,a,b\n", encoding="utf-8")
    assert run("frame", table, "-o", table)[0] == 1
    assert rail_path.read_bytes() == before


def test_check_and_mass_need_no_matrices(
    run: Run, rail_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from belltone.elements.line import LineElements
    from belltone.system.assembly import Assembly

    def never(*_: object) -> None:
        raise AssertionError("a matrix was made")

    monkeypatch.setattr(LineElements, "stiffness", never)
    monkeypatch.setattr(Assembly, "system", never)
    code, out, _ = run("check", rail_path)
    assert code == 0
    assert "17.36 kg in all" in out


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


def test_memory_that_does_not_suffice_is_told_before_it_is_used(
    run: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "plate.toml"
    text = "belltone = 1\n" + STEEL + plate("p", 300, 200, (0, 0, 0)) + held_at("p.west")
    path.write_text(text, encoding="utf-8")
    monkeypatch.setattr("belltone.system.factor.free_memory", lambda: 3e8)
    code, _, err = run("modes", path)
    assert code == 1
    assert re.search(
        r"a matrix of \d+ unknowns needs 0\.4\d? GB of memory, and 0\.3 GB are free", err
    )


def test_pulls_of_every_knob_from_one_solution(run: Run, rail_path: Path) -> None:
    code, out, _ = run("pull", rail_path)
    assert code == 0
    assert "In percent, for one percent more of the knob." in out
    code, out, _ = run("pull", rail_path, "--format", "csv")
    head, wall, post = (line.split(",") for line in out.splitlines())
    assert head[:4] == ["of", "value", "mass (%)", "mode 1 (%)"]
    assert wall[:3] == ["wall", "3 mm", "+0.5318"]
    assert post[2] == "+0.0000"
    code, out, _ = run("pull", rail_path, "--format", "json", "--set", "wall=4 mm")
    data = json.loads(out)
    assert [knob["knob"] for knob in data["knobs"]] == ["wall", "post_at"]
    assert data["knobs"][0]["value"] == 4.0
    assert len(data["knobs"][0]["frequencies_percent"]) == len(data["modes"])


def test_a_sheet_without_knobs_has_no_pulls(run: Run, tmp_path: Path) -> None:
    sheet = tmp_path / "bar.toml"
    sheet.write_text(bar_text('shape = "solid round", diameter = "20 mm"', rest=CLAMPED))
    code, _, err = run("pull", sheet)
    assert code == 1
    assert "no knob can be turned" in err


def test_a_first_look_is_marked_and_is_not_kept_as_an_answer(run: Run, tmp_path: Path) -> None:
    path = tmp_path / "plate.toml"
    text = "belltone = 1\n" + STEEL + plate("p", 300, 200, (0, 0, 0)) + held_at("p.west")
    path.write_text(text, encoding="utf-8")
    code, look, _ = run("modes", path, "--first-look")
    assert code == 0
    assert "A first look: these frequencies are within" in look
    code, last, _ = run("modes", path)
    assert "A count of eigenvalues proves that none is missing." in last
    # What is known already is no first look.
    code, again, _ = run("modes", path, "--first-look")
    assert again == last


def test_commands_load_no_more_than_they_need() -> None:
    program = (
        "import sys, belltone.cli.program; from typer.main import get_command; "
        "found = get_command(belltone.cli.program.app); "
        "assert 'numpy' not in sys.modules, 'numpy'; "
        "found.get_command(None, 'check'); "
        "heavy = {'scipy.spatial', 'scipy.optimize', 'scipy.interpolate', 'meshio', 'rich.table', "
        "'multiprocessing.forkserver', 'belltone.store.results', 'PySide6', 'vtkmodules'}; "
        "assert not heavy & set(sys.modules), heavy & set(sys.modules)"
    )
    subprocess.run([sys.executable, "-c", program], check=True, timeout=60)


def test_modes_of_a_plate_load_no_more_than_they_need(tmp_path: Path) -> None:
    path = tmp_path / "plate.toml"
    path.write_text(
        'belltone = 1\n[parts.p]\nkind = "plate"\nmaterial = "structural steel"\n'
        'thickness = "5 mm"\n'
        'outline = { shape = "rectangle", width = "400 mm", height = "300 mm" }\n'
        '[[supports]]\nsite = "p.west"\nhold = "clamped"\n[modes]\ncount = 2\n'
    )
    program = (
        "import sys, belltone.cli.program as program\n"
        "try: program.app(sys.argv[1:])\n"
        "except SystemExit as ended: assert not ended.code\n"
        "assert 'belltone.modes.patterns' in sys.modules\n"
        "heavy = {'scipy.optimize', 'scipy.interpolate', 'scipy.stats', 'meshio', 'PySide6'}\n"
        "assert not heavy & set(sys.modules), heavy & set(sys.modules)"
    )
    command = [sys.executable, "-c", program, "modes", str(path)]
    subprocess.run(command, check=True, timeout=60, stdout=subprocess.DEVNULL)


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
