"""Meshes that somebody sent: read, cleaned, looked over, with their rims, folds and regions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.files import FileError
from belltone.geometry.mesh_files import GROUPS, MeshFile, MeshFileError, read_mesh_file
from belltone.geometry.received_files import file_digest
from belltone.vectors import cross

__all__ = ["FaceSet", "MeshFileError", "read_faces", "read_lines"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_SAME: Final = 1e-6  # of the mesh's size; nearer nodes are one
_SHARP: Final = np.cos(np.radians(30.0))  # faces that turn by more meet in a fold
_NOTHING: Final = 1e-12  # of the mean area; smaller faces are none
_MOST_SITES: Final = 40  # rims and folds by size; a mesh of scales has thousands
_TURNED: Final = 0.5  # length of the sum of two unit edges; a rim that turns so far has a corner
_NEAR: Final = 0.2  # of the shortest free edge at a node; another so near was meant to be one


@dataclass(frozen=True, eq=False)
class FaceSet:
    """A cleaned mesh in the file's own length unit.

    ``faces`` (f, 4) are corners, the last repeated on triangles. ``regions`` gives face numbers by
    name; ``rims`` and ``folds`` chains of corners, the longest first. ``edges`` (e, 2) are those of
    the faces, each once, ``free_edges`` and ``crowded_edges`` (k, 2) those of one face alone and of
    more than two. The counts say what was found and put right.
    """

    points: Array
    faces: IntArray
    regions: Mapping[str, IntArray]
    rims: tuple[IntArray, ...]
    folds: tuple[IntArray, ...]
    edges: IntArray
    free_edges: IntArray
    crowded_edges: IntArray
    merged_nodes: int
    dropped_faces: int
    turned_faces: int
    pieces: int
    other_cells: int
    one_sided: bool
    solid_cells: int = 0
    lines: int = 0
    curved_cells: int = 0
    sewn_nodes: int = 0
    near_nodes: tuple[int, float] = (0, 0.0)
    choices: tuple[str, ...] = ()
    coarsened: tuple[int, float] = (0, 0.0)

    @property
    def findings(self) -> list[str]:
        """What is worth saying of it, with counts."""
        said: list[str] = []
        counts = (
            (self.merged_nodes, "nodes stood at the place of others and were merged"),
            (
                0 if self.coarsened[0] else self.dropped_faces,
                "faces had no area or came twice and were left out",
            ),
            (self.turned_faces, "faces were turned to face as their neighbours do"),
            (len(self.crowded_edges), "edges belong to more than two faces"),
            (self.other_cells, "cells are neither faces nor lines and were left out"),
            (self.solid_cells, "cells are solid, not walls, and were left out"),
            (self.sewn_nodes, "nodes of free edges were sewn to others"),
        )
        said += [f"{count} {words}" for count, words in counts if count]
        if self.coarsened[0]:
            said.append(
                f"{self.coarsened[0]} faces were made {len(self.faces)} larger ones, up to "
                f"{self.coarsened[1]:.3g} (of the file's unit) off"
            )
        if self.near_nodes[0]:
            said.append(
                f"{self.near_nodes[0]} nodes of free edges lie up to {self.near_nodes[1]:.4g} (of "
                "the file's unit) beside others, so the wall is cut there; “sew” joins them"
            )
        if not len(self.free_edges) and not len(self.crowded_edges):
            said.append(
                "it is closed all round; if it is the surface of a solid part, and not the middle "
                "of its walls, send the part as STEP instead"
            )
        if self.one_sided:
            said.append(
                "it has one side only, as a twisted strip does: what is inner and outer face, and "
                "which way a pressure on it pushes, changes along one line"
            )
        if self.pieces > 1:
            said.append(f"it is in {self.pieces} pieces that share no node")
        if len(self.rims) > 1:
            said.append(
                f"{len(self.free_edges)} free edges make {len(self.rims)} rims: its outline, and "
                "holes or cracks inside"
            )
        return said


def read_faces(
    path: Path, by: str | None = None, sew: float = 0.0, coarser: float = 0.0
) -> FaceSet:
    """Read a mesh by what its file name ends in; raises `MeshFileError`.

    Regions are told ``by`` one of the file's data, else by its groups, or its first whole numbers.
    Nodes of free edges as near as ``sew`` (in the file's unit) become one. Faces are made about as
    large as ``coarser`` (in that unit) where that is given.
    """
    return _read(path, _digest(path), by, sew, coarser)


def read_lines(path: Path) -> MeshFile:
    """The mesh as it is in the file, lines and all; raises `MeshFileError`."""
    return _file(path, _digest(path))


def _digest(path: Path) -> str:
    try:
        return file_digest(path)
    except FileError as error:
        raise MeshFileError(str(error)) from error


@lru_cache(maxsize=4)
def _file(path: Path, _digest: str) -> MeshFile:
    return read_mesh_file(path)


@lru_cache(maxsize=8)
def _read(path: Path, digest: str, by: str | None, sew: float, coarser: float) -> FaceSet:
    found = _file(path, digest)
    if not len(found.faces):
        raise MeshFileError(f"“{path.name}” holds no triangles or quadrilaterals{_instead(found)}")
    return _cleaned(found, _regions(path, found, by), sew, coarser)


def _instead(found: MeshFile) -> str:
    if found.solids:
        return (
            f", but {found.solids} solid cells; walls are faces about their middle: send the part "
            "as STEP, or its middle surface"
        )
    if len(found.lines):
        return f", but {len(found.lines)} lines, which become members: begin a sheet with the file"
    return ""


def _regions(path: Path, found: MeshFile, by: str | None) -> NDArray[np.str_]:
    """The name of each face's region; groups stand over numbers where nothing was chosen."""
    known = found.face_labels
    if by is not None:
        if by not in known:
            names = ", ".join(f"“{each}”" for each in known) or "none"
            raise MeshFileError(f"“{path.name}” has no data “{by}” of its cells; there is {names}")
        return known[by]
    labels = next((known[name] for name in known if name != GROUPS), None)
    if labels is None:
        labels = np.full(len(found.faces), "")
    if GROUPS in known:
        labels = np.where(known[GROUPS] != "", known[GROUPS], labels)
    return labels


def _cleaned(found: MeshFile, labels: NDArray[np.str_], sew: float, coarser: float) -> FaceSet:
    points, faces = found.points, found.faces
    used = np.unique(faces)
    size = float(np.linalg.norm(np.ptp(points[used], axis=0)))
    if not size > 0:
        raise MeshFileError("all faces are at one place")
    grid = np.round((points - points[used].min(axis=0)) / (_SAME * size)).astype(np.int64)
    _, first, number = np.unique(grid[used], axis=0, return_index=True, return_inverse=True)
    place = np.zeros(len(points), np.intp)
    place[used] = number.ravel()
    merged = len(used) - len(first)
    points, faces = points[used][first], place[faces]
    near = _near_nodes(points, faces)
    sewn = 0
    if sew > 0:
        points, faces, sewn = _sewn(points, faces, sew)
    fine, off = 0, 0.0
    if coarser > 0:
        fine = len(faces)
        points, faces, off = _coarser(points, faces, coarser)
    good = _areas(points, faces)
    single = np.sort(faces, axis=1)
    _, once = np.unique(single, axis=0, return_index=True)
    kept = np.zeros(len(faces), bool)
    kept[once] = True
    kept &= good > _NOTHING * good.mean()
    dropped = int(np.count_nonzero(~kept))
    if not kept.any():
        raise MeshFileError("no face has any area")
    faces, labels = _tidy(faces[kept]), labels[kept]
    still, faces = np.unique(faces, return_inverse=True)
    points, faces = points[still], faces.reshape(-1, 4)
    edges, of_face, ways, counts = _edges(faces)
    faces, turned, one_sided = _turned_alike(faces, of_face, ways, counts)
    pieces = _pieces(len(points), edges)
    free, crowded = edges[counts == 1], edges[counts > 2]
    folds = _folds(points, faces, edges, of_face, counts)
    regions = {str(name): np.flatnonzero(labels == name) for name in np.unique(labels) if str(name)}
    return FaceSet(
        points,
        faces,
        regions,
        _chains(points, free),
        _chains(points, folds),
        edges,
        free,
        crowded,
        merged,
        dropped,
        turned,
        pieces,
        found.others,
        one_sided,
        found.solids,
        len(found.lines),
        found.curved,
        sewn,
        near if not sewn else (0, 0.0),
        tuple(found.face_labels),
        (fine, off),
    )


def _near_nodes(points: Array, faces: IntArray) -> tuple[int, float]:
    """How many nodes of free edges have another so near that both were meant to be one; the gap."""
    from scipy.spatial import cKDTree

    edges, _, _, counts = _edges(_tidy(faces))
    free = edges[counts == 1]
    if not len(free):
        return 0, 0.0
    lengths = np.linalg.norm(points[free[:, 1]] - points[free[:, 0]], axis=1)
    shortest = np.full(len(points), np.inf)
    np.minimum.at(shortest, free.ravel(), np.repeat(lengths, 2))
    nodes = np.unique(free)
    away = np.asarray(cKDTree(points[nodes]).query(points[nodes], k=2)[0])
    if away.shape[1] < 2:
        return 0, 0.0
    near = away[:, 1] < _NEAR * shortest[nodes]
    return int(np.count_nonzero(near)), float(away[near, 1].max(initial=0.0))


def _sewn(points: Array, faces: IntArray, reach: float) -> tuple[Array, IntArray, int]:
    """Nodes of free edges within a reach as one, in their middle."""
    from scipy.sparse import csgraph
    from scipy.spatial import cKDTree

    edges, _, _, counts = _edges(_tidy(faces))
    nodes = np.unique(edges[counts == 1])
    pairs = cKDTree(points[nodes]).query_pairs(reach, output_type="ndarray")
    if not len(pairs):
        return points, faces, 0
    graph = scipy.sparse.coo_matrix((np.ones(len(pairs)), pairs.T), (len(nodes), len(nodes)))
    count, label = csgraph.connected_components(graph, directed=False)
    first = np.full(count, -1, np.intp)
    first[label[::-1]] = nodes[::-1]
    places = np.zeros((count, 3))
    np.add.at(places, label, points[nodes])
    points = points.copy()
    points[first] = places / np.bincount(label, minlength=count)[:, None]
    number = np.arange(len(points))
    number[nodes] = first[label]
    return points, number[faces], len(nodes) - count


def _coarser(points: Array, faces: IntArray, size: float) -> tuple[Array, IntArray, float]:
    """Nodes in one cube of a size as one of them (J. Rossignac and P. Borrel 1993).

    Corners of rims stand for a cube before other nodes of rims, these before folds and the rest, so
    that outlines stay; else the node nearest to the middle. The last value is how far nodes lie
    from the surface that stands for them.
    """
    used = np.unique(faces)
    cubes = np.floor((points[used] - points[used].min(axis=0)) / size).astype(np.int64)
    _, cube = np.unique(cubes, axis=0, return_inverse=True)
    cube = cube.ravel()
    count = int(cube.max()) + 1
    middle, normal = np.zeros((2, count, 3))
    np.add.at(middle, cube, points[used])
    middle /= np.bincount(cube, minlength=count)[:, None]
    away = np.linalg.norm(points[used] - middle[cube], axis=1)
    order = np.lexsort((away, -_weight(points, faces)[used], cube))
    first = order[np.concatenate([[True], np.diff(cube[order]) > 0])]
    chosen = used[first]
    own = _normals(points, faces)
    number = np.zeros(len(points), np.intp)
    number[used] = cube
    for corner in range(4):
        np.add.at(normal, number[faces[:, corner]], own)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    off = np.abs(np.sum((points[used] - points[chosen][cube]) * normal[cube], axis=1))
    return points[chosen], number[faces], float(off.max())


def _weight(points: Array, faces: IntArray) -> IntArray:
    """How much nodes matter for the outline: 3 at corners of rims, 2 on rims, 1 on folds."""
    tidy = _tidy(faces)
    edges, of_face, _, counts = _edges(tidy)
    found = np.zeros(len(points), np.intp)
    found[_folds(points, tidy, edges, of_face, counts)] = 1
    free = edges[counts == 1]
    found[free] = 2
    ways = points[free[:, 1]] - points[free[:, 0]]
    ways /= np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-300)
    # Along a straight rim the two edges of a node cancel, seen from the node.
    total = np.zeros_like(points)
    np.add.at(total, free[:, 0], ways)
    np.add.at(total, free[:, 1], -ways)
    found[free[np.linalg.norm(total[free], axis=2) > _TURNED]] = 3
    return found


