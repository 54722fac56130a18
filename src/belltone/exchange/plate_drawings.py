"""Plates from drawings (DXF): one outline, its holes, and what was found on the way."""

from __future__ import annotations

import io
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.errors import UserError
from belltone.files import read_bytes
from belltone.geometry.outlines import closed_line, inside
from belltone.geometry.profiles import Arc, Line, Segment, arc_through
from belltone.geometry.shapes import Contour
from belltone.sheet.units import format_number

__all__ = ["DrawingError", "PlateDrawing", "layers_of", "plate_sheet", "read_plate"]

Array = NDArray[np.float64]

_MOST_BYTES: Final = 50_000_000
_UNITS: Final = {
    1: ("in", 0.0254),
    2: ("ft", 0.3048),
    4: ("mm", 1e-3),
    5: ("cm", 1e-2),
    6: ("m", 1.0),
}
_NAMED: Final = {"mm": 1e-3, "cm": 1e-2, "m": 1.0, "in": 0.0254, "ft": 0.3048}
_GAP: Final = 1e-4  # of the drawing's size; ends nearer than that meet
_CURVE: Final = 2e-5  # of the size; so near arcs follow splines and ellipses
_POINTS: Final = 513  # an ellipse is read at
_MOST_LOOSE: Final = 5_000  # lines and arcs that are put end to end
_MOST_POINTS: Final = 150  # a contour of a sheet has no more
_SAME: Final = 1e-6
_CURVES: Final = ("SPLINE", "ELLIPSE")
_KNOWN: Final = ("LINE", "ARC", "CIRCLE", "LWPOLYLINE", "POLYLINE", *_CURVES)


class DrawingError(UserError):
    """A drawing no plate can be made of, in words for the user."""


@dataclass(frozen=True)
class PlateDrawing:
    """Closed contours (m) about the middle of the outline, and what there is to say of them."""

    outline: Contour
    holes: tuple[Contour, ...]
    found: tuple[str, ...]


def layers_of(path: Path) -> tuple[str, ...]:
    """The layers of a drawing on which something lies; raises `DrawingError`, ``FileError``."""
    return tuple(sorted({entity.dxf.layer for entity in _entities(_read(path))}))


def read_plate(
    path: Path,
    unit: str | None = None,
    layers: Sequence[str] = (),
    gap: float | None = None,
) -> PlateDrawing:
    """The plate of a drawing: the contour round all others, and those as its holes.

    ``unit`` is that of a drawing that states none; only ``layers`` count, if any are named; ends
    within a ``gap`` (m) meet. Raises `DrawingError` and ``FileError``.
    """
    drawing = _read(path)
    scale, told = _unit_of(drawing, unit)
    notes = [told]
    entities = list(_entities(drawing))
    known = sorted({entity.dxf.layer for entity in entities})
    for layer in layers:
        if layer not in known:
            there = ", ".join(f"“{each}”" for each in known) or "none"
            raise DrawingError(f"the drawing has no layer “{layer}”; there are {there}")
    if layers:
        entities = [entity for entity in entities if entity.dxf.layer in layers]
    elif len(known) > 1:
        notes.append(f"all layers are read: {', '.join(known)}")
    passed = sorted({e.dxftype() for e in entities if e.dxftype() not in _KNOWN})
    if passed:
        notes.append(f"passed over, since they are no lines: {', '.join(passed)}")
    lines = [entity for entity in entities if entity.dxftype() in _KNOWN]
    if not lines:
        raise DrawingError("nothing is drawn that could be an outline: no line, arc or circle")
    size = scale * _size(lines)
    if not size > 0:
        raise DrawingError("everything that is drawn lies at one point")
    loose: list[Segment] = []
    loops: list[tuple[Segment, ...]] = []
    curved = 0
    for entity in lines:
        curved += entity.dxftype() in _CURVES
        segments = list(_segments(entity, scale, _CURVE * size))
        if len(segments) > 1 and math.dist(segments[0].start, segments[-1].stop) <= _SAME * size:
            loops.append(tuple(segments))
        else:
            loose += segments
    if curved:
        near = format_number(_CURVE * size * 1e3, 2)
        notes.append(f"{curved} splines or ellipses are followed by arcs to {near} mm")
    allowed = _GAP * size if gap is None else gap
    chained, widest = _chained(loose, allowed)
    if widest > _SAME * size:
        notes.append(f"gaps up to {format_number(widest * 1e3, 3)} mm are closed")
    contours = [_contour(loop) for loop in (*loops, *chained)]
    outline, holes = _nested(contours)
    low, high = _box(outline)
    middle = 0.5 * (low + high)
    if np.linalg.norm(middle) > _SAME * size:
        place = ", ".join(format_number(float(each) * 1e3, 6) for each in middle)
        notes.append(
            f"the plate's origin is the middle of its outline, ({place}) mm of the drawing"
        )
    wide, tall = (format_number(float(each) * 1e3, 6) for each in high - low)
    notes.insert(0, f"a plate {wide} × {tall} mm with {len(holes)} hole{'s' * (len(holes) != 1)}")
    shifted = [each.moved(np.eye(2), -middle) for each in (outline, *holes)]
    return PlateDrawing(shifted[0], tuple(shifted[1:]), tuple(notes))


