"""Skins of received parts: four-sided pieces of a middle surface, each a product of polynomials."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.polynomial import chebyshev
from numpy.typing import NDArray

from belltone.vectors import cross

__all__ = ["INVERSE", "NODES", "ORDER", "Skin", "coefficients"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]
Edge = tuple[int, int]

ORDER: Final = 8  # of the polynomials; a quarter of a circle is off by 1e-9 of its radius
NODES: Final = 0.5 * (1 - np.cos(np.pi * np.arange(ORDER + 1) / ORDER))
"""Shares of a side at which a piece is given, those of its ends among them."""

INVERSE: Final = np.linalg.inv(chebyshev.chebvander(2 * NODES - 1, ORDER))
"""From values at `NODES` to Chebyshev coefficients."""


def coefficients(values: Array) -> Array:
    """Chebyshev coefficients of values ``(pieces, v, u, ...)`` at `NODES` of both sides."""
    along_u = np.einsum("kl,pjl...->pjk...", INVERSE, values)
    return np.asarray(np.einsum("ij,pjk...->pik...", INVERSE, along_u))


@dataclass(frozen=True, eq=False)
class Skin:
    """The middle surface of a received part in the part's own axes (m).

    ``surface`` (pieces, v, u, 3) and ``shares`` (pieces, v, u) are Chebyshev coefficients of places
    and of how far the thickness is from its least to its greatest. ``vertices`` (pieces, 4) run
    round each piece; ``regions`` (pieces,) says of which of the ``names`` each is. ``edges`` are
    named chains of vertex pairs, ``folds`` those (lesser vertex first) where it is bent sharply.
    """

    surface: Array
    shares: Array | None
    vertices: NDArray[np.intp]
    regions: NDArray[np.intp]
    names: tuple[str, ...]
    edges: Mapping[str, tuple[Edge, ...]]
    folds: frozenset[Edge]
    area: float

    def locate(self, pieces: int | IntArray, u: Array, v: Array) -> tuple[Array, Array]:
        """Places and unit normals, ``(n, 3)`` each, at shares of the sides of pieces.

        Of one piece, or of one for each place.
        """
        across, up = (chebyshev.chebvander(2 * each - 1, ORDER) for each in (u, v))
        places, first, second = np.empty((3, len(u), 3))
        for which, at in _by_piece(pieces, len(u)):
            own = self.surface[which]
            places[at] = _summed(up[at], across[at], own)
            first[at] = _summed(up[at], across[at, :-1], chebyshev.chebder(own, axis=2))
            second[at] = _summed(up[at, :-1], across[at], chebyshev.chebder(own, axis=1))
        normals = cross(first, second)
        return places, normals / np.linalg.norm(normals, axis=1, keepdims=True)

    def share(self, pieces: int | IntArray, u: Array, v: Array) -> Array:
        """How far the thickness is from its least to its greatest, ``(n,)``."""
        found = np.zeros(len(u))
        if self.shares is not None:
            across, up = (chebyshev.chebvander(2 * each - 1, ORDER) for each in (u, v))
            for own, at in _by_piece(pieces, len(u)):
                found[at] = _summed(up[at], across[at], self.shares[own][..., None])[..., 0]
        return found

    @cached_property
    def size(self) -> float:
        """Diagonal of the box round it (m)."""
        return float(np.linalg.norm(np.ptp(self._looked_at[1], axis=0)))

    @cached_property
    def _looked_at(self) -> tuple[NDArray[np.float64], Array]:
        """Places to begin a search from: (piece, u, v) and where they are."""
        line = np.linspace(0.0, 1.0, 7)
        u, v = (axis.ravel() for axis in np.meshgrid(line, line))
        count = len(self.vertices)
        pieces = np.repeat(np.arange(count), len(u))
        u, v = np.tile(u, count), np.tile(v, count)
        return np.column_stack([pieces, u, v]), self.locate(pieces, u, v)[0]

    def nearest(self, point: Array) -> tuple[int, float, float, float]:
        """The piece, u and v of the place nearest to a point ``(3,)``, and how far it is (m)."""
        starts, places = self._looked_at
        away = np.linalg.norm(places - point, axis=1)
        best = (0, 0.0, 0.0, np.inf)
        for start in np.argsort(away)[:4]:
            piece, at = int(starts[start, 0]), starts[start, 1:]
            for _ in range(20):
                step = 1e-6 * np.where(at > 0.5, -1.0, 1.0)
                probes = at + np.array([[0.0, 0.0], [step[0], 0.0], [0.0, step[1]]])
                here = self.locate(piece, *probes.T)[0]
                slopes = ((here[1:] - here[0]) / step[:, None]).T
                move = np.linalg.lstsq(slopes, point - here[0])[0]
                before, at = at, np.clip(at + move, 0.0, 1.0)
                if np.abs(at - before).max() < 1e-12:
                    break
            miss = float(np.linalg.norm(self.locate(piece, at[:1], at[1:])[0][0] - point))
            if miss < best[3] - 1e-12:
                best = (piece, float(at[0]), float(at[1]), miss)
        return best


def _by_piece(pieces: int | IntArray, places: int) -> Iterator[tuple[IntArray, IntArray]]:
    """Pieces with equally many places each: which they are ``(k,)``, and their places ``(k, m)``.

    So polynomials of many pieces are summed at once.
    """
    which = np.broadcast_to(pieces, (places,))
    order = np.argsort(which, kind="stable")
    present, starts, counts = np.unique(which[order], return_index=True, return_counts=True)
    for count in np.unique(counts).tolist():
        alike = counts == count
        yield present[alike], order[starts[alike][:, None] + np.arange(count)]


def _summed(up: NDArray[Any], across: NDArray[Any], factors: NDArray[Any]) -> Array:
    """Polynomials of pieces summed, ``(k, m, d)``.

    ``up`` is ``(k, m, i)``, ``across`` (k, m, j) and ``factors`` (k, i, j, d).
    """
    count, rows, columns, width = factors.shape
    half = np.matmul(up, factors.reshape(count, rows, columns * width))
    half = half.reshape(*up.shape[:2], columns, width)
    return np.asarray(np.matmul(across[:, :, None], half)[:, :, 0])
