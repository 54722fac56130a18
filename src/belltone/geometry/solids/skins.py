"""Received skins: the outer faces of a body's walls, cut into pieces, with all they are known by.

What is kept is plain numbers, so the CAD kernel is needed once for a file. A skin becomes a middle
surface when thicknesses are known: half of it inwards, and where two walls meet in a sharp edge to
the line both middle surfaces share.
"""

from __future__ import annotations

import itertools
import json
import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.curved_quads import edge_key
from belltone.geometry.skins import INVERSE, NODES, ORDER, Skin, coefficients
from belltone.geometry.solids.cutting import CutSkin, cut_skin
from belltone.geometry.solids.kernel import BodyEdge
from belltone.geometry.solids.walls import SkinPiece, Walls
from belltone.vectors import cross

__all__ = ["FeatureNote", "FlatHole", "ReceivedSkin", "received_skin"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]
Pairs = tuple[tuple[int, int], ...]

_CORNER: Final = math.cos(math.radians(30.0))  # a rim that turns by more has a corner there
_ROUND: Final = 1e-4  # of a radius; a rim so near to a circle is one
_FLAT: Final = 1e-7  # between normals of a flat face
_BRIDGE: Final = 0.45  # of the room; further, places would overtake each other
_LEAST: Final = 0.2  # of a radius; a hole made narrower is better left out
_ALIKE: Final = 0.15  # singular value below which two normals are one
_SIDES: Final = ((0, slice(None)), (slice(None), -1), (-1, slice(None)), (slice(None), 0))
_ENDS: Final = ((0, 1), (1, 2), (3, 2), (0, 3))  # vertices of the sides above, as they run


@dataclass(frozen=True)
class FeatureNote:
    """What a site is known by: its sort, size (m or m²), middle (m), and what else is said."""

    sort: str
    size: float
    centre: tuple[float, float, float]
    words: str = ""


