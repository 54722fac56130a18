import csv
import io
import json
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import load_workbook

from belltone.design.values import BandValue, Design
from belltone.exchange.handed_tables import as_tab_text, plane_table
from belltone.exchange.sweep_tables import DesignTable, Head, sweep_data, sweep_table
from belltone.exchange.tables import (
    MODE_COLUMNS,
    as_csv,
    as_json,
    mode_rows,
    modes_data,
    percent,
    standing_text,
)
from belltone.modes.solve import ModeRequest, request_for, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.sheet.shown_units import ShownUnits
from belltone.sweep.plan import SweepPlan
from belltone.sweep.runner import run_sweep
from belltone.tune.bands import stand
from belltone.tune.clear import band_visits, clear_intervals
from belltone.tune.plane import Plane
from tests.conftest import Run
from tests.sweep.test_runner import Inline


def test_every_column_has_its_unit(rail: Sheet) -> None:
    design = evaluate(rail)
    modes = solve_modes(design, request_for(design))
    rows = list(csv.DictReader(io.StringIO(as_csv(MODE_COLUMNS, mode_rows(modes, design)))))
    assert len(rows) == 10
    assert float(rows[0]["frequency (Hz)"]) == pytest.approx(37.2029, abs=1e-3)
    assert float(rows[0]["rpm"]) == pytest.approx(60 * 37.2029, rel=1e-4)
    assert float(rows[0]["period (ms)"]) == pytest.approx(1e3 / 37.2029, rel=1e-4)
    assert rows[1]["excitation"] == "in “drive 2×”"
    assert rows[0]["error"].endswith("%")


def test_json_of_modes_keeps_the_contract(bar: Callable[..., Design]) -> None:
    design = bar('shape = "solid round", diameter = "20 mm"')
    modes = solve_modes(design, ModeRequest(4, None, 1e-3))
    data = json.loads(as_json(modes_data(modes, design)))
    assert data["rigid_modes"] == 6
    assert data["complete"] is True
    assert [entry["rigid"] for entry in data["modes"]] == [True] * 6 + [False] * 4
    assert {"number", "frequency_hz", "kind", "error_relative", "rigid"} <= set(data["modes"][0])
    assert data["modes"][0]["period_s"] is None
    assert data["modes"][6]["number"] == 1
    assert data["mass_kg"] == pytest.approx(7850 * 3.14159265 * 1e-4, rel=1e-6)
    assert "nothing holds the component" in data["warnings"][0]
    rows = mode_rows(modes, design)
    assert rows[0][0] == "rigid"
    assert rows[6][-1] == ""


def test_json_of_a_sweep_keeps_the_contract(rail: Sheet, workers: ProcessPoolExecutor) -> None:
    design = evaluate(rail)
    sweep = run_sweep(rail, SweepPlan("wall", (18.0, 19.0, 19.5, 21.0)), workers)
    intervals = clear_intervals(sweep, design.bands, design.margin, Inline())
    visits = band_visits(sweep, design.bands, design.margin)
    data = json.loads(as_json(sweep_data(sweep, design, intervals, visits, ("mass",))))
    assert data["points"] == [18.0, 19.0, 19.5, 21.0]
    assert data["knob"] == {"name": "wall", "unit": "mm"}
    assert len(data["branches"]) >= 10
    for branch in data["branches"]:
        assert len(branch["frequency_hz"]) == 4
        assert branch["frequency_hz"][3] is None
        assert branch["kind"]
    assert [band["name"] for band in data["bands"]] == ["mains hum", "drive", "drive 2×"]
    assert data["failures"][0]["value"] == 21.0
    assert data["outputs"][0]["unit"] == "kg"
    assert data["outputs"][0]["values"][0] < data["outputs"][0]["values"][1]
    assert data["outputs"][0]["values"][3] is None
    found = sweep_table(sweep, ("mass",))
    header, rows = found.heads, found.texts
    assert header[-1] == "mass (kg)"
    assert header[0] == "wall (mm)"
    assert header[1].endswith("(Hz)")
    assert rows[3][1] == ""
    assert [row[0] for row in rows] == ["18", "19", "19.5", "21"]


@pytest.mark.parametrize(
    ("share", "text"),
    [(0.05, "5 %"), (0.00123, "0.12 %"), (1e-9, "below 0.0001 %"), (0.0, "0 %")],
)
def test_percent(share: float, text: str) -> None:
    assert percent(share) == text


def test_standing_in_words() -> None:
    band = BandValue("pump", 100.0, 120.0)
    words = [standing_text(stand(frequency, (band,), 0.1)) for frequency in (110, 95, 60)]
    assert words == ["in “pump”", "in the margin of “pump”, 5 % from it", "clear, 40 % from “pump”"]
    assert standing_text(None) == ""


