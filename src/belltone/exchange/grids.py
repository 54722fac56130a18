"""The component's surface with its modes or its loaded state, as VTU files (the open XML format).

Lengths are in m. Every array's name says what it is and its unit; amplitudes of modes are relative.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Final
from xml.sax.saxutils import quoteattr

import numpy as np
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkPolyData, vtkUnstructuredGrid
from vtkmodules.vtkIOXML import vtkXMLUnstructuredGridWriter

from belltone.design.values import Design
from belltone.drawing.drawn import DrawnComponent
from belltone.drawing.glyphs import cells
from belltone.files import write_text, writing
from belltone.modes.base_state import MEMBER_FORCES, WALL_FORCES, BaseState
from belltone.modes.modeset import ModeSet
from belltone.sheet.units import format_number
from belltone.sweep.runner import Sweep

__all__ = [
    "mode_title",
    "series_files",
    "surface_faces",
    "surface_poly",
    "write_shape_series",
    "write_shapes",
    "write_state",
    "write_surface_grid",
]

Array = NDArray[np.float64]
IndexArray = NDArray[np.int64]

_TRIANGLE: Final = 5  # VTK's numbers of cell types
_QUAD: Final = 9


def mode_title(modes: ModeSet, index: int) -> str:
    """What a mode is called in a file: its number, frequency and kind."""
    mode = modes.mode(index)
    if mode.rigid:
        return f"rigid {index + 1}, {mode.kind}"
    return f"mode {mode.number:02d}, {format_number(mode.frequency, 5)} Hz, {mode.kind}"


def surface_faces(component: DrawnComponent) -> list[IndexArray]:
    """Triangles and quadrilaterals of all parts as numbers of its points, ``(faces, 3 or 4)``.

    A quadrilateral that repeats a corner is a triangle.
    """
    found: list[IndexArray] = []
    for group in component.gathered("faces", component.solid):
        if group.shape[1] == 4:
            short = group[:, 2] == group[:, 3]
            found += [group[short][:, :3], group[~short]]
        else:
            found.append(group)
    return [group for group in found if len(group)]


def surface_poly(component: DrawnComponent, scale: float = 1.0) -> vtkPolyData:
    """The surface for VTK, lengths times ``scale``."""
    poly = vtkPolyData()
    poly.SetPoints(_points(component.points * scale))
    poly.SetPolys(cells(surface_faces(component)))
    return poly


def write_surface_grid(design: Design, path: Path) -> None:
    """Write the surface of a design as it is made; raises ``OSError``."""
    _write(DrawnComponent(design, None), {}, {}, path)


def write_shapes(
    design: Design, modes: ModeSet, path: Path, names: Sequence[str] | None = None
) -> None:
    """Write all mode shapes of a design, each a vector at the points; raises ``OSError``.

    A whirling mode has a second vector, a quarter of a period later. Frequencies, their relative
    errors and the modes' numbers are field data. ``names`` are what to call the modes.
    """
    component = DrawnComponent(design, modes)
    fields: dict[str, Array] = {}
    for index in range(len(modes)):
        name = mode_title(modes, index) if names is None else names[index]
        if not name:
            continue
        moved = component.moved(modes.part_shapes(index))
        largest = float(np.linalg.norm(moved, axis=1).max()) or 1.0
        fields[f"{name} (relative)"] = moved / largest
        if modes.lagging is not None and modes.waves[index]:
            behind = component.moved(modes.by_part(modes.lagging[index]))
            fields[f"{name}, a quarter period later (relative)"] = behind / largest
        if names is None and not modes.mode(index).rigid:
            density = component.spread(modes.part_densities(index))
            fields[f"{name}, strain energy by size (relative)"] = density
            density = component.spread(modes.part_motion_densities(index))
            fields[f"{name}, kinetic energy by size (relative)"] = density
    told = {
        "frequency (Hz)": modes.frequencies,
        "error of the frequency (relative)": modes.errors,
        "number of the mode": np.array([mode.number for mode in modes.modes()], float),
        "mass (kg)": np.array([modes.mass]),
    }
    _write(component, fields, told, path)


def write_state(design: Design, modes: ModeSet, base: BaseState, path: Path) -> None:
    """Write the loaded state: displacements in m, stresses in Pa, resultants; ``OSError``.

    Displacements are real ones, buckling shapes relative.
    """
    component = DrawnComponent(design, modes)

    def spread(values: Array) -> Array:
        return component.spread(modes.by_part(values))

    fields = {"displacement (m)": component.moved(modes.by_part(base.displacements))}
    fields["von Mises stress (Pa)"] = spread(base.equivalent)
    walls = {part.name: part.is_wall for part in design.parts}
    on_wall = np.concatenate(
        [
            np.full(count, walls[name])
            for name, count in zip(modes.part_names, modes.point_counts, strict=True)
        ]
    )
    for names, units, here in (
        (MEMBER_FORCES, ("N", "N", "N", "N m", "N m", "N m"), ~on_wall),
        (WALL_FORCES, ("N/m", "N/m", "N/m", "N", "N", "N"), on_wall),
    ):
        if here.any():
            for column, (name, unit) in enumerate(zip(names, units, strict=True)):
                values = np.where(here, base.forces[:, column], 0.0)
                fields[f"{name} ({unit})"] = spread(values)
    for number, shape in enumerate(base.shapes):
        moved = component.moved(modes.by_part(shape))
        largest = float(np.linalg.norm(moved, axis=1).max()) or 1.0
        title = f"buckling shape {number + 1}, {base.factor_words(number, 5)} (relative)"
        fields[title] = moved / largest
    told = {"buckling factor": np.array(base.factors)} if base.factors else {}
    _write(component, fields, told, path)


def series_files(path: Path, count: int) -> list[Path]:
    """The files of a series of so many points, the list of them last."""
    digits = len(str(count))
    numbered = [path.with_name(f"{path.stem}-{at:0{digits}d}.vtu") for at in range(1, count + 1)]
    return [*numbered, path]


def write_shape_series(sweep: Sweep, designs: Sequence[Design | None], path: Path) -> list[Path]:
    """Write a sweep's shapes: a file for each point and a PVD file that lists them by the knob.

    Shapes are called by their branch, so that a viewer follows one through all points. Returns
    all that was written, the list last; raises ``OSError``.
    """
    written: list[Path] = []
    entries: list[str] = []
    files = series_files(path, len(sweep.values))
    for at, (found, design) in enumerate(zip(sweep.sets, designs, strict=True)):
        if not isinstance(found, ModeSet) or design is None:
            continue
        names = [""] * len(found)
        for number, branch in enumerate(sweep.branches, start=1):
            if branch.places[at] >= 0:
                place = found.rigid_count + branch.places[at]
                names[place] = f"branch {number:02d}, {branch.kind}"
        write_shapes(design, found, files[at], names)
        written.append(files[at])
        entries.append(
            f'    <DataSet timestep="{float(sweep.values[at])!r}" part="0" '
            f"file={quoteattr(files[at].name)}/>"
        )
    unit = sweep.knob.unit or "no unit"
    lines = [
        '<?xml version="1.0" encoding="utf-8"?>',
        f"<!-- timestep is {sweep.knob.name}, in {unit} -->",
        '<VTKFile type="Collection" version="0.1" byte_order="LittleEndian">',
        "  <Collection>",
        *entries,
        "  </Collection>",
        "</VTKFile>",
    ]
    write_text("\n".join(lines) + "\n", path)
    return [*written, path]


def _points(places: Array) -> vtkPoints:
    points = vtkPoints()
    points.SetDataTypeToDouble()
    points.SetData(numpy_to_vtk(np.ascontiguousarray(places), deep=True))
    return points


def _write(
    component: DrawnComponent,
    fields: Mapping[str, Array],
    values_of_all: Mapping[str, Array],
    path: Path,
) -> None:
    groups = surface_faces(component)
    grid = vtkUnstructuredGrid()
    grid.SetPoints(_points(component.points))
    types = [
        np.full(len(group), _QUAD if group.shape[1] == 4 else _TRIANGLE, np.uint8)
        for group in groups
    ]
    grid.SetCells(numpy_to_vtk(np.concatenate(types), deep=True), cells(groups))
    for name, values in fields.items():
        array = numpy_to_vtk(np.ascontiguousarray(values, dtype=np.float32), deep=True)
        array.SetName(name)
        grid.GetPointData().AddArray(array)
    part = numpy_to_vtk(
        np.concatenate(
            [
                np.full(len(each.points), at)
                for at, each in enumerate(component.parts.values(), start=1)
            ]
        ).astype(np.int32),
        deep=True,
    )
    part.SetName("part")
    grid.GetPointData().AddArray(part)
    for name, values in values_of_all.items():
        array = numpy_to_vtk(np.ascontiguousarray(values, dtype=np.float64), deep=True)
        array.SetName(name)
        grid.GetFieldData().AddArray(array)
    writer = vtkXMLUnstructuredGridWriter()
    writer.SetInputData(grid)
    with writing(path) as place:
        writer.SetFileName(str(place))
        if not writer.Write():
            raise OSError(5, "the file could not be written", str(path))
        parts = ", ".join(
            f"part {at} is {name}" for at, name in enumerate(component.parts, start=1)
        )
        told = f"coordinates in m, in the sheet's axes; {parts}".replace("--", "—")
        head, _, rest = place.read_bytes().partition(b"\n")
        place.write_bytes(head + f"\n<!-- {told} -->\n".encode() + rest)