@dataclass(frozen=True, eq=False)
class ReceivedSkin:
    """A skin as read: reference faces, outward normals, measured thickness (m), at nodes of pieces.

    ``places`` and ``normals`` (pieces, v, u, 3), ``thickness`` (pieces, v, u), not a number where a
    file holds faces without thickness: these are middle surfaces then. ``regions`` (pieces,) counts
    into ``names``; ``body`` and ``piece`` say where in the file it is.
    """

    body: int
    piece: int
    places: Array
    normals: Array
    thickness: Array
    vertices: IntArray
    regions: IntArray
    names: tuple[str, ...]
    edges: Mapping[str, Pairs]
    folds: frozenset[tuple[int, int]]
    notes: Mapping[str, FeatureNote]
    uneven: tuple[str, ...]

    @property
    def measured(self) -> bool:
        """Whether the file holds thicknesses."""
        return bool(np.isfinite(self.thickness).all())

    def thicknesses(self, region: int) -> tuple[float, float]:
        """The least and the greatest measured under a region (m)."""
        own = self.thickness[self.regions == region]
        return float(own.min()), float(own.max())

    def volume(self) -> float:
        """Volume of the walls as measured (m³); not a number where nothing was."""
        places = self.places + (self._inwards(self.thickness) if self.measured else 0.0)
        return _area(places, self.thickness)

    def hole(self, name: str) -> FlatHole | None:
        """A round hole in a flat face, or ``None`` where an edge is none."""
        if not name.startswith("hole") or name not in self.edges:
            return None
        rim = {edge_key(*pair) for pair in self.edges[name]}
        beside = [
            piece
            for piece, ring in enumerate(self.vertices.tolist())
            if any(edge_key(ring[a], ring[b]) in rim for a, b in _ENDS)
        ]
        regions = set(self.regions[beside].tolist())
        if len(regions) != 1:
            return None
        pieces = np.flatnonzero(self.regions == regions.pop())
        normal = self.normals[beside[0], 0, 0]
        if np.abs(self.normals[pieces] - normal).max() > _FLAT:
            return None
        lines = [
            self.places[(piece, *_SIDES[side])]
            for piece in pieces
            for side, (a, b) in enumerate(_ENDS)
            if edge_key(*self.vertices[piece][[a, b]].tolist()) in rim
        ]
        centre = np.array(self.notes[name].centre)
        away = np.linalg.norm(np.concatenate(lines) - centre, axis=1)
        radius = float(away.mean())
        if np.ptp(away) > _ROUND * radius:
            return None
        return FlatHole(pieces, centre, radius, self._room(name, pieces, centre, radius))

    def _room(self, name: str, pieces: IntArray, centre: Array, radius: float) -> float:
        """How far the rim of a hole may move before it meets another rim of its face (m)."""
        inner: dict[tuple[int, int], list[tuple[int, int]]] = {}
        for piece in pieces.tolist():
            ring = self.vertices[piece].tolist()
            for side, (a, b) in enumerate(_ENDS):
                inner.setdefault(edge_key(ring[a], ring[b]), []).append((piece, side))
        own = {edge_key(*pair) for pair in self.edges[name]}
        rims = [
            self.places[(both[0][0], *_SIDES[both[0][1]])]
            for key, both in inner.items()
            if len(both) == 1 and key not in own
        ]
        away = np.linalg.norm(np.concatenate(rims) - centre, axis=1) if rims else np.array([np.inf])
        return min(float(away.min()) - radius, 4 * radius)

    def with_holes(self, diameters: Mapping[str, float]) -> ReceivedSkin:
        """The skin with round holes of flat faces as wide as stated (m).

        Within the face places move along rays from the hole's middle, less and less up to the next
        rim; the face stays flat, and the new rim is a circle as the old one was.
        """
        places = self.places.copy()
        for name, diameter in diameters.items():
            hole = self.hole(name)
            assert hole is not None
            arms = places[hole.pieces] - hole.centre
            away = np.linalg.norm(arms, axis=-1, keepdims=True)
            share = np.clip((away - hole.radius) / hole.room, 0.0, 1.0)
            moved = (0.5 * diameter - hole.radius) * (1 - share) ** 2
            places[hole.pieces] += arms / away * moved
        return replace(self, places=places)

    def middle(self, stated: Mapping[str, float] | float | None = None) -> tuple[Skin, Array]:
        """The middle surface for thicknesses (m), for all or by region; measured where none is.

        The second value is the thickness at the nodes of the pieces.
        """
        thick = self.thickness.copy()
        if isinstance(stated, float):
            thick[:] = stated
        elif stated is not None:
            for name, value in stated.items():
                thick[self.regions == self.names.index(name)] = value
        places = self.places
        if self.measured:
            places = places + self._inwards(thick)
        low, high = float(thick.min()), float(thick.max())
        even = high - low <= 1e-9 * high
        shares = None if even else coefficients((thick - low) / (high - low))
        surface = coefficients(places)
        skin = Skin(
            surface, shares, self.vertices, self.regions, self.names, self.edges, self.folds,
            _area(places),
        )  # fmt: skip
        return skin, thick

    @cached_property
    def _beside(self) -> list[tuple[int, int, int, int, bool]]:
        """Sides of pieces on folds: (piece, side, other piece, its side, run the other way)."""
        sides: dict[tuple[int, int], list[tuple[int, int, bool]]] = {}
        for piece, ring in enumerate(self.vertices.tolist()):
            for side, (a, b) in enumerate(_ENDS):
                key = edge_key(ring[a], ring[b])
                if key in self.folds:
                    sides.setdefault(key, []).append((piece, side, ring[a] > ring[b]))
        return [
            (one[0], one[1], two[0], two[1], one[2] != two[2])
            for both in sides.values()
            for one, two in itertools.permutations(both, 2)
        ]

    def _inwards(self, thick: Array) -> Array:
        """From the outer faces to the middle surface, ``(pieces, v, u, 3)``."""
        own = -0.5 * thick[..., None] * self.normals
        if not self.folds:
            return own
        lines = np.stack([own[(slice(None), *side)] for side in _SIDES], axis=1)
        for piece, side, other, its, backwards in self._beside:
            normals = [self.normals[(at, *_SIDES[on])] for at, on in ((piece, side), (other, its))]
            halves = [0.5 * thick[(at, *_SIDES[on])] for at, on in ((piece, side), (other, its))]
            if backwards:
                normals[1], halves[1] = normals[1][::-1], halves[1][::-1]
            cosine = np.sum(normals[0] * normals[1], axis=1)
            left = 1 - cosine**2
            one, two = ((cosine * halves[1 - k] - halves[k]) / left for k in (0, 1))
            lines[piece, side] = one[:, None] * normals[0] + two[:, None] * normals[1]
        corners = self._corners(thick)
        share = NODES[:, None]
        for side, ends in enumerate(_ENDS):
            low, high = (corners[self.vertices[:, end]] for end in ends)
            lines[:, side] += (low - lines[:, side, 0])[:, None] * (1 - share)
            lines[:, side] += (high - lines[:, side, -1])[:, None] * share
        return own + _blended(
            lines - np.stack([own[(slice(None), *side)] for side in _SIDES], axis=1)
        )

    def _corners(self, thick: Array) -> Array:
        """How vertices move inwards: the least move that suits all walls that meet there."""
        at = ((0, 0), (0, -1), (-1, -1), (-1, 0))
        normals = np.stack([self.normals[:, j, i] for j, i in at], axis=1).reshape(-1, 3)
        halves = 0.5 * np.stack([thick[:, j, i] for j, i in at], axis=1).ravel()
        flat = self.vertices.ravel()
        moves = np.zeros((int(flat.max()) + 1, 3))
        for vertex in np.unique(flat):
            here = flat == vertex
            moves[vertex] = np.linalg.lstsq(normals[here], -halves[here], rcond=_ALIKE)[0]
        return moves

    # -- kept on disk ---------------------------------------------------------------------------

    def packed(self) -> dict[str, Any]:
        """All of it as arrays and one text."""
        rest = {
            "body": self.body,
            "piece": self.piece,
            "names": self.names,
            "edges": {name: list(chain) for name, chain in self.edges.items()},
            "folds": sorted(self.folds),
            "notes": {
                name: [note.sort, note.size, note.centre, note.words]
                for name, note in self.notes.items()
            },
            "uneven": self.uneven,
        }
        return {
            "places": self.places,
            "normals": self.normals,
            "thickness": self.thickness,
            "vertices": self.vertices,
            "regions": self.regions,
            "rest": np.array(json.dumps(rest)),
        }

    @classmethod
    def unpacked(cls, data: Mapping[str, Any]) -> ReceivedSkin:
        """The skin that was packed."""
        rest = json.loads(str(data["rest"]))
        return cls(
            rest["body"],
            rest["piece"],
            data["places"],
            data["normals"],
            data["thickness"],
            data["vertices"],
            data["regions"],
            tuple(rest["names"]),
            {name: tuple((a, b) for a, b in chain) for name, chain in rest["edges"].items()},
            frozenset((a, b) for a, b in rest["folds"]),
            {
                name: FeatureNote(sort, size, tuple(centre), words)
                for name, (sort, size, centre, words) in rest["notes"].items()
            },
            tuple(rest["uneven"]),
        )