def _tidy(faces: IntArray) -> IntArray:
    """Quadrilaterals that merging made triangles get their repeated corner last."""
    faces = faces.copy()
    for _ in range(3):
        first, second, third, last = faces.T
        twice = (first == second) | (second == third) | (first == last)
        doubled = (third != last) & twice
        faces[doubled] = np.roll(faces[doubled], 1, axis=1)
    return faces


def _areas(points: Array, faces: IntArray) -> Array:
    one = points[faces[:, 2]] - points[faces[:, 0]]
    two = points[faces[:, 3]] - points[faces[:, 1]]
    return np.asarray(0.5 * np.linalg.norm(cross(one, two), axis=1))


def _normals(points: Array, faces: IntArray) -> Array:
    normal = cross(
        points[faces[:, 2]] - points[faces[:, 0]], points[faces[:, 3]] - points[faces[:, 1]]
    )
    return np.asarray(normal / np.linalg.norm(normal, axis=1, keepdims=True))


def _edges(faces: IntArray) -> tuple[IntArray, IntArray, NDArray[np.int8], IntArray]:
    """Edges each once, the edge of each side ``(faces, 4)`` (-1: none), its way, and uses."""
    ends = np.stack([faces, np.roll(faces, -1, axis=1)], axis=-1)
    real = ends[..., 0] != ends[..., 1]
    low = ends.min(axis=-1)
    ways = np.where(ends[..., 0] == low, 1, -1).astype(np.int8)
    flat = np.sort(ends[real], axis=1)
    edges, number, counts = np.unique(flat, axis=0, return_inverse=True, return_counts=True)
    of_face = np.full(faces.shape, -1, np.intp)
    of_face[real] = number.ravel()
    return edges, of_face, ways, counts


