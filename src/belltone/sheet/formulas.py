"""Values as functions of the knobs: units are settled once, and only numbers are worked out after.

Numbers are in base units (m, kg, s, K, rad) throughout, whatever units their author wrote.
"""

from __future__ import annotations

import ast
import math
import operator
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Final

from belltone.sheet.duals import Dual, Value, cosine, sine, square_root, tangent
from belltone.sheet.expressions import Expression, ExpressionError, parse
from belltone.sheet.units import Quantity, Unit, quantity, unit_of

__all__ = ["Formula", "evaluated", "formula"]

Knobs = Mapping[str, Value]
_Call = Callable[[Knobs], Any]

_ONE_ARGUMENT: Final[Mapping[str, Callable[[Any], Any]]] = {
    "sqrt": square_root,
    "abs": abs,
    "sin": sine,
    "cos": cosine,
    "tan": tangent,
}
_OPERATORS: Final[Mapping[type[ast.operator], Callable[[Any, Any], Any]]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
}
_PLAIN: Final = unit_of("")
_RADIAN: Final = unit_of("rad")


@dataclass(frozen=True, eq=False)
class Formula:
    """A value over knobs: the unit its result is given in, and the number for any knobs."""

    expression: Expression
    unit: Unit
    call: _Call

    def at(self, knobs: Knobs) -> Any:
        """The number, with its slope where knobs carry theirs; raises `ExpressionError`."""
        with _in_words(self.expression.text):
            return self.call(knobs)


def formula(text: str, units: Mapping[str, Unit]) -> Formula:
    """Settle the units of a value over knobs that are given in ``units``.

    Raises `ExpressionError` for text that cannot be read or that mixes units, ``KeyError`` for a
    knob without a unit.
    """
    expression = parse(text)
    return _formula(expression, tuple((name, units[name]) for name in sorted(expression.names)))


def evaluated(text: str, knobs: Mapping[str, Quantity] | None = None) -> Quantity:
    """Work out a value; raises as `formula` does, and where there is no finite value."""
    known = knobs or {}
    found = formula(text, {name: knob.unit for name, knob in known.items()})
    return Quantity(found.at({name: knob.base for name, knob in known.items()}), found.unit)


@lru_cache(maxsize=8192)
def _formula(expression: Expression, units: tuple[tuple[str, Unit], ...]) -> Formula:
    with _in_words(expression.text):
        unit, call = _Settling(expression, dict(units)).settled(expression.tree)
    return Formula(expression, unit, call)


@contextmanager
def _in_words(text: str) -> Iterator[None]:
    try:
        yield
    except ZeroDivisionError as error:
        raise ExpressionError(f"“{text}” divides by zero") from error
    except (OverflowError, ValueError) as error:
        if isinstance(error, ExpressionError):
            raise
        raise ExpressionError(f"“{text}” has no finite value") from error


@dataclass(frozen=True)
class _Settling:
    """Walks one expression; every piece becomes its unit and a function of the knobs."""

    expression: Expression
    units: Mapping[str, Unit]

    def settled(self, node: ast.expr) -> tuple[Unit, _Call]:
        if isinstance(node, ast.Name):
            return self._name(node.id)
        if isinstance(node, ast.UnaryOp):
            unit, call = self.settled(node.operand)
            if isinstance(node.op, ast.UAdd):
                return unit, call
            return unit, lambda knobs: -call(knobs)
        if isinstance(node, ast.BinOp):
            return self._operation(node)
        assert isinstance(node, ast.Call)
        assert isinstance(node.func, ast.Name)
        return self._function(node.func.id, node.args)

    def _name(self, name: str) -> tuple[Unit, _Call]:
        if name.startswith("_q"):
            given = quantity(*self.expression.quantities[int(name[2:])])
            return given.unit, lambda knobs: given.base
        if name == "pi":
            return _PLAIN, lambda knobs: math.pi
        return self.units[name], operator.itemgetter(name)

    def _operation(self, node: ast.BinOp) -> tuple[Unit, _Call]:
        (left, first), (right, second) = self.settled(node.left), self.settled(node.right)
        if isinstance(node.op, ast.Pow):
            return self._power(left, first, right, second, node.right)
        if isinstance(node.op, ast.Add | ast.Sub):
            self._alike(left, right)
            unit = left
        else:
            unit = left * right if isinstance(node.op, ast.Mult) else left / right
        work = _OPERATORS[type(node.op)]
        return unit, lambda knobs: work(first(knobs), second(knobs))

    def _power(
        self, base: Unit, first: _Call, exponent: Unit, second: _Call, node: ast.expr
    ) -> tuple[Unit, _Call]:
        if not exponent.dimensionless:
            self._refuse("an exponent must be a plain number")
        unit = _PLAIN
        if not base.dimensionless:
            named = {each.id for each in ast.walk(node) if isinstance(each, ast.Name)}
            if named & self.expression.names:
                self._refuse("the exponent of something measured must be a number, not a knob")
            unit = base ** second({})

        def call(knobs: Knobs) -> Any:
            found = first(knobs) ** second(knobs)
            self._real(found.value if isinstance(found, Dual) else found)
            return found

        return unit, call

    def _function(self, name: str, arguments: list[ast.expr]) -> tuple[Unit, _Call]:
        units, calls = zip(*(self.settled(argument) for argument in arguments), strict=True)
        if name in ("min", "max"):
            for other in units[1:]:
                self._alike(units[0], other)
            choose: Any = min if name == "min" else max
            return units[0], lambda knobs: choose(call(knobs) for call in calls)
        work, call = _ONE_ARGUMENT[name], calls[0]
        if name == "abs":
            return units[0], lambda knobs: work(call(knobs))
        if name == "sqrt":

            def root(knobs: Knobs) -> Any:
                under = call(knobs)
                if under < 0:
                    self._no_root()
                return work(under)

            return units[0] ** 0.5, root
        if not units[0].dimensionless:
            self._alike(units[0], _RADIAN)
        return _PLAIN, lambda knobs: work(call(knobs))

    def _alike(self, one: Unit, other: Unit) -> None:
        if not one.is_compatible_with(other):
            raise ExpressionError(
                f"“{self.expression.text}” mixes {_unit_text(one)} and {_unit_text(other)}, "
                "which cannot be added or compared"
            )

    def _real(self, found: Any) -> None:
        if isinstance(found, complex):
            self._no_root()

    def _no_root(self) -> None:
        raise ExpressionError(f"“{self.expression.text}” takes the root of a negative value")

    def _refuse(self, reason: str) -> None:
        raise ExpressionError(f"“{self.expression.text}”: {reason}")


def _unit_text(unit: Unit) -> str:
    return "a plain number" if unit.dimensionless else f"“{unit}”"
