"""Hand checks of one straight member: rods, shafts and beams on supports, springs, with masses.

Characteristic equations of the even beam: S. S. Rao, Vibration of Continuous Systems (2007), table
11.1; rods and shafts chapters 9 and 10; beams under axial force section 11.7, rotating beams
section 11.8. The cantilever with a tip mass: W. C. Young and R. G. Budynas, Roark's Formulas for
Stress and Strain, 7th ed., table 16.1. Shear and rotary inertia: S. P. Timoshenko, Phil. Mag. 41
(1921) 744. All else by `one_line`.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.parts import MemberValue
from belltone.design.values import Design
from belltone.geometry.features import AXIS, END, START
from belltone.hand.check import Found
from belltone.hand.one_line import OneLine, PointOnLine, frequencies
from belltone.modes.modeset import ModeSet
from belltone.sections.simple import SectionProperties
from belltone.sheet.units import format_number

__all__ = ["member_checks", "wave_number"]

Array = NDArray[np.float64]
"""Formula, frequency (Hz), source, and what it assumes."""

_ALIGNED: Final = 1e-9  # a held direction this far off the member's axes is oblique
_END: Final = 1e-9
_STRING: Final = 30.0  # pull over the buckling load of the pinned beam, from where it is a string
_ROUND: Final = 1e-9
_END_WORDS: Final = {
    (True, True): "clamped",
    (True, False): "pinned",
    (False, True): "guided",
    (False, False): "free",
}
_SPAN_NAMES: Final = {("clamped", "free"): "cantilever"}
_RAO: Final = "S. S. Rao, Vibration of Continuous Systems"
_WAYS: Final = ("axial", "bending about z", "bending about y", "twist")
"""What moves: along the axis, sideways (bending about z), up (bending about y), round the axis."""


@dataclass(frozen=True)
class _Held:
    """Everything that acts on a member at points, by what moves, and springs all along it."""

    points: dict[str, list[PointOnLine]]
    beds: dict[str, float]
    ends: tuple[set[int], set[int]]
    plain: bool


def member_checks(design: Design, modes: ModeSet, index: int) -> tuple[list[Found], str]:
    """Textbook values of one mode of a member, and why there are none where there are not."""
    member = design.member
    assert member is not None
    if not member.path.straight:
        return [], "the member is bent"
    if not _even_axes(member):
        return [], "its section couples bending with twist, or both bendings"
    held = _acting(design, member)
    if isinstance(held, str):
        return [], held
    preload = design.preload
    if preload is not None and preload.spin is not None:
        if preload.spin.gyroscopic:
            return [], "what spins whirls"
        if design.masses:
            return [], "a mass turns with it"
    if preload is not None and preload.moves:
        return [], "a site of it is moved to a set place"
    if modes.base is not None and modes.base.large:
        return [], "the preload has bent it by a large deflection"
    way = _way(member, modes, index)
    number = sum(_way(member, modes, at) == way for at in range(modes.rigid_count, index + 1))
    pull = _pull(design, modes)
    found = _textbook(design, member, held, way, number) if pull is None else []
    found += _string(member, held, way, number, pull)
    found += _by_line(design, member, held, way, number, pull)
    return found, "" if found else "it has buckled, or fewer modes of this kind are known"


def _even_axes(member: MemberValue) -> bool:
    """Whether bending about the section's own y and z does not mix, nor with twisting."""
    for share in (0.0, 0.5, 1.0):
        section = member.section_at(np.array(share)).properties(member.material.poisson_ratio)
        size = float(section.second_moment_y + section.second_moment_z)
        offset = float(np.hypot(section.shear_centre_y, section.shear_centre_z))
        if abs(float(section.product_moment)) > _ROUND * size:
            return False
        if offset**2 * float(section.area) > _ROUND * size:
            return False
    return True


def _way(member: MemberValue, modes: ModeSet, index: int) -> str:
    """What moves most in a mode, by mass."""
    shape = modes.shapes[index]
    own, turn = shape[:, :3] @ member.frame.T, shape[:, 3:] @ member.frame[0]
    section = member.section_at(np.linspace(0.0, 1.0, len(shape)))
    made = section.properties(member.material.poisson_ratio)
    radius = np.sqrt((made.second_moment_y + made.second_moment_z) / made.area)
    sizes = [*np.sum(own**2, axis=0), float(np.sum((radius * turn) ** 2))]
    return _WAYS[int(np.argmax(sizes))]


