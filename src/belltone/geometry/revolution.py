"""Whether a surface is one of revolution, and about which axis, from places and normals.

All normals of a surface of revolution meet its axis: in Pluecker coordinates that is linear in the
axis (H. Pottmann and J. Wallner, "Computational Line Geometry", 2001, section 4.1.2).
"""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.vectors import cross

__all__ = ["revolution_axis"]

Array = NDArray[np.float64]

_MEETS: Final = 1e-4  # of the largest singular value; lines nearer to an axis than that meet it
_PARALLEL: Final = 1e-6
_SECTORS: Final = 24  # of a turn; a full one has places in all


def revolution_axis(places: Array, normals: Array) -> tuple[Array, Array] | None:
    """A point of the axis and its unit direction, of a surface that goes all round it.

    ``None`` where it is no surface of revolution, a flat one, or goes round in part.
    """
    middle = places.mean(axis=0)
    size = float(np.linalg.norm(np.ptp(places, axis=0)))
    if not size > 0:
        return None
    arms = (places - middle) / size
    rows = np.column_stack([cross(arms, normals), normals])
    _, strengths, ways = np.linalg.svd(rows, full_matrices=False)
    free = ways[strengths < _MEETS * strengths[0]]
    if not len(free):
        return None
    turns, moments = free[:, :3], free[:, 3:]
    rank = int(np.linalg.matrix_rank(turns, tol=_PARALLEL**0.5))
    if rank == 0:
        return None  # it slides, as a prism does, but does not turn
    if rank == 3:
        # A sphere turns about any axis through its middle; the one through its cap is meant.
        solved = np.linalg.lstsq(
            np.concatenate([_crossing(turn) for turn in turns]), moments.ravel()
        )
        centre = solved[0]
        away = -centre
        if np.linalg.norm(away) < 1e-3:
            return None
        direction = away / np.linalg.norm(away)
        point = centre
    else:
        _, _, right = np.linalg.svd(turns)
        direction = right[0]
        share = np.linalg.lstsq(turns.T, direction)[0]
        moment = share @ moments
        moment = moment - (moment @ direction) * direction
        point = cross(direction, moment)
    own = arms - point
    along = own @ direction
    out = own - along[:, None] * direction
    radius = np.linalg.norm(out, axis=1)
    if radius.max() < 1e-3 or np.ptp(along) < 1e-6:
        return None
    side = cross(direction, np.eye(3)[int(np.argmin(np.abs(direction)))])
    side /= np.linalg.norm(side)
    turned = np.arctan2(out @ cross(direction, side), out @ side)[radius > 0.1 * radius.max()]
    sectors = np.floor((turned / (2 * np.pi) + 0.5) * _SECTORS).astype(int) % _SECTORS
    if len(np.unique(sectors)) < _SECTORS:
        return None
    return middle + size * point, direction


def _crossing(turn: Array) -> Array:
    """The matrix whose product with a centre is the moment of an axis through it."""
    x, y, z = turn
    return np.array([[0.0, z, -y], [-z, 0.0, x], [y, -x, 0.0]])
