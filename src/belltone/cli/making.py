"""Sheets made of something else."""

from __future__ import annotations

import os
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from belltone.cli.inputs import may_write
from belltone.cli.messages import note
from belltone.cli.options import Output
from belltone.cli.output import write
from belltone.cli.waiting import progress_shown
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


def solids(
    part: Annotated[
        Path, typer.Argument(metavar="FILE", help="A STEP, IGES or BREP file of thin walls.")
    ],
    material: Annotated[
        str, typer.Option("--material", help="One of the handbook, or of your own.")
    ] = "structural steel",
    output: Output = None,
) -> None:
    """Make a sheet of the thin-walled bodies and bars in a CAD file."""
    may_write(output, [part])
    from belltone.exchange.solid_sheets import solid_arrival
    from belltone.geometry.solids.received import read_received

    with progress_shown("reading the bodies") as progress:
        received = read_received(part, progress)
    folder = Path() if output is None else output.parent
    file = os.path.relpath(part, folder)
    arrival = solid_arrival(part, received, material, folder, file)
    evaluate(Sheet.from_text(arrival.text, folder))
    for line in arrival.lines:
        note(line)
    write(arrival.text, output)


class MeshUnit(StrEnum):
    """Units of mesh files, which state none."""

    MM = "mm"
    CM = "cm"
    M = "m"
    INCH = "in"


def mesh(
    file: Annotated[Path, typer.Argument(metavar="FILE", help="A mesh of faces and lines.")],
    thickness: Annotated[
        str, typer.Option("--thickness", metavar="LENGTH", help="Of the walls; it is a knob.")
    ] = "1 mm",
    unit: Annotated[
        MeshUnit | None, typer.Option("--unit", help="What the file counts in; else a likely one.")
    ] = None,
    by: Annotated[
        str | None,
        typer.Option("--regions-by", metavar="NAME", help="Data of the cells that tell regions."),
    ] = None,
    material: Annotated[
        str, typer.Option("--material", help="One of the handbook, or of your own.")
    ] = "structural steel",
    output: Output = None,
) -> None:
    """Make a sheet of a mesh: its faces become walls, its lines members."""
    may_write(output, [file])
    plain_value(thickness, DIMENSIONS["length"])
    from belltone.exchange.mesh_sheets import guessed_unit, mesh_arrival

    folder = Path() if output is None else output.parent
    words = ""
    chosen = "" if unit is None else unit.value
    if unit is None:
        chosen, words = guessed_unit(file)
        words = f"in doubt: {words}; “--unit” says otherwise"
    name = os.path.relpath(file, folder)
    arrival = mesh_arrival(file, chosen, thickness, material, folder, by, name)
    evaluate(Sheet.from_text(arrival.text, folder))
    for line in (*arrival.lines, *([words] if words else ())):
        note(line)
    write(arrival.text, output)


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
