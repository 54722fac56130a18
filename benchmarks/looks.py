"""How soon there is something to see: first looks and last answers, and how honest looks are."""

from __future__ import annotations

import time

import numpy as np

from belltone.desk.starts import starts
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import request_for, solve_modes
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import Sheet, read_sheet
from belltone.system.factor import solver_name

DEMOS = ("pump_cover", "rinsing_bell", "cap_chute", "guard_hood")


def main() -> None:
    """A table of the demos of walls and of all starting points."""
    solver_name()  # loads its library
    print("\nFirst looks against last answers (seconds; errors stated and true)")
    print("sheet                   look   last   share  processor  stated    true")
    inside = total = 0
    for name, sheet in (
        *((name, read_sheet(demo_sheet(name))) for name in DEMOS),
        *((start.title, Sheet.from_text(start.text)) for start in starts()),
    ):
        covered, count = row(name, sheet)
        inside, total = inside + covered, total + count
    print(f"frequencies of looks within what they say: {inside} of {total}")


def row(name: str, sheet: Sheet) -> tuple[int, int]:
    """Print one sheet; returns how many frequencies of its looks were within what they said."""
    design = evaluate(sheet)
    looks: list[tuple[float, ModeSet]] = []
    begun, worked = time.perf_counter(), time.process_time()
    watching = Progress(viewer=lambda found: looks.append((time.perf_counter() - begun, found)))
    last = solve_modes(design, request_for(design), progress=watching)
    whole, worked = time.perf_counter() - begun, time.process_time() - worked
    if not looks:
        print(f"{name:22}      -  {whole:5.2f}       -      {worked:5.2f}")
        return 0, 0
    covered = total = 0
    for _, look in looks:
        count = min(len(look.flexible), len(last.flexible))
        away = np.abs(look.flexible[:count] / last.flexible[:count] - 1)
        stated = look.errors[look.rigid_count :][:count] + last.errors[last.rigid_count :][:count]
        covered, total = covered + int(np.sum(away <= stated)), total + count
    seconds, look = looks[0]
    count = min(len(look.flexible), len(last.flexible))
    true = float(np.abs(look.flexible[:count] / last.flexible[:count] - 1).max())
    print(
        f"{name:22} {seconds:6.2f} {whole:6.2f}  {seconds / whole:6.2f}     {worked:6.2f}  "
        f"{look.errors.max() * 100:5.1f} %  {true * 100:5.2f} %"
    )
    return covered, total
