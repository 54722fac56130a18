"""Solids of a CAD file as plain faces and edges: the only place that speaks to the CAD kernel.

Lengths are metres, whatever the file is written in (a BREP file states no unit and counts in mm).
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.errors import UserError
from belltone.vectors import cross

__all__ = ["ENDINGS", "BodyEdge", "BodyFace", "CadFileError", "EdgeUse", "Solid", "read_solids"]

Array = NDArray[np.float64]

ENDINGS: Final = (".step", ".stp", ".iges", ".igs", ".brep")
_MM: Final = 1e-3
_STEPS: Final = 64  # along an edge, to measure its length and how far it turns
_INWARDS: Final = 1e-7  # of a solid's size; where a shot begins below its face


class CadFileError(UserError):
    """A CAD file no walls can be read from, in words for the user."""


@dataclass(frozen=True, eq=False)
class BodyEdge:
    """An edge, given by the kernel's own parameter from ``first`` to ``last``."""

    number: int
    first: float
    last: float
    ends: tuple[int, int]
    curve: Any = field(repr=False)

    def at(self, parameters: Array) -> Array:
        """Points ``(n, 3)`` (m)."""
        return np.array([_place(self.curve.Value(float(each))) for each in parameters]) * _MM

    @cached_property
    def _walked(self) -> tuple[Array, Array, float]:
        parameters = np.linspace(self.first, self.last, _STEPS + 1)
        steps = np.diff(self.at(parameters), axis=0)
        lengths = np.linalg.norm(steps, axis=1)
        unit = steps / np.maximum(lengths, 1e-300)[:, None]
        turns = np.arccos(np.clip(np.sum(unit[1:] * unit[:-1], axis=1), -1.0, 1.0))
        turned = float(turns.sum()) * _STEPS / (_STEPS - 1)
        return parameters, np.concatenate([[0.0], np.cumsum(lengths)]), turned

    @cached_property
    def length(self) -> float:
        """Its length (m)."""
        from OCP.GCPnts import GCPnts_AbscissaPoint

        return float(GCPnts_AbscissaPoint.Length_s(self.curve)) * _MM

    @property
    def turned(self) -> float:
        """By how much its direction changes all along it (rad)."""
        return self._walked[2]

    def breaks(self, pieces: int) -> Array:
        """Parameters that cut it into pieces of one length."""
        parameters, lengths, _ = self._walked
        found = np.interp(np.linspace(0, lengths[-1], pieces + 1), lengths, parameters)
        found[0], found[-1] = self.first, self.last
        return np.asarray(found)


@dataclass(frozen=True, eq=False)
class EdgeUse:
    """An edge as a face's rim runs along it; ``edge`` is -1 where it is a mere point."""

    edge: int
    forward: bool
    curve: Any = field(repr=False)
    span: tuple[float, float] = (0.0, 1.0)

    def at(self, parameters: Array) -> Array:
        """The face's own coordinates ``(n, 2)`` at parameters of the edge."""
        points = [self.curve.Value(float(each)) for each in parameters]
        return np.array([(point.X(), point.Y()) for point in points])

    def along(self, count: int) -> Array:
        """So many places along it in the way the rim runs, ``(count, 2)``."""
        parameters = np.linspace(*self.span, count)
        return self.at(parameters if self.forward else parameters[::-1])


@dataclass(frozen=True, eq=False)
class BodyFace:
    """A face; ``loops`` run round what belongs to it. ``outward`` turns the normal outwards."""

    number: int
    outward: float
    loops: tuple[tuple[EdgeUse, ...], ...]
    sort: str
    area: float
    surface: Any = field(repr=False)

    def at(self, places: Array) -> Array:
        """Points ``(n, 3)`` (m) at the face's own coordinates."""
        value = self.surface.Value
        return np.array([_place(value(float(u), float(v))) for u, v in places]) * _MM

    def slopes(self, places: Array) -> tuple[Array, Array]:
        """How points move with each of the coordinates, ``(n, 3)`` each (m)."""
        from OCP.gp import gp_Pnt, gp_Vec

        point, first, second = gp_Pnt(), gp_Vec(), gp_Vec()
        found = np.empty((2, len(places), 3))
        for row, (u, v) in enumerate(places.tolist()):
            self.surface.D1(u, v, point, first, second)
            found[0, row] = first.X(), first.Y(), first.Z()
            found[1, row] = second.X(), second.Y(), second.Z()
        return found[0] * _MM, found[1] * _MM

    def normals(self, places: Array) -> Array:
        """Unit normals away from the material, ``(n, 3)``; zero where the face has a pole."""
        normal = self.outward * cross(*self.slopes(places))
        size = np.linalg.norm(normal, axis=1, keepdims=True)
        return np.asarray(normal / np.where(size > 0, size, 1.0))


