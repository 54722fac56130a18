"""From a plate or shell to nodes and elements on its exact geometry, with its named sites."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from belltone.design.parts import SurfaceValue
from belltone.design.place import Place
from belltone.geometry.charts import chart_of
from belltone.geometry.shapes import Extruded, Lofted, Plate, Revolved, extent
from belltone.mesh.blocks import SIDES, Block, Blocks, EdgeClasses, find_place
from belltone.mesh.discretisation import Discretisation, SurfacePlan
from belltone.mesh.feet import ElementFinder
from belltone.mesh.grading import GradingError, HardPlace, graded, plan_cuts
from belltone.mesh.plate_blocks import PlateScheme, plate_blocks, plate_scheme, unfolded
from belltone.mesh.quadrature import lagrange, lobatto, lobatto_weights
from belltone.mesh.reading import reading_rows
from belltone.mesh.shell_blocks import drawn_blocks, revolved_blocks
from belltone.mesh.sites import Feet, SiteNodes
from belltone.mesh.triangles import OutlineError

__all__ = [
    "FoldedMeshError",
    "Imprint",
    "SurfaceMesh",
    "located",
    "plan_surface",
    "surface_blocks",
    "surface_mesh",
    "witness_points",
]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_AIMED: Final = 4.0  # elements over the whole area at one division, unless blocks ask for more
_FOOTPRINT: Final = 8
_LIGHT: Final = 0.1  # of the wall's mass
_PROBE: Final = 1e-5  # of a block; a step for slopes
_NO_RIM: Final = 3.0  # thicknesses; an element so short shows the edge layer by itself
_RIM_WIDTH: Final = 1.0  # thicknesses; the edge layer fades by a factor of twenty within one
_NARROWEST_RIM: Final = 0.005  # of the edge; below it the layer matters less than rounding does
_WIDEST_RIM: Final = 0.3  # of an element
_MOST_COUNT: Final = 12  # along one block edge; longer strips are better described as members
_SMOOTH: Final = 0.999  # length of the mean of directors that agree
_WITNESSES: Final = 1400  # points at which shapes are read, over all blocks
_FEWEST_WITNESSES: Final = 6  # along an edge of a block


class FoldedMeshError(ValueError):
    """A mesh planned for another design turns inside out on this one."""


@dataclass(frozen=True)
class Imprint:
    """A place where elements must end: a value of one coordinate (0 or 1) of a block."""

    block: int
    axis: int
    value: float

    def same(self, other: Imprint) -> bool:
        """Whether two are so near that one will do."""
        here, there = (self.block, self.axis), (other.block, other.axis)
        return here == there and abs(self.value - other.value) < _NARROWEST_RIM


@dataclass(frozen=True)
class SurfaceMesh:
    """One wall as elements.

    ``connectivity`` (elements, (p+1)²) runs along the block's first direction fastest; ``block``
    and ``corner`` say on which block an element stands and from where (u, v) to where.
    ``directors``, ``first_axes`` and ``thickness`` belong to the nodes of each element, since a
    fold has several directors at one node. All in the sheet's axes.
    """

    surface: SurfaceValue
    order: int
    blocks: Blocks
    coordinates: Array
    connectivity: IntArray
    block: IntArray
    spans: Array
    directors: Array
    first_axes: Array
    thickness: Array
    chains: Mapping[tuple[int, int], IntArray]
    vertices: Mapping[int, int]
    marks: tuple[Imprint, ...] = ()

    @property
    def unknowns(self) -> int:
        """Six unknowns a node, before anything is held."""
        return 6 * len(self.coordinates)

    @property
    def size(self) -> float:
        """Diagonal of the box round the nodes (m)."""
        return float(np.linalg.norm(np.ptp(self.coordinates, axis=0)))

    @cached_property
    def node_areas(self) -> Array:
        """Area that belongs to each node (m²)."""
        areas = np.zeros(len(self.coordinates))
        line = lobatto_weights(self.order)
        weights = np.kron(line, line)
        np.add.at(areas, self.connectivity, weights * self.stretch)
        return areas

    @cached_property
    def stretch(self) -> Array:
        """Area of the surface for unit area of an element's own square, at its nodes (m²)."""
        first, second = self._tangents()
        return np.asarray(np.linalg.norm(np.cross(first, second), axis=-1))

    @cached_property
    def seams(self) -> NDArray[np.bool_]:
        """Nodes where elements need not agree: on folds, and where something is joined."""
        total = np.zeros((len(self.coordinates), 3))
        np.add.at(total, self.connectivity, self.directors)
        uses = np.bincount(self.connectivity.ravel(), minlength=len(total))
        found = np.linalg.norm(total, axis=1) < _SMOOTH * uses
        count = self.order + 1
        grid = np.arange(count * count).reshape(count, count)
        sides = {0: (grid[:, 0], grid[:, -1]), 1: (grid[0], grid[-1])}
        for mark in self.marks:
            for end, side in enumerate(sides[mark.axis]):
                on = np.abs(self.spans[:, 2 * mark.axis + end] - mark.value) < _NARROWEST_RIM
                found[self.connectivity[on & (self.block == mark.block)][:, side]] = True
        return np.asarray(found)

    def smoothed(self, values: Array) -> Array:
        """Values ``(elements, nodes, k)`` with the mean of all elements that meet in a node.

        Elements count by their area there; those at seams keep their own.
        """
        line = lobatto_weights(self.order)
        areas = np.kron(line, line) * self.stretch
        total = np.zeros((len(self.coordinates), values.shape[2]))
        np.add.at(total, self.connectivity, areas[..., None] * values)
        mean = total / self.node_areas[:, None]
        return np.where(self.seams[self.connectivity][..., None], values, mean[self.connectivity])

    def _tangents(self) -> tuple[Array, Array]:
        nodes = lobatto(self.order)
        values, slopes = lagrange(nodes, nodes)
        places = self.coordinates[self.connectivity]
        return np.kron(values, slopes) @ places, np.kron(slopes, values) @ places

    def sample(self, points: tuple[IntArray, Array, Array]) -> tuple[IntArray, Array]:
        """Where to read a shape at ``(block, u, v)``: elements, and weights of their nodes."""
        blocks, u, v = points
        element = np.empty(len(blocks), dtype=np.intp)
        for number in np.unique(blocks):
            here = blocks == number
            own = np.flatnonzero(self.block == number)
            low = self.spans[own][:, [0, 2]]
            starts = [np.unique(low[:, axis]) for axis in (0, 1)]
            columns = [
                np.clip(np.searchsorted(start, at[here] + 1e-12, side="right") - 1, 0, None)
                for start, at in zip(starts, (u, v), strict=True)
            ]
            element[here] = own[columns[1] * len(starts[0]) + columns[0]]
        spans = self.spans[element]
        local = [
            2 * (at - spans[:, first]) / (spans[:, first + 1] - spans[:, first]) - 1
            for at, first in ((u, 0), (v, 2))
        ]
        nodes = lobatto(self.order)
        across, up = (lagrange(nodes, at)[0] for at in local)
        weights = np.einsum("nj,ni->nji", up, across).reshape(len(element), -1)
        return element, weights

    def at_nodes_of(self, other: SurfaceMesh) -> sparse.csr_matrix:
        """Rows that read a motion of this mesh at the nodes of another one on the same blocks."""
        local = 0.5 * (lobatto(other.order) + 1)
        spans = other.spans
        across = spans[:, [0]] + local * (spans[:, [1]] - spans[:, [0]])
        up = spans[:, [2]] + local * (spans[:, [3]] - spans[:, [2]])
        nodes, first = np.unique(other.connectivity, return_index=True)
        element, place = np.divmod(first, other.connectivity.shape[1])
        row, column = np.divmod(place, len(local))
        found, weights = self.sample(
            (other.block[element], across[element, column], up[element, row])
        )
        assert len(nodes) == len(other.coordinates)
        return reading_rows(self.connectivity[found], weights, len(self.coordinates))

    @cached_property
    def _finder(self) -> ElementFinder:
        return ElementFinder(self.coordinates[self.connectivity], self.order)

    def locate_points(self, points: Array) -> tuple[IntArray, Array, Array]:
        """The element nearest to each of ``(n, 3)``, the weights of its nodes, and the place."""
        return self._finder.nearest(points)

    def feet(self, points: Array) -> Feet:
        """The nearest places of the wall to points ``(n, 3)``."""
        element, weights, places = self._finder.nearest(points)
        reach = 0.5 * np.sum(weights * self.thickness[element], axis=1)
        normals = np.einsum("nk,nkd->nd", weights, self.directors[element])
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        return Feet(self.connectivity[element], weights, places, reach, normals)

    # -- sites ----------------------------------------------------------------------------------

    def site(self, place: Place) -> SiteNodes:
        """The nodes of one of the part's sites."""
        if place.feature is None:
            return self._point(place)
        if place.feature == "face":
            return self._face()
        if place.feature in self.blocks.corners:
            return self._corner(self.vertices[self.blocks.corners[place.feature]])
        return self._edge(self.blocks.edges[place.feature])

    def _node_frames(self) -> tuple[Array, Array]:
        """At every node of every element: first direction in the wall, and the normal."""
        normals = self.directors
        first = self.first_axes - np.sum(self.first_axes * normals, axis=-1, keepdims=True) * (
            normals
        )
        return first / np.linalg.norm(first, axis=-1, keepdims=True), normals

    def _frames_at(self, nodes: IntArray) -> Array:
        """The wall's own directions at nodes, averaged over the elements that meet there."""
        first, normals = self._node_frames()
        total = np.zeros((2, len(self.coordinates), 3))
        np.add.at(total[0], self.connectivity, first)
        np.add.at(total[1], self.connectivity, normals)
        axis, normal = total[0][nodes], total[1][nodes]
        normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
        axis = axis - np.sum(axis * normal, axis=-1, keepdims=True) * normal
        axis /= np.linalg.norm(axis, axis=-1, keepdims=True)
        return np.stack([axis, np.cross(normal, axis), normal], axis=-2)

    def _face(self) -> SiteNodes:
        nodes = np.arange(len(self.coordinates))
        areas = self.node_areas
        return SiteNodes(
            nodes[:, None],
            np.ones((len(nodes), 1)),
            self._frames_at(nodes),
            areas / areas.sum(),
            self.coordinates,
        )

    def _corner(self, node: int) -> SiteNodes:
        nodes = np.array([node])
        return SiteNodes(
            nodes[:, None],
            np.ones((1, 1)),
            self._frames_at(nodes),
            np.ones(1),
            self.coordinates[nodes],
        )

    def _edge(self, chain: tuple[tuple[int, int], ...]) -> SiteNodes:
        first, normals = self._tangents(), self.directors
        total = np.zeros((3, len(self.coordinates), 3))
        length = np.zeros(len(self.coordinates))
        weights = lobatto_weights(self.order)
        sides = self._sides()
        used: list[IntArray] = []
        for a, b in chain:
            elements, local, axis, outward, forward = sides[(a, b)]
            here = self.connectivity[elements][:, local]
            along = forward * first[axis][elements][:, local]
            stretch = np.linalg.norm(along, axis=-1)
            normal = normals[elements][:, local]
            away = outward * first[1 - axis][elements][:, local]
            np.add.at(length, here, weights * stretch)
            np.add.at(total[0], here, weights[:, None] * along)
            np.add.at(total[1], here, away / np.linalg.norm(away, axis=-1, keepdims=True))
            np.add.at(total[2], here, normal)
            used.append(here.ravel())
        nodes = np.unique(np.concatenate(used))
        along, away, normal = (vectors[nodes] for vectors in total)
        along = along / np.linalg.norm(along, axis=-1, keepdims=True)
        normal = normal - np.sum(normal * along, axis=-1, keepdims=True) * along
        normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
        side = np.cross(normal, along)
        side *= np.sign(np.sum(side * away, axis=-1, keepdims=True)) + 0.0
        # Right-handed whichever way the edge is listed: x turns with y, z stays the normal.
        along = np.cross(side, normal)
        return SiteNodes(
            nodes[:, None],
            np.ones((len(nodes), 1)),
            np.stack([along, side, normal], axis=-2),
            length[nodes] / length[nodes].sum(),
            self.coordinates[nodes],
        )

    def _sides(self) -> dict[tuple[int, int], tuple[IntArray, IntArray, int, float, float]]:
        """For each directed block edge: elements along it, their nodes there, and directions.

        The two last are the sign that turns the other coordinate outwards and the one that turns
        the running coordinate along the edge.
        """
        count = self.order + 1
        grid = np.arange(count * count).reshape(count, count)
        rows = {0: grid[0], 1: grid[:, -1], 2: grid[-1], 3: grid[:, 0]}
        found: dict[tuple[int, int], tuple[IntArray, IntArray, int, float, float]] = {}
        for number, block in enumerate(self.blocks.blocks):
            own = np.flatnonzero(self.block == number)
            spans = self.spans[own]
            at_side = (spans[:, 2] == 0, spans[:, 1] == 1, spans[:, 3] == 1, spans[:, 0] == 0)
            for side, (a, b) in enumerate(SIDES):
                pair = (block.vertices[a], block.vertices[b])
                axis, outward = side % 2, 1.0 if side in (1, 2) else -1.0
                entry = (own[at_side[side]], rows[side], axis, outward)
                found.setdefault(pair, (*entry, 1.0))
                found.setdefault(pair[::-1], (*entry, -1.0))
        return found

    def _point(self, place: Place) -> SiteNodes:
        block, u, v = find_place(
            self.blocks.blocks, place.segment, np.array(place.at), chart_scale(self.surface)
        )
        element, weights = self.sample((np.array([block]), np.array([u]), np.array([v])))
        nodes = self.connectivity[element[0]]
        position = weights[0] @ self.coordinates[nodes]
        first, normals = self._node_frames()
        normal = weights[0] @ normals[element[0]]
        normal /= np.linalg.norm(normal)
        axis = weights[0] @ first[element[0]]
        axis -= (axis @ normal) * normal
        axis /= np.linalg.norm(axis)
        frame = np.array([axis, np.cross(normal, axis), normal])
        reach = 0.5 * float(weights[0] @ self.thickness[element[0]])
        all_nodes, shares = self._footprint(block, u, v, position, reach)
        return SiteNodes(all_nodes[None], shares[None], frame[None], np.ones(1), position[None])

    def _footprint(
        self, block: int, u: float, v: float, centre: Array, reach: float
    ) -> tuple[IntArray, Array]:
        """Nodes and weights of the mean motion over a small circle round a point of a block.

        In a wall that can shear, a true point gives way without limit under a force, so what is
        fixed at a point acts on a circle as wide as the wall is thick.
        """
        probe = np.array([[u, v], [u + _PROBE, v], [u, v + _PROBE]])
        probe -= np.where(probe > 1, 2 * _PROBE, 0.0)
        there = located(self.surface, self.blocks.blocks[block], *probe.T)[0]
        slopes = (there[1:] - there[0]) / (probe[1:] - probe[0]).sum(axis=1)[:, None]
        angles = np.arange(_FOOTPRINT) * 2 * math.pi / _FOOTPRINT
        metric = slopes @ slopes.T
        half = np.linalg.cholesky(np.linalg.inv(metric))
        ring = np.array([u, v]) + reach * np.column_stack([np.cos(angles), np.sin(angles)]) @ half.T
        ring = np.clip(ring, 0.0, 1.0)
        elements, weights = self.sample((np.full(_FOOTPRINT, block), ring[:, 0], ring[:, 1]))
        nodes = self.connectivity[elements]
        unique, inverse = np.unique(nodes, return_inverse=True)
        total = np.zeros(len(unique))
        np.add.at(total, inverse.ravel(), weights.ravel() / _FOOTPRINT)
        return unique, total


