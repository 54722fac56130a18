"""What the shape view draws of a part: points, faces, edges, and how a mode moves them."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from types import MappingProxyType
from typing import Final, Protocol

import numpy as np
from numpy.typing import NDArray

from belltone.design.parts import MemberValue, MeshValue, PartValue, PointValue, SurfaceValue
from belltone.design.place import Place
from belltone.design.values import Design
from belltone.drawing.drawn_walls import DrawnWall, OutlinedWall
from belltone.geometry.shapes import Plate
from belltone.modes.modeset import ModeSet
from belltone.sections.solid import ear_clipped
from belltone.system.division import hard_places
from belltone.vectors import cross

__all__ = ["DrawnComponent", "DrawnMember", "DrawnPart"]

Array = NDArray[np.float64]
IndexArray = NDArray[np.int64]

_MOST_RINGS: Final = ((1, 65), (8, 33), (40, 17))  # along each of so many members at most
_FEWEST_RINGS: Final = 9
_MOST_EDGES: Final = 20_000  # of a received mesh that are drawn as lines
_STILL: Final = 1e-9  # of the size; nothing has moved
_SHARP: Final = 0.87  # cosine of the turn from which a corner is drawn as an edge


class DrawnPart(Protocol):
    """A part as points with faces and lines between them.

    ``size`` is its length (m), ``depth`` its thickness as glyphs go by it. ``normals`` are there
    where nodal lines make sense. ``regions`` are numbers of its faces, by name.
    """

    points: Array
    faces: list[IndexArray]
    edges: list[IndexArray]
    mesh_lines: list[IndexArray]
    normals: Array | None
    regions: Mapping[str, NDArray[np.intp]]
    size: float
    depth: float

    def moved(self, shape: Array) -> Array:
        """Displacement ``(points, 3)`` of a mode's shape."""

    def spread(self, values: Array) -> Array:
        """Values at the mode set's points, brought to the drawn ones."""

    def body_motion(self, shape: Array, place: Place) -> Array:
        """Motion (6,) of a mode's shape at a site."""

    def follow(self, design: Design, part: PartValue) -> None:
        """Put the points where the part has them in another design."""


