"""Where the nodes of a component are after finite motions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from belltone.elements.directors import turns

__all__ = ["Pose"]

Array = NDArray[np.float64]
IntArray = NDArray[np.intp]


@dataclass(frozen=True)
class Pose:
    """Displacements ``(nodes, 3)`` (m) and rotation matrices ``(nodes, 3, 3)`` of all nodes."""

    displacements: Array
    turned: Array

    @classmethod
    def as_made(cls, nodes: int) -> Pose:
        """Nothing has moved."""
        return cls(np.zeros((nodes, 3)), np.broadcast_to(np.eye(3), (nodes, 3, 3)).copy())

    def moved(self, motions: Array) -> Pose:
        """One more motion ``(6 nodes,)`` of everything, turns after those there have been."""
        six = motions.reshape(-1, 6)
        return Pose(self.displacements + six[:, :3], turns(six[:, 3:]) @ self.turned)

    def displacements_at(self, nodes: IntArray, weights: Array) -> Array:
        """Displacements ``(places, 3)`` read off nodes ``(places, k)``."""
        return np.asarray(np.einsum("sk,skd->sd", weights, self.displacements[nodes]))

    def turned_at(self, nodes: IntArray, weights: Array) -> Array:
        """Rotation matrices ``(places, 3, 3)``: those nearest to the mean of the nodes'."""
        if nodes.shape[1] == 1:
            return self.turned[nodes[:, 0]]
        mean = np.einsum("sk,skij->sij", weights, self.turned[nodes])
        left, _, right = np.linalg.svd(mean)
        return np.asarray(left @ right)
