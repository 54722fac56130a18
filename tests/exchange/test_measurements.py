"""Measured frequencies as they come, and the commands that hold and fit them."""

import json
from pathlib import Path

import numpy as np
import pytest
from openpyxl import Workbook

from belltone.exchange.gathered import gather
from belltone.exchange.measurements import MeasurementError, measured_of, pasted, read_measured
from belltone.exchange.report.html import as_html
from belltone.exchange.report.sections import pages
from belltone.progress import Progress
from belltone.sheet.document import Sheet, read_sheet
from belltone.store.results import ResultStore
from tests.conftest import Run


@pytest.mark.parametrize(
    "text", ["37.5\n50.8\n", "37.5; 50.8", "37.5, 50.8", "37,5\n50,8", "37.5 Hz\n3048 rpm"]
)
def test_frequencies_alone(text: str) -> None:
    assert pasted(text).frequencies == pytest.approx([37.5, 50.8])


def test_a_table_with_kinds_numbers_and_units() -> None:
    told = pasted("Freq. [rpm];kind;mode;note\n2250;bending about y;;tap\n3048;;2;\n")
    assert told.frequencies == pytest.approx([37.5, 50.8])
    assert told.kinds == ("bending about y", "")
    assert told.numbers == (None, 2)
    assert told.notes == ("tap", "")


def test_shapes_at_points() -> None:
    told = pasted(
        "frequency (Hz),x (mm),y (mm),z (mm),motion z\n"
        "40,0,0,0,0.1\n40,500,0,0,1\n60,0,0,0,\n60,500,0,0,-0.5\n"
    )
    assert told.frequencies.tolist() == [40.0, 60.0]
    assert told.positions.tolist() == [[0, 0, 0], [0.5, 0, 0]]
    assert told.shapes[0, 1, 2] == 1.0
    assert np.isnan(told.shapes[1, 0]).all()
    assert np.isnan(told.shapes[0, :, :2]).all()


def test_a_workbook(tmp_path: Path) -> None:
    book = Workbook()
    sheet = book.active
    assert sheet is not None
    for row in (["Frequency (Hz)", "Kind"], [37.5, "twist"], [50.8, None]):
        sheet.append(row)
    book.save(tmp_path / "m.xlsx")
    told = read_measured(tmp_path / "m.xlsx")
    assert told.frequencies.tolist() == [37.5, 50.8]
    assert told.kinds == ("twist", "")


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("speed;kind\n3;x\n", "row 2: “speed”"),
        ("frequency (Hz);mode\n30;first\n", "“first” is not the number of a mode"),
        ("frequency (Hz);mode\n30;0\n", "they count from 1"),
        ("frequency (kg)\n30\n", "row 2"),
        ("frequency (Hz)\n-4\n", "“-4” is no frequency above zero"),
        ("frequency (Hz)\n", "there are no frequencies below a head"),
        ("frequency (Hz);motion z\n3;1\n", "motions need their point"),
        ("frequency (Hz);x;y;z;motion z\n3;1;2;3;1\n", "a unit"),
        ("frequency (Hz);x (mm);y (mm);z (mm);motion z\n3;1;2;3;up\n", "“up” is not a motion"),
    ],
)
def test_what_is_wrong_is_named(text: str, words: str) -> None:
    with pytest.raises(MeasurementError) as caught:
        pasted(text)
    assert words in str(caught.value)


def test_a_sheet_says_what_was_measured(rail_path: Path) -> None:
    text = rail_path.read_text(encoding="utf-8")
    beside = rail_path.with_name("tap.csv")
    beside.write_text("frequency (Hz)\n101.5\n", encoding="utf-8")
    rail_path.write_text(
        text + '\n[measured]\nfile = "tap.csv"\n'
        '[[measured.modes]]\nfrequency = "38 Hz"\nkind = "bending about y"\nnote = "hammer"\n',
        encoding="utf-8",
    )
    sheet = read_sheet(rail_path)
    told = measured_of(sheet)
    assert told is not None
    assert told.frequencies.tolist() == [38.0, 101.5]
    assert told.kinds == ("bending about y", "")
    assert told.notes == ("hammer", "")
    assert measured_of(Sheet.from_text(text)) is None
    assert sheet.answer_hash() == Sheet.from_text(text).answer_hash()


def test_a_wrong_frequency_is_found_in_the_sheet(rail: Sheet) -> None:
    sheet = rail.with_value(("measured", "modes"), [{"frequency": "3 kg"}])
    with pytest.raises(MeasurementError, match="measured · modes 1 · frequency: "):
        measured_of(sheet)


def test_the_commands(run: Run, rail_path: Path) -> None:
    file = rail_path.with_name("tap.csv")
    file.write_text(
        "frequency (Hz),kind\n37.507,\n50.7917,\n74.8946,\n96.2509,\n", encoding="utf-8"
    )
    code, out, err = run("measured", rail_path, "--file", file)
    assert (code, err) == (0, "")
    assert "matched by order; 4 of 4 measured frequencies are modes" in out
    code, out, _ = run("measured", rail_path, "--file", file, "--format", "json")
    data = json.loads(out)
    assert data["measured"][2]["difference_relative"] == pytest.approx(0.0452, abs=2e-4)
    target = rail_path.with_name("fitted.toml")
    knobs = ("--knob", "wall", "--knob", "post_at", "--within", "0.1 %")
    code, out, err = run("fit", rail_path, "--file", file, *knobs, "--write", target)
    assert (code, err) == (0, "")
    assert "4 of 4 measured frequencies are modes" in out
    fitted = read_sheet(target).content.knobs
    assert float(str(fitted["post_at"].value).split()[0]) == pytest.approx(1.5, abs=2e-3)
    assert float(str(fitted["wall"].value).split()[0]) == pytest.approx(3.3, abs=0.03)
    code, _, err = run("measured", rail_path)
    assert code == 1
    assert "nothing was measured: give “--file FILE”, or list it in the sheet" in err


def test_the_report_holds_them_against_the_modes(rail: Sheet, tmp_path: Path) -> None:
    modes = [{"frequency": "37 Hz"}, {"frequency": "50 Hz", "note": "tap 3"}]
    sheet = rail.with_value(("measured", "modes"), modes)
    with ResultStore(tmp_path / "x.sqlite") as store:
        found = gather(sheet, None, ("measured",), None, store, Progress())  # type: ignore[arg-type]
    from datetime import datetime

    text = as_html(pages(found, Progress(), datetime(2026, 3, 14)))
    assert "Matched by order; 2 of 2 measured frequencies are modes" in text
    assert "tap 3" in text
