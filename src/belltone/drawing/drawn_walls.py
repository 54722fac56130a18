"""Plates and shells as they are drawn: laid out once for a part, and shared by all its pictures.

A plate of which nothing is known yet is drawn by its rims alone: how it is cut into blocks may take
a second to find.
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkFiltersGeneral import vtkContourTriangulator

from belltone.design.parts import PartValue, SurfaceValue
from belltone.design.place import Place
from belltone.design.values import Design
from belltone.geometry.curved_quads import edge_key
from belltone.geometry.shapes import Plate
from belltone.geometry.skins import Skin
from belltone.keeping import KeptWith
from belltone.mesh.blocks import SIDES, Blocks
from belltone.mesh.discretisation import Discretisation, SurfacePlan
from belltone.mesh.grading import HardPlace
from belltone.mesh.plate_rims import rims
from belltone.mesh.surface import SurfaceMesh, located, witness_points
from belltone.mesh.surface_division import FoldedMeshError, planned_blocks, surface_mesh
from belltone.mesh.surface_plan import plan_surface
from belltone.modes.modeset import ModeSet
from belltone.system.division import hard_places
from belltone.system.kinds import place_lines

__all__ = ["DrawnWall", "OutlinedWall"]

Array = NDArray[np.float64]
IndexArray = NDArray[np.int64]
Points = tuple[NDArray[np.intp], Array, Array, int]

_STILL: Final = 1e-9  # of the size; nothing has moved
_KEPT: Final = 3  # layouts of a part: coarse and fine ones


@dataclass(frozen=True)
class _LaidWall:
    """A wall at rest: its points and normals, and the faces, edges and lines between them.

    ``between`` makes the points of the lines of elements of the ``witness`` points; ``planned``
    is whether its plan was made for the picture.
    """

    divisions: int
    places: tuple[HardPlace, ...]
    planned: bool
    plan: SurfacePlan
    witness: Points
    surface: Array
    normals: Array
    between: scipy.sparse.csr_matrix
    faces: IndexArray
    edges: list[IndexArray]
    lines: list[IndexArray]
    regions: Mapping[str, NDArray[np.intp]]


_LAID: Final[KeptWith[list[_LaidWall]]] = KeptWith(list)


class DrawnWall:
    """A plate or shell by its middle surface, with the lines of its elements."""

    def __init__(
        self,
        wall: SurfaceValue,
        modes: ModeSet | None,
        number: int,
        places: Sequence[HardPlace] = (),
    ) -> None:
        used = modes.discretisation if modes is not None else Discretisation(1, 1)
        plan = used.plans[number] if used.plans else None
        self._laid = laid = _laid_out(wall, used.divisions, plan, tuple(places))
        self._wall = wall
        self._near: dict[Place, IndexArray] = {}
        self.points = self._whole(laid.surface)
        self.normals: Array | None = self._whole(laid.normals)
        self.mesh_lines = laid.lines
        self.size = float(np.linalg.norm(np.ptp(laid.surface, axis=0)))
        self.depth = max(0.02 * self.size, wall.thickness.mean)
        self.faces, self.edges, self.regions = [laid.faces], laid.edges, laid.regions

    def _whole(self, values: Array) -> Array:
        """Values at the witness points, and at those of the lines between them."""
        return np.concatenate([values, self._laid.between @ values])

    def follow(self, design: Design, part: PartValue) -> None:
        """Put the points where the wall has them in another design."""
        assert isinstance(part, SurfaceValue)
        plan = self._laid.plan
        try:
            places = hard_places(design, part, plan) if plan.placed else ()
            blocks = planned_blocks(part, plan, places)
        except FoldedMeshError:
            return  # another plan is made when the hand rests
        surface, normals = _located(part, blocks, self._laid.witness)
        self._wall = part
        if np.abs(surface - self.points[: len(surface)]).max() <= _STILL * self.size:
            return
        self._near.clear()
        self.points, self.normals = self._whole(surface), self._whole(normals)

    def moved(self, shape: Array) -> Array:
        """Displacement ``(points, 3)`` of a mode's shape."""
        return self._whole(shape[:, :3])

    def spread(self, values: Array) -> Array:
        """Values at the mode set's points, brought to the drawn ones."""
        return self._whole(values)

    def body_motion(self, shape: Array, place: Place) -> Array:
        """Motion (6,) of a mode's shape at a site."""
        if place not in self._near:
            lines = np.concatenate(place_lines(self._wall, place))
            surface = self.points[: len(self._laid.surface)]
            self._near[place] = np.unique(scipy.spatial.cKDTree(surface).query(lines)[1])
        return np.asarray(shape[self._near[place]].mean(axis=0))


class OutlinedWall:
    """A plate at rest, before anything is known of how it moves: what its rims enclose."""

    regions: Mapping[str, NDArray[np.intp]] = MappingProxyType({})

    def __init__(self, wall: SurfaceValue) -> None:
        self._lay(wall)

    def _lay(self, wall: SurfaceValue) -> None:
        assert isinstance(wall.shape, Plate)
        loops = rims(wall.shape)
        self.points, normals, *_ = wall.locate(0, *np.concatenate(loops).T)
        self.normals: Array | None = normals
        self.size = float(np.linalg.norm(np.ptp(self.points, axis=0)))
        self.depth = max(0.02 * self.size, wall.thickness.mean)
        self.faces = [_enclosed(loops)]
        self.edges = [np.append(loop, loop[0]) for loop in _numbered(loops)]
        self.mesh_lines: list[IndexArray] = []

    def follow(self, design: Design, part: PartValue) -> None:
        """Put the points where the wall has them in another design."""
        assert isinstance(part, SurfaceValue)
        self._lay(part)

    def moved(self, shape: Array) -> Array:
        """It has not moved yet."""
        return np.zeros_like(self.points)

    def spread(self, values: Array) -> Array:
        """Nothing is known of it yet."""
        return np.zeros(len(self.points))

    def body_motion(self, shape: Array, place: Place) -> Array:
        """It has not moved yet."""
        return np.zeros(6)


