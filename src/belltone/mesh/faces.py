"""A mesh of flat faces, each cut evenly into smaller ones, as nodes and triangles."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.parts import MeshValue
from belltone.design.place import Place
from belltone.mesh.reading import reading_rows
from belltone.mesh.sites import Feet, SiteNodes
from belltone.vectors import cross

if TYPE_CHECKING:
    from scipy.spatial import cKDTree

__all__ = ["FaceMesh", "face_mesh"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_TRIED: Final = 16  # triangles looked at for each point, the nearest by their middles


@dataclass(frozen=True)
class FaceMesh:
    """Nodes and triangles of a part; the first nodes are the file's own.

    ``weights`` (triangles,) is one for a triangle and a half for each of the four a quadrilateral
    counts for, two on each diagonal. ``face`` (triangles,) says which face of the part each is of.
    ``cuts`` is how many pieces each edge was cut into.
    """

    part: MeshValue
    cuts: int
    coordinates: Array
    connectivity: IntArray
    weights: Array
    face: IntArray
    edge_nodes: IntArray

    @property
    def unknowns(self) -> int:
        """Six a node."""
        return 6 * len(self.coordinates)

    @property
    def counted(self) -> tuple[tuple[int, ...], ...]:
        """Elements keep their places."""
        return ()

    @property
    def size(self) -> float:
        """Diagonal of the box round the nodes (m)."""
        return float(np.linalg.norm(np.ptp(self.coordinates, axis=0)))

    @cached_property
    def _areas(self) -> tuple[Array, Array]:
        """Area that belongs to each node (m²), and its mean normal."""
        corners = self.coordinates[self.connectivity]
        crossed = cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        size = 0.5 * np.linalg.norm(crossed, axis=1) * self.weights
        areas = np.zeros(len(self.coordinates))
        normals = np.zeros((len(self.coordinates), 3))
        for corner in range(3):
            np.add.at(areas, self.connectivity[:, corner], size / 3)
            np.add.at(normals, self.connectivity[:, corner], crossed * self.weights[:, None])
        length = np.linalg.norm(normals, axis=1, keepdims=True)
        return areas, normals / np.where(length > 0, length, 1.0)

    @property
    def normals(self) -> Array:
        """Mean unit normals at the nodes."""
        return self._areas[1]

    def site(self, place: Place) -> SiteNodes:
        """The nodes of one of the part's sites."""
        if place.near is not None:
            return self._near(np.array(place.near))
        feature = place.feature or "face"
        if feature in self.part.lines:
            return self._along(self.part.lines[feature])
        return self._over(self.part.areas[feature])

    def _near(self, point: Array) -> SiteNodes:
        feet = self.feet(point[None])
        assert feet.normals is not None
        return SiteNodes(
            feet.nodes, feet.weights, _frames(feet.normals), np.ones(1), feet.positions
        )

    def _over(self, faces: IntArray) -> SiteNodes:
        """All nodes of some faces."""
        chosen = np.isin(self.face, faces)
        corners = self.coordinates[self.connectivity[chosen]]
        size = 0.5 * np.linalg.norm(
            cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1
        )
        areas = np.zeros(len(self.coordinates))
        share = size * self.weights[chosen] / 3
        for corner in range(3):
            np.add.at(areas, self.connectivity[chosen][:, corner], share)
        nodes = np.flatnonzero(areas)
        return self._stations(nodes, _frames(self.normals[nodes]), areas[nodes])

    def _along(self, edges: IntArray) -> SiteNodes:
        """All nodes of a chain of edges, given by their numbers."""
        chain = self.edge_nodes[edges]
        steps = np.diff(self.coordinates[chain], axis=1)
        length = np.zeros(len(self.coordinates))
        along = np.zeros((len(self.coordinates), 3))
        size = np.linalg.norm(steps, axis=2)
        for side in (chain[:, :-1], chain[:, 1:]):
            np.add.at(length, side, 0.5 * size)
            np.add.at(along, side, steps)
        nodes = np.unique(chain)
        normal = self.normals[nodes]
        tangent = along[nodes] - np.sum(along[nodes] * normal, axis=1, keepdims=True) * normal
        size_of = np.linalg.norm(tangent, axis=1, keepdims=True)
        fallback = _frames(normal)[:, 0]
        tangent = np.where(
            size_of > 1e-9 * self.size, tangent / np.maximum(size_of, 1e-300), fallback
        )
        frames = np.stack([tangent, cross(normal, tangent), normal], axis=1)
        return self._stations(nodes, frames, length[nodes])

    def _stations(self, nodes: IntArray, frames: Array, shares: Array) -> SiteNodes:
        return SiteNodes(
            nodes[:, None],
            np.ones((len(nodes), 1)),
            frames,
            shares / shares.sum(),
            self.coordinates[nodes],
        )

    def at_nodes_of(self, other: FaceMesh) -> scipy.sparse.csr_matrix:
        """Rows that read a motion of this mesh at the nodes of another one of the same faces."""
        feet = self.feet(other.coordinates)
        return reading_rows(feet.nodes, feet.weights, len(self.coordinates))

    @cached_property
    def _tree(self) -> cKDTree:
        from scipy.spatial import cKDTree  # loads slowly, and few parts need it

        return cKDTree(self.coordinates[self.connectivity].mean(axis=1))

    def feet(self, points: Array) -> Feet:
        """The nearest places of the part to points ``(n, 3)``."""
        count = min(_TRIED, len(self.connectivity))
        near = np.asarray(self._tree.query(points, k=list(range(1, count + 1)))[1])
        corners = self.coordinates[self.connectivity[near]]
        weights = _nearest(corners.reshape(-1, 3, 3), np.repeat(points, count, axis=0))
        weights = weights.reshape(len(points), count, 3)
        places = np.einsum("nck,nckd->ncd", weights, corners)
        best = np.argmin(np.linalg.norm(places - points[:, None], axis=2), axis=1)
        rows = np.arange(len(points))
        triangle = near[rows, best]
        own = corners[rows, best]
        normals = cross(own[:, 1] - own[:, 0], own[:, 2] - own[:, 0])
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        reach = 0.5 * self.part.thickness[self.face[triangle]]
        return Feet(
            self.connectivity[triangle], weights[rows, best], places[rows, best], reach, normals
        )


