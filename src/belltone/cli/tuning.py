"""Pulls of knobs, and reach."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from belltone.cli.inputs import frequency, read_input, set_knobs
from belltone.cli.messages import fail, note, warn
from belltone.cli.options import Format, FormatOption, Output, Settings, SheetPath
from belltone.cli.output import table, write
from belltone.cli.waiting import progress_shown
from belltone.exchange.pull_tables import other_rows, pull_columns, pull_data, pull_rows
from belltone.exchange.tables import as_csv, as_json
from belltone.modes.solve import request_for, solve
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet, read_sheet, write_sheet
from belltone.sheet.units import format_number
from belltone.store.results import ResultStore, store_path
from belltone.sweep.plan import PlanError
from belltone.sweep.pool import start_workers
from belltone.tune.others import others
from belltone.tune.pull import pulls
from belltone.tune.reach import reach
from belltone.tune.together import OTHER_SHAPE, reach_together


def pull(
    sheet: SheetPath,
    settings: Settings = None,
    every: Annotated[
        bool, typer.Option("--every-number", help="Also of numbers that are no knobs yet.")
    ] = False,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """What one percent more of each knob does to every frequency, the mass and buckling."""
    source, chosen = set_knobs(read_input(sheet, output), settings)
    design = evaluate(source, chosen)
    warn(design)
    with progress_shown("pulls") as progress:
        solved = solve(design, request_for(design), progress=progress)
        found = pulls(source, solved.solution, chosen, progress)
        if every and chosen:
            fail("“--every-number” goes by the sheet as it stands; leave out “--set”")
        rest = others(source, solved.solution, progress) if every else ()
    if not found and not rest:
        raise PlanError(
            "no knob can be turned: the sheet has none with a value of its own other than zero"
        )
    if form is Format.JSON:
        write(as_json(pull_data(found, design.knobs, solved.modes, rest)), output)
        return
    factors = max((len(each.factors) for each in found.values()), default=0)
    columns, rows = pull_columns(solved.modes, factors), pull_rows(found, design.knobs)
    rows += other_rows(rest, factors)
    if form is Format.CSV:
        write(as_csv(columns, rows), output)
    else:
        write(table(columns, rows) + "In percent, for one percent more of the knob.\n", output)


def reach_command(
    sheet: SheetPath,
    mode: Annotated[int, typer.Option(min=1, metavar="N", help="The mode's number now.")],
    target: Annotated[str, typer.Option(metavar="F", help="Where it shall stand: “55 Hz”.")],
    knobs: Annotated[
        list[str],
        typer.Option(
            "--knob", metavar="KNOB", help="The knob to turn; of several the least change of all."
        ),
    ],
    tolerance: Annotated[
        str | None, typer.Option(metavar="F", help="How near is near enough (0.01 % if left out).")
    ] = None,
    write: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Write the sheet with the knob set.")
    ] = None,
) -> None:
    """Find the knob value that brings a mode to a frequency; of several knobs the least change."""
    source = read_sheet(sheet)
    design = evaluate(source)
    warn(design)
    if len(knobs) > 1 or any(
        knob.allowed() for knob in design.knobs.values() if knob.name in knobs
    ):
        _reach_together(sheet, source, mode, target, knobs, tolerance, write)
        return
    (knob,) = knobs
    with start_workers() as workers, progress_shown(f"reach with {knob}") as progress:
        found = reach(
            source,
            mode,
            frequency(target),
            knob,
            workers,
            None if tolerance is None else frequency(tolerance),
            progress=progress,
        )
    print(
        f"{knob} = {found.text}: mode {mode} stands at {format_number(found.frequency, 7)} Hz"
        + (f" (as mode {found.number})" if found.number != mode else "")
    )
    if found.others:
        print("also near " + ", ".join(found.knob.text(value) for value in found.others))
    if write is not None:
        write_sheet(found.sheet, write)
        print(f"written to {write}")


def _reach_together(
    path: Path,
    source: Sheet,
    mode: int,
    target: str,
    knobs: list[str],
    tolerance: str | None,
    written: Path | None,
) -> None:
    within = None if tolerance is None else frequency(tolerance)
    with (
        ResultStore(store_path(path), note) as store,
        progress_shown(f"reach with {', '.join(knobs)}") as progress,
    ):
        found = reach_together(source, mode, frequency(target), knobs, within, store, progress)
    best = found.cleared.best
    if not best.clear:
        reasons = "; ".join(found.cleared.binding)
        fail(f"mode {mode} does not reach {target}; nearest at {best.words}: {reasons}")
    for name, text in best.texts.items():
        print(f"{name} = {text}")
    print(f"mode {mode} stands at {format_number(found.frequency, 7)} Hz")
    if not found.own_shape:
        print(OTHER_SHAPE)
    if written is not None:
        write_sheet(best.sheet, written)
        print(f"written to {written}")