def chart_scale(surface: SurfaceValue) -> Array:
    """Lengths both coordinates of a surface's chart are measured by."""
    shape = surface.shape
    if isinstance(shape, Revolved):
        return np.array([1.0, 2 * math.pi])
    if isinstance(shape, Plate):
        low, high = extent(shape.outline)
        return np.full(2, float(np.linalg.norm(high - low)))
    return np.array([1.0, shape.length if isinstance(shape, Extruded) else shape.span])


def plan_surface(surface: SurfaceValue, places: Sequence[HardPlace] = ()) -> SurfacePlan:
    """Choose how a surface is cut, and element counts that make its elements about square.

    Blocks become smaller towards ``places``. Raises ``ValueError`` where an outline cannot be
    meshed.
    """
    scheme = plate_scheme(surface.shape) if isinstance(surface.shape, Plate) else None
    blocks = surface_blocks(surface, scheme)
    scale = chart_scale(surface)

    def spread(block: Block, uv: Array) -> Array:
        at = uv + np.where(uv > 0.5, -_PROBE, _PROBE) * np.array([[0, 0], [1, 0], [0, 1]])
        here, *there = located(surface, block, *at.T)[0]
        return np.asarray((np.array(there) - here) / (at[1:] - at[0]).sum(axis=1)[:, None])

    classes = blocks.edge_classes()
    light = _LIGHT * _class_lengths(surface, blocks, classes)[1] * surface.layup.density
    light *= surface.thickness.mean
    cuts = plan_cuts(blocks, places, scale, spread, light)
    blocks = graded(blocks, cuts, places, scale)
    classes = blocks.edge_classes()
    lengths, area = _class_lengths(surface, blocks, classes)
    wished = math.sqrt(area / _AIMED)
    counts = [min(max(1, round(length / wished)), _MOST_COUNT) for length in lengths]
    return SurfacePlan(scheme, tuple(counts), cuts)


