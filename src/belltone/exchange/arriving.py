"""Files that somebody sent, by what they are: drawings, tables, CAD files, meshes."""

from __future__ import annotations

import os
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path
from typing import Final

from belltone.errors import UserError
from belltone.exchange.arrivals import Arrival
from belltone.exchange.drawings.folded import Bends
from belltone.exchange.drawings.points import holds_points
from belltone.files import FileError, read_text
from belltone.geometry.solids.kernel import ENDINGS as SOLID_ENDINGS
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.plain import plain_value
from belltone.sheet.units import DIMENSIONS

__all__ = ["ENDINGS", "Choices", "Kind", "arrived", "choices_in", "kind_of"]

_MESHES: Final = (
    ".vtu", ".vtk", ".stl", ".ply", ".obj", ".off", ".msh", ".inp", ".bdf", ".nas", ".fem", ".unv",
    ".med", ".xdmf", ".mesh", ".e", ".exo",
)  # fmt: skip
_DRAWINGS: Final = (".dxf", ".svg")
_TABLES: Final = (".csv", ".txt")
ENDINGS: Final = (*_DRAWINGS, *_TABLES, *SOLID_ENDINGS, *_MESHES)
"""What names of files a sheet can begin with end in."""
_MOST_TABLE: Final = 20_000_000


class Kind(StrEnum):
    """What a file can become."""

    DRAWING = "drawing"
    POINTS = "points"
    FRAME = "frame"
    SOLIDS = "solids"
    MESH = "mesh"


@dataclass(frozen=True)
class Choices:
    """What a file leaves open; what does not matter to its kind is not looked at.

    ``thickness``, ``gap``, ``sew`` and ``length`` with a unit; ``regions_by`` one of a mesh's data;
    a table of points ``becomes`` a plate, or an extruded (of a length) or revolved shell.
    """

    thickness: str = "1 mm"
    material: str = "structural steel"
    unit: str | None = None
    layers: tuple[str, ...] = ()
    gap: str | None = None
    regions_by: str | None = None
    sew: str | None = None
    becomes: str = "plate"
    length: str = "100 mm"
    bends: Bends = field(default_factory=Bends)


def kind_of(path: Path) -> Kind | None:
    """What a file is, by its name's ending, a table by its rows too; ``None``: nothing known."""
    ending = path.suffix.lower()
    if ending in _DRAWINGS:
        return Kind.DRAWING
    if ending in SOLID_ENDINGS:
        return Kind.SOLIDS
    if ending in _MESHES:
        return Kind.MESH
    if ending in _TABLES:
        try:
            text = read_text(path, _MOST_TABLE, "a table")
        except FileError:
            return Kind.FRAME  # reading it says what is wrong
        return Kind.POINTS if holds_points(text) else Kind.FRAME
    return None


def choices_in(path: Path) -> tuple[str, ...]:
    """Layers of a drawing, or data of a mesh that could tell regions; raises ``UserError``."""
    kind = kind_of(path)
    if kind is Kind.DRAWING:
        from belltone.exchange.drawings.plates import layers_of

        return layers_of(path)
    if kind is Kind.MESH:
        from belltone.exchange.mesh_sheets import mesh_choices

        return mesh_choices(path)
    return ()


def arrived(
    path: Path, choices: Choices, folder: Path | None, progress: Progress | None = None
) -> tuple[Arrival, Sheet]:
    """What a file becomes, and its sheet, read from a ``folder``; without one, from anywhere.

    Raises ``UserError`` with the file's name where it cannot become one.
    """
    kind = kind_of(path)
    if kind is None:
        raise UserError(
            f"“{path.name}” is none of the files a sheet can begin with: drawings (DXF, SVG), "
            "tables (CSV), CAD files (STEP, IGES, BREP) and meshes"
        )
    try:
        arrival = _READ[kind](path, choices, folder, progress or Progress())
        sheet = Sheet.from_text(arrival.text, folder)
        evaluate(sheet)
    except UserError as error:
        said = str(error)
        if path.name in said:
            raise
        raise UserError(f"“{path.name}”: {said}") from error
    return arrival, sheet


def _plate(path: Path, choices: Choices, _folder: Path | None, progress: Progress) -> Arrival:
    from belltone.exchange.drawings.plates import plate_arrival, profile_arrival, read_plate

    length = DIMENSIONS["length"]
    plain_value(choices.thickness, length)
    if choices.becomes != "plate":
        plain_value(choices.length, length)
        made = (choices.becomes, choices.length)
        return profile_arrival(path, made, choices.unit, choices.thickness, choices.material)
    gap = None if choices.gap is None else plain_value(choices.gap, length)
    found = read_plate(path, choices.unit, choices.layers, gap)
    progress.check()
    return plate_arrival(found, choices.thickness, path.stem, choices.material, choices.bends)


def _frame(path: Path, _choices: Choices, _folder: Path | None, _progress: Progress) -> Arrival:
    from belltone.exchange.frame_tables import frame_arrival

    return frame_arrival(read_text(path, _MOST_TABLE, "a table of nodes and members"), path.stem)


def _solids(path: Path, choices: Choices, folder: Path | None, progress: Progress) -> Arrival:
    from belltone.exchange.solid_sheets import solid_arrival
    from belltone.geometry.solids.received import read_received

    received = read_received(path, progress)
    progress.check()
    return solid_arrival(path, received, choices.material, folder, _name(path, folder))


def _mesh(path: Path, choices: Choices, folder: Path | None, progress: Progress) -> Arrival:
    from belltone.exchange.mesh_sheets import guessed_unit, mesh_arrival

    unit = choices.unit
    told: tuple[str, ...] = ()
    if unit is None:
        unit, words = guessed_unit(path)
        told = (words,)
    progress.check()
    return mesh_arrival(
        path,
        unit,
        choices.thickness,
        choices.material,
        folder,
        choices.regions_by,
        _name(path, folder),
        told,
        choices.sew,
    )


def _name(path: Path, folder: Path | None) -> str:
    """How a sheet in a folder names a file; by its whole path where the sheet has none."""
    if folder is None:
        return str(path.resolve())
    return os.path.relpath(path.resolve(), folder.resolve())


_READ: Final = {
    Kind.DRAWING: _plate,
    Kind.POINTS: _plate,
    Kind.FRAME: _frame,
    Kind.SOLIDS: _solids,
    Kind.MESH: _mesh,
}
