"""Designs spread evenly over a few knobs.

I. M. Sobol, USSR Comput. Math. Math. Phys. 7 (1967) 86-112, scrambled after A. B. Owen, J.
Complexity 14 (1998) 466-489, so that a seed makes another spread.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

__all__ = ["evenly"]


def evenly(knobs: int, count: int, seed: int = 0) -> NDArray[np.float64]:
    """Places ``(count, knobs)`` from 0 to 1, the same for the same seed."""
    # Loaded only where it is needed: it takes a while.
    from scipy.stats import qmc

    power = max(0, math.ceil(math.log2(count)))
    return np.asarray(qmc.Sobol(knobs, seed=seed).random_base2(power)[:count])
