"""Skins of a sheet worked out: read from their CAD file, walls as thick as measured or stated."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from typing import Final

import numpy as np

from belltone.design.parts import SurfaceValue, ThicknessValue
from belltone.geometry.skins import Skin
from belltone.geometry.solids.kernel import CadFileError
from belltone.geometry.solids.received import read_received
from belltone.geometry.solids.skins import ReceivedSkin
from belltone.reading.materials import wall_material
from belltone.reading.numbers import Values
from belltone.reading.placement import read_placement
from belltone.sections.layups import LayupValue, PlyValue
from belltone.sheet import part_models as models
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Finding, Path

__all__ = ["SkinReader"]

_SHEAR: Final = 5 / 6
_ALONG: Final = "skin"


@dataclass
class SkinReader:
    """Works skins out; what is wrong goes to the values' findings, what is odd to ``noted``."""

    sheet: Sheet
    values: Values
    noted: list[Finding] = field(default_factory=list)

    def read(self, name: str, part: models.SkinPart) -> SurfaceValue | None:
        """One skin, or ``None`` with findings."""
        path: Path = ("parts", name)
        before = len(self.values.findings)
        source = self._source(path, part)
        material = wall_material(self.sheet, self.values, part.material, (*path, "material"))
        extra = self.values.numbers.get((*path, "mass_per_area"), 0.0)
        if extra < 0:
            self.values.add((*path, "mass_per_area"), "a mass per area must not be negative")
        origin, frame = read_placement(self.values, path, part.placement)
        stated = None if source is None else self._stated(path, part, source)
        holes = () if source is None else self._holes(path, part, source)
        if len(self.values.findings) > before or source is None or material is None:
            return None
        for region in source.uneven:
            if not (part.thickness or region in part.regions):
                mean = source.thicknesses(source.names.index(region))[0]
                self.noted.append(
                    Finding(
                        (*path, "file"),
                        f"skin “{name}”: the wall under “{region}” is not of one thickness, nor "
                        f"does it change evenly; its mean is taken, {_mm(mean)}",
                    )
                )
        skin, low, high = _middle(source, stated or (), holes)
        layup = LayupValue((PlyValue(material, 0.0),), (1.0,), _SHEAR, extra)
        thickness = ThicknessValue(low, high, None if skin.shares is None else _ALONG)
        return SurfaceValue(name, skin, layup, thickness, "middle", origin, frame)

    def _source(self, path: Path, part: models.SkinPart) -> ReceivedSkin | None:
        try:
            received = read_received(self.sheet.file(part.file))
        except CadFileError as error:
            self.values.add((*path, "file"), str(error))
            return None
        found = received.skin(part.body, part.piece)
        if found is not None:
            return found
        if part.body > len(received.bodies):
            count = len(received.bodies)
            self.values.add(
                (*path, "body"), f"“{part.file}” holds {count} bod{'y' if count == 1 else 'ies'}"
            )
        elif (body := received.bodies[part.body - 1]).trouble:
            self.values.add((*path, "file"), f"“{part.file}”: {body.trouble}")
        else:
            self.values.add(
                (*path, "piece"), f"the walls of {body.name} are in {body.pieces} piece(s)"
            )
        return None

    def _stated(
        self, path: Path, part: models.SkinPart, source: ReceivedSkin
    ) -> tuple[tuple[str, float], ...] | None:
        """Stated thicknesses (m) by region, in the order of the skin's."""
        found: dict[str, float] = {}
        if part.thickness is not None:
            value = self.values.positive((*path, "thickness"), "the thickness")
            found = dict.fromkeys(source.names, value)
        elif not source.measured:
            self.values.add(
                path, f"“{part.file}” holds faces without a thickness; state the “thickness”"
            )
        for region in part.regions:
            here: Path = (*path, "regions", region)
            if region not in source.names:
                known = ", ".join(f"“{each}”" for each in source.names)
                self.values.add(here, f"the skin has no “{region}”; there is {known}")
                continue
            found[region] = self.values.positive((*here, "thickness"), "the thickness")
        return tuple(found.items())

    def _holes(
        self, path: Path, part: models.SkinPart, source: ReceivedSkin
    ) -> tuple[tuple[str, float], ...]:
        """Stated diameters (m) of round holes in flat faces."""
        found: dict[str, float] = {}
        for name in part.holes:
            here: Path = (*path, "holes", name)
            hole = source.hole(name)
            if hole is None:
                known = ", ".join(f"“{each}”" for each in source.edges if source.hole(each))
                self.values.add(
                    here,
                    f"“{name}” is no round hole in a flat face; there is {known or 'none'}",
                )
                continue
            diameter = self.values.positive((*here, "diameter"), "the diameter")
            if not hole.narrowest <= diameter <= hole.widest and diameter > 0:
                self.values.add(
                    (*here, "diameter"),
                    f"“{name}” can be {_mm(hole.narrowest)} to {_mm(hole.widest)} wide, between "
                    "what stands round it; change the part in the file for more",
                )
            found[name] = diameter
        return tuple(found.items())


@lru_cache(maxsize=32)
def _middle(
    source: ReceivedSkin,
    stated: tuple[tuple[str, float], ...],
    holes: tuple[tuple[str, float], ...],
) -> tuple[Skin, float, float]:
    """The middle surface and its least and greatest thickness (m)."""
    shaped = source.with_holes(dict(holes)) if holes else source
    skin, thick = shaped.middle(dict(stated))
    low, high = float(np.min(thick)), float(np.max(thick))
    return (skin, low, low) if skin.shares is None else (skin, low, high)


def _mm(length: float) -> str:
    return f"{1e3 * length:.4g} mm"
