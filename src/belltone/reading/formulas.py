"""What a sheet's knobs and values are as functions of each other, units settled and checked."""

from __future__ import annotations

import keyword
import re
from collections.abc import Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from typing import Final

from belltone.design.values import Spread
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Finding, Path
from belltone.sheet.expressions import FUNCTIONS, ExpressionError, parse
from belltone.sheet.formulas import Formula, evaluated, formula
from belltone.sheet.model import Knob
from belltone.sheet.units import (
    UNIT_NAMES,
    Conversion,
    Dimension,
    Unit,
    UnitError,
    as_dimension,
    conversion,
    format_number,
    natural_unit,
    quantity,
    scale_of,
    unit_of,
)

__all__ = ["Formulas", "KnobFormula", "ValueFormula"]

_MOST: Final = {"length": 1e5, "mass": 1e9, "frequency": 1e9, "speed": 1e7, "angle": 1e6}
"""Largest values, in SI units, beyond which nothing is built and rounding eats what is added."""
_MOST_OF_ANYTHING: Final = 1e18
_NOUGHT: Final = 1e-30  # of anything, in SI units; the fourth power of what is larger is a number


@dataclass(frozen=True)
class KnobFormula:
    """A knob: what it comes to, the unit it is shown in, and its range and choices in that unit."""

    name: str
    formula: Formula
    unit: str
    start: float | None
    stop: float | None
    literal: bool
    step: float | None = None
    stock: tuple[float, ...] = ()
    spread: Spread | None = None

    @property
    def scale(self) -> float:
        """Base units in the unit it is shown in."""
        return scale_of(unit_of(self.unit))


@dataclass(frozen=True)
class ValueFormula:
    """A value that names knobs, and the way to the SI unit of what it measures."""

    text: str
    formula: Formula
    dimension: Dimension
    to_si: Conversion


