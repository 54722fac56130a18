"""What questions about knobs cost beside one answer: pulls, a sweep's point, a carried level."""

from __future__ import annotations

from belltone.modes.level import Level
from belltone.modes.solution import carried, solved
from belltone.modes.solve import request_for, solve
from belltone.progress import Progress
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.demo import demo_sheet
from belltone.sheet.document import read_sheet
from belltone.tune.pull import pulls
from benchmarks.walls import seconds


def main(name: str = "pump_cover") -> None:
    """All of them, on one demo."""
    sheet = read_sheet(demo_sheet(name))
    design = evaluate(sheet)
    request = request_for(design)
    found = solve(design, request)
    whole = seconds(lambda: solve(design, request), 1)
    level = found.modes.discretisation
    turned = seconds(lambda: pulls(sheet, found.solution), 1)
    print(f"\nQuestions about knobs, {name}, against one answer to its accuracy")
    knobs = sum(knob.literal for knob in design.knobs.values())
    print(f"pulls of {knobs} knobs / answer: {turned / whole:.2f}")
    name_of, knob = next((n, k) for n, k in design.knobs.items() if k.literal)
    beside = DesignFamily(sheet).at({name_of: knob.base * (1 + 1e-3)})
    point = seconds(lambda: solve(beside, request, level, told=False, near=found.solution), 1)
    print(f"point of a sweep / answer: {point / whole:.2f}")
    fine = Level(design, level, Progress())
    lower = solved(Level(design, level.lower(), Progress()), request)
    fine.factor(request)
    taken = seconds(lambda: carried(lower, fine, request), 1)
    anew = seconds(lambda: solved(fine, request), 1)
    print(f"modes carried over / solved for and counted: {taken / anew:.2f}")
