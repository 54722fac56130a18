"""From a sheet to a design: every value worked out, every problem found and named at once."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from difflib import get_close_matches
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.sheet import model, sections
from belltone.sheet.checks import plausibility
from belltone.sheet.design import (
    BandValue,
    Design,
    MassValue,
    MaterialValue,
    MemberValue,
    Place,
    SupportValue,
)
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Finding, Path
from belltone.sheet.expressions import parse
from belltone.sheet.materials import handbook
from belltone.sheet.units import (
    Dimension,
    as_dimension,
)
from belltone.sheet.values import Values

__all__ = ["evaluate"]

Array = NDArray[np.float64]

DIRECTIONS: Final = ("x", "y", "z", "turn x", "turn y", "turn z")
HELD_BY_WORD: Final[Mapping[str, tuple[int, ...]]] = {
    "clamped": (0, 1, 2, 3, 4, 5),
    "pinned": (0, 1, 2, 3),
    "guided": (0, 3, 4, 5),
    "free": (),
}
"""Held motions by the member's own axis, side and up; pinned and guided ends do not roll."""

_SHAPES: Final[Mapping[str, type[sections.SectionShape]]] = {
    "solid rectangle": sections.SolidRectangle,
    "solid round": sections.SolidRound,
    "round tube": sections.RoundTube,
    "rectangular hollow": sections.RectangularHollow,
}


def evaluate(sheet: Sheet, settings: Mapping[str, str] | None = None) -> Design:
    """Work out every value of a sheet, with knobs set to ``settings`` where given.

    Raises `SheetError` with all findings (unknown knobs, cycles, wrong units, impossible values).
    """
    return _Evaluation(sheet, Values(sheet, settings or {})).design()


