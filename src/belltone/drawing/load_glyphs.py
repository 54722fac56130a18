"""Loads drawn at their sites: arrows, rows of arrows, an axis that turns, warmth."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor

from belltone.design.parts import MemberValue
from belltone.design.place import Place
from belltone.design.preload import PressureValue
from belltone.design.values import Design
from belltone.drawing.drawn import DrawnComponent
from belltone.drawing.glyphs import cells, line_actor
from belltone.system.kinds import location, place_lines
from belltone.vectors import cross

__all__ = ["load_glyphs"]

Array = NDArray[np.float64]

_LONG: Final = 0.10  # of the size: an arrow
_SHORT: Final = 0.045  # of the size: one of a row, or of a pressure
_ROW: Final = 9  # arrows along an edge or a member
_ON_FACE: Final = 40  # arrows on a face
_WIDTH: Final = 2.6


def load_glyphs(design: Design, drawn: DrawnComponent, colour: str) -> list[vtkActor]:
    """Everything that loads a design, each at its site."""
    preload, size = design.preload, drawn.size
    if preload is None:
        return []
    lines: list[Array] = []
    for force in preload.forces:
        places = _spread(design, force.place)
        long = _LONG * size if len(places) == 1 else _SHORT * size
        for place in places:
            lines += _arrow(place, force.force, long)
            lines += _turning(place, force.moment, 0.5 * long)
    for pressure in preload.pressures:
        for place, way in _on_face(drawn, pressure):
            lines += _arrow(place, way, _SHORT * size)
    for move in preload.moves:
        way = move.values @ move.directions
        for place in _spread(design, move.place):
            lines += _arrow(place, way[:3], _SHORT * size, ends=True)
            lines += _turning(place, way[3:], 0.5 * _SHORT * size)
    if preload.spin is not None:
        spin = preload.spin
        reach = 0.42 * size * spin.axis
        middle = spin.through + spin.axis * float((_middle(design) - spin.through) @ spin.axis)
        lines.append(np.stack([middle - reach, middle + reach]))
        lines += _turning(middle + 0.85 * reach, spin.axis, 0.05 * size)
    if np.any(preload.acceleration):
        lines += _arrow(_middle(design), preload.acceleration, _LONG * size)
    for name, pull in preload.pulls.items():
        part = design.part_of(name)
        if isinstance(part, MemberValue) and pull:
            at, tangents, _ = part.path.at(np.array([0.35, 0.65]))
            outward = np.sign(pull) * np.array([[-1.0], [1.0]]) * tangents
            for place, way in zip(at, outward, strict=True):
                lines += _arrow(place + _SHORT * size * way, way, _SHORT * size)
    return [_drawn(lines, colour)] if lines else []


def _middle(design: Design) -> Array:
    """About the middle of the component."""
    places = [location(design, place) for place in design.places.values()]
    return np.asarray(np.mean(places, axis=0))


def _spread(design: Design, place: Place) -> list[Array]:
    """Where a site is: a point, or places spaced along it."""
    lines = place_lines(design.part_of(place.part), place)
    points = np.concatenate(lines) if lines else location(design, place)[None]
    if len(points) < 3:
        return [location(design, place)]
    chosen = np.unique(np.linspace(0, len(points) - 1, _ROW).round().astype(int))
    return list(points[chosen])


def _on_face(drawn: DrawnComponent, pressure: PressureValue) -> list[tuple[Array, Array]]:
    """Places spread over a face, and which way the pressure pushes there."""
    part = drawn.parts[pressure.place.part]
    if part.normals is None:
        return []
    step = max(1, len(part.points) // _ON_FACE)
    at, normals = part.points[step // 2 :: step], part.normals[step // 2 :: step]
    values = pressure.at(at)
    return [
        (place, value * normal)
        for place, normal, value in zip(at, normals, values, strict=True)
        if value
    ]


def _arrow(place: Array, way: Array, long: float, ends: bool = False) -> list[Array]:
    """An arrow whose head stands at a place; with ``ends`` it starts there and has a bar."""
    length = float(np.linalg.norm(way))
    if not length:
        return []
    along = way / length
    side = cross(along, np.eye(3)[int(np.argmin(np.abs(along)))])
    side /= np.linalg.norm(side)
    tip = place + (long if ends else 0.0) * along
    tail = tip - long * along
    lines = [np.stack([tail, tip])]
    lines += [
        np.stack([tip - 0.28 * long * along + 0.13 * long * across, tip])
        for across in (side, -side, cross(along, side), -cross(along, side))
    ]
    if ends:
        lines.append(np.stack([tail - 0.2 * long * side, tail + 0.2 * long * side]))
    return lines


def _turning(place: Array, axis: Array, radius: float) -> list[Array]:
    """Most of a circle about an axis, with a head."""
    length = float(np.linalg.norm(axis))
    if not length:
        return []
    along = axis / length
    side = cross(along, np.eye(3)[int(np.argmin(np.abs(along)))])
    side /= np.linalg.norm(side)
    other = cross(along, side)
    angle = np.linspace(0.0, 1.6 * np.pi, 40)[:, None]
    ring = place + radius * (np.cos(angle) * side + np.sin(angle) * other)
    way = ring[-1] - ring[-2]
    return [ring, *_arrow(ring[-1] + 0.25 * radius * way / np.linalg.norm(way), way, 0.7 * radius)]


def _drawn(lines: list[Array], colour: str) -> vtkActor:
    points = np.concatenate(lines)
    starts = np.cumsum([0, *(len(line) for line in lines[:-1])])
    stored = vtkPoints()
    stored.SetData(numpy_to_vtk(np.ascontiguousarray(points), deep=True))
    poly = vtkPolyData()
    poly.SetPoints(stored)
    poly.SetLines(
        cells(
            [
                (start + np.arange(len(line)))[None]
                for start, line in zip(starts, lines, strict=True)
            ]
        )
    )
    return line_actor(poly, colour, _WIDTH)
