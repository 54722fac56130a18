"""What looks odd in a design although it is possible: questions, not errors."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from belltone.design.parts import MemberValue, SurfaceValue
from belltone.design.values import Design, MassValue
from belltone.sheet.errors import Finding, Path
from belltone.sheet.model import Content

__all__ = ["plausibility"]

# Between cork and osmium; between soft rubber and diamond.
_DENSITIES: Final = (250.0, 22_700.0)
_MODULI: Final = (1e6, 1.3e12)
# Wire-like beyond the first; no beam any more below the second, where shear dominates.
_SLENDEREST: Final = 1000.0
_STUBBIEST: Final = 2.5
_THINNEST: Final = 20_000.0
_ROUNDING: Final = 1e-3  # of an inertia; tables give three digits
_THICKEST: Final = 5.0


def plausibility(design: Design, content: Content) -> Iterator[Finding]:
    """Yield warnings about values that are possible but unlikely to be meant."""
    for part in design.parts:
        if isinstance(part, MemberValue):
            yield from _slenderness(part)
        elif isinstance(part, SurfaceValue):
            yield from _thinness(part)
    for name in content.materials:
        yield from _material(name, design)
    for number, hung in enumerate(design.masses[: len(content.masses)]):
        yield from _inertia(number, hung)
    if not any(support.holds for support in design.supports) and not content.modes.free:
        yield Finding(
            ("supports",),
            "nothing holds the component, so it is solved free in space with its six rigid modes "
            "set apart; write “free = true” under [modes] if that is meant",
        )


def _inertia(number: int, hung: MassValue) -> Iterator[Finding]:
    inertia = hung.inertia
    if 2 * max(inertia) > sum(inertia) * (1 + _ROUNDING):
        yield Finding(
            ("masses", number, "inertia"),
            f"no body has the inertia of “{hung.name}”: about {'xyz'[inertia.index(max(inertia))]} "
            "it is more than about the two other axes together, and is never more than their sum. "
            "Are the others left out?",
        )


def _slenderness(member: MemberValue) -> Iterator[Finding]:
    path: Path = ("parts", member.within or member.name)
    ratio = member.length / member.sections.depth
    if ratio > _SLENDEREST:
        yield Finding(
            path, f"“{member.name}” is {ratio:.0f} times longer than deep; is a unit wrong?"
        )
    elif ratio < _STUBBIEST:
        yield Finding(
            path,
            f"“{member.name}” is only {ratio:.2g} times longer than deep; beam theory is rough "
            "there. Is a unit wrong?",
        )


def _thinness(wall: SurfaceValue) -> Iterator[Finding]:
    path: Path = ("parts", wall.name)
    size = wall.size
    thickest = max(wall.thickness.start, wall.thickness.stop)
    if size > _THINNEST * thickest:
        yield Finding(
            path, f"“{wall.name}” is {size / thickest:.0f} times wider than thick; is a unit wrong?"
        )
    elif size < _THICKEST * thickest:
        yield Finding(
            path,
            f"“{wall.name}” is only {size / thickest:.2g} times wider than thick; the theory of "
            "plates and shells is rough there. Is a unit wrong?",
        )


def _material(name: str, design: Design) -> Iterator[Finding]:
    found = design.materials.get(name)
    if found is None:
        return
    density, moduli = found
    path: Path = ("materials", name)
    if not _DENSITIES[0] <= density <= _DENSITIES[1]:
        how = "lighter than cork" if density < _DENSITIES[0] else "heavier than osmium"
        yield Finding((*path, "density"), f"{density:g} kg/m³ is {how}; is the unit right?")
    for key, modulus in moduli.items():
        if not _MODULI[0] <= modulus <= _MODULI[1]:
            how = "softer than rubber" if modulus < _MODULI[0] else "beyond diamond"
            yield Finding((*path, key), f"{modulus / 1e9:g} GPa is {how}; is the unit right?")
