"""Which faces of a body are sides of its walls, how thick these are, and which side is the skin.

A face is the side of a wall where a shot into the material soon comes out of another face that
looks the other way. Narrow faces across the thickness see far, or nothing that looks back. Walls
meet their neighbours over the edges both share, so a skin runs over bends and sharp edges, and
ends where only narrow faces follow.
"""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.solids.flat import FlatFace
from belltone.geometry.solids.kernel import CadFileError, EdgeUse, Solid
from belltone.vectors import cross

__all__ = ["Crossing", "SkinPiece", "Walls", "find_walls"]

Array = NDArray[np.float64]

_FACING: Final = 0.9  # cosine between a normal and that of the side opposite, turned round
_PAIRED: Final = 0.5  # share of a face's places that see the other side
_THIN: Final = 0.5  # of a face's own width; thicker is no wall by itself
_ALIKE: Final = 0.55  # of the thickness; smooth neighbours differ by less
_SLENDER: Final = 0.2  # of the extent; what is thicker is not thin
_FOLD: Final = math.cos(math.radians(15.0))  # normals that turn by more meet in a fold
_EVEN: Final = 0.005  # of the thickness; what varies less is one thickness
_FITTED: Final = 0.01  # of the thickness; so near a smooth law must come
_CLOSE: Final = 19  # places across a face whose wall changes
_WILD: Final = (0.4, 1.7)  # of the median; shots beyond these went elsewhere


@dataclass(frozen=True)
class Crossing:
    """An edge between two faces: cosine of the angle of their normals, and whether it is inner."""

    faces: tuple[int, int]
    cosine: float
    inner: bool

    @property
    def folded(self) -> bool:
        """Whether the faces meet in a sharp edge."""
        return self.cosine < _FOLD


@dataclass(frozen=True, eq=False)
class Sight:
    """What places of a face see through the material: distances, faces, and who looks back."""

    away: Array
    faces: NDArray[np.intp]
    good: NDArray[np.bool_]

    @property
    def paired(self) -> bool:
        """Whether most of it sees another side."""
        return bool(self.good.mean() > _PAIRED) if len(self.good) else False

    @property
    def middle(self) -> float:
        """The median distance (m); infinite where it sees no other side."""
        return float(np.median(self.away[self.good])) if self.good.any() else math.inf


@dataclass(frozen=True, eq=False)
class Thickness:
    """Thickness of the wall under a face: least, greatest and mean (m).

    ``law`` holds the coefficients of 1, x, y, x², xy, y² over the plane, where it changes smoothly.
    ``told`` is what there is to say of one that changes otherwise.
    """

    low: float
    high: float
    mean: float
    law: Array | None = None
    told: bool = False

    def at(self, flat: Array) -> Array:
        """Thickness at places of the plane ``(n, 2)`` (m)."""
        if self.law is None:
            return np.full(len(flat), self.mean)
        return np.asarray(np.clip(_terms(flat) @ self.law, self.low, self.high))


@dataclass(frozen=True, eq=False)
class SkinPiece:
    """One side of connected walls: numbers of faces, and the thickness under each."""

    faces: tuple[int, ...]
    thickness: Mapping[int, Thickness]


