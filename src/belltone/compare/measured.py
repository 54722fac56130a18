"""Modes told at points: what a measurement gives, and what a design gives at the same points."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from belltone.compare.likeness import Side

__all__ = ["ModesAtPoints", "modes_at", "motions_at"]

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class ModesAtPoints:
    """Modes told at points: ``frequencies`` (m,) in Hz, ``positions`` (k, 3) in m.

    ``shapes`` (m, k, 3) are relative, with no number where nothing is told; there may be no points
    at all. ``mode_names`` say what the modes are called, empty where nothing is said.
    """

    frequencies: Array
    positions: Array
    shapes: Array
    mode_names: tuple[str, ...]


def motions_at(side: Side, positions: Array) -> Array:
    """How the flexible modes of a design move points ``(k, 3)`` (m): ``(modes, k, 3)``, relative.

    Each goes with the nearest point shapes are read at and turns as that one does: a point on the
    flank of a member moves with its section, and one between two points follows the slope there.
    """
    places = np.concatenate([part.positions for part in side.witness.parts])
    shapes = side.modes.shapes[side.modes.rigid_count :]
    _, near = cKDTree(places).query(positions)
    arms = positions - places[near]
    return np.asarray(shapes[:, near, :3] + np.cross(shapes[:, near, 3:], arms[None]))


def modes_at(side: Side, positions: Array | None = None) -> ModesAtPoints:
    """The flexible modes of a design at points, or at all points their shapes are read at."""
    modes = side.modes
    rows = range(modes.rigid_count, len(modes))
    kinds = tuple(modes.kinds[row] for row in rows)
    if positions is None:
        positions = np.concatenate([part.positions for part in side.witness.parts])
        shapes = modes.shapes[modes.rigid_count :, :, :3]
    else:
        shapes = motions_at(side, positions)
    return ModesAtPoints(modes.flexible.copy(), positions, shapes, kinds)
