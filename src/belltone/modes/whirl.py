"""Modes of a spinning component with gyroscopic forces: whirling with the spin and against it.

In axes that turn with the component ``M q.. + 2 W G q. + K q = 0``, G the mass times the axis
crossed with velocities (L. Meirovitch, "A new method of solution of the eigenvalue problem for
gyroscopic systems", AIAA J. 12 (1974) 1337-1342). It is solved on the modes without gyroscopic
forces, more of them than are wanted, so that what is left out hardly counts.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.preload import SpinValue
from belltone.vectors import cross

__all__ = ["WhirlError", "Whirls", "turning_pattern", "whirls"]

Array = NDArray[np.float64]
Complex = NDArray[np.complex128]

_GROWS: Final = 1e-6  # relative; a mode that grows faster than this is not steady
_SAME_PLACE: Final = 1e-5  # of the size; points this near an axis, or each other's ring
_TWIST: Final = 0.01
_MOST_WAVES: Final = 24
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


def turning_pattern(
    positions: Array, shape: Complex, masses: Array, spin: SpinValue
) -> tuple[int, float]:
    """Signed number of waves a motion ``(points, 6)`` carries round the axis, and their share.

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
    content: dict[int, float] = {}
    moved = shape[:, :3]
    across, up = moved @ first + 1j * (moved @ second), moved @ first - 1j * (moved @ second)
    on_axis = radius <= _SAME_PLACE * size
    for waves, part in ((1, across), (-1, up)):
        content[waves] = float(np.sum(masses[on_axis] * np.abs(part[on_axis]) ** 2) / 2)
    along = np.abs(shape[on_axis, :3] @ axis) ** 2
    # A twist of what lies on the axis moves nothing there; a little of it counts.
    along = along + (_TWIST * size) ** 2 * np.abs(shape[on_axis, 3:] @ axis) ** 2
    content[0] = float(np.sum(masses[on_axis] * along))
    total = sum(content.values())
    for ring in _rings(radius, height, on_axis, size):
        spoke = np.stack([np.cos(angle[ring]), np.sin(angle[ring])])
        out = spoke[0][:, None] * first + spoke[1][:, None] * second
        around = cross(axis, out)
        fields = [np.sum(moved[ring] * way, axis=1) for way in (out, around)]
        fields.append(moved[ring] @ axis)
        mass = float(masses[ring].mean())
        most = min(_MOST_WAVES, (len(ring) - 1) // 2)
        numbers = range(-most, most + 1)
        turning = np.exp(1j * np.outer(list(numbers), angle[ring])) / len(ring)
        for field in fields:
            strength = mass * len(ring) * np.abs(turning @ field) ** 2
            total += float(mass * np.sum(np.abs(field) ** 2))
            for wave, own in zip(numbers, strength, strict=True):
                content[wave] = content.get(wave, 0.0) + float(own)
    if total <= 0:
        return 0, 0.0
    best = max(content, key=lambda wave: content[wave])
    share = content[best] / total
    if best and content.get(-best, 0.0) > (1 - _CLEAR) / _CLEAR * content[best]:
        return 0, share
    return best, share


def _rings(
    radius: Array, height: Array, on_axis: NDArray[np.bool_], size: float
) -> Sequence[NDArray[np.intp]]:
    """Points at the same distance from the axis and the same height."""
    keys = np.round(np.stack([radius, height], axis=1) / (_SAME_PLACE * 100 * size)).astype(int)
    keys[on_axis] = -(2**40)
    _, group, counts = np.unique(keys, axis=0, return_inverse=True, return_counts=True)
    group = group.ravel()
    return [
        np.flatnonzero(group == number)
        for number in np.flatnonzero(counts >= 3)
        if not on_axis[group == number].any()
    ]
