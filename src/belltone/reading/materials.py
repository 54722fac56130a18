"""Materials of a sheet worked out, from its own list or the handbook's."""

from __future__ import annotations

import math
from difflib import get_close_matches
from functools import cache

from belltone.design.parts import MaterialValue
from belltone.reading.numbers import Values
from belltone.sections.layups import PlyMaterialValue
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.fields import value_fields
from belltone.sheet.formulas import evaluated
from belltone.sheet.handbook import handbook
from belltone.sheet.model import PlyMaterial
from belltone.sheet.units import Dimension, as_dimension

__all__ = ["isotropic", "wall_material"]


def isotropic(sheet: Sheet, values: Values, name: str, path: Path) -> MaterialValue | None:
    """The isotropic material a part at ``path`` names, or ``None`` with a finding."""
    own = sheet.content.materials
    if isinstance(own.get(name), PlyMaterial):
        values.add(path, f"“{name}” is a material of plies; a member needs an isotropic one")
        return None
    if name in own:
        base: Path = ("materials", name)
        return MaterialValue(
            name,
            values.positive((*base, "density"), "a density"),
            values.positive((*base, "youngs_modulus"), "Young's modulus"),
            values.within((*base, "poisson_ratio"), -0.99, 0.499, "from -0.99 to 0.499", 0.3),
            values.numbers.get((*base, "expansion"), math.nan),
        )
    if name not in handbook():
        known = [*own, *handbook()]
        near = get_close_matches(name, known, n=3, cutoff=0.4)
        offer = " or ".join(f"“{entry}”" for entry in near) or ", ".join(known)
        values.add(path, f"there is no material “{name}”; there is {offer}")
        return None
    return _from_handbook(name)


@cache
def _from_handbook(name: str) -> MaterialValue:
    return MaterialValue(
        name, *(_si(text, dimension) for _, text, dimension in value_fields(handbook()[name]))
    )


def wall_material(sheet: Sheet, values: Values, name: str, path: Path) -> PlyMaterialValue | None:
    """The material of a wall or a ply, isotropic or not."""
    if not isinstance(sheet.content.materials.get(name), PlyMaterial):
        plain = isotropic(sheet, values, name, path)
        if plain is None:
            return None
        return PlyMaterialValue.isotropic(
            name, plain.density, plain.youngs_modulus, plain.poisson_ratio, plain.expansion
        )
    base: Path = ("materials", name)
    along, across, plane, slide, roll = (
        values.positive((*base, key), f"“{key}”")
        for key in (
            "modulus_along",
            "modulus_across",
            "shear_in_plane",
            "shear_along",
            "shear_across",
        )
    )
    density = values.positive((*base, "density"), "a density")
    ratio = values.numbers.get((*base, "poisson_ratio"), 0.0)
    if along > 0 and across > 0 and not ratio * ratio < along / across:
        values.add(
            (*base, "poisson_ratio"),
            f"a Poisson's ratio of {ratio:g} is impossible for these moduli; it must be below "
            f"{(along / across) ** 0.5:.3g}, the root of modulus_along / modulus_across",
        )
    swells = (
        values.numbers.get((*base, key), math.nan)
        for key in ("expansion_along", "expansion_across")
    )
    return PlyMaterialValue(name, density, along, across, ratio, plane, slide, roll, *swells)


def _si(text: str, dimension: Dimension) -> float:
    return as_dimension(evaluated(text), dimension)
