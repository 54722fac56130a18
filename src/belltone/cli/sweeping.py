"""Sweeps: one knob, knobs in step, grids and tables of designs."""

from __future__ import annotations

import contextlib
from concurrent.futures import Executor
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from belltone.cli.inputs import may_write, read_input, share
from belltone.cli.messages import fail, note, warn
from belltone.cli.options import ErrorOption, ExactOption, Output, SheetPath
from belltone.cli.output import table, write
from belltone.cli.waiting import progress_shown
from belltone.design.values import Design
from belltone.exchange.sweep_tables import (
    DesignTable,
    best_row,
    failure_lines,
    margins_of,
    meeting_lines,
    survey_data,
    survey_table,
    sweep_data,
    sweep_table,
    sweep_words,
)
from belltone.exchange.tables import as_csv, as_json, percent
from belltone.exchange.workbooks import as_workbook, read_table
from belltone.files import write_bytes
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore, store_path
from belltone.sweep.cluster import cluster_workers
from belltone.sweep.plan import PlanError, SweepPlan, parse_plan
from belltone.sweep.pool import start_workers
from belltone.sweep.runner import run_sweep
from belltone.sweep.several import Plan, grid_plan, step_plan, table_plan
from belltone.sweep.survey import Survey, run_survey
from belltone.tune.clear import band_visits, clear_intervals
from belltone.tune.outputs import OUTPUTS, chosen, needs_solution, usual

_MOST_WORKERS = 256


class SweepFormat(StrEnum):
    """How sweeps are written."""

    TABLE = "table"
    CSV = "csv"
    JSON = "json"
    XLSX = "xlsx"


def sweep(
    sheet: SheetPath,
    over: Annotated[
        list[str] | None,
        typer.Option(
            "--over",
            metavar="KNOB=…",
            help="START:STOP:POINTS, such as “wall=2 mm:6 mm:41”, or values: “wall=2 mm, 3 mm”. "
            "Given twice or thrice: a grid.",
        ),
    ] = None,
    in_step: Annotated[
        bool, typer.Option("--in-step", help="Turn the knobs together instead of in a grid.")
    ] = False,
    designs: Annotated[
        Path | None,
        typer.Option(
            "--table",
            metavar="FILE",
            help="Designs from a CSV or XLSX file: a column for each knob, or place in the sheet.",
        ),
    ] = None,
    error: ErrorOption = "0.1 %",
    exact: ExactOption = False,
    outputs: Annotated[
        str | None,
        typer.Option(
            "--outputs",
            metavar="NAME,…",
            help=f"What is told beside frequencies: {', '.join(OUTPUTS)}.",
        ),
    ] = None,
    workers: Annotated[
        int | None,
        typer.Option(
            "--workers", metavar="N", min=1, max=_MOST_WORKERS, help="Processes that solve points."
        ),
    ] = None,
    scheduler: Annotated[
        str | None,
        typer.Option(
            "--scheduler",
            metavar="ADDRESS",
            help="Have the workers of a dask scheduler solve points, such as “tcp://host:8786”.",
        ),
    ] = None,
    form: Annotated[
        SweepFormat, typer.Option("--format", help="How to write the result.")
    ] = SweepFormat.TABLE,
    output: Output = None,
) -> None:
    """Sweep knobs: branches, bands met, and where every band is clear.

    Points are read off a model of a few solutions where it is within the error allowed. What
    only a solution tells, such as stress, has every point solved.
    """
    if form is SweepFormat.XLSX and output is None:
        fail("a workbook is written to a file: say which with -o FILE")
    source = read_input(sheet, output)
    if designs is not None:
        may_write(output, [designs])
    design = evaluate(source)
    warn(design)
    plan = _plan(source, design, over or [], in_step, designs)
    asked = None if outputs is None else chosen([name.strip() for name in outputs.split(",")])
    bound = None if exact or needs_solution(asked or ()) else share(error)
    told = usual(design, bound is not None) if asked is None else asked
    shown = ", ".join(
        [plan.knob] if isinstance(plan, SweepPlan) else [c.name for c in plan.columns]
    )
    with (
        ResultStore(store_path(sheet), note) as store,
        # Workers end in order before the program does, however the work under way was stopped.
        _workers(source, workers, scheduler) as pool,
        progress_shown(f"sweep of {shown}") as progress,
    ):
        if isinstance(plan, Plan):
            found = run_survey(source, plan, pool, store, progress, bound)
            _write_survey(found, design, told, form, output)
            return
        done = run_sweep(source, plan, pool, store, progress, bound)
        intervals = clear_intervals(done, design.bands, design.margin, pool, progress)
    visits = band_visits(done, design.bands, design.margin)
    if form is SweepFormat.JSON:
        write(as_json(sweep_data(done, design, intervals, visits, told)), output)
        return
    lines = []
    for visit in visits:
        how = "in the margin of" if visit.margin_only else "in"
        lines.append(
            f"branch {visit.branch} stands {how} “{visit.band}” from "
            f"{done.knob.text(visit.start, 4)} to {done.knob.text(visit.stop, 4)}"
        )
    lines += meeting_lines(done)
    clear = ", ".join(
        f"{done.knob.text(each.start, 5)} to {done.knob.text(each.stop, 5)}" for each in intervals
    )
    if design.bands:
        lines.append(f"clear intervals of {done.knob.name}: {clear or 'none'}")
    lines.append(f"largest error of any frequency: {percent(done.worst_error)}")
    lines.append(sweep_words(done.solutions, done.exact))
    _write(sweep_table(done, told), [*lines, *failure_lines(done)], form, output)


