"""Blocks made smaller and smaller towards places where a wall's motion is not smooth.

Round a point that is held, loaded or joined errors fall fast only where elements grow in proportion
with their distance from it (I. Babuska and B. Q. Guo, "The h-p version of the finite element
method", Comput. Mech. 1 (1986) 21-41). A block with such a point is cut into a small one at the
point and others that lead from it to the block's own sides, which stay as they are; so nothing else
is cut, and the small block can be cut again.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.curved_quads import edge_key
from belltone.geometry.seams import Ring, Seam
from belltone.mesh.blocks import Block, Blocks, find_place, place_on

__all__ = ["Cut", "Gauge", "GradingError", "HardPlace", "graded", "plan_cuts"]

Array = NDArray[np.float64]
Edge = tuple[int, int]
_Faces = Sequence[tuple[Sequence[int], Sequence[Array] | Array]]
"""Parts of a block: their vertices, and where these are in its square."""

_NEAR: Final = 0.12  # of a block's side; a place nearer to it is treated with the block beyond
_ON: Final = 1e-6  # of a block's side; so near a place is on it
_ROUND: Final = 2.5  # times its distance from a side; a small block there reaches so far
_RATIO: Final = 0.3  # of the size of one block to the next smaller one; small ones cost little
_SLACK: Final = 0.02  # of a block's side, left beside a small block
_STRAYED: Final = 1e-3  # of the chart; a place so far off its block has left it
_MOST_CUTS: Final = 8
_WIDEST: Final = 0.4  # half a small block, as a share
_NARROWEST: Final = 0.005  # of a block's side; a narrower strip beside a rim matters no more
_WIDE: Final = 6.0  # times the width of a strip beside a rim; blocks less wide need none
_MOST_LINES: Final = 3  # for each place
_BY_RIM: Final = 0.25  # of a block; a place so near to a rim has a strip along it
_APART: Final = 6.0  # times the size about a place; others nearer to it stay in one block with it
_BESIDE: Final = 0.7  # of the way to the next side; half a small block is no wider


class GradingError(ValueError):
    """A place has moved off the block it was on when the cuts were planned."""


@dataclass(frozen=True)
class HardPlace:
    """A place of the chart (2,) of a segment about which elements of a size (m) are needed.

    ``mass`` (kg) is what hangs there, infinite where something else acts. Where elements end at the
    place and grow from it anyway, blocks are not ``cut`` for it. A ``seam`` is a line of the chart
    that ends at the place, or a circle through it, along which blocks should end. A block no larger
    than ``roomy`` times the size is small enough.
    """

    segment: int
    at: tuple[float, float]
    size: float
    mass: float = math.inf
    cut: bool = True
    seam: Seam | Ring | None = None
    roomy: float = 3.0


@dataclass(frozen=True)
class Cut:
    """One block, or those round an edge or a corner of it, cut about a place.

    ``place`` is the number of the `HardPlace`. ``side`` or ``corner`` say which one the place is
    on or near, if either. ``half`` is half the size of the small block along both coordinates, as
    shares; at a corner its whole size. Along an ``axis`` the block is only made shorter, and so are
    all beside it: it is long, and a small block in it would leave wedges along its sides. So it
    is where it has ``others``: twice as far from a ``rim`` as the place is, or half way to the
    ``other`` place along the axis.
    """

    block: int
    place: int
    side: int | None = None
    corner: int | None = None
    half: tuple[float, float] = (0.5 * _RATIO, 0.5 * _RATIO)
    axis: int | None = None
    cut_at: tuple[bool, bool] = (True, True)
    rim: int | None = None
    other: int | None = None
    others: bool = False


@dataclass(frozen=True)
class Gauge:
    """What tells how large blocks of a wall are.

    ``scale`` (2,) is that of its chart; ``spread`` gives the vectors (m) that lead across a block
    along both coordinates at a place of it, ``(2, 3)``; ``narrow`` (m) is how wide an element
    beside a rim is.
    """

    scale: Array
    spread: Callable[[Block, Array], Array]
    narrow: float

    def sizes(self, block: Block, uv: Array) -> Array:
        """How long a block is along both coordinates at a place of it (m)."""
        return np.asarray(np.linalg.norm(self.spread(block, uv), axis=1))


class _Cutter:
    """Blocks while they are being cut."""

    def __init__(self, blocks: Blocks, gauge: Gauge) -> None:
        self.blocks = list(blocks.blocks)
        self._gauge = gauge
        self._chains = {name: list(chain) for name, chain in blocks.edges.items()}
        self._corners, self._folds = blocks.corners, set(blocks.folds)
        self._vertices = 1 + max(max(block.vertices) for block in self.blocks)

    def done(self) -> Blocks:
        """What has become of the blocks."""
        chains = {name: tuple(chain) for name, chain in self._chains.items()}
        return Blocks(tuple(self.blocks), chains, self._corners, frozenset(self._folds))

    def where(self, number: int, place: HardPlace) -> Array:
        """Where on a block (u, v) a place is; raises `GradingError` where it is not on it."""
        miss, u, v = place_on(self.blocks[number], np.array(place.at), self._gauge.scale)
        if miss > _STRAYED:
            raise GradingError
        return np.array([u, v])

    def cut(self, cut: Cut, places: Sequence[HardPlace]) -> None:
        """Carry out a cut; the small block takes the number of the one it is cut from."""
        if cut.corner is not None:
            self._cut_at(self.blocks[cut.block].vertices[cut.corner], cut.half[0])
            return
        uv = self.where(cut.block, places[cut.place])
        if cut.other is not None:
            assert cut.axis is not None
            middle = 0.5 * (uv + self.where(cut.block, places[cut.other]))[cut.axis]
            self._cut_across(cut.block, cut.axis, [float(np.clip(middle, _SLACK, 1 - _SLACK))], 0)
        elif cut.rim is not None and cut.others:
            share = min(2 * float(_away(uv)[cut.rim]), 1 - _SLACK)
            first = cut.rim in (0, 3)
            at = share if first else 1 - share
            self._cut_across(cut.block, 1 - cut.rim % 2, [at], int(not first))
        elif cut.rim is not None:
            axis = 1 - cut.rim % 2
            size = float(self._gauge.sizes(self.blocks[cut.block], uv)[axis])
            wide = float(np.clip(self._gauge.narrow / size, _NARROWEST, _NEAR))
            first = cut.rim in (0, 3)
            self._cut_across(cut.block, axis, [wide if first else 1 - wide], int(first))
        elif cut.axis is not None:
            self._shorten(cut, float(uv[cut.axis]))
        elif cut.side is None:
            self._cut_inside(cut.block, uv, np.array(cut.half))
        else:
            self._cut_on(cut.block, cut.side, uv, cut.half)

    def _new(self) -> int:
        self._vertices += 1
        return self._vertices - 1

    def _cut_inside(self, number: int, uv: Array, half: Array) -> None:
        (u, v), (wide, high) = np.clip(uv, half + _SLACK, 1 - half - _SLACK), half
        block = self.blocks[number]
        corners = [(u - wide, v - high), (u + wide, v - high), (u + wide, v + high)]
        inner = np.array([*corners, (u - wide, v + high)])
        own = [self._new() for _ in range(4)]
        self.blocks[number] = _part(block, own, inner)
        for side in range(4):
            after = (side + 1) % 4
            vertices = [block.vertices[side], block.vertices[after], own[after], own[side]]
            place = np.array([_UNIT[side], _UNIT[after], inner[after], inner[side]])
            self.blocks.append(_part(block, vertices, place))

    def _cut_on(self, number: int, side: int, uv: Array, half: tuple[float, float]) -> None:
        """Cut the one or two blocks on an edge about a place on it or near it."""
        block = self.blocks[number]
        first, last = (block.vertices[corner] for corner in (side, (side + 1) % 4))
        turned = _turned(uv, side)
        wide = half[0]
        along = float(np.clip(turned[0], wide + _SLACK, 1 - wide - _SLACK))
        ends = [self._new(), self._new()]
        for other, start in self._on_edge(first, last):
            forward = self.blocks[other].vertices[start] == first
            middle = along if forward else 1 - along
            met = ends if forward else ends[::-1]
            self._cut_beside(other, start, middle, half, met)
        self._split(first, last, ends)

    def _cut_beside(
        self, number: int, start: int, middle: float, half: tuple[float, float], met: Sequence[int]
    ) -> None:
        block = self.blocks[number]
        wide, high = half
        inner = [(middle - wide, 0), (middle + wide, 0), (middle + wide, high)]
        local = np.array([*inner, (middle - wide, high)], float)
        own = [met[0], met[1], self._new(), self._new()]
        unit = np.array(_UNIT, float)
        vertices = [block.vertices[(start + corner) % 4] for corner in range(4)]
        faces: _Faces = [
            (own, local),
            ([own[1], vertices[1], vertices[2], own[2]], [local[1], unit[1], unit[2], local[2]]),
            ([own[2], vertices[2], vertices[3], own[3]], [local[2], unit[2], unit[3], local[3]]),
            ([vertices[0], own[0], own[3], vertices[3]], [unit[0], local[0], local[3], unit[3]]),
        ]
        self._replace(number, start, faces)

    def _cut_at(self, vertex: int, ratio: float) -> None:
        """Cut all blocks that meet at a vertex towards it."""
        met: dict[int, int] = {}
        touching = [
            (number, block.vertices.index(vertex))
            for number, block in enumerate(self.blocks)
            if vertex in block.vertices
        ]
        unit = np.array(_UNIT, float)
        for number, start in touching:
            vertices = [self.blocks[number].vertices[(start + corner) % 4] for corner in range(4)]
            for end in (vertices[1], vertices[3]):
                if end not in met:
                    met[end] = self._new()
                    self._split(vertex, end, [met[end]])
            own = [vertex, met[vertices[1]], self._new(), met[vertices[3]]]
            local = np.array([(0, 0), (ratio, 0), (ratio, ratio), (0, ratio)])
            south = [own[1], vertices[1], vertices[2], own[2]]
            west = [own[3], own[2], vertices[2], vertices[3]]
            faces: _Faces = [
                (own, local),
                (south, [local[1], unit[1], unit[2], local[2]]),
                (west, [local[3], local[2], unit[2], unit[3]]),
            ]
            self._replace(number, start, faces)

    def crossed(self, number: int, axis: int) -> _Strip | None:
        """What is cut with a block along one of its coordinates; none where it would cross itself.

        Blocks, each with the corner from which the edge that is cut is its south side, and all
        edges that are cut, directed alike.
        """
        blocks: dict[int, int] = {number: axis}
        edges: dict[Edge, Edge] = {}
        vertices = self.blocks[number].vertices
        ahead = [(vertices[axis], vertices[axis + 1])]
        while ahead:
            first, last = ahead.pop()
            if (first, last) != edges.setdefault(edge_key(first, last), (first, last)):
                return None
            for other, start in self._on_edge(first, last):
                if (blocks.setdefault(other, start) - start) % 2:
                    return None
                own = self.blocks[other].vertices
                across = (own[(start + 3) % 4], own[(start + 2) % 4])
                beyond = across if own[start] == first else across[::-1]
                if edges.get(edge_key(*beyond)) != beyond:
                    ahead.append(beyond)
        return _Strip(blocks, tuple(edges.values()))

    def rim_beside(self, number: int, uv: Array) -> int | None:
        """A side of a block that is a rim not near a place, and wants a strip of its own."""
        block = self.blocks[number]
        away, sizes = _away(uv), self._gauge.sizes(block, uv)
        for side in range(4):
            edge = block.vertices[side], block.vertices[(side + 1) % 4]
            axis = 1 - side % 2
            wide = away[side] > _NEAR and sizes[axis] > _WIDE * self._gauge.narrow
            if wide and len(self._on_edge(*edge)) == 1 and self.crossed(number, axis) is not None:
                return side
        return None

    def ends(self, number: int, side: int) -> bool:
        """Whether the wall ends at a side of a block, or in the strip beside it."""
        vertices = self.blocks[number].vertices
        first, last = vertices[side], vertices[(side + 1) % 4]
        for other, start in self._on_edge(first, last):
            sizes = self._gauge.sizes(self.blocks[other], np.array([0.5, 0.5]))
            if other != number and sizes[1 - start % 2] > _WIDE * self._gauge.narrow:
                return False
        return True

    def _shorten(self, cut: Cut, at: float) -> None:
        """Cut a strip through on those sides of a place it was planned for, wherever it is now."""
        assert cut.axis is not None
        wide = cut.half[cut.axis]
        # As many pieces as planned, in order and none of them empty.
        low = min(max(at - wide, _SLACK), 1 - 3 * _SLACK)
        high = max(min(at + wide, 1 - _SLACK), 3 * _SLACK)
        ends = [each for each, wanted in zip((low, high), cut.cut_at, strict=True) if wanted]
        self._cut_across(cut.block, cut.axis, ends, int(cut.cut_at[0]))

    def _cut_across(self, number: int, axis: int, lines: Sequence[float], home: int) -> None:
        """Cut all blocks of a strip through at some shares; part ``home`` keeps their numbers."""
        strip = self.crossed(number, axis)
        assert strip is not None
        start, end = self.blocks[number].vertices[axis : axis + 2]
        ahead = (start, end) in strip.edges
        lines = list(lines) if ahead else [1 - share for share in lines[::-1]]
        home = home if ahead else len(lines) - home
        met = {edge: [self._new() for _ in lines] for edge in strip.edges}
        shares = [0.0, *lines, 1.0]
        for block, corner in strip.blocks.items():
            own = [self.blocks[block].vertices[(corner + each) % 4] for each in range(4)]
            south, north = (own[0], own[1]), (own[3], own[2])
            forward = south in met
            if forward:
                below, above = [own[0], *met[south], own[1]], [own[3], *met[north], own[2]]
            else:  # from the other end
                below = [own[1], *met[south[::-1]], own[0]]
                above = [own[2], *met[north[::-1]], own[3]]
            faces: list[tuple[Sequence[int], Sequence[Array] | Array]] = []
            for at in range(len(shares) - 1):
                low, high = shares[at], shares[at + 1]
                if forward:
                    names = [below[at], below[at + 1], above[at + 1], above[at]]
                else:
                    low, high = 1 - high, 1 - low
                    names = [below[at + 1], below[at], above[at], above[at + 1]]
                faces.append((names, np.array([(low, 0), (high, 0), (high, 1), (low, 1)], float)))
            self._replace(block, corner, [faces[home], *faces[:home], *faces[home + 1 :]])
        for first, last in strip.edges:
            self._split(first, last, met[first, last])

    def _replace(self, number: int, start: int, faces: _Faces) -> None:
        """Put parts in a block's place, their places given from one of its corners on."""
        block = self.blocks[number]
        parts = [
            _part(block, vertices, np.array([_turned_back(place, start) for place in places]))
            for vertices, places in faces
        ]
        self.blocks[number] = parts[0]
        self.blocks += parts[1:]

    def _on_edge(self, first: int, last: int) -> list[tuple[int, int]]:
        """Blocks on an edge, and the corner from which it is their south side."""
        return [
            (number, corner)
            for number, block in enumerate(self.blocks)
            for corner in range(4)
            if {block.vertices[corner], block.vertices[(corner + 1) % 4]} == {first, last}
        ]

    def _split(self, first: int, last: int, between: Sequence[int]) -> None:
        """Keep named chains and folds along an edge that has new vertices on it, in order."""
        line = [first, *between, last]
        forward = list(itertools.pairwise(line))
        backward = [(b, a) for a, b in reversed(forward)]
        for chain in self._chains.values():
            for edge, pieces in (((first, last), forward), ((last, first), backward)):
                if edge in chain:
                    at = chain.index(edge)
                    chain[at : at + 1] = pieces
        if edge_key(first, last) in self._folds:
            self._folds.remove(edge_key(first, last))
            self._folds |= {edge_key(a, b) for a, b in forward}