def _acting(design: Design, member: MemberValue) -> _Held | str:
    """Supports, springs and masses by what moves, or why a line cannot carry them."""
    points: dict[str, list[PointOnLine]] = {way: [] for way in _WAYS}
    beds = dict.fromkeys(_WAYS, 0.0)
    ends: tuple[set[int], set[int]] = (set(), set())
    plain = not member.line_mass and not design.masses
    for support in design.supports:
        share = support.place.along / member.length
        spread = support.place.feature == AXIS
        if support.place.feature not in (None, START, END, AXIS):
            return "it is held along a site no line has"
        if support.place.feature == END:
            share = 1.0
        rows = [_own(member, row, support.own) for row in support.directions]
        springs = [
            (_own(member, row, support.springs_own), float(stiffness))
            for row, stiffness in zip(
                support.spring_directions, support.spring_stiffness, strict=True
            )
        ]
        if any(motion is None for motion in (*rows, *(motion for motion, _ in springs))):
            return "it is held obliquely to its section's axes"
        if spread and rows:
            return "it is held all along"
        plain = plain and not springs and min(share, 1 - share) < _END
        at = share * member.length
        for motion in rows:
            assert motion is not None
            ends[share > 0.5].add(motion)
            way, derivative = _MOTIONS[motion]
            points[way].append(PointOnLine(at, held=(derivative,)))
        for motion, stiffness in springs:
            assert motion is not None
            way, derivative = _MOTIONS[motion]
            if spread:
                if derivative:
                    return "it is on springs against turning all along"
                beds[way] += stiffness / member.length
                continue
            pair = (stiffness, 0.0) if derivative == 0 else (0.0, stiffness)
            points[way].append(PointOnLine(at, springs=pair))
    for hung in design.masses:
        if np.any(np.abs(hung.offset) > _END * member.length):
            return "a mass hangs beside its axis"
        if hung.even or hung.place.feature not in (None, START, END):
            return "a mass is spread along it"
        at = member.length if hung.place.feature == END else hung.place.along
        inertia = member.frame @ np.diag(hung.inertia) @ member.frame.T
        if np.abs(inertia - np.diag(np.diag(inertia))).max() > 1e-6 * max(inertia.max(), 1e-300):
            return "a mass is turned against its section's axes"
        points["axial"].append(PointOnLine(at, masses=(hung.mass, 0.0)))
        points["twist"].append(PointOnLine(at, masses=(float(inertia[0, 0]), 0.0)))
        points["bending about z"].append(PointOnLine(at, masses=(hung.mass, float(inertia[2, 2]))))
        points["bending about y"].append(PointOnLine(at, masses=(hung.mass, float(inertia[1, 1]))))
    return _Held(points, beds, ends, plain)


_MOTIONS: Final = {
    0: ("axial", 0),
    1: ("bending about z", 0),
    2: ("bending about y", 0),
    3: ("twist", 0),
    4: ("bending about y", 1),
    5: ("bending about z", 1),
}
"""What a motion by a member's own axes (slides, then turns) is of, and which derivative."""


def _own(member: MemberValue, row: Array, own: bool) -> int | None:
    """Which of a member's own motions a row is; ``None`` where it is oblique."""
    turned = np.concatenate([member.frame @ row[:3], member.frame @ row[3:]])
    values = np.asarray(row if own else turned)
    motion = int(np.argmax(np.abs(values)))
    return motion if abs(abs(values[motion]) - 1) < _ALIGNED else None


def _pull(design: Design, modes: ModeSet) -> Callable[[Array], Array] | None:
    """The axial force (N) along a member that is loaded."""
    if design.preload is None or modes.base is None or design.member is None:
        return None
    stations = np.linspace(0.0, design.member.length, len(modes.base.forces))
    values = modes.base.forces[:, 0].copy()
    return lambda at: np.interp(at, stations, values)


def _textbook(
    design: Design, member: MemberValue, held: _Held, way: str, order: int
) -> list[Found]:
    """The values of tables, for even members held at their ends alone."""
    if member.tapered or member.line_mass or any(held.beds.values()):
        return []
    if design.masses:
        return _tip_mass(design, member, held, way, order)
    if not held.plain:
        return []
    return _bending(member, held, way, order) if way in _ROWS else _rod(member, held, way, order)


_ROWS: Final = {"bending about y": (2, 4), "bending about z": (1, 5)}
"""Held slide and turn of each bending."""


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
    return float(scipy.optimize.brentq(function, near - 0.7, near + 0.7, xtol=1e-12))


