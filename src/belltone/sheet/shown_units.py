"""The units a sheet is shown in; whatever is typed stays as it was typed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from belltone.sheet.units import DIMENSIONS, Dimension, convert, format_number, si_to_text

__all__ = ["AS_TYPED", "SHOWN_UNITS", "ShownUnits"]

SHOWN_UNITS: Final = {
    "length": ("mm", "in"),
    "frequency": ("Hz", "rpm"),
    "mass": ("kg", "lb"),
}
"""The units there are to choose from; the first is that of values nobody typed."""


@dataclass(frozen=True)
class ShownUnits:
    """The unit chosen for each dimension; an empty one leaves what is typed as it is typed."""

    length: str = ""
    frequency: str = ""
    mass: str = ""

    def unit(self, dimension: str) -> str:
        """The unit that worked-out values of a dimension are shown in."""
        chosen: str = getattr(self, dimension)
        return chosen or SHOWN_UNITS[dimension][0]

    def factor(self, dimension: str) -> float:
        """How many shown units an SI unit of a dimension is."""
        return convert(1.0, DIMENSIONS[dimension], self.unit(dimension))

    def told_in(self, unit: str) -> tuple[str, float]:
        """The unit shown in place of a usual one (mm, Hz, kg), and how many of it one is."""
        for dimension, (usual, *_) in SHOWN_UNITS.items():
            if unit == usual and self.unit(dimension) != usual:
                return self.unit(dimension), self.factor(dimension) / AS_TYPED.factor(dimension)
        return unit, 1.0

    def number(self, value_si: float, dimension: str, digits: int = 6) -> str:
        """An SI value in the shown unit, without the unit's name."""
        return format_number(convert(value_si, DIMENSIONS[dimension], self.unit(dimension)), digits)

    def text(self, value_si: float, dimension: str, digits: int = 6) -> str:
        """An SI value with its shown unit."""
        return si_to_text(value_si, DIMENSIONS[dimension], self.unit(dimension), digits)

    def head(self, what: str, dimension: str) -> str:
        """What stands above a column of shown numbers: “frequency (Hz)”."""
        return f"{what} ({self.unit(dimension)})"

    def length_text(self, metres: float, digits: int = 6) -> str:
        """A length (m) with its unit."""
        return self.text(metres, "length", digits)

    def frequency_text(self, hertz: float, digits: int = 5) -> str:
        """A frequency (Hz) with its unit."""
        return self.text(hertz, "frequency", digits)

    def mass_text(self, kilograms: float, digits: int = 4) -> str:
        """A mass (kg) with its unit."""
        return self.text(kilograms, "mass", digits)

    def instead(self, dimension: Dimension, unit: str) -> str:
        """The unit to show a value in that was typed in another one; empty where it stays."""
        chosen = getattr(self, dimension.name, "") if dimension.name in SHOWN_UNITS else ""
        return "" if chosen == unit else chosen


AS_TYPED: Final = ShownUnits()
"""Nothing chosen."""
