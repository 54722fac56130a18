"""Members of a sheet worked out: end points, directions, sections."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.sheet import sections
from belltone.sheet.design import MemberValue
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.part_models import Member, SectionModel
from belltone.sheet.read_materials import isotropic
from belltone.sheet.values import Values

__all__ = ["MemberReader"]

Array = NDArray[np.float64]

_SHAPES: Final[Mapping[str, type[sections.SectionShape]]] = {
    "solid rectangle": sections.SolidRectangle,
    "solid round": sections.SolidRound,
    "round tube": sections.RoundTube,
    "rectangular hollow": sections.RectangularHollow,
}


@dataclass
class MemberReader:
    """Works members out; what is wrong goes to the values' findings."""

    sheet: Sheet
    values: Values

    def read(self, name: str, part: Member) -> MemberValue | None:
        """One member, or ``None`` with findings."""
        path: Path = ("parts", name)
        material = isotropic(self.sheet, self.values, part.material, (*path, "material"))
        points = self._end_points(path, part)
        section = self._section((*path, "section"), part.section)
        section_at_end = section
        if part.section_at_end is not None:
            section_at_end = self._section((*path, "section_at_end"), part.section_at_end)
            if part.section_at_end.shape != part.section.shape:
                self.values.add(
                    (*path, "section_at_end"),
                    f"a taper keeps its shape: “{part.section.shape}” is needed here too",
                )
                return None
        if material is None or points is None or section is None or section_at_end is None:
            return None
        frame = self._frame(path, part, points[1] - points[0])
        if frame is None:
            return None
        return MemberValue(name, points[0], points[1], frame, section, section_at_end, material)

    def _end_points(self, path: Path, part: Member) -> tuple[Array, Array] | None:
        if (part.length is None) == (part.start is None and part.stop is None):
            self.values.add(path, "give either “length”, or the two points “from” and “to”")
            return None
        if part.length is not None:
            length = self.values.positive((*path, "length"), "a length")
            return np.zeros(3), np.array([length, 0.0, 0.0])
        if part.start is None or part.stop is None:
            self.values.add(path, "two points are needed, “from” and “to”")
            return None
        start = np.array([self.values.numbers[(*path, "from", axis)] for axis in range(3)])
        stop = np.array([self.values.numbers[(*path, "to", axis)] for axis in range(3)])
        if not np.linalg.norm(stop - start) > 0:
            self.values.add((*path, "to"), "the two points are the same, so the length is zero")
            return None
        return start, stop

    def _frame(self, path: Path, part: Member, run: Array) -> Array | None:
        axis = run / np.linalg.norm(run)
        if part.up is not None:
            up = np.array(part.up)
            if np.linalg.norm(np.cross(axis, up)) < 1e-6 * max(1e-300, float(np.linalg.norm(up))):
                self.values.add((*path, "up"), "“up” must not point along the member")
                return None
        else:
            # An upright member has no up of its own; its height then points along global y.
            up = np.array([0.0, 0.0, 1.0]) if abs(axis[2]) < 0.999 else np.array([0.0, 1.0, 0.0])
        side = np.cross(up, axis)
        side /= np.linalg.norm(side)
        return np.array([axis, side, np.cross(axis, side)])

    def _section(self, path: Path, section: SectionModel) -> sections.SectionShape | None:
        found = len(self.values.findings)
        dimensions: dict[str, float] = {
            key: self.values.positive((*path, key), f"the {key}")
            for key in type(section).model_fields
            if key not in ("shape", "shear_factor")
        }
        outer = min(
            [dimensions[key] for key in ("width", "height", "diameter") if key in dimensions]
        )
        wall = dimensions.get("wall")
        if wall is not None and wall > 0 and not 2 * wall < outer:
            self.values.add(
                (*path, "wall"),
                f"a wall of {wall * 1e3:g} mm does not fit into {outer * 1e3:g} mm; "
                f"it must be below {outer * 500:g} mm",
            )
        factor: float | None = None
        if section.shear_factor is not None:
            factor = self.values.within(
                (*path, "shear_factor"), 0.01, 1.5, "a shear factor between 0.01 and 1.5", 1.0
            )
        if len(self.values.findings) > found:
            return None
        return _SHAPES[section.shape](**dimensions, shear_factor=factor)  # type: ignore[call-arg]
