"""Roots of discs and annuli by Bessel functions: A. W. Leissa, NASA SP-160 (1969), chapter 2."""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

__all__ = ["disc_roots"]

Array = NDArray[np.float64]

_STEP: Final = 0.05  # of the root looked for, in radii
_MOST: Final = 60.0


@lru_cache(maxsize=64)
def disc_roots(waves: int, rim: str, inner: str, bore: float, ratio: float) -> tuple[float, ...]:
    """λ of a plate with so many nodal diameters, in the order of its nodal circles."""

    def determinants(roots: Array) -> Array:
        matrices = _edge_rows(1.0, roots, rim, waves, ratio)
        if bore:
            inside = _edge_rows(bore, roots, inner, waves, ratio)
            matrices = np.concatenate([matrices, inside], axis=1)
        else:
            matrices = matrices[:, :, :2]
        # Columns grow and fall by many powers of ten; their signs are all that counts.
        largest = np.abs(matrices).max(axis=1, keepdims=True)
        return np.asarray(np.linalg.det(matrices / np.maximum(largest, 1e-300)))

    looked = np.arange(_STEP * 8, _MOST, _STEP)
    values = determinants(looked)
    turns = np.flatnonzero(np.isfinite(values[1:]) & (np.sign(values[:-1] * values[1:]) < 0))
    return tuple(
        float(
            scipy.optimize.brentq(
                lambda root: float(determinants(np.array([root]))[0]),
                looked[at],
                looked[at + 1],
                xtol=1e-10,
            )
        )
        for at in turns[:8]
    )


def _edge_rows(at: float, roots: Array, word: str, waves: int, ratio: float) -> Array:
    """Two conditions on J, I, Y, K at a radius, a share of the outer one: ``(roots, 2, 4)``."""
    argument, square = roots * at, waves**2
    found = np.zeros((len(roots), 2, 4))
    solutions = (
        (scipy.special.jv, scipy.special.jvp, 1.0),
        (scipy.special.iv, scipy.special.ivp, -1.0),
        (scipy.special.yv, scipy.special.yvp, 1.0),
        (scipy.special.kv, scipy.special.kvp, -1.0),
    )
    for column, (function, slope, sign) in enumerate(solutions):
        value, first = function(waves, argument), slope(waves, argument)
        if word == "clamped":
            found[:, 0, column], found[:, 1, column] = value, first * roots
            continue
        # w'' follows from Bessel's equation: J'' = −J'/x − (1 − n²/x²) J, and so on.
        second = -first / argument - (sign - square / argument**2) * value
        moment = second + ratio * (first / argument - square / argument**2 * value)
        if word == "simply supported":
            found[:, 0, column], found[:, 1, column] = value, roots**2 * moment
            continue
        # Effective shear: −d(∇²w)/dr with ∇²w = ∓λ² w, and the twist's share round the edge.
        twist = (1 - ratio) * square / argument**2 * (value / argument - first)
        found[:, 0, column] = roots**2 * moment
        found[:, 1, column] = roots**3 * (twist - sign * first)
    return found
