"""A plate or shell divided into elements: nodes that blocks share, and where elements end."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import SurfaceValue
from belltone.geometry.shapes import Plate
from belltone.geometry.triangles import OutlineError
from belltone.mesh.blocks import Block, Blocks, EdgeClasses
from belltone.mesh.discretisation import Discretisation, SurfacePlan
from belltone.mesh.edge_division import EdgeDivision
from belltone.mesh.grading import GradingError, HardPlace, graded
from belltone.mesh.plate_blocks import unfolded
from belltone.mesh.plate_costs import LAYER
from belltone.mesh.quadrature import lobatto
from belltone.mesh.surface import Imprint, SurfaceMesh, located
from belltone.mesh.surface_plan import edge_lengths, gauge_of, surface_blocks

__all__ = ["FoldedMeshError", "planned_blocks", "surface_mesh"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_BUT_LAST: Final = slice(None, -1)
_BUT_FIRST: Final = slice(1, None)


class FoldedMeshError(ValueError):
    """A mesh planned for another design turns inside out on this one."""


def surface_mesh(
    surface: SurfaceValue,
    discretisation: Discretisation,
    plan: SurfacePlan,
    imprints: Sequence[Imprint] = (),
    places: Sequence[HardPlace] = (),
    blocks: Blocks | None = None,
) -> SurfaceMesh:
    """Divide one plate or shell; elements end at every imprint.

    ``places`` are those the plan was made for, where they are now; ``blocks`` those of the plan,
    where they are known.

    Raises `FoldedMeshError` where its plan no longer fits.
    """
    if blocks is None:
        blocks = planned_blocks(surface, plan, places)
    order = discretisation.order
    classes = blocks.edge_classes()
    divided = _divided(surface, blocks, classes, plan, discretisation.divisions, imprints)
    breaks = [division.breaks(thin, planned) for division, thin, planned in divided]
    lines = [_line(ends, order) for ends in breaks]
    numbering = _Numbering(order)
    gathers: list[IntArray] = []
    pieces: list[tuple[NDArray[Any], ...]] = []
    there: list[tuple[Block, Array, Array]] = []
    passed = 0
    for number, block in enumerate(blocks.blocks):
        ends: list[Array] = []
        grids: list[Array] = []
        for a, b in ((0, 1), (0, 3)):
            group, forward = classes.of(block.vertices[a], block.vertices[b])
            ends.append(breaks[group] if forward else 1 - breaks[group][::-1])
            grids.append(lines[group] if forward else 1 - lines[group][::-1])
        u_cuts, v_cuts = (len(end) - 1 for end in ends)
        flat = numbering.block(block, u_cuts, v_cuts).ravel()
        there.append((block, np.tile(grids[0], len(grids[1])), np.repeat(grids[1], len(grids[0]))))
        gather = _gather(u_cuts, v_cuts, order)
        gathers.append(passed + gather)
        passed += len(flat)
        low, high = (np.meshgrid(ends[0][cut], ends[1][cut]) for cut in (_BUT_LAST, _BUT_FIRST))
        spans = [low[0].ravel(), high[0].ravel(), low[1].ravel(), high[1].ravel()]
        pieces.append((flat, flat[gather], np.full(len(gather), number), np.stack(spans, axis=1)))
    flats, connectivity, owners, corners = (
        np.concatenate(column) for column in zip(*pieces, strict=True)
    )
    gathered = np.concatenate(gathers)
    placed, directors, first_axes, thickness = located(surface, there)
    coordinates = np.empty((numbering.count, 3))
    coordinates[flats] = placed
    return SurfaceMesh(
        surface,
        order,
        blocks,
        coordinates,
        connectivity,
        owners,
        corners,
        directors[gathered],
        first_axes[gathered],
        thickness[gathered],
        numbering.chains,
        numbering.vertices,
        tuple(imprints),
        tuple(division.counted(planned) for division, _, planned in divided),
    )


def planned_blocks(
    surface: SurfaceValue, plan: SurfacePlan, places: Sequence[HardPlace] = ()
) -> Blocks:
    """The blocks of a surface by a plan; raises `FoldedMeshError` where it no longer fits."""
    try:
        blocks = surface_blocks(surface, plan.scheme, places, plan.spots)
        fits = not isinstance(surface.shape, Plate) or unfolded(blocks)
    except (OutlineError, ValueError, IndexError, np.linalg.LinAlgError) as error:
        raise FoldedMeshError(str(error)) from error
    if not fits:
        raise FoldedMeshError(f"the blocks of “{surface.name}” fold")
    try:
        return graded(blocks, plan.cuts, places, gauge_of(surface))
    except GradingError as error:
        raise FoldedMeshError(f"a place has left its block of “{surface.name}”") from error


def _divided(
    surface: SurfaceValue,
    blocks: Blocks,
    classes: EdgeClasses,
    plan: SurfacePlan,
    divisions: int,
    imprints: Sequence[Imprint],
) -> list[tuple[EdgeDivision, float, float]]:
    """How each class of edges is divided, how thin it is, and was when that was planned.

    Beside a rim stands one narrow element: at free edges the shear of a wall changes within a
    thickness of the edge, and a large element beside it would never converge.
    """
    lengths, _ = edge_lengths(surface, blocks, classes)
    wanted: dict[int, list[tuple[float, float]]] = {}
    for mark in imprints:
        vertices = blocks.blocks[mark.block].vertices
        group, forward = classes.of(vertices[0], vertices[1 if mark.axis == 0 else 3])
        if group not in classes.two_way:
            place = mark.value if forward else 1 - mark.value
            wanted.setdefault(group, []).append((place, mark.size / lengths[group]))
    grown = {(end.number, end.at_start): end.size for end in plan.towards}
    slender = {end.number: end.slender for end in plan.towards}
    result: list[tuple[EdgeDivision, float, float]] = []
    for number, (length, count) in enumerate(zip(lengths, plan.counts, strict=True)):
        times = divisions * plan.divided(number)
        thin = surface.thickness.mean / length
        marks = sorted(wanted.get(number, []))
        # Lines at which elements end are not the plan's: there they are counted as they stand now.
        planned = thin if marks or number not in slender else 1 / slender[number]
        layered = number not in classes.two_way and LAYER * count * times * planned < 1
        ends = (number, True), (number, False)
        division = EdgeDivision(
            count,
            times,
            marks,
            rims=(layered and ends[0] in classes.rims, layered and ends[1] in classes.rims),
            sizes=(grown.get(ends[0], 0.0), grown.get(ends[1], 0.0)) if layered else (0.0, 0.0),
        )
        result.append((division, thin, planned))
    return result


def _line(breaks: Array, order: int) -> Array:
    """Node places along a block edge whose elements end at ``breaks``, 0 to 1."""
    inner = 0.5 * (lobatto(order)[:-1] + 1)
    places = breaks[:-1, None] + inner * np.diff(breaks)[:, None]
    return np.append(places.ravel(), 1.0)


def _gather(u_cuts: int, v_cuts: int, order: int) -> IntArray:
    """Places in a block's grid of nodes for each of its elements."""
    wide = u_cuts * order + 1
    local = np.arange(order + 1)
    one = (local[:, None] * wide + local[None, :]).ravel()
    starts = (
        np.arange(v_cuts)[:, None] * order * wide + np.arange(u_cuts)[None, :] * order
    ).ravel()
    return np.asarray(starts[:, None] + one[None, :])


