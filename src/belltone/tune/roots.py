"""Where a function that takes long to find passes zero."""

from __future__ import annotations

from collections.abc import Callable

__all__ = ["root_between"]

_MOST = 40  # steps; halving alone would have settled every bracket by then


def root_between(
    function: Callable[[float], float],
    low: tuple[float, float],
    high: tuple[float, float],
    guess: float,
    step: float,
) -> float:
    """The zero of a function between two known points of different sign, to within ``step``.

    Inverse interpolation through all points known (R. P. Brent, Algorithms for Minimization
    without Derivatives (1973), ch. 4), from a guess on; halves where that leads nowhere. The value
    returned is where the last interpolation puts the zero: less than ``step`` from a value that was
    tried.
    """
    known = [low, high]
    tried = guess
    for _ in range(_MOST):
        if low[1] == 0 or high[1] == 0:
            return low[0] if low[1] == 0 else high[0]
        if not low[0] < tried < high[0]:
            tried = 0.5 * (low[0] + high[0])
        found = (tried, function(tried))
        if found[1] == 0:
            return tried
        known.append(found)
        if found[1] * low[1] > 0:
            low = found
        else:
            high = found
        ahead = _interpolated(known[-4:])
        if ahead is None or not low[0] <= ahead <= high[0]:
            ahead = 0.5 * (low[0] + high[0])
        if abs(ahead - tried) <= step or high[0] - low[0] <= step:
            return ahead
        tried = ahead
    return tried


def _interpolated(points: list[tuple[float, float]]) -> float | None:
    """Lagrange's polynomial of the place over the value, at zero."""
    total = 0.0
    for place, (x, y) in enumerate(points):
        weight = 1.0
        for other, (_, b) in enumerate(points):
            if other != place:
                if b == y:
                    return None
                weight *= b / (b - y)
        total += weight * x
    return float(total)
