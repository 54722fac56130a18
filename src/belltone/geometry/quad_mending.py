"""Quadrilaterals mended where one is folded or nearly shut: edges turned, faces closed or opened.

Each move changes a few neighbours and is kept where, points moved to the best places round about,
their corners are further open (S. A. Canann, S. N. Muthukrishnan, R. K. Phillips, "Topological
improvement procedures for quadrilateral finite element meshes", Eng. Comput. 14 (1998) 168-177).
"""

from __future__ import annotations

from collections.abc import Container, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = ["Face", "corner_sines", "mended"]

Array = NDArray[np.float64]
Edge = tuple[int, int]
Face = tuple[int, int, int, int]

_OPEN: Final = 0.32  # least sine of a face that is left as it is
_WISHED: Final = 0.4  # sine of an angle; what is further open is as good
_STEEP: Final = 0.1  # of a sine; so near to shut a corner counts most
_SHUT: Final = 0.15  # sine of a face that may be opened, which costs one more
_SECTOR: Final = 3  # faces that a point may be parted from
_BETTER: Final = 0.05  # of the cost; a move that brings less is not made
_NUDGE: Final = 1e-3  # of a sine; less is not worth moving a point
_MOVES: Final = 60
_MOST_SHUT: Final = 20  # faces; where more are shut, all have to be smaller
_ASTRAY: Final = 2.0  # by so much may the cost rise where nothing brings it down
_MOST_ASTRAY: Final = 12
_ROUNDS: Final = 8  # of moving all points
_ROUNDS_NEAR: Final = 4  # of moving those beside a move
_TURNS: Final = np.arange(8) * (np.pi / 4)
_AROUND: Final = np.column_stack([np.cos(_TURNS), np.sin(_TURNS)])
_TO_MIDDLE: Final = np.array([[1.0], [0.5], [0.25]])  # of the way to the middle of the neighbours
_STEPS: Final = (0.3, 0.1, 0.03)  # of the distance of the neighbours


def mended(
    points: Array,
    faces: Sequence[Face],
    fixed: int,
    kept: Container[Edge] = (),
    bulges: Mapping[Edge, Array] | None = None,
) -> tuple[Array, list[Face]]:
    """Points ``(n, 2)`` and counter-clockwise faces that are as far open as moves bring them.

    The first ``fixed`` points stay where they are, the others may move, go, or be added; ``kept``
    edges, in both directions, stay. ``bulges`` tells by how much edges (in the direction of their
    face) are curved to the left (m, 2).
    """
    mesh = _Mesh(points, faces, fixed, kept, bulges or {})
    mesh.ease(range(fixed, len(points)), _ROUNDS)
    if sum(mesh.is_shut(number) for number in mesh.faces) > _MOST_SHUT:
        return mesh.numbered()
    left_alone: set[int] = set()
    seen = {mesh.state}
    astray = 0
    for _ in range(_MOVES):
        worst = mesh.worst(left_alone)
        if worst is None:
            break
        better = _best(mesh, worst, _BETTER, seen)
        if better is None and mesh.is_shut(worst):
            # What is shut may wander to where it can be mended.
            astray += 1
            better = _best(mesh, worst, -_ASTRAY, seen) if astray <= _MOST_ASTRAY else None
            if better is None:
                break
        if better is None:
            left_alone.add(worst)
            continue
        mesh.make(better.move)
        mesh.points = better.points
        seen.add(mesh.state)
        left_alone -= mesh.beside(mesh.corners_of(better.move.new))
    mesh.ease(range(fixed, len(mesh.points)), _ROUNDS)
    return mesh.numbered()


def corner_sines(corners: Array) -> Array:
    """Sines ``(..., n)`` of the angles of faces ``(..., n, 2)``; negative where re-entrant."""
    after = np.concatenate([corners[..., 1:, :], corners[..., :1, :]], axis=-2) - corners
    before = np.concatenate([after[..., -1:, :], after[..., :-1, :]], axis=-2)
    turns = before[..., 0] * after[..., 1] - before[..., 1] * after[..., 0]
    size = np.sqrt(np.sum(before**2, axis=-1) * np.sum(after**2, axis=-1))
    return np.asarray(turns / np.maximum(size, 1e-300))


@dataclass(frozen=True)
class _Move:
    """Faces that go and those that come, by number, and a point that is put or added."""

    gone: tuple[int, ...]
    new: dict[int, Face]
    point: tuple[int, Array] | None = None


@dataclass(frozen=True, eq=False)
class _Better:
    """A move, the points after it, and by how much the cost falls."""

    move: _Move
    points: Array
    state: frozenset[Face]
    gain: float