def _turned_alike(
    faces: IntArray, of_face: IntArray, ways: NDArray[np.int8], counts: IntArray
) -> tuple[IntArray, int, bool]:
    """Faces turned so that neighbours run through their edge in opposite ways, and how many.

    The last value says whether some neighbours cannot: the surface has one side only.
    """
    from scipy.sparse import csgraph

    rows, columns = np.nonzero(of_face >= 0)
    edge, way = of_face[rows, columns], ways[rows, columns]
    pair = counts[edge] == 2
    order = np.argsort(edge[pair], kind="stable")
    face, way = rows[pair][order].reshape(-1, 2), way[pair][order].reshape(-1, 2)
    same = np.where(way[:, 0] == way[:, 1], -1, 1)
    shape = (len(faces), len(faces))
    graph = scipy.sparse.coo_matrix((np.ones(len(face)), (face[:, 0], face[:, 1])), shape).tocsr()
    signs = scipy.sparse.coo_matrix((same.astype(float), (face[:, 0], face[:, 1])), shape).tocsr()
    signs = (signs + signs.T).sign()
    count, label = csgraph.connected_components(graph, directed=False)
    starts = np.full(count, -1, np.intp)
    starts[label[::-1]] = np.arange(len(faces))[::-1]
    # One walk through all pieces, from a place of its own beside the first face of each.
    root = len(faces)
    anchors = scipy.sparse.coo_matrix(
        (np.ones(count), (np.full(count, root), starts)), (root + 1,) * 2
    )
    wider = scipy.sparse.coo_matrix((np.ones(len(face)), (face[:, 0], face[:, 1])), anchors.shape)
    walk, before = csgraph.breadth_first_order((wider + anchors).tocsr(), root, directed=False)
    steps = np.ones(root + 1)
    inner = walk[before[walk] != root][1:]
    inner = inner[before[inner] >= 0]
    steps[inner] = np.asarray(signs[before[inner], inner]).ravel()
    sign = np.ones(root + 1)
    for at in walk[1:].tolist():
        sign[at] = sign[before[at]] * steps[at]
    sign = sign[:root]
    # The fewer are turned.
    more = np.bincount(label, sign < 0, count) > 0.5 * np.bincount(label, minlength=count)
    sign = np.where(more[label], -sign, sign)
    one_sided = bool(np.any(sign[face[:, 0]] * sign[face[:, 1]] * same < 0))
    wrong = sign < 0
    faces = faces.copy()
    triangles = wrong & (faces[:, 2] == faces[:, 3])
    quads = wrong & ~triangles
    faces[triangles] = faces[triangles][:, [0, 2, 1, 1]]
    faces[quads] = faces[quads][:, ::-1]
    return faces, int(np.count_nonzero(wrong)), one_sided


