"""Clearing the bands, and what tolerances do."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from belltone.cli.inputs import may_write, read_input, share
from belltone.cli.messages import note, warn
from belltone.cli.options import Format, FormatOption, Output, SheetPath
from belltone.cli.output import table, write
from belltone.cli.waiting import progress_shown
from belltone.exchange.tables import as_csv, as_json
from belltone.exchange.tuning_tables import (
    cleared_data,
    cleared_lines,
    spread_columns,
    spread_rows,
    tolerance_data,
    tolerance_lines,
)
from belltone.reading.family import evaluate
from belltone.sheet.document import write_sheet
from belltone.store.results import ResultStore, store_path
from belltone.tune.clearing import CONDITIONS, clear
from belltone.tune.conditions import parse_condition
from belltone.tune.search import Aim
from belltone.tune.tolerances import tolerances


class ClearFormat(StrEnum):
    """How proposals are written."""

    TABLE = "table"
    JSON = "json"


def clear_command(
    sheet: SheetPath,
    knobs: Annotated[
        list[str] | None,
        typer.Option("--knob", metavar="KNOB", help="A knob that may be turned; all if left out."),
    ] = None,
    least: Annotated[
        Aim, typer.Option("--least", help="What is to be least; of the margin the most is wanted.")
    ] = Aim.CHANGE,
    keep: Annotated[
        list[str] | None,
        typer.Option(
            "--keep",
            metavar="CONDITION",
            help=f"Such as “mass < 18 kg”; on {', '.join(CONDITIONS)}.",
        ),
    ] = None,
    spare: Annotated[
        list[str] | None,
        typer.Option(
            "--spare", metavar="KIND", help="Modes that may stand in bands, such as “twist”."
        ),
    ] = None,
    margins: Annotated[
        str | None,
        typer.Option(
            "--margins", metavar="SHARE,…", help="Also tell what other margins would cost."
        ),
    ] = None,
    written: Annotated[
        Path | None, typer.Option("--write", metavar="FILE", help="Write the sheet proposed.")
    ] = None,
    form: Annotated[
        ClearFormat, typer.Option("--format", help="How to write the result.")
    ] = ClearFormat.TABLE,
    output: Output = None,
) -> None:
    """Turn knobs as little as may be until no mode stands in a band and every target is met.

    What is called clear was solved, with all its modes counted. Ends with 1 where nothing is.
    """
    source = read_input(sheet, output)
    may_write(written, [])
    design = evaluate(source)
    warn(design)
    names = knobs or [name for name, knob in design.knobs.items() if knob.literal]
    conditions = [parse_condition(text, CONDITIONS) for text in keep or []]
    shares = [share(text) for text in (margins or "").split(",") if text.strip()]
    with (
        ResultStore(store_path(sheet), note) as store,
        progress_shown(f"clear with {', '.join(names)}") as progress,
    ):
        found = clear(
            source,
            names,
            least,
            conditions,
            spare or [],
            store=store,
            progress=progress,
            margins=shares,
        )
    if form is ClearFormat.JSON:
        write(as_json(cleared_data(found)), output)
    else:
        write("".join(f"{line}\n" for line in cleared_lines(found)), output)
    if written is not None:
        write_sheet(found.best.sheet, written)
        print(f"written to {written}")
    if not found.best.clear:
        raise typer.Exit(1)


def tolerance_command(
    sheet: SheetPath,
    samples: Annotated[
        int, typer.Option("--samples", metavar="N", min=100, max=1_000_000, help="Designs drawn.")
    ] = 10_000,
    seed: Annotated[
        int, typer.Option("--seed", metavar="N", min=0, help="Another draw for another number.")
    ] = 0,
    form: FormatOption = Format.TABLE,
    output: Output = None,
) -> None:
    """What the tolerances of knobs do: spreads, chances of bands, and which knob is to blame."""
    source = read_input(sheet, output)
    warn(evaluate(source))
    with (
        ResultStore(store_path(sheet), note) as store,
        progress_shown("tolerances") as progress,
    ):
        found = tolerances(source, samples, seed, store, progress)
    if form is Format.JSON:
        write(as_json(tolerance_data(found)), output)
        return
    columns = spread_columns(found)
    if form is Format.CSV:
        write(as_csv(columns, spread_rows(found)), output)
        return
    lines = "".join(f"{line}\n" for line in tolerance_lines(found))
    write(table(columns, spread_rows(found)) + lines, output)