@dataclass(frozen=True, eq=False)
class FlatHole:
    """A round hole in a flat face: the face's pieces, centre, radius, and room round it (m)."""

    pieces: IntArray
    centre: Array
    radius: float
    room: float

    @property
    def widest(self) -> float:
        """The greatest diameter that leaves a bridge to the next rim (m)."""
        return 2 * (self.radius + _BRIDGE * self.room)

    @property
    def narrowest(self) -> float:
        """The least diameter (m)."""
        return 2 * _LEAST * self.radius


def received_skin(walls: Walls, found: SkinPiece, body: int, piece: int) -> ReceivedSkin:
    """Cut one skin of a body and give everything on it a name; raises ``CadFileError``."""
    cut = cut_skin(walls, found.faces)
    u, v = (axis.ravel() for axis in np.meshgrid(NODES, NODES))
    form = (ORDER + 1, ORDER + 1)
    places, normals, thickness = [], [], []
    for cell in cut.cells:
        flat = walls.flat[cell.face]
        there = cell.chart(u, v)
        places.append(flat.at(there).reshape(*form, 3))
        normals.append(flat.normals(there).reshape(*form, 3))
        thickness.append(found.thickness[cell.face].at(there).reshape(form))
    order = sorted(
        found.faces,
        key=lambda face: (-round(walls.solid.faces[face].area, 12), *_middle(walls, face)),
    )
    names = tuple(f"face {number}" for number in range(1, len(order) + 1))
    namer = _Namer(walls, found.faces, cut)
    notes = {
        name: FeatureNote("face", walls.solid.faces[face].area, _middle(walls, face))
        for name, face in zip(names, order, strict=True)
    }
    return ReceivedSkin(
        body,
        piece,
        np.array(places),
        np.array(normals),
        np.array(thickness),
        np.array([cell.vertices for cell in cut.cells], np.intp),
        np.array([order.index(cell.face) for cell in cut.cells], np.intp),
        names,
        namer.edges,
        namer.folds,
        notes | namer.notes,
        tuple(name for name, face in zip(names, order, strict=True) if found.thickness[face].told),
    )


