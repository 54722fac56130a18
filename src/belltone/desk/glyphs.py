"""Drawn things: lines, and the glyphs of what holds a component and hangs on it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QColor
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkCommonMath import vtkMatrix4x4
from vtkmodules.vtkFiltersSources import (
    vtkConeSource,
    vtkCubeSource,
    vtkCylinderSource,
    vtkSphereSource,
)
from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper

from belltone.sheet.design import Design, SupportValue

__all__ = ["ball", "cells", "depth", "line_actor", "rgb", "spring_glyphs", "support_glyphs"]

Array = NDArray[np.float64]


def depth(design: Design) -> float:
    """The component's largest section dimension (m)."""
    member = design.members[0]
    return max(member.section.depth, member.section_at_end.depth)


def _size(design: Design) -> float:
    """How large glyphs are drawn: as the section, but never lost on a slender member."""
    return max(0.75 * depth(design), 0.016 * design.members[0].length)


def support_glyphs(design: Design, support: SupportValue, colour: str) -> list[vtkActor]:
    """A slab for a clamp, a wedge for each held slide, a disc for each held turn."""
    place, size, member = design.location(support.place), _size(design), design.members[0]
    if len(support.directions) == 6:
        slab = vtkCubeSource()
        slab.SetXLength(0.3 * size)
        slab.SetYLength(2.4 * size)
        slab.SetZLength(2.4 * size)
        actor = _solid(slab, colour, 0.85)
        away = -1.0 if support.place.along < 0.5 * member.length else 1.0
        actor.SetUserMatrix(_matrix(member.frame, place + away * 0.15 * size * member.frame[0]))
        return [actor]
    actors: list[vtkActor] = []
    for row in support.directions:
        if np.linalg.norm(row[:3]) > 0.5:
            direction = row[:3]
            wedge = vtkConeSource()
            wedge.SetResolution(4)
            wedge.SetHeight(1.1 * size)
            wedge.SetRadius(0.5 * size)
            wedge.SetDirection(*direction)
            tip = place - direction * (0.5 * depth(design))
            wedge.SetCenter(*(tip - direction * 0.55 * size))
            actors.append(_solid(wedge, colour, 0.9))
        else:
            disc = vtkCylinderSource()
            disc.SetResolution(28)
            disc.SetRadius(0.85 * size)
            disc.SetHeight(0.12 * size)
            axis = row[3:] / np.linalg.norm(row[3:])
            side = _across(axis)
            actor = _solid(disc, colour, 0.45)
            actor.SetUserMatrix(_matrix(np.array([side, axis, np.cross(side, axis)]), place))
            actors.append(actor)
    return actors


def spring_glyphs(design: Design, support: SupportValue, colour: str) -> list[vtkActor]:
    """A zigzag for each sprung slide, a spiral for each sprung turn."""
    place, size = design.location(support.place), _size(design)
    actors: list[vtkActor] = []
    for row in support.spring_directions:
        turning = bool(np.linalg.norm(row[3:]) > 0.5)
        axis = row[3:] if turning else row[:3]
        side = _across(axis)
        if turning:
            angle = np.linspace(0, 5 * np.pi, 80)[:, None]
            reach = size * (0.4 + 0.12 * angle / np.pi)
            path = reach * (np.cos(angle) * side + np.sin(angle) * np.cross(axis, side))
        else:
            steps = np.arange(12)
            swing = np.where((steps > 0) & (steps < 11), (-1.0) ** steps, 0.0)
            away = 0.5 * depth(design) + 0.25 * size * steps
            path = -away[:, None] * axis + 0.4 * size * swing[:, None] * side
        points = vtkPoints()
        points.SetData(numpy_to_vtk(np.ascontiguousarray(place + path), deep=True))
        poly = vtkPolyData()
        poly.SetPoints(points)
        poly.SetLines(cells([np.arange(len(path))[None]]))
        actors.append(line_actor(poly, colour, 1.8))
    return actors


def ball(radius: float, colour: str) -> vtkActor:
    """A hung body."""
    sphere = vtkSphereSource()
    sphere.SetThetaResolution(28)
    sphere.SetPhiResolution(20)
    sphere.SetRadius(radius)
    return _solid(sphere, colour, 0.8)


def cells(groups: list[NDArray[np.int64]]) -> vtkCellArray:
    """Cells of several sizes from arrays ``(cells, corners)``."""
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
    mapper.SetResolveCoincidentTopologyToPolygonOffset()
    actor = vtkActor()
    actor.SetMapper(mapper)
    actor.GetProperty().SetColor(*rgb(colour))
    actor.GetProperty().SetLineWidth(width)
    actor.GetProperty().SetOpacity(opacity)
    actor.GetProperty().SetLighting(False)
    return actor


def _solid(source: object, colour: str, opacity: float) -> vtkActor:
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
    side = np.cross(axis, np.eye(3)[np.argmin(np.abs(axis))])
    return np.asarray(side / np.linalg.norm(side))


def _matrix(frame: Array, origin: Array) -> object:
    matrix = vtkMatrix4x4()
    for column in range(3):
        for row in range(3):
            matrix.SetElement(row, column, frame[column][row])
    for row in range(3):
        matrix.SetElement(row, 3, origin[row])
    return matrix


def rgb(name: str) -> tuple[float, float, float]:
    """A colour as VTK takes it."""
    colour = QColor(name)
    return colour.redF(), colour.greenF(), colour.blueF()
