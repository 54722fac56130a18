"""Outlines and profiles from tables of points: x and y in each row, an empty row between lines."""

from __future__ import annotations

import csv
import itertools
import math
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Final

import numpy as np

from belltone.exchange.drawings.curves import SAME, UNITS, DrawingError, Drawn, fewer_pieces
from belltone.files import read_text
from belltone.geometry.profiles import Line, Segment

__all__ = ["holds_points", "read_points", "read_profile"]

_MOST_BYTES: Final = 20_000_000
_UNIT: Final = re.compile(r"[\(\[]\s*(mm|cm|m|in|ft)\s*[\)\]]")
_MOST_POINTS: Final = 20_000


def holds_points(text: str) -> bool:
    """Whether a table holds rows of two numbers, as points of an outline."""
    rows = [row for _, row in _rows(text[:4000]) if row]
    return sum(_numbers(row) is not None for row in rows) > 0.5 * len(rows)


def read_points(path: Path, unit: str | None = None) -> Drawn:
    """Closed contours of points; raises `DrawingError` and ``FileError``.

    A heading may state the unit, such as “x (mm), y”; ``unit`` is that of a table without.
    """
    contours, size, told = _contours(path, unit)
    loops = tuple(tuple(_closed(points, size)) for points in contours)
    short = next((number for number, loop in enumerate(loops, start=1) if len(loop) < 3), None)
    if short is not None:
        raise DrawingError(f"contour {short} has fewer than three points, and outlines nothing")
    return Drawn(size, (), loops, (told, f"{sum(map(len, loops))} points"))


def read_profile(
    path: Path, unit: str | None = None
) -> tuple[tuple[Segment, ...], bool, list[str]]:
    """The one line of a table of points, whether it is closed, and what there is to say of it.

    Raises `DrawingError` and ``FileError``.
    """
    contours, size, told = _contours(path, unit)
    if len(contours) > 1:
        raise DrawingError(
            f"the table holds {len(contours)} lines of points; a profile is one of them alone"
        )
    points = [
        place
        for at, place in enumerate(contours[0])
        if not at or math.dist(place, contours[0][at - 1]) > SAME * size
    ]
    if len(points) < 2:
        raise DrawingError("a profile takes two points at least")
    closed = len(points) > 3 and math.dist(points[0], points[-1]) <= SAME * size
    segments: list[Segment] = [Line(a, b) for a, b in itertools.pairwise(points)]
    found, more = fewer_pieces(segments, size)
    words = f"{'a closed' if closed else 'an open'} profile of {len(points)} points"
    return tuple(found), closed, [words, told, *more]


def _contours(path: Path, unit: str | None) -> tuple[list[list[tuple[float, float]]], float, str]:
    """Lines of points (m), how large they are together, and what is said of the unit."""
    text = read_text(path, _MOST_BYTES, "a table of points")
    contours: list[list[tuple[float, float]]] = [[]]
    stated = None
    for line, row in _rows(text):
        if not any(row):
            contours.append([])
            continue
        point = _numbers(row)
        if point is not None:
            contours[-1].append(point)
            continue
        if found := _UNIT.search(" ".join(row)):
            stated = found[1]
        elif any(contours):
            raise DrawingError(
                f"line {line}: “{', '.join(row)}” is no point; a point is two numbers, x and y, "
                "and an empty row stands between contours"
            )
    contours = [points for points in contours if points]
    if not contours:
        raise DrawingError("the table holds no points: two numbers, x and y, in each row")
    if sum(map(len, contours)) > _MOST_POINTS:
        raise DrawingError(f"the table holds more than {_MOST_POINTS} points, which is too many")
    if unit is not None and unit not in UNITS:
        raise DrawingError(f"“{unit}” is no unit of a table; use {', '.join(UNITS)}")
    used = unit or stated
    if used is None:
        raise DrawingError(
            f"the table states no unit; say which: {', '.join(UNITS)}; a heading such as "
            "“x (mm), y” would state it"
        )
    told = f"lengths are in {used}, as its heading says" if unit is None else (
        f"lengths are taken in {used}"
    )  # fmt: skip
    scale = UNITS[used]
    every = scale * np.concatenate([np.array(points) for points in contours])
    size = float(np.linalg.norm(np.ptp(every, axis=0)))
    if not size > 0:
        raise DrawingError("all points are at one place")
    scaled = [[(scale * x, scale * y) for x, y in points] for points in contours]
    return scaled, size, told


def _closed(places: list[tuple[float, float]], size: float) -> Iterator[Segment]:
    kept = [
        place for at, place in enumerate(places) if math.dist(place, places[at - 1]) > SAME * size
    ]
    for at, place in enumerate(kept):
        yield Line(kept[at - 1], place)


def _rows(text: str) -> list[tuple[int, list[str]]]:
    sample = text[:2000]
    mark = max(";\t,", key=sample.count)
    if not sample.count(mark):
        return [(line, row.split()) for line, row in enumerate(text.splitlines(), start=1)]
    try:
        reader = csv.reader(text.splitlines(), delimiter=mark)
        return [(line, [cell.strip() for cell in row]) for line, row in enumerate(reader, start=1)]
    except csv.Error as error:
        raise DrawingError(f"this is no table: {error}") from error


def _numbers(row: list[str]) -> tuple[float, float] | None:
    cells = [cell for cell in row if cell]
    if len(cells) != 2:
        return None
    try:
        x, y = (float(cell) for cell in cells)
    except ValueError:
        return None
    return (x, y) if math.isfinite(x) and math.isfinite(y) else None