def plate_sheet(found: PlateDrawing, thickness: str, title: str, material: str) -> str:
    """A sheet with the plate; its thickness is a knob. Raises `DrawingError`."""
    lines = [
        "belltone = 1",
        f"title = {_quoted(title)}",
        "",
        "[knobs.thickness]",
        f"value = {_quoted(thickness)}",
        "",
        "[parts.plate]",
        'kind = "plate"',
        f"material = {_quoted(material)}",
        'thickness = "thickness"',
        f"outline = {_outline(found.outline)}",
    ]
    for number, hole in enumerate(found.holes, start=1):
        lines += ["", "[[parts.plate.holes]]", f'name = "hole {number}"', *_hole(hole)]
    return "\n".join(lines) + "\n"


def _read(path: Path) -> Any:
    # Loaded only where it is needed: it takes a while.
    from ezdxf import recover
    from ezdxf.lldxf.const import DXFError

    data = read_bytes(path, _MOST_BYTES, "a drawing")
    try:
        drawing, _ = recover.read(io.BytesIO(data))
    except (DXFError, OSError, ValueError, KeyError, IndexError, AttributeError) as error:
        raise DrawingError(f"“{path}” is not a DXF drawing that can be read") from error
    return drawing


def _unit_of(drawing: Any, unit: str | None) -> tuple[float, str]:
    number = int(drawing.header.get("$INSUNITS", 0))
    stated = _UNITS.get(number)
    if unit is not None:
        if unit not in _NAMED:
            raise DrawingError(f"“{unit}” is no unit of a drawing; use {', '.join(_NAMED)}")
        told = f"lengths are taken in {unit}"
        if stated is not None and stated[0] != unit:
            told += f", though the drawing says {stated[0]}"
        return _NAMED[unit], told
    if stated is None:
        raise DrawingError(
            f"the drawing states no unit that is known; say which: {', '.join(_NAMED)}"
        )
    return stated[1], f"lengths are in {stated[0]}, as the drawing says"


def _entities(drawing: Any) -> Iterator[Any]:
    """What lies in the drawing's space, blocks taken apart, layers that are off left out."""
    for entity in drawing.modelspace():
        layer = drawing.layers.get(entity.dxf.layer) if entity.dxf.layer in drawing.layers else None
        if layer is not None and (layer.is_off() or layer.is_frozen()):
            continue
        if entity.dxftype() == "INSERT":
            yield from entity.virtual_entities()
        else:
            yield entity


def _size(entities: Sequence[Any]) -> float:
    from ezdxf import bbox

    box = bbox.extents(entities, fast=True)
    return float(np.linalg.norm(np.array(box.size)[:2])) if box.has_data else 0.0