class _Mesh:
    """Faces by number, and the faces at each point."""

    def __init__(
        self,
        points: Array,
        faces: Sequence[Face],
        fixed: int,
        kept: Container[Edge],
        bulges: Mapping[Edge, Array],
    ) -> None:
        self.points = points.copy()
        self.fixed, self.kept = fixed, kept
        self.faces: dict[int, Face] = {}
        self.at: dict[int, set[int]] = {}
        self._bulges = bulges
        self._put(dict(enumerate(faces)))

    def _put(self, faces: Mapping[int, Face]) -> None:
        for number, face in faces.items():
            self.faces[number] = face
            for point in face:
                self.at.setdefault(point, set()).add(number)

    def _take(self, numbers: Iterable[int]) -> dict[int, Face]:
        taken = {number: self.faces.pop(number) for number in numbers}
        for number, face in taken.items():
            for point in face:
                self.at[point].discard(number)
        return taken

    def make(self, move: _Move) -> _Move:
        """Make a move; returns the one that takes it back (points are left to the caller)."""
        before = self._take(move.gone)
        self._put(move.new)
        return _Move(tuple(move.new), before)

    @property
    def state(self) -> frozenset[Face]:
        """Which faces there are."""
        return frozenset(self.faces.values())

    def owner(self, start: int, stop: int) -> int | None:
        """The face that has an edge in this direction."""
        for number in self.at[start] & self.at[stop]:
            face = self.faces[number]
            if face[(face.index(start) + 1) % 4] == stop:
                return number
        return None

    def corners_of(self, numbers: Iterable[int]) -> set[int]:
        """The points of some faces."""
        return {point for number in numbers for point in self.faces[number]}

    def beside(self, points: Iterable[int]) -> set[int]:
        """The faces at some points."""
        return {number for point in points for number in self.at[point]}

    def worst(self, but: Container[int]) -> int | None:
        """The face nearest to shut of all but some; none where all are open."""
        numbers = [number for number in self.faces if number not in but]
        if not numbers:
            return None
        sines = corner_sines(self._corners([self.faces[each] for each in numbers])).min(axis=1)
        least = int(np.argmin(sines))
        return numbers[least] if sines[least] < _OPEN else None

    def is_shut(self, number: int) -> bool:
        """Whether a face is so near to shut that one more may be made beside it."""
        return float(corner_sines(self._corners([self.faces[number]])).min()) < _SHUT

    def cost(self, numbers: Iterable[int]) -> float:
        """How far from open the corners of faces are, the worst counting most."""
        sines = corner_sines(self._corners([self.faces[number] for number in sorted(numbers)]))
        short = np.maximum(0.0, _WISHED - sines) / (_STEEP + np.maximum(sines, 0.0))
        return float(np.sum(short**2))

    def ease(self, points: Iterable[int], rounds: int) -> None:
        """Move points to where the worst corner beside them is furthest open."""
        free = {point for point in points if point >= self.fixed and self.at.get(point)}
        around = sorted(self.beside(free))
        for _ in range(rounds if free else 0):
            sines = corner_sines(self._corners([self.faces[each] for each in around])).min(axis=1)
            narrow = [each for each, sine in zip(around, sines, strict=True) if sine < _WISHED]
            # A point whose faces are all open stays.
            moved = [
                point for point in sorted(free & self.corners_of(narrow)) if self._eased(point)
            ]
            if not moved:
                return

    def _eased(self, point: int) -> bool:
        faces = [self.faces[number] for number in sorted(self.at[point])]
        places = [face.index(point) for face in faces]
        near = sorted(
            {
                other
                for face, at in zip(faces, places, strict=True)
                for other in (face[at - 1], face[(at + 1) % 4])
            }
        )
        here, others = self.points[point].copy(), self.points[near]
        size = float(np.linalg.norm(others - here, axis=1).mean())
        tried = np.concatenate(
            [
                here[None],
                here + _TO_MIDDLE * (others.mean(axis=0) - here),
                *(here + step * size * _AROUND for step in _STEPS),
            ]
        )
        corners = np.repeat(self._corners(faces)[None], len(tried), axis=0)
        corners[:, np.arange(len(faces)), places] += (tried - here)[:, None]
        sines = corner_sines(corners).min(axis=(1, 2))
        best = int(np.argmax(sines))
        if sines[best] <= sines[0] + _NUDGE:
            return False
        self.points[point] = tried[best]
        return True

    def _corners(self, faces: Sequence[Face]) -> Array:
        """Corners ``(k, 4, 2)``, moved inwards with edges that are curved into the face."""
        corners: Array = self.points[np.array(faces)]
        for place, face in enumerate(faces):
            for at in range(4):
                bulge = self._bulges.get((face[at], face[(at + 1) % 4]))
                if bulge is not None:
                    corners[place, [at, (at + 1) % 4]] += bulge
        return corners

    def numbered(self) -> tuple[Array, list[Face]]:
        """The points there still are, the fixed ones first as they were, and the faces."""
        used = sorted({*range(self.fixed), *self.corners_of(self.faces)})
        number = {old: new for new, old in enumerate(used)}
        faces = [self.faces[each] for each in sorted(self.faces)]
        return self.points[used], [
            (number[a], number[b], number[c], number[d]) for a, b, c, d in faces
        ]