class _Numbering:
    """Numbers nodes so that blocks share those of their common vertices and edges."""

    def __init__(self, order: int) -> None:
        self._order = order
        self.count = 0
        self.vertices: dict[int, int] = {}
        self.chains: dict[tuple[int, int], IntArray] = {}

    def _new(self, count: int) -> IntArray:
        self.count += count
        return np.arange(self.count - count, self.count)

    def _vertex(self, vertex: int) -> int:
        if vertex not in self.vertices:
            self.vertices[vertex] = int(self._new(1)[0])
        return self.vertices[vertex]

    def _inner(self, a: int, b: int, cuts: int) -> IntArray:
        """Nodes between two vertices, from a to b."""
        if (a, b) not in self.chains:
            chain = self._new(cuts * self._order - 1)
            self.chains[(a, b)], self.chains[(b, a)] = chain, chain[::-1]
        return self.chains[(a, b)]

    def block(self, block: Block, u_cuts: int, v_cuts: int) -> IntArray:
        """Node numbers ``(along v, along u)`` of a block."""
        a, b, c, d = block.vertices
        wide, high = u_cuts * self._order + 1, v_cuts * self._order + 1
        nodes = np.empty((high, wide), dtype=np.intp)
        for place, vertex in (((0, 0), a), ((0, -1), b), ((-1, -1), c), ((-1, 0), d)):
            nodes[place] = self._vertex(vertex)
        nodes[0, 1:-1] = self._inner(a, b, u_cuts)
        nodes[-1, 1:-1] = self._inner(d, c, u_cuts)
        nodes[1:-1, 0] = self._inner(a, d, v_cuts)
        nodes[1:-1, -1] = self._inner(b, c, v_cuts)
        nodes[1:-1, 1:-1] = self._new((wide - 2) * (high - 2)).reshape(high - 2, wide - 2)
        return nodes
