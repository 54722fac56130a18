"""The surface of a component with the lines on it, drawn where its points are now."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk
from vtkmodules.vtkCommonCore import vtkFloatArray, vtkLookupTable, vtkPoints
from vtkmodules.vtkCommonDataModel import vtkPlane, vtkPolyData
from vtkmodules.vtkFiltersCore import vtkContourFilter
from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper

from belltone.drawing.colours import Palette, rgb
from belltone.drawing.drawn import DrawnComponent
from belltone.drawing.glyphs import cells, in_front, line_actor
from belltone.drawing.options import SceneOptions

__all__ = ["Skin"]

Array = NDArray[np.float64]

_QUIET: Final = 0.04  # of the largest motion
_FAINT: Final = 0.22  # opacity of what is see-through


class Skin:
    """What is drawn of a component itself: faces, edges, its shape at rest, nodal lines.

    ``points`` (points, 3) are where everything is drawn, ``values`` (points,) what colours stand
    for, from 0 to 1. Both are written in place from frame to frame.
    """

    def __init__(self, part: DrawnComponent, palette: Palette, table: vtkLookupTable) -> None:
        self._part = part
        self.points = np.ascontiguousarray(part.points, dtype=np.float32)
        self.values = np.zeros(len(self.points), dtype=np.float32)
        self._signed = np.zeros(len(self.points), dtype=np.float32)
        self._vtk_points = vtkPoints()
        self._vtk_points.SetData(numpy_to_vtk(self.points, deep=False))
        self._vtk_values: vtkFloatArray = numpy_to_vtk(self.values, deep=False)
        self._mappers: list[vtkPolyDataMapper] = []
        self.actors: list[vtkActor] = []
        self.solid, self.faint = self._faces(table, 1.0), self._faces(table, _FAINT)
        self._add_lines(palette)
        self._add_nodal_lines(palette)

    # -- building -------------------------------------------------------------------------------

    def _faces(self, table: vtkLookupTable, opacity: float) -> vtkPolyData:
        poly = self._on(self._vtk_points)
        poly.GetPointData().SetScalars(self._vtk_values)
        mapper = vtkPolyDataMapper()
        mapper.SetInputData(poly)
        mapper.SetLookupTable(table)
        mapper.SetScalarRange(0.0, 1.0)
        self._mappers.append(mapper)
        actor = vtkActor()
        actor.SetMapper(mapper)
        if self._part.only_members:
            actor.GetProperty().SetInterpolationToFlat()
        actor.GetProperty().SetAmbient(0.35)
        actor.GetProperty().SetDiffuse(0.7)
        actor.GetProperty().SetOpacity(opacity)
        self.actors.append(actor)
        return poly

    def _add_lines(self, palette: Palette) -> None:
        """Real edges, those of parts outlined, lines between elements, and the shape at rest."""
        resting = vtkPoints()
        self._rest = np.ascontiguousarray(self._part.points, dtype=np.float32).copy()
        resting.SetData(numpy_to_vtk(self._rest, deep=False))
        self._edges, self._lit, self._mesh = (self._on(self._vtk_points) for _ in range(3))
        self._resting = self._on(resting)
        edges = line_actor(self._edges, palette.ink, 1.2, 0.65)
        lit = line_actor(self._lit, palette.live, 3.5, 0.9)
        self._mesh_actor = line_actor(self._mesh, palette.ink, 0.8, 0.35)
        self._rest_actor = line_actor(self._resting, palette.muted, 0.8, 0.45)
        self.actors += [edges, lit, self._mesh_actor, self._rest_actor]
        self._line_mappers = [edges.GetMapper(), self._mesh_actor.GetMapper()]

    def _add_nodal_lines(self, palette: Palette) -> None:
        """Along these lines sand would come to lie on a plate that rings in this mode."""
        self._vtk_signed: vtkFloatArray = numpy_to_vtk(self._signed, deep=False)
        self._vtk_signed.SetName("signed")
        self._nodal = self._on(self._vtk_points)
        self._nodal.GetPointData().AddArray(self._vtk_signed)
        contour = vtkContourFilter()
        contour.SetInputData(self._nodal)
        contour.SetInputArrayToProcess(0, 0, 0, 0, "signed")
        contour.SetValue(0, 0.0)
        contour.ComputeScalarsOff()
        contour.ComputeNormalsOff()
        mapper = vtkPolyDataMapper()
        mapper.SetInputConnection(contour.GetOutputPort())
        mapper.ScalarVisibilityOff()
        in_front(mapper)
        self._nodal_actor = vtkActor()
        self._nodal_actor.SetMapper(mapper)
        self._nodal_actor.GetProperty().SetColor(*rgb(palette.nodal))
        self._nodal_actor.GetProperty().SetLineWidth(2.4)
        self._nodal_actor.GetProperty().SetLighting(False)
        self.actors.append(self._nodal_actor)
        self._line_mappers.append(mapper)

    @staticmethod
    def _on(points: vtkPoints) -> vtkPolyData:
        poly = vtkPolyData()
        poly.SetPoints(points)
        return poly

    # -- what is seen ---------------------------------------------------------------------------

    def use(self, table: vtkLookupTable) -> None:
        """Take other colours for the values."""
        for mapper in self._mappers:
            mapper.SetLookupTable(table)

    def show(self, options: SceneOptions) -> None:
        """Show what is to be seen of the parts, but for nodal lines."""
        self._mesh_actor.SetVisibility(options.mesh)
        self._rest_actor.SetVisibility(options.clutter)
        hidden, faint = options.hidden, options.faint
        seen, through = self._solid_parts(options), self._faint_parts(options)
        self.solid.SetPolys(cells(self._part.faces_seen(seen, hidden | faint)))
        faces = self._part.faces_seen(through, hidden)
        faces += self._part.faces_seen(seen, faint - hidden, only=True)
        self.faint.SetPolys(cells(faces))
        for poly, what, names in (
            (self._edges, "edges", [*seen, *through]),
            (self._resting, "edges", [*seen, *through]),
            (self._mesh, "mesh_lines", seen),
            (self._lit, "edges", options.lit),
        ):
            poly.SetLines(cells([line[None] for line in self._part.gathered(what, names)]))
            poly.Modified()

    def show_nodal(self, visible: bool) -> None:
        """Draw nodal lines, where there are any, or none."""
        self._nodal_actor.SetVisibility(visible and not self._part.only_members)

    def _solid_parts(self, options: SceneOptions) -> list[str]:
        return [name for name in self._part.parts if name not in options.hidden | options.faint]

    def _faint_parts(self, options: SceneOptions) -> list[str]:
        return [name for name in self._part.parts if name in options.faint]

    def cut(self, plane: vtkPlane | None) -> None:
        """Take away what lies before a plane."""
        for mapper in (*self._mappers, *self._line_mappers):
            mapper.RemoveAllClippingPlanes()
            if plane is not None:
                mapper.AddClippingPlane(plane)

    # -- motion ---------------------------------------------------------------------------------

    def find_nodal(self, options: SceneOptions, displacement: Array | None = None) -> None:
        """Find where nothing moves, in another ``displacement`` (points, 3) or for other options.

        Where a whole face stands still (by a clamp) there is no line to draw.
        """
        if displacement is not None:
            self._signed[:] = np.sum(displacement * self._part.normals, axis=1)
            self._vtk_signed.Modified()
        quiet = [
            faces[np.abs(self._signed[faces]).max(axis=1) > _QUIET]
            for faces in self._part.wall_faces(self._solid_parts(options))
        ]
        self._nodal.SetPolys(cells(quiet))

    def paint(self, values: Array | float) -> None:
        """Colour by other values."""
        self.values[:] = values
        self._vtk_values.Modified()

    def move(self, points: Array) -> None:
        """Draw everything at other points."""
        self.points[:] = points
        changed = (self.solid, self.faint, self._edges, self._lit, self._mesh, self._nodal)
        for each in (self._vtk_points, *changed):
            each.Modified()

    def rest(self) -> None:
        """Nothing moves, and nothing is coloured."""
        self._signed[:] = 0.0
        self._nodal_actor.SetVisibility(False)
        self.paint(0.0)
        self.move(self._part.points)

    def follow(self) -> None:
        """The component has other points at rest."""
        self.points[:] = self._rest[:] = self._part.points
        for changed in (self._resting.GetPoints(), self._resting):
            changed.Modified()
