"""What a wall is made of: plies through the thickness, and the stiffness they give a surface.

First-order shear deformation: every ply in plane stress, transverse shear with a correction
factor (J. N. Reddy, Mechanics of Laminated Composite Plates and Shells, 2nd ed., chapter 3). The
metric's change through the thickness is kept, which counts for thick curved walls.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.mesh.quadrature import gauss
from belltone.sheet.walls import LayupValue

__all__ = ["MEASURES", "Wall", "wall_stiffness"]

Array = NDArray[np.float64]

MEASURES: Final = 11
"""Generalised strains of a surface: membrane, bending and their curvature term (each 11, 22, 12
in the surface's own coordinates, 12 twice), then transverse shear 13 and 23."""

_POINTS: Final = 3  # through each ply; exact for flat plates, far below any error for R/t of 5
_PLANE: Final = ((0, 0), (1, 1), (0, 1))


@dataclass(frozen=True)
class Wall:
    """Stiffness and mass of a wall at points ``(...)`` of a surface, for unit coordinate area.

    ``stiffness`` is ``(..., 11, 11)`` on the generalised strains; ``inertia`` ``(..., 3)`` holds
    the integrals of density times 1, z and z² through the thickness.
    """

    stiffness: Array
    inertia: Array


def wall_stiffness(
    layup: LayupValue,
    thickness: Array,
    tangents: Array,
    director: Array,
    director_slopes: Array,
    first_axis: Array,
) -> Wall:
    """Integrate a layup through the thickness.

    ``thickness`` is ``(...)`` in m; ``tangents`` and ``director_slopes`` are ``(..., 2, 3)``, the
    derivatives of position and director along the two coordinates; ``director`` and
    ``first_axis`` are ``(..., 3)``, ply angles being counted from the latter.
    """
    unit = director / np.linalg.norm(director, axis=-1, keepdims=True)
    one = first_axis - np.sum(first_axis * unit, axis=-1, keepdims=True) * unit
    one /= np.linalg.norm(one, axis=-1, keepdims=True)
    basis = np.stack([one, np.cross(unit, one)], axis=-2)
    points, weights = gauss(_POINTS)
    stiffness = np.zeros((*thickness.shape, MEASURES, MEASURES))
    inertia = np.zeros((*thickness.shape, 3))
    bottom = -0.5
    for ply, share in zip(layup.plies, layup.shares, strict=True):
        plane, shear = ply.material.stiffness_at(ply.angle)
        for point, weight in zip(points, weights, strict=True):
            z = thickness * (bottom + share * 0.5 * (1 + point))
            base = tangents + z[..., None, None] * director_slopes
            metric = np.einsum("...ac,...ic->...ai", base, basis)
            volume = np.abs(np.linalg.det(metric)) * thickness * (0.5 * share * weight)
            to_frame = _strain_transform(np.linalg.inv(metric))
            inner = np.einsum("...ki,kl,...lj->...ij", to_frame, plane, to_frame, optimize=True)
            across = np.linalg.inv(metric)
            slide = np.einsum("...ik,ij,...jl->...kl", across, shear, across, optimize=True)
            powers = np.stack([np.ones_like(z), z, z * z], axis=-1)
            blocks = np.einsum(
                "...,...p,...q,...ij->...piqj", volume, powers, powers, inner, optimize=True
            )
            stiffness[..., :9, :9] += blocks.reshape(*thickness.shape, 9, 9)
            stiffness[..., 9:, 9:] += layup.shear_factor * volume[..., None, None] * slide
            inertia += (ply.material.density * volume)[..., None] * powers
        bottom += share
    # Mass that is not structure (paint, insulation) rides on the middle surface.
    area = np.linalg.norm(np.cross(tangents[..., 0, :], tangents[..., 1, :]), axis=-1)
    inertia[..., 0] += layup.mass_per_area * area
    return Wall(stiffness, inertia)


def _strain_transform(inverse: Array) -> Array:
    """From covariant (11, 22, 2·12) strains to those in the wall's frame, ``(..., 3, 3)``.

    ``inverse`` ``(..., 2, 2)`` holds the contravariant base vectors in the frame, as rows i of
    columns alpha.
    """
    transform = np.empty((*inverse.shape[:-2], 3, 3))
    for row, (i, j) in enumerate(_PLANE):
        factor = 1.0 if i == j else 2.0
        for column, (a, b) in enumerate(_PLANE):
            both = inverse[..., i, a] * inverse[..., j, b]
            if a != b:
                both = 0.5 * (both + inverse[..., i, b] * inverse[..., j, a])
            transform[..., row, column] = factor * both
    return transform