def _bending(member: MemberValue, held: _Held, way: str, order: int) -> list[Found]:
    words = _end_words(held, way)
    root = wave_number(words, order)
    if root is None:
        return []
    section = member.section.properties(member.material.poisson_ratio)
    stiffness = member.material.youngs_modulus * _moment(section, way)
    line_mass = member.material.density * float(section.area)
    frequency = root**2 / (2 * math.pi * member.length**2) * math.sqrt(stiffness / line_mass)
    formula = f"Euler {_span(words)}, f = (βL)²/(2πL²)·√(EI/ρA), βL = {root:.4f}"
    return [
        (formula, frequency, f"{_RAO}, table 11.1", "slender: neither shear nor rotary inertia")
    ]


def _moment(section: SectionProperties, way: str) -> float:
    return float(section.second_moment_y if way.endswith("y") else section.second_moment_z)


def _end_words(held: _Held, way: str) -> tuple[str, str]:
    across, turn = _ROWS[way]
    start, end = (_END_WORDS[(across in side, turn in side)] for side in held.ends)
    return start, end


def _span(words: tuple[str, str]) -> str:
    name = _SPAN_NAMES.get((words[0], words[1])) or _SPAN_NAMES.get((words[1], words[0]))
    return name or f"{words[0]}-{words[1]} beam"


def _rod(member: MemberValue, held: _Held, way: str, order: int) -> list[Found]:
    material = member.material
    section = member.section.properties(material.poisson_ratio)
    motion = {"axial": 0, "twist": 3}[way]
    if way == "axial":
        speed, name, root = math.sqrt(material.youngs_modulus / material.density), "rod", "√(E/ρ)"
        assumes = "the section moves as one: thin against the wave"
    else:
        polar = float(section.second_moment_y + section.second_moment_z)
        stiffness = material.shear_modulus * float(section.torsion_constant)
        speed, name, root = math.sqrt(stiffness / (material.density * polar)), "shaft", "√(GJ/ρIₚ)"
        assumes = "sections warp freely"
    ends = (motion in held.ends[0], motion in held.ends[1])
    waves = order - 0.5 if ends[0] != ends[1] else order
    fixed = {0: "free-free", 1: "fixed-free", 2: "fixed-fixed"}[sum(ends)]
    formula = f"{fixed} {name}, f = {waves:g}/(2L)·{root}"
    chapter = "chapter 9" if way == "axial" else "chapter 10"
    return [(formula, waves * speed / (2 * member.length), f"{_RAO}, {chapter}", assumes)]


def _tip_mass(
    design: Design, member: MemberValue, held: _Held, way: str, order: int
) -> list[Found]:
    """First bending mode of a cantilever with a small heavy body at its tip."""
    if way not in _ROWS or order > 1 or len(design.masses) > 1:
        return []
    hung = design.masses[0]
    tip = 1.0 if hung.place.feature == END else hung.place.along / member.length
    words = _end_words(held, way)
    at_free_end = (words == ("clamped", "free") and tip > 1 - _END) or (
        words == ("free", "clamped") and tip < _END
    )
    if not at_free_end or any(any(point.springs) for point in held.points[way]):
        return []
    section = member.section.properties(member.material.poisson_ratio)
    moving = hung.mass + 0.2357 * member.mass
    stiffness = 3 * member.material.youngs_modulus * _moment(section, way) / member.length**3
    return [
        (
            "cantilever with tip mass, f = 1/(2π)·√(3EI/((M + 0.236 m)L³))",
            math.sqrt(stiffness / moving) / (2 * math.pi),
            "Roark's Formulas for Stress and Strain, 7th ed., table 16.1",
            "the mass is small in size; slender",
        )
    ]


def _string(
    member: MemberValue,
    held: _Held,
    way: str,
    order: int,
    pull: Callable[[Array], Array] | None,
) -> list[Found]:
    """A member pulled so hard that its bending stiffness hardly counts."""
    if way not in _ROWS or pull is None or not held.plain or member.tapered:
        return []
    forces = pull(np.linspace(0.0, member.length, 9))
    force = float(forces.mean())
    section = member.section.properties(member.material.poisson_ratio)
    stiffness = member.material.youngs_modulus * _moment(section, way)
    if force < _STRING * math.pi**2 * stiffness / member.length**2 or np.ptp(forces) > 1e-3 * force:
        return []
    if not all(_ROWS[way][0] in side for side in held.ends):
        return []
    line_mass = member.material.density * float(section.area) + member.line_mass
    frequency = order / (2 * member.length) * math.sqrt(force / line_mass)
    formula = f"string, f = {order}/(2L)·√(N/ρA), N = {format_number(force, 4)} N"
    return [(formula, frequency, f"{_RAO}, chapter 8", "no bending stiffness at all")]


