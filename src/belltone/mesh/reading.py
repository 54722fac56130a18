"""Rows that read what one set of nodes does at other places."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

__all__ = ["reading_rows"]


def reading_rows(
    nodes: NDArray[np.intp], weights: NDArray[np.float64], count: int
) -> scipy.sparse.csr_matrix:
    """Rows ``(places, count)`` that take values at ``count`` nodes to places.

    ``nodes`` and ``weights`` (places, k) say which nodes a place is read from and how much each
    counts.
    """
    places, each = nodes.shape
    starts = np.arange(0, places * each + 1, each)
    return scipy.sparse.csr_matrix((weights.ravel(), nodes.ravel(), starts), shape=(places, count))