class DrawnComponent:
    """All parts of a design, laid out as the modes' points are.

    Points stand part by part; faces, edges and lines are asked for by the parts wanted. Without
    modes plates may be ``outlined``, which is there at once.
    """

    def __init__(self, design: Design, modes: ModeSet | None, outlined: bool = False) -> None:
        self._design = design
        members = len(design.members)
        walls = [part.name for part in design.surfaces]
        plans = () if modes is None else modes.discretisation.plans
        self.parts: dict[str, DrawnPart] = {}
        for part in design.parts:
            if isinstance(part, MemberValue):
                self.parts[part.name] = DrawnMember(part, _rings(members))
            elif isinstance(part, SurfaceValue) and outlined and isinstance(part.shape, Plate):
                self.parts[part.name] = OutlinedWall(part)
            elif isinstance(part, SurfaceValue):
                number = walls.index(part.name)
                plan = plans[number] if plans else None
                # At rest it is looked at as a whole: blocks need not be small anywhere.
                placed = plan is not None and plan.placed
                places = hard_places(design, part, plan) if placed else ()
                self.parts[part.name] = DrawnWall(part, modes, number, places)
            elif isinstance(part, MeshValue):
                self.parts[part.name] = DrawnMesh(part)
            else:
                self.parts[part.name] = DrawnPoint(part)
        counts = [len(part.points) for part in self.parts.values()]
        self._starts = dict(zip(self.parts, np.cumsum([0, *counts[:-1]]).tolist(), strict=True))
        self.points = np.concatenate([part.points for part in self.parts.values()])
        only = next(iter(self.parts.values()))
        box = float(np.linalg.norm(np.ptp(self.points, axis=0)))
        self.size = only.size if len(self.parts) == 1 else box
        self.depth = min(part.depth for name, part in self.parts.items() if name in self.solid)
        self.normals = self._normals()

    @property
    def solid(self) -> tuple[str, ...]:
        """Names of the parts that are made of something."""
        return tuple(part.name for part in self._design.solid_parts)

    @property
    def only_members(self) -> bool:
        """Whether no part is a wall, on which nodal lines make sense."""
        return not self._design.has_walls

    def owner(self, point: int) -> tuple[str, str | None]:
        """The part a drawn point is of, and the least of its regions that has it."""
        name = [each for each, start in self._starts.items() if start <= point][-1]
        part = self.parts[name]
        local = point - self._starts[name]
        found = [
            (len(own), region)
            for region, own in part.regions.items()
            if np.any(part.faces[0][own] == local)
        ]
        return name, min(found)[1] if found else None

    def middle(self, name: str) -> Array:
        """A point of a part about its middle (m)."""
        points = self.parts[name].points
        away = np.linalg.norm(points - points.mean(axis=0), axis=1)
        return np.asarray(points[int(np.argmin(away))])

    def gathered(self, what: str, names: Collection[str]) -> list[IndexArray]:
        """``faces``, ``edges`` or ``mesh_lines`` of some parts, as numbers of all points."""
        return [
            indices + self._starts[name]
            for name, part in self.parts.items()
            if name in names
            for indices in getattr(part, what)
        ]

    def faces_seen(
        self, names: Collection[str], taken: Collection[str], only: bool = False
    ) -> list[IndexArray]:
        """Faces of some parts but for regions that are ``taken``; or of those regions ``only``.

        A region of a received mesh is called by its part and its own name, “tray.floor”.
        """
        found: list[IndexArray] = []
        for name, part in self.parts.items():
            if name not in names:
                continue
            for faces in part.faces:
                chosen = np.zeros(len(faces), dtype=bool)
                for region, own in part.regions.items():
                    if f"{name}.{region}" in taken:
                        chosen[own] = True
                found.append(faces[chosen if only else ~chosen] + self._starts[name])
        return found

    def wall_faces(self, names: Collection[str]) -> list[IndexArray]:
        """Faces of walls among some parts."""
        return [
            part.faces[0] + self._starts[name]
            for name, part in self.parts.items()
            if name in names and part.normals is not None
        ]

    def moved(self, shapes: Mapping[str, Array]) -> Array:
        """Displacement ``(points, 3)`` of a mode's shapes by part."""
        return np.concatenate([part.moved(shapes[name]) for name, part in self.parts.items()])

    def spread(self, values: Mapping[str, Array]) -> Array:
        """Values at the mode set's points by part, brought to the drawn ones."""
        return np.concatenate([part.spread(values[name]) for name, part in self.parts.items()])

    def follow(self, design: Design) -> bool:
        """Put the points where another design has them; returns whether any has moved.

        Faces and lines stay as they are, so the parts must be those of the design before.
        """
        before = self.points
        for part in design.parts:
            self.parts[part.name].follow(design, part)
        self.points = np.concatenate([part.points for part in self.parts.values()])
        moved = float(np.abs(self.points - before).max(initial=0.0))
        if moved <= _STILL * self.size:
            return False
        self.normals = self._normals()
        return True

    def _normals(self) -> Array:
        return np.concatenate(
            [
                np.zeros_like(part.points) if part.normals is None else part.normals
                for part in self.parts.values()
            ]
        )

    def body_motion(self, shapes: Mapping[str, Array], place: Place) -> Array:
        """Motion (6,) of a mode's shape at a site."""
        return self.parts[place.part].body_motion(shapes[place.part], place)


def _rings(members: int) -> int:
    """Rings of the drawn surface along each of so many members."""
    return next((count for most, count in _MOST_RINGS if members <= most), _FEWEST_RINGS)