@dataclass(frozen=True)
class _Strip:
    """Blocks that are cut through together, and the edges that are."""

    blocks: dict[int, int]
    edges: tuple[Edge, ...]


def _worth_cutting(middle: float, wide: float) -> tuple[bool, bool]:
    """Whether a strip is cut before a place and beyond it: not where its own end is near."""
    return middle - wide > _NEAR, middle + wide < 1 - _NEAR


def _away(uv: Array) -> Array:
    """How far a place is from the four sides of its block, as shares."""
    return np.array([uv[1], 1 - uv[0], 1 - uv[1], uv[0]])


_UNIT: Final = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))


def _turned(uv: Array, start: int) -> Array:
    """Coordinates in a block's square as seen from one of its corners, the next one to the east."""
    u, v = uv
    return np.array([(u, v), (v, 1 - u), (1 - u, 1 - v), (1 - v, u)][start])


def _turned_back(uv: Array, start: int) -> Array:
    return _turned(uv, (4 - start) % 4)


def _part(block: Block, vertices: Sequence[int], corners: Array) -> Block:
    """Part of a block between four places (4, 2) of its square."""
    a, b, c, d = vertices

    def chart(u: Array, v: Array) -> Array:
        across, up = u[:, None], v[:, None]
        south = (1 - across) * corners[0] + across * corners[1]
        north = (1 - across) * corners[3] + across * corners[2]
        place = (1 - up) * south + up * north
        return block.chart(place[:, 0], place[:, 1])

    return Block((a, b, c, d), block.segment, chart)


