"""A surface as a few large four-sided blocks that meet along whole edges.

Blocks follow the exact geometry and stay the same in number and neighbourhood when a dimension
changes, so everything meshed on them moves smoothly with it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.curved_quads import Curve, bilinear, coons, edge_key
from belltone.geometry.profiles import Arc, Line

__all__ = [
    "ALONG_SIDES",
    "AWAY",
    "SIDES",
    "Block",
    "BlockBuilder",
    "Blocks",
    "EdgeClasses",
    "Piece",
    "find_place",
    "place_on",
    "rectangle",
    "side_lengths",
]

Array = NDArray[np.float64]
Edge = tuple[int, int]

SIDES: Final = ((0, 1), (1, 2), (3, 2), (0, 3))
"""Vertices of a block's south, east, north and west side, in the direction its nodes run."""
AWAY: Final = (((0, 3), (1, 2)), ((1, 0), (2, 3)), ((3, 0), (2, 1)), ((0, 1), (3, 2)))
"""The two sides that lead away from each of those, from its vertices on."""

_LOOKS: Final = 9  # along a side
_LINE: Final = np.linspace(0.0, 1.0, _LOOKS)
ALONG_SIDES: Final = (
    np.concatenate([_LINE, np.ones(_LOOKS), _LINE, np.zeros(_LOOKS)]),
    np.concatenate([np.zeros(_LOOKS), _LINE, np.ones(_LOOKS), _LINE]),
)
"""Places (u, v) along the four sides of a block, one side after the other."""

_LOOKED_AT: Final = 7  # places along both sides of a block, to begin a search from
_STEPS: Final = 12  # of Newton; what lies on a block is found in half of them
_HERE: Final = 1e-9  # of the size of the chart; nearer is there
_FAR: Final = 2.0  # steps between the places looked at; a block farther off seldom has a place
_INSIDE: Final = 1e-6  # of a block; a place so far from its sides is on no other


@dataclass(frozen=True)
class Block:
    """Four vertices, counter-clockwise from (0, 0), and the map from the unit square to the chart.

    ``segment`` is the segment of the profile it stands on.
    """

    vertices: tuple[int, int, int, int]
    segment: int
    chart: Callable[[Array, Array], Array]


@dataclass(frozen=True)
class EdgeClasses:
    """Groups of edges with common divisions, each run through in one direction.

    ``numbers`` gives the group of an edge for the direction the group runs it; ``two_way`` groups
    come round to an edge from its other end. ``rims`` are the ends of groups, (group, at its
    start), that stand on the wall's outline, a hole or a fold.
    """

    numbers: Mapping[Edge, int]
    two_way: frozenset[int]
    rims: frozenset[tuple[int, bool]]

    def of(self, a: int, b: int) -> tuple[int, bool]:
        """The group of an edge, and whether it is run from a to b."""
        forward = (a, b) in self.numbers
        return self.numbers[(a, b) if forward else (b, a)], forward

    @property
    def count(self) -> int:
        """Number of groups."""
        return len(set(self.numbers.values()))


@dataclass(frozen=True)
class Blocks:
    """All blocks of a surface; ``edges`` are the named chains of vertex pairs, in order.

    ``folds`` are the edges (by `edge_key`) along which the surface is bent sharply.
    """

    blocks: tuple[Block, ...]
    edges: Mapping[str, tuple[tuple[int, int], ...]]
    corners: Mapping[str, int]
    folds: frozenset[tuple[int, int]] = frozenset()

    def edge_classes(self) -> EdgeClasses:
        """Group the edges that must carry the same divisions, across all blocks."""
        neighbours: dict[Edge, list[Edge]] = {}
        uses: dict[Edge, int] = {}
        for block in self.blocks:
            sides = [(block.vertices[a], block.vertices[b]) for a, b in SIDES]
            for one, two in ((0, 2), (1, 3)):
                neighbours.setdefault(sides[one], []).append(sides[two])
                neighbours.setdefault(sides[two], []).append(sides[one])
            for a, b in sides:
                uses[edge_key(a, b)] = uses.get(edge_key(a, b), 0) + 1
        number: dict[Edge, int] = {}
        two_way: set[int] = set()
        for start in sorted({edge_key(*edge) for edge in neighbours}):
            if start in number or _reversed(start) in number:
                continue
            here = len(set(number.values()))
            open_edges = [start]
            number[start] = here
            while open_edges:
                edge = open_edges.pop()
                beside = [
                    *neighbours.get(edge, []),
                    *(_reversed(other) for other in neighbours.get(_reversed(edge), [])),
                ]
                for other in beside:
                    if number.get(_reversed(other)) == here:
                        two_way.add(here)
                    elif other not in number:
                        number[other] = here
                        open_edges.append(other)
        rims: set[tuple[int, bool]] = set()
        for block in self.blocks:
            for side, (a, b) in enumerate(SIDES):
                key = edge_key(block.vertices[a], block.vertices[b])
                if uses[key] > 1 and key not in self.folds:
                    continue
                for first, second in AWAY[side]:
                    edge = (block.vertices[first], block.vertices[second])
                    forward = edge in number
                    rims.add((number[edge if forward else _reversed(edge)], forward))
        return EdgeClasses(number, frozenset(two_way), frozenset(rims))


def side_lengths(places: Array) -> Array:
    """Lengths ``(..., 4)`` of sides of blocks whose places `ALONG_SIDES` are ``(..., n, d)``."""
    sides = places.reshape(*places.shape[:-2], len(SIDES), _LOOKS, places.shape[-1])
    return np.asarray(np.linalg.norm(np.diff(sides, axis=-2), axis=-1).sum(axis=-1))