@dataclass
class _Evaluation:
    """Builds the design of one sheet from its values; used once."""

    sheet: Sheet
    values: Values

    def design(self) -> Design:
        content = self.sheet.content
        self.values.stop_if_wrong()
        members = tuple(
            member
            for name, part in content.parts.items()
            if (member := self._member(name, part)) is not None
        )
        if len(content.parts) > 1:
            second = list(content.parts)[1]
            self.values.add(("parts", second), "a sheet holds one part so far; joints come later")
        self.values.stop_if_wrong()
        places = self._places(members)
        supports = tuple(
            value
            for index, support in enumerate(content.supports)
            if (value := self._support(index, support, places, members)) is not None
        )
        masses = tuple(
            body
            for index, mass in enumerate(content.masses)
            if (body := self._mass(index, mass, places)) is not None
        )
        bands = self._bands()
        margin = self.values.within(("excitation", "margin"), 0.0, 0.9, "between 0 % and 90 %", 0.1)
        accuracy = self.values.within(
            ("accuracy", "target"), 1e-6, 0.2, "between 0.0001 % and 20 %", 0.5e-2
        )
        wished = (content.accuracy.divisions, content.accuracy.order)
        if (wished[0] is None) != (wished[1] is None):
            self.values.add(("accuracy",), "give “divisions” and “order” together, or neither")
        if content.modes.up_to is not None:
            self.values.positive(("modes", "up_to"))
        self.values.stop_if_wrong()
        design = Design(
            members,
            places,
            supports,
            masses,
            bands,
            margin,
            accuracy,
            (wished[0], wished[1]) if wished[0] is not None and wished[1] is not None else None,
            content.modes.count,
            self.values.numbers.get(("modes", "up_to")),
            self.values.knobs,
        )
        warnings = tuple(
            Finding(found.path, found.message, self.sheet.line_of(found.path), warning=True)
            for found in plausibility(design, content)
        )
        return replace(design, warnings=warnings)

    def _member(self, name: str, part: model.Member) -> MemberValue | None:
        path: Path = ("parts", name)
        material = self._material(part.material, (*path, "material"))
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

    def _end_points(self, path: Path, part: model.Member) -> tuple[Array, Array] | None:
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

    def _frame(self, path: Path, part: model.Member, run: Array) -> Array | None:
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

    def _material(self, name: str, path: Path) -> MaterialValue | None:
        own = self.sheet.content.materials
        if name in own:
            base: Path = ("materials", name)
            density = self.values.positive((*base, "density"), "a density")
            modulus = self.values.positive((*base, "youngs_modulus"), "Young's modulus")
            ratio = self.values.within(
                (*base, "poisson_ratio"), -0.999, 0.499, "above -1 and below 0.5", 0.3
            )
            return MaterialValue(name, density, modulus, ratio)
        if name not in handbook():
            known = [*own, *handbook()]
            near = get_close_matches(name, known, n=3, cutoff=0.4)
            offer = " or ".join(f"“{entry}”" for entry in near) or ", ".join(known)
            self.values.add(path, f"there is no material “{name}”; there is {offer}")
            return None
        entry = handbook()[name]
        return MaterialValue(
            name, *(_si(text, dimension) for _, text, dimension in model.value_fields(entry))
        )

    def _section(self, path: Path, section: model.SectionModel) -> sections.SectionShape | None:
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

    def _places(self, members: tuple[MemberValue, ...]) -> dict[str, Place]:
        places: dict[str, Place] = {}
        lengths = {member.name: member.length for member in members}
        for name, length in lengths.items():
            places[f"{name}.start"] = Place(f"{name}.start", name, 0.0)
            places[f"{name}.end"] = Place(f"{name}.end", name, length)
        for name, point in self.sheet.content.sites.items():
            if name in places:
                self.values.add(("sites", name), f"“{name}” is already the name of an end")
                continue
            if point.part not in lengths:
                parts = ", ".join(f"“{part}”" for part in lengths)
                self.values.add(
                    ("sites", name, "part"), f"no part “{point.part}”; there is {parts}"
                )
                continue
            along, length = self.values.numbers[("sites", name, "along")], lengths[point.part]
            if not -1e-9 * length <= along <= length * (1 + 1e-9):
                self.values.add(
                    ("sites", name, "along"),
                    f"{along * 1e3:g} mm is not on “{point.part}”, "
                    f"which is {length * 1e3:g} mm long",
                )
                continue
            places[name] = Place(name, point.part, min(max(along, 0.0), length))
        return places

    def _place(self, path: Path, site: str, places: Mapping[str, Place]) -> Place | None:
        if site in places:
            return places[site]
        if site not in self.sheet.content.sites:
            names = ", ".join(f"“{name}”" for name in places)
            self.values.add(path, f"there is no site “{site}”; there are {names}")
        return None

    def _support(
        self,
        index: int,
        support: model.Support,
        places: Mapping[str, Place],
        members: tuple[MemberValue, ...],
    ) -> SupportValue | None:
        place = self._place(("supports", index, "site"), support.site, places)
        if place is None:
            return None
        word = isinstance(support.hold, str)
        held: tuple[int, ...]
        if isinstance(support.hold, str):
            held = HELD_BY_WORD[support.hold]
        else:
            held = tuple(sorted({DIRECTIONS.index(name) for name in support.hold}))
        own = support.axes == "own" or (support.axes is None and word)
        frame = np.eye(3)
        if own:
            frame = next(member for member in members if member.name == place.part).frame
        words = support.hold if isinstance(support.hold, str) else ", ".join(support.hold)
        # A word goes by the member's axes, but springs beside it by the sheet's.
        springs = self._springs(("supports", index), support)
        spring_frame = frame if support.axes == "own" else np.eye(3)
        return SupportValue(
            support.name or place.site,
            place,
            _rows(held, frame),
            words,
            _rows(tuple(springs), spring_frame),
            np.array(list(springs.values())),
        )

    def _springs(self, path: Path, support: model.Support) -> dict[int, float]:
        """Stiffness by direction, those of zero left out."""
        springs: dict[int, float] = {}
        for first, key in ((0, "springs"), (3, "turning_springs")):
            for axis, letter in enumerate("xyz"):
                stiffness = self.values.numbers.get((*path, key, letter))
                if stiffness is None:
                    continue
                if stiffness < 0:
                    self.values.add((*path, key, letter), "a stiffness must not be negative")
                elif stiffness > 0:
                    springs[first + axis] = stiffness
        if (
            isinstance(support.hold, str)
            and "hold" not in support.model_fields_set
            and not (support.springs or support.turning_springs)
        ):
            self.values.add(path, "give “hold”, “springs” or “turning_springs”")
        return springs

    def _mass(self, index: int, mass: model.Mass, places: Mapping[str, Place]) -> MassValue | None:
        path: Path = ("masses", index)
        place = self._place((*path, "site"), mass.site, places)
        kilograms = self.values.numbers[(*path, "mass")]
        inertia = (0.0, 0.0, 0.0)
        if isinstance(mass.inertia, tuple):
            inertia = tuple(self.values.numbers[(*path, "inertia", axis)] for axis in range(3))  # type: ignore[assignment]
        elif mass.inertia is not None:
            inertia = (self.values.numbers[(*path, "inertia")],) * 3
        if not kilograms >= 0 or min(inertia) < 0:
            self.values.add((*path, "mass"), "a mass and its inertia must not be negative")
        offset = (0.0, 0.0, 0.0)
        if mass.offset is not None:
            offset = tuple(self.values.numbers[(*path, "offset", axis)] for axis in range(3))  # type: ignore[assignment]
        if place is None:
            return None
        return MassValue(mass.name or place.site, place, kilograms, inertia, offset)

    def _bands(self) -> tuple[BandValue, ...]:
        bands: list[BandValue] = []
        for index, band in enumerate(self.sheet.content.excitation.bands):
            path: Path = ("excitation", "bands", index)
            low = self.values.numbers[(*path, "from")]
            high = self.values.positive((*path, "to"), "a frequency")
            if low < 0:
                self.values.add((*path, "from"), "a frequency must not be negative")
            elif high < low:
                self.values.add((*path, "to"), f"the band “{band.name}” must end above its start")
            bands.append(BandValue(band.name, low, high))
        for index, source in enumerate(self.sheet.content.excitation.sources):
            path = ("excitation", "sources", index, "speed")
            if isinstance(source.speed, tuple):
                low = self.values.positive((*path, 0), "a speed")
                high = self.values.positive((*path, 1), "a speed")
                if high < low:
                    self.values.add((*path, 1), "the speed range must end above its start")
            else:
                low = high = self.values.positive(path, "a speed")
            for order in source.orders:
                name = source.name if order == 1 else f"{source.name} {order:g}×"
                factor = order / (2 * math.pi)
                bands.append(BandValue(name, low * factor, high * factor))
        return tuple(bands)


def _rows(directions: tuple[int, ...], frame: Array) -> Array:
    """Directions (0 to 5) of a frame as rows ``(k, 6)``, slides first."""
    rows = np.zeros((len(directions), 6))
    for row, direction in enumerate(directions):
        block = 3 * (direction // 3)
        rows[row, block : block + 3] = frame[direction % 3]
    return rows


def _si(text: str, dimension: Dimension) -> float:
    return as_dimension(parse(text).evaluate({}), dimension)
