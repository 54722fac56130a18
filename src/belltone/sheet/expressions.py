"""Values as people write them: numbers with units, and arithmetic over knobs.

``3 mm``, ``2*wall + 1 mm``, ``sqrt(2)*reach``, ``2700 kg/m^3``. The text is turned into a
Python expression in which each number with its unit is one placeholder, parsed with ``ast`` and
walked by a small evaluator that knows arithmetic, a few functions and knob names, nothing else.
"""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from functools import lru_cache
from typing import Final, cast

import pint

from belltone.sheet.units import UNIT_NAMES, Quantity, UnitError, quantity

__all__ = ["FUNCTIONS", "Expression", "ExpressionError", "parse"]

_MAX_LENGTH: Final = 400  # far beyond any sensible formula; keeps the parser's work bounded
_MAX_DEPTH: Final = 40  # likewise for nesting

_NUMBER: Final = r"(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?"
_NAME: Final = r"[^\W\d]\w*"
_POWER: Final = r"(?:(?:\^|\*\*)\s*-?\d+|[²³])?"
_UNIT: Final = "|".join(sorted((re.escape(name) for name in UNIT_NAMES), key=len, reverse=True))
_UNIT_WORD: Final = rf"(?:{_UNIT})(?![^\W²³]|\()\s*{_POWER}"
_WITH_UNIT: Final = re.compile(
    rf"(?<![\w.])(?P<number>{_NUMBER})"
    # “1.2e-5 1/K” and “1.2e-5 /K” are so much per kelvin.
    rf"(?:\s+(?:1\s*)?/\s*(?P<per>{_UNIT_WORD})|"
    rf"\s*(?P<unit>{_UNIT_WORD}(?:\s*[*/·]\s*{_UNIT_WORD})*))?"
)


class ExpressionError(ValueError):
    """A value that cannot be read or computed, in words for its author."""


def _trigonometric(call: Callable[[float], float]) -> Callable[[Quantity], Quantity]:
    def apply(value: Quantity) -> Quantity:
        angle = value if not value.dimensionless else value * quantity(1.0, "rad")
        return quantity(call(angle.to("rad").magnitude))

    return apply


def _pick(choose: Callable[..., Quantity]) -> Callable[..., Quantity]:
    def apply(*values: Quantity) -> Quantity:
        units = values[0].units
        return choose((value.to(units) for value in values), key=lambda value: value.magnitude)

    return apply


FUNCTIONS: Final[Mapping[str, tuple[Callable[..., Quantity], int | None]]] = {
    "sqrt": (lambda value: value**0.5, 1),
    "abs": (abs, 1),
    "sin": (_trigonometric(math.sin), 1),
    "cos": (_trigonometric(math.cos), 1),
    "tan": (_trigonometric(math.tan), 1),
    "min": (_pick(min), None),
    "max": (_pick(max), None),
}
"""Functions usable in a value, with their number of arguments (``None``: one or more)."""

_OPERATORS: Final[Mapping[type[ast.operator], Callable[[Quantity, Quantity], Quantity]]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
}


@dataclass(frozen=True)
class Expression:
    """A parsed value: its text, the knobs it names, and whether it is one plain quantity."""

    text: str
    tree: ast.expr
    quantities: tuple[tuple[float, str], ...]
    names: frozenset[str]

    @property
    def literal(self) -> tuple[float, str] | None:
        """``(number, unit)`` when the text is a single number with or without a unit."""
        node, sign = self.tree, 1.0
        if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub):
            node, sign = node.operand, -1.0
        if isinstance(node, ast.Name) and node.id.startswith("_q"):
            number, unit = self.quantities[int(node.id[2:])]
            return sign * number, unit
        return None

    def evaluate(self, knobs: Mapping[str, Quantity]) -> Quantity:
        """Compute the value; raises ``ExpressionError``."""
        try:
            return self._value(self.tree, knobs)
        except pint.DimensionalityError as error:
            raise ExpressionError(
                f"“{self.text}” mixes {_unit_text(error.units1)} and {_unit_text(error.units2)}, "
                "which cannot be added or compared"
            ) from error
        except ZeroDivisionError as error:
            raise ExpressionError(f"“{self.text}” divides by zero") from error
        except (OverflowError, ValueError) as error:
            if isinstance(error, ExpressionError):
                raise
            raise ExpressionError(f"“{self.text}” has no finite value") from error

    def _value(self, node: ast.expr, knobs: Mapping[str, Quantity]) -> Quantity:
        if isinstance(node, ast.Name):
            if node.id.startswith("_q"):
                return quantity(*self.quantities[int(node.id[2:])])
            if node.id == "pi":
                return quantity(math.pi)
            return knobs[node.id]
        if isinstance(node, ast.UnaryOp):
            value = self._value(node.operand, knobs)
            return -value if isinstance(node.op, ast.USub) else value
        if isinstance(node, ast.BinOp):
            left, right = self._value(node.left, knobs), self._value(node.right, knobs)
            if isinstance(node.op, ast.Pow):
                return self._power(left, right)
            return _OPERATORS[type(node.op)](left, right)
        assert isinstance(node, ast.Call)
        assert isinstance(node.func, ast.Name)
        call, _ = FUNCTIONS[node.func.id]
        result = call(*(self._value(argument, knobs) for argument in node.args))
        if isinstance(result.magnitude, complex):
            raise ExpressionError(f"“{self.text}” takes the root of a negative value")
        return result

    def _power(self, base: Quantity, exponent: Quantity) -> Quantity:
        if not exponent.dimensionless:
            raise ExpressionError(f"“{self.text}”: an exponent must be a plain number")
        result = base ** exponent.to("").magnitude
        if isinstance(result.magnitude, complex):
            raise ExpressionError(f"“{self.text}” takes the root of a negative value")
        return cast(Quantity, result)


