"""Mesh files of many formats as plain arrays: faces, lines, and what regions they could have."""

from __future__ import annotations

import contextlib
import io
import warnings
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.errors import UserError
from belltone.files import read_bytes
from belltone.geometry.received_files import MOST_BYTES

__all__ = ["GROUPS", "MeshFile", "MeshFileError", "read_mesh_file"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]
Labels = NDArray[np.str_]

GROUPS: Final = "groups"
"""What regions are called by that the file names as sets of cells."""

_PARTS: Final = {
    "triangle": ((0, 1, 2, 2),),
    "quad": ((0, 1, 2, 3),),
    "triangle6": ((0, 3, 5, 5), (3, 1, 4, 4), (5, 4, 2, 2), (3, 4, 5, 5)),
    "triangle7": ((0, 3, 5, 5), (3, 1, 4, 4), (5, 4, 2, 2), (3, 4, 5, 5)),
    "quad8": ((0, 4, 8, 7), (4, 1, 5, 8), (8, 5, 2, 6), (7, 8, 6, 3)),
    "quad9": ((0, 4, 8, 7), (4, 1, 5, 8), (8, 5, 2, 6), (7, 8, 6, 3)),
}
"""Flat faces of each sort of cell, by its corners and the nodes between them."""
_LINES: Final = {"line": ((0, 1),), "line3": ((0, 2), (2, 1))}
_MIDDLE: Final = np.array([-0.25] * 4 + [0.5] * 4)  # of a quadrilateral of eight nodes
_SOLID: Final = ("tetra", "hexahedron", "wedge", "pyramid")


class MeshFileError(UserError):
    """A file that cannot be read as a mesh."""


@dataclass(frozen=True, eq=False)
class MeshFile:
    """Points (n, 3), flat faces (f, 4; triangles repeat the last corner), lines (l, 2).

    ``face_labels`` and ``line_labels`` give a name for each by every data there is; ``curved`` says
    how many cells had nodes between their corners, ``solids`` and ``others`` what is left out.
    """

    points: Array
    faces: IntArray
    lines: IntArray
    face_labels: Mapping[str, Labels]
    line_labels: Mapping[str, Labels]
    curved: int
    solids: int
    others: int


def read_mesh_file(path: Path) -> MeshFile:
    """Read a mesh by what its file name ends in; raises `MeshFileError`."""
    mesh = _read(path)
    points = np.asarray(mesh.points, float)
    if points.ndim != 2 or not len(points):
        raise MeshFileError(f"“{path.name}” holds no points")
    if points.shape[1] == 2:
        points = np.column_stack([points, np.zeros(len(points))])
    if not np.all(np.isfinite(points)):
        raise MeshFileError(f"“{path.name}” holds points that are no numbers")
    labels = _labels(mesh)
    faces, lines = _Cells(labels), _Cells(labels)
    curved = solids = others = 0
    for number, block in enumerate(mesh.cells):
        data = np.asarray(block.data)
        if block.type in _PARTS:
            cells = data.astype(np.intp)
            _check(path, cells, len(points))
            if block.type == "quad8":
                points, cells = _with_middles(points, cells)
            curved += len(cells) * (block.type not in ("triangle", "quad"))
            faces.add(number, cells, _PARTS[block.type])
        elif block.type in _LINES:
            cells = data.astype(np.intp)
            _check(path, cells, len(points))
            curved += len(cells) * (block.type == "line3")
            lines.add(number, cells, _LINES[block.type])
        elif block.type.startswith(_SOLID):
            solids += len(data)
        elif block.type != "vertex":
            others += len(data)
    return MeshFile(
        points,
        faces.corners(4),
        lines.corners(2),
        faces.labels(),
        lines.labels(),
        curved,
        solids,
        others,
    )


def _read(path: Path) -> Any:
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
                return meshio.read(source, file_format="obj")
            return meshio.read(path)
    except MeshFileError:
        raise
    except (Exception, SystemExit) as error:
        # Readers of many formats fail in many ways; what they say is the reason.
        reason = str(error) if str(error) not in ("", "1") else "no reader knows this file"
        raise MeshFileError(f"“{path.name}” cannot be read as a mesh: {reason}") from error


def _check(path: Path, cells: IntArray, count: int) -> None:
    if len(cells) and (cells.min() < 0 or cells.max() >= count):
        raise MeshFileError(
            f"“{path.name}” has faces on points it does not hold: there are {count}"
        )


def _with_middles(points: Array, cells: IntArray) -> tuple[Array, IntArray]:
    """Cells of eight nodes with a ninth in the middle, where their own shape has it."""
    middles = np.einsum("n,cnd->cd", _MIDDLE, points[cells])
    numbers = len(points) + np.arange(len(cells))
    return np.concatenate([points, middles]), np.column_stack([cells, numbers])


class _Cells:
    """Cells of one sort from all blocks, cut into flat faces or straight lines."""

    def __init__(self, labels: Mapping[str, list[Labels]]) -> None:
        self._labels = labels
        self._found: list[IntArray] = []
        self._names: dict[str, list[Labels]] = {name: [] for name in labels}

    def add(self, number: int, cells: IntArray, parts: tuple[tuple[int, ...], ...]) -> None:
        self._found.append(cells[:, np.array(parts)].reshape(-1, len(parts[0])))
        for name, columns in self._labels.items():
            self._names[name].append(np.repeat(columns[number], len(parts)))

    def corners(self, width: int) -> IntArray:
        return np.concatenate([*self._found, np.zeros((0, width), np.intp)]).astype(np.intp)

    def labels(self) -> dict[str, Labels]:
        found = {}
        for name, columns in self._names.items():
            labels = np.concatenate([*columns, np.zeros(0, str)]).astype(str)
            if np.any(labels != ""):
                found[name] = labels
        return found


def _labels(mesh: Any) -> dict[str, list[Labels]]:
    """Names of cells, block by block, by every data that could tell regions apart.

    Whole numbers are such data; where the file names some of them, the names stand.
    """
    names = {
        (int(tag), int(dimension)): name
        for name, (tag, dimension) in getattr(mesh, "field_data", {}).items()
    }
    found: dict[str, list[Labels]] = {}
    for key, columns in mesh.cell_data.items():
        arrays = [np.asarray(column) for column in columns]
        if not all(each.ndim == 1 and np.issubdtype(each.dtype, np.integer) for each in arrays):
            continue
        found[key] = [
            _called(array, names, 1 if block.type in _LINES else 2)
            for array, block in zip(arrays, mesh.cells, strict=True)
        ]
    if mesh.cell_sets:
        sets: list[Any] = [np.full(len(block.data), "", object) for block in mesh.cells]
        for name, members in mesh.cell_sets.items():
            for labels, chosen in zip(sets, members, strict=True):
                if chosen is not None and len(chosen):
                    labels[np.asarray(chosen, np.intp)] = name
        found[GROUPS] = [labels.astype(str) for labels in sets]
    return found


def _called(tags: NDArray[Any], names: Mapping[tuple[int, int], str], dimension: int) -> Labels:
    unique, number = np.unique(tags, return_inverse=True)
    called = np.array([names.get((int(tag), dimension), str(tag)) for tag in unique], object)
    return np.asarray(called[number] if len(unique) else called).astype(str)


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
