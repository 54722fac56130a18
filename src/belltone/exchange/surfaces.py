"""The component's surface as STL, PLY and OBJ, and its edges as DXF (all open formats)."""

from __future__ import annotations

import io
import math
from pathlib import Path
from typing import Any, Final

from vtkmodules.vtkFiltersCore import vtkTriangleFilter
from vtkmodules.vtkIOGeometry import vtkOBJWriter, vtkSTLWriter
from vtkmodules.vtkIOPLY import vtkPLYWriter

from belltone.design.parts import SurfaceValue
from belltone.design.values import Design
from belltone.drawing.drawn import DrawnComponent
from belltone.exchange.grids import surface_poly
from belltone.files import write_bytes, writing
from belltone.geometry.profiles import Arc
from belltone.geometry.shapes import Contour, ContourHole, Disc, Plate, Polygon, RoundHole

__all__ = ["LENGTHS", "flat_plate", "write_outline", "write_surface"]

LENGTHS: Final = {"mm": 1e3, "m": 1.0}
"""How many of a unit a metre is."""
_DXF_UNITS: Final = {"mm": 4, "m": 6}  # numbers of the format


def write_surface(design: Design, path: Path, unit: str = "mm") -> None:
    """Write the surface as triangles and quadrilaterals, as the ending of the path says.

    “.stl” (binary), “.ply” (binary) or “.obj”; lengths are in ``unit``, which is said in the file's
    comments. Walls are their middle surfaces. Raises ``OSError``.
    """
    poly = surface_poly(DrawnComponent(design, None), LENGTHS[unit])
    told = f"lengths in {unit}"
    kind = path.suffix.lower()
    writer: Any
    if kind == ".stl":
        triangles = vtkTriangleFilter()
        triangles.SetInputData(poly)
        triangles.Update()
        poly, writer = triangles.GetOutput(), vtkSTLWriter()
        writer.SetFileTypeToBinary()
        writer.SetHeader(f"Bell Tone, {told}")
    elif kind == ".ply":
        writer = vtkPLYWriter()
        writer.AddComment(told)
    else:
        writer = vtkOBJWriter()
    writer.SetInputData(poly)
    with writing(path) as place:
        writer.SetFileName(str(place))
        if not writer.Write():
            raise OSError(5, "the file could not be written", str(path))
        if kind == ".obj":
            place.write_bytes(f"# {told}\n".encode() + place.read_bytes())


def flat_plate(design: Design) -> SurfaceValue | None:
    """The plate a design consists of alone, whose outline lies in one plane."""
    plates = [part for part in design.surfaces if isinstance(part.shape, Plate)]
    return plates[0] if plates and len(design.solid_parts) == 1 else None


def write_outline(design: Design, path: Path, unit: str = "mm") -> None:
    """Write the edges as DXF, a layer for each part; raises ``OSError``.

    A plate alone is drawn in its own plane, by exact lines, arcs and circles; everything else by
    lines in space, in the sheet's axes.
    """
    # Loaded only where it is needed: it takes a while.
    import ezdxf

    drawing = ezdxf.new("R2010")  # type: ignore[attr-defined]
    drawing.header["$INSUNITS"] = _DXF_UNITS[unit]
    drawing.header["$MEASUREMENT"] = 1
    space, scale = drawing.modelspace(), LENGTHS[unit]
    plate = flat_plate(design)
    if plate is not None:
        drawing.layers.add(plate.name)
        assert isinstance(plate.shape, Plate)
        _draw_plate(space, plate.shape, scale, {"layer": plate.name})
    else:
        component = DrawnComponent(design, None)
        for name in component.solid:
            drawing.layers.add(name)
            for line in component.gathered("edges", [name]):
                points = component.points[line] * scale
                space.add_polyline3d(points.tolist(), dxfattribs={"layer": name})
    stream = io.StringIO()
    drawing.write(stream)
    write_bytes(stream.getvalue().encode(drawing.output_encoding, "dxfreplace"), path)


def _draw_plate(space: Any, plate: Plate, scale: float, on: dict[str, str]) -> None:
    outline = plate.outline
    if isinstance(outline, Disc):
        space.add_circle((0, 0), outline.radius * scale, dxfattribs=on)
        if outline.bore:
            space.add_circle((0, 0), outline.bore * scale, dxfattribs=on)
    elif isinstance(outline, Contour):
        _draw_contour(space, outline, scale, on)
    elif isinstance(outline, Polygon):
        corners = [(x * scale, y * scale) for x, y in outline.corners]
        space.add_lwpolyline(corners, close=True, dxfattribs=on)
    else:
        width, height, radius = outline.width, outline.height, outline.radius
        x, y, bent = (
            0.5 * width,
            0.5 * height,
            math.tan(math.pi / 8),
        )  # of a fourth of a turn's angle
        points = [
            (x, y - radius, bent),
            (x - radius, y, 0.0),
            (radius - x, y, bent),
            (-x, y - radius, 0.0),
            (-x, radius - y, bent),
            (radius - x, -y, 0.0),
            (x - radius, -y, bent),
            (x, radius - y, 0.0),
        ]
        scaled = [(scale * across, scale * up, bulge) for across, up, bulge in points]
        space.add_lwpolyline(scaled, format="xyb", close=True, dxfattribs=on)
    for hole in plate.holes:
        if isinstance(hole, RoundHole):
            x, y = hole.centre
            space.add_circle((x * scale, y * scale), hole.radius * scale, dxfattribs=on)
        elif isinstance(hole, ContourHole):
            _draw_contour(space, hole.rim, scale, on)
        else:
            space.add_lwpolyline((scale * hole.corners).tolist(), close=True, dxfattribs=on)


def _draw_contour(space: Any, contour: Contour, scale: float, on: dict[str, str]) -> None:
    """Lines and arcs as one closed line; the bulge of an arc is the tangent of a fourth of it."""
    points = []
    for segment in contour.segments:
        x, y = segment.start
        turn = segment.last - segment.first if isinstance(segment, Arc) else 0.0
        points.append((scale * x, scale * y, math.tan(turn / 4)))
    space.add_lwpolyline(points, format="xyb", close=True, dxfattribs=on)
