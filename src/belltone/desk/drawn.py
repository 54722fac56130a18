"""What the shape view draws of a part: points, faces, edges, and how a mode moves them."""

from __future__ import annotations

from typing import Final, Protocol

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from belltone.mesh.blocks import SIDES, edge_key
from belltone.mesh.charts import chart_of
from belltone.mesh.discretisation import Discretisation
from belltone.mesh.places import place_lines
from belltone.mesh.surface import (
    SurfaceMesh,
    located,
    plan_surface,
    surface_mesh,
    witness_points,
)
from belltone.modes.modeset import ModeSet
from belltone.sheet.design import Design, MemberValue, Place, SurfaceValue

__all__ = ["DrawnMember", "DrawnPart", "DrawnWall", "drawn_part"]

Array = NDArray[np.float64]
IndexArray = NDArray[np.int64]

_RINGS: Final = 65  # rings of the drawn surface along a member


class DrawnPart(Protocol):
    """A part as points with faces and lines between them.

    ``size`` is its length (m), ``depth`` its thickness as glyphs go by it. ``normals`` are there
    where nodal lines make sense.
    """

    points: Array
    faces: list[IndexArray]
    edges: list[IndexArray]
    mesh_lines: list[IndexArray]
    normals: Array | None
    size: float
    depth: float

    def moved(self, shape: Array) -> Array:
        """Displacement ``(points, 3)`` of a mode's shape."""

    def spread(self, values: Array) -> Array:
        """Values at the mode set's points, brought to the drawn ones."""

    def body_motion(self, shape: Array, place: Place) -> Array:
        """Motion (6,) of a mode's shape at a site."""


def drawn_part(design: Design, modes: ModeSet | None) -> DrawnPart:
    """The part of a design, laid out as the modes' points are."""
    if isinstance(design.part, MemberValue):
        return DrawnMember(design.part)
    return DrawnWall(design.part, modes)


