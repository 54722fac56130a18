"""Conditions on what is told of a design, as they are typed: “mass < 18 kg”."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from belltone.errors import UserError
from belltone.sheet.plain import PlainValueError, plain_value
from belltone.sheet.units import Dimension, format_number

__all__ = ["Condition", "ConditionError", "parse_condition"]

_FORM: Final = re.compile(r"\s*(.+?)\s*(<=|>=|<|>|=|≤|≥)\s*(.+?)\s*")
_SENSES: Final = {"≤": "<=", "≥": ">="}
_BARE: Final = re.compile(r"[-+]?[\d.]+([eE][-+]?\d+)?")


class ConditionError(UserError):
    """A condition that cannot be read, in words for its author."""


@dataclass(frozen=True)
class Condition:
    """One thing told of a design, a sense (“<”, “<=”, “>”, “>=” or “=”), and its bound.

    A number is in ``unit``; words are only asked to be equal.
    """

    name: str
    sense: str
    bound: float | str
    unit: str

    @property
    def words(self) -> str:
        """The condition as it is written."""
        if isinstance(self.bound, str):
            return f"{self.name} {self.sense} {self.bound}"
        return f"{self.name} {self.sense} {format_number(self.bound)} {self.unit}".strip()

    def holds(self, value: float | str | None) -> bool:
        """Whether a design of which this is told keeps it; where nothing is told it does not."""
        if isinstance(self.bound, str) or isinstance(value, str):
            return self.sense == "=" and str(value).casefold() == str(self.bound).casefold()
        return value is not None and self.excess(value) <= 0

    def excess(self, value: float) -> float:
        """How far a number lies beyond the bound, as a share of it; negative where it keeps it."""
        if isinstance(self.bound, str) or not math.isfinite(value):
            return math.inf
        size = abs(self.bound) or 1.0
        off = (value - self.bound) / size
        if self.sense == "=":
            return abs(off) - 1e-9
        if off == 0:
            return 0.0 if "=" in self.sense else math.ulp(1.0)
        return off if self.sense.startswith("<") else -off


def parse_condition(text: str, units: Mapping[str, str]) -> Condition:
    """Read a condition on one of the things told, given with their units; raises `ConditionError`.

    A name may be cut short while it is still the only one that begins so. A number without a unit
    is in that of the thing.
    """
    matched = _FORM.fullmatch(text)
    if matched is None:
        raise ConditionError(
            f"“{text.strip()}” is no condition; write a name, “<”, “<=”, “>”, “>=” or “=”, and a "
            f"value, such as “{next(iter(units), 'mass')} < 18”"
        )
    name = _named(matched.group(1), units)
    sense, told = _SENSES.get(matched.group(2), matched.group(2)), matched.group(3)
    unit = units[name]
    try:
        return Condition(name, sense, _number(told, unit), unit)
    except (PlainValueError, ValueError) as error:
        if sense == "=" and not unit:
            return Condition(name, sense, told, "")
        raise ConditionError(f"“{text.strip()}”: {error}") from error


def _number(text: str, unit: str) -> float:
    if _BARE.fullmatch(text):
        return float(text)
    if unit == "%":
        return 100 * plain_value(text, Dimension("share", "", ("%",)))
    return plain_value(text, Dimension("value", unit, (unit,)))


def _named(text: str, units: Mapping[str, str]) -> str:
    wanted = text.casefold()
    same = [name for name in units if name.casefold() == wanted]
    found = same or [name for name in units if name.casefold().startswith(wanted)]
    if len(found) == 1:
        return found[0]
    known = ", ".join(f"“{name}”" for name in (found or units))
    kind = "more than one thing told" if found else "nothing that is told"
    raise ConditionError(f"“{text}” is {kind}; there is {known or 'nothing yet'}")