def _numbered(loops: Sequence[Array]) -> list[IndexArray]:
    """Numbers of the points of loops, all counted through."""
    ends = np.cumsum([0, *(len(loop) for loop in loops)])
    return [np.arange(start, stop) for start, stop in itertools.pairwise(ends)]


def _enclosed(loops: Sequence[Array]) -> IndexArray:
    """Triangles ``(t, 3)`` between an outline ``(n, 2)`` and holes, all counter-clockwise."""
    points, lines = vtkPoints(), vtkCellArray()
    for x, y in np.concatenate(loops).tolist():
        points.InsertNextPoint(x, y, 0.0)
    for number, loop in enumerate(_numbered(loops)):
        turned = loop[::-1] if number else loop
        lines.InsertNextCell(len(turned) + 1)
        for at in (*turned.tolist(), int(turned[0])):
            lines.InsertCellPoint(at)
    poly = vtkPolyData()
    poly.SetPoints(points)
    poly.SetLines(lines)
    filled = vtkContourTriangulator()
    filled.SetInputData(poly)
    filled.Update()
    found = vtk_to_numpy(filled.GetOutput().GetPolys().GetConnectivityArray())
    return np.asarray(found, np.int64).reshape(-1, 3)


def _laid_out(
    wall: SurfaceValue, divisions: int, plan: SurfacePlan | None, places: tuple[HardPlace, ...]
) -> _LaidWall:
    """The layout of a wall by a plan, or one made for it, as it was made before if it was."""
    known = _LAID.of(wall)
    for each in known:
        anew = each.planned if plan is None else each.plan == plan
        if anew and (each.divisions, each.places) == (divisions, places):
            return each
    found = _lay_out(wall, divisions, plan, places)
    known[:] = [found, *known][:_KEPT]
    return found


def _lay_out(
    wall: SurfaceValue, divisions: int, plan: SurfacePlan | None, places: tuple[HardPlace, ...]
) -> _LaidWall:
    used = plan_surface(wall, places) if plan is None else plan
    mesh = surface_mesh(wall, Discretisation(divisions, 1), used, places=places)
    blocks = mesh.blocks
    witness = witness_points(blocks)
    along = witness[3]
    surface, normals = _located(wall, blocks, witness)
    grids = np.arange(len(surface)).reshape(len(blocks.blocks), along, along)
    between, lines = _element_lines(mesh, grids, along)
    faces = np.stack(
        [grids[:, :-1, :-1], grids[:, :-1, 1:], grids[:, 1:, 1:], grids[:, 1:, :-1]],
        axis=-1,
    ).reshape(-1, 4)
    named = {edge_key(*pair) for chain in blocks.edges.values() for pair in chain}
    edges = [
        line
        for grid, block in zip(grids, blocks.blocks, strict=True)
        for (a, b), line in zip(SIDES, (grid[0], grid[:, -1], grid[-1], grid[:, 0]), strict=True)
        if edge_key(block.vertices[a], block.vertices[b]) in named
    ]
    return _LaidWall(
        divisions=divisions,
        places=places,
        planned=plan is None,
        plan=used,
        witness=witness,
        surface=surface,
        normals=normals,
        between=between,
        faces=faces,
        edges=edges,
        lines=lines,
        regions=_regions(wall, blocks, (along - 1) ** 2),
    )


def _located(wall: SurfaceValue, blocks: Blocks, witness: Points) -> tuple[Array, Array]:
    """Where the witness points stand, and the normals there."""
    numbers, u, v, _ = witness
    places = [(block, u[numbers == n], v[numbers == n]) for n, block in enumerate(blocks.blocks)]
    surface, normals, *_ = located(wall, places)
    return surface, normals


def _regions(wall: SurfaceValue, blocks: Blocks, count: int) -> Mapping[str, NDArray[np.intp]]:
    """Drawn faces, so many to a block, by the face of a received skin they are on."""
    shape = wall.shape
    if not isinstance(shape, Skin):
        return MappingProxyType({})
    own = np.repeat([shape.regions[block.segment] for block in blocks.blocks], count)
    return {name: np.flatnonzero(own == number) for number, name in enumerate(shape.names)}


def _element_lines(
    mesh: SurfaceMesh, grids: IndexArray, along: int
) -> tuple[scipy.sparse.csr_matrix, list[IndexArray]]:
    """Lines between elements: extra points as means of witness points, and their order."""
    between: list[IndexArray] = []
    shares: list[Array] = []
    for number, grid in enumerate(grids):
        spans = mesh.spans[mesh.block == number]
        for axis, own in ((0, grid.T), (1, grid)):
            places = np.unique(spans[:, [2 * axis, 2 * axis + 1]]) * (along - 1)
            low = np.minimum(places.astype(int), along - 2)
            between.append(np.stack([own[low], own[low + 1]], axis=-1))
            shares.append(places - low)
    columns, share = np.concatenate(between), np.concatenate(shares)
    weights = np.broadcast_to(np.stack([1 - share, share], axis=-1)[:, None], columns.shape)
    count = columns[..., 0].size
    matrix = scipy.sparse.csr_matrix(
        (weights.ravel(), columns.ravel(), np.arange(0, 2 * count + 1, 2)), (count, grids.size)
    )
    return matrix, list(grids.size + np.arange(count).reshape(-1, along))
