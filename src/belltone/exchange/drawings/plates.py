"""Plates from drawings (DXF, SVG, tables of points): outline, holes, bend lines, what was found."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final

import numpy as np

from belltone.exchange.arrivals import Arrival, place_words, plural, quoted
from belltone.exchange.drawings.curves import (
    SAME,
    BendLine,
    DrawingError,
    Drawn,
    box_of,
    chained,
    contour_of,
    fewer_points,
    nested,
)
from belltone.exchange.drawings.dxf import dxf_layers, read_dxf
from belltone.exchange.drawings.folded import Bends, folded_parts
from belltone.exchange.drawings.plate_text import plate_lines, profile_text
from belltone.exchange.drawings.points import read_points, read_profile
from belltone.exchange.drawings.svg import read_svg, svg_layers
from belltone.geometry.shapes import Contour
from belltone.sheet.plain import plain_value
from belltone.sheet.units import DIMENSIONS, format_number

__all__ = ["PlateDrawing", "layers_of", "plate_arrival", "profile_arrival", "read_plate"]

_GAP: Final = 1e-4  # of the drawing's size; ends nearer than that meet


@dataclass(frozen=True)
class PlateDrawing:
    """Closed contours (m) about the middle of the outline, bend lines, and what was found."""

    outline: Contour
    holes: tuple[Contour, ...]
    found: tuple[str, ...]
    bends: tuple[BendLine, ...] = ()


def layers_of(path: Path) -> tuple[str, ...]:
    """Layers or named groups of a drawing; raises `DrawingError` and ``FileError``."""
    kind = path.suffix.lower()
    if kind == ".svg":
        return svg_layers(path)
    return dxf_layers(path) if kind == ".dxf" else ()


def read_plate(
    path: Path,
    unit: str | None = None,
    layers: Sequence[str] = (),
    gap: float | None = None,
) -> PlateDrawing:
    """The plate of a drawing: the contour round all others, and those as its holes.

    ``unit`` is that of a drawing that states none; only ``layers`` count, if any are named; ends
    within a ``gap`` (m) meet. Raises `DrawingError` and ``FileError``.
    """
    drawn = _drawn(path, unit, layers)
    notes = list(drawn.notes)
    joined, widest = chained(drawn.loose, _GAP * drawn.size if gap is None else gap)
    if widest > SAME * drawn.size:
        notes.append(f"gaps up to {format_number(widest * 1e3, 3)} mm are closed")
    contours = []
    for loop in (*drawn.loops, *joined):
        contour, told = fewer_points(contour_of(loop), drawn.size)
        contours.append(contour)
        notes += told
    outline, holes = nested(contours)
    low, high = box_of(outline)
    middle = 0.5 * (low + high)
    if np.linalg.norm(middle) > SAME * drawn.size:
        notes.append(
            f"the plate's origin is the middle of its outline, {place_words(middle)} of the drawing"
        )
    wide, tall = (format_number(float(each) * 1e3, 6) for each in high - low)
    notes.insert(0, f"a plate {wide} × {tall} mm with {plural(len(holes), 'hole')}")
    if drawn.bends:
        notes.append(f"{plural(len(drawn.bends), 'bend line')} on {_layers(drawn.bends)}")
    shifted = [each.moved(np.eye(2), -middle) for each in (outline, *holes)]
    bends = tuple(
        replace(
            bend,
            start=(bend.start[0] - middle[0], bend.start[1] - middle[1]),
            stop=(bend.stop[0] - middle[0], bend.stop[1] - middle[1]),
        )
        for bend in drawn.bends
    )
    return PlateDrawing(shifted[0], tuple(shifted[1:]), tuple(notes), bends)


def _drawn(path: Path, unit: str | None, layers: Sequence[str]) -> Drawn:
    kind = path.suffix.lower()
    if kind == ".dxf":
        return read_dxf(path, unit, layers)
    if kind == ".svg":
        return read_svg(path, unit, layers)
    if layers:
        raise DrawingError(f"“{path.name}” is a table of points, which has no layers")
    return read_points(path, unit)


def _layers(bends: Sequence[BendLine]) -> str:
    return ", ".join(f"“{layer}”" for layer in sorted({bend.layer for bend in bends}))


def profile_arrival(
    path: Path, choices: tuple[str, str], unit: str | None, thickness: str, material: str
) -> Arrival:
    """A shell of a table's profile: ``choices`` are its kind and, if drawn along x, its length.

    Raises `DrawingError` and ``FileError``.
    """
    kind, length = choices
    pieces, closed, told = read_profile(path, unit)
    lines = ["belltone = 1", f"title = {quoted(path.stem)}", "", "[knobs.thickness]"]
    lines += [f"value = {quoted(thickness)}", "", "[parts.shell]", f"kind = {quoted(kind)}"]
    lines += [f"material = {quoted(material)}", 'thickness = "thickness"']
    if kind == "extruded":
        lines.append(f"length = {quoted(length)}")
    if closed:
        lines.append("closed = true")
    lines.append(f"profile = {profile_text(pieces, closed)}")
    axes = "(y, z), drawn along x" if kind == "extruded" else "(radius, z), turned about z"
    return Arrival("\n".join(lines) + "\n", (told[0] + f", taken as {axes}", *told[1:]))


def plate_arrival(
    found: PlateDrawing, thickness: str, title: str, material: str, bends: Bends | None = None
) -> Arrival:
    """A sheet with the plate, folded along its bend lines; its thickness is a knob.

    ``bends`` say what bend layers leave open. Raises `DrawingError`, and ``ValueError`` of a
    thickness that is no length.
    """
    lines = ["belltone = 1", f"title = {quoted(title)}", "", "[knobs.thickness]"]
    lines += [f"value = {quoted(thickness)}", ""]
    holes = [(f"hole {number}", hole) for number, hole in enumerate(found.holes, start=1)]
    if not found.bends:
        wall = [f"material = {quoted(material)}", 'thickness = "thickness"']
        lines += plate_lines("plate", found.outline, holes, wall)
        return Arrival("\n".join(lines) + "\n", found.found)
    depth = plain_value(thickness, DIMENSIONS["length"])
    folded, told = folded_parts(
        found.outline, holes, found.bends, depth, material, bends or Bends()
    )
    return Arrival("\n".join([*lines, *folded]) + "\n", (*found.found, *told))
