"""What looks odd in a design although it is possible: questions, not errors."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from belltone.sheet.design import Design, MemberValue
from belltone.sheet.errors import Finding, Path
from belltone.sheet.model import Content

__all__ = ["plausibility"]

# Between cork and osmium; between soft rubber and diamond.
_DENSITIES: Final = (250.0, 22_700.0)
_MODULI: Final = (1e6, 1.3e12)
# Wire-like beyond the first; no beam any more below the second, where shear dominates.
_SLENDEREST: Final = 1000.0
_STUBBIEST: Final = 2.5


def plausibility(design: Design, content: Content) -> Iterator[Finding]:
    """Yield warnings about values that are possible but unlikely to be meant."""
    for member in design.members:
        yield from _slenderness(member)
        yield from _material(member, content)
    if not any(support.holds for support in design.supports) and not content.modes.free:
        yield Finding(
            ("supports",),
            "nothing holds the component, so it is solved free in space with its six rigid modes "
            "set apart; write “free = true” under [modes] if that is meant",
        )


def _slenderness(member: MemberValue) -> Iterator[Finding]:
    path: Path = ("parts", member.name)
    ratio = member.length / max(member.section.depth, member.section_at_end.depth)
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


def _material(member: MemberValue, content: Content) -> Iterator[Finding]:
    material = member.material
    if material.name not in content.materials:
        return
    path: Path = ("materials", material.name)
    if not _DENSITIES[0] <= material.density <= _DENSITIES[1]:
        how = "lighter than cork" if material.density < _DENSITIES[0] else "heavier than osmium"
        yield Finding(
            (*path, "density"), f"{material.density:g} kg/m³ is {how}; is the unit right?"
        )
    if not _MODULI[0] <= material.youngs_modulus <= _MODULI[1]:
        how = "softer than rubber" if material.youngs_modulus < _MODULI[0] else "beyond diamond"
        yield Finding(
            (*path, "youngs_modulus"),
            f"{material.youngs_modulus / 1e9:g} GPa is {how}; is the unit right?",
        )
