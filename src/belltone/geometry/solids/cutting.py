"""A skin cut into four-sided blocks that meet along whole edges, on the body's exact faces.

Each edge of the body is cut once, for both faces beside it. Faces with four edges become rows and
columns; others a strip along each rim and pairs of triangles between (`geometry.quads`). Where
triangles are left without a partner, everything is cut once more: triangles into three, the rest
into four.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.geometry.curved_quads import Curve, coons
from belltone.geometry.quads import Paired, pairs_between
from belltone.geometry.solids.flat import FlatFace
from belltone.geometry.solids.kernel import CadFileError, EdgeUse
from belltone.geometry.solids.walls import Walls
from belltone.geometry.triangles import OutlineError, piece_lengths

__all__ = ["Cell", "CutSkin", "cut_skin"]

Array = NDArray[np.float64]
Chart = Callable[[Array, Array], Array]
"""Places of a face's plane ``(n, 2)`` at shares of both sides of a cell."""

_CELLS: Final = 14.0  # aimed at over the whole skin, but for what holes and bends ask for
_CELLS_IN_ROWS: Final = 4.0  # where all faces have four edges
_TURN: Final = math.pi / 3  # the most an edge turns over one cell
_TURN_BETWEEN: Final = math.pi / 4  # where a strip runs along it
_FINER: Final = (1.0, 0.8, 0.6, 0.42, 0.3)
_STRIPS: Final = (0.25, 0.15, 0.1)  # of the spacing
_INNER: Final = (1.0, 0.8, 1.25)  # times the spacing, between the strips
_OPEN: Final = 0.1  # sine of the least angle between the coordinates of a cell
_SHARP: Final = math.cos(math.radians(30.0))  # edges that turn by more at a corner are two sides
_LOOKED_AT: Final = np.linspace(0.0, 1.0, 5)


@dataclass(frozen=True, eq=False)
class Cell:
    """Four vertices, counter-clockwise about the outward normal, and the map onto the plane."""

    face: int
    vertices: tuple[int, int, int, int]
    chart: Chart


@dataclass(frozen=True, eq=False)
class CutSkin:
    """All cells; ``rims`` are the pieces of each edge of the body, as pairs of vertices."""

    cells: tuple[Cell, ...]
    rims: Mapping[int, tuple[tuple[int, int], ...]]


def cut_skin(walls: Walls, faces: Sequence[int]) -> CutSkin:
    """Cut connected faces into cells; raises `CadFileError` where none are found."""
    plain = all(_sides(walls.flat[face]) is not None for face in faces)
    spacing = math.sqrt(walls.area(faces) / (_CELLS_IN_ROWS if plain else _CELLS))
    odd: set[int] = set()  # faces with four edges that rows and columns do not fit
    for finer, twice in itertools.product(_FINER, (False, True)):
        for _ in range(2):
            cutter = _Cutter(walls, tuple(faces), finer * spacing, twice, frozenset(odd))
            if cutter.cut():
                return CutSkin(tuple(cutter.cells), cutter.rims())
            if cutter.bent <= odd:
                break
            odd |= cutter.bent
    raise CadFileError(
        f"{walls.solid.name} has faces no mesh was found for: "
        f"{', '.join(str(face + 1) for face in cutter.failed)} of {len(walls.flat)}"
    )


