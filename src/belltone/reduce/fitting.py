"""Node motions made to fit what supports and joints permit at another design."""

from __future__ import annotations

from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.system.elimination import FreeMotions

__all__ = ["Fitting"]

Array = NDArray[np.float64]

_LEVER: Final = 0.1  # of the size; by this a turn counts as a slide


class Fitting:
    """Takes node motions to the nearest ones that ties permit, by what is free.

    Nearest by the sum of squares, so that where ties move little, motions change little, whichever
    unknowns are expressed by others. ``extent`` (m) is the size of the component.
    """

    def __init__(self, free: FreeMotions, extent: float) -> None:
        self._kept = free.kept
        size = free.basis.shape[0]
        weights = np.tile([1.0, 1.0, 1.0, *([(_LEVER * extent) ** 2] * 3)], size // 6)
        following = np.ones(size, bool)
        following[free.kept] = False
        rows = free.basis.tocsr()[np.flatnonzero(following)]
        used = np.diff(rows.indptr) > 0
        self._following = np.flatnonzero(following)[used]
        self._tied = np.unique(rows.indices)
        if not len(self._tied):
            return
        self._rows = scipy.sparse.csr_matrix(rows[used][:, self._tied])
        self._own = weights[free.kept][self._tied]
        self._pull = scipy.sparse.csr_matrix(
            self._rows.T @ scipy.sparse.diags_array(weights[self._following])
        )
        normal = scipy.sparse.diags_array(self._own) + self._pull @ self._rows
        self._solver = scipy.sparse.linalg.splu(scipy.sparse.csc_matrix(normal))

    def __call__(self, motions: Array) -> Array:
        """What is free, of motions ``(unknowns, k)``."""
        found = np.asarray(motions[self._kept])
        if len(self._tied):
            wanted = self._own[:, None] * found[self._tied]
            wanted += np.asarray(self._pull @ motions[self._following])
            found[self._tied] = self._solver.solve(wanted)
        return found
