"""Points, weights and shape functions on the interval -1 to 1."""

from __future__ import annotations

from functools import cache, lru_cache
from typing import Final

import numpy as np
from numpy.polynomial import legendre
from numpy.typing import NDArray

__all__ = ["by_degree", "gauss", "lagrange", "lobatto", "lobatto_weights"]

Array = NDArray[np.float64]

_FEW: Final = 24  # points; with more, they are places of a mesh, and come once


@cache
def gauss(count: int) -> tuple[Array, Array]:
    """Return ``count`` Gauss-Legendre points and weights, exact to degree ``2 count - 1``."""
    points, weights = legendre.leggauss(count)
    points.setflags(write=False)
    weights.setflags(write=False)
    return points, weights


@cache
def lobatto(order: int) -> Array:
    """Return the ``order + 1`` Gauss-Lobatto-Legendre points: the ends and the roots of P'."""
    inner = legendre.Legendre.basis(order).deriv().roots() if order > 1 else np.empty(0)
    points = np.concatenate([[-1.0], np.sort(np.real(inner)), [1.0]])
    points.setflags(write=False)
    return points


@cache
def lobatto_weights(order: int) -> Array:
    """Return the weights of the `lobatto` points, exact to degree ``2 order - 1``."""
    points = lobatto(order)
    at_points = legendre.Legendre.basis(order)(points)
    weights = np.asarray(2.0 / (order * (order + 1) * at_points**2))
    weights.setflags(write=False)
    return weights


@cache
def by_degree(count: int) -> Array:
    """Parts by degree ``(degree, point)`` of what is known at ``count`` Gauss-Legendre points.

    Of Legendre polynomials whose squares have an integral of one, so that squares of parts add up
    to the integral of the square of the whole.
    """
    points, weights = gauss(count)
    sizes = np.sqrt(np.arange(count) + 0.5)
    parts = np.asarray((legendre.legvander(points, count - 1) * sizes).T * weights, float)
    parts.setflags(write=False)
    return parts


def lagrange(nodes: Array, points: Array) -> tuple[Array, Array]:
    """Return the Lagrange functions of ``nodes`` and their slopes at ``points``.

    Both are ``(len(points), len(nodes))`` and not to be written to, since those of few points are
    kept. They are found through the Legendre basis, which stays well conditioned at every order
    used here.
    """
    if len(points) > _FEW:
        return _lagrange(nodes, points)
    own, asked = (np.ascontiguousarray(each, float).tobytes() for each in (nodes, points))
    return _kept_lagrange(own, asked)


def _lagrange(nodes: Array, points: Array) -> tuple[Array, Array]:
    to_values, to_slopes = _to_lagrange(np.ascontiguousarray(nodes, float).tobytes())
    powers = legendre.legvander(points, len(nodes) - 1)
    return np.asarray(powers @ to_values, float), np.asarray(powers @ to_slopes, float)


@lru_cache(maxsize=512)
def _kept_lagrange(nodes: bytes, points: bytes) -> tuple[Array, Array]:
    """The same for few points, which are those of rules: the same ones over and over."""
    found = _lagrange(np.frombuffer(nodes, np.float64), np.frombuffer(points, np.float64))
    for each in found:
        each.setflags(write=False)
    return found


@cache
def _to_lagrange(nodes: bytes) -> tuple[Array, Array]:
    """Lagrange functions of nodes, and their slopes, as columns of Legendre coefficients."""
    at: Array = np.frombuffer(nodes, np.float64)
    degree = len(at) - 1
    to_values: Array = np.linalg.inv(np.asarray(legendre.legvander(at, degree), np.float64))
    to_slopes: Array = np.zeros_like(to_values)
    to_slopes[: max(degree, 1)] = legendre.legder(to_values)
    return to_values, to_slopes
