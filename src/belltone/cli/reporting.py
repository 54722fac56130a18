"""Reports, as one HTML file or a PDF of the same pages, and tables."""

from __future__ import annotations

from concurrent.futures import Executor, ThreadPoolExecutor
from contextlib import AbstractContextManager
from datetime import datetime
from pathlib import Path
from typing import Annotated, Final, get_args

import typer

from belltone.cli.inputs import read_input, set_places
from belltone.cli.messages import fail, note, warn
from belltone.cli.options import Settings, SheetPath
from belltone.cli.waiting import progress_shown
from belltone.drawing.display import prepare_display
from belltone.files import write_text
from belltone.modes.modeset import ModeSet
from belltone.sheet.model import REPORT_PARTS, ReportPart
from belltone.store.results import ResultStore, store_path

_SMALL: Final = 2_000  # unknowns; processes take as long to start as such a sweep
TABLE_NAMES: Final = ("modes", "one knob", "two knobs", "comparison", "crossings", "tolerances")


def report(
    sheet: SheetPath,
    output: Annotated[
        Path | None,
        typer.Option(
            "-o",
            "--output",
            metavar="FILE",
            help="Where to write: .html or .pdf; beside the sheet.",
        ),
    ] = None,
    parts: Annotated[
        str | None,
        typer.Option(
            "--parts",
            metavar="PART,…",
            help=f"What it holds, of: {', '.join(REPORT_PARTS)}; “all” is everything. Without it, "
            "as the sheet says.",
        ),
    ] = None,
    variants: Annotated[
        list[str] | None,
        typer.Option("--variant", metavar="NAME", help="Compare these pinned variants only."),
    ] = None,
    settings: Settings = None,
) -> None:
    """Write a report: the design, how it stands, every shape, and what it all rests on."""
    target = output if output is not None else sheet.with_suffix(".html")
    source = set_places(read_input(sheet, target), settings)
    if target.suffix.lower() not in (".html", ".pdf"):
        fail(f"“{target}” does not say how to write a report: its ending must be .html or .pdf")
    chosen = _chosen(parts)
    prepare_display()
    from belltone.compare.variants import read_variants, variants_path
    from belltone.exchange.gathered import gather, held, solved, usual_parts
    from belltone.exchange.report.html import as_html
    from belltone.exchange.report.sections import pages
    from belltone.reading.family import evaluate

    design = evaluate(source)
    warn(design)
    pinned = bool(read_variants(variants_path(sheet)))
    possible = held(source, design, pinned)
    quick = chosen is None and source.content.report.contents is None
    if chosen is None:
        chosen = usual_parts(source, design, pinned)
    elif parts != "all":
        for part in chosen:
            if part not in possible:
                note(f"“{part}” is left out: the sheet has nothing for it")
    chosen = tuple(part for part in chosen if part in possible)
    with ResultStore(store_path(sheet), note) as store:
        with progress_shown("solving") as progress:
            modes = solved(source, design, store, progress)
        with _workers(modes) as workers, progress_shown("report") as progress:
            found = gather(source, sheet, chosen, workers, store, progress, variants, quick)
            made = pages(found, progress, datetime.now())
            if target.suffix.lower() == ".pdf":
                from belltone.desk.printing import write_pdf  # Qt loads only when needed

                write_pdf(made, target)
            else:
                write_text(as_html(made), target)
    print(f"wrote {target}")


def _workers(modes: ModeSet) -> AbstractContextManager[Executor]:
    """Who solves points: processes, where that is worth their start."""
    if modes.unknowns < _SMALL:
        return ThreadPoolExecutor(1)
    from belltone.sweep.pool import start_workers

    return start_workers()


def _chosen(text: str | None) -> tuple[ReportPart, ...] | None:
    if text is None:
        return None
    if text == "all":
        return REPORT_PARTS
    names = [name.strip() for name in text.split(",") if name.strip()]
    for name in names:
        if name not in get_args(ReportPart):
            raise typer.BadParameter(
                f"a report has no part “{name}”; it may hold {', '.join(REPORT_PARTS)}, or “all”"
            )
    return tuple(part for part in REPORT_PARTS if part in names)


def tables_command(
    sheet: SheetPath,
    output: Annotated[
        Path, typer.Option("-o", "--output", metavar="FILE", help="Where to write: .xlsx or .csv.")
    ],
    names: Annotated[
        str,
        typer.Option("--what", metavar="TABLE,…", help="Of: " + ", ".join(TABLE_NAMES) + "."),
    ] = "modes",
    settings: Settings = None,
) -> None:
    """Write tables with numbers as numbers: modes, maps, variants, crossings, tolerances."""
    source = set_places(read_input(sheet, output), settings)
    if output.suffix.lower() not in (".xlsx", ".csv"):
        fail(f"“{output}” does not say how to write tables: its ending must be .xlsx or .csv")
    asked = [name.strip() for name in names.split(",") if name.strip()]
    for name in asked:
        if name not in TABLE_NAMES:
            raise typer.BadParameter(
                f"there is no table “{name}”; there are {', '.join(TABLE_NAMES)}"
            )
    from belltone.compare.variants import read_variants, variants_path
    from belltone.exchange.gathered import solved, tables_held, tables_of
    from belltone.exchange.handed_tables import write_tables
    from belltone.reading.family import evaluate

    design = evaluate(source)
    warn(design)
    possible = tables_held(source, design, bool(read_variants(variants_path(sheet))))
    there = [name for name in possible if name in asked]
    for name in asked:
        if name not in there:
            note(f"“{name}” is left out: the sheet has nothing for it")
    if not there:
        fail("none of these tables has anything in it")
    with ResultStore(store_path(sheet), note) as store:
        with progress_shown("solving") as progress:
            modes = solved(source, design, store, progress)
        with _workers(modes) as workers, progress_shown("tables") as progress:
            found = tables_of(source, sheet, there, workers, store, progress)
    write_tables(found, output)
    print(f"wrote {output}")
