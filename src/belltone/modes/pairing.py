"""Which mode of one mode set is which of another."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from belltone.modes.matching import assurance, paired
from belltone.modes.modeset import Spectrum

__all__ = ["pair"]


def pair(
    first: Spectrum,
    second: Spectrum,
    places: Sequence[int] | None = None,
    expected: NDArray[np.float64] | None = None,
) -> tuple[NDArray[np.intp], NDArray[np.float64]]:
    """Find the partners of flexible modes of ``first`` among the flexible ones of ``second``.

    ``places`` chooses some of the first set, whose frequencies (Hz) are ``expected`` to have become
    those, or to be unchanged. Returns the partners' places (-1 where there is none) and the
    assurance of each, 0 to 1.
    """
    chosen = np.arange(len(first.flexible)) if places is None else np.asarray(places, np.intp)
    alike = assurance(
        first.signatures[first.rigid_count + chosen], second.signatures[second.rigid_count :]
    )
    foreseen = first.flexible[chosen] if expected is None else expected
    return paired(alike, second.flexible, foreseen)