def _class_lengths(
    surface: SurfaceValue, blocks: Blocks, classes: EdgeClasses
) -> tuple[list[float], float]:
    """Mean length of the edges of each class, and the area, both roughly (m, m²)."""
    chart = chart_of(surface.shape)
    line = np.linspace(0.0, 1.0, 9)
    zero, one = np.zeros(9), np.ones(9)
    lengths: dict[int, list[float]] = {}
    area = 0.0
    for block in blocks.blocks:
        sizes: list[float] = []
        for u, v in ((line, zero), (one, line), (line, one), (zero, line)):
            places = chart.locate(block.segment, *block.chart(u, v).T).positions
            sizes.append(float(np.linalg.norm(np.diff(places, axis=0), axis=1).sum()))
        area += 0.25 * (sizes[0] + sizes[2]) * (sizes[1] + sizes[3])
        for (a, b), size in zip(SIDES, sizes, strict=True):
            number, _ = classes.of(block.vertices[a], block.vertices[b])
            lengths.setdefault(number, []).append(size)
    return [float(np.mean(lengths[number])) for number in range(classes.count)], area


def _breaks(
    surface: SurfaceValue,
    blocks: Blocks,
    classes: EdgeClasses,
    plan: SurfacePlan,
    divisions: int,
    imprints: Sequence[Imprint],
) -> list[Array]:
    """Where the elements along each class of edges begin and end, as shares.

    Beside a rim stands one narrow element: at free edges the shear of a wall changes within a
    thickness of the edge, and a large element beside it would never converge.
    """
    lengths, _ = _class_lengths(surface, blocks, classes)
    wanted: dict[int, list[float]] = {}
    for mark in imprints:
        vertices = blocks.blocks[mark.block].vertices
        group, forward = classes.of(vertices[0], vertices[1 if mark.axis == 0 else 3])
        if group not in classes.two_way:
            wanted.setdefault(group, []).append(mark.value if forward else 1 - mark.value)
    result: list[Array] = []
    for number, (length, count) in enumerate(zip(lengths, plan.counts, strict=True)):
        times = divisions * plan.divided(number)
        narrow = max(_RIM_WIDTH * surface.thickness.mean / length, _NARROWEST_RIM)
        narrow = min(narrow, _WIDEST_RIM / (count * times))
        one_way = number not in classes.two_way
        one_way &= length > _NO_RIM * count * times * surface.thickness.mean
        first = narrow if one_way and (number, True) in classes.rims else 0.0
        last = 1 - narrow if one_way and (number, False) in classes.rims else 1.0
        inner = _shared_out(first, last, (count, times), wanted.get(number, []))
        result.append(np.unique(np.concatenate([[0.0], inner, [1.0]])))
    return result


