"""The 3-D scene of a component: its true section, relative motion in colour, what holds it.

Drawn by VTK into an off-screen picture. Arrays are written in place from frame to frame.
"""

from __future__ import annotations

from typing import Final

import numpy as np
import vtkmodules.vtkRenderingOpenGL2  # noqa: F401  # registers the drawing back end
from numpy.typing import NDArray
from PySide6.QtGui import QImage
from vtkmodules.util.numpy_support import numpy_to_vtk, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkFloatArray, vtkLookupTable, vtkPoints, vtkUnsignedCharArray
from vtkmodules.vtkCommonDataModel import vtkPolyData
from vtkmodules.vtkRenderingCore import (
    vtkActor,
    vtkCoordinate,
    vtkPolyDataMapper,
    vtkRenderer,
    vtkRenderWindow,
)

from belltone.desk.glyphs import ball, cells, depth, line_actor, rgb, spring_glyphs, support_glyphs
from belltone.desk.palette import Palette, ramp
from belltone.modes.modeset import ModeSet
from belltone.sheet.design import Design

__all__ = ["Scene"]

Array = NDArray[np.float64]

_RINGS: Final = 65  # rings of the drawn surface along the member
_FILLED: Final = 0.9  # share of the picture a fitted component takes
_VIEW_ANGLE: Final = 20.0  # degrees; narrow, so that near and far parts look alike in size
_REACH: Final = 0.13  # at amplitude 1 the most moving point is drawn this share of the size away