def graded(
    blocks: Blocks, cuts: Sequence[Cut], places: Sequence[HardPlace], gauge: Gauge
) -> Blocks:
    """Carry out planned cuts; raises `GradingError` where a place has left its block."""
    if not cuts:
        return blocks
    cutter = _Cutter(blocks, gauge)
    for cut in cuts:
        cutter.cut(cut, places)
    return cutter.done()


def plan_cuts(
    blocks: Blocks, places: Sequence[HardPlace], gauge: Gauge, least: float
) -> tuple[Cut, ...]:
    """Cuts that lead from blocks to the size wanted at each place.

    Masses of less than ``least`` (kg) bend the wall too little to need any.
    """
    cutter = _Cutter(blocks, gauge)
    cuts: list[Cut] = []

    def carry_out(cut: Cut) -> None:
        cutter.cut(cut, places)
        cuts.append(cut)

    hard = [n for n, place in enumerate(places) if place.mass >= least and place.cut]
    crowded = {
        n
        for here in _inside(cutter, hard, places, gauge).values()
        if len(here) > 1
        for n, _ in here
    }
    for _ in range(_MOST_LINES * len(crowded)):
        line = _next_line(cutter, sorted(crowded), places, gauge)
        if line is None:
            break
        carry_out(line)
    for index in hard:
        place = places[index]
        number, *_ = find_place(cutter.blocks, place.segment, np.array(place.at), gauge.scale)
        for _ in range(_MOST_CUTS):
            try:
                uv = cutter.where(number, place)
            except GradingError:
                break  # off the wall, as in a hole: the nearest place of it acts as it is
            sizes = gauge.sizes(cutter.blocks[number], uv)
            if sizes.max() <= place.roomy * place.size:
                break
            while (rim := cutter.rim_beside(number, uv)) is not None:
                carry_out(Cut(number, index, rim=rim))
                uv = cutter.where(number, place)
            sizes = gauge.sizes(cutter.blocks[number], uv)
            cut = _lengthwise(cutter, number, index, uv, sizes, place.size)
            carry_out(cut or _next_cut(number, index, uv, sizes, place.size))
    return tuple(cuts)


