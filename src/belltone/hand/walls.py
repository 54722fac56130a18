"""What formulas of shells share: the wall, and which pattern a mode is of."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from belltone.design.parts import SurfaceValue

__all__ = ["Wall", "pattern_of", "wall_of"]


@dataclass(frozen=True)
class Wall:
    """An even wall of one material: thickness (m), Young's modulus (Pa), density (kg/m³)."""

    thickness: float
    modulus: float
    ratio: float
    density: float

    @property
    def speed(self) -> float:
        """√(E / ρ(1 − ν²)), how fast stretching runs through a plate (m/s)."""
        return math.sqrt(self.modulus / (self.density * (1 - self.ratio**2)))

    @property
    def rigidity(self) -> float:
        """Bending stiffness of a width of one (N m)."""
        return self.modulus * self.thickness**3 / (12 * (1 - self.ratio**2))


def wall_of(part: SurfaceValue) -> Wall:
    """The wall of a shell of one even, isotropic ply; what is spread over it counts as its own."""
    material = part.layup.plies[0].material
    thickness = float(part.thickness.start)
    density = part.layup.density + part.layup.mass_per_area / thickness
    return Wall(thickness, material.modulus_along, material.poisson_ratio, density)


def pattern_of(kind: str) -> tuple[int, int] | None:
    """Half-waves along the profile and waves round of a mode of a shell of revolution, if told."""
    told = re.fullmatch(r"(?:breathing|bending as a tube) \((\d+), (\d+)\)", kind)
    return None if told is None else (int(told.group(1)), int(told.group(2)))
