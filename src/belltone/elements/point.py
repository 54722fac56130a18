"""A point in space without material."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from belltone.elements.directors import DirectorForm, Stressed

__all__ = ["PointElements"]

Array = NDArray[np.float64]


@dataclass(frozen=True)
class PointElements:
    """No matrices and no energy."""

    def matrices(self) -> tuple[Array, Array]:
        """None, ``(0, 6, 6)`` each."""
        return np.zeros((0, 6, 6)), np.zeros((0, 6, 6))

    def stiffness(self) -> Array:
        """None."""
        return np.zeros((0, 6, 6))

    def inertia(self) -> DirectorForm:
        """None."""
        return DirectorForm(np.zeros((0, 1, 1)), np.zeros((0, 1, 1, 1)), np.zeros((0, 1, 1, 1, 1)))

    @property
    def positions(self) -> Array:
        """None."""
        return np.zeros((0, 1, 3))

    @property
    def directors(self) -> Array:
        """None."""
        return np.zeros((0, 1, 1, 3))

    def posed(self, positions: Array, turned: Array) -> PointElements:
        """Itself."""
        return self

    def stressed(self, motions: Array | None, heat: float, pull: float = 0.0) -> Stressed:
        """None."""
        return Stressed(np.zeros((0, 6)), np.zeros((0, 6, 6)))

    def points(self) -> Array:
        """None."""
        return np.zeros((0, 1, 3))

    def pushed(self, pressure: Array) -> Stressed:
        """None."""
        return self.stressed(None, 0.0)

    def strain_energy(self, motions: Array) -> Array:
        """None, ``(modes, 0, 1)``."""
        return np.zeros((len(motions), 0, 1))
