"""Drawn things: lines, and the glyphs of what holds a component and hangs on it."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkCommonExecutionModel import vtkPolyDataAlgorithm
from vtkmodules.vtkCommonMath import vtkMatrix4x4
from vtkmodules.vtkFiltersSources import (
    vtkConeSource,
    vtkCubeSource,
    vtkCylinderSource,
    vtkSphereSource,
)
from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper

from belltone.design.parts import MemberValue, MeshValue, SurfaceValue
from belltone.design.values import Design, JointValue, SupportValue
from belltone.drawing.colours import rgb
from belltone.system.kinds import location, place_lines
from belltone.vectors import cross

__all__ = [
    "ball",
    "cells",
    "flaw_glyphs",
    "in_front",
    "joint_glyphs",
    "line_actor",
    "spring_glyphs",
    "support_glyphs",
]

Array = NDArray[np.float64]


_IN_FRONT: Final = 60.0  # steps of depth
_GLYPHS_ON_EDGE: Final = 7
_RIBBON: Final = 5.0  # pixels; a held edge is drawn as a thick line


def glyph_size(depth: float, size: float) -> float:
    """How large glyphs are drawn: as the section, but never lost on a slender member."""
    return max(0.75 * depth, 0.016 * size)


def support_glyphs(
    design: Design, support: SupportValue, depth: float, size: float, colour: str
) -> list[vtkActor]:
    """What holds a site: marks at a point, a thick line with marks along an edge."""
    surface = design.part_of(support.place.part)
    if not isinstance(surface, SurfaceValue):
        own, away = _own_frame(design, support)
        frame = own if support.own else np.eye(3)
        place = location(design, support.place)
        if len(support.directions) == 6:
            return [_slab(own, place, away, glyph_size(depth, size), colour)]
        return _marks(support.directions, frame, place, depth, glyph_size(depth, size), colour)
    if not len(support.directions):
        return []
    lines = place_lines(surface, support.place)
    marks = glyph_size(0.5 * depth, size)
    actors: list[vtkActor] = []
    points = np.concatenate(lines)
    if len(points) > 1 and support.place.feature != "face":
        actors += [_ribbon(line, colour) for line in lines]
    if len(support.directions) == 6 and len(points) > 1:
        return actors
    spaced = np.unique(np.linspace(0, len(points) - 1, _GLYPHS_ON_EDGE).astype(int))
    frames = _edge_frames(surface, points) if support.own else None
    for at in spaced:
        frame = np.eye(3) if frames is None else frames[at]
        shown = support.directions[np.linalg.norm(support.directions[:, :3], axis=1) > 0.5]
        actors += _marks(shown, frame, points[at], 0.2 * depth, marks, colour)
    return actors


def _own_frame(design: Design, support: SupportValue) -> tuple[Array, float]:
    """A member's own axes at a support, and which way along its axis the outside is."""
    part = design.part_of(support.place.part)
    if not isinstance(part, MemberValue):
        return np.eye(3), -1.0
    share = support.place.along / part.length
    return part.frame_at(share), -1.0 if share < 0.5 else 1.0


def joint_glyphs(design: Design, joint: JointValue, size: float, colour: str) -> list[vtkActor]:
    """Where a stated joint is: its line, its point, or its spots."""
    if joint.how == "none":
        return []
    radius = 0.012 * size
    if joint.spots:
        spots = [location(design, spot) for spot in joint.spots]
        return [_at(ball(max(joint.radius, 0.6 * radius), colour), spot) for spot in spots]
    places = [side.place for side in (joint.first, joint.second) if side.place is not None]
    lines = [place_lines(design.part_of(place.part), place) for place in places[:1]]
    actors: list[vtkActor] = []
    for line in (line for group in lines for line in group):
        if len(line) == 1:
            actors.append(_at(ball(radius, colour), line[0]))
        else:
            actors.append(_ribbon(line, colour))
    return actors