@dataclass
class _Cutter:
    """One try at a spacing; ``twice`` cuts everything once more, so that triangles may stay.

    Rows and columns that fold are told as ``bent``; ``odd`` faces get none.
    """

    walls: Walls
    faces: tuple[int, ...]
    spacing: float
    twice: bool
    odd: frozenset[int] = frozenset()
    bent: set[int] = field(default_factory=set)
    cells: list[Cell] = field(default_factory=list)
    failed: list[int] = field(default_factory=list)
    count: int = 0
    pieces: dict[int, int] = field(default_factory=dict)
    marks: dict[int, tuple[list[int], Array]] = field(default_factory=dict)

    def cut(self) -> bool:
        """Whether cells were found for all faces."""
        flats = [self.walls.flat[face] for face in self.faces]
        four = [flat for flat in flats if self._in_rows(flat)]
        rest = [flat for flat in flats if not self._in_rows(flat)]
        self._count_edges(flats, four, rest)
        self._mark_edges()
        for flat in four:
            if not self._rows(flat):
                self.failed.append(flat.face.number)
                self.bent.add(flat.face.number)
        for flat in rest:
            if not self._between(flat):
                self.failed.append(flat.face.number)
        return not self.failed

    def _in_rows(self, flat: FlatFace) -> bool:
        return flat.face.number not in self.odd and _sides(flat) is not None

    def rims(self) -> dict[int, tuple[tuple[int, int], ...]]:
        """Pieces of each edge, as pairs of vertices."""
        return {
            edge: tuple(itertools.pairwise(numbers)) for edge, (numbers, _) in self.marks.items()
        }

    # -- edges ----------------------------------------------------------------------------------

    def _count_edges(
        self, flats: Sequence[FlatFace], four: Sequence[FlatFace], rest: Sequence[FlatFace]
    ) -> None:
        """Choose how many pieces each edge gives, alike on opposite sides of rows and columns."""
        edges = self.walls.solid.edges
        leader = {use.edge: use.edge for flat in flats for loop in flat.loops for use in loop}

        def first(edge: int) -> int:
            while leader[edge] != edge:
                edge = leader[edge]
            return edge

        for flat in four:
            sides = _sides(flat)
            assert sides is not None
            for one, two in ((0, 2), (1, 3)):
                leader[first(sides[one].edge)] = first(sides[two].edge)
        wished: dict[int, int] = {}
        room = self._room(flats)
        among = {use.edge for flat in rest for loop in flat.loops for use in loop}
        for edge in leader:
            turn = _TURN_BETWEEN if edge in among else _TURN
            own = edges[edge]
            least = math.ceil(own.turned / turn - 0.05)
            closed = 4 if own.ends[0] == own.ends[1] else 1
            count = max(closed, least, round(own.length / min(self.spacing, room[edge])))
            if self.twice:
                count = max(closed, math.ceil(own.turned / _TURN - 0.05), math.ceil(count / 2))
            wished[first(edge)] = max(wished.get(first(edge), 1), count)
        if not self.twice:
            self._make_even(rest, first, wished)
        self.pieces = {edge: wished[first(edge)] for edge in leader}

    def _room(self, flats: Sequence[FlatFace]) -> dict[int, float]:
        """How long pieces of edges may be beside other rims that turn tightly (m)."""
        found: dict[int, float] = {}
        for flat in flats:
            uses = [use for loop in flat.loops for use in loop]
            lengths = piece_lengths([flat.to_flat(use.along(17)) for use in uses], _TURN_BETWEEN)
            for use, length in zip(uses, lengths, strict=True):
                found[use.edge] = min(found.get(use.edge, math.inf), length)
        return found

    @staticmethod
    def _make_even(
        rest: Sequence[FlatFace], first: Callable[[int], int], wished: dict[int, int]
    ) -> None:
        """One more piece here and there, so that no face has an odd number round it."""
        groups = sorted(wished)
        column = {group: place for place, group in enumerate(groups)}
        rows = np.zeros((len(rest), len(groups) + 1), np.int8)
        for row, flat in zip(rows, rest, strict=True):
            for loop in flat.loops:
                for use in loop:
                    row[column[first(use.edge)]] ^= 1
                    row[-1] ^= wished[first(use.edge)] % 2
        # Gauss elimination over even and odd; what stays free stays as it is.
        at = 0
        for place in range(len(groups)):
            pivot = next((n for n in range(at, len(rows)) if rows[n, place]), None)
            if pivot is None:
                continue
            rows[[at, pivot]] = rows[[pivot, at]]
            for n in range(len(rows)):
                if n != at and rows[n, place]:
                    rows[n] ^= rows[at]
            at += 1
        for row in rows[:at]:
            if row[-1]:
                wished[groups[int(np.argmax(row[:-1]))]] += 1

    def _mark_edges(self) -> None:
        """Number the vertices along all edges, and find their places."""
        corners: dict[int, int] = {}
        for edge, pieces in self.pieces.items():
            own = self.walls.solid.edges[edge]
            ends = []
            for vertex in own.ends:
                if vertex not in corners:
                    corners[vertex] = self._new()
                ends.append(corners[vertex])
            cut = pieces * (2 if self.twice else 1)
            inner = [self._new() for _ in range(cut - 1)]
            self.marks[edge] = ([ends[0], *inner, ends[1]], own.breaks(cut))

    def _new(self) -> int:
        self.count += 1
        return self.count - 1

    # -- faces ----------------------------------------------------------------------------------

    def _along(self, flat: FlatFace, use: EdgeUse, backwards: bool) -> _Side:
        """The vertices and curves of an edge as a rim runs."""
        numbers, parameters = self.marks[use.edge]
        turned = (not use.forward) != backwards
        if turned:
            numbers, parameters = numbers[::-1], parameters[::-1]
        return _Side(flat, use, list(numbers), parameters)

    def _rows(self, flat: FlatFace) -> bool:
        """Cut a face with four edges into rows and columns."""
        uses = _sides(flat)
        assert uses is not None
        backwards = _clockwise(flat, flat.loops[0])
        ordered = uses[::-1] if backwards else uses
        south, east, north, west = (self._along(flat, use, backwards) for use in ordered)
        north, west = north.reversed(), west.reversed()
        wide, high = len(south.numbers), len(west.numbers)
        if len(north.numbers) != wide or len(east.numbers) != high:
            return False
        numbers = np.full((high, wide), -1)
        numbers[0], numbers[-1] = south.numbers, north.numbers
        numbers[:, 0], numbers[:, -1] = west.numbers, east.numbers
        inner = [self._new() for _ in range((wide - 2) * (high - 2))]
        numbers[1:-1, 1:-1] = np.array(inner, int).reshape(high - 2, wide - 2)
        whole = coons(south.whole, east.whole, north.whole, west.whole)
        u, v = np.linspace(0, 1, wide), np.linspace(0, 1, high)
        cells = []
        for j in range(high - 1):
            for i in range(wide - 1):
                vertices = (
                    int(numbers[j, i]),
                    int(numbers[j, i + 1]),
                    int(numbers[j + 1, i + 1]),
                    int(numbers[j + 1, i]),
                )
                chart = _part(whole, (u[i], u[i + 1]), (v[j], v[j + 1]))
                cells.append(Cell(flat.face.number, vertices, chart))
        return self._keep(cells)

    def _between(self, flat: FlatFace) -> bool:
        """Cut any other face: strips along its rims, pairs of triangles between."""
        loops: list[list[_Side]] = []
        for loop in flat.loops:
            backwards = _clockwise(flat, loop)
            ordered = loop[::-1] if backwards else loop
            loops.append([self._along(flat, use, backwards) for use in ordered])
        step = 2 if self.twice else 1
        rims = [np.concatenate([side.places[:-1:step] for side in loop]) for loop in loops]
        spacing = step * self.spacing
        for strip in _STRIPS:
            for inner in _INNER:
                try:
                    found = pairs_between(
                        flat.rims, rims, inner * spacing, strip * spacing, graded=True
                    )
                except OutlineError:
                    continue
                if found is None or found.missing or (found.alone and not self.twice):
                    continue
                if self._keep(self._cells(flat, loops, found)):
                    return True
        return False

    def _cells(self, flat: FlatFace, loops: Sequence[Sequence[_Side]], found: Paired) -> list[Cell]:
        """Cells of quadrilaterals and lone triangles, cut once more where that is asked for.

        Corners are counted on the plane here: along a seam one vertex of the body is at two places.
        """
        step = 2 if self.twice else 1
        places = list(found.points)
        numbers = [n for loop in loops for side in loop for n in side.numbers[:-1:step]]
        numbers += [self._new() for _ in range(len(places) - len(numbers))]
        curves: dict[tuple[int, int], Curve] = {}
        halves: dict[tuple[int, int], int] = {}
        start = 0
        for loop in loops:
            count = sum((len(side.numbers) - 1) // step for side in loop)
            here = 0
            for side in loop:
                for k in range(0, len(side.numbers) - 1, step):
                    ends = start + here, start + (here + 1) % count
                    here += 1
                    curve = side.between(k, k + step)
                    curves[ends], curves[ends[::-1]] = curve, _piece(curve, 1.0, 0.0)
                    if self.twice:
                        halves[ends] = halves[ends[::-1]] = len(places)
                        places.append(side.places[k + 1])
                        numbers.append(side.numbers[k + 1])
            start += count
        shapes: list[Sequence[int]] = [*found.faces, *found.alone]
        if self.twice:
            shapes = self._halved(shapes, places, numbers, halves, curves)
        cells = []
        for a, b, c, d in shapes:
            sides = [
                curves.get((p, q)) or _straight(places[p], places[q])
                for p, q in ((a, b), (b, c), (d, c), (a, d))
            ]
            vertices = (numbers[a], numbers[b], numbers[c], numbers[d])
            cells.append(Cell(flat.face.number, vertices, coons(*sides)))
        return cells

    def _halved(
        self,
        shapes: Sequence[Sequence[int]],
        places: list[Array],
        numbers: list[int],
        halves: dict[tuple[int, int], int],
        curves: dict[tuple[int, int], Curve],
    ) -> list[Sequence[int]]:
        """Every shape cut at the middles of its edges and in its own middle."""

        def new(place: Array) -> int:
            places.append(place)
            numbers.append(self._new())
            return len(places) - 1

        found: list[Sequence[int]] = []
        for shape in shapes:
            ring = list(zip(shape, [*shape[1:], shape[0]], strict=True))
            for a, b in ring:
                if (a, b) not in halves:
                    halves[(a, b)] = halves[(b, a)] = new(0.5 * (places[a] + places[b]))
            middles = [halves[pair] for pair in ring]
            centre = new(np.mean([places[each] for each in middles], axis=0))
            found += [
                (corner, middles[k], centre, middles[k - 1]) for k, corner in enumerate(shape)
            ]
        for (a, b), curve in list(curves.items()):
            middle = halves[(a, b)]
            for pair, low, high in (((a, middle), 0.0, 0.5), ((middle, b), 0.5, 1.0)):
                curves[pair] = _piece(curve, low, high)
                curves[pair[::-1]] = _piece(curve, high, low)
        return found

    def _keep(self, cells: Sequence[Cell]) -> bool:
        if not cells or not all(_open(cell) for cell in cells):
            return False
        self.cells += cells
        return True


@dataclass(frozen=True, eq=False)
class _Side:
    """An edge along a rim: its vertices, and parameters of the edge at them."""

    flat: FlatFace
    use: EdgeUse
    numbers: list[int]
    parameters: Array

    @property
    def places(self) -> Array:
        """The plane's places of the vertices."""
        return self.flat.to_flat(self.use.at(self.parameters))

    def reversed(self) -> _Side:
        """The same from its other end."""
        return _Side(self.flat, self.use, self.numbers[::-1], self.parameters[::-1])

    def whole(self, share: Array) -> Array:
        """Places at shares of the whole edge, its vertices at even ones."""
        even = np.linspace(0, 1, len(self.parameters))
        return self.flat.to_flat(self.use.at(np.interp(share, even, self.parameters)))

    def between(self, first: int, last: int) -> Curve:
        """The curve from one of the vertices to a later one, those between at even shares."""
        parameters = self.parameters[first : last + 1]
        even = np.linspace(0, 1, len(parameters))

        def curve(share: Array) -> Array:
            return self.flat.to_flat(self.use.at(np.interp(share, even, parameters)))

        return curve


def _sides(flat: FlatFace) -> tuple[EdgeUse, ...] | None:
    """The four edges of a face that has just these, with corners between, in the rim's order."""
    if len(flat.loops) != 1 or len(flat.loops[0]) != 4 or flat.pole is not None:
        return None
    lines = [flat.to_flat(use.along(9)) for use in flat.loops[0]]
    for before, after in zip(lines, [*lines[1:], lines[0]], strict=True):
        one, two = before[-1] - before[-2], after[1] - after[0]
        size = float(np.linalg.norm(one) * np.linalg.norm(two))
        if not size > 0 or float(one @ two) > _SHARP * size:
            return None
    return flat.loops[0]


def _clockwise(flat: FlatFace, loop: Sequence[EdgeUse]) -> bool:
    x, y = np.concatenate([flat.to_flat(use.along(9))[:-1] for use in loop]).T
    return bool(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)) < 0)


def _straight(a: Array, b: Array) -> Curve:
    return lambda share: a + share[:, None] * (b - a)


def _piece(curve: Curve, low: float, high: float) -> Curve:
    return lambda share: curve(low + share * (high - low))


def _part(chart: Chart, across: tuple[float, float], up: tuple[float, float]) -> Chart:
    return lambda u, v: chart(across[0] + u * (across[1] - across[0]), up[0] + v * (up[1] - up[0]))


def _open(cell: Cell) -> bool:
    """Whether the coordinates of a cell cross well everywhere, the right way round."""
    u, v = (axis.ravel() for axis in np.meshgrid(_LOOKED_AT, _LOOKED_AT))
    step = 1e-4 * np.where(u > 0.5, -1, 1), 1e-4 * np.where(v > 0.5, -1, 1)
    here = cell.chart(u, v)
    across = (cell.chart(u + step[0], v) - here) / step[0][:, None]
    up = (cell.chart(u, v + step[1]) - here) / step[1][:, None]
    turn = across[:, 0] * up[:, 1] - across[:, 1] * up[:, 0]
    size = np.linalg.norm(across, axis=1) * np.linalg.norm(up, axis=1)
    return bool(np.all(turn > _OPEN * size))
