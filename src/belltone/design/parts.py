"""The parts of a design: members, plates and shells, received meshes, and points in space.

All of them tell whether they are walls and whether they are made of anything, what they belong to,
which sites they have by themselves and where these are, their own axes, how deep they are across,
what materials are in them, which regions were named, and what they are when turned and moved.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from belltone.design.place import Place
from belltone.geometry.charts import chart_of
from belltone.geometry.features import AXIS, END, START, Feature, shape_features
from belltone.geometry.paths import MemberPath
from belltone.geometry.shapes import SurfaceShape, extent_of, thickness_share
from belltone.geometry.skins import Skin
from belltone.sections.layups import LayupValue, PlyMaterialValue
from belltone.sections.runs import SectionRun
from belltone.sections.simple import SectionShape
from belltone.vectors import cross

__all__ = [
    "MaterialValue",
    "MemberValue",
    "MeshValue",
    "PartValue",
    "PointValue",
    "SurfaceValue",
    "ThicknessValue",
]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]


@dataclass(frozen=True)
class MaterialValue:
    """Isotropic material: density (kg/m³), Young's modulus (Pa), Poisson's ratio.

    ``expansion`` (1/K) is not a number where nobody stated it.
    """

    name: str
    density: float
    youngs_modulus: float
    poisson_ratio: float
    expansion: float = math.nan

    @property
    def expands(self) -> bool:
        """Whether it is known how far it grows with warmth."""
        return math.isfinite(self.expansion)

    @property
    def modulus_along(self) -> float:
        """Young's modulus (Pa), which is the same in all directions."""
        return self.youngs_modulus

    @property
    def shear_modulus(self) -> float:
        """E / (2 (1 + nu)), in Pa."""
        return self.youngs_modulus / (2 * (1 + self.poisson_ratio))


