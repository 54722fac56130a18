"""Flat patterns folded along their bend lines: panels as plates, bends as extruded arcs.

The neutral line is the middle of the wall: a bend by an angle over an inner radius takes
angle × (radius + thickness / 2) of the pattern, half on each side of its line.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.exchange.arrivals import millimetres, place_words, plural, quoted, triple
from belltone.exchange.drawings.curves import SAME, BendLine, DrawingError, box_of
from belltone.exchange.drawings.plate_text import plate_lines
from belltone.geometry.outlines import closed_line, inside
from belltone.geometry.profiles import Arc, Line, Segment
from belltone.geometry.shapes import Contour
from belltone.sheet.units import format_number
from belltone.vectors import cross

__all__ = ["Bends", "folded_parts"]

Array = NDArray[np.float64]

_ASLANT: Final = 1e-3  # of a bend's length; its ends may be so far from square to it
_STEEP: Final = math.radians(175.0)


@dataclass(frozen=True)
class Bends:
    """What bend layers leave open: ``angle`` (rad), inner ``radius`` (m; the thickness), ``up``."""

    angle: float = math.pi / 2
    radius: float | None = None
    up: bool = True


@dataclass(frozen=True, eq=False)
class _Bend:
    """A bend line: a point of it, its unit direction and the way across, and what it is bent by."""

    start: Array
    along: Array
    across: Array
    angle: float
    middle_radius: float
    up: bool

    @property
    def half(self) -> float:
        """Half of what it takes of the pattern (m)."""
        return 0.5 * self.angle * self.middle_radius


@dataclass(frozen=True, eq=False)
class _Frame:
    """Where a panel's flat coordinates stand: an origin, and axes as columns."""

    origin: Array
    axes: Array

    def at(self, flat: Array) -> Array:
        return np.asarray(self.origin + self.axes[:, 0] * flat[0] + self.axes[:, 1] * flat[1])


def folded_parts(
    outline: Contour,
    holes: Sequence[tuple[str, Contour]],
    lines: Sequence[BendLine],
    thickness: float,
    material: str,
    open_questions: Bends,
) -> tuple[list[str], list[str]]:
    """The parts and joints of a folded plate, line by line, and what there is to say.

    The largest panel stays where it is drawn. Raises `DrawingError`.
    """
    bends = [_bend(line, thickness, open_questions) for line in lines]
    panels = [outline]
    strips: list[tuple[Array, Array]] = []
    for bend in bends:
        at = [k for k, panel in enumerate(panels) if _crosses(panel, bend)]
        if len(at) != 1:
            middle = place_words(bend.start)
            raise DrawingError(
                f"the bend line at {middle} must run through one flat panel from rim to rim; it "
                f"crosses {plural(len(at), 'panel')}"
            )
        panel = panels.pop(at[0])
        below, ends = _half(panel, bend, -1.0)
        above, others = _half(panel, bend, 1.0)
        strips.append(_strip(bend, ends, others))
        panels += [below, above]
    links = _links(panels, bends, strips)
    frames = _stood(panels, links, bends)
    wall = [f"material = {quoted(material)}", 'thickness = "thickness"']
    text: list[str] = []
    left = dict(holes)
    for number, (panel, frame) in enumerate(zip(panels, frames, strict=True), start=1):
        corners = box_of(panel)
        centre = 0.5 * (corners[0] + corners[1])
        rim = closed_line(panel)
        own = [name for name, hole in left.items() if inside(closed_line(hole), rim).all()]
        moved = [(name, left.pop(name).moved(np.eye(2), -centre)) for name in own]
        about = panel.moved(np.eye(2), -centre)
        stands = [*wall, f"placement = {_placement(frame.at(centre), frame.axes)}"]
        text += [*plate_lines(f"panel_{number}", about, moved, stands), ""]
    if left:
        raise DrawingError(f"“{next(iter(left))}” lies across a bend, which cannot be folded")
    for number, (bend, strip, (one, two)) in enumerate(
        zip(bends, strips, links, strict=True), start=1
    ):
        text += [*_bend_part(number, bend, strip, frames[one], wall), ""]
        for panel_number in (one, two):
            text += [
                "[[joints]]",
                f'between = ["panel_{panel_number + 1}", "bend_{number}"]',
                'how = "welded"',
                "",
            ]
    return text[:-1], list(_told(panels, bends, lines))


def _bend(line: BendLine, thickness: float, open_questions: Bends) -> _Bend:
    start, stop = np.array(line.start), np.array(line.stop)
    along = (stop - start) / np.linalg.norm(stop - start)
    angle = open_questions.angle if line.angle is None else line.angle
    radius = line.radius
    if radius is None:
        radius = thickness if open_questions.radius is None else open_questions.radius
    if not 0 < angle < _STEEP or radius < 0:
        raise DrawingError(
            f"a bend by {format_number(math.degrees(angle), 4)} deg over "
            f"{millimetres(radius, 4)} cannot be folded; angles lie between 0 and 175 deg"
        )
    up = open_questions.up if line.up is None else line.up
    across = np.array([-along[1], along[0]])
    return _Bend(start, along, across, angle, radius + 0.5 * thickness, up)


