"""Meshes that somebody sent: read, cleaned, looked over, with their rims, folds and regions."""

from __future__ import annotations

import contextlib
import io
import warnings
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from belltone.files import FileError, read_bytes
from belltone.geometry.received_files import MOST_BYTES, file_digest

__all__ = ["FaceSet", "MeshFileError", "read_faces"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

_SAME: Final = 1e-6  # of the mesh's size; nearer nodes are one
_SHARP: Final = np.cos(np.radians(30.0))  # faces that turn by more meet in a fold
_NOTHING: Final = 1e-12  # of the mean area; smaller faces are none
_CORNERS: Final = {"triangle": 3, "triangle6": 3, "quad": 4, "quad8": 4, "quad9": 4}
_MOST_SITES: Final = 40  # rims and folds by size; a mesh of scales has thousands


class MeshFileError(ValueError):
    """A file that cannot be read as a mesh."""


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

    @property
    def findings(self) -> list[str]:
        """What is worth saying of it, with counts."""
        said: list[str] = []
        counts = (
            (self.merged_nodes, "nodes stood at the place of others and were merged"),
            (self.dropped_faces, "faces had no area or came twice and were left out"),
            (self.turned_faces, "faces were turned to face as their neighbours do"),
            (len(self.crowded_edges), "edges belong to more than two faces"),
            (self.other_cells, "cells are neither triangles nor quadrilaterals and were left out"),
        )
        said += [f"{count} {words}" for count, words in counts if count]
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


def read_faces(path: Path) -> FaceSet:
    """Read a mesh by what its file name ends in; raises `MeshFileError`."""
    try:
        digest = file_digest(path)
    except FileError as error:
        raise MeshFileError(str(error)) from error
    return _read(path, digest)


@lru_cache(maxsize=8)
def _read(path: Path, _digest: str) -> FaceSet:
    import meshio  # it takes a while to load, and few sheets need it

    try:
        with (
            contextlib.redirect_stdout(io.StringIO()),
            contextlib.redirect_stderr(io.StringIO()),
            warnings.catch_warnings(),
        ):
            warnings.simplefilter("ignore")  # a reader's own, which tell nothing of the mesh
            if path.suffix.lower() == ".obj":
                source: Any = io.StringIO(_counted_from_the_start(path))
                mesh = meshio.read(source, file_format="obj")
            else:
                mesh = meshio.read(path)
    except MeshFileError:
        raise
    except (Exception, SystemExit) as error:
        # Readers of many formats fail in many ways; what they say is the reason.
        reason = str(error) if str(error) not in ("", "1") else "no reader knows this file"
        raise MeshFileError(f"“{path.name}” cannot be read as a mesh: {reason}") from error
    points = np.asarray(mesh.points, float)
    if points.ndim != 2 or not len(points):
        raise MeshFileError(f"“{path.name}” holds no points")
    if points.shape[1] == 2:
        points = np.column_stack([points, np.zeros(len(points))])
    faces, labels, others = _faces_of(mesh)
    if not len(faces):
        raise MeshFileError(f"“{path.name}” holds no triangles or quadrilaterals")
    if not np.all(np.isfinite(points)):
        raise MeshFileError(f"“{path.name}” holds points that are no numbers")
    if faces.min() < 0 or faces.max() >= len(points):
        raise MeshFileError(
            f"“{path.name}” has faces on points it does not hold: there are {len(points)}"
        )
    return _cleaned(points, faces, labels, others)


def _counted_from_the_start(path: Path) -> str:
    """An OBJ file's text with the numbers of corners counted from the first point on.

    The format lets faces count back from the last point so far by negative numbers, which the
    reader does not know; a corner 0 is none.
    """
    rows: list[str] = []
    points = 0
    text = read_bytes(path, MOST_BYTES, "a mesh").decode("utf-8", errors="replace")
    for number, row in enumerate(text.splitlines(), start=1):
        words = row.split()
        if words and words[0] == "v":
            points += 1
        elif words and words[0] == "f":
            try:
                corners = [int(word.split("/")[0]) for word in words[1:]]
            except ValueError:
                corners = [0]
            corners = [points + 1 + corner if corner < 0 else corner for corner in corners]
            if min(corners, default=0) < 1:
                raise MeshFileError(
                    f"line {number} of “{path.name}”: “{row.strip()}” is no face: corners are "
                    "numbered from 1 on, or from -1 back"
                )
            # Only corners count; numbers of textures and normals would go on to the reader.
            row = " ".join(["f", *map(str, corners)])
        rows.append(row)
    return "\n".join(rows) + "\n"


def _faces_of(mesh: Any) -> tuple[IntArray, NDArray[np.str_], int]:
    """Corners, the name of each face's region, and how many cells are of another kind."""
    faces: list[IntArray] = []
    labels: list[NDArray[np.str_]] = []
    others = 0
    names = {
        (int(tag), int(dimension)): name
        for name, (tag, dimension) in getattr(mesh, "field_data", {}).items()
    }
    key = next(
        (
            key
            for key, columns in mesh.cell_data.items()
            if all(np.asarray(column).ndim == 1 for column in columns)
            and all(np.issubdtype(np.asarray(column).dtype, np.integer) for column in columns)
        ),
        None,
    )
    for number, block in enumerate(mesh.cells):
        if block.type not in _CORNERS:
            others += len(block.data) * (block.type != "vertex")
            continue
        corners = np.asarray(block.data, np.intp)[:, : _CORNERS[block.type]]
        if corners.shape[1] == 3:
            corners = np.column_stack([corners, corners[:, 2]])
        tags = np.full(len(corners), "")
        if key is not None:
            tags = np.array(
                [names.get((int(tag), 2), str(tag)) for tag in mesh.cell_data[key][number]]
            )
        for name, members in mesh.cell_sets.items():
            if members[number] is not None and len(members[number]):
                tags = tags.astype(object)
                tags[np.asarray(members[number], np.intp)] = name
        faces.append(corners)
        labels.append(tags.astype(str))
    if not faces:
        return np.zeros((0, 4), np.intp), np.zeros(0, str), others
    return np.concatenate(faces), np.concatenate(labels), others


def _cleaned(points: Array, faces: IntArray, labels: NDArray[np.str_], others: int) -> FaceSet:
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
        others,
        one_sided,
    )


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
    return np.asarray(0.5 * np.linalg.norm(np.cross(one, two), axis=1))


