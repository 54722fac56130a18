"""The window, opened from the command line."""

from __future__ import annotations

import gc
from pathlib import Path
from typing import Annotated

import typer

from belltone.cli.leaving import leave_on_interrupt
from belltone.sheet.demo import demo_sheet


def desk(
    sheet: Annotated[
        Path | None, typer.Argument(metavar="[SHEET]", help="A sheet, or a file to begin with.")
    ] = None,
) -> None:
    """Open the window."""
    _open_window(sheet)


def demo(
    picture: Annotated[
        Path | None,
        typer.Option(metavar="FILE", help="No window: print the frequencies, draw it to a PNG."),
    ] = None,
) -> None:
    """Open the window with the demo sheet, the infeed rail of a bottling line."""
    path = demo_sheet()
    if picture is None:
        _open_window(path)
        return
    from belltone.cli.output import mode_notes, table, write
    from belltone.exchange.tables import MODE_COLUMNS, mode_rows
    from belltone.modes.solve import request_for, solve_modes
    from belltone.reading.family import evaluate
    from belltone.sheet.document import read_sheet

    design = evaluate(read_sheet(path))
    found = solve_modes(design, request_for(design))
    notes = mode_notes(found, design.accuracy)
    write(table(MODE_COLUMNS, mode_rows(found, design)) + notes, None)

    from belltone.desk.app import draw_picture  # the window's libraries load only when needed

    draw_picture(path, picture)
    print(f"the window's picture is in {picture}")


def _open_window(path: Path | None) -> None:
    # What is loaded stays; to look through it for garbage again and again takes a while.
    gc.disable()
    leave_on_interrupt()  # until the window answers itself
    from belltone.sweep.pool import forkserver

    forkserver()  # what answers loads beside the window's libraries, which load only when needed
    from belltone.desk.starting import run_desk

    raise typer.Exit(run_desk(path))
