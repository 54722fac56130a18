"""Plates of closed contours as a sheet writes them: discs, rectangles, polygons, contours."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from belltone.exchange.arrivals import millimetres, quoted
from belltone.exchange.drawings.curves import SAME, box_of, few_points, pair
from belltone.geometry.profiles import Arc, Line, Segment
from belltone.geometry.shapes import Contour
from belltone.sheet.units import format_number

__all__ = ["hole_text", "outline_text", "plate_lines", "profile_text"]

Array = NDArray[np.float64]


def plate_lines(
    name: str, outline: Contour, holes: Sequence[tuple[str, Contour]], wall: Sequence[str]
) -> list[str]:
    """A plate of a sheet, line by line; ``wall`` holds its material, thickness and placement."""
    lines = [f"[parts.{name}]", 'kind = "plate"', *wall, f"outline = {outline_text(outline)}"]
    for title, hole in holes:
        lines += ["", f"[[parts.{name}.holes]]", f"name = {quoted(title)}", *hole_text(hole)]
    return lines


def _circle(contour: Contour) -> tuple[Array, float] | None:
    """Centre and radius, where a contour is a circle."""
    arcs = [each for each in contour.segments if isinstance(each, Arc)]
    if len(arcs) != len(contour.segments):
        return None
    centres = np.array([each.centre for each in arcs])
    radii = np.array([each.radius for each in arcs])
    apart = float(np.ptp(centres, axis=0).max()) + float(np.ptp(radii))
    return (centres[0], float(radii[0])) if apart <= SAME * radii[0] else None


def _rectangle(contour: Contour) -> tuple[Array, float, float, float] | None:
    """Middle, width, height and how far it is turned, where a contour is a rectangle."""
    if len(contour.segments) != 4 or any(isinstance(each, Arc) for each in contour.segments):
        return None
    corners = np.array([each.start for each in contour.segments])
    sides = np.roll(corners, -1, axis=0) - corners
    lengths = np.linalg.norm(sides, axis=1)
    square = abs(float(sides[0] @ sides[1])) <= SAME * lengths[0] * lengths[1]
    even = float(np.linalg.norm(sides[0] + sides[2])) <= SAME * lengths[0]
    if not (square and even):
        return None
    turned = math.atan2(sides[0][1], sides[0][0])
    width, height = float(lengths[0]), float(lengths[1])
    quarters = round(turned / (math.pi / 2))
    if quarters % 2:
        width, height = height, width
    return corners.mean(axis=0), width, height, turned - quarters * math.pi / 2


def outline_text(contour: Contour) -> str:
    """An outline as TOML: a disc, a rectangle, a polygon, or a contour."""
    circle, box = _circle(contour), _rectangle(contour)
    if circle is not None:
        return f'{{ shape = "disc", diameter = {_mm(2 * circle[1])} }}'
    if box is not None and abs(box[3]) < SAME:
        return f'{{ shape = "rectangle", width = {_mm(box[1])}, height = {_mm(box[2])} }}'
    if all(isinstance(each, Line) for each in contour.segments):
        points = [f"[{_mm(each.start[0])}, {_mm(each.start[1])}]" for each in contour.segments]
        few_points(points)
        return f'{{ shape = "polygon", points = [{", ".join(points)}] }}'
    return f'{{ shape = "contour", points = [\n{_points(contour)}] }}'


def hole_text(contour: Contour) -> list[str]:
    """A hole's keys as TOML: round, rectangular, or a contour about its middle."""
    circle, box = _circle(contour), _rectangle(contour)
    if circle is not None:
        x, y = circle[0]
        return ['shape = "round"', f"at = [{_mm(x)}, {_mm(y)}]", f"diameter = {_mm(2 * circle[1])}"]
    if box is not None:
        (x, y), width, height, turned = box
        lines = ['shape = "rectangular"', f"at = [{_mm(x)}, {_mm(y)}]"]
        lines += [f"width = {_mm(width)}", f"height = {_mm(height)}"]
        if abs(turned) > SAME:
            lines.append(f'turned = "{format_number(math.degrees(turned), 9)} deg"')
        return lines
    low, high = box_of(contour)
    middle = 0.5 * (low + high)
    moved = contour.moved(np.eye(2), -middle)
    at = f"at = [{_mm(middle[0])}, {_mm(middle[1])}]"
    return ['shape = "contour"', at, f"points = [\n{_points(moved)}]"]


def profile_text(pieces: Sequence[Segment], closed: bool) -> str:
    """Points of a profile as TOML, each with the arc that leads to it."""
    lines = [_entry(pieces[0].start, None)]
    lines += [_entry(piece.stop, piece) for piece in (pieces[:-1] if closed else pieces)]
    few_points(lines)
    return f"[\n{''.join(lines)}]"


def _entry(place: tuple[float, float], way: Segment | None) -> str:
    """A point, and the arc that leads to it, if one does."""
    entry = f"at = [{_mm(place[0])}, {_mm(place[1])}]"
    if isinstance(way, Arc):
        x, y = way.position(np.array([0.5]))[0]
        entry += f", through = [{_mm(x)}, {_mm(y)}]"
    return f"  {{ {entry} }},\n"


def _points(contour: Contour) -> str:
    """Points as a sheet has them, each with the arc that leads to it."""
    segments = list(contour.segments)
    while len(segments) < 3:  # two arcs close, but a sheet wants three points
        longest = max(range(len(segments)), key=lambda at: segments[at].length)
        segments[longest : longest + 1] = _halves(segments[longest])
    lines = [_entry(segment.start, segments[at - 1]) for at, segment in enumerate(segments)]
    few_points(lines)
    return "".join(lines)


def _halves(segment: Segment) -> list[Segment]:
    if isinstance(segment, Line):
        middle = pair(segment.position(np.array([0.5]))[0])
        return [Line(segment.start, middle), Line(middle, segment.stop)]
    half = 0.5 * (segment.first + segment.last)
    return [replace(segment, last=half), replace(segment, first=half)]


def _mm(length: float) -> str:
    return quoted(millimetres(length, 9))