def _crosses(panel: Contour, bend: _Bend) -> bool:
    """Whether a panel lies on both sides of a bend line, and the line is drawn on it."""
    line = closed_line(panel)
    away = (line - bend.start) @ bend.across
    if not (away.min() < -SAME and away.max() > SAME):
        return False
    # A point of the line just inside: it is drawn from rim to rim.
    probe = bend.start + 1e-3 * float(np.ptp(line, axis=0).max()) * bend.along
    return bool(inside(probe[None], line)[0])


def _half(panel: Contour, bend: _Bend, side: float) -> tuple[Contour, tuple[Array, Array]]:
    """What of a panel is beyond a bend's zone on one side, and where the cut begins and ends."""
    normal = side * bend.across

    def away(point: Array) -> float:
        return float((point - bend.start) @ normal) - bend.half

    kept: list[Segment] = []
    for segment in panel.segments:
        kept += [piece for piece in _split(segment, away) if away(_middle(piece)) > 0]
    if not kept:
        raise DrawingError(
            f"nothing is left beyond the bend at {place_words(bend.start)}: it takes "
            f"{millimetres(bend.half, 4)} on each side"
        )
    gaps = [at for at in range(len(kept)) if math.dist(kept[at - 1].stop, kept[at].start) > 1e-9]
    if len(gaps) != 1:
        raise DrawingError(
            f"the bend line at {place_words(bend.start)} leaves and enters the plate more than "
            "once; it must run from rim to rim"
        )
    at = gaps[0]
    ordered = [*kept[at:], *kept[:at]]
    start, stop = ordered[-1].stop, ordered[0].start
    return Contour((*ordered, Line(start, stop))), (np.array(start), np.array(stop))


def _split(segment: Segment, away: Callable[[Array], float]) -> Iterator[Segment]:
    """A line or arc cut where it passes a straight line, told by the distance from that."""
    share = np.linspace(0.0, 1.0, 2 if isinstance(segment, Line) else 33)
    values = [away(point) for point in segment.position(share)]
    cuts = [0.0]
    for k in range(len(share) - 1):
        if values[k] * values[k + 1] < 0:
            low, high = float(share[k]), float(share[k + 1])
            for _ in range(60):
                middle = 0.5 * (low + high)
                if away(segment.position(np.array([middle]))[0]) * values[k] > 0:
                    low = middle
                else:
                    high = middle
            cuts.append(0.5 * (low + high))
    cuts.append(1.0)
    for low, high in itertools.pairwise(cuts):
        if high - low > 1e-12:
            yield _piece(segment, low, high)


def _piece(segment: Segment, low: float, high: float) -> Segment:
    if isinstance(segment, Line):
        ends = segment.position(np.array([low, high]))
        (ax, ay), (bx, by) = ends.tolist()
        return Line((ax, ay), (bx, by))
    turn = segment.last - segment.first
    return Arc(
        segment.centre, segment.radius, segment.first + low * turn, segment.first + high * turn
    )


def _middle(segment: Segment) -> Array:
    return np.asarray(segment.position(np.array([0.5]))[0])


def _strip(
    bend: _Bend, ends: tuple[Array, Array], others: tuple[Array, Array]
) -> tuple[Array, Array]:
    """Where the bend's zone begins and ends along its line; raises where its ends are aslant."""
    first = sorted(float((end - bend.start) @ bend.along) for end in ends)
    second = sorted(float((end - bend.start) @ bend.along) for end in others)
    length = first[1] - first[0]
    if max(abs(a - b) for a, b in zip(first, second, strict=True)) > _ASLANT * length:
        raise DrawingError(
            f"the rims beside the bend at {place_words(bend.start)} do not run square to it; such "
            "bends cannot be folded"
        )
    return bend.start + first[0] * bend.along, bend.start + first[1] * bend.along


def _links(
    panels: Sequence[Contour], bends: Sequence[_Bend], strips: Sequence[tuple[Array, Array]]
) -> list[tuple[int, int]]:
    """The panels on both sides of each bend: below, above."""
    found = []
    for bend, (low, high) in zip(bends, strips, strict=True):
        middle = 0.5 * (low + high)
        beyond = bend.half + 1e-4 * float(np.linalg.norm(high - low))
        pair = []
        for side in (-1.0, 1.0):
            probe = (middle + side * beyond * bend.across)[None]
            on = (k for k, panel in enumerate(panels) if inside(probe, closed_line(panel))[0])
            pair.append(next(on, -1))
        if -1 in pair:
            raise DrawingError(
                f"there is no flat panel on both sides of the bend at {place_words(bend.start)}; "
                "bends this near to each other or to a rim cannot be folded"
            )
        found.append((pair[0], pair[1]))
    return found


