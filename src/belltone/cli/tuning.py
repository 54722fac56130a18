"""Pulls of knobs, and reach."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from belltone.cli.inputs import frequency, read_input, set_knobs
from belltone.cli.messages import warn
from belltone.cli.options import Format, FormatOption, Output, Settings, SheetPath
from belltone.cli.output import table, write
from belltone.cli.waiting import progress_shown
from belltone.exchange.pull_tables import pull_columns, pull_data, pull_rows
from belltone.exchange.tables import as_csv, as_json
from belltone.modes.solve import request_for, solve
from belltone.reading.family import evaluate
from belltone.sheet.document import read_sheet, write_sheet
from belltone.sheet.units import format_number
from belltone.sweep.plan import PlanError
from belltone.sweep.pool import start_workers
from belltone.tune.pull import pulls
from belltone.tune.reach import reach


def pull(
    sheet: SheetPath,
    settings: Settings = None,
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
    if not found:
        raise PlanError(
            "no knob can be turned: the sheet has none with a value of its own other than zero"
        )
    if form is Format.JSON:
        write(as_json(pull_data(found, design.knobs, solved.modes)), output)
        return
    factors = max(len(each.factors) for each in found.values())
    columns, rows = pull_columns(solved.modes, factors), pull_rows(found, design.knobs)
    if form is Format.CSV:
        write(as_csv(columns, rows), output)
    else:
        write(table(columns, rows) + "In percent, for one percent more of the knob.\n", output)


def reach_command(
    sheet: SheetPath,
    mode: Annotated[int, typer.Option(min=1, metavar="N", help="The mode's number now.")],
    target: Annotated[str, typer.Option(metavar="F", help="Where it shall stand: “55 Hz”.")],
    knob: Annotated[str, typer.Option(metavar="KNOB", help="The knob to turn.")],
    tolerance: Annotated[
        str | None, typer.Option(metavar="F", help="How near is near enough (0.01 % if left out).")
    ] = None,
    write: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Write the sheet with the knob set.")
    ] = None,
) -> None:
    """Find the knob value that brings a mode to a frequency."""
    source = read_sheet(sheet)
    warn(evaluate(source))
    with progress_shown(f"reach with {knob}") as progress, start_workers() as workers:
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
