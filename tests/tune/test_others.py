"""Pulls of numbers that are no knobs yet."""

from __future__ import annotations

import json

import pytest

from belltone.modes.solve import request_for, solve
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import read_sheet
from belltone.tune.others import others
from belltone.tune.pull import pulls
from tests.conftest import Run
from tests.tune.test_clearing import bar


def test_a_number_pulls_as_it_would_as_a_knob() -> None:
    """A cantilever: minus two percent for a percent of length, and nothing for its mass."""
    sheet = bar([])
    design = evaluate(sheet)
    found = others(sheet, solve(design, request_for(design)).solution)
    (length,) = found
    assert length.path == ("parts", "bar", "length")
    assert length.pull.frequencies[0] == pytest.approx(-2.0, abs=1e-3)
    assert length.pull.mass == pytest.approx(1.0, abs=1e-6)


def test_numbers_of_a_demo_are_those_of_knobs_made_of_them() -> None:
    sheet = read_sheet(demo_sheet("infeed_rail"))
    design = evaluate(sheet)
    solution = solve(design, request_for(design)).solution
    found = {each.path: each for each in others(sheet, solution)}
    assert ("masses", 0, "mass") in found
    assert not any(path[0] in ("excitation", "knobs", "modes") for path in found)
    path = ("parts", "rail", "section", "height")
    made = sheet.with_values({("knobs", "tall", "value"): found[path].text, path: "tall"})
    design = evaluate(made)
    own = pulls(made, solve(design, request_for(design)).solution)["tall"]
    assert found[path].pull.frequencies == pytest.approx(own.frequencies, rel=1e-4, abs=1e-6)
    assert found[path].pull.mass == pytest.approx(own.mass, rel=1e-6)


def test_on_the_command_line(run: Run, rail_path: object) -> None:
    code, out, _ = run("pull", rail_path, "--every-number", "--format", "csv")
    assert code == 0
    names = [line.split(",")[0] for line in out.splitlines()[1:]]
    assert names[:2] == ["wall", "post_at"]
    assert "parts · rail · length" in names
    code, out, _ = run("pull", rail_path, "--every-number", "--format", "json")
    data = json.loads(out)
    assert ["parts", "rail", "length"] in [each["path"] for each in data["numbers"]]
    code, _, err = run("pull", rail_path, "--every-number", "--set", "wall=4 mm")
    assert code == 1
    assert "leave out “--set”" in err
