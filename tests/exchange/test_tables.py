import csv
import io
import json
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor

import pytest

from belltone.design.values import BandValue, Design
from belltone.exchange.sweep_tables import sweep_data, sweep_table
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
from belltone.sheet.document import Sheet
from belltone.sweep.plan import SweepPlan
from belltone.sweep.runner import run_sweep
from belltone.tune.bands import stand
from belltone.tune.clear import band_visits, clear_intervals
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
