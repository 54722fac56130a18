"""Buckling factors: how many times the load a linearly loaded component bears.

``K phi = f (-G) phi`` with the stiffness K and what the load adds to it, G, by the same block
Lanczos method as modes, in the energy of K. How many factors there are below a limit is counted by
the signs of the pivots of ``K + limit G`` (Sylvester), so the list is complete.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.progress import Progress
from belltone.system.factor import Factor, SingularShiftError
from belltone.system.lanczos import KrylovSpace
from belltone.system.pattern import combined

__all__ = ["FACTOR_LIMIT", "Buckling", "buckling"]

Array = NDArray[np.float64]
Matrix = scipy.sparse.csc_matrix

FACTOR_LIMIT: Final = 100.0
"""Factors above this are not looked for: no load ever gets there."""
_SETTLED: Final = 1e-4  # of a factor's inverse; its error is the square of that
_MOST_BLOCKS: Final = 80


@dataclass(frozen=True)
class Buckling:
    """Factors ascending and shapes as columns; ``count`` of them lie below `FACTOR_LIMIT`."""

    factors: Array
    shapes: Array
    count: int


@dataclass(frozen=True)
class _Softening:
    """Takes K times a vector to ``K^-1 (-G)`` times the vector."""

    factor: Factor
    added: Matrix

    def solve(self, right: Array) -> Array:
        return self.factor.solve(-np.asarray(self.added @ self.factor.solve(right)))


def buckling(
    stiffness: Matrix, added: Matrix, factor: Factor, count: int, progress: Progress
) -> Buckling:
    """The ``count`` lowest positive factors of a held component.

    ``added`` is what the whole load adds to ``stiffness``, of which ``factor`` are the factors.
    """
    size = stiffness.shape[0]
    below = _count_below(stiffness, added, FACTOR_LIMIT)
    wanted = min(count, below)
    if not wanted:
        return Buckling(np.empty(0), np.empty((size, 0)), 0)
    none = np.empty((size, 0))
    space = KrylovSpace((_Softening(factor, added), 0.0), stiffness, none, size)
    for _ in range(_MOST_BLOCKS):
        progress.check()
        space.grow()
        inverse, weights, bounds = space.ritz()
        near = inverse > 0.5 / FACTOR_LIMIT
        settled = bounds <= _SETTLED * np.abs(inverse)
        standing = int(np.argmin(near & settled)) if not (near & settled).all() else len(inverse)
        if standing >= wanted or space.full:
            break
    standing = min(standing, wanted) if standing else int(np.count_nonzero(near[:wanted]))
    return Buckling(1.0 / inverse[:standing], space.basis @ weights[:, :standing], below)


def _count_below(stiffness: Matrix, added: Matrix, limit: float) -> int:
    for share in (1.0, 0.99, 0.97):
        try:
            negatives = Factor(combined(stiffness, share * limit, added)).negatives
        except SingularShiftError:
            continue
        if negatives is not None:
            return negatives
    return 1