@dataclass(frozen=True, eq=False)
class Solid:
    """A body, or a sheet of faces without thickness where not ``closed``."""

    name: str
    faces: tuple[BodyFace, ...]
    edges: tuple[BodyEdge, ...]
    vertices: Array
    volume: float
    closed: bool
    shape: Any = field(repr=False)

    @cached_property
    def size(self) -> float:
        """Diagonal of the box round its corners and the middles of its edges (m)."""
        points = [edge.at(edge.breaks(4)) for edge in self.edges if edge.curve is not None]
        return float(np.linalg.norm(np.ptp(np.concatenate(points), axis=0)))

    @cached_property
    def _inside(self) -> Any:
        from OCP.IntCurvesFace import IntCurvesFace_ShapeIntersector

        shots = IntCurvesFace_ShapeIntersector()
        shots.Load(self.shape, 1e-7)
        return shots

    @cached_property
    def _numbers(self) -> Any:
        return _numbered(self.shape, "FACE")

    def shoot(self, points: Array, ways: Array) -> tuple[Array, NDArray[np.intp], Array]:
        """From points along unit ways through the material to the next face.

        Distances (m; infinite where nothing is met), the faces' numbers (-1), and their outward
        normals there ``(n, 3)``.
        """
        from OCP.gp import gp_Dir, gp_Lin, gp_Pnt

        start = _INWARDS * self.size / _MM
        away = np.full(len(points), math.inf)
        face = np.full(len(points), -1, np.intp)
        normals = np.zeros((len(points), 3))
        for row, (point, way) in enumerate(zip(points / _MM, ways, strict=True)):
            if not way.any():
                continue
            line = gp_Lin(gp_Pnt(*point.tolist()), gp_Dir(*way.tolist()))
            self._inside.Perform(line, start, 1e12)
            hits = range(1, self._inside.NbPnt() + 1)
            if not len(hits):
                continue
            first = min(hits, key=self._inside.WParameter)
            away[row] = self._inside.WParameter(first) * _MM
            face[row] = self._numbers.FindIndex(self._inside.Face(first)) - 1
            place = np.array([[self._inside.UParameter(first), self._inside.VParameter(first)]])
            normals[row] = self.faces[face[row]].normals(place)[0]
        return away, face, normals


def _place(point: Any) -> tuple[float, float, float]:
    return point.X(), point.Y(), point.Z()


def read_solids(path: Path) -> tuple[Solid, ...]:
    """The bodies of a STEP, IGES or BREP file; raises `CadFileError`."""
    try:
        shape = _shape(path)
        found = tuple(_solids(shape))
    except CadFileError:
        raise
    except Exception as error:  # the kernel's own, of many sorts
        reason = str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
        raise CadFileError(f"“{path.name}” cannot be read: {reason}") from error
    if not found:
        raise CadFileError(f"“{path.name}” holds no body and no face")
    return found


def _shape(path: Path) -> Any:
    from OCP.IFSelect import IFSelect_ReturnStatus
    from OCP.Message import Message

    Message.DefaultMessenger_s().ChangePrinters().Clear()  # it would talk on the terminal
    kind = path.suffix.lower()
    if kind == ".brep":
        from OCP.BRep import BRep_Builder
        from OCP.BRepTools import BRepTools
        from OCP.TopoDS import TopoDS_Shape

        shape = TopoDS_Shape()
        if not BRepTools.Read_s(shape, str(path), BRep_Builder()) or shape.IsNull():
            raise CadFileError(f"“{path.name}” is no BREP file, or a damaged one")
        return shape
    if kind in (".iges", ".igs"):
        from OCP.IGESControl import IGESControl_Reader

        reader: Any = IGESControl_Reader()
    elif kind in (".step", ".stp"):
        from OCP.STEPControl import STEPControl_Reader

        reader = STEPControl_Reader()
    else:
        raise CadFileError(f"“{path.name}” ends in none of {', '.join(ENDINGS)}")
    if reader.ReadFile(str(path)) != IFSelect_ReturnStatus.IFSelect_RetDone:
        raise CadFileError(f"“{path.name}” is no {kind[1:].upper()} file, or a damaged one")
    reader.TransferRoots()
    shape = reader.OneShape()
    if shape is None or shape.IsNull():
        raise CadFileError(f"“{path.name}” holds no body and no face")
    return shape


def _numbered(shape: Any, sort: str) -> Any:
    """A map from shapes of a sort to numbers from 1 on, whichever way they are turned."""
    from OCP import TopAbs
    from OCP.collections import IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher as Numbers
    from OCP.TopExp import TopExp

    found = Numbers()
    TopExp.MapShapes_s(shape, getattr(TopAbs.TopAbs_ShapeEnum, f"TopAbs_{sort}"), found)
    return found