def _by_line(
    design: Design,
    member: MemberValue,
    held: _Held,
    way: str,
    order: int,
    pull: Callable[[Array], Array] | None,
) -> list[Found]:
    """The one-dimensional theory, whatever acts on the member."""
    material, length = member.material, member.length

    def of(name: str) -> Callable[[Array], Array]:
        def read(at: Array) -> Array:
            made = member.section_at(at / length).properties(material.poisson_ratio)
            return np.broadcast_to(np.asarray(getattr(made, name), float), at.shape)

        return read

    def times(factor: float, *names: str) -> Callable[[Array], Array]:
        return lambda at: factor * np.sum([of(name)(at) for name in names], axis=0)

    area = of("area")
    points, bed = held.points[way], held.beds[way]
    breaks = tuple(share * length for share in member.sections.breaks)
    bare = OneLine(
        length,
        lambda at: material.density * area(at) + member.line_mass,
        breaks=breaks,
        points=points,
    )
    told = _told(design, member, held, way, pull)
    if way not in _ROWS:
        if not member.tapered and held.plain:
            return []  # the table has it
        if way == "axial":
            line = replace(
                bare,
                stretching=times(material.youngs_modulus, "area"),
                bed=(lambda at: np.full(at.shape, bed)) if bed else None,
            )
        else:
            line = replace(
                bare,
                mass=times(material.density, "second_moment_y", "second_moment_z"),
                stretching=times(material.shear_modulus, "torsion_constant"),
            )
        name = "rod" if way == "axial" else "shaft"
        return _found(line, order, f"{name} by one-dimensional theory{told}", "sections stay plane")
    spin = None if design.preload is None else design.preload.spin
    softening = 0.0
    if spin is not None:
        across = member.frame[2 if way.endswith("y") else 1]
        softening = spin.speed**2 * float(across @ spin.across @ across)

    def bedded(at: Array) -> Array:
        return np.full(at.shape, bed) - softening * (material.density * area(at) + member.line_mass)

    moment = "second_moment_y" if way.endswith("y") else "second_moment_z"
    factor = "shear_factor_z" if way.endswith("y") else "shear_factor_y"
    euler = replace(
        bare,
        bending=times(material.youngs_modulus, moment),
        pull=pull,
        bed=bedded if bed or softening else None,
    )
    found: list[Found] = []
    if not held.plain or member.tapered or pull is not None or member.line_mass or bed:
        found += _found(
            euler, order, f"Euler beam by one-dimensional theory{told}",
            "slender: neither shear nor rotary inertia",
        )  # fmt: skip
    sheared = replace(
        euler,
        shear=lambda at: material.shear_modulus * area(at) * of(factor)(at),
        rotary=times(material.density, moment),
    )
    return found + _found(
        sheared, order, f"beam with shear and rotary inertia{told}", "sections stay plane",
        "S. P. Timoshenko, Phil. Mag. 41 (1921) 744",
    )  # fmt: skip


def _found(line: OneLine, order: int, formula: str, assumes: str, source: str = "") -> list[Found]:
    values = frequencies(line, order)
    if len(values) < order:
        return []
    return [(formula, float(values[order - 1]), source or f"{_RAO}, chapter 11, by Ritz", assumes)]


def _told(
    design: Design,
    member: MemberValue,
    held: _Held,
    way: str,
    pull: Callable[[Array], Array] | None,
) -> str:
    """What the line carries, in words."""
    words: list[str] = []
    if member.tapered:
        words.append("of uneven section")
    springs = sum(any(point.springs) for point in held.points[way])
    if springs or held.beds[way]:
        words.append("on springs")
    if design.masses:
        count = len(design.masses)
        words.append("with a mass" if count == 1 else f"with {count} masses")
    if pull is not None and way in _ROWS:
        forces = pull(np.linspace(0.0, member.length, 9))
        if design.preload is not None and design.preload.spin is not None:
            words.append("turning")
        elif np.ptp(forces) < 1e-3 * max(float(np.abs(forces).max()), 1e-300):
            words.append(f"under N = {format_number(float(forces.mean()), 4)} N")
        else:
            words.append("under axial force")
    return f", {', '.join(words)}" if words else ""
