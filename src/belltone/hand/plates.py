"""Hand checks of flat plates: rectangles with any of three supports on each edge, discs, annuli.

Kirchhoff's theory. Rectangles by Ritz, as in A. W. Leissa, "The free vibration of rectangular
plates", J. Sound Vib. 31 (1973) 257; discs and annuli by Bessel functions, as in A. W. Leissa,
Vibration of Plates, NASA SP-160 (1969), chapter 2.
"""

from __future__ import annotations

import math
import re
from functools import lru_cache
from typing import Final

import numpy as np
import scipy
from numpy.polynomial import legendre
from numpy.typing import NDArray

from belltone.design.parts import SurfaceValue
from belltone.design.values import Design
from belltone.geometry.features import OUTLINE
from belltone.geometry.shapes import Disc, Plate, Polygon, extent
from belltone.hand.check import Found
from belltone.hand.discs import disc_roots
from belltone.modes.modeset import ModeSet

__all__ = ["plate_checks"]

Array = NDArray[np.float64]

_DEGREE: Final = 11
_POINTS: Final = 24
_SIDES: Final = ("west", "south", "east", "north")
_LETTERS: Final = {"clamped": "C", "simply supported": "S", "free": "F"}
_THIN: Final = "thin: no shear, and the normal stays one"


def plate_checks(design: Design, modes: ModeSet, index: int) -> tuple[list[Found], str]:
    """The values of tables for one mode of a plate, and why there are none where there are not."""
    (part,) = design.solid_parts
    assert isinstance(part, SurfaceValue)
    assert isinstance(part.shape, Plate)
    if part.shape.holes:
        return [], "the plate has holes"
    if not part.layup.plies[0].material.is_isotropic:
        return [], "its wall is not the same in all directions"
    if len(part.layup.plies) > 1 or part.thickness.along is not None:
        return [], "its wall is layered or uneven"
    if design.masses:
        return [], "it carries a mass"
    if design.preload is not None:
        return [], "it is loaded"
    if modes.kinds[index].startswith("in-plane"):
        return [], "the mode lies in the plate's plane"
    edges = _edges(design)
    if isinstance(edges, str):
        return [], edges
    if isinstance(part.shape.outline, Disc):
        return _disc(part, part.shape.outline, edges, modes, index)
    outline = part.shape.outline
    if not isinstance(outline, Polygon) or not outline.compass or len(outline.corners) != 4:
        return [], "its outline is in no table"
    return _rectangle(part, edges, modes, index)


def _edges(design: Design) -> dict[str, str] | str:
    """How each edge is held, by its name; why no table knows it otherwise."""
    held: dict[str, str] = {}
    for support in design.supports:
        feature = support.place.feature
        if feature is None or len(support.spring_stiffness):
            return "it is held at a point, or on springs"
        word = support.words if support.words in _LETTERS else _by_rows(support.directions)
        if word is None:
            return "an edge is held in a way no table has"
        held[feature] = word
    return held


def _by_rows(rows: Array) -> str | None:
    """A plate's support by its held directions: what is across the plate decides."""
    if len(rows) == 6:
        return "clamped"
    across = [row for row in rows if np.abs(row[:3]).max() > 0.5]
    turns = [row for row in rows if np.abs(row[3:]).max() > 0.5]
    if len(across) == 3 and not turns:
        return "simply supported"
    return None


def _flexural(part: SurfaceValue) -> tuple[float, float]:
    """Flexural rigidity (N m) and mass per area (kg/m²) of an even isotropic wall."""
    material, thickness = part.layup.plies[0].material, float(part.thickness.start)
    modulus, ratio = material.modulus_along, material.poisson_ratio
    rigidity = modulus * thickness**3 / (12 * (1 - ratio**2))
    return rigidity, part.layup.density * thickness + part.layup.mass_per_area


def _bending_order(modes: ModeSet, index: int) -> int:
    """Which of the modes across the plate this is, from 1."""
    flexible = range(modes.rigid_count, index + 1)
    return sum(not modes.kinds[at].startswith("in-plane") for at in flexible)


