"""All designs of a sheet: its values read and checked once, its knobs free to turn."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from belltone.design.values import Design
from belltone.errors import UserError
from belltone.reading.evaluate import design_of
from belltone.reading.formulas import Formulas, KnobFormula
from belltone.reading.numbers import Values
from belltone.sheet.document import Sheet
from belltone.sheet.duals import Dual
from belltone.sheet.errors import Path

__all__ = ["DesignFamily", "evaluate"]

_BETWEEN: Final = 0.37  # of a whole number


class DesignFamily:
    """What a sheet says, as a function of its knobs.

    ``settings`` are texts that stand in place of the sheet's own for some knobs; an unknown knob
    among them is told as a finding by `at`.
    """

    def __init__(self, sheet: Sheet, settings: Mapping[str, str] | None = None) -> None:
        self.sheet = sheet
        self._formulas = Formulas(sheet, settings or {})

    @property
    def knobs(self) -> Mapping[str, KnobFormula]:
        """The knobs, each after those it names."""
        return self._formulas.knobs

    def at(self, turned: Mapping[str, float] | None = None) -> Design:
        """The design with some knobs turned to numbers in base units (m, kg, s, K, rad).

        The same design as from a sheet with these numbers written into it. Raises `SheetError` with
        all findings, ``KeyError`` for a knob there is not.
        """
        turned = turned or {}
        for name in turned:
            self.knobs[name]
        return design_of(self.sheet, Values(self._formulas, turned))

    def counts(self, knob: str, turned: Mapping[str, float] | None = None) -> bool:
        """Whether a knob is a number of things: with a design at whole numbers alone.

        Raises as `at`.
        """
        present = self.at(turned).knobs[knob].base

        def there(away: float) -> bool:
            return self.read({**(turned or {}), knob: present + away}) is not None

        if not present.is_integer() or there(_BETWEEN) or there(-_BETWEEN):
            return False
        return there(1.0) or there(-1.0)

    def read(self, turned: Mapping[str, float]) -> Design | None:
        """The design with some knobs turned, if there is one."""
        try:
            return self.at(turned)
        except UserError:
            return None

    def numbers(self, turned: Mapping[str, float] | None = None) -> Mapping[Path, float]:
        """Every value in SI units, as far as it can be worked out."""
        return Values(self._formulas, turned or {}).numbers

    def slopes(self, knob: str, turned: Mapping[str, float] | None = None) -> Mapping[Path, float]:
        """How fast each value changes with a knob, in SI units for a base unit of it.

        Values that do not change are left out. Raises `ExpressionError` where one cannot be worked
        out, ``KeyError`` for a knob there is not.
        """
        self.knobs[knob]
        known: dict[str, Dual] = {}
        for name, each in self.knobs.items():
            given = (turned or {}).get(name)
            found = each.formula.at(known) if given is None else given
            value = found if isinstance(found, Dual) else Dual(found)
            known[name] = Dual(value.value, 1.0) if name == knob else value
        slopes: dict[Path, float] = {}
        for path, varying in self._formulas.varying.items():
            number = varying.to_si(varying.formula.at(known))
            if number.slope:
                slopes[path] = number.slope
        return slopes


def evaluate(sheet: Sheet, settings: Mapping[str, str] | None = None) -> Design:
    """Work out every value of a sheet, with knobs set to ``settings`` where given.

    Raises `SheetError` with all findings (unknown knobs, cycles, wrong units, impossible values).
    """
    return DesignFamily(sheet, settings).at()
