"""Even grids over walls, and half-waves counted on them."""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

__all__ = ["Grid", "across", "counted", "flat_grid", "lobes"]

Array = NDArray[np.float64]

_ALONG: Final = 41
_AROUND: Final = 72
_SEPARABLE: Final = 0.7  # share of a pattern one product of two lines must hold to be counted
_QUIET: Final = 0.08  # of the largest; smaller lobes are not counted as half-waves
_FLAT: Final = 0.9999  # length of the mean normal of a flat face
_FEWEST: Final = 9  # places that tell a pattern
_IN_LINE: Final = 1e-3  # width over length of places that stand in one line
_STRAIGHT: Final = 0.95  # share of a cross line that is a plain tilt in a twisting mode


class Grid:
    """An even grid over places in a plane, such as a wall's own coordinates of witness points."""

    def __init__(self, places: Array, around: bool = False) -> None:
        self._places = places
        if around:
            radius = np.hypot(*self._places.T)
            low, high = float(radius.min()), float(radius.max())
            rings = low + (high - low) * np.linspace(0.0, 1.0, _ALONG)
            angles = np.linspace(0.0, 2 * np.pi, _AROUND, endpoint=False)
            self.rings, self.angles = rings, angles
            at = rings[:, None, None] * np.stack([np.cos(angles), np.sin(angles)], axis=-1)
        else:
            low_corner, high_corner = self._places.min(axis=0), self._places.max(axis=0)
            lines = np.linspace(low_corner, high_corner, _ALONG)
            at = np.stack(np.meshgrid(lines[:, 0], lines[:, 1], indexing="ij"), axis=-1)
        self._at = at.reshape(-1, 2)
        self.form = at.shape[:2]

    def read(self, fields: Array) -> Array:
        """Fields ``(k, points)`` on the grid, ``(k, first, second)``; holes are bridged."""
        rows = _interpolation(self._places.tobytes(), self._at.tobytes())
        found = np.asarray(rows @ fields.T)
        return np.asarray(found.T.reshape(len(fields), *self.form))


@lru_cache(maxsize=16)
def _interpolation(places: bytes, at: bytes) -> scipy.sparse.csr_matrix:
    """Rows that read fields given at places in a plane at others; outside them the nearest counts.

    Both come as the bytes of ``(n, 2)`` numbers: a wall's own places change little with its sizes.
    """
    known, wanted = (np.frombuffer(own).reshape(-1, 2) for own in (places, at))
    triangles = scipy.spatial.Delaunay(known)
    inside = triangles.find_simplex(wanted)
    to_shares = triangles.transform[inside]
    two = np.einsum("nij,nj->ni", to_shares[:, :2], wanted - to_shares[:, 2])
    shares = np.column_stack([two, 1 - two.sum(axis=1)])
    nodes = triangles.simplices[inside]
    outside = np.flatnonzero((inside < 0) | np.isnan(two).any(axis=1))
    if len(outside):
        shares[outside] = [1.0, 0.0, 0.0]
        nearest = np.asarray(scipy.spatial.cKDTree(known).query(wanted[outside])[1])
        nodes[outside] = nearest[:, None]
    rows = np.repeat(np.arange(len(wanted)), 3)
    entries = (shares.ravel(), (rows, nodes.ravel()))
    return scipy.sparse.csr_matrix(entries, shape=(len(wanted), len(known)))


def flat_grid(positions: Array, normals: Array) -> Grid | None:
    """A grid over a flat face, its longer way first; ``None`` where it is not flat.

    Nor is there one where few places, or such in one line, say nothing of a pattern.
    """
    if len(positions) < _FEWEST or np.linalg.norm(normals.mean(axis=0)) < _FLAT:
        return None
    _, sizes, ways = np.linalg.svd(positions - positions.mean(axis=0), full_matrices=False)
    if sizes[1] < _IN_LINE * sizes[0]:
        return None
    places = positions @ ways[:2].T
    low = places.min(axis=0)
    return Grid((places - low) / np.maximum(np.ptp(places, axis=0), 1e-300))


def lobes(line: Array) -> int:
    """Half-waves of a line: lobes of alternating sign that are more than noise."""
    loud = line[np.abs(line) > _QUIET * np.abs(line).max()]
    return 1 + int(np.count_nonzero(np.diff(np.sign(loud))))


def across(grid: Array, flat: bool) -> str:
    """Name a pattern over two coordinates from its half-waves.

    On plates these are x and y, on shells the profile and the length.
    """
    if not np.abs(grid).max() > 0:
        return "in-plane"
    first, strengths, second = np.linalg.svd(grid)
    if strengths[0] ** 2 < _SEPARABLE * np.sum(strengths**2):
        return "bending, mixed pattern"
    lines = first[:, 0], second[0]
    counts = [lobes(line) for line in lines]
    for here, name in ((0, "y"), (1, "x")) if flat else ():
        if counts[here] == 2 and _tilt(lines[here]) > _STRAIGHT:
            other = counts[1 - here]
            if other == 1 or _tilt(lines[1 - here]) > _STRAIGHT:
                return f"twist about {name}" if other == 1 else "twist"
            return f"twist about {name}, {other} half-waves"
    if flat:
        return f"bending, {counts[0]} × {counts[1]} half-waves"
    return f"bending, {counted(counts[1], 'half-wave')} along, {counts[0]} across"


def _tilt(line: Array) -> float:
    """Share of a line that is straight and through zero at its middle."""
    ramp = np.linspace(-1.0, 1.0, len(line))
    return float((line @ ramp) ** 2 / ((line @ line) * (ramp @ ramp)))


def counted(number: int, what: str) -> str:
    """A number of things, such as “2 half-waves”."""
    return f"{number} {what}" if number == 1 else f"{number} {what}s"
