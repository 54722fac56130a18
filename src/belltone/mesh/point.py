"""A point in space without material, as a mesh of one node."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.parts import PointValue
from belltone.design.place import Place
from belltone.mesh.sites import Feet, SiteNodes

__all__ = ["PointMesh"]

Array = NDArray[np.float64]


@dataclass(frozen=True)
class PointMesh:
    """One node and no elements."""

    point: PointValue

    @property
    def coordinates(self) -> Array:
        """Its position ``(1, 3)`` (m)."""
        return self.point.position[None]

    @property
    def connectivity(self) -> NDArray[np.intp]:
        """None."""
        return np.zeros((0, 1), dtype=np.intp)

    @property
    def unknowns(self) -> int:
        """Six."""
        return 6

    @property
    def counted(self) -> tuple[tuple[int, ...], ...]:
        """Elements keep their places."""
        return ()

    @property
    def size(self) -> float:
        """It has none."""
        return 0.0

    def site(self, place: Place) -> SiteNodes:
        """Its node."""
        return SiteNodes(
            np.zeros((1, 1), dtype=np.intp),
            np.ones((1, 1)),
            np.eye(3)[None],
            np.ones(1),
            self.coordinates,
        )

    def at_nodes_of(self, _other: PointMesh) -> scipy.sparse.csr_matrix:
        """Rows that read a motion of this mesh at the node of another."""
        return scipy.sparse.csr_matrix(np.ones((1, 1)))

    def feet(self, points: Array) -> Feet:
        """Itself, for every point."""
        count = len(points)
        return Feet(
            np.zeros((count, 1), dtype=np.intp),
            np.ones((count, 1)),
            np.tile(self.point.position, (count, 1)),
            np.zeros(count),
        )
