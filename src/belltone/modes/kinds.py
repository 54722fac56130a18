"""What kind of motion a mode is, told from where its strain energy is."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = ["energy_shares", "kind_names"]

Array = NDArray[np.float64]

_KINDS: Final = ("axial", "twist", "bending about y", "bending about z", "moving on its springs")
_MINOR: Final = 0.25  # a second kind with at least this share of the energy is named too


def energy_shares(strain_energy: Array) -> Array:
    """Turn energies by strain and of springs ``(modes, 7)`` into shares ``(modes, 5)`` by kind.

    Shear along z belongs to bending about y, shear along y to bending about z.
    """
    axial, shear_y, shear_z, twist, about_y, about_z, springs = strain_energy.T
    by_kind = np.column_stack([axial, twist, about_y + shear_z, about_z + shear_y, springs])
    total = by_kind.sum(axis=1, keepdims=True)
    return np.asarray(by_kind / np.where(total > 0, total, 1.0))


def kind_names(shares: Array) -> tuple[str, ...]:
    """Name each mode by its largest share, and a second one where it is not small."""
    names: list[str] = []
    for row in shares:
        order = np.argsort(row)[::-1]
        name = _KINDS[order[0]]
        if row[order[1]] >= _MINOR:
            name = f"{name} with {_KINDS[order[1]]}"
        names.append(name)
    return tuple(names)
