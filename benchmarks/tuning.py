"""Tuning: what clearing bands with four knobs and following tolerances cost beside solutions.

``python -m benchmarks.tuning``
"""

from __future__ import annotations

import time
from dataclasses import replace

from belltone.modes.solve import request_for, solve
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.system.threads import numpy_threads
from belltone.tune.clearing import clear
from belltone.tune.search import Aim
from belltone.tune.tolerances import tolerances

SAMPLES = 10_000
FOUR = ("thickness", "inlet_at", "gauge", "pipe")


def cover() -> Sheet:
    """The pump cover with two knobs more: the masses of its gauge and of the pipe on its rim."""
    sheet = read_sheet(demo_sheet("pump_cover"))
    for index, (name, spread) in enumerate((("pipe", "5 %"), ("gauge", "5 %"))):
        mass = str(sheet.value(("masses", index, "mass")))
        sheet = sheet.with_value(("knobs", name), {"value": mass})
        sheet = sheet.with_value(("masses", index, "mass"), name)
        sheet = sheet.with_value(("knobs", name, "tolerance"), spread)
    sheet = sheet.with_value(("knobs", "thickness", "tolerance"), "0.1 mm")
    return sheet.with_value(("knobs", "inlet_at", "tolerance"), "1 mm")


def main() -> None:
    """Print both in times of one exact solution on the same elements."""
    sheet = cover()
    design = evaluate(sheet)
    request = request_for(design, 4)
    found = solve(design, request)
    level = found.modes.discretisation
    with numpy_threads(many=False):
        start = time.perf_counter()
        solve(design, replace(request), level, told=False)
        one = time.perf_counter() - start
    print(f"pump cover, {found.modes.unknowns} unknowns, one solution {one:.2f} s")
    for aim in (Aim.CHANGE, Aim.MASS):
        start = time.perf_counter()
        cleared = clear(sheet, FOUR, aim)
        spent = time.perf_counter() - start
        print(
            f"clear with four knobs, least {aim}: {spent / one:.0f} solutions' time (asked 60), "
            f"{cleared.solutions} designs solved, {'clear' if cleared.best.clear else 'not clear'}"
        )
    start = time.perf_counter()
    spread = tolerances(sheet, SAMPLES)
    spent = time.perf_counter() - start
    print(
        f"{spread.samples} designs within tolerances of four knobs: {spent / one:.0f} solutions' "
        f"time (asked 30), {spread.off:.1e} off solved ones"
    )


if __name__ == "__main__":
    main()