class Formulas:
    """Knobs in an order in which each comes after those it names; values constant and varying.

    ``findings`` say what is wrong whatever the knobs are. What a finding was made for is left out.
    """

    def __init__(self, sheet: Sheet, settings: Mapping[str, str]) -> None:
        self.sheet = sheet
        self.findings: list[Finding] = []
        self.knobs: dict[str, KnobFormula] = {}
        self.constants: dict[Path, float] = {}
        self.varying: dict[Path, ValueFormula] = {}
        self._unusable: set[str] = set()
        for name in settings:
            if name not in sheet.content.knobs:
                self._add(("knobs",), _unknown_knob(name, sheet.content.knobs))
        texts: dict[str, str] = {}
        for name, knob in sheet.content.knobs.items():
            if (reason := _bad_knob_name(name)) is not None:
                self._add(("knobs", name), reason)
                self._unusable.add(name)
            else:
                texts[name] = settings.get(name, knob.value)
        for name in texts:
            self._knob(name, texts, ())
        self._units: dict[str, Unit] = {
            name: knob.formula.unit for name, knob in self.knobs.items()
        }
        for path, (text, dimension) in sheet.values.items():
            self._value(path, text, dimension)

    def _add(self, path: Path, message: str) -> None:
        self.findings.append(Finding(path, message, self.sheet.line_of(path)))

    def _knob(self, name: str, texts: Mapping[str, str], chain: tuple[str, ...]) -> bool:
        """Settle one knob after those it names; returns whether it can have a value."""
        if name in self.knobs or name in self._unusable:
            return name in self.knobs
        path = ("knobs", name, "value")
        if name in chain:
            cycle = " → ".join((*chain[chain.index(name) :], name))
            self._add(path, f"the knobs define each other in a circle: {cycle}")
            self._unusable.add(name)
            return False
        try:
            for other in sorted(parse(texts[name]).names):
                if other not in self.sheet.content.knobs:
                    raise ExpressionError(_unknown_knob(other, self.sheet.content.knobs))
                if not self._knob(other, texts, (*chain, name)):
                    self._unusable.add(name)
                    return False
            units = {other: knob.formula.unit for other, knob in self.knobs.items()}
            found = formula(texts[name], units)
        except ExpressionError as error:
            self._add(path, str(error))
            self._unusable.add(name)
            return False
        return self._take_knob(name, found)

    def _take_knob(self, name: str, found: Formula) -> bool:
        knob = self.sheet.content.knobs[name]
        original = _literal_unit(knob.value)
        unit = original if original is not None else natural_unit(found.unit)
        if not found.unit.is_compatible_with(unit_of(unit)):
            shown = found.expression.text
            hint = f": “{shown.strip()} {unit}”?" if found.unit.dimensionless else ""
            self._add(
                ("knobs", name, "value"),
                f"“{shown}” cannot stand for “{name}”, which is given in {unit}{hint}",
            )
            self._unusable.add(name)
            return False
        unlike = _unlike_range(knob, unit)
        if unlike:
            reason = f"{unlike}: “{name}” goes from {knob.start} to {knob.stop}"
            self._add(("knobs", name, "value"), reason)
            self._unusable.add(name)
            return False
        start, stop = (
            None if text is None else self._limit(name, key, text, unit)
            for key, text in (("from", knob.start), ("to", knob.stop))
        )
        if start is not None and stop is not None and not start < stop:
            self._add(("knobs", name, "to"), "the range must end above its start")
        self.knobs[name] = KnobFormula(
            name,
            found,
            unit,
            start,
            stop,
            original is not None,
            self._step(name, knob, unit),
            self._stock(name, knob, unit),
            self._spread(name, knob, unit),
        )
        return True

    def _step(self, name: str, knob: Knob, unit: str) -> float | None:
        if knob.step is None:
            return None
        step = self._limit(name, "step", knob.step, unit)
        if step is not None and not step > 0:
            self._add(("knobs", name, "step"), "a step must be greater than zero")
            return None
        return step

    def _stock(self, name: str, knob: Knob, unit: str) -> tuple[float, ...]:
        if knob.stock and knob.step is not None:
            self._add(("knobs", name, "stock"), "state a “step” or a “stock”, not both")
        found = [self._limit(name, ("stock", at), text, unit) for at, text in enumerate(knob.stock)]
        return tuple(sorted({each for each in found if each is not None}))

    def _spread(self, name: str, knob: Knob, unit: str) -> Spread | None:
        if knob.tolerance is not None and knob.deviation is not None:
            self._add(
                ("knobs", name, "deviation"), "state a “tolerance” or a “deviation”, not both"
            )
            return None
        key = "tolerance" if knob.deviation is None else "deviation"
        text = knob.tolerance if knob.deviation is None else knob.deviation
        if text is None:
            return None
        relative = text.rstrip().endswith("%")
        size = self._limit(name, key, text, "" if relative else unit)
        if size is None:
            return None
        if not size > 0:
            self._add(("knobs", name, key), f"a {key} must be greater than zero")
            return None
        return Spread(size, relative, key == "deviation")

    def _limit(self, name: str, key: str | tuple[str, int], text: str, unit: str) -> float | None:
        try:
            if parse(text).names:
                raise ExpressionError("a knob's range is given in numbers, not by other knobs")
            return as_dimension(evaluated(text), Dimension("value", unit, (unit,)))
        except (ExpressionError, UnitError) as error:
            hint = f"; write it in {unit}" if isinstance(error, UnitError) and unit else ""
            steps = (key,) if isinstance(key, str) else key
            self._add(("knobs", name, *steps), f"{error}{hint}")
            return None

    def _value(self, path: Path, text: str, dimension: Dimension) -> None:
        if any(re.search(rf"\b{re.escape(name)}\b", text) for name in self._unusable):
            return  # the knob's own finding says it
        try:
            names = parse(text).names
            for name in sorted(names):
                if name not in self.knobs:
                    raise ExpressionError(_unknown_knob(name, self.sheet.content.knobs))
            found = formula(text, self._units)
            if dimension.si and found.unit.dimensionless:
                self._without_unit(path, found, dimension)
                return
            value = ValueFormula(text, found, dimension, conversion(found.unit, dimension))
            if names:
                self.varying[path] = value
            else:
                self.constants[path] = number(value, {})
        except ExpressionError as error:
            self._add(path, str(error))
        except UnitError as error:
            self._add(path, f"“{text}”: {error}{_as_mass(text, dimension, error)}")

    def _without_unit(self, path: Path, found: Formula, dimension: Dimension) -> None:
        shown = found.expression.text.strip()
        if found.expression.literal is None:
            raise UnitError(f"this is a plain number, where {dimension.article} is needed")
        offers = " or ".join(f"“{shown} {unit}”" for unit in dimension.likely)
        self._add(path, f"“{shown}” has no unit; {dimension.article} is needed: {offers}?")


def number(value: ValueFormula, knobs: Mapping[str, float]) -> float:
    """The number of a value in SI units; raises `ExpressionError` where it cannot be used."""
    found = value.formula.at(knobs)
    if not abs(found) < float("inf"):
        raise ExpressionError(f"“{value.text}”: the value is not a finite number")
    found = value.to_si(found)
    most = _MOST.get(value.dimension.name, _MOST_OF_ANYTHING)
    if abs(found) > most:
        unit = f" {value.dimension.si}" if value.dimension.si else ""
        raise ExpressionError(
            f"“{value.text}” is too large: at most {most:g}{unit} can be worked with"
        )
    return float(found) if abs(found) >= _NOUGHT else 0.0


def _as_mass(text: str, dimension: Dimension, error: UnitError) -> str:
    """What a weight density would be as the mass density that is asked for."""
    if dimension.name != "density" or "weight density" not in str(error):
        return ""
    try:
        density = evaluated(text).base / quantity(9.80665, "m/s^2").base
    except (ExpressionError, KeyError):
        return ""
    return (
        "; the mass density of what weighs that is it divided by 9.80665 m/s²: "
        f"“{format_number(density, 5)} kg/m^3”"
    )


def _unlike_range(knob: Knob, unit: str) -> str:
    """What is wrong with a knob's unit where both ends of its range measure one other thing."""
    ends = [_literal_unit(text) for text in (knob.start, knob.stop) if text is not None]
    if len(ends) < 2 or not all(ends):
        return ""
    first, last = (str(end) for end in ends)
    try:
        conversion(unit_of(last), Dimension("value", first, (first,)))
    except UnitError:
        return ""
    try:
        conversion(unit_of(unit), Dimension("value", first, (first,)))
    except UnitError as error:
        return str(error)
    return ""


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