def _unit_text(unit: object) -> str:
    text = str(unit)
    return "a plain number" if text == "dimensionless" else f"“{text}”"


@lru_cache(maxsize=8192)
def parse(text: str) -> Expression:
    """Parse one value; raises ``ExpressionError`` naming the offending piece."""
    if not text.strip():
        raise ExpressionError("the value is empty")
    if len(text) > _MAX_LENGTH:
        raise ExpressionError(f"the value is longer than {_MAX_LENGTH} characters")
    quantities: list[tuple[float, str]] = []

    def place(match: re.Match[str]) -> str:
        unit = (match["unit"] or "").strip()
        if match["per"]:
            name, _, power = match["per"].strip().partition("^")
            unit = f"{name.strip()}^-{power.strip() or 1}"
        quantities.append((float(match["number"]), unit))
        return f" _q{len(quantities) - 1} "

    if re.search(r"(?<!\w)_q\d", text):
        raise ExpressionError(f"“{text}” uses a reserved name")
    source = _WITH_UNIT.sub(place, text)
    if re.search(r"_q\d+\s+_q\d+", source):
        raise ExpressionError(f"“{text}” holds two numbers with no sign between them")
    if unknown := re.search(r"_q\d+\s+([^\W\d]\w*)", source):
        raise ExpressionError(_unknown_unit(unknown[1]))
    try:
        tree = ast.parse(source.replace("^", "**").replace("·", "*").strip(), mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
        raise ExpressionError(
            f"“{text}” cannot be read as a value; write a number with its unit, such as “3 mm”, "
            "or arithmetic over knobs"
        ) from error
    names: set[str] = set()
    _check(tree, text, names, 0)
    for _, unit in quantities:
        try:
            quantity(1.0, unit)
        except UnitError as error:
            raise ExpressionError(str(error)) from error
    return Expression(text, tree, tuple(quantities), frozenset(names))


def _check(node: ast.expr, text: str, names: set[str], depth: int) -> None:
    """Allow arithmetic, known functions and names; collect the knob names."""
    if depth > _MAX_DEPTH:
        raise ExpressionError(f"“{text}” is nested too deeply")
    if isinstance(node, ast.Name):
        if node.id in FUNCTIONS:
            raise ExpressionError(f"“{node.id}” is a function; write {node.id}(…)")
        if node.id in UNIT_NAMES:
            raise ExpressionError(f"“{node.id}” is a unit; a number is missing before it")
        if not node.id.startswith("_q") and node.id != "pi":
            names.add(node.id)
        return
    children: list[ast.expr]
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
        children = [node.operand]
    elif isinstance(node, ast.BinOp) and isinstance(node.op, (*_OPERATORS, ast.Pow)):
        children = [node.left, node.right]
    elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and not node.keywords:
        known = FUNCTIONS.get(node.func.id)
        if node.func.id.startswith("_q"):
            raise ExpressionError(f"“{text}”: a sign is missing before the bracket")
        if known is None:
            raise ExpressionError(
                f"“{node.func.id}” is not a function known here; there are {', '.join(FUNCTIONS)}"
            )
        if not node.args or (known[1] is not None and len(node.args) != known[1]):
            raise ExpressionError(f"“{node.func.id}” has the wrong number of values in “{text}”")
        children = node.args
    else:
        raise ExpressionError(
            f"“{text}” holds something other than numbers with units, knobs, + - * / ^ and "
            f"{', '.join(FUNCTIONS)}"
        )
    for child in children:
        _check(child, text, names, depth + 1)


def _unknown_unit(name: str) -> str:
    if name in UNIT_NAMES:
        return f"a “*” or “/” is missing before “{name}”"
    near = get_close_matches(name, UNIT_NAMES, n=1, cutoff=0.5)
    hint = f"; did you mean “{near[0]}”?" if near else "; if it is a knob, write “*” before it"
    return f"“{name}” is not a unit known here{hint}"
