"""Rigid motions: which of them the supports leave, and their names."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy import linalg, sparse

__all__ = ["rigid_modes", "rigid_motions", "sheet_motions"]

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


def rigid_motions(coordinates: Array, size: float) -> Array:
    """Return the six rigid motions ``(6 nodes, 6)`` about the mean point, turns scaled by size."""
    motions = sheet_motions(coordinates - coordinates.mean(axis=0))
    motions[:, 3:] /= size
    return motions


def sheet_motions(coordinates: Array) -> Array:
    """Return unit slides along and unit turns about the sheet's axes, ``(6 nodes, 6)``."""
    motions = np.zeros((len(coordinates), 6, 6))
    motions[:, :, :3] = np.eye(6)[:, :3]
    for axis in range(3):
        turn = np.eye(3)[axis]
        motions[:, :3, 3 + axis] = np.cross(turn, coordinates)
        motions[:, 3:, 3 + axis] = turn
    return motions.reshape(-1, 6)


def rigid_modes(
    motions: Array,
    centre: Array,
    size: float,
    stopped: sparse.csr_matrix,
    basis: sparse.csc_matrix,
    mass: sparse.csc_matrix,
    axes: Callable[[], Mapping[str, Array]],
) -> tuple[Array, tuple[str, ...]]:
    """Return the rigid motions the supports leave, in reduced vectors, and a name for each.

    They are exact, not computed from the stiffness: a motion is left when none of the ``stopped``
    rows stops it. ``motions`` are about ``centre``, turns scaled by ``size``. Where ``axes`` gives
    sites as ``(stations, 3)``, a turn about another axis than one through the centre is named by
    the first of them that stands on it.
    """
    left = np.eye(6)
    against = np.asarray(stopped @ motions)
    if len(against):
        # Rows by the thousand stop six motions; their triangle says the same.
        left = linalg.null_space(np.linalg.qr(against, mode="r"), rcond=_HELD)
    if left.shape[1] == 0:
        return np.zeros((basis.shape[1], 0)), ()
    left, names = _named(left)
    vectors = np.asarray(basis.T @ (motions @ left))
    # Gram-Schmidt in the mass, in order, keeps each motion as close to its name as can be.
    lower = linalg.cholesky(vectors.T @ (mass @ vectors), lower=True)
    known = axes()
    shown = tuple(
        _with_axis(name, motion, centre, size, known)
        for name, motion in zip(names, left.T, strict=True)
    )
    return linalg.solve_triangular(lower, vectors.T, lower=True).T, shown


def _with_axis(
    name: str, motion: Array, centre: Array, size: float, axes: Mapping[str, Array]
) -> str:
    """Say which axis a turn is about, unless it runs through the middle of the component."""
    spin = motion[3:] / size
    speed = float(np.linalg.norm(spin))
    if not axes or not name.startswith("turns") or speed * size < _HELD:
        return name
    offset = np.cross(spin, motion[:3]) / speed**2
    if np.linalg.norm(offset) <= _ON_AXIS * size:
        return name
    start, along = centre + offset, spin / speed
    for site, places in axes.items():
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