def _workers(
    source: Sheet, count: int | None, scheduler: str | None
) -> contextlib.AbstractContextManager[Executor]:
    """Who solves the points."""
    if scheduler is None:
        return start_workers(count)
    if count is not None:
        raise PlanError("“--workers” are processes here; of a scheduler all workers are taken")
    return cluster_workers(scheduler, source)


def _plan(
    source: Sheet, design: Design, over: list[str], in_step: bool, designs: Path | None
) -> SweepPlan | Plan:
    """What is asked for: one knob, several, or a table."""
    if designs is not None:
        if over:
            raise PlanError("a table says all that is turned; leave out “--over”, or the table")
        return table_plan(read_table(designs), source, design)
    if not over:
        raise PlanError("say what to sweep: “--over KNOB=START:STOP:POINTS”, or “--table FILE”")
    parts = [parse_plan(text, design) for text in over]
    if in_step:
        if len(parts) < 2:
            raise PlanError("“--in-step” needs two knobs or more: give “--over” again")
        return step_plan(parts, design)
    return parts[0] if len(parts) == 1 else grid_plan(parts, design)


def _write_survey(
    found: Survey, design: Design, told: tuple[str, ...], form: SweepFormat, output: Path | None
) -> None:
    if form is SweepFormat.JSON:
        write(as_json(survey_data(found, told)), output)
        return
    lines = []
    best = best_row(found)
    if design.bands and best is not None:
        row, margin = best
        clear = sum(own is not None and own >= design.margin for own in margins_of(found))
        lines.append(f"{clear} of {len(found.plan)} designs are clear of every band")
        standing = f"{percent(margin)} from the nearest band" if margin > 0 else "in a band still"
        lines.append(f"farthest from every band: {_named(found, row)}, {standing}")
    if found.loops:
        lines.append(
            f"{len(found.loops)} loops of neighbours do not close: two modes have one frequency "
            "about there, and change places on a way round it. The first lies between "
            f"{_named(found, found.loops[0][0])} and {_named(found, found.loops[0][2])}"
        )
    lines.append(f"largest error of any frequency: {percent(found.worst_error)}")
    lines.append(sweep_words(found.solutions, found.exact))
    if found.refusal:
        lines.append(f"no model, so every point was solved: {found.refusal}")
    _write(survey_table(found, told), lines, form, output)


def _named(found: Survey, row: int) -> str:
    """A design by what was set."""
    values = zip(found.plan.columns, found.plan.rows[row], strict=True)
    return ", ".join(
        f"{column.name} = {value:.6g} {column.unit}".strip()
        if isinstance(value, float)
        else f"{column.name} = {value}"
        for column, value in values
    )


def _write(found: DesignTable, lines: list[str], form: SweepFormat, output: Path | None) -> None:
    if form is SweepFormat.XLSX:
        assert output is not None
        write_bytes(as_workbook(found.heads, found.rows, "sweep"), output)
    elif form is SweepFormat.CSV:
        write(as_csv(found.heads, found.texts), output)
    else:
        write(table(found.heads, found.texts) + "".join(f"{line}\n" for line in lines), output)