def _rectangle(
    part: SurfaceValue, edges: dict[str, str], modes: ModeSet, index: int
) -> tuple[list[Found], str]:
    assert isinstance(part.shape, Plate)
    every = edges.get(OUTLINE)
    unknown = set(edges) - {*_SIDES, OUTLINE}
    if unknown:
        return [], "it is held elsewhere than along its edges"
    sides = tuple(edges.get(side, every or "free") for side in _SIDES)
    low, high = extent(part.shape.outline)
    width, height = (float(value) for value in high - low)
    rigidity, mass = _flexural(part)
    order = _bending_order(modes, index)
    values = _rectangle_values(
        sides, width / height, round(part.layup.plies[0].material.poisson_ratio, 9)
    )
    if order > len(values) // 3:
        return [], "tables end before this mode"
    parameter = float(values[order - 1])
    frequency = parameter / (2 * math.pi * width**2) * math.sqrt(rigidity / mass)
    letters = "-".join(_LETTERS[side] for side in sides)
    formula = f"rectangular plate {letters}, f = λ/(2πa²)·√(D/ρh), λ = {parameter:.4g}"
    source = "A. W. Leissa, J. Sound Vib. 31 (1973) 257, by Ritz"
    return [(formula, frequency, source, f"{_THIN}; edges west-south-east-north")], ""


@lru_cache(maxsize=64)
def _rectangle_values(sides: tuple[str, ...], aspect: float, ratio: float) -> Array:
    """ω a² √(ρh/D) of all modes of a plate a × a/aspect, those without strain left out."""
    local, weights = legendre.leggauss(_POINTS)
    base = np.eye(_DEGREE + 1)
    shapes = [
        legendre.legval(local, legendre.legder(base, order) if order else base).T
        for order in range(3)
    ]

    def integral(one: int, two: int) -> Array:
        return np.asarray(shapes[one].T @ (weights[:, None] * shapes[two]))

    ends = [
        [
            legendre.legval(np.array([end]), legendre.legder(base, order) if order else base)[:, 0]
            for order in range(2)
        ]
        for end in (-1.0, 1.0)
    ]

    def kept(low: str, high: str) -> Array:
        rows = [
            ends[at][order]
            for at, word in ((0, low), (1, high))
            for order in {"clamped": (0, 1), "simply supported": (0,), "free": ()}[word]
        ]
        return np.asarray(scipy.linalg.null_space(np.array(rows)) if rows else np.eye(_DEGREE + 1))

    along, across = kept(sides[0], sides[2]), kept(sides[1], sides[3])

    def of(one: int, two: int, span: Array) -> Array:
        return np.asarray(span.T @ integral(one, two) @ span)

    # In local coordinates x = a ξ/2, y = b η/2; everything times (a/2)⁴.
    x, y = along, across
    squared = aspect**2
    stiffness = (
        np.kron(of(2, 2, x), of(0, 0, y))
        + squared**2 * np.kron(of(0, 0, x), of(2, 2, y))
        + ratio * squared * (np.kron(of(0, 2, x), of(2, 0, y)) + np.kron(of(2, 0, x), of(0, 2, y)))
        + 2 * (1 - ratio) * squared * np.kron(of(1, 1, x), of(1, 1, y))
    )
    mass = np.kron(of(0, 0, x), of(0, 0, y))
    values = np.sqrt(np.maximum(scipy.linalg.eigh(stiffness, mass, eigvals_only=True), 0.0)) * 4.0
    return np.asarray(values[values > 1e-3])


def _disc(
    part: SurfaceValue, disc: Disc, edges: dict[str, str], modes: ModeSet, index: int
) -> tuple[list[Found], str]:
    told = re.fullmatch(
        r"bending, (\d+) nodal diameters?, (\d+) nodal circles?", modes.kinds[index]
    )
    if told is None:
        return [], "the pattern of the mode is in no table"
    waves, circles = int(told.group(1)), int(told.group(2))
    bore = disc.bore / disc.radius if disc.bore else 0.0
    names = {"rim": "rim", "bore": "bore", OUTLINE: "rim"}
    if set(edges) - set(names):
        return [], "it is held elsewhere than round its edges"
    rim = next((edges[name] for name in ("rim", OUTLINE) if name in edges), "free")
    inner = edges.get("bore", edges.get(OUTLINE, "free") if bore else "free")
    # A free disc slides and tilts first, which is no root here.
    roots = disc_roots(
        waves,
        rim,
        inner if bore else "",
        bore,
        round(part.layup.plies[0].material.poisson_ratio, 9),
    )
    place = circles
    if rim == "free" and (not bore or inner == "free") and waves < 2:
        place = circles - 1
    if place < 0 or place >= len(roots):
        return [], "tables end before this mode"
    rigidity, mass = _flexural(part)
    parameter = roots[place] ** 2
    frequency = parameter / (2 * math.pi * disc.radius**2) * math.sqrt(rigidity / mass)
    what = "disc" if not bore else f"annulus, bore {bore:.3g} of its rim, {inner} inside"
    formula = f"{rim} {what}, f = λ²/(2πR²)·√(D/ρh), λ² = {parameter:.4g}"
    return [(formula, frequency, "A. W. Leissa, NASA SP-160 (1969), chapter 2", _THIN)], ""
