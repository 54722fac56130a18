"""How far a frequency may be off, told from the next lower orders of the same mesh."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = ["member_estimate", "wall_estimate"]

Array = NDArray[np.float64]

_SAFETY: Final = 2.0
_SAFETY_TAPERED: Final = 5.0  # the law of gains holds only roughly where the section varies
_LEAST_GAIN: Final = 0.1
_LUCK: Final = 1e-3  # a difference smaller than this share of the foreseen one is parity, not gain
# Below this, orders agree by luck and rounding as much as by resolution (measured: rounding stays
# below 1e-13 up to a span of ten thousand heights).
_FLOOR: Final = 1e-10

_WALL_FLOOR: Final = 1e-8  # rounding in walls a ten-thousandth as thick as they are wide
_WALL_SAFETY: Final = 1.5
_WALL_RATES: Final = (0.15, 0.75)  # gains from order to order outside these are luck or stalling


def member_estimate(one: Array, two: Array, order: int, tapered: bool) -> Array:
    """Estimate relative errors from the differences to the next lower order and the one below.

    The difference d to the next lower order is that order's error. For waves resolved by elements
    of order p it falls as (kh)^2p (M. Ainsworth, "Discrete dispersion relation for hp-version
    finite element approximation", SIAM J. Numer. Anal. 42 (2004) 553-575), so raising the order
    by one gains a factor of the size d^(1/(p-1)). It is taken with a safety factor and never
    counted as more than ten. Where a mode's symmetry makes two orders agree by luck, the order
    below them is asked instead.
    """
    safety = _SAFETY_TAPERED if tapered else _SAFETY
    estimate = one * np.clip(safety * one ** (1 / (order - 1)), _LEAST_GAIN, 1.0)
    slope = two ** (1 / max(1, order - 2))
    lucky = (one < _LUCK * two * slope) | tapered
    estimate = np.where(lucky, np.maximum(estimate, two * slope**2), estimate)
    return np.asarray(estimate + _FLOOR)


def wall_estimate(one: Array, two: Array) -> Array:
    """Estimate relative errors of a wall's modes from the same two differences.

    At corners, holes and free edges errors fall by a steady factor r from order to order, and the
    sum of what is still to come is d r / (1 - r) (A. C. Aitken's extrapolation; I. Babuska and
    B. Q. Guo, "The h-p version of the finite element method", Comput. Mech. 1 (1986) 21-41). The
    factor is read off both differences and kept between bounds.
    """
    rate = np.clip(one / np.where(two > 0, two, 1.0), *_WALL_RATES)
    # A mode's symmetry may let one order bring nothing; then the one below it tells the course.
    step = np.maximum(one, two * rate * _WALL_RATES[0])
    return np.asarray(_WALL_SAFETY * step * rate / (1 - rate) + _WALL_FLOOR)
