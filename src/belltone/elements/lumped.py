"""Rigid bodies hung on a node."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

__all__ = ["cross_matrix", "rigid_body_mass"]

Array = NDArray[np.float64]


def cross_matrix(vector: Array) -> Array:
    """Return the matrix that takes ``b`` to ``vector x b``."""
    x, y, z = vector
    return np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])


def rigid_body_mass(mass: float, inertia: Array, offset: Array) -> Array:
    """Return the ``(6, 6)`` mass matrix, about a node, of a body centred ``offset`` from it.

    ``inertia`` (3,) is about the body's own centre, in the sheet's axes (kg m²).
    """
    arm = cross_matrix(offset)
    matrix = np.zeros((6, 6))
    matrix[:3, :3] = mass * np.eye(3)
    matrix[:3, 3:] = -mass * arm
    matrix[3:, :3] = mass * arm
    matrix[3:, 3:] = np.diag(inertia) + mass * arm.T @ arm
    return matrix
