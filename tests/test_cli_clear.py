"""Clearing, reaching with several knobs and tolerances on the command line."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from belltone.modes.solve import request_for, solve
from belltone.reading.family import evaluate
from belltone.sheet.document import read_sheet
from belltone.tune.bands import verdict
from tests.conftest import Run
from tests.tune.test_clearing import bar, per_millimetre


@pytest.fixture
def bar_path(tmp_path: Path) -> Path:
    path = tmp_path / "bar.toml"
    path.write_text(bar([(4.0, 4.4)]).text)
    return path


def test_clear_writes_a_sheet_that_is_clear(run: Run, bar_path: Path, tmp_path: Path) -> None:
    written = tmp_path / "clear.toml"
    code, out, err = run(
        "clear", bar_path, "--knob", "wide", "--knob", "tall", "--write", written,
        "--margins", "2 %, 8 %",
    )  # fmt: skip
    assert (code, err) == (0, "")
    assert out.startswith("clear at wide 40 mm, tall ")
    assert "with a margin of 2 %: a change of about" in out
    design = evaluate(read_sheet(written))
    modes = solve(design, request_for(design)).modes
    assert verdict(modes, design.bands, design.margin).clear
    code, out, _ = run("clear", written)
    assert (code, out.splitlines()[0]) == (0, "clear as it stands; nothing is to be changed")


def test_clear_as_data_and_what_stops_it(run: Run, bar_path: Path) -> None:
    mass = ("--least", "mass", "--keep", "mass < 100 kg")
    code, out, _ = run("clear", bar_path, *mass, "--format", "json")
    data = json.loads(out)
    assert code == 0
    assert data["least"] == "mass"
    assert data["proposals"][0]["clear"]
    assert data["proposals"][0]["told"]["mass"] < data["present"]["told"]["mass"]
    assert set(data["proposals"][0]["knobs"]) == {"wide", "tall"}
    code, out, _ = run("clear", bar_path, "--knob", "tall", "--keep", "mass < 2 kg")
    assert code == 1
    assert "no design of these knobs meets every demand" in out
    assert "mass is" in out
    code, _, err = run("clear", bar_path, "--knob", "long")
    assert code == 1
    assert "there is no knob “long”" in err
    code, _, err = run("clear", bar_path, "--keep", "colour < 3")
    assert code == 1
    assert "“colour” is nothing that is told; there is “mass”" in err
    code, out, _ = run("clear", bar_path, "--knob", "tall", "--spare", "bending about y")
    assert (code, out.splitlines()[0]) == (0, "clear as it stands; nothing is to be changed")


def test_reach_with_two_knobs_changes_them_least(run: Run, bar_path: Path, tmp_path: Path) -> None:
    first = per_millimetre()[0]
    target = f"{22 * first:.6f} Hz"
    written = tmp_path / "reached.toml"
    code, out, err = run(
        "reach", bar_path, "--mode", "1", "--target", target, "--knob", "tall", "--knob", "wide",
        "--tolerance", "0.01 Hz", "--write", written,
    )  # fmt: skip
    assert (code, err) == (0, ""), err
    knobs = evaluate(read_sheet(written)).knobs
    assert knobs["tall"].value == pytest.approx(22, rel=2e-3)
    assert knobs["wide"].value == pytest.approx(40, abs=0.05)  # moves this mode not at all
    assert "mode 1 stands at" in out
    far = f"{90 * first:.6f} Hz"
    code, _, err = run(
        "reach", bar_path, "--mode", "1", "--target", far, "--knob", "tall", "--knob", "wide"
    )
    assert code == 1
    assert "mode 1 does not reach" in err
    assert "“tall” stands at its end, 40 mm; beyond it is better" in err


def test_reach_of_several_modes_at_once(run: Run, bar_path: Path, tmp_path: Path) -> None:
    first = per_millimetre()[0]
    written = tmp_path / "reached.toml"
    asked = ("reach", bar_path, "--knob", "tall", "--knob", "wide")
    code, out, err = run(
        *asked, "--mode", "1", "--target", f"{22 * first:.6f} Hz", "--mode", "2",
        "--target", "1.5 x mode 1", "--tolerance", "0.05 %", "--write", written,
    )  # fmt: skip
    assert (code, err) == (0, ""), err
    knobs = evaluate(read_sheet(written)).knobs
    assert knobs["tall"].value == pytest.approx(22, rel=2e-3)
    assert knobs["wide"].value == pytest.approx(33, rel=2e-3)
    assert "mode 1 stands at" in out
    assert "mode 2 stands at" in out
    code, _, err = run(*asked, "--mode", "1", "--mode", "2", "--target", "50 Hz")
    assert code == 1
    assert "2 “--mode” and 1 “--target”; state one target for each mode" in err
    code, _, err = run(*asked, "--mode", "2", "--target", "2 x mode 1", "--tolerance", "1 Hz")
    assert code == 1
    assert "“1 Hz” is no tolerance of a ratio" in err
    code, _, err = run(*asked, "--mode", "2", "--target", "2 x mode")
    assert code == 1
    assert "“2 x mode” is no target; state a frequency, “55 Hz”, or a ratio" in err
    # The bending the other way stands where others are to keep off.
    code, out, err = run(
        *asked, "--mode", "1", "--target", f"{38 * first:.6f} Hz", "--apart", "10 %"
    )
    assert (code, err) == (0, "")
    assert "mode 1 stands at" in out


def test_reach_with_a_knob_of_steps_stays_on_them(run: Run, bar_path: Path) -> None:
    text = bar_path.read_text().replace('to = "40 mm" }', 'to = "40 mm", step = "0.5 mm" }')
    bar_path.write_text(text)
    first = per_millimetre()[0]
    asked = ("reach", bar_path, "--mode", "1", "--knob", "tall", "--target")
    code, out, _ = run(*asked, f"{22.5 * first:.6f} Hz", "--tolerance", "0.02 Hz")
    assert code == 0
    assert out.startswith("tall = 22.5 mm")
    code, _, err = run(*asked, f"{22.7 * first:.6f} Hz", "--tolerance", "0.02 Hz")
    assert code == 1
    assert "nearest at tall 22.5 mm" in err


def test_tolerance_as_table_and_data(run: Run, bar_path: Path) -> None:
    code, _, err = run("tolerance", bar_path)
    assert code == 1
    assert "no knob has a tolerance" in err
    text = bar_path.read_text().replace('to = "40 mm" }', 'to = "40 mm", tolerance = "2 %" }')
    bar_path.write_text(text)
    code, out, err = run("tolerance", bar_path, "--samples", "600")
    assert (code, err) == (0, "")
    assert "by tall" in out
    assert "of the designs have a mode in it" in out
    assert "designs by a model; largest difference from" in out
    code, out, _ = run("tolerance", bar_path, "--samples", "600", "--format", "json")
    data = json.loads(out)
    assert data["modes"][0]["low_hz"] < data["modes"][0]["nominal_hz"] < data["modes"][0]["high_hz"]
    assert data["knobs"] == ["tall"]
    code, csv, _ = run("tolerance", bar_path, "--samples", "600", "--format", "csv")
    assert csv.splitlines()[0].startswith("mode,kind,as drawn (Hz)")