class Scene:
    """Draws one design and one mode of it."""

    def __init__(self, palette: Palette) -> None:
        self._renderer = vtkRenderer()
        self._window = vtkRenderWindow()
        self._window.SetOffScreenRendering(1)
        self._window.AddRenderer(self._renderer)
        self._window.SetMultiSamples(4)
        self._window.SetSize(600, 300)
        self._renderer.GetActiveCamera().SetViewAngle(_VIEW_ANGLE)
        self._palette = palette
        self._table = vtkLookupTable()
        self._pixels = vtkUnsignedCharArray()
        self._design: Design | None = None
        self._motion: Array | None = None
        self._masses: list[tuple[vtkActor, Array, Array, Array]] = []
        self.set_palette(palette)

    # -- contents -------------------------------------------------------------------------------

    def set_palette(self, palette: Palette) -> None:
        """Take a theme's colours."""
        self._palette = palette
        colours = ramp(palette)
        self._table.SetNumberOfTableValues(len(colours))
        for index, (red, green, blue) in enumerate(colours / 255.0):
            self._table.SetTableValue(index, red, green, blue, 1.0)
        self._table.SetRange(0.0, 1.0)
        self._renderer.SetBackground(*rgb(palette.card))
        if self._design is not None:
            self.show_design(self._design)

    def show_design(self, design: Design) -> None:
        """Build the surface of a design, its supports and its masses, at rest."""
        self._design = design
        self._renderer.RemoveAllViewProps()
        member = design.members[0]
        self._shares = np.linspace(0.0, 1.0, _RINGS)
        outer, inner = _outlines(design, self._shares)
        self._rings = [ring for ring in (outer, inner) if ring is not None]
        centres = member.start + self._shares[:, None] * (member.stop - member.start)
        self._arms = np.concatenate([self._spatial(ring).reshape(-1, 3) for ring in self._rings])
        self._ring_of = np.concatenate(
            [np.repeat(np.arange(_RINGS), ring.shape[1]) for ring in self._rings]
        )
        self._base = centres[self._ring_of] + self._arms
        self._points_array = np.ascontiguousarray(self._base, dtype=np.float32)
        self._scalars_array = np.zeros(len(self._base), dtype=np.float32)
        self._add_surface()
        self._add_edges()
        self._add_rest_lines()
        self.size = member.length
        self._depth = depth(design)
        palette = self._palette
        for support in design.supports:
            glyphs = support_glyphs(design, support, palette.muted)
            glyphs += spring_glyphs(design, support, palette.live)
            for glyph in glyphs:
                self._renderer.AddActor(glyph)
        self._add_masses()
        self._motion = None

    def show_mode(self, modes: ModeSet, index: int) -> None:
        """Take one mode's motion, read at the rings."""
        shape = modes.shapes[index]
        self._motion = np.column_stack(
            [np.interp(self._shares, modes.stations, column) for column in shape.T]
        )
        moved = self._motion[self._ring_of, :3] + np.cross(
            self._motion[self._ring_of, 3:], self._arms
        )
        largest = float(np.linalg.norm(moved, axis=1).max()) or 1.0
        self._displacement = moved / largest
        self._motion_scale = 1.0 / largest
        self._scalars_array[:] = np.linalg.norm(self._displacement, axis=1)
        self._scalars.Modified()

    def pose(self, swing: float) -> None:
        """Move everything to ``swing`` (-1 to 1, times the drawn amplitude) of the mode."""
        if self._motion is None:
            return
        scale = swing * _REACH * self.size
        self._points_array[:] = self._base + scale * self._displacement
        self._points.Modified()
        self._poly.Modified()
        self._edges.Modified()
        for actor, centre, share, offset in self._masses:
            at = np.array([np.interp(share[0], self._shares, column) for column in self._motion.T])
            moved = (at[:3] + np.cross(at[3:], offset)) * self._motion_scale
            actor.SetPosition(*(centre + scale * moved))

    # -- camera ---------------------------------------------------------------------------------

    def resize(self, width: int, height: int) -> None:
        """Take the size of the picture (pixels)."""
        self._window.SetSize(width, height)

    def fit(self) -> None:
        """Bring everything into view from the present direction."""
        camera = self._renderer.GetActiveCamera()
        position, focus = np.array(camera.GetPosition()), np.array(camera.GetFocalPoint())
        ahead = (focus - position) / np.linalg.norm(focus - position)
        across = np.cross(ahead, camera.GetViewUp())
        across /= np.linalg.norm(across)
        upward = np.cross(across, ahead)
        reach = 0.5 * _REACH * self.size  # about what the amplitude starts with
        room = [(self._base, reach)] + [(at[None], reach + size) for at, size in self._bodies()]
        points = np.concatenate(
            [at + by * way for at, by in room for way in (-upward, upward, -across, across)]
        )
        along = points @ np.column_stack([across, upward, -ahead])
        middle = 0.5 * (along.min(axis=0) + along.max(axis=0))
        width, height = self._window.GetSize()
        half = np.tan(np.radians(camera.GetViewAngle() / 2)) * _FILLED
        away = along - middle
        needed = np.maximum(np.abs(away[:, 0]) * height / max(width, 1), np.abs(away[:, 1]))
        distance = float((away[:, 2] + needed / half).max())
        centre = middle @ np.stack([across, upward, -ahead])
        camera.SetFocalPoint(*centre)
        camera.SetPosition(*(centre - distance * ahead))
        camera.SetViewUp(*upward)
        self._renderer.ResetCameraClippingRange()

    def _bodies(self) -> list[tuple[Array, float]]:
        """Centre and drawn radius of each hung body."""
        assert self._design is not None
        heaviest = max((hung.mass for hung in self._design.masses), default=0.0) or 1.0
        largest = max(0.6 * self._depth, 0.02 * self.size)
        return [
            (
                self._design.location(hung.place) + np.array(hung.offset),
                largest * max((hung.mass / heaviest) ** (1 / 3), 0.4),
            )
            for hung in self._design.masses
        ]

    def look(self, direction: str) -> None:
        """Look along an axis ("x", "y", "z") or at a slant ("corner")."""
        camera = self._renderer.GetActiveCamera()
        towards, up = {
            "x": ((-1, 0, 0), (0, 0, 1)),
            "y": ((0, 1, 0), (0, 0, 1)),
            "z": ((0, 0, -1), (0, 1, 0)),
            "corner": ((-0.26, 0.9, -0.33), (0, 0, 1)),
        }[direction]
        focus = np.array(camera.GetFocalPoint())
        camera.SetPosition(*(focus - np.array(towards, float)))
        camera.SetViewUp(*up)
        self.fit()

    def turn(self, right: float, up: float) -> None:
        """Turn the view by degrees; the sheet's z stays upright."""
        camera = self._renderer.GetActiveCamera()
        camera.Azimuth(-right)
        camera.Elevation(up)
        camera.OrthogonalizeViewUp()
        self._renderer.ResetCameraClippingRange()

    def shift(self, right: float, up: float) -> None:
        """Slide the view by shares of its height."""
        camera = self._renderer.GetActiveCamera()
        position, focus = np.array(camera.GetPosition()), np.array(camera.GetFocalPoint())
        height = (
            2 * np.linalg.norm(position - focus) * np.tan(np.radians(camera.GetViewAngle() / 2))
        )
        across = np.cross(focus - position, camera.GetViewUp())
        across /= np.linalg.norm(across)
        step = -(right * across + up * np.array(camera.GetViewUp())) * height
        camera.SetPosition(*(position + step))
        camera.SetFocalPoint(*(focus + step))
        self._renderer.ResetCameraClippingRange()

    def zoom(self, factor: float) -> None:
        """Come nearer (above 1) or go away."""
        self._renderer.GetActiveCamera().Dolly(factor)
        self._renderer.ResetCameraClippingRange()

    # -- picture --------------------------------------------------------------------------------

    def draw(self, width: int, height: int, fast: bool = False) -> QImage:
        """Draw the scene into a picture of so many pixels; ``fast`` skips smoothing."""
        self._window.SetMultiSamples(0 if fast else 4)
        if tuple(self._window.GetSize()) != (width, height):
            self._window.SetSize(width, height)
        self._window.Render()
        self._window.GetRGBACharPixelData(0, 0, width - 1, height - 1, 1, self._pixels)  # type: ignore[call-overload]
        data = vtk_to_numpy(self._pixels).reshape(height, width, 4)
        image = QImage(data.data, width, height, 4 * width, QImage.Format.Format_RGBX8888)
        return image.flipped()

    def on_picture(self, place: Array, height: int) -> tuple[float, float]:
        """Where a point in space falls on the picture (pixels, from its top left)."""
        coordinate = vtkCoordinate()
        coordinate.SetCoordinateSystemToWorld()
        coordinate.SetValue(*place)
        x, y = coordinate.GetComputedDoubleDisplayValue(self._renderer)
        return x, height - y

    def axes_on_picture(self) -> Array:
        """The sheet's x, y, z as they run on the picture: ``(3, 2)``, right and down."""
        matrix = self._renderer.GetActiveCamera().GetViewTransformMatrix()
        rows = np.array([[matrix.GetElement(row, column) for column in range(3)] for row in (0, 1)])
        return np.column_stack([rows[0], -rows[1]])

    def close(self) -> None:
        """Give the drawing surface back; the scene cannot be drawn any more."""
        self._renderer.RemoveAllViewProps()
        self._window.RemoveRenderer(self._renderer)
        self._window.Finalize()

    # -- building -------------------------------------------------------------------------------

    def _spatial(self, ring: Array) -> Array:
        """Section coordinates ``(rings, corners, 2)`` as vectors in space from the axis."""
        assert self._design is not None
        frame = self._design.members[0].frame
        return np.asarray(ring[..., :1] * frame[1] + ring[..., 1:] * frame[2])

    def _add_surface(self) -> None:
        self._points = vtkPoints()
        self._points.SetData(numpy_to_vtk(self._points_array, deep=False))
        self._scalars: vtkFloatArray = numpy_to_vtk(self._scalars_array, deep=False)
        self._poly = vtkPolyData()
        self._poly.SetPoints(self._points)
        self._poly.SetPolys(cells(self._faces()))
        self._poly.GetPointData().SetScalars(self._scalars)
        mapper = vtkPolyDataMapper()
        mapper.SetInputData(self._poly)
        mapper.SetLookupTable(self._table)
        mapper.SetScalarRange(0.0, 1.0)
        actor = vtkActor()
        actor.SetMapper(mapper)
        actor.GetProperty().SetInterpolationToFlat()
        actor.GetProperty().SetAmbient(0.35)
        actor.GetProperty().SetDiffuse(0.7)
        self._renderer.AddActor(actor)

    def _faces(self) -> list[NDArray[np.int64]]:
        """Quadrilaterals between rings, and the two cut ends."""
        faces: list[NDArray[np.int64]] = []
        starts: list[tuple[int, int]] = []
        offset = 0
        for ring in self._rings:
            corners = ring.shape[1]
            starts.append((offset, corners))
            index = offset + np.arange(_RINGS * corners).reshape(_RINGS, corners)
            after = np.roll(index, -1, axis=1)
            faces.append(
                np.stack([index[:-1], after[:-1], after[1:], index[1:]], axis=-1).reshape(-1, 4)
            )
            offset += _RINGS * corners
        for ring_place in (0, _RINGS - 1):
            loops = [first + ring_place * corners + np.arange(corners) for first, corners in starts]
            if len(loops) == 1:
                faces.append(loops[0][None])
            else:
                outer, inner = loops
                corners_of_cut = [outer, np.roll(outer, -1), np.roll(inner, -1), inner]
                faces.append(np.stack(corners_of_cut, axis=-1))
        return faces

    def _add_edges(self) -> None:
        """Dark lines where the surface has a real edge."""
        lines: list[NDArray[np.int64]] = []
        offset = 0
        for ring in self._rings:
            corners = ring.shape[1]
            index = offset + np.arange(_RINGS * corners).reshape(_RINGS, corners)
            if corners <= 4:
                lines += [index[:, corner] for corner in range(corners)]
            lines += [np.append(index[end], index[end][0]) for end in (0, -1)]
            offset += _RINGS * corners
        self._edges = vtkPolyData()
        self._edges.SetPoints(self._points)
        self._edges.SetLines(cells([line[None] for line in lines]))
        self._renderer.AddActor(line_actor(self._edges, self._palette.ink, 1.0, 0.65))

    def _add_rest_lines(self) -> None:
        """The resting shape, as thin lines."""
        assert self._design is not None
        ring = self._rings[0]
        corners = ring.shape[1]
        step = max(1, corners // 4)
        points = vtkPoints()
        points.SetData(numpy_to_vtk(np.ascontiguousarray(self._base, dtype=np.float32), deep=True))
        poly = vtkPolyData()
        poly.SetPoints(points)
        index = np.arange(_RINGS * corners).reshape(_RINGS, corners)
        poly.SetLines(cells([index[:, corner][None] for corner in range(0, corners, step)]))
        self._renderer.AddActor(line_actor(poly, self._palette.muted, 0.8, 0.55))

    def _add_masses(self) -> None:
        assert self._design is not None
        self._masses = []
        for hung, (centre, radius) in zip(self._design.masses, self._bodies(), strict=True):
            actor = ball(radius, self._palette.energy)
            actor.SetPosition(*centre)
            self._renderer.AddActor(actor)
            at = np.array([hung.place.along / self.size])
            self._masses.append((actor, centre, at, np.array(hung.offset)))


def _outlines(design: Design, shares: Array) -> tuple[Array, Array | None]:
    """Section outlines at each share, ``(rings, corners, 2)``: outer, and inner if hollow."""
    member = design.members[0]
    pairs = [member.section_at(np.asarray(share)).outline() for share in shares]
    outer = np.array([pair[0] for pair in pairs])
    if pairs[0][1] is None:
        return outer, None
    return outer, np.array([pair[1] for pair in pairs])
