"""Products of many vectors of three components at once."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["cross"]


def cross(
    first: NDArray[Any], second: NDArray[Any], into: NDArray[Any] | None = None
) -> NDArray[Any]:
    """Cross products of vectors ``(..., 3)``, broadcast against each other, put ``into`` an array.

    The same as ``numpy.cross`` to the last digit, which takes three times as long for a handful.
    """
    one, two, three = first[..., 0], first[..., 1], first[..., 2]
    other, another, last = second[..., 0], second[..., 1], second[..., 2]
    along = two * last - three * another
    found = np.empty((*along.shape, 3), along.dtype) if into is None else into
    found[..., 0] = along
    np.subtract(three * other, one * last, out=found[..., 1])
    np.subtract(one * another, two * other, out=found[..., 2])
    return found