def _pieces(count: int, edges: IntArray) -> int:
    from scipy.sparse import csgraph

    graph = scipy.sparse.coo_matrix(
        (np.ones(len(edges)), (edges[:, 0], edges[:, 1])), (count, count)
    )
    return int(csgraph.connected_components(graph, directed=False)[0])


def _folds(
    points: Array, faces: IntArray, edges: IntArray, of_face: IntArray, counts: IntArray
) -> IntArray:
    """Edges at which faces turn sharply or more than two meet."""
    normals = _normals(points, faces)
    rows, columns = np.nonzero(of_face >= 0)
    edge = of_face[rows, columns]
    order = np.argsort(edge, kind="stable")
    pair = counts[edge[order]] == 2
    both = rows[order][pair].reshape(-1, 2)
    of_pair = edge[order][pair][::2]
    turn = np.sum(normals[both[:, 0]] * normals[both[:, 1]], axis=1)
    sharp = np.zeros(len(edges), bool)
    sharp[of_pair[turn < _SHARP]] = True
    return edges[sharp | (counts > 2)]


def _chains(points: Array, edges: IntArray) -> tuple[IntArray, ...]:
    """Edges in connected chains, the longest first, each a list of edges ``(k, 2)``."""
    from scipy.sparse import csgraph

    if not len(edges):
        return ()
    nodes, local = np.unique(edges, return_inverse=True)
    local = local.reshape(-1, 2)
    graph = scipy.sparse.coo_matrix(
        (np.ones(len(edges)), (local[:, 0], local[:, 1])), (len(nodes), len(nodes))
    )
    _, label = csgraph.connected_components(graph, directed=False)
    of_edge = label[local[:, 0]]
    lengths = np.linalg.norm(points[edges[:, 1]] - points[edges[:, 0]], axis=1)
    whole = np.bincount(of_edge, lengths)
    longest = np.argsort(-whole, kind="stable")[:_MOST_SITES]
    return tuple(edges[of_edge == piece] for piece in longest)
