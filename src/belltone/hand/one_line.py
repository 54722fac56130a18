"""Vibration of one line: rods, shafts and beams, even or not, by polynomials on each of its pieces.

Rayleigh's quotient over Legendre polynomials (W. Ritz, J. reine angew. Math. 135 (1909) 1), pieces
joined where the law changes or something acts at a point. Nothing of the finite elements is used.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import pairwise
from typing import Final

import numpy as np
import scipy
from numpy.polynomial import legendre
from numpy.typing import NDArray

__all__ = ["OneLine", "PointOnLine", "frequencies"]

Array = NDArray[np.float64]
Along = Callable[[Array], Array]

_DEGREE: Final = 15
_POINTS: Final = 40
_MOST_PIECES: Final = 24
_ZERO: Final = 1e-5  # of the largest frequency asked for; below it a line only moves as one


@dataclass(frozen=True)
class PointOnLine:
    """What acts at a place (m): ``held`` derivatives, springs and masses by derivative.

    Derivative 0 is the motion itself, 1 its slope (or the turn of a beam that shears).
    """

    at: float
    held: tuple[int, ...] = ()
    springs: tuple[float, float] = (0.0, 0.0)
    masses: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class OneLine:
    """A line of a ``length`` (m), by functions of the place along it (m).

    ``bending`` (N m²) makes it a beam, ``shear`` (N) one that shears, else ``stretching`` (N or
    N m²) makes it a rod or a shaft. ``mass`` is kg/m or kg m, ``rotary`` (kg m) that of turning
    sections. ``pull`` (N) is the axial force, ``bed`` (N/m²) a stiffness everywhere.
    """

    length: float
    mass: Along
    bending: Along | None = None
    shear: Along | None = None
    rotary: Along | None = None
    stretching: Along | None = None
    pull: Along | None = None
    bed: Along | None = None
    breaks: tuple[float, ...] = ()
    points: Sequence[PointOnLine] = field(default=())


def frequencies(line: OneLine, count: int) -> Array:
    """The lowest ``count`` frequencies (Hz) that are not those of moving as one, ascending.

    Fewer where the line has buckled: those beyond it are left out.
    """
    cuts = {0.0, line.length, *line.breaks}
    cuts |= {min(max(point.at, 0.0), line.length) for point in line.points}
    ends = sorted(cuts)
    ends = [
        ends[0],
        *(b for a, b in pairwise(ends) if b - a > 1e-9 * line.length),
    ]
    if len(ends) > _MOST_PIECES + 1:
        raise ValueError("too many pieces")
    fields = 2 if line.shear is not None else 1
    pieces = len(ends) - 1
    size = pieces * fields * (_DEGREE + 1)
    stiffness, mass = np.zeros((size, size)), np.zeros((size, size))
    local, weights, values = _rule()
    halves = 0.5 * np.diff(ends)
    places = np.array(ends[:-1])[:, None] + halves[:, None] * (1 + local)

    def over(read: Callable[[Array], Array] | None) -> Array | None:
        """What the line has at all places of all pieces, by their weight."""
        if read is None:
            return None
        return weights * halves[:, None] * read(places.ravel()).reshape(places.shape)

    heavy, bedded, bent = over(line.mass), over(line.bed), over(line.bending)
    pulled, stretched = over(line.pull), over(line.stretching)
    sheared, turned = over(line.shear), over(line.rotary)
    assert heavy is not None
    for piece, half in enumerate(halves.tolist()):
        shapes = [each / half**order for order, each in enumerate(values)]
        first = piece * fields * (_DEGREE + 1)
        at = slice(first, first + _DEGREE + 1)
        _add(mass, at, at, shapes[0], shapes[0], heavy[piece])
        if bedded is not None:
            _add(stiffness, at, at, shapes[0], shapes[0], bedded[piece])
        for along in (pulled, stretched):
            if along is not None:
                _add(stiffness, at, at, shapes[1], shapes[1], along[piece])
        if bent is None:
            continue
        if sheared is None:
            _add(stiffness, at, at, shapes[2], shapes[2], bent[piece])
            if turned is not None:
                _add(mass, at, at, shapes[1], shapes[1], turned[piece])
            continue
        turn = slice(at.stop, at.stop + _DEGREE + 1)
        _add(stiffness, turn, turn, shapes[1], shapes[1], bent[piece])
        _add(stiffness, at, at, shapes[1], shapes[1], sheared[piece])
        _add(stiffness, turn, turn, shapes[0], shapes[0], sheared[piece])
        _add(stiffness, at, turn, shapes[1], shapes[0], -sheared[piece])
        _add(stiffness, turn, at, shapes[0], shapes[1], -sheared[piece])
        if turned is not None:
            _add(mass, turn, turn, shapes[0], shapes[0], turned[piece])
    rows: list[Array] = []
    for cut in range(1, pieces):
        for order in _joined(line, fields):
            left = _row(ends, size, fields, cut - 1, ends[cut], order)
            rows.append(left - _row(ends, size, fields, cut, ends[cut], order))
    for point in line.points:
        place = min(max(point.at, 0.0), line.length)
        piece = max(0, min(int(np.searchsorted(ends, place, "left")) - 1, pieces - 1))
        read = [_row(ends, size, fields, piece, place, order) for order in (0, 1)]
        rows += [read[order] for order in point.held]
        for order in (0, 1):
            stiffness += point.springs[order] * np.outer(read[order], read[order])
            mass += point.masses[order] * np.outer(read[order], read[order])
    free = scipy.linalg.null_space(np.array(rows)) if rows else np.eye(size)
    reduced = [free.T @ matrix @ free for matrix in (stiffness, mass)]
    squares = scipy.linalg.eigh(*reduced, eigvals_only=True)
    found = np.sqrt(np.maximum(squares, 0.0)) / (2 * np.pi)
    scale = float(found[min(count + 6, len(found) - 1)])
    return np.asarray(found[found > _ZERO * scale][:count])


def _joined(line: OneLine, fields: int) -> tuple[int, ...]:
    """What must run on from piece to piece: the motion, and the slope or turn of beams."""
    return (0, 1) if line.bending is not None or fields == 2 else (0,)


@lru_cache
def _rule() -> tuple[Array, Array, list[Array]]:
    """Points and weights of the quadrature, and the polynomials with two derivatives there."""
    local, weights = legendre.leggauss(_POINTS)
    return local, weights, [_values(local, order) for order in range(3)]


def _values(local: Array, order: int) -> Array:
    """Derivatives of the polynomials ``(points, degree + 1)``, by the local coordinate."""
    base = np.eye(_DEGREE + 1)
    return np.asarray(legendre.legval(local, legendre.legder(base, order) if order else base).T)


def _row(
    ends: Sequence[float], size: int, fields: int, piece: int, place: float, order: int
) -> Array:
    """The row that reads a derivative at a place; of a beam that shears 1 reads its turn."""
    half = 0.5 * (ends[piece + 1] - ends[piece])
    local = np.array([(place - ends[piece]) / half - 1.0])
    row = np.zeros(size)
    first = piece * fields * (_DEGREE + 1)
    if order == 1 and fields == 2:
        row[first + _DEGREE + 1 : first + 2 * (_DEGREE + 1)] = _values(local, 0)[0]
    else:
        row[first : first + _DEGREE + 1] = _values(local, order)[0] / half**order
    return row


def _add(matrix: Array, rows: slice, columns: slice, left: Array, right: Array, by: Array) -> None:
    matrix[rows, columns] += left.T @ (by[:, None] * right)