def face_mesh(part: MeshValue, cuts: int) -> FaceMesh:
    """Cut every edge of a part's faces into ``cuts`` pieces and number nodes and triangles."""
    points, faces, edges = part.points, part.faces, part.edges
    count = len(points)
    share = np.arange(cuts + 1) / cuts
    inner = cuts - 1
    edge_nodes = np.empty((len(edges), cuts + 1), np.intp)
    edge_nodes[:, 0], edge_nodes[:, -1] = edges.T
    edge_nodes[:, 1:-1] = count + np.arange(len(edges) * inner).reshape(len(edges), inner)
    pieces = [points]
    if inner:
        low, high = points[edges[:, 0]], points[edges[:, 1]]
        between = low[:, None] + share[1:-1, None] * (high - low)[:, None]
        pieces.append(between.reshape(-1, 3))
    next_node = count + len(edges) * inner
    found: list[tuple[IntArray, Array, IntArray]] = []
    three = np.flatnonzero(faces[:, 2] == faces[:, 3])
    four = np.flatnonzero(faces[:, 2] != faces[:, 3])
    for chosen, corners in ((three, 3), (four, 4)):
        if not len(chosen):
            continue
        sides = _side_nodes(faces[chosen, :corners], edges, edge_nodes, count)
        if corners == 3:
            grid, places = _triangle_grid(points[faces[chosen, :3]], sides, cuts, next_node)
            triangles, weights = _in_triangle(cuts)
        else:
            grid, places = _quad_grid(points[faces[chosen]], sides, cuts, next_node)
            triangles, weights = _in_quad(cuts)
        next_node += len(places)
        pieces.append(places)
        found.append(
            (
                grid[:, triangles].reshape(-1, 3),
                np.tile(weights, len(chosen)),
                np.repeat(chosen, len(triangles)),
            )
        )
    connectivity, weights, face = (np.concatenate(column) for column in zip(*found, strict=True))
    return FaceMesh(part, cuts, np.concatenate(pieces), connectivity, weights, face, edge_nodes)


def _side_nodes(corners: IntArray, edges: IntArray, edge_nodes: IntArray, count: int) -> IntArray:
    """Nodes along each side of faces in the way the face runs, ``(faces, sides, cuts + 1)``."""
    ends = np.stack([corners, np.roll(corners, -1, axis=1)], axis=-1)
    low, high = ends.min(axis=-1), ends.max(axis=-1)
    keys = edges[:, 0] * count + edges[:, 1]
    number = np.searchsorted(keys, low * count + high)
    nodes = edge_nodes[number]
    backward = ends[..., 0] != low
    nodes[backward] = nodes[backward][:, ::-1]
    return np.asarray(nodes)


def _triangle_grid(
    corners: Array, sides: IntArray, cuts: int, first: int
) -> tuple[IntArray, Array]:
    """Nodes of triangles at (i, j), i along the first side and j along the last, and new places."""
    pairs = [(i, j) for j in range(cuts + 1) for i in range(cuts + 1 - j)]
    grid = np.empty((len(corners), len(pairs)), np.intp)
    inside: list[int] = []
    for place, (i, j) in enumerate(pairs):
        if j == 0:
            grid[:, place] = sides[:, 0, i]
        elif i == 0:
            grid[:, place] = sides[:, 2, cuts - j]
        elif i + j == cuts:
            grid[:, place] = sides[:, 1, j]
        else:
            inside.append(place)
    shares = np.array([pairs[place] for place in inside], float).reshape(-1, 2) / cuts
    weights = np.column_stack([1 - shares.sum(axis=1), shares])
    places = np.einsum("gk,fkd->fgd", weights, corners)
    grid[:, inside] = first + np.arange(places.shape[0] * places.shape[1]).reshape(places.shape[:2])
    return grid, places.reshape(-1, 3)