def _inside(
    cutter: _Cutter, hard: Sequence[int], places: Sequence[HardPlace], gauge: Gauge
) -> dict[int, list[tuple[int, Array]]]:
    """The numbers of places in each block, and where in it they are."""
    inside: dict[int, list[tuple[int, Array]]] = {}
    for index in hard:
        place = places[index]
        number, *_ = find_place(cutter.blocks, place.segment, np.array(place.at), gauge.scale)
        with suppress(GradingError):
            inside.setdefault(number, []).append((index, cutter.where(number, place)))
    return inside


def _next_line(
    cutter: _Cutter, crowded: Sequence[int], places: Sequence[HardPlace], gauge: Gauge
) -> Cut | None:
    """A cut that parts one place from others it shared a block with.

    Blocks that lead from one place to the sides of its block would else be cut about the next. It
    runs along a rim one of them is near, which leaves no wedges there, or between the two that are
    farthest from each other along the block.
    """
    widest, found = 1.0, None
    for number, here in _inside(cutter, crowded, places, gauge).items():
        sizes = gauge.sizes(cutter.blocks[number], np.array([0.5, 0.5]))
        if len(here) > 1 and 0.5 * _RATIO * sizes.max() > _WIDEST * sizes.min():
            continue  # long ones are cut short about each place
        for index, uv in here:
            away = _away(uv)
            for side in range(4):
                axis = 1 - side % 2
                clear = places[index].size < 2 * away[side] * sizes[axis]
                beyond = any(_away(place)[side] > 2 * away[side] for _, place in here)
                clear &= beyond or len(here) == 1
                clear &= away[side] < _BY_RIM and cutter.ends(number, side)
                if clear and cutter.crossed(number, axis) is not None:
                    return Cut(number, index, rim=side, others=True)
        for axis in (0, 1):
            here.sort(key=lambda each: float(each[1][axis]))
            for (one, start), (other, stop) in itertools.pairwise(here):
                least = _APART * max(places[one].size, places[other].size)
                apart = float((stop - start)[axis] * sizes[axis]) / least
                if apart > widest and cutter.crossed(number, axis) is not None:
                    widest, found = apart, Cut(number, one, axis=axis, other=other)
    return found