def _solids(shape: Any) -> Iterator[Solid]:
    from OCP import TopAbs
    from OCP.TopExp import TopExp_Explorer

    sorts = TopAbs.TopAbs_ShapeEnum
    count = 0
    ways = (
        (sorts.TopAbs_SOLID, sorts.TopAbs_SHAPE, True),
        (sorts.TopAbs_SHELL, sorts.TopAbs_SOLID, False),
        (sorts.TopAbs_FACE, sorts.TopAbs_SHELL, False),
    )
    for sort, without, closed in ways:
        walk = TopExp_Explorer(shape, sort, without)
        while walk.More():
            count += 1
            yield _solid(walk.Current(), f"body {count}", closed)
            walk.Next()


def _solid(shape: Any, name: str, closed: bool) -> Solid:
    from OCP.BRep import BRep_Tool
    from OCP.BRepAdaptor import BRepAdaptor_Curve
    from OCP.BRepGProp import BRepGProp
    from OCP.GProp import GProp_GProps
    from OCP.TopExp import TopExp
    from OCP.TopoDS import TopoDS

    edge_map, face_map = _numbered(shape, "EDGE"), _numbered(shape, "FACE")
    vertex_map = _numbered(shape, "VERTEX")
    places = [
        _place(BRep_Tool.Pnt_s(TopoDS.Vertex(vertex_map.FindKey(number))))
        for number in range(1, vertex_map.Extent() + 1)
    ]
    edges: list[BodyEdge] = []
    for number in range(1, edge_map.Extent() + 1):
        edge = TopoDS.Edge(edge_map.FindKey(number))
        ends = [
            vertex_map.FindIndex(end) - 1
            for end in (TopExp.FirstVertex_s(edge), TopExp.LastVertex_s(edge))
        ]
        if BRep_Tool.Degenerated_s(edge):
            edges.append(BodyEdge(number - 1, 0.0, 0.0, (ends[0], ends[1]), None))
            continue
        curve = BRepAdaptor_Curve(edge)
        first, last = curve.FirstParameter(), curve.LastParameter()
        edges.append(BodyEdge(number - 1, first, last, (ends[0], ends[1]), curve))
    faces = [
        _face(TopoDS.Face(face_map.FindKey(number)), number - 1, edge_map)
        for number in range(1, face_map.Extent() + 1)
    ]
    measured = GProp_GProps()
    if closed:
        BRepGProp.VolumeProperties_s(shape, measured)
    return Solid(
        name,
        tuple(faces),
        tuple(edges),
        np.array(places).reshape(-1, 3) * _MM,
        abs(float(measured.Mass())) * _MM**3,
        closed,
        shape,
    )


def _face(face: Any, number: int, edge_map: Any) -> BodyFace:
    from OCP import TopAbs
    from OCP.BRepAdaptor import BRepAdaptor_Surface
    from OCP.BRepGProp import BRepGProp
    from OCP.BRepTools import BRepTools
    from OCP.GProp import GProp_GProps
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    sides = TopAbs.TopAbs_Orientation
    outward = -1.0 if face.Orientation() == sides.TopAbs_REVERSED else 1.0
    plain = TopoDS.Face(face.Oriented(sides.TopAbs_FORWARD))
    outer = BRepTools.OuterWire_s(plain)
    loops: list[tuple[EdgeUse, ...]] = []
    walk = TopExp_Explorer(plain, TopAbs.TopAbs_ShapeEnum.TopAbs_WIRE)
    while walk.More():
        wire = TopoDS.Wire(walk.Current())
        uses = tuple(_uses(wire, plain, edge_map))
        if uses:
            loops.insert(0 if wire.IsSame(outer) else len(loops), uses)
        walk.Next()
    surface = BRepAdaptor_Surface(plain)
    measured = GProp_GProps()
    BRepGProp.SurfaceProperties_s(plain, measured)
    sort = str(surface.GetType()).rsplit("_", 1)[-1].lower()
    return BodyFace(
        number, outward, tuple(loops), sort, abs(float(measured.Mass())) * _MM**2, surface
    )


def _uses(wire: Any, face: Any, edge_map: Any) -> Iterator[EdgeUse]:
    from OCP import TopAbs
    from OCP.BRep import BRep_Tool
    from OCP.BRepAdaptor import BRepAdaptor_Curve2d
    from OCP.BRepTools import BRepTools_WireExplorer

    walk = BRepTools_WireExplorer(wire, face)
    while walk.More():
        edge = walk.Current()
        curve = BRepAdaptor_Curve2d(edge, face)
        span = (curve.FirstParameter(), curve.LastParameter())
        number = -1 if BRep_Tool.Degenerated_s(edge) else edge_map.FindIndex(edge) - 1
        forward = edge.Orientation() == TopAbs.TopAbs_Orientation.TopAbs_FORWARD
        yield EdgeUse(number, forward, curve, span)
        walk.Next()
