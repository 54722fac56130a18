"""Values as people write them: numbers with units, and arithmetic over knobs.

``3 mm``, ``2*wall + 1 mm``, ``sqrt(2)*reach``, ``2700 kg/m^3``. The text is turned into a
Python expression in which each number with its unit is one placeholder and parsed with ``ast``;
nothing but arithmetic, a few functions and knob names is let through.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from functools import lru_cache
from typing import Final

from belltone.sheet.units import UNIT_NAMES, UnitError, unit_of

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


FUNCTIONS: Final[Mapping[str, int | None]] = {
    "sqrt": 1,
    "abs": 1,
    "sin": 1,
    "cos": 1,
    "tan": 1,
    "min": None,
    "max": None,
}
"""Functions usable in a value, with their number of arguments (``None``: one or more)."""

_OPERATORS: Final = (ast.Add, ast.Sub, ast.Mult, ast.Div, ast.Pow)


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
            unit_of(unit)
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
    elif isinstance(node, ast.BinOp) and isinstance(node.op, _OPERATORS):
        children = [node.left, node.right]
    elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and not node.keywords:
        known = FUNCTIONS.get(node.func.id, 0)
        if node.func.id.startswith("_q"):
            raise ExpressionError(f"“{text}”: a sign is missing before the bracket")
        if known == 0:
            raise ExpressionError(
                f"“{node.func.id}” is not a function known here; there are {', '.join(FUNCTIONS)}"
            )
        if not node.args or (known is not None and len(node.args) != known):
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
