"""Sheets made of something else."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from belltone.cli.inputs import may_write
from belltone.cli.messages import note
from belltone.cli.options import Output
from belltone.cli.output import write
from belltone.exchange.frame_tables import FrameTableError, frame_sheet, read_frame_table, unit_note
from belltone.files import read_text
from belltone.reading.family import evaluate
from belltone.sheet.document import MOST_BYTES, Sheet
from belltone.sheet.plain import plain_value
from belltone.sheet.units import DIMENSIONS


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


class DrawingUnit(StrEnum):
    """Units of drawings that state none."""

    MM = "mm"
    CM = "cm"
    M = "m"
    INCH = "in"
    FOOT = "ft"


def plate(
    drawing: Annotated[Path, typer.Argument(metavar="DRAWING", help="A DXF drawing.")],
    thickness: Annotated[
        str, typer.Option("--thickness", metavar="LENGTH", help="Such as “3 mm”; it is a knob.")
    ],
    material: Annotated[
        str, typer.Option("--material", help="One of the handbook, or of your own.")
    ] = "structural steel",
    unit: Annotated[
        DrawingUnit | None, typer.Option("--unit", help="Of a drawing that states none.")
    ] = None,
    layers: Annotated[
        list[str] | None,
        typer.Option("--layer", metavar="LAYER", help="Only these layers; may be given again."),
    ] = None,
    gap: Annotated[
        str | None,
        typer.Option(
            "--gap", metavar="LENGTH", help="Ends so near meet; a ten-thousandth if left out."
        ),
    ] = None,
    output: Output = None,
) -> None:
    """Make a sheet of a plate from the outline and holes of a drawing (DXF)."""
    may_write(output, [drawing])
    plain_value(thickness, DIMENSIONS["length"])
    from belltone.exchange.plate_drawings import DrawingError, plate_sheet, read_plate

    try:
        width = None if gap is None else plain_value(gap, DIMENSIONS["length"])
        found = read_plate(drawing, None if unit is None else unit.value, layers or (), width)
        sheet = Sheet.from_text(plate_sheet(found, thickness, drawing.stem, material))
        evaluate(sheet)
    except DrawingError as error:
        raise DrawingError(f"{drawing}: {error}") from error
    for line in found.found:
        note(line)
    write(sheet.text, output)