def flaw_glyphs(mesh: MeshValue, colour: str) -> list[vtkActor]:
    """Where a received mesh is odd: free edges inside it, and edges of more than two faces."""
    if not len(mesh.flaws):
        return []
    stored = vtkPoints()
    stored.SetData(numpy_to_vtk(np.ascontiguousarray(mesh.points), deep=True))
    poly = vtkPolyData()
    poly.SetPoints(stored)
    poly.SetLines(cells([mesh.flaws.astype(np.int64)]))
    return [line_actor(poly, colour, _RIBBON)]


def _at(actor: vtkActor, place: Array) -> vtkActor:
    actor.SetPosition(*place)
    return actor


def _edge_frames(surface: SurfaceValue, points: Array) -> Array:
    """Rows along an edge, out of the wall and along its normal, at points of the edge."""
    if len(points) == 1:
        return surface.frame.T[None]
    along = np.gradient(points, axis=0)
    along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-300)
    centre = points.mean(axis=0)
    if (
        np.ptp(points @ surface.frame[:, 2]) < 1e-9
        and abs(along @ surface.frame[:, 2]).max() < 1e-6
    ):
        normal = np.tile(surface.frame[:, 2], (len(points), 1))
    else:
        normal = cross(along, cross(points - centre, along))
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    return np.stack([along, cross(normal, along), normal], axis=1)


def _ribbon(points: Array, colour: str) -> vtkActor:
    stored = vtkPoints()
    stored.SetData(numpy_to_vtk(np.ascontiguousarray(points), deep=True))
    poly = vtkPolyData()
    poly.SetPoints(stored)
    poly.SetLines(cells([np.arange(len(points))[None]]))
    return line_actor(poly, colour, _RIBBON)


def _slab(frame: Array, place: Array, away: float, size: float, colour: str) -> vtkActor:
    slab = vtkCubeSource()
    slab.SetXLength(0.3 * size)
    slab.SetYLength(2.4 * size)
    slab.SetZLength(2.4 * size)
    actor = _solid(slab, colour, 0.85)
    actor.SetUserMatrix(_matrix(frame, place + away * 0.15 * size * frame[0]))
    return actor


def _marks(
    rows: Array, frame: Array, place: Array, depth: float, size: float, colour: str
) -> list[vtkActor]:
    """A wedge for each held slide, a disc for each held turn."""
    actors: list[vtkActor] = []
    for row in rows:
        if np.linalg.norm(row[:3]) > 0.5:
            direction = row[:3] @ frame
            wedge = vtkConeSource()
            wedge.SetResolution(4)
            wedge.SetHeight(1.1 * size)
            wedge.SetRadius(0.5 * size)
            wedge.SetDirection(*direction)
            tip = place - direction * (0.5 * depth)
            wedge.SetCenter(*(tip - direction * 0.55 * size))
            actors.append(_solid(wedge, colour, 0.9))
        else:
            disc = vtkCylinderSource()
            disc.SetResolution(28)
            disc.SetRadius(0.85 * size)
            disc.SetHeight(0.12 * size)
            axis = row[3:] @ frame
            side = _across(axis)
            actor = _solid(disc, colour, 0.45)
            actor.SetUserMatrix(_matrix(np.array([side, axis, cross(side, axis)]), place))
            actors.append(actor)
    return actors


def spring_glyphs(
    design: Design, support: SupportValue, depth: float, size: float, colour: str
) -> list[vtkActor]:
    """A zigzag for each sprung slide, a spiral for each sprung turn."""
    places = [location(design, support.place)]
    frames = [np.eye(3)]
    surface = design.part_of(support.place.part)
    if support.springs_own:
        frames = [_own_frame(design, support)[0]]
    if isinstance(surface, SurfaceValue) and support.place.feature != "face":
        points = np.concatenate(place_lines(surface, support.place))
        spaced = np.unique(np.linspace(0, len(points) - 1, _GLYPHS_ON_EDGE).astype(int))
        places = list(points[spaced])
        own = _edge_frames(surface, points)
        frames = [own[at] if support.springs_own else np.eye(3) for at in spaced]
    glyph = glyph_size(depth, size)
    return [
        _spring(row, frame, place, depth, glyph, colour)
        for place, frame in zip(places, frames, strict=True)
        for row in support.spring_directions
    ]


