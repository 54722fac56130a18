"""From a plate or shell to nodes and elements on its exact geometry, with its named sites."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.parts import SurfaceValue
from belltone.design.place import Place
from belltone.geometry.shapes import Extruded, Plate, Revolved, extent
from belltone.geometry.skins import Skin
from belltone.mesh.blocks import SIDES, Block, Blocks, find_place
from belltone.mesh.feet import ElementFinder, onto_edges
from belltone.mesh.quadrature import lagrange, lobatto, lobatto_weights
from belltone.mesh.reading import reading_rows
from belltone.mesh.sites import Feet, SiteNodes, Turning
from belltone.mesh.spots import PLACES_APART, turn_by_slides, unit_disc
from belltone.vectors import cross

__all__ = [
    "Imprint",
    "SurfaceMesh",
    "block_slopes",
    "chart_scale",
    "located",
    "witness_points",
]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_PROBE: Final = 1e-5  # of a block; a step for slopes
_SAME_PLACE: Final = 0.005  # of a block; between elements so narrow nothing is told apart
_SMOOTH: Final = 0.999  # length of the mean of directors that agree
_BESIDE: Final = 0.011  # of a disc's radius; a foot farther beside its place is on a rim
_OVER_RIMS: Final = 4  # times closer; of a quarter of a disc sharper places are asked
_PLACES_A_NODE: Final = 2.0  # places of a disc between nodes; fewer act as points one by one
_CLOSEST: Final = 8  # times
_AROUND: Final = 2.0  # times as far as places are apart; so near to one on the wall others may be
_FEWEST_BELOW: Final = 6  # places of a disc on a wall by which it is told how that turns
_WITNESSES: Final = 1400  # points at which shapes are read, over all blocks
_FEWEST_WITNESSES: Final = 6  # along an edge of a block


@dataclass(frozen=True)
class Imprint:
    """A place where elements must end: a value of one coordinate (0 or 1) of a block.

    Elements are as small as a ``size`` (m) beside it and grow from there, unless it is zero.
    """

    block: int
    axis: int
    value: float
    size: float = 0.0

    def same(self, other: Imprint) -> bool:
        """Whether two are so near that one will do."""
        here, there = (self.block, self.axis), (other.block, other.axis)
        return here == there and abs(self.value - other.value) < _SAME_PLACE


@dataclass(frozen=True)
class SurfaceMesh:
    """One wall as elements.

    ``connectivity`` (elements, (p+1)²) runs along the block's first direction fastest; ``block``
    and ``corner`` say on which block an element stands and from where (u, v) to where.
    ``directors``, ``first_axes`` and ``thickness`` belong to the nodes of each element, since a
    fold has several directors at one node. All in the sheet's axes. ``counted`` says how many
    elements stand between places of each class of edges where some must end.
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
    counted: tuple[tuple[int, ...], ...] = ()

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
        return self._areas_of(np.ones(len(self.block), bool))

    def _areas_of(self, chosen: NDArray[np.bool_]) -> Array:
        """The same of some elements."""
        areas = np.zeros(len(self.coordinates))
        line = lobatto_weights(self.order)
        weights = np.kron(line, line)
        np.add.at(areas, self.connectivity[chosen], weights * self.stretch[chosen])
        return areas

    @cached_property
    def stretch(self) -> Array:
        """Area of the surface for unit area of an element's own square, at its nodes (m²)."""
        first, second = self._tangents()
        return np.asarray(np.linalg.norm(cross(first, second), axis=-1))

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
                on = np.abs(self.spans[:, 2 * mark.axis + end] - mark.value) < _SAME_PLACE
                found[self.connectivity[on & (self.block == mark.block)][:, side]] = True
        return np.asarray(found)

    @cached_property
    def rim(self) -> NDArray[np.bool_]:
        """Nodes on the edges of the wall and of its holes: on sides that one element alone has."""
        sides, uses = self.sides
        found = np.zeros(len(self.coordinates), bool)
        found[sides[uses == 1]] = True
        return found

    @cached_property
    def sides(self) -> tuple[IntArray, IntArray]:
        """Nodes along the sides of elements, each side once, and how many elements have it."""
        count = self.order + 1
        grid = self.connectivity.reshape(-1, count, count)
        chains = np.concatenate([grid[:, 0], grid[:, -1], grid[:, :, 0], grid[:, :, -1]])
        _, first, uses = np.unique(
            np.sort(chains, axis=1), axis=0, return_index=True, return_counts=True
        )
        return chains[first], uses

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

    def at_nodes_of(self, other: SurfaceMesh) -> scipy.sparse.csr_matrix:
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
        element, weights, _ = self._finder.nearest(points)
        normals = np.einsum("nk,nkd->nd", weights, self.directors[element])
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        positions = self.coordinates[self.connectivity[element]]
        weights, places = onto_edges(self.order, weights, positions, points, normals)
        reach = 0.5 * np.sum(weights * self.thickness[element], axis=1)
        return Feet(self.connectivity[element], weights, places, reach, normals)

    # -- sites ----------------------------------------------------------------------------------

    def site(self, place: Place) -> SiteNodes:
        """The nodes of one of the part's sites."""
        if place.feature is None:
            return self._point(place)
        if place.feature == "face":
            return self._face(np.ones(len(self.block), bool))
        shape = self.surface.shape
        if isinstance(shape, Skin) and place.feature in shape.names:
            region = shape.names.index(place.feature)
            return self._face(shape.regions[self.block] == region)
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
        return np.stack([axis, cross(normal, axis), normal], axis=-2)

    def _face(self, chosen: NDArray[np.bool_]) -> SiteNodes:
        """All nodes of some elements."""
        areas = self._areas_of(chosen)
        nodes = np.unique(self.connectivity[chosen])
        return SiteNodes(
            nodes[:, None],
            np.ones((len(nodes), 1)),
            self._frames_at(nodes),
            areas[nodes] / areas.sum(),
            self.coordinates[nodes],
        )

    def _corner(self, node: int) -> SiteNodes:
        """A corner slides across the wall as its node does, else as what there is of a disc."""
        nodes = np.array([node])
        frames, position = self._frames_at(nodes), self.coordinates[nodes]
        thickness = self.thickness[self.connectivity == node].mean()
        return SiteNodes(
            nodes[:, None],
            np.ones((1, 1)),
            frames,
            np.ones(1),
            position,
            turning=self._turning(position[0], frames[0], 0.5 * float(thickness)),
        )

    def _edge(self, chain: tuple[tuple[int, int], ...]) -> SiteNodes:
        first, normals = self._tangents(), self.directors
        total = np.zeros((3, len(self.coordinates), 3))
        length = np.zeros(len(self.coordinates))
        weights = lobatto_weights(self.order)
        sides = self._sides
        used: list[IntArray] = []  # nodes of the elements along the edge
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
            used.append(here)
        nodes = np.unique(np.concatenate(used))
        along, away, normal = (vectors[nodes] for vectors in total)
        along = along / np.linalg.norm(along, axis=-1, keepdims=True)
        normal = normal - np.sum(normal * along, axis=-1, keepdims=True) * along
        normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
        side = cross(normal, along)
        side *= np.sign(np.sum(side * away, axis=-1, keepdims=True)) + 0.0
        # Right-handed whichever way the edge is listed: x turns with y, z stays the normal.
        along = cross(side, normal)
        return SiteNodes(
            nodes[:, None],
            np.ones((len(nodes), 1)),
            np.stack([along, side, normal], axis=-2),
            length[nodes] / length[nodes].sum(),
            self.coordinates[nodes],
            np.searchsorted(nodes, np.concatenate(used)),
        )

    @cached_property
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
        frame = np.array([axis, cross(normal, axis), normal])
        reach = 0.5 * float(weights[0] @ self.thickness[element[0]])
        turning = self._turning(position, frame, reach)
        # Moving as one, the mean of a disc moves as its middle, on curved walls and over rims too.
        middle = np.einsum("sk,skd->sd", turning.shares, self.coordinates[turning.nodes])
        parts = turning.nodes, turning.shares, frame[None], np.ones(1), middle
        return SiteNodes(*parts, turning=turning)

    def _turning(self, centre: Array, frame: Array, reach: float) -> Turning:
        """How a point turns: what acts there acts on a disc as wide as the wall is thick."""
        coarse = centre + reach * unit_disc() @ frame[:2]
        element, weights, there, below = self._on_disc(coarse, reach)
        closer = self._resolves(np.unique(element), reach)
        if closer > 1 or not below.all():
            # Of a disc over a rim there is what lies on the wall. All the others have their feet on
            # the rim, a quarter of them in the very corner.
            closer = max(closer, 1 if below.all() else _OVER_RIMS)
            places = reach * unit_disc(closer)
            if not below.all() and np.count_nonzero(below) >= _FEWEST_BELOW:
                # The way to the rim from a place beyond it is long.
                known = reach * unit_disc()[below]
                away = np.linalg.norm(places[:, None] - known, axis=2).min(axis=1)
                places = places[away < _AROUND * reach * PLACES_APART]
            element, weights, there, below = self._on_disc(centre + places @ frame[:2], reach)
            if np.count_nonzero(below) >= _FEWEST_BELOW:
                element, weights, there = element[below], weights[below], there[below]
        unique, inverse = np.unique(self.connectivity[element], return_inverse=True)
        inverse = inverse.reshape(weights.shape)
        shares = np.zeros(len(unique))
        np.add.at(shares, inverse, weights / len(element))
        by_place = turn_by_slides(there, frame[2])
        slides = np.zeros((len(unique), 3))
        np.add.at(slides, inverse, weights[..., None] * by_place[:, None])
        arms = self.coordinates[unique] - centre
        return Turning(frame[None, 2], unique[None], shares[None], slides[None], arms[None])

    def _resolves(self, elements: IntArray, reach: float) -> int:
        """How many times closer places of a disc must stand for elements not to tell them apart."""
        corners = self.coordinates[self.connectivity[elements][:, [0, self.order, -1]]]
        sides = np.linalg.norm(np.diff(corners, axis=1), axis=2)
        apart = reach * PLACES_APART * _PLACES_A_NODE * self.order / max(float(sides.min()), 1e-300)
        return max(1, math.ceil(min(apart, _CLOSEST)))

    def _on_disc(
        self, places: Array, reach: float
    ) -> tuple[IntArray, Array, Array, NDArray[np.bool_]]:
        """The feet of places, as elements, weights, and positions, and which are just below."""
        element, weights, _ = self.locate_points(places)
        there = np.einsum("nk,nkd->nd", weights, self.coordinates[self.connectivity[element]])
        normals = np.einsum("nk,nkd->nd", weights, self.directors[element])
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        off = places - there
        off -= np.sum(off * normals, axis=1, keepdims=True) * normals
        return element, weights, there, np.linalg.norm(off, axis=1) <= _BESIDE * reach


