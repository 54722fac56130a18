"""Sheets made of something else."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from belltone.cli.inputs import may_write
from belltone.cli.messages import note
from belltone.cli.options import Output
from belltone.cli.output import write
from belltone.exchange.frame_tables import FrameTableError, frame_sheet, read_frame_table, unit_note
from belltone.files import read_text
from belltone.sheet.document import MOST_BYTES, Sheet


def frame(
    table: Annotated[
        Path,
        typer.Argument(metavar="TABLE", help="Nodes (name, x, y, z) and members."),
    ],
    output: Output = None,
) -> None:
    """Make a sheet of a frame from a table of nodes and members (CSV)."""
    may_write(output, [table])
    try:
        text = read_text(table, MOST_BYTES, "a table of nodes and members")
        frame_table = read_frame_table(text)
        if unit_note(frame_table):
            note(unit_note(frame_table))
        sheet = Sheet.from_text(frame_sheet(frame_table, table.stem))
    except FrameTableError as error:
        raise FrameTableError(f"{table}: {error}") from error
    write(sheet.text, output)