def _normals(points: Array, faces: IntArray) -> Array:
    normal = np.cross(
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
    graph = sparse.coo_matrix((np.ones(len(face)), (face[:, 0], face[:, 1])), shape).tocsr()
    signs = sparse.coo_matrix((same.astype(float), (face[:, 0], face[:, 1])), shape).tocsr()
    signs = (signs + signs.T).sign()
    count, label = csgraph.connected_components(graph, directed=False)
    starts = np.full(count, -1, np.intp)
    starts[label[::-1]] = np.arange(len(faces))[::-1]
    # One walk through all pieces, from a place of its own beside the first face of each.
    root = len(faces)
    anchors = sparse.coo_matrix((np.ones(count), (np.full(count, root), starts)), (root + 1,) * 2)
    wider = sparse.coo_matrix((np.ones(len(face)), (face[:, 0], face[:, 1])), anchors.shape)
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

    graph = sparse.coo_matrix((np.ones(len(edges)), (edges[:, 0], edges[:, 1])), (count, count))
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
    graph = sparse.coo_matrix(
        (np.ones(len(edges)), (local[:, 0], local[:, 1])), (len(nodes), len(nodes))
    )
    _, label = csgraph.connected_components(graph, directed=False)
    of_edge = label[local[:, 0]]
    lengths = np.linalg.norm(points[edges[:, 1]] - points[edges[:, 0]], axis=1)
    whole = np.bincount(of_edge, lengths)
    longest = np.argsort(-whole, kind="stable")[:_MOST_SITES]
    return tuple(edges[of_edge == piece] for piece in longest)
