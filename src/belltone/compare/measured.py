"""What was measured, held against a design: which mode each frequency is, and how far off."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.compare.likeness import Side
from belltone.modes.matching import clusters
from belltone.vectors import cross

__all__ = [
    "KNOWN",
    "Held",
    "MatchBy",
    "ModesAtPoints",
    "held_against",
    "how_matched",
    "joined",
    "modes_at",
    "motions_at",
]

Array = NDArray[np.float64]
MatchBy = Literal["shape", "kind", "order"]

KNOWN: Final = 0.5
"""Assurance from which a measured shape counts as that of a mode."""
_LEFT_OUT: Final = 0.05  # logarithm of frequency that leaving a mode out costs
_FAR: Final = 2.0  # times the frequency; what is further off is another mode, whatever its shape


@dataclass(frozen=True, eq=False)
class ModesAtPoints:
    """Modes told at points: ``frequencies`` (m,) in Hz, ``positions`` (k, 3) in m.

    ``shapes`` (m, k, 3) are relative, with no number where nothing is told; there may be no points
    at all. ``kinds`` say what the modes are, empty where nothing is said, and ``numbers`` which
    modes they are said to be.
    """

    frequencies: Array
    positions: Array
    shapes: Array
    kinds: tuple[str, ...]
    numbers: tuple[int | None, ...] = ()
    notes: tuple[str, ...] = ()

    def __len__(self) -> int:
        return len(self.frequencies)

    @property
    def with_shapes(self) -> bool:
        """Whether any shape is told."""
        return bool(len(self.positions)) and bool(np.isfinite(self.shapes).any())


@dataclass(frozen=True)
class Held:
    """One measured frequency (Hz) and the mode it is held against, by its number.

    ``computed`` is that mode's frequency, ``difference`` how much that is above what was measured,
    relative; ``assurance`` how alike the shapes are, where shapes were measured. Without a mode
    ``why`` says what is known.
    """

    place: int
    measured: float
    number: int | None
    computed: float | None
    kind: str
    assurance: float | None
    why: str = ""

    @property
    def difference(self) -> float | None:
        """How much the computed frequency is above the measured one, relative."""
        return None if self.computed is None else self.computed / self.measured - 1


def how_matched(told: ModesAtPoints, asked: MatchBy | None = None) -> MatchBy:
    """How measured frequencies are matched: as asked, else by the most that is told of them."""
    if asked is not None:
        return asked
    if told.with_shapes:
        return "shape"
    return "kind" if any(told.kinds) else "order"


def held_against(side: Side, told: ModesAtPoints, asked: MatchBy | None = None) -> tuple[Held, ...]:
    """Every measured frequency with its mode, in the order they are told.

    By shape: those pairs of all whose modal assurance at the measured points adds up to the most,
    equal modes as one subspace. By kind: of modes whose kind begins so, in order of frequency. By
    order: higher ones are higher modes, none twice; a mode nobody measured may be left out where
    that fits much better. What is said to be a mode by its number is that.
    """
    how = how_matched(told, asked)
    count = len(side.modes.flexible)
    places: list[int | None] = [None] * len(told)
    numbers = told.numbers or (None,) * len(told)
    for at, number in enumerate(numbers):
        if number is not None and 0 <= number - 1 - side.modes.skipped < count:
            places[at] = number - 1 - side.modes.skipped
    free = [at for at in range(len(told)) if numbers[at] is None]
    left = [place for place in range(count) if place not in places]
    alike = np.full((len(told), count), np.nan)
    if how == "shape" and told.with_shapes:
        alike = _assurance(side, told)
        _by_shape(side, told, alike, free, left, places)
    elif how == "kind":
        _by_kind(side, told, free, left, places)
    else:
        _by_order(side, told, free, left, places)
    return tuple(_held(side, told, at, place, alike[at]) for at, place in enumerate(places))


def _held(side: Side, told: ModesAtPoints, at: int, place: int | None, alike: Array) -> Held:
    measured = float(told.frequencies[at])
    if place is None:
        why = "no mode found is left for it"
        if np.isfinite(alike).any():
            best = int(np.nanargmax(alike))
            number = side.modes.skipped + best + 1
            why = f"most like mode {number} (assurance {alike[best]:.2f}), and that not enough"
        elif told.numbers and told.numbers[at] is not None:
            why = f"there is no mode {told.numbers[at]}"
        elif told.kinds[at]:
            why = f"no mode left is “{told.kinds[at]}”"
        return Held(at, measured, None, None, told.kinds[at], None, why)
    return Held(
        at,
        measured,
        side.modes.skipped + place + 1,
        float(side.modes.flexible[place]),
        side.modes.kinds[side.modes.rigid_count + place],
        float(alike[place]) if np.isfinite(alike[place]) else None,
    )


def _by_shape(
    side: Side,
    told: ModesAtPoints,
    alike: Array,
    free: Sequence[int],
    left: Sequence[int],
    places: list[int | None],
) -> None:
    if not free or not left:
        return
    known = np.nan_to_num(alike[np.ix_(free, left)])
    apart = _apart(side, told, free, left)
    # Frequencies decide between shapes that look the same at the points there are.
    worth = np.where(apart < np.log(_FAR), known - 0.1 * np.minimum(apart, 1.0), -1.0)
    rows, columns = scipy.optimize.linear_sum_assignment(-worth)
    for row, column in zip(rows.tolist(), columns.tolist(), strict=True):
        if known[row, column] >= KNOWN and worth[row, column] > 0:
            places[free[row]] = left[column]


def _by_order(
    side: Side,
    told: ModesAtPoints,
    free: Sequence[int],
    left: Sequence[int],
    places: list[int | None],
) -> None:
    """The cheapest way through both lists upwards, by how far frequencies are apart."""
    ranked = sorted(free, key=lambda at: float(told.frequencies[at]))[: len(left)]
    apart = _apart(side, told, ranked, left)
    count, modes = apart.shape
    # Of the first measured ones matched to modes up to some mode: least cost, and whether to that.
    cost = np.full((count + 1, modes + 1), np.inf)
    cost[0] = _LEFT_OUT * np.arange(modes + 1)
    taken = np.zeros((count + 1, modes + 1), bool)
    for at in range(1, count + 1):
        for place in range(at, modes + 1):
            matched = cost[at - 1, place - 1] + apart[at - 1, place - 1]
            # Modes above the last one measured are not left out: nobody looked so high.
            passed = cost[at, place - 1] + (_LEFT_OUT if at < count else 0.0)
            taken[at, place] = matched <= passed
            cost[at, place] = min(matched, passed)
    at, place = count, modes
    while at:
        if taken[at, place]:
            at, place = at - 1, place - 1
            places[ranked[at]] = left[place]
        else:
            place -= 1


def _by_kind(
    side: Side,
    told: ModesAtPoints,
    free: Sequence[int],
    left: Sequence[int],
    places: list[int | None],
) -> None:
    kinds = side.modes.kinds[side.modes.rigid_count :]
    taken: set[int] = set()
    # The longest kind says the most, and has the first choice.
    for kind in sorted({told.kinds[at] for at in free}, key=len, reverse=True):
        own = sorted(
            (at for at in free if told.kinds[at] == kind),
            key=lambda at: float(told.frequencies[at]),
        )
        those = [place for place in left if kinds[place].startswith(kind) and place not in taken]
        for at, place in zip(own, those, strict=False):
            places[at] = place
            taken.add(place)


def _apart(side: Side, told: ModesAtPoints, rows: Sequence[int], places: Sequence[int]) -> Array:
    """How far measured frequencies are from modes: logarithms ``(rows, places)``."""
    modes, measured = side.modes.flexible[list(places)], told.frequencies[list(rows)]
    return np.asarray(np.abs(np.log(modes)[None] - np.log(measured)[:, None]))


def _assurance(side: Side, told: ModesAtPoints) -> Array:
    """Modal assurance of measured shapes and modes at the measured points ``(m, modes)``.

    Only of motions that were measured; not weighted by mass, which nobody knows at points.
    """
    motions = motions_at(side, told.positions)
    found = np.full((len(told), len(motions)), np.nan)
    groups = clusters(side.modes.flexible)
    for at, shape in enumerate(told.shapes):
        seen = np.isfinite(shape)
        if not seen.any():
            continue
        own = shape[seen]
        theirs = motions[:, seen]
        for group in groups:
            # Equal modes may be mixed at will: what of the shape lies in their span.
            basis, sizes, _ = np.linalg.svd(theirs[group].T, full_matrices=False)
            basis = basis[:, sizes > 1e-9 * max(sizes.max(initial=0.0), 1e-300)]
            length = float(own @ own)
            found[at, group] = float(np.sum((basis.T @ own) ** 2)) / length if length else np.nan
    return found


def motions_at(side: Side, positions: Array) -> Array:
    """How the flexible modes of a design move points ``(k, 3)`` (m): ``(modes, k, 3)``, relative.

    Each goes with the nearest point shapes are read at and turns as that one does: a point on the
    flank of a member moves with its section, and one between two points follows the slope there.
    """
    places = np.concatenate([part.positions for part in side.witness.parts])
    shapes = side.modes.shapes[side.modes.rigid_count :]
    _, near = scipy.spatial.cKDTree(places).query(positions)
    arms = positions - places[near]
    return np.asarray(shapes[:, near, :3] + cross(shapes[:, near, 3:], arms[None]))


def modes_at(side: Side, positions: Array | None = None) -> ModesAtPoints:
    """The flexible modes of a design at points, or at all points their shapes are read at."""
    modes = side.modes
    rows = range(modes.rigid_count, len(modes))
    kinds = tuple(modes.kinds[row] for row in rows)
    if positions is None:
        positions = np.concatenate([part.positions for part in side.witness.parts])
        shapes = modes.shapes[modes.rigid_count :, :, :3]
    else:
        shapes = motions_at(side, positions)
    return ModesAtPoints(modes.flexible.copy(), positions, shapes, kinds)


def joined(first: ModesAtPoints, second: ModesAtPoints) -> ModesAtPoints:
    """Frequencies that were listed, and after them those read from a file with its points."""
    if not len(second):
        return first
    blank = np.full((len(first), *second.shapes.shape[1:]), np.nan)
    return replace(
        second,
        frequencies=np.concatenate([first.frequencies, second.frequencies]),
        shapes=np.concatenate([blank, second.shapes]),
        kinds=first.kinds + second.kinds,
        numbers=(first.numbers or (None,) * len(first)) + (second.numbers or (None,) * len(second)),
        notes=(first.notes or ("",) * len(first)) + (second.notes or ("",) * len(second)),
    )
