"""Rigid motions: which of them the supports leave, and their names."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.vectors import cross

__all__ = ["RigidPart", "Stops", "rigid_modes", "sheet_motions"]

Array = NDArray[np.float64]

_HELD: Final = 1e-9  # relative; a direction weaker than this is rounding, not a support
_ON_AXIS: Final = 1e-6  # of the size; a site this near an axis stands on it
_NAMES: Final = (
    "slides along x",
    "slides along y",
    "slides along z",
    "turns about x",
    "turns about y",
    "turns about z",
)


def sheet_motions(coordinates: Array) -> Array:
    """Return unit slides along and unit turns about the sheet's axes, ``(6 nodes, 6)``."""
    motions = np.zeros((len(coordinates), 6, 6))
    motions[:, :, :3] = np.eye(6)[:, :3]
    for axis in range(3):
        turn = np.eye(3)[axis]
        motions[:, :3, 3 + axis] = cross(turn, coordinates)
        motions[:, 3:, 3 + axis] = turn
    return motions.reshape(-1, 6)


@dataclass(frozen=True)
class RigidPart:
    """A part, or a piece of it, as it can move without strain: its name and its nodes."""

    name: str
    nodes: NDArray[np.intp]


@dataclass(frozen=True)
class Stops:
    """Rows that stop motions, all of them or by a spring, and the joint each is of (-1: none)."""

    rows: scipy.sparse.csr_matrix
    joints: NDArray[np.intp]
    names: tuple[str, ...]


def rigid_modes(
    coordinates: Array,
    size: float,
    parts: Sequence[RigidPart],
    stops: Stops,
    axes: Callable[[], Mapping[str, Array]],
) -> tuple[Array, tuple[str, ...]]:
    """Return the motions without strain that supports and joints leave, and a name for each.

    They are exact, not computed from the stiffness: every part moves as one body, and a motion is
    left when none of the ``stops`` stops it. Pieces that nothing connects are named apart; what
    moves within a piece is a mechanism, named by the parts that move and the joints that let them.
    Where ``axes`` gives sites as ``(stations, 3)``, a turn about another axis than one through the
    centre is named by the first of them that stands on it.
    """
    count = len(parts)
    motions = np.zeros((6 * len(coordinates), 6 * count))
    for number, part in enumerate(parts):
        rows = (6 * part.nodes[:, None] + np.arange(6)).ravel()
        own = sheet_motions(coordinates[part.nodes] - coordinates.mean(axis=0))
        own[:, 3:] /= size
        motions[rows, 6 * number : 6 * number + 6] = own
    against = np.asarray(stops.rows @ motions)
    group = _pieces(against, count)
    vectors: list[Array] = []
    names: list[str] = []
    sites = cache(axes)
    for piece in range(int(group.max(initial=-1)) + 1):
        members = np.flatnonzero(group == piece)
        columns = (6 * members[:, None] + np.arange(6)).ravel()
        here = against[:, columns]
        left = np.eye(len(columns))
        touched = np.flatnonzero(np.abs(here).max(axis=1, initial=0.0) > 0)
        if len(touched):
            # Rows by the thousand stop few motions; their triangle says the same.
            left = scipy.linalg.null_space(np.linalg.qr(here[touched], mode="r"), rcond=_HELD)
        if not left.shape[1]:
            continue
        whole, loose = _parted(left, len(members))
        centre = coordinates.mean(axis=0)
        own_name = "" if group.max() == 0 else f"“{parts[members[0]].name}” "
        if len(members) > 1 and own_name:
            own_name = f"“{parts[members[0]].name}” and what is joined to it "
        named, words = _named(whole)
        for name, motion in zip(words, named.T, strict=True):
            shown = _with_axis(name, motion, centre, size, sites)
            if own_name:
                shown = shown.replace("turns", "turn").replace("slides", "slide")
                shown = own_name + (shown if len(members) > 1 else _singular(shown))
            names.append(shown)
            vectors.append(_spread(np.tile(motion, len(members)), columns, 6 * count))
        for motion in loose.T:
            moving, words_of = _mechanism(motion, members, parts, size)
            full = _spread(motion, columns, 6 * count)
            names.append(words_of + _letting(full, moving, parts, stops))
            vectors.append(full)
    if not vectors:
        return np.zeros((6 * len(coordinates), 0)), ()
    return motions @ np.column_stack(vectors), tuple(names)


def _singular(words: str) -> str:
    return words.replace("turn ", "turns ", 1).replace("slide ", "slides ", 1)


def _spread(motion: Array, columns: NDArray[np.intp], size: int) -> Array:
    full = np.zeros(size)
    full[columns] = motion
    return full


def _pieces(against: Array, count: int) -> NDArray[np.intp]:
    """Number the parts by the pieces that any row connects."""
    if count == 1:
        return np.zeros(1, dtype=np.intp)
    touches = np.abs(against).reshape(len(against), count, 6).max(axis=2, initial=0.0) > 0
    linked = scipy.sparse.csr_matrix(touches.astype(float))
    _, label = scipy.sparse.csgraph.connected_components(
        linked.T @ linked + scipy.sparse.identity(count), directed=False
    )
    numbers = [int(entry) for entry in label]
    order = list(dict.fromkeys(numbers))
    return np.array([order.index(number) for number in numbers], dtype=np.intp)