@dataclass(frozen=True)
class MemberValue:
    """A member along a path, its section running along it.

    ``line_mass`` (kg/m) is mass without stiffness; ``within`` names the frame it belongs to, if
    any; ``on`` the surface it is a rib of.
    """

    is_wall: ClassVar[bool] = False
    is_solid: ClassVar[bool] = True
    is_received: ClassVar[bool] = False
    region_names: ClassVar[tuple[str, ...]] = ()

    name: str
    path: MemberPath
    sections: SectionRun
    material: MaterialValue
    line_mass: float = 0.0
    within: str | None = None
    on: str | None = None

    @property
    def length(self) -> float:
        """Length of the path (m)."""
        return self.path.length

    @cached_property
    def start(self) -> Array:
        """Where it starts (m)."""
        return self.path.ends[0]

    @cached_property
    def stop(self) -> Array:
        """Where it ends (m)."""
        return self.path.ends[1]

    def position(self, share: float) -> Array:
        """A point of the axis at a share of the length (m)."""
        return np.asarray(self.path.at(np.array([share]))[0][0])

    def frame_at(self, share: float) -> Array:
        """The section's own axes (rows: axis, side, up) at a share of the length."""
        return np.asarray(self.frames_at(np.array([share]))[0])

    def frames_at(self, shares: Array) -> Array:
        """The same ``(n, 3, 3)`` at many shares."""
        _, tangents, ups = self.path.at(shares)
        side = cross(ups, tangents)
        side /= np.linalg.norm(side, axis=1, keepdims=True)
        return np.stack([tangents, side, cross(tangents, side)], axis=1)

    @cached_property
    def frame(self) -> Array:
        """The section's own axes at the start."""
        return self.frame_at(0.0)

    @property
    def axes(self) -> Array:
        """Its own axes at the start, as columns."""
        return np.asarray(self.frame.T)

    def mapped(self, name: str, turn: Array, move: Array) -> MemberValue:
        """The same turned or mirrored about the sheet's origin, and moved then (m)."""
        return replace(self, name=name, path=self.path.mapped(turn, move))

    @property
    def tapered(self) -> bool:
        """Whether the section changes along it."""
        return not self.sections.even

    @property
    def section(self) -> SectionShape:
        """The section at the start."""
        return self.section_at(np.zeros(())) if self.tapered else self.sections.at(np.zeros(()))

    def section_at(self, share: Array) -> SectionShape:
        """The section at ``share`` (0 to 1) of the length, as one shape of arrays."""
        return self.sections.at(np.asarray(share, float))

    @property
    def section_words(self) -> str:
        """The section in words, such as ``rectangular hollow section``."""
        return self.section.words

    @property
    def sort(self) -> str:
        """What parts that are alike have in common, but for their size."""
        return self.section_words

    @cached_property
    def features(self) -> dict[str, Feature]:
        """Sites it has by itself: its ends, and all of its axis."""
        ends = (START,) if self.path.closed else (START, END)
        return dict.fromkeys(ends, Feature("end")) | {AXIS: Feature("axis")}

    def place_of(self, feature: str) -> Place:
        """The place of one of the sites it has by itself; its ends are places along it."""
        site = f"{self.name}.{feature}"
        if feature == AXIS:
            return Place(site, self.name, feature=AXIS)
        return Place(site, self.name, self.length if feature == END else 0.0)

    @property
    def depth(self) -> float:
        """How far its section reaches across (m)."""
        return self.sections.depth

    @property
    def materials(self) -> tuple[MaterialValue, ...]:
        """What it is made of."""
        return (self.material,)

    @property
    def moduli(self) -> dict[str, tuple[float, dict[str, float]]]:
        """Density (kg/m³) and moduli (Pa) by their key, of its material."""
        own = self.material
        return {own.name: (own.density, {"youngs_modulus": own.youngs_modulus})}

    @property
    def mass(self) -> float:
        """Mass (kg), without what hangs on it."""
        points, weights = np.polynomial.legendre.leggauss(8)
        total = 0.0
        ends = [0.0, *self.sections.breaks, 1.0]
        for low, high in itertools.pairwise(ends):
            share = low + (high - low) * 0.5 * (1 + points)
            area = self.section_at(share).properties(self.material.poisson_ratio).area
            line = self.material.density * np.broadcast_to(area, share.shape) + self.line_mass
            total += 0.5 * (high - low) * self.length * float(weights @ line)
        return total


@dataclass(frozen=True)
class ThicknessValue:
    """Thickness (m), the same all over or changing evenly along one of the part's coordinates."""

    start: float
    stop: float
    along: str | None = None

    @property
    def mean(self) -> float:
        """Halfway between the two (m)."""
        return 0.5 * (self.start + self.stop)

    def at(
        self, shape: SurfaceShape, segments: int | IntArray, first: Array, second: Array
    ) -> Array:
        """Thickness at chart coordinates, each ``(n,)``, on one segment or one for each."""
        if self.along is None:
            return np.full(len(first), self.start)
        share = thickness_share(shape, self.along, segments, first, second)
        return np.asarray(self.start + share * (self.stop - self.start))


