"""Dimension lines and names over a picture of the component, as SVG."""

from __future__ import annotations

import math
from collections.abc import Sequence
from html import escape
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.place import Place
from belltone.design.values import Design
from belltone.drawing.colours import Palette
from belltone.drawing.stills import Still
from belltone.sheet.shown_units import ShownUnits
from belltone.system.kinds import location, place_lines

__all__ = ["overlay"]

Array = NDArray[np.float64]
Box = tuple[float, float, float, float]

_AWAY: Final = 26.0  # pixels from the component to its dimension line
_SHORT: Final = 26.0  # pixels; a shorter extent has no room for a dimension
_LETTER: Final = 6.1  # pixels a letter takes, about
_LINE: Final = 15.0
_EDGE: Final = 4.0
_DOWN: Final = 30.0  # from a place to its name
_FLAT: Final = 1e-3  # of the largest extent; what is thinner has no dimension


def overlay(still: Still, design: Design, palette: Palette) -> str:
    """Overall dimensions along the sheet's axes, and names of what holds, hangs on and loads.

    An SVG element as large as the picture, of the scene as it was last drawn.
    """
    width, height = still.view.width, still.view.height
    taken: list[Box] = []
    pieces = _dimensions(still, design.shown, height, palette, taken)
    pieces += _axes(still, height, palette)
    pieces += _names(still, design, width, height, palette, taken)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" '
        f'width="{width}" height="{height}" font-family="DejaVu Sans, sans-serif" '
        f'font-size="10.5">{"".join(pieces)}</svg>'
    )


def _dimensions(
    still: Still, units: ShownUnits, height: int, palette: Palette, taken: list[Box]
) -> list[str]:
    """A dimension line beside the component for each of its extents."""
    points = still.scene.part.points
    low, high = points.min(axis=0), points.max(axis=0)
    extent = high - low
    flat = still.scene.eye.project(points, height)[:, :2]
    middle = 0.5 * (flat.min(axis=0) + flat.max(axis=0))
    pieces: list[str] = []
    for axis in np.flatnonzero(extent > _FLAT * extent.max()).tolist():
        ends = _outermost(still, height, low, high, axis, middle)
        along = ends[1] - ends[0]
        length = float(np.linalg.norm(along))
        if length < _SHORT:
            continue
        along /= length
        out = np.array([-along[1], along[0]])
        if out @ (ends.mean(axis=0) - middle) < 0:
            out = -out
        # Beyond whatever of the component bulges over the edge of its box.
        reach = max(float(((flat - ends[0]) @ out).max()), 0.0) + _AWAY
        start, stop = ends + reach * out
        for end, foot in zip((start, stop), ends, strict=True):
            pieces.append(_stroke(foot + 3 * out, end + 5 * out, palette.muted, 0.6))
            tick = 4 * (along + out)
            pieces.append(_stroke(end - tick, end + tick, palette.ink, 1.1))
        pieces.append(_stroke(start, stop, palette.ink, 0.8))
        text = units.length_text(float(extent[axis]), 5)
        angle = math.degrees(math.atan2(along[1], along[0]))
        angle += 180 if angle > 90 else -180 if angle <= -90 else 0
        at = 0.5 * (start + stop) + 9 * out
        half = 0.5 * _LETTER * len(text)
        taken.append((at[0] - half, at[1] - 9, at[0] + half, at[1] + 9))
        pieces.append(
            f'<text x="{at[0]:.1f}" y="{at[1] + 3.5:.1f}" fill="{palette.ink}" '
            f'text-anchor="middle" transform="rotate({angle:.1f} {at[0]:.1f} {at[1]:.1f})">'
            f"{text}</text>"
        )
    return pieces


def _outermost(
    still: Still, height: int, low: Array, high: Array, axis: int, middle: Array
) -> Array:
    """The edge of the box along an axis that lies farthest out on the picture ``(2, 2)``."""
    others = [other for other in range(3) if other != axis]
    best, far = np.zeros((2, 2)), -1.0
    for choice in range(4):
        ends = np.stack([low, low])
        for bit, other in enumerate(others):
            ends[:, other] = high[other] if choice >> bit & 1 else low[other]
        ends[1, axis] = high[axis]
        flat = still.scene.eye.project(ends, height)[:, :2]
        away = flat.mean(axis=0) - middle
        # Below and to the right, where a reader looks first.
        rank = float(np.linalg.norm(away)) + 0.2 * float(away[1] + away[0])
        if rank > far:
            best, far = flat, rank
    return best