class _Namer:
    """Names for the edges of a skin: outlines, holes, edges between corners, folds."""

    def __init__(self, walls: Walls, faces: Sequence[int], cut: CutSkin) -> None:
        self.edges: dict[str, Pairs] = {}
        self.notes: dict[str, FeatureNote] = {}
        self._solid = walls.solid
        self._cut = cut
        uses: dict[int, list[int]] = {}
        inner: set[int] = set()
        for face in faces:
            for place, loop in enumerate(walls.flat[face].loops):
                for use in loop:
                    uses.setdefault(use.edge, []).append(face)
                    if place > 0:
                        inner.add(use.edge)
        free = [edge for edge, own in uses.items() if len(own) == 1]
        folded = [
            edge
            for edge, own in uses.items()
            if len(own) == 2 and edge in walls.crossings and walls.crossings[edge].folded
        ]
        self.folds = frozenset(edge_key(a, b) for edge in folded for a, b in cut.rims[edge])
        loops = self._chains(free, corners=False)
        self._name("hole", [loop for loop in loops if set(loop) <= inner])
        rims = [loop for loop in loops if not set(loop) <= inner]
        self._name("rim", rims)
        runs = [run for rim in rims for run in self._chains(rim, corners=True)]
        self._name("edge", [run for run in runs if sorted(run) not in map(sorted, rims)])
        self._name("fold", self._chains(folded, corners=True))

    def _name(self, sort: str, chains: Iterable[Sequence[int]]) -> None:
        def known(chain: Sequence[int]) -> tuple[float, tuple[float, float, float]]:
            own = [self._solid.edges[edge] for edge in chain]
            size = sum(edge.length for edge in own)
            middle = sum(edge.length * _steps(edge).mean(axis=0) for edge in own)
            x, y, z = (np.asarray(middle) / size).tolist()
            return size, (x, y, z)

        ordered = sorted(
            ((*known(chain), chain) for chain in chains),
            key=lambda each: (-round(each[0], 9), [round(value, 9) for value in each[1]]),
        )
        for number, (size, centre, chain) in enumerate(ordered, start=1):
            name = f"{sort} {number}"
            self.edges[name] = tuple(pair for edge in chain for pair in self._cut.rims[edge])
            self.notes[name] = FeatureNote("edge", size, centre, self._round(chain, centre))

    def _round(self, chain: Sequence[int], centre: tuple[float, float, float]) -> str:
        own = [self._solid.edges[each] for each in chain]
        points = np.concatenate([edge.at(edge.breaks(16)) for edge in own])
        away = np.linalg.norm(points - centre, axis=1)
        if np.ptp(away) < _ROUND * away.mean():
            return f"round, {2e3 * float(away.mean()):.6g} mm"
        return ""

    def _chains(self, edges: Sequence[int], corners: bool) -> list[list[int]]:
        """Edges that hang together, apart at ``corners`` and where more than two meet."""
        left = dict.fromkeys(edges)
        at: dict[int, list[int]] = {}
        for edge in edges:
            for end in set(self._solid.edges[edge].ends):
                at.setdefault(end, []).append(edge)
        found = []
        while left:
            start = next(iter(left))
            del left[start]
            chain, new = [start], [start]
            while new:
                here = new.pop()
                for end in set(self._solid.edges[here].ends):
                    if len(at[end]) != 2 and corners:
                        continue
                    for there in at[end]:
                        if there in left and not (corners and self._corner(here, there, end)):
                            del left[there]
                            chain.append(there)
                            new.append(there)
            found.append(chain)
        return found

    def _corner(self, one: int, two: int, end: int) -> bool:
        ways = []
        for number in (one, two):
            edge = self._solid.edges[number]
            points = edge.at(edge.breaks(64))
            ways.append(points[1] - points[0] if edge.ends[0] == end else points[-2] - points[-1])
        size = float(np.linalg.norm(ways[0]) * np.linalg.norm(ways[1]))
        return -float(ways[0] @ ways[1]) < _CORNER * size