def _stood(
    panels: Sequence[Contour], links: Sequence[tuple[int, int]], bends: Sequence[_Bend]
) -> list[_Frame]:
    """Where every panel stands, the largest as it is drawn."""
    areas = []
    for panel in panels:
        x, y = closed_line(panel).T
        areas.append(abs(float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))))
    base = int(np.argmax(areas))
    frames: dict[int, _Frame] = {base: _Frame(np.zeros(3), np.eye(3))}
    new = [base]
    while new:
        here = new.pop()
        for (one, two), bend in zip(links, bends, strict=True):
            for known, other, side in ((one, two, 1.0), (two, one, -1.0)):
                if known == here and other not in frames:
                    frames[other] = _beyond(frames[known], bend, side)
                    new.append(other)
    return [frames[number] for number in range(len(panels))]


def _beyond(frame: _Frame, bend: _Bend, side: float) -> _Frame:
    """The frame of the panel beyond a bend, which it reaches going across by ``side``."""
    lift = 1.0 if bend.up else -1.0
    across = frame.axes[:, :2] @ (side * bend.across)
    up = lift * frame.axes[:, 2]
    along = frame.axes[:, :2] @ bend.along
    edge = frame.at(bend.start - side * bend.half * bend.across)
    centre = edge + bend.middle_radius * up
    cosine, sine = math.cos(bend.angle), math.sin(bend.angle)
    far = centre + bend.middle_radius * (sine * across - cosine * up)
    way = cosine * across + sine * up
    # Flat places beyond the zone, counted from its far edge.
    flat_edge = bend.start + side * bend.half * bend.across
    turned = np.column_stack([along, side * way])
    flat_axes = np.column_stack([bend.along, bend.across])
    plane = turned @ np.linalg.inv(flat_axes)
    axes = np.column_stack([plane, cross(plane[:, 0], plane[:, 1])])
    return _Frame(far - plane @ flat_edge, axes)


def _bend_part(
    number: int, bend: _Bend, strip: tuple[Array, Array], frame: _Frame, wall: Sequence[str]
) -> list[str]:
    """An extruded arc from the panel below a bend, along its line."""
    low, high = strip
    lift = 1.0 if bend.up else -1.0
    radius = bend.middle_radius
    points = []
    for share in (0.5, 1.0):
        angle = share * bend.angle
        points.append((radius * math.sin(angle), lift * radius * (1 - math.cos(angle))))
    half, end = (", ".join(quoted(millimetres(each, 9)) for each in point) for point in points)
    along = frame.axes[:, :2] @ bend.along
    across = frame.axes[:, :2] @ bend.across
    axes = np.column_stack([along, across, cross(along, across)])
    origin = frame.at(low - bend.half * bend.across)
    return [
        f"[parts.bend_{number}]",
        'kind = "extruded"',
        *wall,
        f"length = {quoted(millimetres(float(np.linalg.norm(high - low)), 9))}",
        f'profile = [{{ at = ["0 mm", "0 mm"] }}, {{ at = [{end}], through = [{half}] }}]',
        f"placement = {_placement(origin, axes)}",
    ]


def _placement(origin: Array, axes: Array) -> str:
    """Origin and turns about x, y and z in order that give axes (columns)."""
    second = -math.asin(max(-1.0, min(1.0, float(axes[2, 0]))))
    if abs(abs(float(axes[2, 0])) - 1) > 1e-9:
        first = math.atan2(float(axes[2, 1]), float(axes[2, 2]))
        third = math.atan2(float(axes[1, 0]), float(axes[0, 0]))
    else:
        third = 0.0
        first = math.atan2(-float(axes[1, 2]), float(axes[1, 1]))
    turns = ", ".join(
        quoted(f"{format_number(math.degrees(each) + 0.0, 9)} deg")
        for each in (first, second, third)
    )
    x, y, z = (round(float(each), 12) + 0.0 for each in origin)
    return f"{{ at = {triple((x, y, z))}, turn = [{turns}] }}"


def _told(
    panels: Sequence[Contour],
    bends: Sequence[_Bend],
    lines: Sequence[BendLine],
) -> Iterator[str]:
    yield f"{plural(len(panels), 'panel')} and {plural(len(bends), 'bend')}"
    for number, (bend, line) in enumerate(zip(bends, lines, strict=True), start=1):
        angle = format_number(math.degrees(bend.angle), 4)
        way = "up" if bend.up else "down"
        radius = millimetres(bend.middle_radius, 4)
        words = f"bend {number}: {angle} deg {way}, {radius} to the middle of the wall"
        guessed = [
            name
            for name, value in (("angle", line.angle), ("radius", line.radius), ("way", line.up))
            if value is None
        ]
        yield words + (f"; its layer does not say its {' and '.join(guessed)}" if guessed else "")