class Walls:
    """The faces of one body, laid out and looked at."""

    def __init__(self, solid: Solid) -> None:
        self.solid = solid
        self.flat = [FlatFace.of(face) for face in solid.faces]

    @cached_property
    def crossings(self) -> dict[int, Crossing]:
        """Edges with two faces on them, by number."""
        uses: dict[int, list[tuple[int, EdgeUse]]] = {}
        for flat in self.flat:
            for loop in flat.face.loops:
                for use in loop:
                    if use.edge >= 0:
                        uses.setdefault(use.edge, []).append((flat.face.number, use))
        found: dict[int, Crossing] = {}
        for edge, both in uses.items():
            if len(both) != 2 or both[0][0] == both[1][0]:
                continue
            (one, _), (two, second) = both
            middle = self.solid.edges[edge].breaks(2)[1:2]
            normals = [self.solid.faces[face].normals(use.at(middle))[0] for face, use in both]
            into = _into(self.solid, two, second, middle)
            found[edge] = Crossing(
                (one, two), float(normals[0] @ normals[1]), float(normals[0] @ into) > 0
            )
        return found

    @cached_property
    def sights(self) -> list[Sight]:
        """What each face sees through the material."""
        return [self._sight(flat) for flat in self.flat]

    def _sight(self, flat: FlatFace, places: Array | None = None) -> Sight:
        places = flat.places if places is None else places
        normals = flat.normals(places)
        away, faces, seen = self.solid.shoot(flat.at(places), -normals)
        # A bar's face sees itself across; a wall has two.
        other = (faces >= 0) & (faces != flat.face.number)
        good = other & (np.sum(seen * normals, axis=1) < -_FACING)
        return Sight(away, faces, good)

    def neighbours(self, chosen: Iterable[int]) -> dict[int, list[tuple[int, int]]]:
        """Faces beside each of some, with the edge between, among these."""
        some = set(chosen)
        found: dict[int, list[tuple[int, int]]] = {face: [] for face in some}
        for edge, crossing in self.crossings.items():
            one, two = crossing.faces
            if one in some and two in some:
                found[one].append((two, edge))
                found[two].append((one, edge))
        return found

    @cached_property
    def sides(self) -> set[int]:
        """Faces that are sides of walls."""
        seeds = {
            number
            for number, (flat, sight) in enumerate(zip(self.flat, self.sights, strict=True))
            if sight.paired and sight.middle < _THIN * flat.width
        }
        found, new = set(seeds), deque(sorted(seeds))
        beside = self.neighbours(range(len(self.flat)))
        while new:
            here = new.popleft()
            thick = self.sights[here].middle
            near = [face for face, edge in beside[here] if not self.crossings[edge].folded]
            seen = self.sights[here].faces[self.sights[here].good]
            near += [int(face) for face in np.unique(seen)]
            for face in near:
                other = self.sights[face]
                alike = abs(other.middle - thick) < _ALIKE * thick
                if face not in found and other.paired and alike:
                    found.add(face)
                    new.append(face)
        return found

    def groups(self, faces: Iterable[int], apart: bool) -> list[tuple[int, ...]]:
        """Sides that hang together, ``apart`` where they meet in an inner sharp edge."""
        beside = self.neighbours(faces)
        left, found = set(beside), []
        while left:
            start = min(left)
            group, new = {start}, [start]
            while new:
                for face, edge in beside[new.pop()]:
                    crossing = self.crossings[edge]
                    if face in group or (apart and crossing.folded and crossing.inner):
                        continue
                    group.add(face)
                    new.append(face)
            left -= group
            found.append(tuple(sorted(group)))
        return found

    def area(self, faces: Iterable[int]) -> float:
        """Area of some faces (m²)."""
        return sum(self.solid.faces[face].area for face in faces)

    def blends(self, group: Sequence[int]) -> tuple[int, ...]:
        """Faces no side that lead smoothly from one of a group to another of it."""
        some = set(group)
        counts: dict[int, int] = {}
        for crossing in self.crossings.values():
            if crossing.folded:
                continue
            for here, there in (crossing.faces, crossing.faces[::-1]):
                if here in some and there not in self.sides:
                    counts[there] = counts.get(there, 0) + 1
        return tuple(sorted(face for face, count in counts.items() if count > 1))

    def thickness(self, face: int, near: float) -> Thickness:
        """The wall under a face; that of its neighbours where it sees no other side itself."""
        sight, flat = self.sights[face], self.flat[face]
        middle = sight.middle if sight.paired else near
        fair = _fair(sight, middle)
        if not fair.any():
            return Thickness(middle, middle, middle)
        values = sight.away[fair]
        mean = float(np.median(values))
        if float(np.ptp(values)) < _EVEN * mean:
            return Thickness(mean, mean, mean)
        # It changes: many more places tell how.
        places = flat.grid(_CLOSE)
        sight = self._sight(flat, places)
        fair = _fair(sight, middle)
        values, places = sight.away[fair], places[fair]
        low, high, mean = float(values.min()), float(values.max()), float(values.mean())
        terms = _terms(places)
        for count in (3, 6):
            law = np.zeros(6)
            law[:count] = np.linalg.lstsq(terms[:, :count], values)[0]
            if np.abs(terms @ law - values).max() < _FITTED * mean:
                rims = _terms(np.concatenate(flat.rims)) @ law
                return Thickness(float(rims.min()), float(rims.max()), mean, law)
        return Thickness(low, high, mean, told=True)


def _fair(sight: Sight, middle: float) -> NDArray[np.bool_]:
    """Which shots came out on the other side of the wall, and not somewhere else."""
    near = (sight.away > _WILD[0] * middle) & (sight.away < _WILD[1] * middle)
    return np.asarray(sight.good & near)