def _parted(left: Array, count: int) -> tuple[Array, Array]:
    """Motions ``(6, k)`` of all parts as one body, and the rest, each as few parts as possible."""
    as_one = np.tile(np.eye(6), (count, 1)) / np.sqrt(count)
    inside, strength, _ = np.linalg.svd(as_one.T @ left)
    one = inside[:, : len(strength)][:, strength > 1 - 1e-9]
    if not left.shape[1] - one.shape[1]:
        return one, np.zeros((6 * count, 0))
    whole = as_one @ one
    rest = left - whole @ (whole.T @ left)
    found, size, _ = np.linalg.svd(rest, full_matrices=False)
    loose = found[:, size > 1e-9]
    # The first part stands still where a rigid motion of the whole can make it so.
    still = whole @ np.linalg.lstsq(whole[:6], loose[:6], rcond=None)[0] if one.shape[1] else 0.0
    return one, _reduced(loose - still)


def _reduced(vectors: Array) -> Array:
    """Combine vectors so that each has an entry of one where all others have zero."""
    reduced = vectors.T.copy()
    for row in range(len(reduced)):
        best, column = divmod(int(np.argmax(np.abs(reduced[row:]))), reduced.shape[1])
        reduced[[row, row + best]] = reduced[[row + best, row]]
        reduced[row] /= reduced[row, column]
        for other in range(len(reduced)):
            if other != row:
                reduced[other] -= reduced[other, column] * reduced[row]
    return reduced.T


def _mechanism(
    motion: Array, members: NDArray[np.intp], parts: Sequence[RigidPart], size: float
) -> tuple[list[int], str]:
    """Which parts a mechanism moves, and how the one that moves most does."""
    by_part = motion.reshape(-1, 6)
    strength = np.linalg.norm(by_part, axis=1)
    moving = [int(members[k]) for k in np.flatnonzero(strength > 1e-6 * strength.max())]
    strongest = by_part[int(np.argmax(strength))]
    spin = strongest[3:]
    turns = np.linalg.norm(spin) > 1e-6 * np.linalg.norm(strongest)
    axis = spin if turns else strongest[:3]
    way = int(np.argmax(np.abs(axis)))
    direct = abs(axis[way]) > (1 - 1e-6) * np.linalg.norm(axis)
    verb = "turns about" if turns else "slides along"
    where = "xyz"[way] if direct else "a slant axis"
    who = f"“{parts[members[int(np.argmax(strength))]].name}”"
    others = len(moving) - 1
    if others:
        who += f" with {others} more part{'s' if others > 1 else ''}"
    return moving, f"mechanism: {who} {verb} {where}"


def _letting(full: Array, moving: list[int], parts: Sequence[RigidPart], stops: Stops) -> str:
    """Name the joints between what moves and what moves otherwise."""
    by_part = full.reshape(-1, 6)
    blocks = stops.rows
    letting: list[str] = []
    for number, name in enumerate(stops.names):
        rows = np.flatnonzero(stops.joints == number)
        if not len(rows):
            continue
        nodes = np.unique(blocks[rows].indices // 6)
        touched = [k for k, part in enumerate(parts) if np.isin(nodes, part.nodes).any()]
        differ = any(
            np.linalg.norm(by_part[a] - by_part[b]) > 1e-6 * np.abs(by_part).max()
            for a in touched
            for b in touched
        )
        if differ and set(touched) & set(moving):
            letting.append(name)
    if not letting:
        return ""
    shown = ", ".join(f"“{name}”" for name in letting[:3])
    return f", let by the joint {shown}" if len(letting) == 1 else f", let by the joints {shown}"


def _with_axis(
    name: str,
    motion: Array,
    centre: Array,
    size: float,
    axes: Callable[[], Mapping[str, Array]],
) -> str:
    """Say which axis a turn is about, unless it runs through the middle of the component."""
    spin = motion[3:] / size
    speed = float(np.linalg.norm(spin))
    if not name.startswith("turns") or speed * size < _HELD:
        return name
    offset = cross(spin, motion[:3]) / speed**2
    if np.linalg.norm(offset) <= _ON_AXIS * size or not axes():
        return name
    start, along = centre + offset, spin / speed
    for site, places in axes().items():
        away = places - start
        if np.linalg.norm(away - np.outer(away @ along, along), axis=1).max() <= _ON_AXIS * size:
            return f"turns about “{site}”"
    start = start - (start @ along) * along
    where = ", ".join(f"{1e3 * value + 0.0:.4g}" for value in np.round(start, 9))
    return f"{name} through ({where}) mm"


def _named(left: Array) -> tuple[Array, tuple[str, ...]]:
    """Combine the motions so that each is as nearly one named motion as the supports allow."""
    reduced = left.T.copy()
    taken: list[int] = []
    for row in range(len(reduced)):
        open_columns = [column for column in range(6) if column not in taken]
        best = max(
            ((i, c) for i in range(row, len(reduced)) for c in open_columns),
            key=lambda place: (round(float(abs(reduced[place])), 6), -place[1]),
        )
        reduced[[row, best[0]]] = reduced[[best[0], row]]
        column = best[1]
        reduced[row] /= reduced[row, column]
        for other in range(len(reduced)):
            if other != row:
                reduced[other] -= reduced[other, column] * reduced[row]
        taken.append(column)
    order = np.argsort(taken)
    reduced = reduced[order]
    return reduced.T, tuple(_NAMES[column] for column in sorted(taken))