def _spring(
    row: Array, frame: Array, place: Array, depth: float, size: float, colour: str
) -> vtkActor:
    turning = bool(np.linalg.norm(row[3:]) > 0.5)
    axis = (row[3:] if turning else row[:3]) @ frame
    side = _across(axis)
    if turning:
        angle = np.linspace(0, 5 * np.pi, 80)[:, None]
        reach = size * (0.4 + 0.12 * angle / np.pi)
        path = reach * (np.cos(angle) * side + np.sin(angle) * cross(axis, side))
    else:
        steps = np.arange(12)
        swing = np.where((steps > 0) & (steps < 11), (-1.0) ** steps, 0.0)
        away = 0.5 * depth + 0.25 * size * steps
        path = -away[:, None] * axis + 0.4 * size * swing[:, None] * side
    points = vtkPoints()
    points.SetData(numpy_to_vtk(np.ascontiguousarray(place + path), deep=True))
    poly = vtkPolyData()
    poly.SetPoints(points)
    poly.SetLines(cells([np.arange(len(path))[None]]))
    return line_actor(poly, colour, 1.8)


def ball(radius: float, colour: str) -> vtkActor:
    """A hung body."""
    sphere = vtkSphereSource()
    sphere.SetThetaResolution(28)
    sphere.SetPhiResolution(20)
    sphere.SetRadius(radius)
    return _solid(sphere, colour, 0.8)


def cells(groups: list[NDArray[np.int64]]) -> vtkCellArray:
    """Cells of several sizes from arrays ``(cells, corners)``."""
    if not groups:
        return vtkCellArray()
    flat = np.concatenate([group.ravel() for group in groups]).astype(np.int64)
    sizes = np.concatenate([np.full(len(group), group.shape[1]) for group in groups])
    offsets = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
    cells = vtkCellArray()
    cells.SetData(
        numpy_to_vtkIdTypeArray(offsets, deep=True), numpy_to_vtkIdTypeArray(flat, deep=True)
    )
    return cells


def line_actor(poly: vtkPolyData, colour: str, width: float, opacity: float = 1.0) -> vtkActor:
    """Lines of an even colour and width (pixels), in front of the surface they lie on."""
    mapper = vtkPolyDataMapper()
    mapper.SetInputData(poly)
    mapper.ScalarVisibilityOff()
    in_front(mapper)
    actor = vtkActor()
    actor.SetMapper(mapper)
    actor.GetProperty().SetColor(*rgb(colour))
    actor.GetProperty().SetLineWidth(width)
    actor.GetProperty().SetOpacity(opacity)
    actor.GetProperty().SetLighting(False)
    return actor


def in_front(mapper: vtkPolyDataMapper) -> None:
    """Draw lines whole that lie on a surface, which would else hide stretches of them."""
    mapper.SetResolveCoincidentTopologyToPolygonOffset()
    mapper.SetRelativeCoincidentTopologyLineOffsetParameters(0.0, -_IN_FRONT)


def _solid(source: vtkPolyDataAlgorithm, colour: str, opacity: float) -> vtkActor:
    mapper = vtkPolyDataMapper()
    mapper.SetInputConnection(source.GetOutputPort())
    actor = vtkActor()
    actor.SetMapper(mapper)
    actor.GetProperty().SetColor(*rgb(colour))
    actor.GetProperty().SetOpacity(opacity)
    actor.GetProperty().SetAmbient(0.55)
    actor.GetProperty().SetDiffuse(0.5)
    return actor


def _across(axis: Array) -> Array:
    """A unit vector across an axis."""
    side = cross(axis, np.eye(3)[np.argmin(np.abs(axis))])
    return np.asarray(side / np.linalg.norm(side))


def _matrix(frame: Array, origin: Array) -> object:
    matrix = vtkMatrix4x4()
    for column in range(3):
        for row in range(3):
            matrix.SetElement(row, column, frame[column][row])
    for row in range(3):
        matrix.SetElement(row, 3, origin[row])
    return matrix
