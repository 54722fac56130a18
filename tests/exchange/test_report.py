"""Reports: what stands in them, that they need nothing else, and the pages of the PDF."""

import base64
import io
import json
import re
import subprocess
import sys
from dataclasses import replace
from datetime import datetime
from html.parser import HTMLParser
from pathlib import Path

import pytest
from PIL import Image
from PySide6.QtWidgets import QApplication

from belltone.desk.printing import write_pdf
from belltone.exchange.gathered import ReportError, gather, held, usual_parts
from belltone.exchange.report.blocks import Cards, Pages, Photo, Rows, Section
from belltone.exchange.report.html import as_html
from belltone.exchange.report.sections import pages
from belltone.exchange.report.titles import TITLES
from belltone.progress import Cancelled, Progress
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet
from belltone.sheet.model import REPORT_PARTS
from belltone.store.results import ResultStore
from tests.conftest import Run

NOW = datetime(2026, 3, 14, 9, 26)


class _Reader(HTMLParser):
    """Elements, their attributes, and the text of each part of a report."""

    def __init__(self) -> None:
        super().__init__()
        self.sources: list[str] = []
        self.tags: list[str] = []
        self.rows: dict[str, list[list[str]]] = {}
        self.text: dict[str, str] = {}
        self._part, self._cell = "head", False

    def handle_starttag(self, tag: str, attributes: list[tuple[str, str | None]]) -> None:
        told = dict(attributes)
        self.tags.append(tag)
        for name in ("src", "href", "xlink:href"):
            if told.get(name):
                self.sources.append(str(told[name]))
        if told.get("data-part"):
            self._part = str(told["data-part"])
        if tag == "tr":
            self.rows.setdefault(self._part, []).append([])
        if tag in ("td", "th"):
            self._cell = True
            self.rows[self._part][-1].append("")

    def handle_endtag(self, tag: str) -> None:
        if tag in ("td", "th"):
            self._cell = False

    def handle_data(self, data: str) -> None:
        self.text[self._part] = self.text.get(self._part, "") + data
        if self._cell:
            self.rows[self._part][-1][-1] += data


def _read(path: Path) -> _Reader:
    reader = _Reader()
    reader.feed(path.read_text(encoding="utf-8"))
    return reader


