"""Modes of a spinning component with gyroscopic forces: whirling with the spin and against it.

In axes that turn with the component ``M q.. + 2 W G q. + K q = 0``, G the mass times the axis
crossed with velocities (L. Meirovitch, "A new method of solution of the eigenvalue problem for
gyroscopic systems", AIAA J. 12 (1974) 1337-1342). It is solved on the modes without gyroscopic
forces, more of them than are wanted, so that what is left out hardly counts.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.preload import SpinValue
from belltone.vectors import cross

__all__ = ["WhirlError", "Whirls", "turning_patterns", "whirls"]

Array = NDArray[np.float64]
Complex = NDArray[np.complex128]

_GROWS: Final = 1e-6  # relative; a mode that grows faster than this is not steady
_SAME_PLACE: Final = 1e-5  # of the size; points this near an axis, or each other's ring
_TWIST: Final = 0.01
_MOST_WAVES: Final = 24
_FEWEST: Final = 3  # points that make a ring
_CLEAR: Final = 0.6  # share of the motion in one travelling pattern that makes it a whirl


class WhirlError(ArithmeticError):
    """The spin makes a mode grow: there is no steady vibration at this speed."""


@dataclass(frozen=True)
class Whirls:
    """Angular frequencies (rad/s) ascending, and complex shapes by the modes they are made of.

    A motion is the real part of the shape times ``exp(i w t)``.
    """

    angular: Array
    weights: Complex


def whirls(
    values: Array, vectors: Array, skew: scipy.sparse.csc_matrix | Array, speed: float
) -> Whirls:
    """Solve on modes of eigenvalues ``values`` (rad²/s²), shapes with a modal mass of one."""
    count = len(values)
    coupling = 2 * speed * (vectors.T @ np.asarray(skew @ vectors))
    coupling = 0.5 * (coupling - coupling.T)
    state = np.zeros((2 * count, 2 * count))
    state[:count, count:] = np.eye(count)
    state[count:, :count] = -np.diag(values)
    state[count:, count:] = -coupling
    found, shapes = scipy.linalg.eig(state)
    size = np.abs(found).max(initial=1e-300)
    if np.any(found.real > _GROWS * size):
        fastest = float(found.real.max())
        raise WhirlError(
            f"at this speed a mode grows by itself ({fastest:.3g} times e a second): the spin is "
            "not steady"
        )
    steady = found.imag > 0
    order = np.argsort(found.imag[steady])
    angular = found.imag[steady][order]
    weights = shapes[:count, steady][:, order]
    return Whirls(np.asarray(angular), np.asarray(weights))


def turning_patterns(
    positions: Array, shapes: Complex, masses: Array, spin: SpinValue
) -> list[tuple[int, float]]:
    """Signed number of waves each motion ``(modes, points, 6)`` carries round the axis, its share.

    Positive ones travel with the spin. Points are compared in rings about the axis; those on the
    axis itself whirl with one wave.
    """
    axis = spin.axis
    first = np.linalg.svd(axis[None])[2][1]
    second = cross(axis, first)
    away = positions - spin.through
    height = away @ axis
    x, y = away @ first, away @ second
    radius, angle = np.hypot(x, y), np.arctan2(y, x)
    size = float(max(radius.max(initial=0.0), np.ptp(height), 1e-12))
    content = np.zeros((len(shapes), 2 * _MOST_WAVES + 1))
    on_axis = radius <= _SAME_PLACE * size
    there = shapes[:, on_axis]
    for waves, sign in ((1, 1), (-1, -1)):
        part = there[..., :3] @ first + sign * 1j * (there[..., :3] @ second)
        content[:, _MOST_WAVES + waves] += np.abs(part) ** 2 @ masses[on_axis] / 2
    along = np.abs(there[..., :3] @ axis) ** 2
    # A twist of what lies on the axis moves nothing there; a little of it counts.
    along = along + (_TWIST * size) ** 2 * np.abs(there[..., 3:] @ axis) ** 2
    content[:, _MOST_WAVES] += along @ masses[on_axis]
    total = content.sum(axis=1)
    for rings in _rings(radius, height, on_axis, size):
        count = rings.shape[1]
        cosine, sine = np.cos(angle[rings]), np.sin(angle[rings])
        out = cosine[..., None] * first + sine[..., None] * second
        ways = np.stack([out, cross(axis, out), np.broadcast_to(axis, out.shape)], axis=-1)
        fields = np.einsum("mrpd,rpdf->mrpf", shapes[:, rings, :3], ways)
        own = masses[rings].mean(axis=1)
        most = min(_MOST_WAVES, (count - 1) // 2)
        turning = np.exp(1j * np.arange(-most, most + 1)[:, None] * angle[rings][:, None]) / count
        strength = np.abs(np.matmul(turning, fields)) ** 2
        total += np.einsum("r,mrpf->m", own, np.abs(fields) ** 2)
        here = slice(_MOST_WAVES - most, _MOST_WAVES + most + 1)
        content[:, here] += np.einsum("r,mrwf->mw", count * own, strength)
    return [_pattern(*each) for each in zip(content, total, strict=True)]


def _pattern(content: Array, total: float) -> tuple[int, float]:
    """Which of the waves ``(-most to most,)`` a motion carries, if one way, and its share."""
    if total <= 0:
        return 0, 0.0
    best = int(np.argmax(content)) - _MOST_WAVES
    held, back = content[_MOST_WAVES + best], content[_MOST_WAVES - best]
    share = float(held / total)
    if best and back > (1 - _CLEAR) / _CLEAR * held:
        return 0, share
    return best, share


def _rings(
    radius: Array, height: Array, on_axis: NDArray[np.bool_], size: float
) -> list[NDArray[np.intp]]:
    """Points at the same distance from the axis and height ``(rings, points)``, by their number."""
    keys = np.round(np.stack([radius, height], axis=1) / (_SAME_PLACE * 100 * size)).astype(int)
    keys[on_axis] = -(2**40)
    _, group, counts = np.unique(keys, axis=0, return_inverse=True, return_counts=True)
    group = group.ravel()
    beside = np.ones(len(counts), bool)
    beside[group[on_axis]] = False
    by_group = np.split(np.argsort(group, kind="stable"), np.cumsum(counts)[:-1])
    return [
        np.array([by_group[place] for place in np.flatnonzero(beside & (counts == count))])
        for count in np.unique(counts[beside & (counts >= _FEWEST)])
    ]
