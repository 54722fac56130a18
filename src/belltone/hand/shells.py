"""Hand checks of full shells of revolution: here circular cylinders, on diaphragms or free.

Ends on diaphragms: Flügge's equations, as in A. W. Leissa, Vibration of Shells, NASA SP-288 (1973),
section 2.3. Free: Rayleigh's motion without stretching, Theory of Sound, section 235c.
"""

from __future__ import annotations

import math
from typing import Final

import numpy as np

from belltone.design.parts import SurfaceValue
from belltone.design.values import Design
from belltone.geometry.profiles import Arc
from belltone.geometry.shapes import Revolved
from belltone.hand.check import Found
from belltone.hand.spheres import sphere_checks
from belltone.hand.walls import Wall, pattern_of, wall_of
from belltone.modes.modeset import ModeSet

__all__ = ["shell_checks"]

_STRAIGHT: Final = 1e-9
_SAME: Final = 1e-3  # relative; frequencies nearer than this are one


def shell_checks(design: Design, modes: ModeSet, index: int) -> tuple[list[Found], str]:
    """Breathing of a full shell of revolution, and why there is no value where there is none."""
    (part,) = design.solid_parts
    assert isinstance(part, SurfaceValue)
    shape = part.shape
    assert isinstance(shape, Revolved)
    pieces = shape.profile.segments
    if not shape.full or len(pieces) != 1:
        return [], "the shell is neither a cylinder nor a sphere"
    if not part.layup.plies[0].material.is_isotropic:
        return [], "its wall is not the same in all directions"
    if len(part.layup.plies) > 1 or part.thickness.along is not None:
        return [], "its wall is layered or uneven"
    if design.masses or design.preload is not None:
        return [], "it is loaded, or carries a mass"
    wall = wall_of(part)
    words = {support.place.feature or "": support.words for support in design.supports}
    kind = modes.kinds[index]
    piece = pieces[0]
    if isinstance(piece, Arc):
        kinds = _alike(modes, index)
        return sphere_checks(wall, piece, part.offset * wall.thickness * _out(part), words, kinds)
    radius = piece.start[0]
    if abs(radius - piece.stop[0]) > _STRAIGHT * max(radius, piece.stop[0]):
        return [], "the shell is neither a cylinder nor a sphere"
    radius += part.offset * wall.thickness * _out(part)
    return _cylinder_checks(wall, radius, abs(piece.stop[1] - piece.start[1]), words, kind)


def _alike(modes: ModeSet, index: int) -> list[str]:
    """What a mode and those of the same frequency do, the mode itself first."""
    frequency = modes.frequencies[index]
    same = np.abs(modes.frequencies / frequency - 1) < _SAME
    return [modes.kinds[index], *(modes.kinds[at] for at in np.flatnonzero(same) if at != index)]


def _cylinder_checks(
    wall: Wall, radius: float, length: float, words: dict[str, str], kind: str
) -> tuple[list[Found], str]:
    told = pattern_of(kind)
    if told is None:
        return [], "the pattern of the mode is in no table"
    halves, waves = told
    ratio = wall.ratio
    scale = wall.speed / radius
    if not words:
        if waves < 2:
            return [], "free cylinders have a formula for two waves round and more"
        square = waves**2
        thin = wall.thickness**2 / (12 * radius**2)
        value = thin * square * (square - 1) ** 2 / (square + 1)
        formula = f"free cylinder without stretching, n = {waves}"
        if halves == 2:
            # A. E. H. Love: ends move against each other, which twists the wall as well.
            value = thin * square * (square - 1) ** 2
            value *= 1 + 24 * (1 - ratio) * radius**2 / (square * length**2)
            value /= square + 1 + 12 * radius**2 / (square * length**2)
            formula += ", ends against each other"
        elif halves != 1:
            return [], "free cylinders without stretching have no more half-waves"
        frequency = scale * math.sqrt(value) / (2 * math.pi)
        source = "Lord Rayleigh, Theory of Sound, § 235c; NASA SP-288, section 2.4"
        return [(formula, frequency, source, "thin: its middle surface does not stretch")], ""
    if set(words) != {"start", "end"} or set(words.values()) != {"diaphragm"}:
        return [], "its ends are neither free nor both on diaphragms"
    value = _fluegge(halves, waves, length / radius, wall.thickness / radius, ratio)
    formula = f"cylinder on diaphragms, m = {halves}, n = {waves}, by Flügge"
    source = "NASA SP-288 (1973), section 2.3"
    return [(formula, scale * value / (2 * math.pi), source, "thin: no shear of the wall")], ""


def _out(part: SurfaceValue) -> float:
    """Whether the normal points away from the axis (1) or to it (-1)."""
    places, normals, _, _ = part.locate(0, np.array([0.5]), np.array([0.0]))
    axis, arm = part.frame[:, 2], places[0] - part.origin
    radial = arm - (arm @ axis) * axis
    return float(np.sign(radial @ normals[0]))


def _fluegge(halves: int, waves: int, long: float, thin: float, ratio: float) -> float:
    """The least Ω = ωR √(ρ(1−ν²)/E) of Flügge's three equations."""
    k, n = thin**2 / 12, waves
    step = halves * math.pi / long
    matrix = np.array(
        [
            [
                step**2 + 0.5 * (1 - ratio) * (1 + k) * n**2,
                -0.5 * (1 + ratio) * step * n,
                -ratio * step - k * (step**3 - 0.5 * (1 - ratio) * step * n**2),
            ],
            [
                -0.5 * (1 + ratio) * step * n,
                n**2 + 0.5 * (1 - ratio) * (1 + 3 * k) * step**2,
                n + 0.5 * k * (3 - ratio) * step**2 * n,
            ],
            [
                -ratio * step - k * (step**3 - 0.5 * (1 - ratio) * step * n**2),
                n + 0.5 * k * (3 - ratio) * step**2 * n,
                1 + k * ((step**2 + n**2) ** 2 - 2 * n**2 + 1),
            ],
        ]
    )
    return math.sqrt(max(float(np.linalg.eigvalsh(matrix)[0]), 0.0))
