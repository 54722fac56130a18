"""What a wall of several faces does: the pattern of the face that moves most, or those that move.

Such are skins of received solids, and received meshes between their folds.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.parts import MeshValue
from belltone.geometry.revolution import revolution_axis
from belltone.mesh.faces import FaceMesh
from belltone.modes.grids import Grid, across, flat_grid
from belltone.modes.round_words import about, wheel
from belltone.vectors import cross

__all__ = ["IN_PLANE", "Faces", "face_kinds", "faces_of_mesh"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]

IN_PLANE: Final = 0.25
"""Normal share of the motion below which a mode is in the wall's plane."""
_MOST_OF_IT: Final = 0.6  # of the motion; one face that has so much tells the pattern
_MOVES: Final = 0.15  # of the motion, from where a face is named
_NAMED: Final = 3  # faces at most that one name speaks of
_SHARP: Final = np.cos(np.radians(30.0))  # faces that turn by more meet in a fold
_FLAT: Final = 0.9999  # length of the mean normal of a flat piece


@dataclass(frozen=True)
class Faces:
    """Places of a wall with normals and masses (kg), the face each is on, and names of faces.

    An empty name is that of the only face there is.
    """

    positions: Array
    normals: Array
    masses: Array
    face: IntArray
    names: tuple[str, ...]


def face_kinds(faces: Faces, shapes: Array) -> tuple[str, ...]:
    """Kinds of shapes ``(modes, places, 3)``."""
    axis = revolution_axis(faces.positions, faces.normals)
    if axis is not None:
        placed = wheel(faces.positions, *axis)
        return about(*placed, faces.positions, faces.normals, shapes)
    grids: dict[int, Grid | None] = {}
    found: list[str] = []
    for shape in shapes:
        normal = np.einsum("pd,pd->p", shape, faces.normals)
        energy = np.sum(shape**2, axis=1) * faces.masses
        whole = max(float(energy.sum()), 1e-300)
        share = np.bincount(faces.face, energy, len(faces.names)) / whole
        loud = np.argsort(-share)
        first = int(loud[0])
        where = f" of {faces.names[first]}" if faces.names[first] else ""
        own = faces.face == first
        if first not in grids:
            grids[first] = flat_grid(faces.positions[own], faces.normals[own])
        grid = grids[first]
        out = float(normal[own] ** 2 @ faces.masses[own]) / float(energy[own].sum() or 1.0)
        if share[first] < _MOST_OF_IT:
            together = [faces.names[each] for each in loud if share[each] > _MOVES]
            found.append(f"bending of {' and '.join(together[:_NAMED])}" if together else "bending")
        elif out < IN_PLANE:
            found.append(f"in-plane{where}")
        elif grid is None:
            found.append(f"bending{where or ' of the wall'}")
        else:
            told, *rest = across(grid.read(normal[own][None])[0], True).split(", ", 1)
            told = told.split(" about ")[0]  # its own axes have no names
            found.append(", ".join([f"{told}{where}", *rest]))
    return tuple(found)


def faces_of_mesh(mesh: FaceMesh) -> Faces:
    """The faces of a received mesh between its folds, and its own faces as places."""
    part = mesh.part
    corners = part.points[part.faces]
    # Diagonals of a face, also of a triangle, whose last corner is repeated.
    twice = cross(corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1])
    edge = cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    twice = np.where(part.triangles[:, None], edge, twice)
    area = np.linalg.norm(twice, axis=1)
    normals = twice / np.maximum(area, 1e-300)[:, None]
    middles = part.at_faces(part.points)
    masses = 0.5 * area * part.thickness * part.density
    face = _between_folds(part.faces, normals)
    return Faces(middles, normals, masses, face, _named(part, face, middles, normals, area))


def _between_folds(faces: IntArray, normals: Array) -> IntArray:
    """Which piece between folds and rims each face is of, by number."""
    ends = np.stack([faces, np.roll(faces, -1, axis=1)], axis=-1).reshape(-1, 2)
    owner = np.repeat(np.arange(len(faces)), faces.shape[1])
    real = ends[:, 0] != ends[:, 1]
    ends, owner = np.sort(ends[real], axis=1), owner[real]
    order = np.lexsort(ends.T)
    ends, owner = ends[order], owner[order]
    same = np.flatnonzero(np.all(ends[1:] == ends[:-1], axis=1))
    one, two = owner[same], owner[same + 1]
    flat = np.abs(np.sum(normals[one] * normals[two], axis=1)) > _SHARP
    links = scipy.sparse.coo_matrix(
        (np.ones(int(flat.sum())), (one[flat], two[flat])), shape=(len(faces), len(faces))
    )
    return np.asarray(scipy.sparse.csgraph.connected_components(links, directed=False)[1])


def _named(
    part: MeshValue, face: IntArray, middles: Array, normals: Array, area: Array
) -> tuple[str, ...]:
    """Names of pieces: the region that is one, else which way it faces and where it is (mm)."""
    count = int(face.max(initial=-1)) + 1
    if count == 1:
        return ("",)
    regions = {
        int(face[own[0]]): name
        for name, own in part.areas.items()
        if name in part.region_names and np.array_equal(own, np.flatnonzero(face == face[own[0]]))
    }
    told: list[tuple[str, str]] = []
    for piece in range(count):
        own = face == piece
        size = float(area[own].sum()) or 1.0
        mean = area[own] @ (normals[own] * np.sign(normals[own] @ normals[own][0])[:, None]) / size
        x, y, z = (1e3 * (area[own] @ middles[own]) / size).tolist()
        around = f"round {_short(x)} / {_short(y)} / {_short(z)} mm"
        axis = int(np.argmax(np.abs(mean)))
        if piece in regions:
            told.append((regions[piece], ""))
        elif np.linalg.norm(mean) < _FLAT:
            told.append(("the curved wall", around))
        elif abs(mean[axis]) > _FLAT:
            told.append((f"the flat across {'xyz'[axis]}", f"at {_short((x, y, z)[axis])} mm"))
        else:
            told.append(("the slanting flat", around))
    plain = [name for name, _ in told]
    return tuple(name if plain.count(name) == 1 else f"{name} {where}" for name, where in told)


def _short(value: float) -> str:
    """A place in words (mm), without the dust of rounding."""
    return f"{round(value, 3) + 0.0:.4g}"
