"""Sheets made of files that somebody sent."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from belltone.cli.inputs import may_write
from belltone.cli.messages import note
from belltone.cli.options import Output
from belltone.cli.output import write
from belltone.cli.waiting import progress_shown
from belltone.errors import UserError
from belltone.exchange.arriving import Choices, Kind, arrived, kind_of
from belltone.exchange.drawings.folded import Bends
from belltone.reading.family import evaluate
from belltone.sheet.document import read_sheet
from belltone.sheet.plain import plain_value
from belltone.sheet.units import DIMENSIONS

Material = Annotated[str, typer.Option("--material", help="One of the handbook, or of your own.")]
_STEEL = "structural steel"


def _begin(path: Path, choices: Choices, output: Path | None, *kinds: Kind) -> None:
    """Write the sheet of a file of one of some kinds, and tell what was found."""
    may_write(output, [path])
    kind = kind_of(path)
    if kind is not None and kind not in kinds:
        command = {Kind.DRAWING: "plate", Kind.POINTS: "plate"}.get(kind, kind.value)
        raise UserError(f"“{path.name}” is read by “belltone {command}”")
    folder = Path() if output is None else output.parent
    with progress_shown("reading") as progress:
        arrival, _ = arrived(path, choices, folder, progress)
    for line in arrival.lines:
        note(line)
    write(arrival.text, output)


def frame(
    table: Annotated[
        Path,
        typer.Argument(metavar="TABLE", help="Nodes (name, x, y, z) and members."),
    ],
    output: Output = None,
) -> None:
    """Make a sheet of a frame from a table of nodes and members (CSV)."""
    _begin(table, Choices(), output, Kind.FRAME)


def solids(
    part: Annotated[
        Path, typer.Argument(metavar="FILE", help="A STEP, IGES or BREP file of thin walls.")
    ],
    material: Material = _STEEL,
    output: Output = None,
) -> None:
    """Make a sheet of the thin-walled bodies and bars in a CAD file."""
    _begin(part, Choices(material=material), output, Kind.SOLIDS)


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
    sew: Annotated[
        str | None,
        typer.Option("--sew", metavar="LENGTH", help="Nodes of free edges so near become one."),
    ] = None,
    material: Material = _STEEL,
    output: Output = None,
) -> None:
    """Make a sheet of a mesh: its faces become walls, its lines members."""
    chosen = None if unit is None else unit.value
    choices = Choices(thickness, material, chosen, regions_by=by, sew=sew)
    _begin(file, choices, output, Kind.MESH)


class DrawingUnit(StrEnum):
    """Units of drawings that state none."""

    MM = "mm"
    CM = "cm"
    M = "m"
    INCH = "in"
    FOOT = "ft"


class BendWay(StrEnum):
    """Which way a flat pattern is bent."""

    UP = "up"
    DOWN = "down"


def plate(
    drawing: Annotated[
        Path,
        typer.Argument(metavar="DRAWING", help="A DXF or SVG drawing, or a table of points."),
    ],
    thickness: Annotated[
        str, typer.Option("--thickness", metavar="LENGTH", help="Such as “3 mm”; it is a knob.")
    ],
    material: Material = _STEEL,
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
    angle: Annotated[
        str, typer.Option("--bend-angle", help="Of bend lines whose layer states none.")
    ] = "90 deg",
    radius: Annotated[
        str | None,
        typer.Option("--bend-radius", help="Inside such a bend; the thickness if left out."),
    ] = None,
    way: Annotated[BendWay, typer.Option("--bend-way", help="Where such a bend goes.")] = (
        BendWay.UP
    ),
    output: Output = None,
) -> None:
    """Make a sheet of a plate from a drawing, folded along the lines of its bend layers."""
    bends = Bends(
        plain_value(angle, DIMENSIONS["angle"]),
        None if radius is None else plain_value(radius, DIMENSIONS["length"]),
        way is BendWay.UP,
    )
    chosen = None if unit is None else unit.value
    choices = Choices(thickness, material, chosen, tuple(layers or ()), gap, bends=bends)
    _begin(drawing, choices, output, Kind.DRAWING, Kind.POINTS)


class ProfileKind(StrEnum):
    """What a profile becomes."""

    EXTRUDED = "extruded"
    REVOLVED = "revolved"


def profile(
    table: Annotated[Path, typer.Argument(metavar="TABLE", help="A line of points (CSV).")],
    kind: Annotated[
        ProfileKind, typer.Option("--as", help="Drawn along x, or turned about the z axis.")
    ],
    thickness: Annotated[
        str, typer.Option("--thickness", metavar="LENGTH", help="Such as “3 mm”; it is a knob.")
    ],
    length: Annotated[
        str, typer.Option("--length", metavar="LENGTH", help="Along x, if it is drawn.")
    ] = "100 mm",
    material: Material = _STEEL,
    unit: Annotated[
        DrawingUnit | None, typer.Option("--unit", help="Of a table that states none.")
    ] = None,
    output: Output = None,
) -> None:
    """Make a sheet of a shell from the points of its profile."""
    chosen = None if unit is None else unit.value
    choices = Choices(thickness, material, chosen, becomes=kind.value, length=length)
    _begin(table, choices, output, Kind.POINTS)


def revise(
    sheet: Annotated[Path, typer.Argument(metavar="SHEET", help="The sheet, a TOML file.")],
    new: Annotated[Path, typer.Argument(metavar="FILE", help="The newer revision.")],
    old: Annotated[
        str | None,
        typer.Option("--in-place-of", metavar="NAME", help="The file it replaces, if several."),
    ] = None,
    output: Output = None,
) -> None:
    """Put a newer revision of a received file in, with supports, masses, joints and loads kept."""
    may_write(output, [sheet, new])
    from belltone.exchange.revisions import RevisionError, revisable, revised

    before = read_sheet(sheet)
    files = revisable(before, new)
    if old is None and len(files) != 1:
        known = ", ".join(f"“{each}”" for each in files) or "none"
        raise RevisionError(
            f"say which file “{new.name}” is a revision of, by “--in-place-of”; there is {known}"
        )
    with progress_shown("reading") as progress:
        found = revised(before, old or files[0], new, progress)
    folder = sheet.parent if output is None else output.parent
    moved = found.sheet.for_folder(folder)
    evaluate(moved)
    for line in found.told:
        note(line)
    write(moved.text, output)