class DrawnPoint:
    """A point without material: nothing is drawn of it."""

    normals: Array | None = None
    regions: Mapping[str, NDArray[np.intp]] = MappingProxyType({})
    size = depth = 0.0

    def __init__(self, point: PointValue) -> None:
        self.points = point.position[None]
        self.faces: list[IndexArray] = []
        self.edges: list[IndexArray] = []
        self.mesh_lines: list[IndexArray] = []

    def moved(self, shape: Array) -> Array:
        return np.asarray(shape[:, :3])

    def spread(self, values: Array) -> Array:
        return values

    def body_motion(self, shape: Array, place: Place) -> Array:
        return np.asarray(shape[0])

    def follow(self, design: Design, part: PartValue) -> None:
        assert isinstance(part, PointValue)
        self.points = part.position[None]


class DrawnMesh:
    """A received mesh, face by face."""

    def __init__(self, mesh: MeshValue) -> None:
        self._near = mesh.points
        self.points = mesh.points
        self.size = mesh.size
        self.depth = max(0.02 * self.size, float(mesh.thickness.mean()))
        self.faces: list[IndexArray] = [mesh.faces]
        self.regions: Mapping[str, NDArray[np.intp]] = mesh.areas
        named = [line for name, line in mesh.lines.items() if name.startswith(("rim", "fold"))]
        self.edges: list[IndexArray] = [
            mesh.edges[edge] for line in named for edge in line[:_MOST_EDGES]
        ]
        self.mesh_lines: list[IndexArray] = list(mesh.edges[:_MOST_EDGES])
        corners = mesh.points[mesh.faces]
        crossed = cross(corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1])
        normals = np.zeros_like(mesh.points)
        for corner in range(4):
            np.add.at(normals, mesh.faces[:, corner], crossed)
        length = np.linalg.norm(normals, axis=1, keepdims=True)
        self.normals: Array | None = normals / np.where(length > 0, length, 1.0)

    def moved(self, shape: Array) -> Array:
        return np.asarray(shape[:, :3])

    def spread(self, values: Array) -> Array:
        return values

    def body_motion(self, shape: Array, place: Place) -> Array:
        if place.near is None:
            return np.asarray(shape.mean(axis=0))
        away = np.linalg.norm(self._near - np.array(place.near), axis=1)
        return np.asarray(shape[int(np.argmin(away))])

    def follow(self, design: Design, part: PartValue) -> None:
        """A received mesh stays where it was received."""


