"""Values given on their own, outside a sheet: on the command line or in a form."""

from __future__ import annotations

from belltone.errors import UserError
from belltone.sheet.expressions import ExpressionError, parse
from belltone.sheet.formulas import evaluated
from belltone.sheet.units import Dimension, UnitError, as_dimension

__all__ = ["PlainValueError", "plain_value"]


class PlainValueError(UserError):
    """A value that cannot be read, in words for its author."""


def plain_value(text: str, dimension: Dimension) -> float:
    """Read a value with its unit and return it in the dimension's SI unit.

    There are no knobs here. Raises `PlainValueError` that names the text and what would be right.
    """
    shown = text.strip()
    try:
        expression = parse(shown)
        if expression.names:
            raise PlainValueError(
                f"“{shown}” names something; {dimension.article} is needed, "
                f"such as “50 {dimension.likely[0]}”"
            )
        value = evaluated(shown)
        if dimension.si and value.dimensionless:
            raise PlainValueError(
                f"“{shown}” has no unit; {dimension.article} is needed: "
                f"“{shown} {dimension.likely[0]}”?"
            )
        return as_dimension(value, dimension)
    except ExpressionError as error:
        raise PlainValueError(str(error)) from error
    except UnitError as error:
        raise PlainValueError(f"“{shown}”: {error}") from error
