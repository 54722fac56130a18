"""Blocks of plates: one for a plain four-sided plate, a ring of blocks round a hole, and so on."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.halved_quads import halved_quads
from belltone.geometry.profiles import Arc, Line
from belltone.geometry.quads import Quads, graded_quads, inner_places, quads
from belltone.geometry.seams import Seam, cut_seams, stretches
from belltone.geometry.shapes import (
    SIDE_NAMES,
    Contour,
    ContourHole,
    Disc,
    Hole,
    Outline,
    Plate,
    Polygon,
    RoundedRectangle,
    RoundHole,
)
from belltone.geometry.triangles import OutlineError, Triangulation, inner_points, triangulate
from belltone.mesh.blocks import BlockBuilder, Blocks, Piece

__all__ = ["PlateScheme", "plate_blocks", "plate_scheme", "rim_curves", "rims", "unfolded"]

Array = NDArray[np.float64]
Named = tuple[str, Line | Arc]

_CORE: Final = 0.5  # half diagonal of a disc's square core, as a share of the radius
_SAMPLES: Final = 17
_TRIANGLES: Final = 14  # aimed at over the area when a mesh of triangles is made
_FINER: Final = (1.0, 0.85, 0.7, 0.6, 0.5, 0.42, 0.35, 0.25)
_SCHEMES: Final = 64
_QUADS_TRIED: Final = 5
_SEAMS_TRIED: Final = 4
_MANY_HOLES: Final = 7
_STRIPS: Final = (0.25, 0.15, 0.1)  # of the spacing; widths of the strips along rims
_SEAM_STRIPS: Final = (0.2,)
_SHORT_OF_RIMS: Final = 0.2  # of the spacing; so far from a rim a seam that reaches it ends
_OPEN: Final = 0.08  # sine of an angle between the coordinates of a block
_OPEN_ENOUGH: Final = 0.15  # the same where nothing better follows a rib
_WELL_OPEN: Final = 0.25  # the same when blocks are chosen: dimensions may change yet
_CONVEX: Final = 1e-6


@dataclass(frozen=True)
class PlateScheme:
    """How a plate is cut into blocks; kept while its dimensions change."""

    name: str
    triangles: Triangulation | None = None
    quads: Quads | None = None


@lru_cache(maxsize=_SCHEMES)
def plate_scheme(plate: Plate, seams: tuple[Seam, ...] = ()) -> PlateScheme:
    """Choose how to cut a plate; raises `OutlineError` where no mesh is found.

    Blocks end along seams where a mesh with such blocks is found.

    A search may take a second; who draws a plate and who solves it ask for the same one.
    """
    outline, holes = plate.outline, plate.holes
    if seams:
        return _along_seams(plate, seams) or plate_scheme(plate)
    if isinstance(outline, Disc) and not holes:
        return PlateScheme("ring" if outline.bore else "disc")
    if isinstance(outline, RoundedRectangle) and not holes:
        return PlateScheme("rounded")
    if isinstance(outline, Polygon) and not holes and _convex_quad(outline):
        return PlateScheme("quad")
    drawn = isinstance(outline, Contour) or any(isinstance(hole, ContourHole) for hole in holes)
    if len(holes) == 1 and not drawn and not (isinstance(outline, Disc) and outline.bore):
        around = PlateScheme("round hole" if isinstance(holes[0], RoundHole) else "square hole")
        fits = not isinstance(outline, RoundedRectangle) or isinstance(holes[0], RoundHole)
        fits = fits and (not isinstance(outline, Polygon) or _convex(outline))
        four = isinstance(outline, Disc) or len(rim_curves(plate)[0]) == 4
        if (
            fits
            and (four or isinstance(holes[0], RoundHole))
            and unfolded(plate_blocks(plate, around))
        ):
            return around
    for scheme in _even(plate):
        if _openness(plate_blocks(plate, scheme)) > _WELL_OPEN:
            return scheme
    barely: list[PlateScheme] = []
    for scheme in _graded(plate):
        openness = _openness(plate_blocks(plate, scheme))
        if openness > _WELL_OPEN:
            return scheme
        barely += [scheme] if openness > _OPEN else []
    # Triangles are many, but follow changes far; quadrilaterals barely open would fold soon.
    for finer in _FINER:
        try:
            scheme = PlateScheme("triangles", triangulate(_rims(plate), finer * _spacing(plate)))
        except OutlineError:
            break
        if unfolded(plate_blocks(plate, scheme)):
            return scheme
    if barely:
        return barely[0]
    raise OutlineError("no mesh was found for this outline and its holes; are two rims too close?")


def _along_seams(plate: Plate, seams: tuple[Seam, ...]) -> PlateScheme | None:
    """A scheme of blocks that end along seams; none where all that are found are nearly shut."""
    lines = _stretches(plate, seams)
    if not lines:
        return None
    best, most_open = None, _OPEN_ENOUGH
    for way in (_graded, _halved):
        for scheme in way(plate, lines):
            openness = _openness(plate_blocks(plate, scheme, seams))
            if openness > _WELL_OPEN:
                return scheme
            if openness > most_open:
                best, most_open = scheme, openness
    return best


def _even(plate: Plate) -> Iterator[PlateScheme]:
    """Schemes of blocks of about one size, the coarsest first."""
    # Where holes are many, sizes have to change, and trying one costs seconds.
    tried = _QUADS_TRIED if len(plate.holes) < _MANY_HOLES else 0
    loops, spacing = _rims(plate), _spacing(plate)
    for finer, strip in itertools.product(_FINER[:tried], _STRIPS):
        cut = quads(loops, finer * spacing, strip * finer * spacing)
        if cut is not None:
            yield PlateScheme("quads", quads=cut)


def _graded(plate: Plate, lines: Sequence[Array] = ()) -> Iterator[PlateScheme]:
    """Schemes whose sizes grow away from small holes, the coarsest first."""
    loops, spacing = _rims(plate), _spacing(plate)
    for finer, strip in _tried(lines):
        cut = graded_quads(loops, finer * spacing, strip * finer * spacing, lines)
        if cut is not None:
            yield PlateScheme("quads", quads=cut)


def _halved(plate: Plate, lines: Sequence[Array]) -> Iterator[PlateScheme]:
    """The same where pairs do not come out even: more blocks, but hardly ever none."""
    loops, spacing = _rims(plate), _spacing(plate)
    for finer, strip in _tried(lines):
        cut = halved_quads(loops, finer * spacing, strip * finer * spacing, lines)
        if cut is not None:
            yield PlateScheme("quads", quads=cut)


def _tried(lines: Sequence[Array]) -> Iterator[tuple[float, float]]:
    """Sizes and widths of strips to try; along lines strips are made to fit beforehand."""
    if lines:
        return itertools.product(_FINER[:_SEAMS_TRIED], _SEAM_STRIPS)
    return itertools.product(_FINER[:_QUADS_TRIED], _STRIPS)


def _spacing(plate: Plate) -> float:
    """The size of triangles of which there are as many over the plate as are aimed at (m)."""
    return math.sqrt(2.3 * _area(plate) / _TRIANGLES)


def _rims(plate: Plate) -> list[list[Array]]:
    """The curves of all rims as points along them."""
    return [
        [curve.position(np.linspace(0, 1, _SAMPLES)) for _, curve in loop]
        for loop in rim_curves(plate)
    ]


def rims(plate: Plate) -> list[Array]:
    """Points ``(n, 2)`` along the outline and along each hole, all counter-clockwise (m)."""
    return [np.concatenate([curve[:-1] for curve in loop]) for loop in _rims(plate)]


def _stretches(plate: Plate, seams: Sequence[Seam]) -> list[Array]:
    """What of seams lies within a plate, those that reach a rim ending short of it."""
    return stretches(seams, rims(plate), _SHORT_OF_RIMS * _spacing(plate))


def plate_blocks(plate: Plate, scheme: PlateScheme, seams: Sequence[Seam] = ()) -> Blocks:
    """Cut a plate into blocks by a scheme.

    Raises ``ValueError`` where the scheme has blocks along other seams.
    """
    if scheme.triangles is not None:
        return _from_triangles(plate, scheme.triangles)
    if scheme.quads is not None:
        return _from_quads(plate, scheme.quads, seams)
    if scheme.name == "disc":
        assert isinstance(plate.outline, Disc)
        return _disc(plate.outline.radius)
    if scheme.name == "rounded":
        assert isinstance(plate.outline, RoundedRectangle)
        return _rounded(plate.outline)
    if scheme.name == "quad":
        return _quad(plate)
    return _around(plate)


def rim_curves(plate: Plate) -> list[list[Named]]:
    """The outline, then each hole, as named curves end to end, all counter-clockwise."""
    outline = plate.outline
    loops = [_outline_curves(outline)]
    if isinstance(outline, Disc) and outline.bore:
        loops.append([("bore", arc) for arc in _circle((0.0, 0.0), outline.bore)])
    return loops + [[(hole.name, curve) for curve in _hole_curves(hole)] for hole in plate.holes]


def _outline_curves(outline: Outline) -> list[Named]:
    if isinstance(outline, Disc):
        return [("rim", arc) for arc in _circle((0.0, 0.0), outline.radius)]
    if isinstance(outline, Contour):
        return list(zip(outline.side_names, outline.segments, strict=True))
    if isinstance(outline, Polygon):
        ends = outline.corners[1:] + outline.corners[:1]
        return [
            (name, Line(start, stop))
            for name, start, stop in zip(outline.side_names, outline.corners, ends, strict=True)
        ]
    x, y, r = 0.5 * outline.width - outline.radius, 0.5 * outline.height - outline.radius, 0.0
    r = outline.radius
    lines = [
        Line((-x, -y - r), (x, -y - r)),
        Line((x + r, -y), (x + r, y)),
        Line((x, y + r), (-x, y + r)),
        Line((-x - r, y), (-x - r, -y)),
    ]
    arcs = [
        Arc(centre, r, (quarter - 1) * math.pi / 2, quarter * math.pi / 2)
        for quarter, centre in enumerate([(x, -y), (x, y), (-x, y), (-x, -y)])
    ]
    curves: list[Named] = []
    for name, line, arc in zip(SIDE_NAMES, lines, arcs, strict=True):
        if line.length > 1e-9 * r:
            curves.append((name, line))
        curves.append(("", arc))
    return curves


def _circle(centre: tuple[float, float], radius: float) -> list[Arc]:
    start = -0.75 * math.pi
    return [
        Arc(centre, radius, start + quarter * math.pi / 2, start + (quarter + 1) * math.pi / 2)
        for quarter in range(4)
    ]


def _hole_curves(hole: Hole) -> Sequence[Line | Arc]:
    if isinstance(hole, RoundHole):
        return _circle(hole.centre, hole.radius)
    if isinstance(hole, ContourHole):
        return hole.rim.segments
    corners = [(float(x), float(y)) for x, y in hole.corners]
    return [
        Line(start, stop) for start, stop in zip(corners, corners[1:] + corners[:1], strict=True)
    ]


def _area(plate: Plate) -> float:
    total = 0.0
    for place, loop in enumerate(rim_curves(plate)):
        points = np.concatenate([c.position(np.linspace(0, 1, _SAMPLES))[:-1] for _, c in loop])
        x, y = points.T
        area = 0.5 * abs(float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1))))
        total += area if place == 0 else -area
    return total


def _convex(outline: Polygon) -> bool:
    corners = np.array(outline.corners)
    sides = np.roll(corners, -1, axis=0) - corners
    after = np.roll(sides, -1, axis=0)
    turns = sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0]
    sizes = np.linalg.norm(sides, axis=1) * np.linalg.norm(after, axis=1)
    return bool(np.all(turns > _CONVEX * sizes))


def _convex_quad(outline: Polygon) -> bool:
    return len(outline.corners) == 4 and _convex(outline)


def unfolded(blocks: Blocks) -> bool:
    """Whether every block of a plate keeps a positive area all over."""
    # A right-angled side met by an arc may close an angle; a mesh needs it open.
    return _openness(blocks) >= _OPEN


def _openness(blocks: Blocks) -> float:
    """Least sine of the angles between both coordinates of all blocks; negative where one folds."""
    line = np.linspace(0.0, 1.0, 9)
    u, v = (grid.ravel() for grid in np.meshgrid(line, line))
    step = 1e-6
    beside = np.concatenate([u + step, u - step, u, u]), np.concatenate([v, v, v + step, v - step])
    there = np.array([block.chart(*beside) for block in blocks.blocks])
    one, two, three, four = np.moveaxis(there.reshape(len(there), 4, -1, 2), 1, 0)
    along, up = one - two, three - four
    turns = along[..., 0] * up[..., 1] - along[..., 1] * up[..., 0]
    sizes = np.linalg.norm(along, axis=-1) * np.linalg.norm(up, axis=-1)
    return min(1.0, float(np.min(turns / np.maximum(sizes, 1e-300))))


def _aliases(plate: Plate) -> dict[str, tuple[str, ...]]:
    names = tuple(dict.fromkeys(name for name, _ in rim_curves(plate)[0]))
    return {"outline": names}


def _loop(builder: BlockBuilder, curves: Sequence[Named]) -> list[int]:
    """Add a closed chain of curves; returns its vertices."""
    vertices = [builder.point(curve.position(np.zeros(1))[0]) for _, curve in curves]
    for index, (name, curve) in enumerate(curves):
        following = vertices[(index + 1) % len(vertices)]
        builder.curve(vertices[index], following, Piece(curve), name)
    return vertices


def _finish(builder: BlockBuilder, plate: Plate) -> Blocks:
    found = builder.finish(_aliases(plate))
    # Rounded corners belong to the outline but have no name of their own.
    return Blocks(
        found.blocks, {name: chain for name, chain in found.edges.items() if name}, found.corners
    )


def _name_corners(builder: BlockBuilder, plate: Plate, vertices: Sequence[int]) -> None:
    if isinstance(plate.outline, Polygon | Contour):
        builder.corners.update(zip(plate.outline.corner_names, vertices, strict=True))


def _quad(plate: Plate) -> Blocks:
    builder = BlockBuilder()
    a, b, c, d = _loop(builder, rim_curves(plate)[0])
    _name_corners(builder, plate, (a, b, c, d))
    builder.quad(a, b, c, d)
    return _finish(builder, plate)


def _disc(radius: float) -> Blocks:
    """A square core with four blocks round it."""
    builder = BlockBuilder()
    rim = [("rim", arc) for arc in _circle((0.0, 0.0), radius)]
    outer = _loop(builder, rim)
    inner = [builder.point(_CORE * builder.points[vertex]) for vertex in outer]
    builder.quad(inner[0], inner[1], inner[2], inner[3])
    for index in range(4):
        after = (index + 1) % 4
        builder.quad(inner[index], outer[index], outer[after], inner[after])
    return builder.finish({"outline": ("rim",)})


def _around(plate: Plate) -> Blocks:
    """A ring of blocks between the outline and the one hole."""
    builder = BlockBuilder()
    loops = rim_curves(plate)
    outer = _loop(builder, loops[0])
    _name_corners(builder, plate, outer)
    name = loops[1][0][0]
    if isinstance(plate.outline, Disc) and not isinstance(loops[1][0][1], Arc):
        inner = _loop(builder, loops[1])
    elif isinstance(loops[1][0][1], Arc):
        circle = loops[1][0][1]
        places = [builder.points[vertex] - np.array(circle.centre) for vertex in outer]
        angles = np.unwrap([math.atan2(y, x) for x, y in places])
        bounds = [*angles, angles[0] + 2 * math.pi]
        arcs = [
            Arc(circle.centre, circle.radius, float(low), float(high))
            for low, high in itertools.pairwise(bounds)
        ]
        inner = _loop(builder, [(name, arc) for arc in arcs])
    else:
        inner = _loop(builder, _turned_to(loops[1], builder, outer))
    count = len(outer)
    for index in range(count):
        after = (index + 1) % count
        builder.quad(inner[index], outer[index], outer[after], inner[after])
    return _finish(builder, plate)


def _turned_to(curves: Sequence[Named], builder: BlockBuilder, outer: Sequence[int]) -> list[Named]:
    """Start a hole's curves at the corner that looks to the outline's first one."""
    corners = np.array([curve.position(np.zeros(1))[0] for _, curve in curves])
    centre = corners.mean(axis=0)
    towards = builder.points[outer[0]] - centre
    start = int(np.argmax((corners - centre) @ towards))
    return [*curves[start:], *curves[:start]]


def _rounded(outline: RoundedRectangle) -> Blocks:
    """A grid of five by five, with three blocks in place of four at each rounded corner."""
    builder = BlockBuilder()
    r = outline.radius
    x, y = 0.5 * outline.width, 0.5 * outline.height
    columns = [-x, -x + r / 2, -x + r, x - r, x - r / 2, x]
    rows = [-y, -y + r / 2, -y + r, y - r, y - r / 2, y]
    # Sides that vanish (a slot with round ends) still need some width to carry blocks.
    at: dict[tuple[int, int], int] = {}
    outside = {(i, j) for i in (0, 5) for j in (0, 5)}
    for i in range(6):
        for j in range(6):
            place = [columns[i], rows[j]]
            if (i, j) in outside:
                continue
            if i in (0, 1, 4, 5) and j in (0, 1, 4, 5):
                place = _corner_place(i, j, columns, rows, r)
            at[(i, j)] = builder.point(place)
    for (i, j), (di, dj) in {
        (0, 0): (1, 1),
        (5, 0): (-1, 1),
        (5, 5): (-1, -1),
        (0, 5): (1, -1),
    }.items():
        centre = (columns[i + 2 * di], rows[j + 2 * dj])
        # The block at (i+1, j+1) moves onto the arc's middle; its neighbours close the rest.
        middle = builder.point(
            [centre[0] - di * r / math.sqrt(2), centre[1] - dj * r / math.sqrt(2)]
        )
        at[(i, j)] = middle
        ends = (at[(i, j + 2 * dj)], at[(i + 2 * di, j)])
        for end in ends:
            first = math.atan2(*(builder.points[end] - centre)[::-1])
            last = math.atan2(*(builder.points[middle] - centre)[::-1])
            turn = (last - first + math.pi) % (2 * math.pi) - math.pi
            builder.curve(end, middle, Piece(Arc(centre, r, first, first + turn)))
        core = at[(i + di, j + dj)]
        first_mid, second_mid = at[(i + di, j + 2 * dj)], at[(i + 2 * di, j + dj)]
        inner = at[(i + 2 * di, j + 2 * dj)]
        quads = [
            (inner, first_mid, core, second_mid),
            (first_mid, ends[0], middle, core),
            (second_mid, core, middle, ends[1]),
        ]
        for quad in quads:
            builder.quad(*(quad if di * dj > 0 else quad[::-1]))
    for i in range(5):
        for j in range(5):
            if i in (0, 1, 3, 4) and j in (0, 1, 3, 4):
                continue
            builder.quad(at[(i, j)], at[(i + 1, j)], at[(i + 1, j + 1)], at[(i, j + 1)])
    _rounded_names(builder, at)
    return _finish(builder, Plate(outline))


def _rounded_names(builder: BlockBuilder, at: dict[tuple[int, int], int]) -> None:
    sides = {
        "south": [(2, 0), (3, 0)],
        "east": [(5, 2), (5, 3)],
        "north": [(3, 5), (2, 5)],
        "west": [(0, 3), (0, 2)],
    }
    corners = [(5, 0), (5, 5), (0, 5), (0, 0)]
    for (name, ends), corner in zip(sides.items(), corners, strict=True):
        builder.name(name, at[ends[0]], at[ends[1]])
        before, after = at[ends[1]], at[corner]
        following = {"south": (5, 2), "east": (3, 5), "north": (0, 3), "west": (2, 0)}[name]
        builder.name("", before, after)
        builder.name("", after, at[following])


def _corner_place(
    i: int, j: int, columns: Sequence[float], rows: Sequence[float], r: float
) -> list[float]:
    """The inner point of a corner's three blocks stands halfway out towards the arc's middle."""
    if i in (1, 4) and j in (1, 4):
        centre = (columns[2 if i == 1 else 3], rows[2 if j == 1 else 3])
        out = 0.5 * r / math.sqrt(2) * 1.1
        return [centre[0] + math.copysign(out, i - 2.5), centre[1] + math.copysign(out, j - 2.5)]
    return [columns[i], rows[j]]


def _rims_cut(
    plate: Plate, divisions: Sequence[Sequence[int]]
) -> tuple[BlockBuilder, dict[tuple[int, int], tuple[str, Piece]]]:
    """The points of rims cut into pieces, and the pieces with their names by both their ends."""
    builder = BlockBuilder()
    pieces: dict[tuple[int, int], tuple[str, Piece]] = {}
    for loop, cuts in zip(rim_curves(plate), divisions, strict=True):
        first = len(builder.points)
        for (name, curve), cut in zip(loop, cuts, strict=True):
            for part in range(cut):
                piece = Piece(curve, part / cut, (part + 1) / cut)
                vertex = builder.point(piece(np.zeros(1))[0])
                pieces[(vertex, vertex + 1)] = (name, piece)
        last = len(builder.points) - 1
        pieces[(last, first)] = pieces.pop((last, last + 1))
        if first == 0 and isinstance(plate.outline, Polygon | Contour):
            starts = np.concatenate([[0], np.cumsum(cuts)[:-1]])
            _name_corners(builder, plate, [int(start) for start in starts])
    return builder, pieces


def _from_quads(plate: Plate, found: Quads, seams: Sequence[Seam]) -> Blocks:
    builder, pieces = _rims_cut(plate, found.divisions)
    if found.seams:
        for place in cut_seams(_stretches(plate, seams), found.seams).points:
            builder.point(place)
    for place in inner_places(found, np.array(builder.points)):
        builder.point(place)
    for (a, b), (name, piece) in pieces.items():
        builder.curve(a, b, piece, name)
    for face in found.faces:
        builder.quad(*face)
    return _finish(builder, plate)


def _from_triangles(plate: Plate, found: Triangulation) -> Blocks:
    builder, pieces = _rims_cut(plate, found.divisions)
    for place in inner_points(found, np.array(builder.points)):
        builder.point(place)
    middles: dict[tuple[int, int], int] = {}
    for (a, b), (name, piece) in pieces.items():
        middle = builder.point(piece(np.array([0.5]))[0])
        middles[(a, b)] = middles[(b, a)] = middle
        half = 0.5 * (piece.start + piece.stop)
        builder.curve(a, middle, Piece(piece.curve, piece.start, half), name)
        builder.curve(middle, b, Piece(piece.curve, half, piece.stop), name)

    def between(a: int, b: int) -> int:
        if (a, b) not in middles:
            place = builder.point(0.5 * (builder.points[a] + builder.points[b]))
            middles[(a, b)] = middles[(b, a)] = place
        return middles[(a, b)]

    for a, b, c in found.triangles:
        ab, bc, ca = between(a, b), between(b, c), between(c, a)
        centre = builder.point(np.mean([builder.points[vertex] for vertex in (ab, bc, ca)], axis=0))
        builder.quad(a, ab, centre, ca)
        builder.quad(b, bc, centre, ab)
        builder.quad(c, ca, centre, bc)
    return _finish(builder, plate)