def _quad_grid(corners: Array, sides: IntArray, cuts: int, first: int) -> tuple[IntArray, Array]:
    """Nodes of quadrilaterals at (i, j), and new places."""
    wide = cuts + 1
    grid = np.empty((len(corners), wide, wide), np.intp)  # (j, i)
    grid[:, 0], grid[:, :, -1] = sides[:, 0], sides[:, 1]
    grid[:, -1], grid[:, :, 0] = sides[:, 2, ::-1], sides[:, 3, ::-1]
    share = np.arange(1, cuts) / cuts
    u, v = (axis.ravel() for axis in np.meshgrid(share, share))
    weights = np.column_stack([(1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v])
    places = np.einsum("gk,fkd->fgd", weights, corners)
    numbers = first + np.arange(places.shape[0] * places.shape[1])
    grid[:, 1:-1, 1:-1] = numbers.reshape(len(corners), cuts - 1, cuts - 1)
    return grid.reshape(len(corners), -1), places.reshape(-1, 3)


def _in_triangle(cuts: int) -> tuple[IntArray, Array]:
    """Triangles between the places of `_triangle_grid`, all of weight one."""
    number: dict[tuple[int, int], int] = {}
    for j in range(cuts + 1):
        for i in range(cuts + 1 - j):
            number[(i, j)] = len(number)
    found = [
        (number[(i, j)], number[(i + 1, j)], number[(i, j + 1)])
        for j in range(cuts)
        for i in range(cuts - j)
    ]
    found += [
        (number[(i + 1, j)], number[(i + 1, j + 1)], number[(i, j + 1)])
        for j in range(cuts)
        for i in range(cuts - j - 1)
    ]
    return np.array(found, np.intp), np.ones(len(found))


def _in_quad(cuts: int) -> tuple[IntArray, Array]:
    """Four triangles of half weight for each cell of `_quad_grid`."""
    grid = np.arange((cuts + 1) ** 2).reshape(cuts + 1, cuts + 1)
    a, b, c, d = grid[:-1, :-1], grid[:-1, 1:], grid[1:, 1:], grid[1:, :-1]
    found = np.concatenate(
        [
            np.stack(part, axis=-1).reshape(-1, 3)
            for part in ((a, b, c), (a, c, d), (a, b, d), (b, c, d))
        ]
    )
    return found, np.full(len(found), 0.5)


def _frames(normals: Array) -> Array:
    """Own axes on a wall: x as near the sheet's x as can be (y where that is the normal)."""
    start = np.where(np.abs(normals[:, :1]) < 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
    first = start - np.sum(start * normals, axis=1, keepdims=True) * normals
    first /= np.linalg.norm(first, axis=1, keepdims=True)
    return np.stack([first, cross(normals, first), normals], axis=1)


def _nearest(corners: Array, points: Array) -> Array:
    """Weights of corners ``(n, 3)`` of the place of triangles nearest to points."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    best = np.full(len(points), np.inf)
    weights = np.zeros((len(points), 3))
    one, two, out = b - a, c - a, points - a
    metric = np.stack([np.sum(one * one, 1), np.sum(one * two, 1), np.sum(two * two, 1)], axis=1)
    pull = np.stack([np.sum(one * out, 1), np.sum(two * out, 1)], axis=1)
    det = metric[:, 0] * metric[:, 2] - metric[:, 1] ** 2
    u = (metric[:, 2] * pull[:, 0] - metric[:, 1] * pull[:, 1]) / det
    v = (metric[:, 0] * pull[:, 1] - metric[:, 1] * pull[:, 0]) / det
    inside = (u >= 0) & (v >= 0) & (u + v <= 1)
    weights[inside] = np.column_stack([1 - u - v, u, v])[inside]
    best[inside] = -1.0
    for i, j in ((0, 1), (1, 2), (2, 0)):
        run = corners[:, j] - corners[:, i]
        share = np.sum((points - corners[:, i]) * run, axis=1) / np.sum(run * run, axis=1)
        share = np.clip(share, 0.0, 1.0)
        away = np.linalg.norm(points - corners[:, i] - share[:, None] * run, axis=1)
        better = away < best
        best[better] = away[better]
        weights[better] = 0.0
        weights[better, i], weights[better, j] = 1 - share[better], share[better]
    return weights
