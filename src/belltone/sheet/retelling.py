"""A knob told in another unit: its value, its range and how it is made, all at once."""

from __future__ import annotations

from typing import Any

from belltone.sheet.document import Sheet
from belltone.sheet.expressions import parse
from belltone.sheet.units import format_number, scale_of, unit_of

__all__ = ["in_unit"]

_TOLD = ("value", "from", "to", "step", "tolerance", "deviation")
_DIGITS = 12


def in_unit(sheet: Sheet, name: str, unit: str) -> Sheet:
    """Return the sheet with a knob's numbers in another ``unit`` of the same dimension.

    What is worked out, and shares such as “5 %”, stay as they are. Raises `UnitError` for a unit
    that is not known, `SheetError` where the sheet does not stand afterwards.
    """
    known = sheet.value(("knobs", name))
    told: dict[str, Any] = {key: _told(known[key], unit) for key in _TOLD if key in known}
    if "stock" in known:
        told["stock"] = [_told(each, unit) for each in known["stock"]]
    return sheet.with_values({("knobs", name, key): value for key, value in told.items()})


def _told(text: str, unit: str) -> str:
    literal = parse(text).literal
    if literal is None:
        return text
    number, own = literal
    if not unit_of(own).is_compatible_with(unit_of(unit)):
        return text
    factor = scale_of(unit_of(own)) / scale_of(unit_of(unit))
    return f"{format_number(number * factor, _DIGITS)} {unit}"