@pytest.fixture(scope="module")
def written(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A report of the rail, made once; pinned variants and all."""
    folder = tmp_path_factory.mktemp("report")
    sheet = folder / "rail.toml"
    text = demo_sheet().read_text(encoding="utf-8")
    sheet.write_text(text + '\n[report]\nauthor = "Line 3"\n', encoding="utf-8")
    for arguments in (
        ("variants", sheet, "--pin", "thick", "--set", "wall=5 mm"),
        ("report", sheet),
    ):
        command = [sys.executable, "-m", "belltone", *map(str, arguments)]
        subprocess.run(command, check=True, capture_output=True)
    return sheet.with_suffix(".html")


def test_it_needs_nothing_else(written: Path) -> None:
    text = written.read_text(encoding="utf-8")
    reader = _read(written)
    assert "script" not in reader.tags
    assert all(source.startswith(("data:image/webp;base64,", "#")) for source in reader.sources)
    assert "default-src 'none'" in text
    assert "url(http" not in text
    assert written.stat().st_size < 600_000


def test_frequencies_and_verdict_are_those_told_elsewhere(run: Run, written: Path) -> None:
    sheet = written.with_suffix(".toml")
    _, out, _ = run("modes", sheet, "--format", "json")
    told = [format(mode["frequency_hz"], ".6g") for mode in json.loads(out)["modes"]]
    reader = _read(written)
    assert [row[1] for row in reader.rows["modes"][1:]] == told
    shapes = re.findall(r"Mode \d+ · ([\d.]+) Hz", reader.text["shapes"])
    assert shapes == told
    assert "1 mode stands in a band: mode 2 in “drive 2×”." in reader.text["head"]
    assert ["drive 2×", "2", "49.8415 Hz", "bending about z, 2 half-waves", "in it"] in reader.rows[
        "verdict"
    ]


def test_what_each_part_tells(written: Path) -> None:
    reader = _read(written)
    assert list(reader.text) == [
        "head", "component", "excitation", "verdict", "modes", "shapes", "one knob", "variants",
        "by hand", "grounds",
    ]  # fmt: skip
    assert "Line 3" in reader.text["head"]
    assert "2200 mm" in reader.text["component"]  # as a dimension
    assert ["drive unit", "drive_seat", "7.5", "0, 0, -90", "one rigid body"] in reader.rows[
        "component"
    ]
    assert "every band is clear from 4.98" in reader.text["one knob"]
    assert "wall: 3 mm → 5 mm (+66.7 %)" in reader.text["variants"]
    assert "a mass hangs beside its axis" in reader.text["by hand"]
    assert "not looked at here: over two knobs, a design proposed" in reader.text["grounds"]
    assert 'title = "Infeed rail"' in reader.text["grounds"]


def test_shapes_move_and_come_back(written: Path) -> None:
    films = [
        Image.open(io.BytesIO(base64.b64decode(source.partition(",")[2])))
        for source in _read(written).sources
        if source.startswith("data:")
    ]
    moving = [film for film in films if getattr(film, "n_frames", 1) > 1]
    assert len(moving) == 10
    film = moving[0]
    assert film.n_frames == 16  # type: ignore[attr-defined]
    film.seek(0)
    first = film.convert("L").tobytes()
    film.seek(8)
    far = film.convert("L").tobytes()
    film.seek(15)
    last = film.convert("L").tobytes()

    def apart(one: bytes, other: bytes) -> float:
        return sum(abs(a - b) for a, b in zip(one, other, strict=True)) / len(one)

    assert apart(first, far) > 3 * apart(first, last)


def test_parts_are_chosen(run: Run, rail_path: Path) -> None:
    target = rail_path.with_name("short.html")
    asked = ("--parts", "modes, tolerances", "-o", target)
    code, out, err = run("report", rail_path, *asked)
    assert (code, out) == (0, f"wrote {target}\n")
    assert "“tolerances” is left out: the sheet has nothing for it" in err
    assert list(_read(target).text) == ["head", "modes"]
    code, _, err = run("report", rail_path, "--parts", "modes, weather")
    assert code == 2
    assert "a report has no part “weather”" in err


def test_the_sheet_says_what_it_holds(rail: Sheet) -> None:
    design = evaluate(rail)
    assert set(held(rail, design, pinned=False)) == set(REPORT_PARTS) - {
        "variants", "preload", "measured", "tolerances",
    }  # fmt: skip
    usual = usual_parts(rail, design, pinned=False)
    assert "two knobs" not in usual
    assert "one knob" in usual
    asked = rail.with_value(("report", "contents"), ["grounds", "two knobs", "modes"])
    assert usual_parts(asked, design, pinned=False) == ("modes", "two knobs", "grounds")
    assert asked.answer_hash() == rail.answer_hash()


@pytest.mark.usefixtures("coarse_maps")
def test_two_knobs_a_proposal_and_tolerances(rail: Sheet, tmp_path: Path) -> None:
    sheet = rail.with_values(
        {
            ("knobs", "wall", "tolerance"): "0.2 mm",
            ("knobs", "wall", "from"): "3 mm",
            ("knobs", "post_at", "to"): "1.7 m",
            ("report", "knobs"): ["post_at", "wall"],
        }
    )
    parts = ("two knobs", "proposal", "tolerances")
    said: list[str] = []
    with ResultStore(tmp_path / "x.sqlite") as store:
        progress = Progress(herald=said.append)
        found = gather(sheet, None, parts, None, store, progress)  # type: ignore[arg-type]
    assert [text.split("”")[0] for text in said[:3]] == ["“two knobs", "“proposal", "“tolerances"]
    assert found.plane is not None
    assert found.plane.knobs == ("post_at", "wall")
    made = pages(found, Progress(), NOW)
    text = as_html(made)
    assert "post_at (m)" in text
    assert (
        "Asked: bands “mains hum”, “drive”, “drive 2×” clear by 8 %, with the least change." in text
    )
    assert "designs are clear of every band" in text
    assert [section.title for section in made.sections] == [TITLES[part] for part in parts]


def test_a_knob_that_is_none(rail: Sheet, tmp_path: Path) -> None:
    sheet = rail.with_value(("report", "knobs"), ["height"])
    with (
        ResultStore(tmp_path / "x.sqlite") as store,
        pytest.raises(ReportError, match="there is no knob “height”; there are: “wall”, “post_at”"),
    ):
        gather(sheet, None, ("one knob",), None, store, Progress())  # type: ignore[arg-type]


def test_a_loaded_component(run: Run, tmp_path: Path) -> None:
    sheet = tmp_path / "heated.toml"
    sheet.write_text(demo_sheet("heated_rail").read_text(encoding="utf-8"), encoding="utf-8")
    target = tmp_path / "heated.html"
    code, _, _ = run("report", sheet, "--parts", "component,preload", "-o", target)
    assert code == 0
    text = _read(target).text
    assert "temperature change" in text["component"]
    assert "Buckling shape 1" in text["preload"]
    assert "without_preload" not in text["preload"]
    rows = _read(target).rows["preload"]
    assert any(row[0] == "support" for row in rows)
    assert any(row and row[0] == "1" and row[3].endswith("%") for row in rows)


def test_a_report_is_stopped_with_nothing_written(rail: Sheet, tmp_path: Path) -> None:
    with ResultStore(tmp_path / "x.sqlite") as store:
        found = gather(rail, None, ("modes", "shapes"), None, store, Progress())  # type: ignore[arg-type]

    def listen(done: int, _total: int, text: str) -> None:
        if text == "shapes" and done == 3:
            progress.cancel()

    progress = Progress(listen)
    with pytest.raises(Cancelled):
        pages(found, progress, NOW)


def test_text_is_text_and_nothing_else() -> None:
    rows = Rows(("a <b>", "n"), (("<script>alert(1)</script>", "3.5 mm"),))
    told = Pages("T & <i>", "", "", "open", (Section("modes", "S", (rows,)),), "")
    text = as_html(told)
    assert "<script>" not in text
    assert "&lt;script&gt;" in text
    assert "<title>T &amp; &lt;i&gt;</title>" in text


@pytest.mark.parametrize(
    ("texts", "number"),
    [
        (("3", "4.25", ""), True),
        (("below 0.0001 %", "2 %"), True),
        (("+66.7 %", "−3 %", "1e-09"), True),
        (("2200 mm rectangular hollow section",), False),
        (("0, 0, -90",), False),
        (("", ""), False),
    ],
)
def test_numbers_are_told_from_words(texts: tuple[str, ...], number: bool) -> None:
    assert Rows(("h",), tuple((text,) for text in texts)).is_number(0) is number


def test_a_pdf_of_the_same_pages(qapp: QApplication, rail: Sheet, tmp_path: Path) -> None:
    parts = ("component", "verdict", "modes", "shapes")
    with ResultStore(tmp_path / "x.sqlite") as store:
        found = gather(rail, None, parts, None, store, Progress())  # type: ignore[arg-type]
    made = pages(found, Progress(), NOW)
    target = tmp_path / "rail.pdf"
    write_pdf(made, target)
    data = target.read_bytes()
    assert data.startswith(b"%PDF-")
    count = int(re.findall(rb"/Count (\d+)", data)[0])
    (cards,) = (block for section in made.sections for block in section.blocks
                if isinstance(block, Cards))  # fmt: skip
    rows = -(-len(cards.cards) // 2)
    assert count >= 1 + -(-rows // cards.rows_on_page(950.0))
    write_pdf(replace(made, sections=made.sections[:1]), target)
    assert len(re.findall(rb"/Type /Page\b", target.read_bytes())) == 1


def test_long_and_thin_pictures_are_flat(rail: Sheet, tmp_path: Path) -> None:
    with ResultStore(tmp_path / "x.sqlite") as store:
        found = gather(rail, None, ("component",), None, store, Progress())  # type: ignore[arg-type]
    made = pages(found, Progress(), NOW)
    (photo,) = (block for block in made.sections[0].blocks if isinstance(block, Photo))
    assert 215 <= photo.height < 260
    with Image.open(io.BytesIO(photo.data)) as picture:
        assert picture.size == (photo.width, photo.height)
    for name in ("west post", "second post", "drive unit, 7.5 kg", "2200 mm"):
        assert f">{name}</text>" in photo.overlay