class DrawnMember:
    """A member with its true section."""

    normals: Array | None = None
    regions: Mapping[str, NDArray[np.intp]] = MappingProxyType({})

    def __init__(self, member: MemberValue, count: int) -> None:
        self._count = count
        self._shares = np.linspace(0.0, 1.0, count)
        self._lay(member)
        self.faces = self._faces()
        self.edges = self._edges()
        self.mesh_lines = self._across()

    def follow(self, design: Design, part: PartValue) -> None:
        assert isinstance(part, MemberValue)
        corners = [len(ring[0]) for ring in self._loops]
        self._lay(part)
        # A section may show more corners elsewhere; then what hangs on them is made anew.
        if corners != [len(ring[0]) for ring in self._loops]:
            self.faces, self.edges = self._faces(), self._edges()
            self.mesh_lines = self._across()

    def _lay(self, member: MemberValue) -> None:
        count = self._count
        self._member = member
        self.size, self.depth = member.length, member.sections.depth
        outer, inner = _outlines(member, self._shares)
        self._loops = [ring for ring in (outer, inner) if ring is not None]
        centres, tangents, ups = member.path.at(self._shares)
        sides = cross(ups, tangents)
        self._arms = np.concatenate(
            [
                (ring[..., :1] * sides[:, None] + ring[..., 1:] * ups[:, None]).reshape(-1, 3)
                for ring in self._loops
            ]
        )
        self._ring_of = np.concatenate(
            [np.repeat(np.arange(count), ring.shape[1]) for ring in self._loops]
        )
        self.points = centres[self._ring_of] + self._arms

    def moved(self, shape: Array) -> Array:
        motion = self._at(shape, self._shares)[self._ring_of]
        return np.asarray(motion[:, :3] + cross(motion[:, 3:], self._arms))

    def spread(self, values: Array) -> Array:
        stations = np.linspace(0.0, 1.0, len(values))
        return np.asarray(np.interp(self._shares, stations, values)[self._ring_of])

    def body_motion(self, shape: Array, place: Place) -> Array:
        if place.feature is not None:
            return np.asarray(shape.mean(axis=0))
        return np.asarray(self._at(shape, np.array([place.along / self.size]))[0])

    @staticmethod
    def _at(shape: Array, shares: Array) -> Array:
        stations = np.linspace(0.0, 1.0, len(shape))
        return np.column_stack([np.interp(shares, stations, column) for column in shape.T])

    def _indices(self) -> list[IndexArray]:
        """Numbers of the points of each ring, ``(rings, corners)``, outer and inner."""
        found: list[IndexArray] = []
        offset = 0
        for ring in self._loops:
            corners = ring.shape[1]
            found.append(offset + np.arange(self._count * corners).reshape(self._count, corners))
            offset += self._count * corners
        return found

    def _faces(self) -> list[IndexArray]:
        """Quadrilaterals between rings, and the two cut ends."""
        faces: list[IndexArray] = []
        for index in self._indices():
            after = np.roll(index, -1, axis=1)
            faces.append(
                np.stack([index[:-1], after[:-1], after[1:], index[1:]], axis=-1).reshape(-1, 4)
            )
        for end in (0, self._count - 1):
            loops = [index[end] for index in self._indices()]
            if len(loops) == 1:
                # Drawing takes polygons for convex, which a channel's end is not.
                faces.append(loops[0][_triangles(self._loops[0][end])])
            else:
                outer, inner = loops
                corners = [outer, np.roll(outer, -1), np.roll(inner, -1), inner]
                faces.append(np.stack(corners, axis=-1))
        return faces

    def _edges(self) -> list[IndexArray]:
        """Where the surface has a real edge."""
        lines: list[IndexArray] = []
        for index, ring in zip(self._indices(), self._loops, strict=True):
            lines += [index[:, corner] for corner in _sharp(ring[0])]
            if not self._member.path.closed:
                lines += [np.append(index[end], index[end][0]) for end in (0, -1)]
        return lines

    def _across(self) -> list[IndexArray]:
        outer = self._indices()[0]
        return [np.append(ring, ring[0]) for ring in outer[:: max(1, self._count // 16)]]


def _triangles(outline: Array) -> IndexArray:
    """Triangles that fill an outline: a fan where it is convex, which is soon found."""
    along = np.roll(outline, -1, axis=0) - outline
    after = np.roll(along, -1, axis=0)
    if np.all(along[:, 0] * after[:, 1] - along[:, 1] * after[:, 0] >= 0):
        corners = np.arange(1, len(outline) - 1)
        return np.stack([np.zeros_like(corners), corners, corners + 1], axis=1)
    return np.asarray(ear_clipped(outline))


def _sharp(outline: Array) -> IndexArray:
    """Corners at which an outline turns by more than a third of a right angle."""
    before = outline - np.roll(outline, 1, axis=0)
    after = np.roll(outline, -1, axis=0) - outline
    lengths = np.linalg.norm(before, axis=1) * np.linalg.norm(after, axis=1)
    return np.flatnonzero(np.sum(before * after, axis=1) < _SHARP * lengths)


def _outlines(member: MemberValue, shares: Array) -> tuple[Array, Array | None]:
    """Section outlines at each share, ``(rings, corners, 2)``: outer, and inner if hollow."""
    if not member.tapered:
        outer, inner = member.section.outline()
        spread = (len(shares), 1, 1)
        return np.tile(outer, spread), None if inner is None else np.tile(inner, spread)
    pairs = [member.section_at(np.asarray(share)).outline() for share in shares]
    outer = np.array([pair[0] for pair in pairs])
    if pairs[0][1] is None:
        return outer, None
    return outer, np.array([pair[1] for pair in pairs])