def _steps(edge: BodyEdge) -> Array:
    """Middles of even steps along an edge."""
    points = edge.at(edge.breaks(16))
    return np.asarray(0.5 * (points[1:] + points[:-1]))


def _middle(walls: Walls, face: int) -> tuple[float, float, float]:
    flat = walls.flat[face]
    x, y, z = flat.at(flat.places).mean(axis=0).tolist()
    return round(x, 9), round(y, 9), round(z, 9)


def _blended(lines: Array) -> Array:
    """Moves of the four sides ``(pieces, 4, n, 3)`` blended over the pieces (S. A. Coons 1967)."""
    south, east, north, west = (lines[:, side] for side in range(4))
    u, v = NODES[None, None, :, None], NODES[None, :, None, None]
    sides = (1 - v) * south[:, None] + v * north[:, None]
    sides = sides + (1 - u) * west[:, :, None] + u * east[:, :, None]
    twist = (1 - u) * (1 - v) * south[:, :1, None] + u * (1 - v) * south[:, -1:, None]
    twist = twist + (1 - u) * v * north[:, :1, None] + u * v * north[:, -1:, None]
    return np.asarray(sides - twist)


def _area(places: Array, times: Array | float = 1.0) -> float:
    """Area of pieces given at `NODES` (m²), ``times`` something there.

    The product of both slopes has twice their degree, so it is looked at in as many places as make
    the sum exact where a piece is flat.
    """
    at, weights = np.polynomial.legendre.leggauss(ORDER + 1)
    basis = np.polynomial.chebyshev
    slope = 2 * basis.chebvander(at, ORDER - 1) @ basis.chebder(np.eye(ORDER + 1), axis=0) @ INVERSE
    value = basis.chebvander(at, ORDER) @ INVERSE
    first = np.einsum("ij,lv,pvjd->plid", slope, value, places, optimize=True)
    second = np.einsum("ij,lv,pjvd->pild", slope, value, places, optimize=True)
    size = np.linalg.norm(cross(first, second), axis=-1)
    if isinstance(times, np.ndarray):
        times = np.einsum("iu,lv,pvu->pli", value, value, times, optimize=True)
    return float(np.einsum("i,j,pij->", 0.5 * weights, 0.5 * weights, size * times))
