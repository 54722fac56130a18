"""Numbers that carry a slope: what a value comes to, and how fast it changes with one knob.

Forward differentiation (A. Griewank and A. Walther, Evaluating Derivatives (2008), ch. 3).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

__all__ = ["Dual", "Value", "cosine", "sine", "square_root", "tangent"]


@dataclass(frozen=True)
class Dual:
    """A number and its slope."""

    value: float
    slope: float = 0.0

    def __add__(self, other: Value) -> Dual:
        other = _dual(other)
        return Dual(self.value + other.value, self.slope + other.slope)

    __radd__ = __add__

    def __neg__(self) -> Dual:
        return Dual(-self.value, -self.slope)

    def __sub__(self, other: Value) -> Dual:
        return self + -_dual(other)

    def __rsub__(self, other: Value) -> Dual:
        return _dual(other) + -self

    def __mul__(self, other: Value) -> Dual:
        other = _dual(other)
        return Dual(self.value * other.value, self.slope * other.value + self.value * other.slope)

    __rmul__ = __mul__

    def __truediv__(self, other: Value) -> Dual:
        other = _dual(other)
        ratio = self.value / other.value
        return Dual(ratio, (self.slope - ratio * other.slope) / other.value)

    def __rtruediv__(self, other: Value) -> Dual:
        return _dual(other) / self

    def __pow__(self, other: Value) -> Dual:
        other = _dual(other)
        value = self.value**other.value
        slope = 0.0
        if self.slope:
            slope += other.value * self.value ** (other.value - 1) * self.slope
        if other.slope:
            slope += math.log(self.value) * value * other.slope
        return Dual(value, slope)

    def __rpow__(self, other: Value) -> Dual:
        return _dual(other) ** self

    def __abs__(self) -> Dual:
        return -self if self.value < 0 else self

    def __lt__(self, other: Value) -> bool:
        return self.value < _dual(other).value

    def __gt__(self, other: Value) -> bool:
        return self.value > _dual(other).value


Value = float | Dual


def _dual(value: Value) -> Dual:
    return value if isinstance(value, Dual) else Dual(value)


def square_root(value: Value) -> Value:
    """The root; ``ValueError`` below zero."""
    if isinstance(value, Dual):
        root = math.sqrt(value.value)
        return Dual(root, value.slope / (2 * root) if value.slope else 0.0)
    return math.sqrt(value)


def sine(value: Value) -> Value:
    """The sine of an angle (rad)."""
    if isinstance(value, Dual):
        return Dual(math.sin(value.value), math.cos(value.value) * value.slope)
    return math.sin(value)


def cosine(value: Value) -> Value:
    """The cosine of an angle (rad)."""
    if isinstance(value, Dual):
        return Dual(math.cos(value.value), -math.sin(value.value) * value.slope)
    return math.cos(value)


def tangent(value: Value) -> Value:
    """The tangent of an angle (rad)."""
    if isinstance(value, Dual):
        return Dual(math.tan(value.value), value.slope / math.cos(value.value) ** 2)
    return math.tan(value)
