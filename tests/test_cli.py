"""The command line: sheets checked, modes told, bad input explained."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

import pytest

from belltone.sheet.document import read_sheet
from belltone.store import known
from tests.assemblies import STEEL, plate
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