class DrawnMember:
    """A member with its true section."""

    normals: Array | None = None

    def __init__(self, member: MemberValue) -> None:
        self._member = member
        self._shares = np.linspace(0.0, 1.0, _RINGS)
        self.size = member.length
        self.depth = max(member.section.depth, member.section_at_end.depth)
        outer, inner = _outlines(member, self._shares)
        self._rings = [ring for ring in (outer, inner) if ring is not None]
        centres = member.start + self._shares[:, None] * (member.stop - member.start)
        self._arms = np.concatenate([self._spatial(ring).reshape(-1, 3) for ring in self._rings])
        self._ring_of = np.concatenate(
            [np.repeat(np.arange(_RINGS), ring.shape[1]) for ring in self._rings]
        )
        self.points = centres[self._ring_of] + self._arms
        self.faces = self._faces()
        self.edges = self._edges()
        self.mesh_lines = self._across()

    def moved(self, shape: Array) -> Array:
        motion = self._at(shape, self._shares)[self._ring_of]
        return np.asarray(motion[:, :3] + np.cross(motion[:, 3:], self._arms))

    def spread(self, values: Array) -> Array:
        stations = np.linspace(0.0, 1.0, len(values))
        return np.asarray(np.interp(self._shares, stations, values)[self._ring_of])

    def body_motion(self, shape: Array, place: Place) -> Array:
        return self._at(shape, np.array([place.along / self.size]))[0]

    @staticmethod
    def _at(shape: Array, shares: Array) -> Array:
        stations = np.linspace(0.0, 1.0, len(shape))
        return np.column_stack([np.interp(shares, stations, column) for column in shape.T])

    def _spatial(self, ring: Array) -> Array:
        """Section coordinates ``(rings, corners, 2)`` as vectors in space from the axis."""
        frame = self._member.frame
        return np.asarray(ring[..., :1] * frame[1] + ring[..., 1:] * frame[2])

    def _indices(self) -> list[IndexArray]:
        """Numbers of the points of each ring, ``(rings, corners)``, outer and inner."""
        found: list[IndexArray] = []
        offset = 0
        for ring in self._rings:
            corners = ring.shape[1]
            found.append(offset + np.arange(_RINGS * corners).reshape(_RINGS, corners))
            offset += _RINGS * corners
        return found

    def _faces(self) -> list[IndexArray]:
        """Quadrilaterals between rings, and the two cut ends."""
        faces: list[IndexArray] = []
        for index in self._indices():
            after = np.roll(index, -1, axis=1)
            faces.append(
                np.stack([index[:-1], after[:-1], after[1:], index[1:]], axis=-1).reshape(-1, 4)
            )
        for end in (0, _RINGS - 1):
            loops = [index[end] for index in self._indices()]
            if len(loops) == 1:
                faces.append(loops[0][None])
            else:
                outer, inner = loops
                corners = [outer, np.roll(outer, -1), np.roll(inner, -1), inner]
                faces.append(np.stack(corners, axis=-1))
        return faces

    def _edges(self) -> list[IndexArray]:
        """Where the surface has a real edge."""
        lines: list[IndexArray] = []
        for index in self._indices():
            if index.shape[1] <= 4:
                lines += [index[:, corner] for corner in range(index.shape[1])]
            lines += [np.append(index[end], index[end][0]) for end in (0, -1)]
        return lines

    def _across(self) -> list[IndexArray]:
        outer = self._indices()[0]
        return [np.append(ring, ring[0]) for ring in outer[:: max(1, _RINGS // 16)]]


class DrawnWall:
    """A plate or shell by its middle surface, with the lines of its elements."""

    def __init__(self, wall: SurfaceValue, modes: ModeSet | None) -> None:
        used = modes.discretisation if modes is not None else Discretisation(1, 1)
        plan = used.plans[0] if used.plans else plan_surface(wall)
        mesh = surface_mesh(wall, Discretisation(used.divisions, 1), plan)
        blocks = mesh.blocks
        numbers, u, v, along = witness_points(blocks)
        chart = chart_of(wall.shape)
        pieces = [
            located(wall, chart, block, u[numbers == n], v[numbers == n])
            for n, block in enumerate(blocks.blocks)
        ]
        surface = np.concatenate([piece[0] for piece in pieces])
        self._wall, self._count = wall, len(surface)
        grids = np.arange(len(surface)).reshape(len(blocks.blocks), along, along)
        self._between, self.mesh_lines = _element_lines(mesh, grids, along)
        self.points = np.concatenate([surface, self._between @ surface])
        normals = np.concatenate([piece[1] for piece in pieces])
        self.normals: Array | None = np.concatenate([normals, self._between @ normals])
        self.size = float(np.linalg.norm(np.ptp(surface, axis=0)))
        self.depth = max(0.02 * self.size, wall.thickness.mean)
        self.faces = [
            np.stack(
                [grids[:, :-1, :-1], grids[:, :-1, 1:], grids[:, 1:, 1:], grids[:, 1:, :-1]],
                axis=-1,
            ).reshape(-1, 4)
        ]
        named = {edge_key(*pair) for chain in blocks.edges.values() for pair in chain}
        self.edges = [
            line
            for grid, block in zip(grids, blocks.blocks, strict=True)
            for (a, b), line in zip(
                SIDES, (grid[0], grid[:, -1], grid[-1], grid[:, 0]), strict=True
            )
            if edge_key(block.vertices[a], block.vertices[b]) in named
        ]

    def moved(self, shape: Array) -> Array:
        return self.spread(shape[:, :3])

    def spread(self, values: Array) -> Array:
        return np.concatenate([values, self._between @ values])

    def body_motion(self, shape: Array, place: Place) -> Array:
        lines = np.concatenate(place_lines(self._wall, place))
        away = np.linalg.norm(self.points[: self._count, None] - lines[None], axis=2)
        near = np.unique(np.argmin(away, axis=0))
        return np.asarray(shape[near].mean(axis=0))


def _element_lines(
    mesh: SurfaceMesh, grids: IndexArray, along: int
) -> tuple[sparse.csr_matrix, list[IndexArray]]:
    """Lines between elements: extra points as means of witness points, and their order."""
    rows: list[tuple[int, int, float]] = []
    lines: list[IndexArray] = []
    start = grids.size
    for number, grid in enumerate(grids):
        spans = mesh.spans[mesh.block == number]
        for axis in (0, 1):
            breaks = np.unique(np.append(spans[:, 2 * axis], spans[:, 2 * axis + 1]))
            for at in breaks:
                place = float(at) * (along - 1)
                low = min(int(place), along - 2)
                share = place - low
                pair = (grid[:, low], grid[:, low + 1]) if axis == 0 else (grid[low], grid[low + 1])
                first = start + len(rows) // 2
                for one, two in zip(*pair, strict=True):
                    row = len(rows) // 2
                    rows += [(row, int(one), 1 - share), (row, int(two), share)]
                lines.append(np.arange(first, first + along))
    entries = np.array(rows)
    shape = (len(rows) // 2, grids.size)
    matrix = sparse.csr_matrix(
        (entries[:, 2], (entries[:, 0].astype(int), entries[:, 1].astype(int))), shape=shape
    )
    return matrix, lines


def _outlines(member: MemberValue, shares: Array) -> tuple[Array, Array | None]:
    """Section outlines at each share, ``(rings, corners, 2)``: outer, and inner if hollow."""
    pairs = [member.section_at(np.asarray(share)).outline() for share in shares]
    outer = np.array([pair[0] for pair in pairs])
    if pairs[0][1] is None:
        return outer, None
    return outer, np.array([pair[1] for pair in pairs])