@dataclass(frozen=True)
class SurfaceValue:
    """A plate or shell: shape in its own axes, and where it stands.

    ``face`` tells which face of the wall the shape describes: middle, inner (the wall lies on the
    side the normal points to) or outer. ``frame`` (3, 3) has the part's own axes as columns.
    """

    is_wall: ClassVar[bool] = True
    is_solid: ClassVar[bool] = True
    within: ClassVar[str | None] = None
    on: ClassVar[str | None] = None

    name: str
    shape: SurfaceShape
    layup: LayupValue
    thickness: ThicknessValue
    face: str
    origin: Array
    frame: Array

    def locate(
        self, segments: int | IntArray, first: Array, second: Array
    ) -> tuple[Array, Array, Array, Array]:
        """Middle surface (m), unit normals, first axes and thickness at chart coordinates.

        They are on one segment, or on one for each. All but the thickness ``(n,)`` are ``(n, 3)``
        in the sheet's axes.
        """
        found = chart_of(self.shape).locate(segments, first, second)
        thickness = self.thickness.at(self.shape, segments, first, second)
        middle = found.positions + (self.offset * thickness)[:, None] * found.normals
        return (
            self.origin + middle @ self.frame.T,
            found.normals @ self.frame.T,
            found.first_axes @ self.frame.T,
            thickness,
        )

    @property
    def offset(self) -> float:
        """From the shape to the middle of the wall along the normal, in thicknesses."""
        return {"middle": 0.0, "inner": 0.5, "outer": -0.5}[self.face]

    @property
    def axes(self) -> Array:
        """Its own axes, as columns."""
        return self.frame

    def mapped(self, name: str, turn: Array, move: Array) -> SurfaceValue:
        """The same turned or mirrored about the sheet's origin, and moved then (m)."""
        layup = self.layup
        if np.linalg.det(turn) < 0:
            plies = tuple(replace(ply, angle=-ply.angle) for ply in layup.plies)
            layup = replace(layup, plies=plies)
        return replace(
            self,
            name=name,
            layup=layup,
            origin=turn @ self.origin + move,
            frame=turn @ self.frame,
        )

    @property
    def sort(self) -> str:
        """What parts that are alike have in common, but for their size."""
        return type(self.shape).__name__

    @property
    def is_received(self) -> bool:
        """Whether somebody sent its shape, which has no coordinates of its own."""
        return isinstance(self.shape, Skin)

    @property
    def region_names(self) -> tuple[str, ...]:
        """Faces of a received skin that can be looked at alone."""
        shape = self.shape
        return shape.names if isinstance(shape, Skin) and len(shape.names) > 1 else ()

    @property
    def size(self) -> float:
        """The least of its two extents, roughly (m)."""
        return extent_of(self.shape)

    @cached_property
    def features(self) -> dict[str, Feature]:
        """Sites the part has by itself."""
        return shape_features(self.shape)

    def place_of(self, feature: str) -> Place:
        """The place of one of the sites it has by itself."""
        return Place(f"{self.name}.{feature}", self.name, feature=feature)

    @property
    def depth(self) -> float:
        """How thick it is at most (m)."""
        return max(self.thickness.start, self.thickness.stop)

    @property
    def materials(self) -> tuple[PlyMaterialValue, ...]:
        """What its plies are made of, each once."""
        return tuple({ply.material.name: ply.material for ply in self.layup.plies}.values())

    @property
    def moduli(self) -> dict[str, tuple[float, dict[str, float]]]:
        """Density (kg/m³) and moduli (Pa) by their key, of every material in it."""
        found: dict[str, tuple[float, dict[str, float]]] = {}
        for wall in self.materials:
            moduli = {"youngs_modulus": wall.modulus_along}
            if not wall.is_isotropic:
                moduli = {
                    "modulus_along": wall.modulus_along,
                    "modulus_across": wall.modulus_across,
                }
            found[wall.name] = (wall.density, moduli)
        return found


@dataclass(frozen=True)
class PointValue:
    """A point in space with no material: it moves as what it is rigidly linked to (m)."""

    is_wall: ClassVar[bool] = False
    is_solid: ClassVar[bool] = False
    is_received: ClassVar[bool] = False
    within: ClassVar[str | None] = None
    on: ClassVar[str | None] = None
    region_names: ClassVar[tuple[str, ...]] = ()
    sort: ClassVar[str] = "point"
    materials: ClassVar[tuple[MaterialValue, ...]] = ()

    name: str
    position: Array

    @property
    def axes(self) -> Array:
        """The sheet's axes, as columns."""
        return np.eye(3)

    def mapped(self, name: str, turn: Array, move: Array) -> PointValue:
        """The same turned or mirrored about the sheet's origin, and moved then (m)."""
        return replace(self, name=name, position=turn @ self.position + move)

    @property
    def features(self) -> dict[str, Feature]:
        """Sites it has by itself: itself."""
        return {"point": Feature("point")}

    def place_of(self, feature: str) -> Place:
        """The place of the point."""
        del feature
        return Place(self.name, self.name)

    @property
    def depth(self) -> float:
        """It has no material."""
        return 0.0

    @property
    def moduli(self) -> dict[str, tuple[float, dict[str, float]]]:
        """None."""
        return {}