def _segments(entity: Any, scale: float, near: float) -> Iterator[Segment]:
    """An entity as lines and arcs (m), end to end."""
    kind = entity.dxftype()
    if kind == "LINE":
        start, stop = ((scale * p.x, scale * p.y) for p in (entity.dxf.start, entity.dxf.end))
        if start != stop:
            yield Line(start, stop)
    elif kind in ("ARC", "CIRCLE"):
        centre = (scale * entity.dxf.center.x, scale * entity.dxf.center.y)
        first, last = 0.0, 2 * math.pi
        if kind == "ARC":
            first = math.radians(entity.dxf.start_angle)
            last = first + (math.radians(entity.dxf.end_angle) - first) % (2 * math.pi)
        count = 4 if kind == "CIRCLE" else max(1, math.ceil((last - first) / math.pi))
        for part in range(count):
            ends = (first + (last - first) * (part + side) / count for side in (0, 1))
            yield Arc(centre, scale * entity.dxf.radius, *ends)
    elif kind in _CURVES:
        yield from _followed(entity, scale, near)
    else:
        for piece in entity.virtual_entities():
            if piece.dxftype() in _KNOWN:
                yield from _segments(piece, scale, near)


def _followed(entity: Any, scale: float, near: float) -> Iterator[Segment]:
    """A free curve by arcs over three of its points each, halved until they are near enough."""
    tool = entity.construction_tool()
    if entity.dxftype() == "ELLIPSE":
        places = tool.vertices(tool.params(_POINTS))
    else:
        places = tool.flattening(0.05 * near / scale, segments=16)
    fine = scale * np.array([(place.x, place.y) for place in places])
    yield from _arcs_along(fine, near)


def _arcs_along(points: Array, near: float) -> Iterator[Segment]:
    if len(points) < 3:
        yield Line(_pair(points[0]), _pair(points[-1]))
        return
    middle = len(points) // 2
    segment = _over(points[0], points[middle], points[-1])
    if len(points) > 4 and _off(segment, points) > near:
        yield from _arcs_along(points[: middle + 1], near)
        yield from _arcs_along(points[middle:], near)
    else:
        yield segment


def _over(start: Array, through: Array, stop: Array) -> Segment:
    try:
        return arc_through(_pair(start), _pair(through), _pair(stop))
    except ValueError:
        return Line(_pair(start), _pair(stop))


def _off(segment: Segment, points: Array) -> float:
    """How far points are from a segment that begins and ends with them."""
    if isinstance(segment, Arc):
        if abs(segment.last - segment.first) > math.pi:
            return math.inf
        away = np.linalg.norm(points - np.array(segment.centre), axis=1) - segment.radius
        return float(np.abs(away).max())
    along = np.subtract(segment.stop, segment.start)
    length = float(np.linalg.norm(along))
    if length == 0:
        return math.inf
    apart = points - np.array(segment.start)
    return float(np.abs(apart[:, 0] * along[1] - apart[:, 1] * along[0]).max()) / length


def _pair(point: Array) -> tuple[float, float]:
    return float(point[0]), float(point[1])


def _turned(segment: Segment) -> Segment:
    if isinstance(segment, Line):
        return Line(segment.stop, segment.start)
    return replace(segment, first=segment.last, last=segment.first)


