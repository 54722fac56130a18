"""Textbook formulas for the members they fit, to hold against computed frequencies.

Slender beams: S. S. Rao, Vibration of Continuous Systems, table 11.1 (characteristic equations of
the single-span Euler beam); rods and shafts: chapters 9 and 10; the cantilever with a tip mass:
W. C. Young and R. G. Budynas, Roark's Formulas for Stress and Strain, 7th ed., table 16.1.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np
from scipy.optimize import brentq

from belltone.design.parts import MemberValue
from belltone.design.values import Design
from belltone.modes.modeset import ModeSet

__all__ = ["HandCheck", "hand_check", "wave_number"]

_ALIGNED: Final = 1e-9  # a held direction this far off the member's axes is oblique
_END: Final = 1e-9
_PURE: Final = 0.9  # share of the energy a textbook's mode must have in one kind of motion
_ROWS: Final = {
    # held translation and held turn (own axes: 0 axis, 1 side, 2 up, 3 .. 5 turns about them)
    "bending about y": (2, 4),
    "bending about z": (1, 5),
}
_END_WORDS: Final = {
    (True, True): "clamped",
    (True, False): "pinned",
    (False, True): "guided",
    (False, False): "free",
}
_SPAN_NAMES: Final = {("clamped", "free"): "cantilever"}


@dataclass(frozen=True)
class HandCheck:
    """A formula in words, the frequency it gives (Hz), and how far the computed one is off it."""

    formula: str
    frequency: float
    difference: float


def hand_check(design: Design, modes: ModeSet, index: int) -> HandCheck | None:
    """Return the textbook value for one mode, or ``None`` where no formula fits the sheet."""
    member = design.member
    if index < modes.rigid_count or member is None or member.tapered:
        return None
    if not member.path.straight or member.line_mass or not _plain(member):
        return None
    kind = modes.kinds[index].split(",")[0]
    if " with " in kind or modes.energies[index].max() < _PURE:
        return None
    held = _held_at_ends(design, member)
    if held is None:
        return None
    kinds = (modes.kinds[place] for place in range(modes.rigid_count, index + 1))
    order = sum(each.split(",")[0] == kind for each in kinds)
    if design.masses:
        found = _tip_mass(design, member, held, kind, order)
    elif kind in _ROWS:
        found = _bending(member, held, kind, order)
    else:
        found = _rod(member, held, kind, order)
    if found is None:
        return None
    formula, frequency = found
    if design.preload is not None:
        formula += ", without the preload"
    return HandCheck(formula, frequency, float(modes.frequencies[index] / frequency - 1))


def _plain(member: MemberValue) -> bool:
    """Whether bending about the section's own y and z does not mix, nor with twisting."""
    section = member.section.properties(member.material.poisson_ratio)
    size = float(section.second_moment_y + section.second_moment_z)
    offset = float(np.hypot(section.shear_centre_y, section.shear_centre_z))
    return bool(
        abs(float(section.product_moment)) < 1e-9 * size
        and offset**2 * float(section.area) < 1e-9 * size
    )


def wave_number(ends: tuple[str, str], order: int) -> float | None:
    """Return beta L of the single-span Euler beam's ``order``-th flexible mode."""
    pair = frozenset(ends)
    n = order
    if pair == {"pinned"} or pair == {"guided"}:
        return n * math.pi
    if pair == {"pinned", "guided"}:
        return (n - 0.5) * math.pi
    if pair == {"clamped", "free"}:
        near = (n - 0.5) * math.pi
        return _root(lambda x: math.cos(x) + 1 / math.cosh(x), near)
    if pair in ({"clamped"}, {"free"}):
        return _root(lambda x: math.cos(x) - 1 / math.cosh(x), (n + 0.5) * math.pi)
    if pair in ({"clamped", "pinned"}, {"free", "pinned"}):
        return _root(lambda x: math.sin(x) - math.cos(x) * math.tanh(x), (n + 0.25) * math.pi)
    if pair in ({"clamped", "guided"}, {"free", "guided"}):
        return _root(lambda x: math.sin(x) + math.cos(x) * math.tanh(x), (n - 0.25) * math.pi)
    return None


