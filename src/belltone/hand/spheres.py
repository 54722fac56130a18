"""Hand checks of whole spheres and of spherical caps that are closed at their top.

Whole spheres: H. Lamb, Proc. London Math. Soc. 14 (1882), with bending as in M. C. Junger and
D. Feit, Sound, Structures, and Their Interaction (1986), chapter 7. Free caps: Lord Rayleigh, On
the infinitesimal bending of surfaces of revolution, Proc. London Math. Soc. 13 (1881). Shallow
caps with a clamped rim: M. W. Johnson and E. Reissner, Quarterly of Applied Mathematics 15 (1958).
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from typing import Final

from belltone.geometry.profiles import Arc
from belltone.hand.check import Found
from belltone.hand.discs import disc_roots
from belltone.hand.walls import Wall, pattern_of

__all__ = ["sphere_checks"]

_CLOSED: Final = 1e-9  # of the radius
_ON_AXIS: Final = 2e-3  # of the radius; coordinates that are typed are rounded
_SHALLOW: Final = math.radians(30.0) + 1e-9
_LEAST: Final = 1e-9  # rad; the top itself is left out of what is integrated


def sphere_checks(
    wall: Wall, arc: Arc, outwards: float, words: dict[str, str], kinds: Sequence[str]
) -> tuple[list[Found], str]:
    """A sphere or a cap by its pattern, and why there is no value where there is none.

    ``outwards`` is how far its middle lies outside the arc (m), ``words`` how its rims are held.
    ``kinds`` is what the mode does, and what others of its frequency do.
    """
    radius = arc.radius + outwards
    closed = [end for end in (arc.start, arc.stop) if end[0] <= _CLOSED * arc.radius]
    if abs(arc.centre[0]) > _ON_AXIS * arc.radius or not closed:
        return [], "the shell is neither a cylinder nor a sphere closed at its top"
    if len(closed) == 2:
        return _whole(wall, radius, words, kinds)
    told = pattern_of(kinds[0])
    if told is None:
        return [], "the pattern of the mode is in no table"
    angle = abs(arc.last - arc.first)
    if not words:
        return _free(wall, radius, angle, told)
    (rim,) = {"start", "end"} - {"start" if arc.start in closed else "end"}
    if words == {rim: "clamped"}:
        return _clamped(wall, radius, angle, told)
    return [], "the rim of the cap is neither free nor clamped"


def _whole(
    wall: Wall, radius: float, words: dict[str, str], kinds: Sequence[str]
) -> tuple[list[Found], str]:
    """A free sphere, whose 2n + 1 modes of one degree have one frequency."""
    if words:
        return [], "the sphere is held"
    # They may be mixed at will, and so may their patterns: what most of them tell counts.
    degrees = Counter(halves + waves - 1 for halves, waves in filter(None, map(pattern_of, kinds)))
    if not degrees:
        return [], "the pattern of the mode is in no table"
    ((degree, _),) = degrees.most_common(1)
    if degree < 2:
        return [], "spheres have a formula from degree 2 on"
    each, thin, ratio = degree * (degree + 1), wall.thickness**2 / (12 * radius**2), wall.ratio
    half = 0.5 * (1 + 3 * ratio + each - thin * (1 - ratio - each**2 - ratio * each))
    product = (each - 2) * (1 - ratio**2) + thin * (
        each**3 - 4 * each**2 + each * (5 - ratio**2) - 2 * (1 - ratio**2)
    )
    value = product / (half + math.sqrt(half**2 - product))
    frequency = wall.speed / radius * math.sqrt(value) / (2 * math.pi)
    formula = f"sphere of degree n = {degree}, lower branch"
    source = "H. Lamb 1882; M. C. Junger and D. Feit 1986, chapter 7"
    return [(formula, frequency, source, "thin: no shear of the wall")], ""


def _free(
    wall: Wall, radius: float, angle: float, told: tuple[int, int]
) -> tuple[list[Found], str]:
    """A free cap whose middle surface does not stretch.

    It moves by tanⁿ(θ/2) times sin θ along it and round it, and n + cos θ across; its curvatures
    and its twist change by (n³ − n) tanⁿ(θ/2) / (R² sin² θ).
    """
    import scipy.integrate  # loaded where a cap is

    halves, waves = told
    if halves != 1 or waves < 2:
        return [], "free caps have a formula for two waves round and more, and one half-wave along"

    def bent(polar: float) -> float:
        return math.tan(0.5 * polar) ** (2 * waves) / math.sin(polar) ** 3

    def moved(polar: float) -> float:
        across = waves + math.cos(polar)
        amount = (2 * math.sin(polar) ** 2 + across**2) * math.sin(polar)
        return amount * math.tan(0.5 * polar) ** (2 * waves)

    (strained, _), (moving, _) = (
        scipy.integrate.quad(term, _LEAST, angle) for term in (bent, moved)
    )
    twisting = wall.rigidity * (1 - wall.ratio)
    square = 4 * twisting * (waves**3 - waves) ** 2 / radius**4
    square *= strained / (wall.density * wall.thickness * moving)
    formula = f"free spherical cap without stretching, n = {waves}"
    source = "Lord Rayleigh, Proc. London Math. Soc. 13 (1881)"
    assumes = "thin: its middle surface does not stretch, not even in a strip along its rim"
    return [(formula, math.sqrt(square) / (2 * math.pi), source, assumes)], ""


def _clamped(
    wall: Wall, radius: float, angle: float, told: tuple[int, int]
) -> tuple[list[Found], str]:
    """A shallow cap: its flat disc's bending, with the stretching of a sphere beside it."""
    halves, waves = told
    if angle > _SHALLOW:
        return [], "the cap is not shallow"
    if halves != 1 or waves < 1:
        return [], "shallow caps have a formula for one half-wave along with waves round"
    root = disc_roots(waves, "clamped", "", 0.0, round(wall.ratio, 9))[0]
    across = radius * math.sin(angle)
    mass = wall.density * wall.thickness
    square = wall.rigidity * root**4 / (mass * across**4) + wall.modulus / (
        wall.density * radius**2
    )
    formula = f"shallow clamped cap, n = {waves}, ω² = ω² of its disc + E/ρR²"
    source = "M. W. Johnson and E. Reissner, Quart. Appl. Math. 15 (1958)"
    assumes = "shallow, and its rim free to move along the wall"
    return [(formula, math.sqrt(square) / (2 * math.pi), source, assumes)], ""
