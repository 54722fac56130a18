"""Where parts stand: their origin and their turns."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from belltone.reading.numbers import Values
from belltone.sheet.errors import Path
from belltone.sheet.part_models import Placement

__all__ = ["read_placement", "turn_about", "vector"]

Array = NDArray[np.float64]


def read_placement(values: Values, path: Path, placement: Placement | None) -> tuple[Array, Array]:
    """Origin (m) and frame (own axes as columns) of a part at ``path``."""
    origin, frame = np.zeros(3), np.eye(3)
    if placement is None:
        return origin, frame
    if placement.at is not None:
        origin = vector(values, (*path, "placement", "at"))
    if placement.turn is not None:
        for axis in range(3):
            angle = values.numbers[(*path, "placement", "turn", axis)]
            frame = turn_about(axis, angle) @ frame
    return origin, frame


def vector(values: Values, path: Path) -> Array:
    """The three numbers at a path."""
    return np.array([values.numbers[(*path, axis)] for axis in range(3)])


def turn_about(axis: int, angle: float) -> Array:
    """The matrix that turns by an angle (rad) about x, y or z."""
    c, s = math.cos(angle), math.sin(angle)
    i, j = (axis + 1) % 3, (axis + 2) % 3
    matrix = np.eye(3)
    matrix[i, i] = matrix[j, j] = c
    matrix[j, i], matrix[i, j] = s, -s
    return matrix
