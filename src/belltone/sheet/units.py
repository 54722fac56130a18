"""Units: which are accepted, what each field measures, and values with their unit as text.

Angle is kept as a dimension of its own, so that 60 rpm and 1 Hz cannot be confused silently:
a frequency given as a turning speed is divided by one full turn, on purpose and in one place.
"""

from __future__ import annotations

import math
import re
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Final, TypeVar


@contextmanager
def _unseen(name: str) -> Iterator[None]:
    """Let a package that is not loaded yet seem not to be installed."""
    if name in sys.modules:
        yield
        return
    sys.modules[name] = None  # type: ignore[assignment]
    try:
        yield
    finally:
        del sys.modules[name]


# Where there is one, pint loads a sixth of all that a command takes, for arrays it never gets here.
with _unseen("dask"):
    import pint

__all__ = [
    "DIMENSIONS",
    "UNIT_NAMES",
    "Conversion",
    "Dimension",
    "Quantity",
    "Unit",
    "UnitError",
    "as_dimension",
    "conversion",
    "convert",
    "format_number",
    "natural_unit",
    "quantity",
    "scale_of",
    "si_to_text",
    "unit_of",
    "usual_units",
]

_DEFINITIONS: Final = """
meter = [length] = m = metre
millimeter = 1e-3 m = mm
centimeter = 1e-2 m = cm
micrometer = 1e-6 m = um = µm
kilometer = 1e3 m = km
inch = 25.4e-3 m = in
foot = 0.3048 m = ft
kilogram = [mass] = kg
gram = 1e-3 kg = g
tonne = 1e3 kg = tonne
pound = 0.45359237 kg = lb = lbm
slug = 14.593902937206 kg = slug
second = [time] = s
millisecond = 1e-3 s = ms
minute = 60 s = min
hour = 3600 s = hr
kelvin = [temperature] = K
celsius = 1 K = degC
fahrenheit = 0.5555555555555556 K = degF
radian = [angle] = rad
degree = 0.017453292519943295 rad = deg = °
turn = 6.283185307179586 rad = turn
hertz = 1 / s = Hz
kilohertz = 1e3 Hz = kHz
revolution_per_minute = turn / min = rpm
newton = kg * m / s ** 2 = N
kilonewton = 1e3 N = kN
meganewton = 1e6 N = MN
pascal = N / m ** 2 = Pa
kilopascal = 1e3 Pa = kPa
megapascal = 1e6 Pa = MPa
gigapascal = 1e9 Pa = GPa
bar = 1e5 Pa = bar
psi = 6894.757293168361 Pa = psi
kilopound_per_square_inch = 6894757.293168361 Pa = ksi
megapound_per_square_inch = 6894757293.168361 Pa = Mpsi
pound_force = 4.4482216152605 N = lbf
percent = 0.01 = % = percent
"""

Unit = pint.Unit
T = TypeVar("T", bound=Any)  # numbers, and numbers with their slopes


class UnitError(ValueError):
    """A unit that is not known or does not measure what is asked for."""


def _registry() -> pint.UnitRegistry[Any]:
    registry: pint.UnitRegistry[Any] = pint.UnitRegistry(None, cache_folder=None)
    for line in _DEFINITIONS.strip().splitlines():
        if "%" in line:  # pint reads "%" as an operator; it is handled in `quantity`
            line = "percent = 0.01"
        registry.define(line)
    return registry


_REGISTRY: Final = _registry()

UNIT_NAMES: Final = frozenset(
    name.strip()
    for line in _DEFINITIONS.strip().splitlines()
    for index, name in enumerate(line.split("="))
    if index != 1
)
"""Every accepted spelling of a unit; none of them can name a knob."""


@dataclass(frozen=True)
class Dimension:
    """What a field measures.

    ``si`` is the unit evaluated values come in, ``likely`` the units to offer for a bare number,
    the first of them the one new values are written in.
    """

    name: str
    si: str
    likely: tuple[str, ...]

    @property
    def article(self) -> str:
        """The name with its article: "a length", "an angle"."""
        return f"{'an' if self.name[0] in 'aeiou' else 'a'} {self.name}"