@dataclass(frozen=True, eq=False)
class MeshValue:
    """A mesh that somebody sent: flat faces, each with its own thickness and material.

    ``points`` (n, 3) in the sheet's axes (m); ``faces`` (f, 4), the last corner repeated on
    triangles; ``edges`` (e, 2). Per face: ``thickness`` (m), ``youngs_modulus`` (Pa),
    ``poisson_ratio``, ``density`` (kg/m³), ``expansion`` (1/K).
    ``lines`` and ``areas`` are sites: numbers of edges and of faces by name. ``flaws`` (k, 2) are
    edges worth showing: free ones inside, and those of
    more than two faces.
    """

    is_wall: ClassVar[bool] = True
    is_solid: ClassVar[bool] = True
    is_received: ClassVar[bool] = True
    within: ClassVar[str | None] = None
    on: ClassVar[str | None] = None
    sort: ClassVar[str] = "mesh"

    name: str
    points: Array
    faces: NDArray[np.intp]
    edges: NDArray[np.intp]
    thickness: Array
    youngs_modulus: Array
    poisson_ratio: Array
    density: Array
    expansion: Array
    materials: tuple[MaterialValue, ...]
    lines: Mapping[str, NDArray[np.intp]]
    areas: Mapping[str, NDArray[np.intp]]
    flaws: NDArray[np.intp]

    @cached_property
    def features(self) -> dict[str, Feature]:
        """Sites it has by itself."""
        edges = dict.fromkeys(self.lines, Feature("edge"))
        return dict.fromkeys(self.areas, Feature("face")) | edges

    @property
    def axes(self) -> Array:
        """The sheet's axes, as columns."""
        return np.eye(3)

    def mapped(self, name: str, turn: Array, move: Array) -> MeshValue:
        """The same turned or mirrored about the sheet's origin, and moved then (m)."""
        faces = self.faces
        if np.linalg.det(turn) < 0:
            backwards = np.where(self.triangles[:, None], faces[:, [0, 2, 1, 1]], faces[:, ::-1])
            return replace(self, name=name, points=self.points @ turn.T + move, faces=backwards)
        return replace(self, name=name, points=self.points @ turn.T + move)

    @property
    def region_names(self) -> tuple[str, ...]:
        """Regions that can be looked at alone: those that are not all of it."""
        return tuple(name for name, own in self.areas.items() if len(own) < len(self.faces))

    def place_of(self, feature: str) -> Place:
        """The place of one of the sites it has by itself."""
        return Place(f"{self.name}.{feature}", self.name, feature=feature)

    @property
    def depth(self) -> float:
        """Of no account: on which side of its faces it lies nobody knows."""
        return 0.0

    @property
    def moduli(self) -> dict[str, tuple[float, dict[str, float]]]:
        """Density (kg/m³) and moduli (Pa) by their key, of every material in it."""
        return {
            made.name: (made.density, {"youngs_modulus": made.youngs_modulus})
            for made in self.materials
        }

    @property
    def size(self) -> float:
        """Diagonal of the box round it (m)."""
        return float(np.linalg.norm(np.ptp(self.points, axis=0)))

    @property
    def triangles(self) -> NDArray[np.bool_]:
        """Which of the faces have three corners."""
        return np.asarray(self.faces[:, 3] == self.faces[:, 2])

    def at_faces(self, values: Array) -> Array:
        """Means over the corners of each face ``(..., faces, k)`` of ``(..., points, k)``."""
        corners = values[..., self.faces, :]
        three, four = corners[..., :3, :].mean(axis=-2), corners.mean(axis=-2)
        return np.asarray(np.where(self.triangles[:, None], three, four))


PartValue = MemberValue | SurfaceValue | MeshValue | PointValue
