"""What plates and shells are made of, in SI units: wall materials, plies, the layup they form."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["LayupValue", "PlyMaterialValue", "PlyValue"]

Array = NDArray[np.float64]


@dataclass(frozen=True)
class PlyMaterialValue:
    """Orthotropic ply: density (kg/m³), moduli (Pa) along and across its fibres, Poisson's ratio.

    ``poisson_ratio`` is the contraction across for a pull along the fibres; the expansions (1/K)
    are not a number where nobody stated them. An isotropic material is the special case
    `isotropic` makes.
    """

    name: str
    density: float
    modulus_along: float
    modulus_across: float
    poisson_ratio: float
    shear_in_plane: float
    shear_along: float
    shear_across: float
    expansion_along: float = math.nan
    expansion_across: float = math.nan

    @classmethod
    def isotropic(
        cls,
        name: str,
        density: float,
        youngs_modulus: float,
        poisson_ratio: float,
        expansion: float = math.nan,
    ) -> PlyMaterialValue:
        """The same in all directions."""
        shear = youngs_modulus / (2 * (1 + poisson_ratio))
        return cls(
            name,
            density,
            youngs_modulus,
            youngs_modulus,
            poisson_ratio,
            shear,
            shear,
            shear,
            expansion,
            expansion,
        )

    @property
    def is_isotropic(self) -> bool:
        """Whether the angle of a ply makes no difference."""
        shear = self.modulus_along / (2 * (1 + self.poisson_ratio))
        return self.modulus_along == self.modulus_across and math.isclose(
            self.shear_in_plane, shear, rel_tol=1e-9
        )

    @property
    def expands(self) -> bool:
        """Whether it is known how far it grows with warmth."""
        return math.isfinite(self.expansion_along) and math.isfinite(self.expansion_across)

    def expansion_at(self, angle: float) -> Array:
        """Strains (11, 22, 2·12) of one kelvin, fibres turned by ``angle``; zero where unknown."""
        if not self.expands:
            return np.zeros(3)
        c, s = math.cos(angle), math.sin(angle)
        along, across = self.expansion_along, self.expansion_across
        return np.array(
            [
                c * c * along + s * s * across,
                s * s * along + c * c * across,
                2 * c * s * (along - across),
            ]
        )

    def stiffness_at(self, angle: float) -> tuple[Array, Array]:
        """Plane-stress (3, 3) and transverse shear (2, 2) stiffness (Pa), turned by ``angle``.

        Strains are (11, 22, 2·12) and (13, 23), uncorrected (J. N. Reddy, Mechanics of Laminated
        Composite Plates and Shells, 2nd ed., section 2.4).
        """
        across = self.poisson_ratio * self.modulus_across / self.modulus_along
        factor = 1 - self.poisson_ratio * across
        plane = np.array(
            [
                [self.modulus_along, across * self.modulus_along, 0.0],
                [across * self.modulus_along, self.modulus_across, 0.0],
                [0.0, 0.0, self.shear_in_plane * factor],
            ]
        )
        plane /= factor
        c, s = math.cos(angle), math.sin(angle)
        strain = np.array(
            [
                [c * c, s * s, c * s],
                [s * s, c * c, -c * s],
                [-2 * c * s, 2 * c * s, c * c - s * s],
            ]
        )
        turn = np.array([[c, s], [-s, c]])
        shear = np.diag([self.shear_along, self.shear_across])
        return strain.T @ plane @ strain, turn.T @ shear @ turn


@dataclass(frozen=True)
class PlyValue:
    """One ply: its material and the angle (rad) of its fibres from the part's first direction."""

    material: PlyMaterialValue
    angle: float


@dataclass(frozen=True)
class LayupValue:
    """Plies from the inner face (against the normal) outwards, and their shares of the thickness.

    ``shear_factor`` corrects transverse shear; ``mass_per_area`` (kg/m²) is mass without
    stiffness.
    """

    plies: tuple[PlyValue, ...]
    shares: tuple[float, ...]
    shear_factor: float = 5.0 / 6.0
    mass_per_area: float = 0.0

    @property
    def density(self) -> float:
        """Mean density through the thickness (kg/m³)."""
        return sum(
            ply.material.density * share for ply, share in zip(self.plies, self.shares, strict=True)
        )

    @property
    def single(self) -> bool:
        """Whether it is one material all through."""
        return len(self.plies) == 1

    @property
    def drilling_modulus(self) -> float:
        """Mean in-plane shear modulus (Pa), which scales the drilling stiffness."""
        return sum(
            ply.material.shear_in_plane * share
            for ply, share in zip(self.plies, self.shares, strict=True)
        )
