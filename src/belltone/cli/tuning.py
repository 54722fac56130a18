"""Turning a knob: sweeps, and reach."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from belltone.cli.inputs import frequency, read_input, set_knobs, share
from belltone.cli.messages import note, warn
from belltone.cli.options import Format, FormatOption, Output, Settings, SheetPath
from belltone.cli.output import table, write
from belltone.cli.waiting import progress_shown
from belltone.exchange.pull_tables import pull_columns, pull_data, pull_rows
from belltone.exchange.tables import (
    as_csv,
    as_json,
    failure_lines,
    percent,
    solved_words,
    sweep_data,
    sweep_rows,
)
from belltone.modes.solve import request_for, solve
from belltone.reading.family import evaluate
from belltone.sheet.document import read_sheet, write_sheet
from belltone.sheet.units import format_number
from belltone.store.results import ResultStore, store_path
from belltone.sweep.plan import PlanError, parse_plan
from belltone.sweep.pool import start_workers
from belltone.sweep.runner import run_sweep
from belltone.tune.clear import band_visits, clear_intervals
from belltone.tune.pull import pulls
from belltone.tune.reach import reach


def sweep(
    sheet: SheetPath,
    over: Annotated[
        list[str],
        typer.Option(
            "--over", metavar="KNOB=START:STOP:POINTS", help="Such as “wall=2 mm:6 mm:41”."
        ),
    ],
    error: Annotated[
        str,
        typer.Option(
            "--error",
            metavar="SHARE",
            help="How far frequencies may be from solved ones, such as “0.1 %”.",
        ),
    ] = "0.1 %",
    exact: Annotated[bool, typer.Option("--exact", help="Solve every point.")] = False,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """Sweep a knob: branches, bands met, and the knob's clear intervals.

    Points are read off a model of a few solutions where it is within the error allowed.
    """
    if len(over) > 1:
        raise typer.BadParameter("one knob at a time is swept so far", param_hint="--over")
    source = read_input(sheet, output)
    design = evaluate(source)
    warn(design)
    plan = parse_plan(over[0], design)
    bound = None if exact else share(error)
    with (
        ResultStore(store_path(sheet), note) as store,
        progress_shown(f"sweep of {plan.knob}") as progress,
        start_workers() as workers,
    ):
        done = run_sweep(source, plan, workers, store, progress, bound)
        intervals = clear_intervals(done, design.bands, design.margin, workers, progress)
    visits = band_visits(done, design.bands, design.margin)
    header, rows = sweep_rows(done)
    if form is Format.JSON:
        write(as_json(sweep_data(done, design, intervals, visits)), output)
    elif form is Format.CSV:
        write(as_csv(header, rows), output)
    else:
        lines = [table(header, rows)]
        for visit in visits:
            how = "in the margin of" if visit.margin_only else "in"
            lines.append(
                f"branch {visit.branch} stands {how} “{visit.band}” from "
                f"{done.knob.text(visit.start, 4)} to {done.knob.text(visit.stop, 4)}\n"
            )
        clear = ", ".join(
            f"{done.knob.text(each.start, 5)} to {done.knob.text(each.stop, 5)}"
            for each in intervals
        )
        if design.bands:
            lines.append(f"clear intervals of {done.knob.name}: {clear or 'none'}\n")
        lines.append(f"largest error of any frequency: {percent(done.worst_error)}\n")
        lines.append(f"{solved_words(done)}\n")
        lines += [f"{line}\n" for line in failure_lines(done)]
        write("".join(lines), output)


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