def find_walls(solid: Solid) -> tuple[Walls, tuple[SkinPiece, ...]]:
    """The skins of a body, largest first; raises `CadFileError` where it is not thin."""
    walls = Walls(solid)
    if not solid.closed:
        unknown = Thickness(math.nan, math.nan, math.nan)
        groups = walls.groups(range(len(solid.faces)), apart=False)
        return walls, tuple(SkinPiece(group, dict.fromkeys(group, unknown)) for group in groups)
    sides = walls.sides
    if not sides:
        raise CadFileError(_not_thin(walls))
    groups = walls.groups(sides, apart=False)
    if not _two_sided(walls, groups):
        groups = walls.groups(sides, apart=True)
    chosen = _covering(walls, groups)
    faces = sorted({face for group in chosen for face in (*group, *walls.blends(group))})
    pieces = []
    for group in walls.groups(faces, apart=False):
        known = [walls.sights[face].middle for face in group if face in sides]
        near = float(np.median(known))
        pieces.append(SkinPiece(group, {face: walls.thickness(face, near) for face in group}))
    for piece in pieces:
        thick = max(each.mean for each in piece.thickness.values())
        if thick > _SLENDER * math.sqrt(walls.area(piece.faces)):
            raise CadFileError(_not_thin(walls))
    return walls, tuple(sorted(pieces, key=lambda piece: -walls.area(piece.faces)))


def _two_sided(walls: Walls, groups: Sequence[Sequence[int]]) -> bool:
    """Whether every group can be told to be on one of two sides, opposite to those it sees."""
    group_of = {face: number for number, group in enumerate(groups) for face in group}
    links: dict[int, set[int]] = {number: set() for number in range(len(groups))}
    for face, here in group_of.items():
        sight = walls.sights[face]
        for seen in np.unique(sight.faces[sight.good]).tolist():
            # A face at the end of a web is seen through all of it, and does not count.
            among = sight.good & (sight.faces == seen)
            if seen in group_of and np.median(sight.away[among]) < _WILD[1] * sight.middle:
                links[here].add(group_of[seen])
                links[group_of[seen]].add(here)
    side: dict[int, int] = {}
    for start in links:
        if start in side:
            continue
        side[start], new = 0, [start]
        while new:
            here = new.pop()
            for there in links[here]:
                if there not in side:
                    side[there] = 1 - side[here]
                    new.append(there)
                elif side[there] == side[here]:
                    return False
    return True


def _covering(walls: Walls, groups: Sequence[tuple[int, ...]]) -> list[tuple[int, ...]]:
    """Groups that cover all walls once, the largest first."""
    chosen: list[tuple[int, ...]] = []
    taken: set[int] = set()
    for group in sorted(groups, key=lambda each: (-round(walls.area(each), 12), each)):
        covered = sum(
            walls.solid.faces[face].area
            for face in group
            if _seen_from(walls.sights[face], taken) > _PAIRED
        )
        if covered < _PAIRED * walls.area(group):
            chosen.append(group)
            taken |= set(group)
    return chosen


def _seen_from(sight: Sight, taken: set[int]) -> float:
    """The share of what a face sees that is among some faces."""
    seen = sight.faces[sight.good]
    return float(np.mean([face in taken for face in seen.tolist()])) if len(seen) else 0.0


def _into(solid: Solid, face: int, use: EdgeUse, middle: Array) -> Array:
    """The direction from an edge into a face, along the face."""
    step = 1e-4 * (use.span[1] - use.span[0])
    places = use.at(np.array([middle[0] - step, middle[0] + step]))
    points = solid.faces[face].at(places)
    along = (points[1] - points[0]) * (1.0 if use.forward else -1.0)
    own = solid.faces[face]
    natural = own.normals(use.at(middle))[0] * own.outward
    into = cross(natural, along)
    return np.asarray(into / max(float(np.linalg.norm(into)), 1e-300))


def _terms(flat: Array) -> Array:
    x, y = flat.T
    return np.column_stack([np.ones_like(x), x, y, x * x, x * y, y * y])


def _not_thin(walls: Walls) -> str:
    """Say where a body is thick."""
    solid = walls.solid
    sights = [(sight.middle, number) for number, sight in enumerate(walls.sights) if sight.paired]
    if not sights:
        return f"{solid.name} has no walls: none of its faces has another side opposite"
    # Of the largest faces the one with the nearest other side.
    largest = max(face.area for face in solid.faces)
    thick, number = min(
        (each for each in sights if solid.faces[each[1]].area > 0.3 * largest),
        default=min(sights),
    )
    flat = walls.flat[number]
    place = flat.at(flat.places[len(flat.places) // 2][None])[0] * 1e3
    where = ", ".join(f"{each:.4g}" for each in place + 0.0)
    return (
        f"{solid.name} is not thin: at ({where}) mm it is {thick * 1e3:.4g} mm thick, on a face "
        f"{flat.width * 1e3:.4g} mm wide; walls are thinner than a fifth of their extent"
    )