def test_tables_for_a_spreadsheet(run: Run, rail_path: Path) -> None:
    run("variants", rail_path, "--pin", "thick", "--set", "wall=5 mm")
    target = rail_path.with_name("all.xlsx")
    what = ("--what", "modes, one knob, comparison, crossings, tolerances")
    code, out, err = run("tables", rail_path, *what, "-o", target)
    assert (code, out) == (0, f"wrote {target}\n")
    assert "“crossings” is left out" in err
    assert "“tolerances” is left out" in err
    book = load_workbook(target)
    assert book.sheetnames == ["modes", "one knob", "comparison"]
    rows = list(book["modes"].iter_rows(values_only=True))
    assert rows[0][:3] == ("mode", "frequency (Hz)", "angular frequency (rad/s)")
    assert rows[1][1] == pytest.approx(37.20291684)
    assert rows[2][7:10] == ("drive 2×", pytest.approx(-0.317, abs=1e-3), "in “drive 2×”")
    over = list(book["one knob"].iter_rows(values_only=True))
    assert over[0][0] == "wall (mm)"
    assert len(over) == 42
    assert isinstance(over[5][1], float)
    compared = list(book["comparison"].iter_rows(values_only=True))
    assert compared[0][2] == "thick (Hz)"
    code, _, _ = run("tables", rail_path, "-o", rail_path.with_name("modes.csv"))
    assert code == 0
    lines = rail_path.with_name("modes.csv").read_text(encoding="utf-8").splitlines()
    assert lines[1].startswith("1,37.2029,")


def test_crossings_of_a_speed_diagram(run: Run, tmp_path: Path) -> None:
    sheet = tmp_path / "spinning.toml"
    sheet.write_text(demo_sheet("spinning_bell").read_text(encoding="utf-8"), encoding="utf-8")
    settings = ("--set", "accuracy.divisions=1", "--set", "accuracy.order=4")
    code, _out, err = run(
        "tables", sheet, *settings, "--what", "crossings", "-o", tmp_path / "c.csv"
    )
    assert code == 0, err
    rows = (tmp_path / "c.csv").read_text(encoding="utf-8").splitlines()
    assert rows[0] == ("speed (rpm),order,frequency (Hz),track,kind,from the stated speed (%)")
    speed, order, frequency = (float(cell) for cell in rows[1].split(",")[:3])
    assert frequency == pytest.approx(order * speed / 60, rel=1e-4)


@pytest.mark.parametrize(
    ("what", "name", "words"),
    [
        ("weather", "x.csv", "there is no table “weather”; there are modes, one knob"),
        ("modes", "x.txt", "its ending must be .xlsx or .csv"),
        ("crossings", "x.csv", "none of these tables has anything in it"),
    ],
)
def test_tables_that_cannot_be_written(
    run: Run, rail_path: Path, what: str, name: str, words: str
) -> None:
    code, _, err = run("tables", rail_path, "--what", what, "-o", rail_path.with_name(name))
    assert code in (1, 2)
    assert words in err
    assert not rail_path.with_name(name).exists()


def test_tables_for_the_clipboard() -> None:
    table = DesignTable((Head("a", "mm", "input"), Head("b", "", "output")), ((1.5, "x"),))
    assert as_tab_text({"one": table}) == "a (mm)\tb\n1.5\tx\n"
    assert as_tab_text({"one": table, "two": table}).count("a (mm)\tb") == 2


def test_maps_of_two_knobs_as_rows(rail_path: Path) -> None:
    design = evaluate(read_sheet(rail_path))
    plane = Plane(
        ("wall", "post_at"),
        np.array([0.002, 0.004]),
        np.array([1.2, 1.4]),
        np.array([[[40.0], [47.0]], [[np.nan], [60.0]]]),
        np.array([[False, False], [True, False]]),
        np.zeros((2, 2), bool),
        np.zeros((2, 2, 1), np.intp),
        ("bending about y",),
        np.ones((2, 2, 1, 3)),
        np.zeros((2, 2, 1), np.intp),
        1e-3,
        True,
    )
    table = plane_table(plane, design, design.bands)
    assert table.heads == ("wall (mm)", "post_at (m)", "least margin (%)", "frequency 1 (Hz)")
    assert table.rows[0] == (pytest.approx(2.0), 1.2, pytest.approx(100 * (1 - 40 / 44)), 40.0)
    assert table.rows[1][2] == pytest.approx(-6.0)
    assert table.rows[2][2:] == (None, None)


@given(
    st.lists(st.floats(-1e6, 1e6), min_size=4, max_size=4),
    st.sampled_from(["", "in", "mm"]),
    st.sampled_from(["", "rpm"]),
    st.sampled_from(["", "lb"]),
)
def test_tables_are_told_in_the_units_chosen(
    numbers: list[float], length: str, frequency: str, mass: str
) -> None:
    """What was set stays in its knob's unit, empty cells and words as they are."""
    heads = (
        Head("wall", "mm", "input"),
        Head("branch 1, bends", "Hz", "frequency"),
        Head("mass", "kg", "output"),
        Head("largest displacement", "mm", "output"),
        Head("why", "", "note"),
    )
    wall, hertz, kilograms, moved = numbers
    table = DesignTable(
        heads, ((wall, hertz, kilograms, moved, "Hz"), (wall, None, None, None, ""))
    )
    shown = table.shown(ShownUnits(length, frequency, mass))
    assert shown.rows[0] == pytest.approx(
        (
            wall,
            hertz * (60 if frequency else 1),
            kilograms / (0.45359237 if mass else 1),
            moved / (25.4 if length == "in" else 1),
            "Hz",
        )
    )
    assert shown.rows[1] == table.rows[1]
    assert shown.heads == (
        "wall (mm)",
        f"branch 1, bends ({frequency or 'Hz'})",
        f"mass ({mass or 'kg'})",
        f"largest displacement ({length or 'mm'})",
        "why",
    )
