"""Make the parts that demos receive: a cap elevator bracket (STEP) and a wear plate (DXF)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import ezdxf
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.Interface import Interface_Static
from OCP.Message import Message
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.STEPControl import STEPControl_StepModelType, STEPControl_Writer

EXAMPLES = Path(__file__).resolve().parents[1] / "examples"

# The bracket, mm: a foot, a back with the gearmotor's bore, and a lip at its top.
HEADER = """HEADER;
FILE_DESCRIPTION(('cap elevator bracket of a bottling line'),'2;1');
FILE_NAME('cap_elevator_bracket.step','2026-11-26T00:00:00',(''),(''),'','','');
FILE_SCHEMA(('AUTOMOTIVE_DESIGN { 1 0 10303 214 1 1 1 1 }'));
"""
LENGTH, FOOT, BACK, LIP = 160.0, 95.0, 130.0, 28.0
WALL, RADIUS = 2.5, 3.0
OUTER = WALL + RADIUS


def box(corner: tuple[float, float, float], extent: tuple[float, float, float]) -> Any:
    """A box from a corner."""
    return BRepPrimAPI_MakeBox(gp_Pnt(*corner), *extent).Shape()


def bore(radius: float, at: tuple[float, float, float], way: tuple[float, float, float]) -> Any:
    """What a drill takes away."""
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(*at), gp_Dir(*way)), radius, 20.0).Shape()


def bend(y: float, z: float, corner: tuple[float, float, float]) -> Any:
    """A quarter of a bend along x about (y, z), within the box from a corner."""
    axis = gp_Ax2(gp_Pnt(0, y, z), gp_Dir(1, 0, 0))
    whole = BRepPrimAPI_MakeCylinder(axis, OUTER, LENGTH).Shape()
    inside = BRepPrimAPI_MakeCylinder(axis, RADIUS, LENGTH).Shape()
    ring = BRepAlgoAPI_Cut(whole, inside).Shape()
    return BRepAlgoAPI_Common(ring, box(corner, (LENGTH, OUTER, OUTER))).Shape()


def bracket() -> Any:
    """The bracket, its foot on z = 0 and its back on y = 0."""
    top = BACK - OUTER
    body = box((0, OUTER, 0), (LENGTH, FOOT - OUTER, WALL))
    for piece in (
        bend(OUTER, OUTER, (0, 0, 0)),
        box((0, 0, OUTER), (LENGTH, WALL, top - OUTER)),
        bend(OUTER, top, (0, 0, top)),
        box((0, OUTER, BACK - WALL), (LENGTH, LIP - OUTER, WALL)),
    ):
        body = BRepAlgoAPI_Fuse(body, piece).Shape()
    tidy = ShapeUpgrade_UnifySameDomain(body, True, True, False)
    tidy.Build()
    body = tidy.Shape()
    holes = [bore(4.5, (x, y, -5), (0, 0, 1)) for x in (20, 140) for y in (30, 75)]
    holes += [bore(21, (80, -5, 70), (0, 1, 0))]
    holes += [bore(3.3, (x, -5, z), (0, 1, 0)) for x in (48, 112) for z in (38, 102)]
    for hole in holes:
        body = BRepAlgoAPI_Cut(body, hole).Shape()
    return body


def wear_plate() -> Any:
    """The wear plate under the infeed's chain: round corners, screws in a row, two long slots."""
    drawing: Any = ezdxf.new("R2010")  # type: ignore[attr-defined]
    drawing.header["$INSUNITS"] = 4
    for layer in ("cut", "screws", "notes"):
        drawing.layers.add(layer)
    space = drawing.modelspace()
    wide, high, corner = 420.0, 150.0, 18.0
    quarter = 0.41421356237309503  # bulge of a quarter of a circle
    points = [
        (corner, 0, 0),
        (wide - corner, 0, quarter),
        (wide, corner, 0),
        (wide, high - corner, quarter),
        (wide - corner, high, 0),
        (corner, high, quarter),
        (0, high - corner, 0),
        (0, corner, quarter),
    ]
    on = {"layer": "cut"}
    space.add_lwpolyline(points, format="xyb", close=True, dxfattribs=on)
    for x in (110.0, 260.0):
        slot = [(x, 67, 0), (x + 50, 67, 1), (x + 50, 83, 0), (x, 83, 1)]
        space.add_lwpolyline(slot, format="xyb", close=True, dxfattribs=on)
    for x in (25.0, 148.3, 271.7, 395.0):
        for y in (22.0, 128.0):
            space.add_circle((x, y), 4.5, dxfattribs={"layer": "screws"})
    space.add_text("WEAR PLATE, INFEED", height=8, dxfattribs={"layer": "notes"}).set_placement(
        (0, -20)
    )
    return drawing


def _headed(text: str) -> str:
    """The file with a header that is the same whenever it is made."""
    start, stop = text.index("HEADER;"), text.index("ENDSEC;")
    return f"{text[:start]}{HEADER}{text[stop:]}"


def main() -> None:
    """Write both beside the demos."""
    Message.DefaultMessenger_s().ChangePrinters().Clear()
    writer = STEPControl_Writer()
    Interface_Static.SetCVal_s("write.step.product.name", "cap elevator bracket")
    writer.Transfer(bracket(), STEPControl_StepModelType.STEPControl_AsIs)
    path = EXAMPLES / "cap_elevator_bracket.step"
    writer.Write(str(path))
    path.write_text(_headed(path.read_text(encoding="utf-8")), encoding="utf-8")
    wear_plate().saveas(EXAMPLES / "wear_plate.dxf")


if __name__ == "__main__":
    main()
