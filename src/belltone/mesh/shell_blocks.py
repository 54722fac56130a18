"""Blocks of shells: one for each segment of the profile, or more where it goes round."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.curved_quads import edge_key
from belltone.geometry.features import END, FIRST_SIDE, LAST_SIDE, START, fold_name
from belltone.geometry.profiles import Arc, Line
from belltone.geometry.shapes import Extruded, Lofted, Revolved, on_axis
from belltone.geometry.skins import Skin
from belltone.mesh.blocks import Block, BlockBuilder, Blocks, Piece, rectangle

__all__ = ["drawn_blocks", "revolved_blocks", "skin_blocks"]

Array = NDArray[np.float64]
Map = Callable[[Array, Array], Array]

_SECTOR: Final = math.pi / 2  # widest angle one block spans, of a turn or of an arc
_CORE: Final = 0.5


def skin_blocks(shape: Skin) -> Blocks:
    """The pieces of a received skin, each a block."""
    whole = rectangle((0.0, 1.0), (0.0, 1.0))
    blocks = [
        Block((a, b, c, d), piece, whole) for piece, (a, b, c, d) in enumerate(shape.vertices)
    ]
    return Blocks(tuple(blocks), shape.edges, {}, shape.folds)


def drawn_blocks(shape: Extruded | Lofted) -> Blocks:
    """Blocks of an extruded or lofted shell, from profile to profile."""
    profile = shape.profile
    depth = shape.length if isinstance(shape, Extruded) else shape.span
    count = len(profile.segments)
    cuts = [_pieces(segment) for segment in profile.segments]
    if profile.closed:
        # Two edges must never share both ends, so a closed profile has three pieces at least.
        while sum(cuts) < 3:
            cuts[int(np.argmin(cuts))] += 1
    stations = sum(cuts) + (0 if profile.closed else 1)
    blocks: list[Block] = []
    edges: dict[str, list[tuple[int, int]]] = {START: [], END: []}
    place = 0
    for index in range(count):
        if index > 0:
            edges[fold_name(shape, index)] = [(2 * place, 2 * place + 1)]
        for part in range(cuts[index]):
            after = (place + 1) % stations
            one, two = (2 * place, 2 * place + 1), (2 * after, 2 * after + 1)
            shares = (part / cuts[index], (part + 1) / cuts[index])
            blocks.append(
                Block((one[0], two[0], two[1], one[1]), index, rectangle(shares, (0.0, depth)))
            )
            edges[START].append((one[0], two[0]))
            edges[END].append((one[1], two[1]))
            place += 1
    if not profile.closed:
        edges[FIRST_SIDE] = [(0, 1)]
        edges[LAST_SIDE] = [(2 * (stations - 1), 2 * (stations - 1) + 1)]
    folded = profile.kinks()
    folds = frozenset(
        edge_key(2 * at, 2 * at + 1)
        for index, at in enumerate(np.cumsum([0, *cuts[:-1]]).tolist())
        if index in folded
    )
    return Blocks(tuple(blocks), {name: tuple(chain) for name, chain in edges.items()}, {}, folds)


def revolved_blocks(shape: Revolved) -> Blocks:
    """Blocks of a shell of revolution, sector by sector; a square core covers a closed top."""
    profile = shape.profile
    poles = (
        not profile.closed and on_axis(profile.segments[0].start, profile.length),
        not profile.closed and on_axis(profile.segments[-1].stop, profile.length),
    )
    sectors = max(4 if shape.full else 1, math.ceil(shape.angle / _SECTOR - 1e-9))
    if any(poles) and not shape.full:
        sectors *= 2  # the core of a part turn takes two sectors to a block
    angles = np.linspace(0.0, shape.angle, sectors + 1)
    columns = sectors if shape.full else sectors + 1
    builder = BlockBuilder()

    def ring() -> list[int]:
        return [builder.point([0.0, 0.0]) for _ in range(columns)]

    strips = [
        (index, part / _pieces(segment), (part + 1) / _pieces(segment))
        for index, segment in enumerate(profile.segments)
        for part in range(_pieces(segment))
    ]
    heights = [ring() for _ in range(len(strips) + (0 if profile.closed else 1))]
    for place, (index, low, high) in enumerate(strips):
        below, above = heights[place], heights[(place + 1) % len(heights)]
        first, last = poles[0] and place == 0, poles[1] and place == len(strips) - 1
        if first or last:
            rim = below if last else above
            _cap(builder, shape, index, (low, high), angles, rim, last)
            continue
        for column in range(sectors):
            after = (column + 1) % columns
            # The angle runs first, so that the normal points to the profile's right.
            chart = _swapped((low, high), (float(angles[column]), float(angles[column + 1])))
            vertices = (below[column], below[after], above[after], above[column])
            builder.blocks.append(Block(vertices, index, chart))
    _revolved_names(builder, shape, strips, heights, poles)
    folded = profile.kinks()
    folds = frozenset(
        edge_key(heights[place][column], heights[place][(column + 1) % columns])
        for place, (index, low, _) in enumerate(strips)
        if low == 0.0 and index in folded
        for column in range(sectors)
    )
    return replace(builder.finish(), folds=folds)


def _pieces(segment: Line | Arc) -> int:
    if isinstance(segment, Line):
        return 1
    return max(1, math.ceil(abs(segment.last - segment.first) / _SECTOR - 1e-9))


def _swapped(shares: tuple[float, float], angles: tuple[float, float]) -> Map:
    def chart(u: Array, v: Array) -> Array:
        return np.column_stack(
            [shares[0] + v * (shares[1] - shares[0]), angles[0] + u * (angles[1] - angles[0])]
        )

    return chart


def _cap(
    builder: BlockBuilder,
    shape: Revolved,
    index: int,
    shares: tuple[float, float],
    angles: Array,
    rim: list[int],
    at_end: bool,
) -> None:
    """Cover the pole: a square core and a block for each sector, drawn in a flat disc.

    The disc's radius is the share of the strip from the pole; it is laid onto the surface.
    """
    low, high = shares
    flat = BlockBuilder()
    sectors = len(angles) - 1
    columns = len(rim)
    wheel = [(float(np.cos(angle)), float(np.sin(angle))) for angle in angles[:columns]]
    outer = [flat.point(spoke) for spoke in wheel]
    for column in range(sectors):
        after = (column + 1) % columns
        arc = Arc((0.0, 0.0), 1.0, float(angles[column]), float(angles[column + 1]))
        flat.curve(outer[column], outer[after], Piece(arc))
    core = [flat.point(_CORE * np.array(spoke)) for spoke in wheel]
    if shape.full:
        flat.quad(*core[:4])
        pole = None
    else:
        pole = flat.point([0.0, 0.0])
        for column in range(0, sectors, 2):
            flat.quad(pole, core[column], core[column + 1], core[column + 2])
    for column in range(sectors):
        after = (column + 1) % columns
        flat.quad(core[column], outer[column], outer[after], core[after])
    number = {vertex: rim[place] for place, vertex in enumerate(outer)}
    for vertex in range(len(flat.points)):
        if vertex not in number:
            number[vertex] = builder.point([0.0, 0.0])
    for block in flat.blocks:
        mapped = tuple(number[vertex] for vertex in block.vertices)
        builder.blocks.append(
            Block(mapped, index, _laid(block.chart, low, high, at_end))  # type: ignore[arg-type]
        )
    if pole is not None:
        builder.corners[END if at_end else START] = number[pole]
    for side, column in ((FIRST_SIDE, 0), (LAST_SIDE, columns - 1)):
        if not shape.full:
            assert pole is not None
            chain = [(number[pole], number[core[column]]), (number[core[column]], rim[column])]
            for a, b in chain if not at_end else [(b, a) for a, b in reversed(chain)]:
                builder.name(side, a, b)


def _laid(chart: Map, low: float, high: float, at_end: bool) -> Map:
    """Turn a place on the flat disc into share and angle."""

    def laid(u: Array, v: Array) -> Array:
        x, y = chart(u, v).T
        radius = np.hypot(x, y)
        share = high - radius * (high - low) if at_end else low + radius * (high - low)
        turn = np.arctan2(y, x)
        return np.column_stack([share, np.where(turn < -1e-9, turn + 2 * math.pi, turn)])

    return laid


def _revolved_names(
    builder: BlockBuilder,
    shape: Revolved,
    strips: list[tuple[int, float, float]],
    heights: list[list[int]],
    poles: tuple[bool, bool],
) -> None:
    columns = len(heights[0])

    def around(name: str, ring: list[int]) -> None:
        for column in range(columns if shape.full else columns - 1):
            builder.name(name, ring[column], ring[(column + 1) % columns])

    if not shape.profile.closed:
        if not poles[0]:
            around(START, heights[0])
        if not poles[1]:
            around(END, heights[-1])
    for place, (index, low, _) in enumerate(strips):
        if low == 0.0 and index > 0:
            around(fold_name(shape, index), heights[place])
    if shape.full:
        return
    for place in range(len(strips)):
        if (poles[0] and place == 0) or (poles[1] and place == len(strips) - 1):
            continue
        above = heights[(place + 1) % len(heights)]
        builder.name(FIRST_SIDE, heights[place][0], above[0])
        builder.name(LAST_SIDE, heights[place][-1], above[-1])