def _lengthwise(
    cutter: _Cutter, number: int, index: int, uv: Array, sizes: Array, wanted: float
) -> Cut | None:
    """A cut that only shortens a block in which a small one would be as wide as itself."""
    size = max(wanted, _RATIO * sizes.max())
    long = int(np.argmax(sizes))
    half = 0.5 * size / sizes
    cut_at = _worth_cutting(float(uv[long]), float(half[long]))
    if half[1 - long] <= _WIDEST or not any(cut_at):
        return None
    sides = (3, 1) if long == 0 else (0, 2)
    near = [side for side in sides if _away(uv)[side] < _NEAR]
    if cutter.crossed(number, long) is None or not all(cutter.ends(number, side) for side in near):
        return None
    return Cut(number, index, half=(float(half[0]), float(half[1])), axis=long, cut_at=cut_at)


def _next_cut(number: int, index: int, uv: Array, sizes: Array, wanted: float) -> Cut:
    """The cut that comes next on the way to a size (m) in a block of sizes (m) at a place."""
    size = max(wanted, _RATIO * sizes.max())
    half = np.minimum(0.5 * size / sizes, _WIDEST)
    away = _away(uv)
    near = [side for side in range(4) if away[side] < _NEAR]
    reach = [max(_ON, float(_ROUND * away[side])) for side in near]
    if len(near) == 2:
        corner = near[1] if near[1] - near[0] == 1 else 0
        ratio = min(max(2 * float(half.min()), *reach), 2 * _WIDEST)
        return Cut(number, index, corner=corner, half=(ratio, ratio))
    if near:
        along, across = half if near[0] % 2 == 0 else half[::-1]
        high = min(max(2 * float(across), reach[0]), 2 * _WIDEST)
        return Cut(number, index, side=near[0], half=(float(along), high))
    # What is left beside a small block is no wedge along a side of its own.
    half = np.minimum(half, _BESIDE * np.minimum(uv, 1 - uv))
    return Cut(number, index, half=(float(half[0]), float(half[1])))
