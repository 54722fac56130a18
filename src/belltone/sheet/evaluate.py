"""From a sheet to a design: every value worked out, every problem found and named at once."""

from __future__ import annotations

import keyword
import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from difflib import get_close_matches
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.sheet import model, sections
from belltone.sheet.checks import plausibility
from belltone.sheet.design import (
    BandValue,
    Design,
    KnobValue,
    MassValue,
    MaterialValue,
    MemberValue,
    Place,
    SupportValue,
)
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Finding, Path, SheetError
from belltone.sheet.expressions import FUNCTIONS, Expression, ExpressionError, parse
from belltone.sheet.materials import handbook
from belltone.sheet.units import (
    UNIT_NAMES,
    Dimension,
    Quantity,
    UnitError,
    as_dimension,
)

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
    return _Evaluation(sheet, dict(settings or {})).design()


@dataclass
class _Evaluation:
    """Collects findings while one sheet is worked out; used once."""

    sheet: Sheet
    settings: dict[str, str]
    findings: list[Finding] = field(default_factory=list)
    knobs: dict[str, Quantity] = field(default_factory=dict)
    numbers: dict[Path, float] = field(default_factory=dict)

    def design(self) -> Design:
        content = self.sheet.content
        for name in self.settings:
            if name not in content.knobs:
                self._add(("knobs",), _unknown_knob(name, content.knobs))
        knob_values = self._knobs()
        for path, text, dimension in model.value_fields(content):
            self._number(path, text, dimension)
        self._stop_if_wrong()
        members = tuple(
            member
            for name, part in content.parts.items()
            if (member := self._member(name, part)) is not None
        )
        if len(content.parts) > 1:
            second = list(content.parts)[1]
            self._add(("parts", second), "a sheet holds one part so far; joints come later")
        self._stop_if_wrong()
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
        margin = self._within(("excitation", "margin"), 0.0, 0.9, "between 0 % and 90 %", 0.1)
        accuracy = self._within(
            ("accuracy", "target"), 1e-6, 0.2, "between 0.0001 % and 20 %", 0.5e-2
        )
        if content.modes.up_to is not None:
            self._positive(("modes", "up_to"))
        self._stop_if_wrong()
        design = Design(
            members,
            places,
            supports,
            masses,
            bands,
            margin,
            accuracy,
            content.modes.count,
            self.numbers.get(("modes", "up_to")),
            knob_values,
        )
        warnings = tuple(
            Finding(found.path, found.message, self.sheet.line_of(found.path), warning=True)
            for found in plausibility(design, content)
        )
        return Design(**{**design.__dict__, "warnings": warnings})

    # -- values ---------------------------------------------------------------------------------

    def _add(self, path: Path, message: str) -> None:
        if not any(found.path == path for found in self.findings):
            self.findings.append(Finding(path, message, self.sheet.line_of(path)))

    def _stop_if_wrong(self) -> None:
        if self.findings:
            raise SheetError(self.findings)

    def _knobs(self) -> dict[str, KnobValue]:
        content = self.sheet.content
        parsed: dict[str, Expression] = {}
        for name, knob in content.knobs.items():
            path = ("knobs", name, "value")
            if (reason := _bad_knob_name(name)) is not None:
                self._add(("knobs", name), reason)
                continue
            try:
                parsed[name] = parse(self.settings.get(name, knob.value))
            except ExpressionError as error:
                self._add(path, str(error))
        for name in parsed:
            self._knob(name, parsed, ())
        values: dict[str, KnobValue] = {}
        for name, expression in parsed.items():
            if name in self.knobs:
                values[name] = self._knob_value(name, expression)
        return values

    def _knob(self, name: str, parsed: Mapping[str, Expression], chain: tuple[str, ...]) -> bool:
        """Work out one knob after those it names; returns whether it has a value."""
        if name in self.knobs:
            return True
        path = ("knobs", name, "value")
        if name in chain:
            cycle = " → ".join((*chain[chain.index(name) :], name))
            self._add(path, f"the knobs define each other in a circle: {cycle}")
            return False
        expression = parsed[name]
        for other in sorted(expression.names):
            if other not in self.sheet.content.knobs:
                self._add(path, _unknown_knob(other, self.sheet.content.knobs))
                return False
            if other not in parsed or not self._knob(other, parsed, (*chain, name)):
                return False
        try:
            self.knobs[name] = expression.evaluate(self.knobs)
        except ExpressionError as error:
            self._add(path, str(error))
            return False
        return True

    def _knob_value(self, name: str, expression: Expression) -> KnobValue:
        knob = self.sheet.content.knobs[name]
        value = self.knobs[name]
        original = _literal_unit(knob.value)
        literal = expression.literal
        unit = original if original is not None else (literal[1] if literal else f"{value.units:~}")
        try:
            in_unit = _magnitude(value, unit)
        except UnitError:
            hint = f": “{expression.text.strip()} {unit}”?" if value.dimensionless else ""
            self._add(
                ("knobs", name, "value"),
                f"“{expression.text}” cannot stand for “{name}”, which is given in {unit}{hint}",
            )
            del self.knobs[name]
            return KnobValue(name, math.nan, unit, None, None, literal is not None)
        limits: list[float | None] = []
        for key, text in (("from", knob.start), ("to", knob.stop)):
            limits.append(self._knob_limit(name, key, text, unit) if text is not None else None)
        start, stop = limits
        if start is not None and stop is not None and not start < stop:
            self._add(("knobs", name, "to"), "the range must end above its start")
        return KnobValue(name, in_unit, unit, start, stop, _literal_unit(knob.value) is not None)

    def _knob_limit(self, name: str, key: str, text: str, unit: str) -> float | None:
        path = ("knobs", name, key)
        try:
            expression = parse(text)
            if expression.names:
                raise ExpressionError("a knob's range is given in numbers, not by other knobs")
            return _magnitude(expression.evaluate({}), unit)
        except (ExpressionError, UnitError) as error:
            hint = f"; write it in {unit}" if isinstance(error, UnitError) and unit else ""
            self._add(path, f"{error}{hint}")
            return None

    def _number(self, path: Path, text: str, dimension: Dimension) -> None:
        try:
            expression = parse(text)
            for name in sorted(expression.names):
                if name not in self.sheet.content.knobs:
                    raise ExpressionError(_unknown_knob(name, self.sheet.content.knobs))
                if name not in self.knobs:
                    return  # the knob's own finding says it
            value = expression.evaluate(self.knobs)
            if dimension.si and value.dimensionless and expression.literal is None:
                raise UnitError(f"this is a plain number, where {dimension.article} is needed")
            if dimension.si and value.dimensionless:
                shown = text.strip()
                offers = " or ".join(f"“{shown} {unit}”" for unit in dimension.likely)
                self._add(path, f"“{shown}” has no unit; {dimension.article} is needed: {offers}?")
                return
            self.numbers[path] = as_dimension(value, dimension)
        except ExpressionError as error:
            self._add(path, str(error))
        except UnitError as error:
            hint = ""
            if dimension.name == "density" and "weight density" in str(error):
                hint = "; a mass density is a weight density divided by 9.80665 m/s²"
            self._add(path, f"“{text}”: {error}{hint}")

    def _positive(self, path: Path, what: str | None = None) -> float:
        value = self.numbers.get(path, math.nan)
        if not value > 0:
            self._add(path, f"{what or 'this'} must be greater than zero")
        return value

    def _within(self, path: Path, low: float, high: float, words: str, default: float) -> float:
        value = self.numbers.get(path, default)
        if not low <= value <= high:
            self._add(path, f"this must be {words}")
        return value

    # -- parts ----------------------------------------------------------------------------------

    def _member(self, name: str, part: model.Member) -> MemberValue | None:
        path: Path = ("parts", name)
        material = self._material(part.material, (*path, "material"))
        points = self._end_points(path, part)
        section = self._section((*path, "section"), part.section)
        section_at_end = section
        if part.section_at_end is not None:
            section_at_end = self._section((*path, "section_at_end"), part.section_at_end)
            if part.section_at_end.shape != part.section.shape:
                self._add(
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
            self._add(path, "give either “length”, or the two points “from” and “to”")
            return None
        if part.length is not None:
            length = self._positive((*path, "length"), "a length")
            return np.zeros(3), np.array([length, 0.0, 0.0])
        if part.start is None or part.stop is None:
            self._add(path, "two points are needed, “from” and “to”")
            return None
        start = np.array([self.numbers[(*path, "from", axis)] for axis in range(3)])
        stop = np.array([self.numbers[(*path, "to", axis)] for axis in range(3)])
        if not np.linalg.norm(stop - start) > 0:
            self._add((*path, "to"), "the two points are the same, so the length is zero")
            return None
        return start, stop

    def _frame(self, path: Path, part: model.Member, run: Array) -> Array | None:
        axis = run / np.linalg.norm(run)
        if part.up is not None:
            up = np.array(part.up)
            if np.linalg.norm(np.cross(axis, up)) < 1e-6 * max(1e-300, float(np.linalg.norm(up))):
                self._add((*path, "up"), "“up” must not point along the member")
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
            density = self._positive((*base, "density"), "a density")
            modulus = self._positive((*base, "youngs_modulus"), "Young's modulus")
            ratio = self._within(
                (*base, "poisson_ratio"), -0.999, 0.499, "above -1 and below 0.5", 0.3
            )
            return MaterialValue(name, density, modulus, ratio)
        if name not in handbook():
            known = [*own, *handbook()]
            near = get_close_matches(name, known, n=3, cutoff=0.4)
            offer = " or ".join(f"“{entry}”" for entry in near) or ", ".join(known)
            self._add(path, f"there is no material “{name}”; there is {offer}")
            return None
        entry = handbook()[name]
        return MaterialValue(
            name, *(_si(text, dimension) for _, text, dimension in model.value_fields(entry))
        )

    def _section(self, path: Path, section: model.SectionModel) -> sections.SectionShape | None:
        found = len(self.findings)
        dimensions: dict[str, float] = {
            key: self._positive((*path, key), f"the {key}")
            for key in type(section).model_fields
            if key not in ("shape", "shear_factor")
        }
        outer = min(
            [dimensions[key] for key in ("width", "height", "diameter") if key in dimensions]
        )
        wall = dimensions.get("wall")
        if wall is not None and wall > 0 and not 2 * wall < outer:
            self._add(
                (*path, "wall"),
                f"a wall of {wall * 1e3:g} mm does not fit into {outer * 1e3:g} mm; "
                f"it must be below {outer * 500:g} mm",
            )
        factor: float | None = None
        if section.shear_factor is not None:
            factor = self._within(
                (*path, "shear_factor"), 0.01, 1.5, "a shear factor between 0.01 and 1.5", 1.0
            )
        if len(self.findings) > found:
            return None
        return _SHAPES[section.shape](**dimensions, shear_factor=factor)  # type: ignore[call-arg]

    # -- sites, supports, masses, excitation ----------------------------------------------------

    def _places(self, members: tuple[MemberValue, ...]) -> dict[str, Place]:
        places: dict[str, Place] = {}
        lengths = {member.name: member.length for member in members}
        for name, length in lengths.items():
            places[f"{name}.start"] = Place(f"{name}.start", name, 0.0)
            places[f"{name}.end"] = Place(f"{name}.end", name, length)
        for name, point in self.sheet.content.sites.items():
            if name in places:
                self._add(("sites", name), f"“{name}” is already the name of an end")
                continue
            if point.part not in lengths:
                parts = ", ".join(f"“{part}”" for part in lengths)
                self._add(("sites", name, "part"), f"no part “{point.part}”; there is {parts}")
                continue
            along, length = self.numbers[("sites", name, "along")], lengths[point.part]
            if not -1e-9 * length <= along <= length * (1 + 1e-9):
                self._add(
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
            self._add(path, f"there is no site “{site}”; there are {names}")
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
        rows = np.zeros((len(held), 6))
        for row, direction in enumerate(held):
            block = 3 * (direction // 3)
            rows[row, block : block + 3] = frame[direction % 3]
        words = support.hold if isinstance(support.hold, str) else ", ".join(support.hold)
        return SupportValue(support.name or place.site, place, rows, words)

    def _mass(self, index: int, mass: model.Mass, places: Mapping[str, Place]) -> MassValue | None:
        path: Path = ("masses", index)
        place = self._place((*path, "site"), mass.site, places)
        kilograms = self.numbers[(*path, "mass")]
        inertia = (0.0, 0.0, 0.0)
        if isinstance(mass.inertia, tuple):
            inertia = tuple(self.numbers[(*path, "inertia", axis)] for axis in range(3))  # type: ignore[assignment]
        elif mass.inertia is not None:
            inertia = (self.numbers[(*path, "inertia")],) * 3
        if not kilograms >= 0 or min(inertia) < 0:
            self._add((*path, "mass"), "a mass and its inertia must not be negative")
        offset = (0.0, 0.0, 0.0)
        if mass.offset is not None:
            offset = tuple(self.numbers[(*path, "offset", axis)] for axis in range(3))  # type: ignore[assignment]
        if place is None:
            return None
        return MassValue(mass.name or place.site, place, kilograms, inertia, offset)

    def _bands(self) -> tuple[BandValue, ...]:
        bands: list[BandValue] = []
        for index, band in enumerate(self.sheet.content.excitation.bands):
            path: Path = ("excitation", "bands", index)
            low = self.numbers[(*path, "from")]
            high = self._positive((*path, "to"), "a frequency")
            if low < 0:
                self._add((*path, "from"), "a frequency must not be negative")
            elif high < low:
                self._add((*path, "to"), f"the band “{band.name}” must end above its start")
            bands.append(BandValue(band.name, low, high))
        for index, source in enumerate(self.sheet.content.excitation.sources):
            path = ("excitation", "sources", index, "speed")
            if isinstance(source.speed, tuple):
                low = self._positive((*path, 0), "a speed")
                high = self._positive((*path, 1), "a speed")
                if high < low:
                    self._add((*path, 1), "the speed range must end above its start")
            else:
                low = high = self._positive(path, "a speed")
            for order in source.orders:
                name = source.name if order == 1 else f"{source.name} {order:g}×"
                factor = order / (2 * math.pi)
                bands.append(BandValue(name, low * factor, high * factor))
        return tuple(bands)


def _si(text: str, dimension: Dimension) -> float:
    return as_dimension(parse(text).evaluate({}), dimension)


def _magnitude(value: Quantity, unit: str) -> float:
    return as_dimension(value, Dimension("value", unit, (unit,)))


def _literal_unit(text: str) -> str | None:
    try:
        literal = parse(text).literal
    except ExpressionError:
        return None
    return literal[1] if literal else None


def _unknown_knob(name: str, knobs: Mapping[str, object]) -> str:
    near = get_close_matches(name, knobs, n=1, cutoff=0.5)
    if near:
        return f"there is no knob “{name}”; did you mean “{near[0]}”?"
    known = ", ".join(f"“{knob}”" for knob in knobs)
    return f"there is no knob “{name}”; " + (f"there is {known}" if known else "there is none")


def _bad_knob_name(name: str) -> str | None:
    if not name.isidentifier() or name.startswith("_"):
        return f"“{name}” cannot name a knob: use letters, digits and “_”, a letter first"
    if name in UNIT_NAMES:
        return f"“{name}” is a unit, so it cannot name a knob"
    if name in FUNCTIONS or name == "pi" or keyword.iskeyword(name):
        return f"“{name}” has a meaning of its own, so it cannot name a knob"
    return None
