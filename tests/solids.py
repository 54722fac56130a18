"""Bodies made with the CAD kernel, as files people send: thin walls, bars, and what is neither."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakePrism,
    BRepPrimAPI_MakeSphere,
)
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Vec
from OCP.Message import Message
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.STEPControl import STEPControl_StepModelType, STEPControl_Writer

Triple = tuple[float, float, float]


def box(corner: Triple, extent: Triple) -> Any:
    """A box from a corner (mm)."""
    return BRepPrimAPI_MakeBox(gp_Pnt(*corner), *extent).Shape()


def cylinder(radius: float, height: float, at: Triple = (0, 0, 0), way: Triple = (0, 0, 1)) -> Any:
    """A cylinder from the middle of its foot (mm)."""
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(*at), gp_Dir(*way)), radius, height).Shape()


def ball(radius: float) -> Any:
    """A ball about the origin (mm)."""
    return BRepPrimAPI_MakeSphere(gp_Pnt(0, 0, 0), radius).Shape()


def cut(body: Any, *tools: Any) -> Any:
    """A body without others."""
    for tool in tools:
        body = BRepAlgoAPI_Cut(body, tool).Shape()
    return body


def fused(body: Any, *others: Any) -> Any:
    """Bodies as one, without seams between faces that go on."""
    for other in others:
        body = BRepAlgoAPI_Fuse(body, other).Shape()
    tidy = ShapeUpgrade_UnifySameDomain(body, True, True, False)
    tidy.Build()
    return tidy.Shape()


def common(one: Any, two: Any) -> Any:
    """What two bodies share."""
    return BRepAlgoAPI_Common(one, two).Shape()


def bend(length: float, radius: float, wall: float, at: tuple[float, float]) -> Any:
    """A quarter of a tube along x about (y, z), towards lesser y and z."""
    y, z = at
    outer = radius + wall
    ring = cut(
        cylinder(outer, length, (0, y, z), (1, 0, 0)),
        cylinder(radius, length, (0, y, z), (1, 0, 0)),
    )
    return common(ring, box((0, y - outer, z - outer), (length, outer, outer)))


def bracket(
    length: float = 80,
    foot: float = 60,
    back: float = 40,
    wall: float = 2,
    radius: float = 2,
    holes: Sequence[tuple[float, float]] = (),
) -> Any:
    """A foot on z = 0 and a back on y = 0, with a bend between; outer sizes (mm)."""
    outer = radius + wall
    body = fused(
        box((0, outer, 0), (length, foot - outer, wall)),
        bend(length, radius, wall, (outer, outer)),
        box((0, 0, outer), (length, wall, back - outer)),
    )
    return cut(body, *(cylinder(5, 10 * wall, (x, y, -wall)) for x, y in holes))


def tray(x: float = 100, y: float = 60, z: float = 40, wall: float = 2) -> Any:
    """A box without a lid, its corners sharp."""
    return cut(box((0, 0, 0), (x, y, z)), box((wall, wall, wall), (x - 2 * wall, y - 2 * wall, z)))


def tube(radius: float = 30, length: float = 100, wall: float = 2) -> Any:
    """A tube along z."""
    return cut(cylinder(radius, length), cylinder(radius - wall, length))


def cap(radius: float = 100, wall: float = 2) -> Any:
    """Half a hollow ball, open below."""
    half = box((-radius, -radius, 0), (2 * radius, 2 * radius, radius))
    return common(cut(ball(radius), ball(radius - wall)), half)


def tee(wall: float = 3, web: float = 2) -> Any:
    """A plate with a web along its middle, as one body."""
    return fused(box((0, 0, 0), (100, 50, wall)), box((0, 25 - web / 2, wall), (100, web, 30)))


def shaft() -> Any:
    """A turned bar with a step, along z."""
    return fused(cylinder(10, 120), cylinder(6, 80, (0, 0, 120)))


def casting() -> Any:
    """A body that is not thin anywhere."""
    return fused(box((0, 0, 0), (60, 60, 40)), cylinder(25, 90, (30, 30, 0)))


def prism(outline: Sequence[tuple[float, float]], wall: float) -> Any:
    """A plate of straight sides, its foot on z = 0."""
    rim = BRepBuilderAPI_MakePolygon()
    for x, y in outline:
        rim.Add(gp_Pnt(x, y, 0))
    rim.Close()
    face = BRepBuilderAPI_MakeFace(rim.Wire()).Face()
    return BRepPrimAPI_MakePrism(face, gp_Vec(0, 0, wall)).Shape()


def write_step(path: Path, *bodies: Any) -> Path:
    """Write bodies to a STEP file."""
    Message.DefaultMessenger_s().ChangePrinters().Clear()
    writer = STEPControl_Writer()
    for body in bodies:
        writer.Transfer(body, STEPControl_StepModelType.STEPControl_AsIs)
    writer.Write(str(path))
    return path
