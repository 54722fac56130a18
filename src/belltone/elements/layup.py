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
from belltone.vectors import cross

__all__ = ["MEASURES", "Wall", "WallStress", "wall_stiffness", "wall_stress"]

Array = NDArray[np.float64]

MEASURES: Final = 11
"""Generalised strains of a surface: membrane, bending and their curvature term (each 11, 22, 12
in the surface's own coordinates, 12 twice), then transverse shear 13 and 23."""

_POINTS: Final = 3  # through each ply; exact for flat plates, far below any error for R/t of 5
_POWERS: Final = 5  # of z, from none: products of two strains that go up to its square
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
    still, growing = (
        np.moveaxis(np.matmul(own, basis.swapaxes(-1, -2)), (-2, -1), (0, 1))[:, :, None]
        for own in (tangents, director_slopes)
    )
    points, weights = gauss(_POINTS)
    shape = thickness.shape
    lifted = (_POINTS, *(1 for _ in shape))
    # Sums over the thickness of each power of z: those of the strains' stiffness go up to four.
    inner = np.zeros((_POWERS, 3, 3, *shape))
    warm = np.zeros((3, 3, *shape))
    slide = np.zeros((2, 2, *shape))
    inertia = np.zeros((3, *shape))
    bottom = -0.5
    for ply, share in zip(layup.plies, layup.shares, strict=True):
        plane, shear = ply.material.stiffness_at(ply.angle)
        swelling = plane @ ply.material.expansion_at(ply.angle)
        z = thickness * (bottom + share * 0.5 * (1 + points.reshape(lifted)))
        across, area = _inverted(still + z * growing)
        volume = np.abs(area) * thickness * (0.5 * share * weights.reshape(lifted))
        powers = volume * z ** np.arange(_POWERS).reshape(-1, *lifted[1:], 1)
        to_frame = _strain_transform(across)
        layer = np.einsum("ki...,kj...->ij...", to_frame, np.tensordot(plane, to_frame, axes=1))
        inner += np.einsum("pz...,ijz...->pij...", powers, layer)
        pushed = np.tensordot(swelling, to_frame, axes=1)
        warm += np.einsum("pz...,iz...->pi...", powers[:3], pushed)
        held = np.einsum("ki...,kj...->ij...", across, np.tensordot(shear, across, axes=1))
        slide += layup.shear_factor * np.einsum("z...,ijz...->ij...", volume, held)
        inertia += ply.material.density * powers[:3].sum(axis=1)
        bottom += share
    stiffness = np.zeros((*shape, MEASURES, MEASURES))
    for one in range(3):
        for other in range(3):
            block = slice(3 * one, 3 * one + 3), slice(3 * other, 3 * other + 3)
            stiffness[(..., *block)] = np.moveaxis(inner[one + other], (0, 1), (-2, -1))
    stiffness[..., 9:, 9:] = np.moveaxis(slide, (0, 1), (-2, -1))
    heated = np.zeros((*shape, MEASURES))
    heated[..., :9] = np.moveaxis(warm.reshape(9, *shape), 0, -1)
    # Mass that is not structure (paint, insulation) rides on the middle surface.
    plain = np.linalg.norm(cross(tangents[..., 0, :], tangents[..., 1, :]), axis=-1)
    inertia[0] += layup.mass_per_area * plain
    return Wall(stiffness, np.moveaxis(inertia, 0, -1), heated)


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
        inverse = np.moveaxis(np.linalg.inv(metric), (-2, -1), (0, 1))
        to_frame = np.moveaxis(_strain_transform(inverse), (0, 1), (-2, -1))
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
    return np.stack([one, cross(unit, one)], axis=-2)


def _inverted(metric: Array) -> tuple[Array, Array]:
    """Inverses of small matrices ``(2, 2, ...)``, and their determinants."""
    area = metric[0, 0] * metric[1, 1] - metric[0, 1] * metric[1, 0]
    return np.array([[metric[1, 1], -metric[0, 1]], [-metric[1, 0], metric[0, 0]]]) / area, area


def _strain_transform(inverse: Array) -> Array:
    """From covariant (11, 22, 2·12) strains to those in the wall's frame, ``(3, 3, ...)``.

    ``inverse`` ``(2, 2, ...)`` holds the contravariant base vectors in the frame, as rows i of
    columns alpha.
    """
    transform = np.empty((3, 3, *inverse.shape[2:]))
    for row, (i, j) in enumerate(_PLANE):
        factor = 1.0 if i == j else 2.0
        for column, (a, b) in enumerate(_PLANE):
            both = inverse[i, a] * inverse[j, b]
            if a != b:
                both = 0.5 * (both + inverse[i, b] * inverse[j, a])
            transform[row, column] = factor * both
    return transform
