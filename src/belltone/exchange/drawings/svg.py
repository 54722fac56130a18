"""Outlines in SVG: paths, rectangles, circles, ellipses, polygons, with their transforms."""

from __future__ import annotations

import io
import math
import re
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.exchange.drawings.curves import (
    CURVE,
    SAME,
    UNITS,
    DrawingError,
    Drawn,
    arcs_along,
    drawn_of,
    pair,
)
from belltone.files import read_bytes
from belltone.geometry.profiles import Line, Segment

__all__ = ["read_svg", "svg_layers"]

Array = NDArray[np.float64]

_MOST_BYTES: Final = 50_000_000
_POINTS: Final = 257  # a curve is read at
_INCH: Final = 25.4  # user units to an inch, so that one is a millimetre


def svg_layers(path: Path) -> tuple[str, ...]:
    """The groups and things of a drawing that have a name; raises `DrawingError`, ``FileError``."""
    return tuple(sorted({name for name, _ in _shapes(_read(path)) if name}))


def read_svg(path: Path, unit: str | None = None, layers: Sequence[str] = ()) -> Drawn:
    """What a drawing holds, named groups alone if any are asked for; y counts upwards.

    ``unit`` is that of a drawing whose width states none. Raises `DrawingError`, ``FileError``.
    """
    document = _read(path)
    scale, told = _unit_of(document, unit)
    shapes = list(_shapes(document))
    known = sorted({name for name, _ in shapes if name})
    for layer in layers:
        if layer not in known:
            there = ", ".join(f"“{each}”" for each in known) or "none"
            raise DrawingError(f"the drawing has no group “{layer}”; there are {there}")
    if layers:
        shapes = [(name, shape) for name, shape in shapes if name in layers]
    lines = [subpath for _, shape in shapes for subpath in _subpaths(shape)]
    if not lines:
        raise DrawingError("nothing is drawn that could be an outline: no path, circle or polygon")
    ends = np.array([point for line in lines for piece in line for point in (piece[0], piece[-1])])
    size = scale * float(np.linalg.norm(np.ptp(ends, axis=0)))
    every = scale * np.concatenate([piece for line in lines for piece in line])
    size = max(size, float(np.linalg.norm(np.ptp(every, axis=0))))
    if not size > 0:
        raise DrawingError("everything that is drawn lies at one point")
    found: list[list[Segment]] = []
    curved = 0
    for line in lines:
        segments: list[Segment] = []
        for piece in line:
            points = scale * piece * [1.0, -1.0]
            if len(piece) > 2:
                curved += 1
                segments += arcs_along(points, CURVE * size)
            elif math.dist(points[0], points[1]) > SAME * size:
                segments.append(Line(pair(points[0]), pair(points[1])))
        found.append(segments)
    return drawn_of(found, size, curved, [told])


def _read(path: Path) -> Any:
    from svgelements import SVG  # loaded only where it is needed

    data = read_bytes(path, _MOST_BYTES, "a drawing")
    if b"<!ENTITY" in data:
        raise DrawingError(f"“{path}” defines entities of its own, which are not read")
    try:
        found = SVG.parse(io.BytesIO(data), reify=True, ppi=_INCH)
    except Exception as error:  # the reader's own, of many sorts
        raise DrawingError(f"“{path}” is not an SVG drawing that can be read") from error
    if not isinstance(found, SVG):
        raise DrawingError(f"“{path}” is not an SVG drawing that can be read")
    return found


def _unit_of(document: Any, unit: str | None) -> tuple[float, str]:
    """Metres to a user unit; the width of the picture states it, or nothing does."""
    stated = re.fullmatch(r"\s*[\d.eE+-]+\s*(mm|cm|in)\s*", str(document.values.get("width", "")))
    if unit is not None:
        if unit not in UNITS:
            raise DrawingError(f"“{unit}” is no unit of a drawing; use {', '.join(UNITS)}")
        if stated is not None:
            # Lengths came out in mm by the picture's own width; that is undone.
            return UNITS[unit] / UNITS[stated[1]] * 1e-3, (
                f"lengths are taken in {unit}, though the drawing says {stated[1]}"
            )
        return UNITS[unit], f"lengths are taken in {unit}"
    if stated is None:
        raise DrawingError(
            f"the drawing states no unit in its width; say which: {', '.join(UNITS)}"
        )
    return 1e-3, f"lengths are in {stated[1]}, as the drawing says"


def _shapes(document: Any, name: str = "") -> Iterator[tuple[str, Any]]:
    """All that is drawn, each with the name of the group it is in."""
    from svgelements import Group, Path, Shape

    for element in document:
        own = str(element.values.get("inkscape:label") or element.values.get("id") or "") or name
        if isinstance(element, Group):
            yield from _shapes(element, own)
        elif isinstance(element, Shape):
            drawn = Path(element)
            drawn.reify()
            yield name or own, drawn


def _subpaths(shape: Any) -> Iterator[list[Array]]:
    """Points along each piece of each connected line: two of a straight one, many of a curve."""
    from svgelements import Close, Move
    from svgelements import Line as Straight

    line: list[Array] = []
    share = np.linspace(0.0, 1.0, _POINTS)
    for segment in shape.segments():
        if isinstance(segment, Move):
            if line:
                yield line
            line = []
        elif isinstance(segment, Straight | Close):
            ends = [segment.start, segment.end]
            if None not in ends:
                line.append(np.array([(float(end.x), float(end.y)) for end in ends]))
        else:
            line.append(np.array([(point.x, point.y) for point in map(segment.point, share)]))
    if line:
        yield line