def _root(function: Callable[[float], float], near: float) -> float:
    # The hyperbolic part only shifts the root of the trigonometric part by less than a radian.
    return float(brentq(function, near - 0.7, near + 0.7, xtol=1e-12))


def _held_at_ends(design: Design, member: MemberValue) -> tuple[set[int], set[int]] | None:
    """Held motions in the member's own axes at start and end; ``None`` when held elsewhere."""
    ends: tuple[set[int], set[int]] = (set(), set())
    for support in design.supports:
        share = support.place.along / member.length
        if len(support.spring_stiffness):
            return None
        if min(share, 1 - share) > _END:
            return None
        for row in support.directions:
            turned = np.concatenate([member.frame @ row[:3], member.frame @ row[3:]])
            own = row if support.own else turned
            motion = int(np.argmax(np.abs(own)))
            if abs(abs(own[motion]) - 1) > _ALIGNED:
                return None
            ends[share > 0.5].add(motion)
    return ends


def _bending(
    member: MemberValue, held: tuple[set[int], set[int]], kind: str, order: int
) -> tuple[str, float] | None:
    words = _end_words(held, kind)
    root = wave_number(words, order)
    if root is None:
        return None
    section = member.section.properties(member.material.poisson_ratio)
    moment = section.second_moment_y if kind.endswith("y") else section.second_moment_z
    stiffness = member.material.youngs_modulus * float(moment)
    line_mass = member.material.density * float(section.area)
    frequency = root**2 / (2 * math.pi * member.length**2) * math.sqrt(stiffness / line_mass)
    name = _SPAN_NAMES.get((words[0], words[1])) or _SPAN_NAMES.get((words[1], words[0]))
    name = name or f"{words[0]}-{words[1]} beam"
    return f"Euler {name}, f = (βL)²/(2πL²)·√(EI/ρA), βL = {root:.4f}", frequency


def _end_words(held: tuple[set[int], set[int]], kind: str) -> tuple[str, str]:
    across, turn = _ROWS[kind]
    start, end = (_END_WORDS[(across in side, turn in side)] for side in held)
    return start, end


def _rod(
    member: MemberValue, held: tuple[set[int], set[int]], kind: str, order: int
) -> tuple[str, float] | None:
    material = member.material
    section = member.section.properties(material.poisson_ratio)
    motion = {"axial": 0, "twist": 3}.get(kind)
    if motion is None:
        return None
    if kind == "axial":
        speed, name, root = math.sqrt(material.youngs_modulus / material.density), "rod", "√(E/ρ)"
    else:
        polar = float(section.second_moment_y + section.second_moment_z)
        stiffness = material.shear_modulus * float(section.torsion_constant)
        speed, name, root = math.sqrt(stiffness / (material.density * polar)), "shaft", "√(GJ/ρIₚ)"
    ends = (motion in held[0], motion in held[1])
    waves = order - 0.5 if ends[0] != ends[1] else order
    fixed = {0: "free-free", 1: "fixed-free", 2: "fixed-fixed"}[sum(ends)]
    return f"{fixed} {name}, f = {waves:g}/(2L)·{root}", waves * speed / (2 * member.length)


def _tip_mass(
    design: Design, member: MemberValue, held: tuple[set[int], set[int]], kind: str, order: int
) -> tuple[str, float] | None:
    """First bending mode of a cantilever with a small heavy body at its tip."""
    hung = design.masses[0]
    tip = hung.place.along / member.length
    if len(design.masses) > 1 or kind not in _ROWS or order > 1 or np.any(hung.offset):
        return None
    words = _end_words(held, kind)
    at_free_end = (words == ("clamped", "free") and tip > 1 - _END) or (
        words == ("free", "clamped") and tip < _END
    )
    if not at_free_end:
        return None
    section = member.section.properties(member.material.poisson_ratio)
    moment = section.second_moment_y if kind.endswith("y") else section.second_moment_z
    moving = hung.mass + 0.2357 * member.mass
    stiffness = 3 * member.material.youngs_modulus * float(moment) / member.length**3
    return (
        "cantilever with tip mass, f = 1/(2π)·√(3EI/((M + 0.236 m)L³))",
        math.sqrt(stiffness / moving) / (2 * math.pi),
    )
