"""Drawings in DXF: lines, arcs, polylines with bulges, circles, ellipses and splines."""

from __future__ import annotations

import io
import logging
import math
import re
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.exchange.drawings.curves import (
    CURVE,
    UNITS,
    BendLine,
    DrawingError,
    Drawn,
    arcs_along,
    drawn_of,
)
from belltone.files import read_bytes
from belltone.geometry.profiles import Arc, Line, Segment

__all__ = ["bend_layer", "dxf_layers", "read_dxf"]

Array = NDArray[np.float64]

_MOST_BYTES: Final = 50_000_000
_STATED: Final = {1: "in", 2: "ft", 4: "mm", 5: "cm", 6: "m"}
_POINTS: Final = 513  # an ellipse is read at
_CURVES: Final = ("SPLINE", "ELLIPSE")
_KNOWN: Final = ("LINE", "ARC", "CIRCLE", "LWPOLYLINE", "POLYLINE", *_CURVES)
_BEND: Final = re.compile(r"bend|fold", re.IGNORECASE)


def bend_layer(layer: str) -> bool:
    """Whether a layer's name says that its lines are to be bent along."""
    return _BEND.search(layer) is not None


def dxf_layers(path: Path) -> tuple[str, ...]:
    """The layers of a drawing on which something lies; raises `DrawingError`, ``FileError``."""
    return tuple(sorted({entity.dxf.layer for entity in _entities(_read(path))}))


def read_dxf(path: Path, unit: str | None = None, layers: Sequence[str] = ()) -> Drawn:
    """What a drawing holds, ``layers`` alone if any are named; bend layers hold bend lines.

    ``unit`` is that of a drawing that states none. Raises `DrawingError` and ``FileError``.
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
    bends = [entity for entity in lines if bend_layer(entity.dxf.layer)]
    lines = [entity for entity in lines if not bend_layer(entity.dxf.layer)]
    if not lines:
        raise DrawingError("nothing is drawn that could be an outline: no line, arc or circle")
    size = scale * _size(lines)
    if not size > 0:
        raise DrawingError("everything that is drawn lies at one point")
    found = [list(_segments(entity, scale, CURVE * size)) for entity in lines]
    curved = sum(entity.dxftype() in _CURVES for entity in lines)
    folds = [bend for entity in bends for bend in _bend_lines(entity, scale, CURVE * size)]
    return drawn_of(found, size, curved, notes, folds)


def _bend_lines(entity: Any, scale: float, near: float) -> Iterator[BendLine]:
    """Straight lines of a bend layer, with what its name says: “bend 90 deg R3 up”."""
    layer = str(entity.dxf.layer)
    angle = re.search(r"(\d+(?:\.\d+)?)\s*(?:deg|°)", layer) or re.search(
        r"(?<![A-Za-z.\d])(\d+(?:\.\d+)?)(?![.\d])", layer
    )
    radius = re.search(r"[Rr]\s*(\d+(?:\.\d+)?)", layer)
    way = re.search(r"up|down", layer, re.IGNORECASE)
    for segment in _segments(entity, scale, near):
        if isinstance(segment, Line):
            yield BendLine(
                segment.start,
                segment.stop,
                layer,
                None if angle is None else math.radians(float(angle[1])),
                None if radius is None else float(radius[1]) * scale,
                None if way is None else way[0].lower() == "up",
            )


def _read(path: Path) -> Any:
    # Loaded only where it is needed: it takes a while.
    from ezdxf import recover

    data = read_bytes(path, _MOST_BYTES, "a drawing")
    logging.getLogger("ezdxf").setLevel(logging.CRITICAL)  # it would talk on the terminal
    try:
        drawing, _ = recover.read(io.BytesIO(data))
    except Exception as error:  # the reader's own, of many sorts
        raise DrawingError(f"“{path}” is not a DXF drawing that can be read") from error
    return drawing


def _unit_of(drawing: Any, unit: str | None) -> tuple[float, str]:
    stated = _STATED.get(int(drawing.header.get("$INSUNITS", 0)))
    if unit is not None:
        if unit not in UNITS:
            raise DrawingError(f"“{unit}” is no unit of a drawing; use {', '.join(UNITS)}")
        told = f"lengths are taken in {unit}"
        if stated is not None and stated != unit:
            told += f", though the drawing says {stated}"
        return UNITS[unit], told
    if stated is None:
        raise DrawingError(
            f"the drawing states no unit that is known; say which: {', '.join(UNITS)}"
        )
    return UNITS[stated], f"lengths are in {stated}, as the drawing says"


def _entities(drawing: Any) -> Iterator[Any]:
    """What lies in the drawing's space, blocks taken apart, layers that are off left out.

    Things of no known kind have no layer, and are passed over.
    """
    for entity in drawing.modelspace():
        if not entity.dxf.is_supported("layer"):
            continue
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
    yield from arcs_along(fine, near)
