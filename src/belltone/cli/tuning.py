"""Pulls of knobs, and reach."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Annotated, Final

import typer

from belltone.cli.inputs import frequency, read_input, set_knobs, share
from belltone.cli.messages import fail, note, warn
from belltone.cli.options import Format, FormatOption, Output, Settings, SheetPath
from belltone.cli.output import table, write
from belltone.cli.waiting import progress_shown
from belltone.design.values import TargetValue
from belltone.exchange.pull_tables import other_rows, pull_columns, pull_data, pull_rows
from belltone.exchange.tables import as_csv, as_json
from belltone.modes.solve import request_for, solve
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet, read_sheet, write_sheet
from belltone.sheet.plain import plain_value
from belltone.sheet.units import DIMENSIONS, format_number
from belltone.store.results import ResultStore, store_path
from belltone.sweep.plan import PlanError
from belltone.sweep.pool import start_workers
from belltone.tune.others import others
from belltone.tune.pull import pulls
from belltone.tune.reach import reach
from belltone.tune.together import reach_together, wanted_at, wanted_times

_TIMES: Final = re.compile(r"([^x×]+)[x×]\s*mode\s+(\d+)")


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
    modes: Annotated[
        list[int],
        typer.Option("--mode", min=1, metavar="N", help="The mode's number now; or several."),
    ],
    targets: Annotated[
        list[str],
        typer.Option(
            "--target",
            metavar="F",
            help="Where it shall stand: “55 Hz”, or “2.5 x mode 1”; one for each mode, in order.",
        ),
    ],
    knobs: Annotated[
        list[str],
        typer.Option(
            "--knob", metavar="KNOB", help="The knob to turn; of several the least change of all."
        ),
    ],
    tolerance: Annotated[
        str | None,
        typer.Option(metavar="F", help="How near is near enough, or a share (0.01 %)."),
    ] = None,
    apart: Annotated[
        str | None, typer.Option(metavar="P", help="How far all other modes keep off: “5 %”.")
    ] = None,
    write: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Write the sheet with the knob set.")
    ] = None,
) -> None:
    """Find the knob value that brings a mode to a frequency; of several knobs the least change.

    With several modes all of them are brought to their targets at once.
    """
    source = read_sheet(sheet)
    design = evaluate(source)
    warn(design)
    if len(modes) != len(targets):
        fail(f"{len(modes)} “--mode” and {len(targets)} “--target”; state one target for each mode")
    wanted = [
        _wanted(number, text, tolerance, apart) for number, text in zip(modes, targets, strict=True)
    ]
    only = wanted[0]
    in_steps = any(knob.allowed() for knob in design.knobs.values() if knob.name in knobs)
    if len(knobs) > 1 or len(wanted) > 1 or only.frequency is None or only.apart or in_steps:
        _reach_together(sheet, source, wanted, knobs, write)
        return
    ((knob,), (mode,)) = knobs, modes
    with start_workers() as workers, progress_shown(f"reach with {knob}") as progress:
        found = reach(source, mode, only.frequency, knob, workers, only.within, progress=progress)
    print(
        f"{knob} = {found.text}: mode {mode} stands at {format_number(found.frequency, 7)} Hz"
        + (f" (as mode {found.number})" if found.number != mode else "")
    )
    if found.others:
        print("also near " + ", ".join(found.knob.text(value) for value in found.others))
    if write is not None:
        write_sheet(found.sheet, write)
        print(f"written to {write}")


def _wanted(number: int, text: str, tolerance: str | None, apart: str | None) -> TargetValue:
    """Where a mode is wanted, from what was typed."""
    away = 0.0 if apart is None else share(apart)
    shared = None
    if tolerance is not None and tolerance.strip().endswith("%"):
        shared = share(tolerance)
    ratio = _TIMES.fullmatch(text.strip())
    if ratio is not None:
        if tolerance is not None and shared is None:
            fail(f"“{tolerance}” is no tolerance of a ratio; state a share, such as “0.5 %”")
        times = plain_value(ratio[1], DIMENSIONS["share"])
        return wanted_times(number, times, int(ratio[2]), shared, away)
    if "mode" in text:
        fail(f"“{text}” is no target; state a frequency, “55 Hz”, or a ratio, “2.5 x mode 1”")
    target, within = frequency(text), None
    if tolerance is not None:
        within = frequency(tolerance) if shared is None else shared * target
    return wanted_at(number, target, within, away)


def _reach_together(
    path: Path,
    source: Sheet,
    wanted: list[TargetValue],
    knobs: list[str],
    written: Path | None,
) -> None:
    with (
        ResultStore(store_path(path), note) as store,
        progress_shown(f"reach with {', '.join(knobs)}") as progress,
    ):
        found = reach_together(source, wanted, knobs, store, progress)
    best = found.cleared.best
    if not best.clear:
        reasons = "; ".join(found.cleared.binding)
        asked = " and ".join(f"mode {each.mode.place}" for each in wanted)
        does = "does" if len(wanted) == 1 else "do"
        fail(f"{asked} {does} not reach what is asked; nearest at {best.words}: {reasons}")
    for name, text in best.texts.items():
        print(f"{name} = {text}")
    for stands in found.stands:
        besides = f" ({stands.words})" if stands.words else ""
        print(f"mode {stands.asked} stands at {format_number(stands.frequency, 7)} Hz{besides}")
    if written is not None:
        write_sheet(best.sheet, written)
        print(f"written to {written}")