def _chained(loose: Sequence[Segment], gap: float) -> tuple[list[tuple[Segment, ...]], float]:
    """Closed chains of segments whose ends meet within a gap, and the widest gap closed.

    Raises `DrawingError` where a chain stays open.
    """
    if len(loose) > _MOST_LOOSE:
        raise DrawingError(
            f"{len(loose)} lines and arcs are drawn, where outlines of {_MOST_LOOSE} at most are "
            "followed; choose the layers that hold them"
        )
    ends = np.array([(each.start, each.stop) for each in loose]).reshape(-1, 2, 2)
    free = np.ones(len(loose), bool)
    chains: list[tuple[Segment, ...]] = []
    widest = 0.0
    while free.any():
        first = int(np.argmax(free))
        free[first] = False
        chain = [loose[first]]
        while True:
            end = np.array(chain[-1].stop)
            back = float(np.linalg.norm(end - np.array(chain[0].start)))
            away = np.where(free[:, None], np.linalg.norm(ends - end, axis=2), np.inf)
            at, side = divmod(int(np.argmin(away)), 2)
            far = float(away[at, side])
            if len(chain) > 1 and back <= gap and (back <= far or far > gap):
                widest = max(widest, back)
                break
            if far > gap:
                place = ", ".join(format_number(float(each) * 1e3, 6) for each in end)
                nearest = min(far, back)
                raise DrawingError(
                    f"a contour is open at ({place}) mm: the next end is "
                    f"{format_number(nearest * 1e3, 3)} mm away; close it, allow a wider gap, or "
                    "choose the layers that hold outlines"
                )
            widest = max(widest, far)
            free[at] = False
            chain.append(_turned(loose[at]) if side else loose[at])
        chains.append(tuple(_met(chain)))
    return chains, widest


def _met(chain: Sequence[Segment]) -> Iterator[Segment]:
    """Segments moved to meet end to end: lines take the ends of arcs beside them."""
    count = len(chain)
    for at, segment in enumerate(chain):
        if isinstance(segment, Arc):
            yield segment
            continue
        before, after = chain[at - 1], chain[(at + 1) % count]
        start = before.stop if isinstance(before, Arc) else segment.start
        stop = after.start
        yield Line(start, stop)


def _contour(segments: Sequence[Segment]) -> Contour:
    """A closed chain, counter-clockwise."""
    found = Contour(tuple(segments))
    x, y = closed_line(found).T
    if np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)) < 0:
        return Contour(tuple(_turned(each) for each in segments[::-1]))
    return found


def _nested(contours: Sequence[Contour]) -> tuple[Contour, list[Contour]]:
    """The contour all others lie in, and those; raises `DrawingError` where there is none."""
    lines = [closed_line(each) for each in contours]
    areas = [0.5 * abs(float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))) for x, y in
             (line.T for line in lines)]  # fmt: skip
    first = int(np.argmax(areas))
    holes = [at for at in range(len(contours)) if at != first]
    for at in holes:
        if not inside(lines[at], lines[first]).all():
            place = ", ".join(
                format_number(float(each) * 1e3, 5) for each in lines[at].mean(axis=0)
            )
            raise DrawingError(
                f"a contour about ({place}) mm lies beside or across the largest one; a plate has "
                "one outline: choose the layers that hold it"
            )
        for other in holes:
            if other != at and inside(lines[at], lines[other]).all():
                place = ", ".join(
                    format_number(float(each) * 1e3, 5) for each in lines[at].mean(axis=0)
                )
                raise DrawingError(
                    f"a contour about ({place}) mm lies in a hole; choose the layers that hold the "
                    "plate's outline and its holes"
                )
    return contours[first], [contours[at] for at in holes]


def _box(contour: Contour) -> tuple[Array, Array]:
    line = closed_line(contour)
    return line.min(axis=0), line.max(axis=0)


def _circle(contour: Contour) -> tuple[Array, float] | None:
    """Centre and radius, where a contour is a circle."""
    arcs = [each for each in contour.segments if isinstance(each, Arc)]
    if len(arcs) != len(contour.segments):
        return None
    centres = np.array([each.centre for each in arcs])
    radii = np.array([each.radius for each in arcs])
    apart = float(np.ptp(centres, axis=0).max()) + float(np.ptp(radii))
    return (centres[0], float(radii[0])) if apart <= _SAME * radii[0] else None


