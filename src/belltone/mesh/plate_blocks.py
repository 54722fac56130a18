"""Blocks of plates: one for a plain four-sided plate, a ring of blocks round a hole, and so on."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.profiles import Arc
from belltone.geometry.quads import Quads, inner_places
from belltone.geometry.seams import Ring, Seam, cut_seams
from belltone.geometry.shapes import (
    Contour,
    Disc,
    Plate,
    Polygon,
    RoundedRectangle,
)
from belltone.geometry.triangles import Triangulation, inner_points
from belltone.mesh.blocks import BlockBuilder, Blocks, Piece
from belltone.mesh.plate_rims import Named, circle_arcs, rim_curves, seam_stretches
from belltone.mesh.plate_rings import Nest, add_core, filled, opened, rings_and_lines

__all__ = ["OPEN", "PlateScheme", "openness", "plate_blocks", "unfolded"]

Array = NDArray[np.float64]

OPEN: Final = 0.08  # sine of an angle between the coordinates of a block


@dataclass(frozen=True)
class PlateScheme:
    """How a plate is cut into blocks; kept while its dimensions change.

    Where there are ``nests`` of circles, the rest is about the plate without what is in them.
    """

    name: str
    triangles: Triangulation | None = None
    quads: Quads | None = None
    nests: tuple[Nest, ...] = ()


def plate_blocks(plate: Plate, scheme: PlateScheme, seams: Sequence[Seam | Ring] = ()) -> Blocks:
    """Cut a plate into blocks by a scheme.

    Raises ``ValueError`` where the scheme has blocks along other seams, and where a circle inside
    has an odd number of pieces.
    """
    rings, lines = rings_and_lines(seams)
    if scheme.nests:
        rest = opened(plate, scheme.nests, rings)
        around = plate_blocks(rest, replace(scheme, nests=()), lines)
        return filled(around, plate, scheme.nests, rings)
    if scheme.triangles is not None:
        return _from_triangles(plate, scheme.triangles)
    if scheme.quads is not None:
        return _from_quads(plate, scheme.quads, lines)
    if scheme.name == "disc":
        assert isinstance(plate.outline, Disc)
        return _disc(plate.outline.radius)
    if scheme.name == "rounded":
        assert isinstance(plate.outline, RoundedRectangle)
        return _rounded(plate.outline)
    if scheme.name == "quad":
        return _quad(plate)
    return _around(plate)


def unfolded(blocks: Blocks) -> bool:
    """Whether every block of a plate keeps a positive area all over."""
    # A right-angled side met by an arc may close an angle; a mesh needs it open.
    return openness(blocks) >= OPEN


def openness(blocks: Blocks) -> float:
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
    outer = _loop(builder, [("rim", arc) for arc in circle_arcs((0.0, 0.0), radius)])
    add_core(builder, outer, Ring((0.0, 0.0), radius))
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
        for place in cut_seams(seam_stretches(plate, seams), found.seams).points:
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