def _axes(still: Still, height: int, palette: Palette) -> list[str]:
    origin = np.array([32.0, height - 30.0])
    pieces = []
    for name, way in zip("xyz", still.scene.eye.axes, strict=True):
        tip = origin + 20 * way
        pieces.append(_stroke(origin, tip, palette.muted, 1.2))
        if np.linalg.norm(way) > 0.25:
            at = origin + 27 * way
            pieces.append(
                f'<text x="{at[0]:.1f}" y="{at[1] + 3.5:.1f}" fill="{palette.muted}" '
                f'text-anchor="middle">{name}</text>'
            )
    return pieces


def _names(
    still: Still,
    design: Design,
    width: int,
    height: int,
    palette: Palette,
    taken: list[Box],
) -> list[str]:
    """Names with a line to what they name, never over one another."""
    named: list[tuple[str, Array]] = [
        (each.name, _on(design, each.place)) for each in design.supports
    ]
    named += [
        (
            f"{each.name}, {design.shown.mass_text(each.mass)}",
            location(design, each.place) + np.array(each.offset),
        )
        for each in design.masses
    ]
    named += [
        (each.name, _on(design, each.first.place))
        for each in design.joints
        if each.first.place is not None and not each.implied and each.how != "none"
    ]
    if design.preload is not None:
        named += [(each.name, _on(design, each.place)) for each in design.preload.forces]
        named += [(each.name, _on(design, each.place)) for each in design.preload.pressures]
    if len(design.solid_parts) > 1:
        named += [(name, still.scene.part.middle(name)) for name in still.scene.part.solid]
    pieces: list[str] = []
    for name, place in named:
        spot = still.scene.eye.project(np.asarray(place, float)[None], height)[0, :2]
        half = 0.5 * _LETTER * len(name) + 4
        x = min(max(float(spot[0]), half + _EDGE), width - half - _EDGE)
        y = _free(x, float(spot[1]), half, height, taken)
        if y is None:
            continue
        box = (x - half, y - 11, x + half, y + 4)
        taken.append(box)
        pieces.append(
            _stroke(spot, np.array([x, box[1] if y > spot[1] else box[3]]), palette.muted, 0.7)
        )
        pieces.append(
            f'<rect x="{box[0]:.1f}" y="{box[1]:.1f}" width="{2 * half:.1f}" height="{_LINE}" '
            f'fill="{palette.card}" fill-opacity="0.85"/><text x="{x:.1f}" y="{y:.1f}" '
            f'fill="{palette.ink}" text-anchor="middle">{escape(name)}</text>'
        )
    return pieces


def _on(design: Design, place: Place) -> Array:
    """A point of a site: of one that runs along something, halfway along its first line."""
    lines = place_lines(design.part_of(place.part), place)
    return lines[0][len(lines[0]) // 2] if lines else location(design, place)


def _free(x: float, y: float, half: float, height: int, taken: Sequence[Box]) -> float | None:
    """Where below a place, or above it, there is room for a name."""
    for step in range(24):
        down = _DOWN + 16 * (step // 2)
        at = y + down if step % 2 == 0 else y - down
        box = (x - half, at - 11, x + half, at + 4)
        inside = box[1] > _EDGE and box[3] < height - _EDGE
        if inside and not any(_overlap(box, other) for other in taken):
            return at
    return None


def _overlap(one: Box, other: Box) -> bool:
    return one[0] < other[2] and other[0] < one[2] and one[1] < other[3] and other[1] < one[3]


def _stroke(start: Array, stop: Array, colour: str, wide: float = 1.0) -> str:
    return (
        f'<line x1="{start[0]:.1f}" y1="{start[1]:.1f}" x2="{stop[0]:.1f}" y2="{stop[1]:.1f}" '
        f'stroke="{colour}" stroke-width="{wide}"/>'
    )