def _rectangle(contour: Contour) -> tuple[Array, float, float, float] | None:
    """Middle, width, height and how far it is turned, where a contour is a rectangle."""
    if len(contour.segments) != 4 or any(isinstance(each, Arc) for each in contour.segments):
        return None
    corners = np.array([each.start for each in contour.segments])
    sides = np.roll(corners, -1, axis=0) - corners
    lengths = np.linalg.norm(sides, axis=1)
    square = abs(float(sides[0] @ sides[1])) <= _SAME * lengths[0] * lengths[1]
    even = float(np.linalg.norm(sides[0] + sides[2])) <= _SAME * lengths[0]
    if not (square and even):
        return None
    turned = math.atan2(sides[0][1], sides[0][0])
    width, height = float(lengths[0]), float(lengths[1])
    quarters = round(turned / (math.pi / 2))
    if quarters % 2:
        width, height = height, width
    return corners.mean(axis=0), width, height, turned - quarters * math.pi / 2


def _outline(contour: Contour) -> str:
    circle, box = _circle(contour), _rectangle(contour)
    if circle is not None:
        return f'{{ shape = "disc", diameter = {_mm(2 * circle[1])} }}'
    if box is not None and abs(box[3]) < _SAME:
        return f'{{ shape = "rectangle", width = {_mm(box[1])}, height = {_mm(box[2])} }}'
    if all(isinstance(each, Line) for each in contour.segments):
        points = [f"[{_mm(each.start[0])}, {_mm(each.start[1])}]" for each in contour.segments]
        _few(points)
        return f'{{ shape = "polygon", points = [{", ".join(points)}] }}'
    return f'{{ shape = "contour", points = [\n{_points(contour)}] }}'


def _hole(contour: Contour) -> list[str]:
    circle, box = _circle(contour), _rectangle(contour)
    if circle is not None:
        x, y = circle[0]
        return ['shape = "round"', f"at = [{_mm(x)}, {_mm(y)}]", f"diameter = {_mm(2 * circle[1])}"]
    if box is not None:
        (x, y), width, height, turned = box
        lines = ['shape = "rectangular"', f"at = [{_mm(x)}, {_mm(y)}]"]
        lines += [f"width = {_mm(width)}", f"height = {_mm(height)}"]
        if abs(turned) > _SAME:
            lines.append(f'turned = "{format_number(math.degrees(turned), 9)} deg"')
        return lines
    low, high = _box(contour)
    middle = 0.5 * (low + high)
    moved = contour.moved(np.eye(2), -middle)
    at = f"at = [{_mm(middle[0])}, {_mm(middle[1])}]"
    return ['shape = "contour"', at, f"points = [\n{_points(moved)}]"]


def _points(contour: Contour) -> str:
    """Points as a sheet has them, each with the arc that leads to it."""
    segments = list(contour.segments)
    while len(segments) < 3:  # two arcs close, but a sheet wants three points
        longest = max(range(len(segments)), key=lambda at: segments[at].length)
        segments[longest : longest + 1] = _halves(segments[longest])
    lines = []
    for at, segment in enumerate(segments):
        before = segments[at - 1]
        entry = f"at = [{_mm(segment.start[0])}, {_mm(segment.start[1])}]"
        if isinstance(before, Arc):
            x, y = before.position(np.array([0.5]))[0]
            entry += f", through = [{_mm(x)}, {_mm(y)}]"
        lines.append(f"  {{ {entry} }},\n")
    _few(lines)
    return "".join(lines)


def _halves(segment: Segment) -> list[Segment]:
    if isinstance(segment, Line):
        middle = _pair(segment.position(np.array([0.5]))[0])
        return [Line(segment.start, middle), Line(middle, segment.stop)]
    half = 0.5 * (segment.first + segment.last)
    return [replace(segment, last=half), replace(segment, first=half)]


def _few(points: Sequence[str]) -> None:
    if len(points) > _MOST_POINTS:
        raise DrawingError(
            f"a contour has {len(points)} points, where a plate's has {_MOST_POINTS} at most; "
            "draw it with arcs in place of many short lines"
        )


def _mm(length: float) -> str:
    return f'"{format_number(float(length) * 1e3, 9)} mm"'


def _quoted(text: str) -> str:
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'