def _reversed(edge: Edge) -> Edge:
    return edge[1], edge[0]


def find_place(
    blocks: Sequence[Block], segment: int, target: Array, scale: Array
) -> tuple[int, float, float]:
    """The block a place of the chart falls on, and where; the nearest one if none.

    ``scale`` (2,) are the lengths both coordinates of the chart are measured by.
    """
    line = np.linspace(0.0, 1.0, _LOOKED_AT)
    grid = [axis.ravel() for axis in np.meshgrid(line, line)]
    starts: list[tuple[float, int, Array]] = []
    for number, block in enumerate(blocks):
        if block.segment == segment:
            there = (block.chart(grid[0], grid[1]) - target) / scale
            away = np.linalg.norm(there, axis=1)
            place = int(np.argmin(away))
            square = there.reshape(_LOOKED_AT, _LOOKED_AT, 2)
            wide = max(
                float(np.linalg.norm(np.diff(square, axis=axis), axis=2).max()) for axis in (0, 1)
            )
            start = np.array([grid[0][place], grid[1][place]])
            starts.append((float(away[place]) / wide, number, start))
    _, nearest, start = min(starts, key=lambda each: each[:2])
    miss, u, v = place_on(blocks[nearest], target, scale, start)
    if miss < _HERE and min(u, v) > _INSIDE and max(u, v) < 1 - _INSIDE:
        return nearest, u, v  # and on no other
    best = (np.inf, 0, 0.0, 0.0)
    for far, number, start in sorted(
        ((off > _FAR, number, start) for off, number, start in starts), key=lambda each: each[:2]
    ):
        # Blocks are looked into in order, those that are far off only if no other has it.
        if far and best[0] < _HERE:
            break
        miss, u, v = place_on(blocks[number], target, scale, start)
        if miss < best[0] - _HERE:
            best = (miss, number, u, v)
    return best[1:]


def place_on(
    block: Block, target: Array, scale: Array, start: Array | None = None
) -> tuple[float, float, float]:
    """How near a block comes to a place of the chart, in its ``scale``, and where on it."""
    uv = np.full(2, 0.5) if start is None else start
    for _ in range(_STEPS):
        step = 1e-6
        at = uv + step * np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]])
        values = block.chart(at[:, 0], at[:, 1])
        slope = ((values[1:] - values[0]) / step).T
        move = np.linalg.lstsq(slope / scale[:, None], (target - values[0]) / scale)[0]
        before, uv = uv, np.clip(uv + move, 0.0, 1.0)
        if np.abs(uv - before).max() < 1e-13:
            break
    miss = float(np.linalg.norm((block.chart(uv[:1], uv[1:])[0] - target) / scale))
    return miss, float(uv[0]), float(uv[1])


@dataclass(frozen=True)
class Piece:
    """Part of a line or arc, from one share of it to another."""

    curve: Line | Arc
    start: float = 0.0
    stop: float = 1.0

    def __call__(self, share: Array) -> Array:
        """Points at shares of the piece."""
        return self.curve.position(self.start + share * (self.stop - self.start))


def rectangle(
    first: tuple[float, float], second: tuple[float, float]
) -> Callable[[Array, Array], Array]:
    """The map onto a rectangle of the chart."""

    def chart(u: Array, v: Array) -> Array:
        return np.column_stack(
            [first[0] + u * (first[1] - first[0]), second[0] + v * (second[1] - second[0])]
        )

    return chart


@dataclass
class BlockBuilder:
    """Collects blocks between numbered points of a plane, with curved edges where given."""

    points: list[Array] = field(default_factory=list)
    blocks: list[Block] = field(default_factory=list)
    edges: dict[str, list[tuple[int, int]]] = field(default_factory=dict)
    corners: dict[str, int] = field(default_factory=dict)
    curves: dict[tuple[int, int], Curve] = field(default_factory=dict)

    def point(self, place: Iterable[float]) -> int:
        """Add a vertex and return its number."""
        self.points.append(np.array(list(place), float))
        return len(self.points) - 1

    def curve(self, a: int, b: int, along: Curve, name: str | None = None) -> None:
        """Say how the edge from a to b runs, and which site it belongs to."""
        self.curves[(a, b)] = along
        self.curves[(b, a)] = lambda share: along(1 - share)
        if name is not None:
            self.name(name, a, b)

    def name(self, name: str, a: int, b: int) -> None:
        """Put an edge at the end of a named chain."""
        self.edges.setdefault(name, []).append((a, b))

    def between(self, a: int, b: int) -> Curve:
        """The curve of an edge; straight where none was given."""
        if (a, b) in self.curves:
            return self.curves[(a, b)]
        start, stop = self.points[a], self.points[b]
        return lambda share: start + share[:, None] * (stop - start)

    def quad(self, a: int, b: int, c: int, d: int) -> Block:
        """Add the block between four vertices, counter-clockwise."""
        sides = ((a, b), (b, c), (d, c), (a, d))
        if any(side in self.curves for side in sides):
            chart = coons(*(self.between(*side) for side in sides))
        else:
            chart = bilinear(np.array([self.points[vertex] for vertex in (a, b, c, d)]))
        self.blocks.append(Block((a, b, c, d), 0, chart))
        return self.blocks[-1]

    def finish(self, aliases: Mapping[str, Sequence[str]] | None = None) -> Blocks:
        """All that was collected; an alias is a site made of several others."""
        edges = {name: tuple(chain) for name, chain in self.edges.items()}
        for alias, names in (aliases or {}).items():
            edges[alias] = tuple(pair for name in names for pair in edges[name])
        return Blocks(tuple(self.blocks), edges, dict(self.corners))
