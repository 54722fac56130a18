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
from belltone.sections.layups import LayupValue, PlyValue

__all__ = ["MEASURES", "Wall", "WallStress", "wall_stiffness", "wall_stress"]

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
    the integrals of density times 1, z and z² through the thickness; ``heated`` ``(..., 11)`` is
    the stress that works on the strains when the wall gets warmer by one kelvin and is not held,
    which is what holding it takes off.
    """

    stiffness: Array
    inertia: Array
    heated: Array


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
    basis = _basis(director, first_axis)
    points, weights = gauss(_POINTS)
    stiffness = np.zeros((*thickness.shape, MEASURES, MEASURES))
    inertia = np.zeros((*thickness.shape, 3))
    heated = np.zeros((*thickness.shape, MEASURES))
    bottom = -0.5
    for ply, share in zip(layup.plies, layup.shares, strict=True):
        plane, shear = ply.material.stiffness_at(ply.angle)
        swelling = plane @ ply.material.expansion_at(ply.angle)
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
            warm = np.einsum("...ki,k->...i", to_frame, swelling)
            pushed = np.einsum("...,...p,...i->...pi", volume, powers, warm)
            heated[..., :9] += pushed.reshape(*thickness.shape, 9)
            stiffness[..., 9:, 9:] += layup.shear_factor * volume[..., None, None] * slide
            inertia += (ply.material.density * volume)[..., None] * powers
        bottom += share
    # Mass that is not structure (paint, insulation) rides on the middle surface.
    area = np.linalg.norm(np.cross(tangents[..., 0, :], tangents[..., 1, :]), axis=-1)
    inertia[..., 0] += layup.mass_per_area * area
    return Wall(stiffness, inertia, heated)


@dataclass(frozen=True)
class WallStress:
    """Membrane forces (N/m) and bending moments (N), each ``(..., 3)`` in the wall's own axes.

    ``faces`` ``(..., 2, 3)`` are stresses (Pa) at the inner and the outer face. Components are
    along the first axis, square to it, and the shear of both.
    """

    membrane: Array
    moments: Array
    faces: Array

    @property
    def von_mises(self) -> Array:
        """The stress (Pa) that compares with a yield stress, at both faces ``(..., 2)``."""
        one, two, shear = np.moveaxis(self.faces, -1, 0)
        return np.asarray(np.sqrt(one**2 - one * two + two**2 + 3 * shear**2))


def wall_stress(
    layup: LayupValue,
    strains: Array,
    heat: float,
    thickness: Array,
    tangents: Array,
    director: Array,
    director_slopes: Array,
    first_axis: Array,
) -> WallStress:
    """Stresses of generalised strains ``(..., 11)`` and a rise of temperature (K).

    Other arguments as in `wall_stiffness`.
    """
    basis = _basis(director, first_axis)
    points, weights = gauss(_POINTS)
    membrane, moments = np.zeros((*thickness.shape, 3)), np.zeros((*thickness.shape, 3))
    faces = np.zeros((*thickness.shape, 2, 3))

    def stress(ply: PlyValue, z: Array) -> Array:
        plane, _ = ply.material.stiffness_at(ply.angle)
        base = tangents + z[..., None, None] * director_slopes
        metric = np.einsum("...ac,...ic->...ai", base, basis)
        to_frame = _strain_transform(np.linalg.inv(metric))
        covariant = strains[..., :3] + z[..., None] * strains[..., 3:6]
        covariant = covariant + (z * z)[..., None] * strains[..., 6:9]
        own = np.einsum("...ij,...j->...i", to_frame, covariant)
        return np.asarray((own - heat * ply.material.expansion_at(ply.angle)) @ plane.T)

    bottom = -0.5
    for ply, share in zip(layup.plies, layup.shares, strict=True):
        for point, weight in zip(points, weights, strict=True):
            z = thickness * (bottom + share * 0.5 * (1 + point))
            layer = stress(ply, z) * (thickness * 0.5 * share * weight)[..., None]
            membrane += layer
            moments += z[..., None] * layer
        bottom += share
    for face, (ply, side) in enumerate(((layup.plies[0], -0.5), (layup.plies[-1], 0.5))):
        faces[..., face, :] = stress(ply, side * thickness)
    return WallStress(membrane, moments, faces)


def _basis(director: Array, first_axis: Array) -> Array:
    """The wall's first and second axis in its plane, ``(..., 2, 3)``."""
    unit = director / np.linalg.norm(director, axis=-1, keepdims=True)
    one = first_axis - np.sum(first_axis * unit, axis=-1, keepdims=True) * unit
    one /= np.linalg.norm(one, axis=-1, keepdims=True)
    return np.stack([one, np.cross(unit, one)], axis=-2)


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