def chart_scale(surface: SurfaceValue) -> Array:
    """Lengths both coordinates of a surface's chart are measured by."""
    shape = surface.shape
    if isinstance(shape, Revolved):
        return np.array([1.0, 2 * math.pi])
    if isinstance(shape, Plate):
        low, high = extent(shape.outline)
        return np.full(2, float(np.linalg.norm(high - low)))
    if isinstance(shape, Skin):
        return np.ones(2)
    return np.array([1.0, shape.length if isinstance(shape, Extruded) else shape.span])


def witness_points(blocks: Blocks) -> tuple[IntArray, Array, Array, int]:
    """Fixed places ``(block, u, v)`` on every block, and how many there are along an edge."""
    count = len(blocks.blocks)
    along = max(_FEWEST_WITNESSES, round(math.sqrt(_WITNESSES / count)))
    line = np.linspace(0.0, 1.0, along)
    u, v = (grid.ravel() for grid in np.meshgrid(line, line))
    return np.repeat(np.arange(count), len(u)), np.tile(u, count), np.tile(v, count), along


def located(
    surface: SurfaceValue, places: Sequence[tuple[Block, Array, Array]]
) -> tuple[Array, Array, Array, Array]:
    """Middle surface, directors, first axes and thickness at places of blocks, sheet's axes.

    All one below the other, in the order in which blocks and their (u, v) are given.
    """
    charted = [block.chart(u, v) for block, u, v in places]
    first, second = np.concatenate(charted).T
    counts = [len(chart) for chart in charted]
    segments = np.repeat([block.segment for block, *_ in places], counts)
    return surface.locate(segments, first, second)


def block_slopes(surface: SurfaceValue, block: Block, u: float, v: float) -> Array:
    """How the middle surface moves (m) along both coordinates of a block, ``(2, 3)``."""
    here = np.array([u, v])
    at = here + np.where(here > 0.5, -_PROBE, _PROBE) * np.array([[0, 0], [1, 0], [0, 1]])
    there = located(surface, [(block, *at.T)])[0]
    return np.asarray((there[1:] - there[0]) / (at[1:] - here).sum(axis=1)[:, None])