DIMENSIONS: Final = {
    dimension.name: dimension
    for dimension in (
        Dimension("length", "m", ("mm", "m", "in")),
        Dimension("mass", "kg", ("kg", "g", "lb")),
        Dimension("density", "kg/m^3", ("kg/m^3", "g/cm^3", "lb/in^3")),
        Dimension("stress", "Pa", ("GPa", "MPa", "psi")),
        Dimension("frequency", "Hz", ("Hz", "rpm", "kHz")),
        Dimension("speed", "rad/s", ("rpm", "Hz", "rad/s")),
        Dimension("moment of inertia", "kg*m^2", ("kg*m^2", "g*mm^2")),
        Dimension("mass per length", "kg/m", ("kg/m", "g/mm")),
        Dimension("area", "m^2", ("mm^2", "cm^2")),
        Dimension("second moment of area", "m^4", ("mm^4", "cm^4")),
        Dimension("mass per area", "kg/m^2", ("kg/m^2", "g/cm^2")),
        Dimension("angle", "rad", ("deg", "rad")),
        Dimension("stiffness", "N/m", ("N/mm", "kN/m")),
        Dimension("turning stiffness", "N*m/rad", ("N*m/rad", "kN*m/rad")),
        Dimension("force", "N", ("N", "kN")),
        Dimension("moment", "N*m", ("N*m", "kN*m")),
        Dimension("pressure", "Pa", ("bar", "kPa", "MPa")),
        Dimension("pressure growth", "Pa/m", ("kPa/m", "bar/m")),
        Dimension("acceleration", "m/s^2", ("m/s^2", "g")),
        Dimension("temperature change", "K", ("K", "degC", "degF")),
        Dimension("temperature", "K", ("degC", "K", "degF")),
        Dimension("expansion", "K^-1", ("um/m/K", "K^-1")),
        Dimension("share", "", ("%",)),
        Dimension("number", "", ("",)),
    )
}


_UNIT_FACTOR: Final = r"\s*[A-Za-zµ_]+\s*(?:\^\s*-?\d{1,3}(?:\.\d+)?)?\s*"
_UNIT_SHAPE: Final = re.compile(rf"{_UNIT_FACTOR}(?:[*/]{_UNIT_FACTOR})*")


@dataclass(frozen=True)
class Quantity:
    """A number in base units (m, kg, s, K, rad), and the unit it was given in."""

    base: float
    unit: Unit

    @property
    def dimensionless(self) -> bool:
        """Whether it measures nothing; percents do not."""
        return bool(self.unit.dimensionless)


@lru_cache(maxsize=4096)
def unit_of(text: str) -> Unit:
    """Read a unit; raises ``UnitError`` for an unknown one."""
    plain = text.strip().replace("·", "*").replace("²", "^2").replace("³", "^3")
    plain = plain.replace("%", "percent").replace("°", "deg").replace("**", "^")
    if plain and not _UNIT_SHAPE.fullmatch(plain):
        raise UnitError(f"“{text}” cannot be read as a unit")
    for name in re.findall(r"[A-Za-zµ_]+", plain):
        if name not in UNIT_NAMES:
            raise UnitError(f"“{name}” is not a unit known here")
    try:
        return _REGISTRY.Unit(plain.replace("^", "**") or "dimensionless")
    except (pint.errors.PintError, TypeError, ValueError, SyntaxError) as error:
        raise UnitError(f"“{text}” cannot be read as a unit") from error


@lru_cache(maxsize=4096)
def scale_of(unit: Unit) -> float:
    """How many base units a unit is."""
    return float(_REGISTRY.Quantity(1.0, unit).to_root_units().magnitude)


def quantity(value: float, unit: str = "") -> Quantity:
    """Return ``value`` in ``unit``; raises ``UnitError`` for an unknown unit."""
    found = unit_of(unit)
    return Quantity(float(value) * scale_of(found), found)


_SHORT: Final = {
    "meter": "m",
    "kilogram": "kg",
    "second": "s",
    "kelvin": "K",
    "radian": "rad",
}
_GRAVITY: Final = 9.80665  # standard gravity (m/s²), CGPM (1901)
_ZEROS: Final = {"celsius": 273.15, "fahrenheit": 459.67 / 1.8}
"""Where the scales of temperature begin (K)."""


def as_dimension(value: Quantity, dimension: Dimension) -> float:
    """Return the value in the dimension's SI unit; raises ``UnitError`` when it measures otherwise.

    Frequencies may be given as turning speeds and the reverse: one turn is one cycle. A turning
    stiffness without its angle is meant for a radian. ``g`` stands for gravity where an
    acceleration is asked for. A temperature counts from the zero of its own scale.
    """
    if not math.isfinite(value.base):
        raise UnitError("the value is not a finite number")
    return conversion(value.unit, dimension)(value.base)


