"""How a value of the sheet is shown in a sentence and stepped by hand."""

from __future__ import annotations

import math
from dataclasses import dataclass

from belltone.design.values import Design
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.sheet.expressions import ExpressionError, parse
from belltone.sheet.formulas import evaluated
from belltone.sheet.units import (
    Dimension,
    Quantity,
    UnitError,
    as_dimension,
    format_number,
    natural_unit,
    quantity,
    si_to_text,
    unit_of,
)

__all__ = ["ShownValue", "preview", "shown_value", "stepped"]


@dataclass(frozen=True)
class ShownValue:
    """One value: the text shown at rest, the text to edit, and where stepping it writes to.

    ``knob`` names the knob the value is, ``formula`` tells that it is worked out from knobs.
    ``number`` and ``unit`` are what stepping changes; ``None`` for a formula.
    """

    path: Path
    shown: str
    raw: str
    knob: str | None
    formula: bool
    number: float | None
    unit: str

    @property
    def retold(self) -> bool:
        """Whether it is shown in another unit than it was typed in."""
        return self.number is not None and self.shown.rpartition(" ")[2] != self.unit

    @property
    def target(self) -> Path:
        """Where a new number is written: the knob itself when the value is a knob."""
        return ("knobs", self.knob, "value") if self.knob is not None else self.path


def shown_value(sheet: Sheet, design: Design, path: Path) -> ShownValue:
    """Work out how the value at ``path`` is shown."""
    raw, dimension = _raw(sheet, path)
    expression = parse(raw)
    if raw.strip() in design.knobs:
        name = raw.strip()
        knob = design.knobs[name]
        return ShownValue(
            path, knob.text(), knob.text(digits=12), name, False, knob.value, knob.unit
        )
    literal = expression.literal
    if literal is not None:
        number, unit = literal
        if path[0] == "knobs" and path[2] == "value" and design.knobs[str(path[1])].unit == unit:
            number = design.knobs[str(path[1])].value  # the hand may be ahead of the text
        text = f"{format_number(number, 9)} {unit}".strip()
        shown = _instead(number, unit, dimension, design) or text
        return ShownValue(path, shown, raw, None, False, number, unit)
    return ShownValue(path, _worked_out(raw, dimension, design), raw, None, True, None, "")


def _instead(number: float, unit: str, dimension: Dimension | None, design: Design) -> str:
    """A value in the unit it is to be shown in; nothing where it is shown as it was typed."""
    chosen = "" if dimension is None else design.shown.instead(dimension, unit)
    if dimension is None or not chosen:
        return ""
    return si_to_text(as_dimension(quantity(number, unit), dimension), dimension, chosen)


def _raw(sheet: Sheet, path: Path) -> tuple[str, Dimension | None]:
    if path in sheet.values:
        return sheet.values[path]
    if path[0] == "knobs":
        knob = sheet.content.knobs[str(path[1])]
        texts = {"value": knob.value, "from": knob.start, "to": knob.stop}
        return texts[str(path[2])] or "", None
    raise KeyError(path)


def _worked_out(raw: str, dimension: Dimension | None, design: Design) -> str:
    knobs = {name: Quantity(knob.base, unit_of(knob.unit)) for name, knob in design.knobs.items()}
    try:
        value = evaluated(raw, knobs)
        if dimension is None:
            unit = natural_unit(value.unit)
            plain = Dimension("value", unit, (unit,))
            return si_to_text(as_dimension(value, plain), plain, unit)
        unit = design.shown.instead(dimension, "") or dimension.likely[0]
        return si_to_text(as_dimension(value, dimension), dimension, unit)
    except (ExpressionError, UnitError, KeyError):
        return raw


def preview(sheet: Sheet, design: Design, path: Path, text: str) -> str:
    """What typed arithmetic comes to, such as “= 12.5 mm”; nothing for a plain value or none."""
    _, dimension = _raw(sheet, path)
    try:
        if parse(text).literal is not None or text.strip() in design.knobs:
            return ""
    except ExpressionError:
        return ""
    worked = _worked_out(text, dimension, design)
    return "" if worked == text else f"= {worked}"


def stepped(number: float, steps: int, fine: bool = False) -> float:
    """Move a number by steps of about a percent (a tenth of that when ``fine``), kept round."""
    size = 10.0 ** (math.floor(math.log10(abs(number))) - 2) if number else 0.001
    step = size * (0.1 if fine else 1.0)
    moved = round(number / step + steps) * step
    return float(f"{moved:.10g}")