def _best(
    mesh: _Mesh, worst: int, least: float, seen: Container[frozenset[Face]]
) -> _Better | None:
    """The move at a face by which the cost falls most, and more than ``least``."""
    best: _Better | None = None
    for move in [
        *_merged(mesh, worst),
        *_turned(mesh, worst),
        *_closed(mesh, worst),
        *(_opened(mesh, worst) if mesh.is_shut(worst) else ()),
    ]:
        tried = _tried(mesh, move)
        if tried.gain > (least if best is None else best.gain) and tried.state not in seen:
            best = tried
    return best


def _tried(mesh: _Mesh, move: _Move) -> _Better:
    """What a move would bring; the mesh is as it was."""
    points, last = mesh.points, len(mesh.points)
    touched = mesh.corners_of(move.gone)
    around = mesh.beside(touched) | set(move.gone)
    free = mesh.corners_of(around)
    before = mesh.beside(free)
    cost = mesh.cost(before)
    back = mesh.make(move)
    mesh.points = points.copy()
    if move.point is not None:
        at, place = move.point
        mesh.points = np.concatenate([points, np.zeros((max(0, at + 1 - last), 2))])
        mesh.points[at] = place
        free = free | {at}
    mesh.ease(sorted(free), _ROUNDS_NEAR)
    after = mesh.cost({*(before & set(mesh.faces)), *move.new})
    found = _Better(move, mesh.points, mesh.state, cost - after)
    mesh.make(back)
    mesh.points = points
    return found


def _merged(mesh: _Mesh, number: int) -> Iterator[_Move]:
    """Two faces that share two edges made one, without the point between these."""
    for point in mesh.faces[number]:
        if point < mesh.fixed or len(mesh.at[point]) != 2:
            continue
        one, two = sorted(mesh.at[point])
        first, second = mesh.faces[one], mesh.faces[two]
        at = first.index(point)
        across = second[(second.index(point) + 2) % 4]
        a, b, c = (first[(at + step) % 4] for step in (1, 2, 3))
        if across != b:
            yield _Move((one, two), {one: (a, b, c, across)})


def _turned(mesh: _Mesh, number: int) -> Iterator[_Move]:
    """The edge between two faces led between two other corners of both."""
    face = mesh.faces[number]
    for at in range(4):
        a, b, c, d = (face[(at + step) % 4] for step in range(4))
        other = None if (a, b) in mesh.kept else mesh.owner(b, a)
        if other is None:
            continue
        beyond = mesh.faces[other]
        place = beyond.index(b)
        ring = (b, c, d, a, beyond[(place + 2) % 4], beyond[(place + 3) % 4])
        if len(set(ring)) < 6:
            continue
        for turn in (1, 2):
            p, q, r, s, t, u = ring[turn:] + ring[:turn]
            if mesh.owner(p, s) is None and mesh.owner(s, p) is None:
                yield _Move((number, other), {number: (p, q, r, s), other: (s, t, u, p)})


def _closed(mesh: _Mesh, number: int) -> Iterator[_Move]:
    """A face shut: two of its opposite corners become one."""
    face = mesh.faces[number]
    for one, two in ((face[0], face[2]), (face[1], face[3])):
        stays, goes = min(one, two), max(one, two)
        if goes < mesh.fixed or mesh.at[one] & mesh.at[two] != {number}:
            continue
        new = {
            each: _with(mesh.faces[each], goes, stays) for each in mesh.at[goes] if each != number
        }
        middle = 0.5 * (mesh.points[one] + mesh.points[two])
        point = None if stays < mesh.fixed else (stays, middle)
        yield _Move(tuple(sorted(mesh.at[goes])), new, point)


def _opened(mesh: _Mesh, number: int) -> Iterator[_Move]:
    """A corner parted in two, with a new face between that gives its neighbour one edge more."""
    face, fresh = mesh.faces[number], len(mesh.points)
    for at in range(4):
        for turn in (1, -1):
            beside, parted = face[at], face[(at + turn) % 4]
            end = face[(at + 2 * turn) % 4]
            sector = [number]
            while len(sector) <= _SECTOR and end != beside:
                if len(sector) >= len(mesh.at[parted]) and parted >= mesh.fixed:
                    break
                new = {each: _with(mesh.faces[each], parted, fresh) for each in sector}
                corners = (parted, end, fresh, beside)
                if turn < 0:
                    corners = (parted, beside, fresh, end)
                new[max(mesh.faces) + 1] = corners
                middle = np.mean([mesh.points[list(mesh.faces[each])] for each in sector], (0, 1))
                place = 0.5 * (middle + mesh.points[parted])
                yield _Move(tuple(sector), new, (fresh, place))
                if (parted, end) in mesh.kept:
                    break
                further = mesh.owner(end, parted) if turn > 0 else mesh.owner(parted, end)
                if further is None or further in sector:
                    break
                beyond = mesh.faces[further]
                end = beyond[(beyond.index(parted) + turn) % 4]
                sector.append(further)


def _with(face: Face, old: int, new: int) -> Face:
    a, b, c, d = (new if point == old else point for point in face)
    return a, b, c, d