@dataclass(frozen=True)
class Conversion:
    """From base units to the unit of a dimension: times a factor, or by one, and a zero added."""

    factor: float
    divisor: float
    zero: float

    def __call__(self, base: T) -> T:
        """Convert a number."""
        found: T = base * self.factor / self.divisor
        return found + self.zero if self.zero else found  # type: ignore[no-any-return]


@lru_cache(maxsize=4096)
def conversion(unit: Unit, dimension: Dimension) -> Conversion:
    """How values in a unit come to stand for a dimension; see `as_dimension`."""
    wanted = unit_of(dimension.si)
    turn = scale_of(unit_of("turn"))
    candidates = [(unit, 1.0, 1.0)]
    if dimension.name == "acceleration" and unit == unit_of("g"):
        candidates.append((unit_of("m/s^2"), _GRAVITY, scale_of(unit)))
    elif dimension.name == "frequency":
        candidates.append((unit / unit_of("turn"), 1.0, turn))
    elif dimension.name == "speed":
        candidates.append((unit * unit_of("turn"), turn, 1.0))
    elif dimension.name == "angle":
        candidates.append((unit * unit_of("rad"), 1.0, 1.0))
    elif dimension.name == "turning stiffness":
        candidates.append((unit / unit_of("rad"), 1.0, 1.0))
    for candidate, factor, divisor in candidates:
        if candidate.is_compatible_with(wanted):
            zero = _ZEROS.get(str(unit), 0.0) if dimension.name == "temperature" else 0.0
            return Conversion(factor, divisor * scale_of(wanted), zero)
    offered = ", ".join(unit for unit in dimension.likely if unit)
    needed = f"{dimension.article} (in {offered}, …)" if offered else "a plain number"
    raise UnitError(f"this is {_what(unit)}, where {needed} is needed")


def _what(unit: Unit) -> str:
    if unit.dimensionless:
        return "a plain number"
    # A growth of pressure is measured alike, but hardly ever typed by mistake.
    if unit.is_compatible_with(unit_of("N/m^3")):
        return "a weight density (force per volume)"
    for dimension in DIMENSIONS.values():
        if dimension.si and unit.is_compatible_with(unit_of(dimension.si)):
            return dimension.article
    return f"measured in {unit:~}"


@lru_cache(maxsize=4096)
def natural_unit(unit: Unit) -> str:
    """The unit to write a worked-out value in: the usual one of what it measures, else in SI."""
    if unit.dimensionless:
        return ""
    for dimension in DIMENSIONS.values():
        if dimension.si and unit.is_compatible_with(unit_of(dimension.si)):
            return dimension.likely[0]
    powers = _REGISTRY.Quantity(1.0, unit).to_root_units().unit_items()
    return "*".join(
        name if power == 1 else f"{name}^{format_number(float(str(power)))}"
        for name, power in ((_SHORT[base], power) for base, power in powers)
    )


@lru_cache(maxsize=4096)
def usual_units(unit: Unit) -> tuple[str, ...]:
    """The units that what a unit measures is usually given in; none for a plain number.

    None for degrees either: the unit alone does not say whether they count from a zero.
    """
    if unit.dimensionless or unit.is_compatible_with(unit_of("K")):
        return ()
    found: list[str] = []
    for dimension in DIMENSIONS.values():
        found += [each for each in dimension.likely if unit.is_compatible_with(unit_of(each))]
    return tuple(dict.fromkeys(found))


def convert(value_si: float, dimension: Dimension, unit: str) -> float:
    """Convert an SI value of ``dimension`` to ``unit`` (frequency and speed as `as_dimension`)."""
    return value_si / as_dimension(quantity(1.0, unit), dimension)


def format_number(value: float, digits: int = 6) -> str:
    """Write a number with up to ``digits`` significant digits and no exponent where readable."""
    if value == 0:
        return "0"
    if not math.isfinite(value):
        return str(value)
    if not 1e-4 <= abs(value) < 1e7:
        return f"{value:.{digits}g}"
    decimals = max(0, digits - 1 - math.floor(math.log10(abs(value))))
    text = f"{value:.{decimals}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def si_to_text(value_si: float, dimension: Dimension, unit: str, digits: int = 6) -> str:
    """Write an SI value in ``unit``: ``si_to_text(0.003, length, "mm") == "3 mm"``."""
    number = format_number(convert(value_si, dimension, unit), digits)
    return f"{number} {unit}".strip()
