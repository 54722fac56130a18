"""The values of a sheet worked out: knobs first, then every number, all findings collected."""

from __future__ import annotations

import keyword
import math
import re
from collections.abc import Mapping
from difflib import get_close_matches
from functools import lru_cache
from typing import Final

from belltone.design.values import KnobValue
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Finding, Path, SheetError
from belltone.sheet.expressions import FUNCTIONS, Expression, ExpressionError, parse
from belltone.sheet.units import (
    UNIT_NAMES,
    Dimension,
    Quantity,
    UnitError,
    as_dimension,
    format_number,
    natural_unit,
    quantity,
)

__all__ = ["Values"]


_MOST: Final = {"length": 1e5, "mass": 1e9, "frequency": 1e9, "speed": 1e7, "angle": 1e6}
"""Largest values, in SI units, beyond which nothing is built and rounding eats what is added."""
_MOST_OF_ANYTHING: Final = 1e18
_NOUGHT: Final = 1e-30  # of anything, in SI units; the fourth power of what is larger is a number


class Values:
    """Numbers in SI units by path, and what is wrong with any of them; used for one evaluation.

    ``knobs`` holds the knobs that have a value. A path without a number has a finding.
    """

    def __init__(self, sheet: Sheet, settings: Mapping[str, str]) -> None:
        self.sheet, self.settings = sheet, settings
        self.findings: list[Finding] = []
        self.numbers: dict[Path, float] = {}
        self._quantities: dict[str, Quantity] = {}
        self._unusable: set[str] = set()
        content = sheet.content
        for name in settings:
            if name not in content.knobs:
                self.add(("knobs",), _unknown_knob(name, content.knobs))
        self.knobs = self._knobs()
        for path, (text, dimension) in sheet.values.items():
            self._number(path, text, dimension)

    def add(self, path: Path, message: str) -> None:
        """Note what is wrong at a path; the first finding there stands."""
        if not any(found.path == path for found in self.findings):
            self.findings.append(Finding(path, message, self.sheet.line_of(path)))

    def stop_if_wrong(self) -> None:
        """Raise `SheetError` if anything was found."""
        if self.findings:
            raise SheetError(self.findings)

    def _knobs(self) -> dict[str, KnobValue]:
        content = self.sheet.content
        parsed: dict[str, Expression] = {}
        for name, knob in content.knobs.items():
            path = ("knobs", name, "value")
            if (reason := _bad_knob_name(name)) is not None:
                self.add(("knobs", name), reason)
                self._unusable.add(name)
                continue
            try:
                parsed[name] = parse(self.settings.get(name, knob.value))
            except ExpressionError as error:
                self.add(path, str(error))
        for name in parsed:
            self._knob(name, parsed, ())
        values: dict[str, KnobValue] = {}
        for name, expression in parsed.items():
            if name in self._quantities:
                values[name] = self._knob_value(name, expression)
        return values

    def _knob(self, name: str, parsed: Mapping[str, Expression], chain: tuple[str, ...]) -> bool:
        """Work out one knob after those it names; returns whether it has a value."""
        if name in self._quantities:
            return True
        path = ("knobs", name, "value")
        if name in chain:
            cycle = " → ".join((*chain[chain.index(name) :], name))
            self.add(path, f"the knobs define each other in a circle: {cycle}")
            return False
        expression = parsed[name]
        for other in sorted(expression.names):
            if other not in self.sheet.content.knobs:
                self.add(path, _unknown_knob(other, self.sheet.content.knobs))
                return False
            if other not in parsed or not self._knob(other, parsed, (*chain, name)):
                return False
        try:
            self._quantities[name] = expression.evaluate(self._quantities)
        except ExpressionError as error:
            self.add(path, str(error))
            return False
        return True

    def _knob_value(self, name: str, expression: Expression) -> KnobValue:
        knob = self.sheet.content.knobs[name]
        value = self._quantities[name]
        original = _literal_unit(knob.value)
        literal = expression.literal
        unit = original if original is not None else natural_unit(value)
        try:
            in_unit = _magnitude(value, unit)
        except UnitError:
            hint = f": “{expression.text.strip()} {unit}”?" if value.dimensionless else ""
            self.add(
                ("knobs", name, "value"),
                f"“{expression.text}” cannot stand for “{name}”, which is given in {unit}{hint}",
            )
            del self._quantities[name]
            return KnobValue(name, math.nan, unit, None, None, literal is not None)
        limits: list[float | None] = []
        for key, text in (("from", knob.start), ("to", knob.stop)):
            limits.append(self._knob_limit(name, key, text, unit) if text is not None else None)
        start, stop = limits
        if start is not None and stop is not None and not start < stop:
            self.add(("knobs", name, "to"), "the range must end above its start")
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
            self.add(path, f"{error}{hint}")
            return None

    def _number(self, path: Path, text: str, dimension: Dimension) -> None:
        number = _constant(text, dimension)
        if number is not None:
            self.numbers[path] = number
            return
        if any(re.search(rf"\b{re.escape(name)}\b", text) for name in self._unusable):
            return  # the knob's own finding says it
        try:
            expression = parse(text)
            for name in sorted(expression.names):
                if name not in self.sheet.content.knobs:
                    raise ExpressionError(_unknown_knob(name, self.sheet.content.knobs))
                if name not in self._quantities:
                    return  # the knob's own finding says it
            value = expression.evaluate(self._quantities)
            if dimension.si and value.dimensionless and expression.literal is None:
                raise UnitError(f"this is a plain number, where {dimension.article} is needed")
            if dimension.si and value.dimensionless:
                shown = text.strip()
                offers = " or ".join(f"“{shown} {unit}”" for unit in dimension.likely)
                self.add(path, f"“{shown}” has no unit; {dimension.article} is needed: {offers}?")
                return
            number = as_dimension(value, dimension)
            most = _most(dimension)
            if abs(number) > most:
                unit = f" {dimension.si}" if dimension.si else ""
                self.add(path, f"“{text}” is too large: at most {most:g}{unit} can be worked with")
                return
            self.numbers[path] = _rounded(number)
        except ExpressionError as error:
            self.add(path, str(error))
        except UnitError as error:
            hint = ""
            if dimension.name == "density" and "weight density" in str(error):
                per_mass = value / quantity(9.80665, "m/s^2")
                mass_density = format_number(as_dimension(per_mass, dimension), 5)
                hint = (
                    f"; the mass density of what weighs that is it divided by 9.80665 m/s²: "
                    f"“{mass_density} kg/m^3”"
                )
            self.add(path, f"“{text}”: {error}{hint}")

    def positive(self, path: Path, what: str | None = None) -> float:
        """The number at a path, which must be greater than zero."""
        value = self.numbers.get(path, math.nan)
        if not value > 0:
            self.add(path, f"{what or 'this'} must be greater than zero")
        return value

    def within(self, path: Path, low: float, high: float, words: str, default: float) -> float:
        """The number at a path, which must lie in a range said in ``words``."""
        value = self.numbers.get(path, default)
        if not low <= value <= high:
            self.add(path, f"this must be {words}")
        return value


@lru_cache(maxsize=8192)
def _constant(text: str, dimension: Dimension) -> float | None:
    """The number of a good value that names no knob; it is the same in every design."""
    try:
        expression = parse(text)
        if expression.names:
            return None
        value = expression.evaluate({})
        if dimension.si and value.dimensionless:
            return None
        number = as_dimension(value, dimension)
    except (ExpressionError, UnitError):
        return None
    return _rounded(number) if abs(number) <= _most(dimension) else None


def _most(dimension: Dimension) -> float:
    return _MOST.get(dimension.name, _MOST_OF_ANYTHING)


def _rounded(number: float) -> float:
    return number if abs(number) >= _NOUGHT else 0.0


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
