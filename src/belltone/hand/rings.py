"""Hand checks of closed circular rings that nothing holds."""

from __future__ import annotations

import math
import re
from typing import Final

import numpy as np

from belltone.design.values import Design
from belltone.modes.modeset import ModeSet

__all__ = ["ring_checks"]

_ROUND: Final = 1e-4  # of the radius
_RAO: Final = "S. S. Rao, Vibration of Continuous Systems, chapter 12 (R. Hoppe, 1871)"


def ring_checks(
    design: Design, modes: ModeSet, index: int
) -> tuple[list[tuple[str, float, str, str]], str]:
    """Bending of a free ring in its plane and out of it, by its waves round."""
    member = design.member
    assert member is not None
    if not member.path.closed:
        return [], "the member is bent"
    if design.supports or design.masses or design.preload is not None:
        return [], "the ring is held, loaded, or carries something"
    if member.tapered:
        return [], "its section changes along it"
    places = member.path.at(np.linspace(0.0, 1.0, 65)[:-1])[0]
    centre = places.mean(axis=0)
    radii = np.linalg.norm(places - centre, axis=1)
    radius = float(radii.mean())
    if np.ptp(radii) > _ROUND * radius:
        return [], "it is no circle"
    told = re.fullmatch(r"bending (in|out of) its plane, (\d+) waves round", modes.kinds[index])
    if told is None:
        return [], "its motion is none of bending"
    waves = int(told.group(2))
    normal = np.linalg.svd(places - centre, full_matrices=False)[2][2]
    section = member.section.properties(member.material.poisson_ratio)
    # In the plane it bends about the axis that stands on the plane.
    about_z = abs(float(member.frame[2] @ normal)) > 0.5
    moments = float(section.second_moment_z), float(section.second_moment_y)
    inside, outside = moments if about_z else moments[::-1]
    material = member.material
    scale = material.youngs_modulus / (
        (material.density * float(section.area) + member.line_mass) * radius**4
    )
    square = waves**2
    if told.group(1) == "in":
        value = scale * inside * square * (square - 1) ** 2 / (square + 1)
        formula = f"ring in its plane, n = {waves}, ω² = EI/(ρAR⁴)·n²(n²−1)²/(n²+1)"
    else:
        bend = material.youngs_modulus * outside
        ratio = bend / (material.shear_modulus * float(section.torsion_constant))
        value = scale * outside * square * (square - 1) ** 2 / (square + ratio)
        formula = f"ring out of its plane, n = {waves}, ω² = EI/(ρAR⁴)·n²(n²−1)²/(n²+EI/GJ)"
    assumes = "thin: no stretching, shear or rotary inertia"
    return [(formula, math.sqrt(value) / (2 * math.pi), _RAO, assumes)], ""
