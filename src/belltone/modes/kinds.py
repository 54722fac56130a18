"""What kind of motion a mode is, told from where its strain energy is."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "MEMBER_ENERGIES",
    "MIXED_ENERGIES",
    "WALL_ENERGIES",
    "energy_shares",
    "kind_family",
    "kind_names",
    "kind_names_of_several",
    "mixed_energies",
    "wall_kind_names",
    "wall_shares",
]

Array = NDArray[np.float64]

MEMBER_ENERGIES: Final = (
    "stretching",
    "twisting",
    "bending about y",
    "bending about z",
    "springs",
)
"""Where a member's strain energy can be; shear counts with the bending it belongs to."""
WALL_ENERGIES: Final = ("membrane", "bending", "shear", "springs")
"""Where a wall's strain energy can be."""

MIXED_ENERGIES: Final = ("stretching", "twisting", "bending", "shear", "springs")
"""Where the strain energy of a component of several parts can be; a wall's membrane stretches."""

_KINDS: Final = ("axial", "twist", "bending about y", "bending about z", "moving on its springs")
_ALONG: Final = 0.5  # share of the motion along the material with which a mode stretches it
_BENDING: Final = 2  # its place among `MIXED_ENERGIES`
_LEAST_BENDING: Final = (
    0.1  # share of the energy; a lattice of bars moves across them, and none bends
)
_MINOR: Final = 0.25  # a second kind with at least this share of the energy is named too


def kind_family(kind: str) -> str:
    """A member's kind without its half-waves, which change along a knob before the kind does."""
    head = kind.partition(",")[0]
    return head if head in ("axial", "twist") or " about " in head else kind


def energy_shares(strain_energy: Array) -> Array:
    """Turn energies by strain and of springs ``(modes, 7)`` into shares ``(modes, 5)`` by kind.

    Shear along z belongs to bending about y, shear along y to bending about z.
    """
    axial, shear_y, shear_z, twist, about_y, about_z, springs = strain_energy.T
    return wall_shares(
        np.column_stack([axial, twist, about_y + shear_z, about_z + shear_y, springs])
    )


def wall_shares(energies: Array) -> Array:
    """Turn energies ``(modes, k)`` into shares of their sum."""
    total = energies.sum(axis=1, keepdims=True)
    return np.asarray(energies / np.where(total > 0, total, 1.0))


def kind_names(shares: Array, moving: Array) -> tuple[str, ...]:
    """Name each mode by its largest share, and a second one where it is not small.

    A bent member stretches as it bends; ``moving`` (modes, 3) of the moving mass along the axis,
    sideways and up tells that from a motion along the axis.
    """
    names: list[str] = []
    for row, ways in zip(shares, moving, strict=True):
        order = np.argsort(row)[::-1]
        if order[0] == 0 and ways[0] < _ALONG * ways.sum():
            names.append(f"{_KINDS[2 if ways[2] >= ways[1] else 3]} with stretching")
            continue
        name = _KINDS[order[0]]
        if row[order[1]] >= _MINOR:
            name = f"{name} with {_KINDS[order[1]]}"
        names.append(name)
    return tuple(names)


def wall_kind_names(shares: Array, patterns: tuple[str, ...]) -> tuple[str, ...]:
    """Name a wall's modes by their pattern, and where springs take part by that too."""
    names: list[str] = []
    for row, pattern in zip(shares, patterns, strict=True):
        if row[-1] >= 1 - _MINOR:
            names.append(f"moving on its springs, {pattern}")
        elif row[-1] >= _MINOR:
            names.append(f"{pattern} with moving on its springs")
        else:
            names.append(pattern)
    return tuple(names)


def mixed_energies(strain_energy: Array) -> Array:
    """Turn a part's energies by strain ``(modes, 6 or 3 or 1)`` into `MIXED_ENERGIES` less springs.

    The shear of a member belongs to its bending.
    """
    modes = len(strain_energy)
    result = np.zeros((modes, 4))
    if strain_energy.shape[1] == 6:
        axial, shear_y, shear_z, twist, about_y, about_z = strain_energy.T
        result[:, 0], result[:, 1] = axial, twist
        result[:, 2] = about_y + about_z + shear_y + shear_z
    elif strain_energy.shape[1] == 3:
        result[:, 0], result[:, 2], result[:, 3] = strain_energy.T
    return result


_DOMINANT: Final = 0.6  # share of the energy with which one part is what the mode is of
_DIRECT: Final = 0.6  # share of the motion along one axis with which it is named


def kind_names_of_several(
    shares: Array, part_shares: Array, part_names: tuple[str, ...], moving: Array, across: Array
) -> tuple[str, ...]:
    """Name modes of several parts: what strains, in which part if in one, and which way it moves.

    ``shares`` (modes, 5) are of `MIXED_ENERGIES`, ``moving`` (modes, 3) of the moving mass by axis,
    ``across`` (modes, 3) of it along the parts' material, sideways and up. What moves across the
    material bends, though a rib on its back stretches for it.
    """
    words = ("stretching", "twist", "bending", "shear", "moving on its springs")
    names: list[str] = []
    for row, parts, ways, own in zip(shares, part_shares, moving, across, strict=True):
        order = np.argsort(row)[::-1]
        bends = row[_BENDING] >= _LEAST_BENDING and own[0] < _ALONG * own.sum()
        if order[0] == 0 and bends:
            order = np.array([_BENDING, *(kind for kind in order if kind != _BENDING)])
        name = words[order[0]]
        if row[order[1]] >= _MINOR:
            name += f" with {words[order[1]]}"
        strongest = int(np.argmax(parts)) if len(parts) else 0
        if order[0] != 4 and len(parts) > 1 and parts[strongest] >= _DOMINANT:
            name += f" of “{part_names[strongest]}”"
        way = int(np.argmax(ways))
        if ways[way] >= _DIRECT * ways.sum():
            name += f", along {'xyz'[way]}"
        names.append(name)
    return tuple(names)
