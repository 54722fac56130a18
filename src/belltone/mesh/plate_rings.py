"""Blocks inside circles along which something is welded to a plate.

The plate is cut as if such a circle were the rim of a hole. Blocks then lead from it to the circle
or round hole inside, or to a square core.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.outlines import closed_line
from belltone.geometry.profiles import Arc
from belltone.geometry.seams import Ring, Seam
from belltone.geometry.shapes import Disc, Plate, RoundHole
from belltone.mesh.blocks import BlockBuilder, Blocks, Piece

__all__ = ["Nest", "add_core", "filled", "nests", "opened", "rings_and_lines"]

Array = NDArray[np.float64]

_CORE: Final = 0.5  # half diagonal of a square core, as a share of the radius
_HAIR: Final = 1e-6  # of a radius
_ON: Final = 1e-3  # of a radius; a line's end so near to a circle stands on it
_BORE: Final = -1  # in place of the number of a hole


@dataclass(frozen=True)
class Nest:
    """Circles one inside the other, by their numbers, the outermost first.

    ``hole`` is the number of the round hole inside the last one, -1 for a disc's bore.
    """

    rings: tuple[int, ...]
    hole: int | None = None


def rings_and_lines(seams: Sequence[Seam | Ring]) -> tuple[list[Ring], list[Seam]]:
    """The circles and the lines among seams; lines end on a rim where they end on a circle."""
    rings = [each for each in seams if isinstance(each, Ring)]
    lines = [each for each in seams if isinstance(each, Seam)]

    def on_a_ring(place: tuple[float, float]) -> bool:
        return any(
            abs(math.dist(place, ring.centre) - ring.radius) < _ON * ring.radius for ring in rings
        )

    return rings, [
        replace(
            line,
            inner=(
                line.inner[0] and not on_a_ring(line.start),
                line.inner[1] and not on_a_ring(line.stop),
            ),
        )
        for line in lines
    ]


def nests(plate: Plate, seams: Sequence[Seam | Ring]) -> tuple[Nest, ...] | None:
    """How circles and round holes lie in each other.

    None where circles cross, or hold anything else than one of these at a time.
    """
    rings, lines = rings_and_lines(seams)
    if any(_enters(line, ring) for line in lines for ring in rings):
        return None
    open_to_all = [ring for ring in rings if not any(_within(ring, other) for other in rings)]
    found: list[Nest] = []
    for outer in open_to_all:
        inner = [ring for ring in rings if _within(ring, outer)]
        chain = [outer, *sorted(inner, key=lambda ring: -ring.radius)]
        holes = [
            number
            for number, hole in enumerate(plate.holes)
            if _inside_at_all(closed_line(hole), outer)
        ]
        if isinstance(plate.outline, Disc) and plate.outline.bore:
            holes += [_BORE] * _inside_at_all(closed_line(Disc(plate.outline.bore)), outer)
        if len(holes) > 1:
            return None
        if holes:
            hole = _round_hole(plate, holes[0])
            if hole is None:
                return None
            chain.append(hole)
        if not all(_within(small, large) for large, small in itertools.pairwise(chain)):
            return None
        numbers = [rings.index(ring) for ring in chain[: 1 + len(inner)]]
        found.append(Nest(tuple(numbers), holes[0] if holes else None))
    crossing = itertools.combinations(open_to_all, 2)
    return None if any(_meet(one, other) for one, other in crossing) else tuple(found)


def _within(small: Ring, large: Ring) -> bool:
    apart = math.dist(small.centre, large.centre)
    return apart + small.radius < large.radius * (1 - _HAIR)


def _meet(one: Ring, other: Ring) -> bool:
    return math.dist(one.centre, other.centre) < one.radius + other.radius


def _enters(line: Seam, ring: Ring) -> bool:
    shares = np.linspace(0.0, 1.0, 65)[:, None]
    points = np.array(line.start) + shares * np.subtract(line.stop, line.start)
    away = np.linalg.norm(points - ring.centre, axis=1)
    return bool(away.min() < (1 - _ON) * ring.radius)


def _inside_at_all(line: Array, ring: Ring) -> bool:
    return bool(np.any(np.linalg.norm(line - ring.centre, axis=1) < ring.radius))


def _round_hole(plate: Plate, number: int) -> Ring | None:
    if number == _BORE:
        assert isinstance(plate.outline, Disc)
        return Ring((0.0, 0.0), plate.outline.bore)
    hole = plate.holes[number]
    return Ring(hole.centre, hole.radius) if isinstance(hole, RoundHole) else None


def opened(plate: Plate, within: Sequence[Nest], rings: Sequence[Ring]) -> Plate:
    """The plate with a hole in place of each outermost circle and what is inside it."""
    holes = [hole for n, hole in enumerate(plate.holes) if all(n != nest.hole for nest in within)]
    for place, nest in enumerate(within):
        ring = rings[nest.rings[0]]
        holes.append(RoundHole(_name(place), ring.centre, ring.radius))
    outline = plate.outline
    if isinstance(outline, Disc) and any(nest.hole == _BORE for nest in within):
        outline = Disc(outline.radius)
    return Plate(outline, tuple(holes))


def _name(place: int) -> str:
    return f"/{place}"  # of no site


def filled(blocks: Blocks, plate: Plate, within: Sequence[Nest], rings: Sequence[Ring]) -> Blocks:
    """The blocks of an opened plate and those inside its outermost circles.

    Raises ``ValueError`` where a circle with nothing inside is cut into an odd number of pieces.
    """
    builder = BlockBuilder(
        _vertices(blocks),
        list(blocks.blocks),
        {name: list(chain) for name, chain in blocks.edges.items()},
        dict(blocks.corners),
    )
    for place, nest in enumerate(within):
        chain = [a for a, _ in builder.edges.pop(_name(place))]
        circle = rings[nest.rings[0]]
        _join_by_arcs(builder, chain, circle)
        inner = [rings[number] for number in nest.rings[1:]]
        hole = None if nest.hole is None else _round_hole(plate, nest.hole)
        for ring in [*inner, *([hole] if hole is not None else [])]:
            chain, circle = _lead_in(builder, chain, circle, ring), ring
        if hole is None:
            add_core(builder, chain, circle)
        else:
            name = "bore" if nest.hole == _BORE else plate.holes[nest.hole or 0].name
            for a, b in zip(chain, [*chain[1:], chain[0]], strict=True):
                builder.name(name, a, b)
    return builder.finish()


def _vertices(blocks: Blocks) -> list[Array]:
    """The places of vertices by their numbers."""
    u, v = np.array([0.0, 1.0, 1.0, 0.0]), np.array([0.0, 0.0, 1.0, 1.0])
    found: dict[int, Array] = {}
    for block in blocks.blocks:
        found.update(zip(block.vertices, block.chart(u, v), strict=True))
    nowhere = np.full(2, np.nan)
    return [found.get(number, nowhere) for number in range(1 + max(found))]


def _angles(builder: BlockBuilder, chain: Sequence[int], centre: tuple[float, float]) -> Array:
    """Of the vertices of a chain about a centre, and of the first one again, all rising."""
    away = np.array([builder.points[vertex] for vertex in chain]) - centre
    angles = np.unwrap(np.arctan2(away[:, 1], away[:, 0]))
    return np.append(angles, angles[0] + 2 * math.pi)


def _join_by_arcs(builder: BlockBuilder, chain: Sequence[int], circle: Ring) -> None:
    """Say that a chain of vertices is joined by arcs of a circle."""
    angles = _angles(builder, chain, circle.centre).tolist()
    for (a, b), (low, high) in zip(
        zip(chain, [*chain[1:], chain[0]], strict=True), itertools.pairwise(angles), strict=True
    ):
        builder.curve(a, b, Piece(Arc(circle.centre, circle.radius, low, high)))


def _lead_in(builder: BlockBuilder, chain: Sequence[int], circle: Ring, inner: Ring) -> list[int]:
    """Blocks from one circle to the next inside it; returns its vertices."""
    angles = _angles(builder, chain, circle.centre)[:-1]
    spokes = np.column_stack([np.cos(angles), np.sin(angles)])
    within = [builder.point(np.array(inner.centre) + inner.radius * spoke) for spoke in spokes]
    _join_by_arcs(builder, within, inner)
    _between(builder, within, chain)
    return within


def _between(builder: BlockBuilder, within: Sequence[int], chain: Sequence[int]) -> None:
    count = len(chain)
    for index in range(count):
        after = (index + 1) % count
        builder.quad(within[index], chain[index], chain[after], within[after])


def add_core(builder: BlockBuilder, chain: Sequence[int], circle: Ring) -> None:
    """Cover a disc: a ring of blocks along its rim, and a core of squares.

    Raises ``ValueError`` where its rim is cut into an odd number of pieces.
    """
    count = len(chain)
    if count % 2:
        raise ValueError(f"{count} pieces of a rim")
    wide = count // 4
    high = count // 2 - wide
    walk = [
        *((i, 0) for i in range(wide)),
        *((wide, j) for j in range(high)),
        *((i, high) for i in range(wide, 0, -1)),
        *((0, j) for j in range(high, 0, -1)),
    ]
    angles = _angles(builder, chain, circle.centre)[:-1]
    reach = _CORE * circle.radius
    places = np.array(circle.centre) + reach * np.column_stack([np.cos(angles), np.sin(angles)])
    at: dict[tuple[int, int], Array] = {}
    corners = [0, wide, wide + high, 2 * wide + high, count]
    for first, last in itertools.pairwise(corners):
        for number in range(first, last):
            share = (number - first) / (last - first)
            chord = (1 - share) * places[first] + share * places[last % count]
            # Half way from a square to a circle no angle comes near a straight one.
            at[walk[number]] = 0.5 * (chord + places[number])
    for i, j in itertools.product(range(1, wide), range(1, high)):
        u, v = i / wide, j / high
        at[i, j] = ((1 - v) * at[i, 0] + v * at[i, high] + (1 - u) * at[0, j] + u * at[wide, j]) - (
            (1 - u) * (1 - v) * at[0, 0]
            + u * (1 - v) * at[wide, 0]
            + u * v * at[wide, high]
            + (1 - u) * v * at[0, high]
        )
    vertices = {key: builder.point(place) for key, place in at.items()}
    _between(builder, [vertices[key] for key in walk], chain)
    for i, j in itertools.product(range(wide), range(high)):
        corner = ((i, j), (i + 1, j), (i + 1, j + 1), (i, j + 1))
        builder.quad(*(vertices[key] for key in corner))
