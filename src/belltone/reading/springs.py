"""Directions and springs, as supports and joints state them."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.reading.numbers import Values
from belltone.sheet.errors import Path

__all__ = ["DIRECTIONS", "direction_rows", "read_springs"]

_SOFTEST: Final = 1e-7  # N/m or N m/rad; a gram would hang a hundred kilometres deep in it

DIRECTIONS: Final = ("x", "y", "z", "turn x", "turn y", "turn z")


def direction_rows(directions: tuple[int, ...]) -> NDArray[np.float64]:
    """Directions (0 to 5) as rows ``(k, 6)``, slides first."""
    return np.asarray(np.eye(6)[list(directions)].reshape(-1, 6))


def read_springs(values: Values, path: Path) -> dict[int, float]:
    """Stiffness by direction of the springs at a path, those of zero left out."""
    springs: dict[int, float] = {}
    for first, key in ((0, "springs"), (3, "turning_springs")):
        for axis, letter in enumerate("xyz"):
            stiffness = values.numbers.get((*path, key, letter))
            if stiffness is None:
                continue
            if stiffness < 0:
                values.add((*path, key, letter), "a stiffness must not be negative")
            elif 0 < stiffness < _SOFTEST:
                unit = "N/m" if first == 0 else "N*m/rad"
                values.add(
                    (*path, key, letter),
                    f"a spring of {stiffness:g} {unit} holds nothing: its motion drowns in "
                    f"rounding below {_SOFTEST:g} {unit}; leave it out",
                )
            elif stiffness > 0:
                springs[first + axis] = stiffness
    return springs