def _shared_out(
    first: float, last: float, count: tuple[int, int], wanted: Sequence[float]
) -> Array:
    """Ends of elements between two shares, some of the ends being given.

    There are about as many as the first count says, each divided by the second.
    """
    ends = [first]
    for value in sorted(wanted):
        if value - ends[-1] > _NARROWEST_RIM and last - value > _NARROWEST_RIM:
            ends.append(value)
    ends.append(last)
    pieces = [
        np.linspace(
            low, high, count[1] * max(1, round(count[0] * (high - low) / (last - first))) + 1
        )
        for low, high in itertools.pairwise(ends)
    ]
    return np.unique(np.concatenate(pieces))


def surface_blocks(surface: SurfaceValue, scheme: PlateScheme | None) -> Blocks:
    """The blocks of a surface by a plate's scheme, or by the shell's own shape."""
    shape = surface.shape
    if isinstance(shape, Revolved):
        return revolved_blocks(shape)
    if isinstance(shape, Extruded | Lofted):
        return drawn_blocks(shape)
    assert scheme is not None
    return plate_blocks(shape, scheme)


def surface_mesh(
    surface: SurfaceValue,
    discretisation: Discretisation,
    plan: SurfacePlan,
    imprints: Sequence[Imprint] = (),
    places: Sequence[HardPlace] = (),
) -> SurfaceMesh:
    """Divide one plate or shell; elements end at every imprint.

    ``places`` are those the plan was made for, where they are now.

    Raises `FoldedMeshError` where its plan no longer fits.
    """
    if plan.scheme is not None and isinstance(surface.shape, Plate):
        try:
            fits = unfolded(surface.shape, plan.scheme)
        except (OutlineError, ValueError, IndexError, np.linalg.LinAlgError) as error:
            raise FoldedMeshError(str(error)) from error
        if not fits:
            raise FoldedMeshError(f"the blocks of “{surface.name}” fold")
    try:
        blocks = graded(
            surface_blocks(surface, plan.scheme), plan.cuts, places, chart_scale(surface)
        )
    except GradingError as error:
        raise FoldedMeshError(f"a place has left its block of “{surface.name}”") from error
    order = discretisation.order
    classes = blocks.edge_classes()
    breaks = _breaks(surface, blocks, classes, plan, discretisation.divisions, imprints)
    numbering = _Numbering(order)
    pieces: list[tuple[NDArray[Any], ...]] = []
    flats: list[IntArray] = []
    placed: list[Array] = []
    for number, block in enumerate(blocks.blocks):
        ends: list[Array] = []
        for a, b in ((0, 1), (0, 3)):
            group, forward = classes.of(block.vertices[a], block.vertices[b])
            ends.append(breaks[group] if forward else 1 - breaks[group][::-1])
        u_cuts, v_cuts = (len(end) - 1 for end in ends)
        nodes = numbering.block(block, u_cuts, v_cuts)
        across, up = np.meshgrid(*(_line(end, order) for end in ends))
        found = located(surface, block, across.ravel(), up.ravel())
        gather = _gather(u_cuts, v_cuts, order)
        flat = nodes.ravel()
        flats.append(flat)
        placed.append(found[0])
        spans = np.array(
            [
                (ends[0][i], ends[0][i + 1], ends[1][j], ends[1][j + 1])
                for j, i in itertools.product(range(v_cuts), range(u_cuts))
            ]
        )
        pieces.append(
            (flat[gather], np.full(len(gather), number), spans, *(p[gather] for p in found[1:]))
        )
    coordinates = np.empty((numbering.count, 3))
    coordinates[np.concatenate(flats)] = np.concatenate(placed)
    joined = [np.concatenate(column) for column in zip(*pieces, strict=True)]
    return SurfaceMesh(
        surface,
        order,
        blocks,
        coordinates,
        joined[0],
        joined[1],
        joined[2],
        joined[3],
        joined[4],
        joined[5],
        numbering.chains,
        numbering.vertices,
        tuple(imprints),
    )


def witness_points(blocks: Blocks) -> tuple[IntArray, Array, Array, int]:
    """Fixed places ``(block, u, v)`` on every block, and how many there are along an edge."""
    count = len(blocks.blocks)
    along = max(_FEWEST_WITNESSES, round(math.sqrt(_WITNESSES / count)))
    line = np.linspace(0.0, 1.0, along)
    u, v = (grid.ravel() for grid in np.meshgrid(line, line))
    return np.repeat(np.arange(count), len(u)), np.tile(u, count), np.tile(v, count), along


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


def located(
    surface: SurfaceValue, block: Block, u: Array, v: Array
) -> tuple[Array, Array, Array, Array]:
    """Middle surface, directors, first axes and thickness at places of a block, sheet's axes."""
    first, second = block.chart(u, v).T
    return surface.locate(block.segment, first, second)


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
