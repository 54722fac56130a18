"""Sweeps over assemblies: a count as a knob, a stiffness of a joint, a mesh beside the sheet."""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import meshio
import numpy as np
import pytest

from belltone.modes.matching import assurance
from belltone.modes.solve import request_for, solve_modes
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sweep.plan import SweepPlan
from belltone.sweep.runner import run_sweep
from tests.assemblies import frame, held, joint, plate, text_of

LEVEL = "[accuracy]\ndivisions = 1\norder = 4\n"
PORTAL = frame(
    {"a": (0, 0, 0), "b": (0, 0, 800), "c": (600, 0, 800), "d": (600, 0, 0)},
    {"l": 'from = "a", to = "b"', "t": 'from = "b", to = "c"', "r": 'from = "c", to = "d"'},
)


def test_a_knob_moves_a_node(workers: ProcessPoolExecutor) -> None:
    tall = PORTAL.replace('"800 mm"', '"tall"')
    text = text_of('[knobs]\ntall = { value = "800 mm" }', tall, held("f.a"), held("f.d"), LEVEL)
    sheet = Sheet.from_text(text.replace("free = true", "count = 3"))
    found = run_sweep(sheet, SweepPlan("tall", (600.0, 800.0, 1000.0)), workers)
    sway = found.branches[0].frequencies
    assert np.all(np.diff(sway[np.isfinite(sway)]) < 0)
    assert not found.failures


def test_a_count_of_copies_is_swept(workers: ProcessPoolExecutor) -> None:
    rib = """
[parts.r]
kind = "rib"
on = "p"
material = "steel"
from = { at = ["-200 mm", "-60 mm"] }
to = { at = ["200 mm", "-60 mm"] }
section = { shape = "solid rectangle", width = "4 mm", height = "12 mm" }
[[patterns]]
of = "r"
count = "ribs"
step = ["0 mm", "60 mm"]
"""
    knob = '[knobs]\nribs = { value = "1", from = "1", to = "3" }'
    low = LEVEL.replace("order = 4", "order = 3")
    text = text_of(knob, plate("p", 400, 300, (0, 0, 0)), rib, held("p.outline"), low)
    sheet = Sheet.from_text(text.replace("free = true", "count = 2"))
    one, three = (
        solve_modes(evaluate(sheet, {"ribs": count}), request_for(evaluate(sheet)))
        for count in ("1", "3")
    )
    assert three.flexible[0] > one.flexible[0]
    # Copies stand last, so shapes with and without them are still compared.
    assert assurance(one.signatures[:1], three.signatures[:1])[0, 0] > 0.5
    half = {"ribs": "1.5"}
    with pytest.raises(Exception, match="no number of copies"):
        evaluate(sheet, half)
    found = run_sweep(sheet, SweepPlan("ribs", (1.0, 2.0, 3.0)), workers)
    assert {1.0, 2.0, 3.0} <= set(found.values[[s is not None for s in found.sets]].tolist())


def test_a_received_mesh_is_found_by_the_workers(
    workers: ProcessPoolExecutor, tmp_path: Path
) -> None:
    x, y = np.meshgrid(np.linspace(0, 300, 7), np.linspace(0, 200, 5))
    points = np.column_stack([x.ravel(), y.ravel(), 0 * x.ravel()])
    index = np.arange(35).reshape(5, 7)
    corners = (index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1])
    quads = np.stack(corners, axis=-1).reshape(-1, 4)
    meshio.write(tmp_path / "m.vtu", meshio.Mesh(points, [("quad", quads)]))
    part = (
        '[knobs]\nt = { value = "2 mm" }\n[parts.m]\nkind = "mesh"\nfile = "m.vtu"\n'
        'unit = "mm"\nmaterial = "steel"\nthickness = "t"\n'
    )
    text = text_of(part, held("m.rim 1"), LEVEL.replace("order = 4", "order = 3"))
    sheet = Sheet.from_text(text.replace("free = true", "count = 2"), tmp_path)
    found = run_sweep(sheet, SweepPlan("t", (1.0, 2.0)), workers)
    first = found.branches[0].frequencies
    assert first[1] / first[0] == pytest.approx(2.0, rel=0.02)


def test_a_joint_on_springs_is_tuned(workers: ProcessPoolExecutor) -> None:
    soft = joint("a", "b", "sprung", 'springs = { z = "k" }\nhold = ["x", "y", "turn x", "turn y"]')
    text = text_of(
        '[knobs]\nk = { value = "100 N/mm" }',
        plate("a", 250, 200, (-125, 0, 0)),
        plate("b", 250, 200, (125, 0, 0)),
        soft,
        held("a.west"),
        held("b.east"),
        LEVEL.replace("order = 4", "order = 3"),
    )
    sheet = Sheet.from_text(text.replace("free = true", "count = 2"))
    found = run_sweep(sheet, SweepPlan("k", (10.0, 100.0, 1000.0)), workers)
    lowest = [s.flexible[0] for s in found.sets if s is not None]
    assert np.all(np.diff(lowest) > -1e-6)
