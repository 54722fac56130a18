"""What a hand check says."""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["Found", "HandCheck"]

Found = tuple[str, float, str, str]
"""A formula, what it gives (Hz), its source, and what it assumes."""


@dataclass(frozen=True)
class HandCheck:
    """A textbook value for one mode.

    ``formula`` is its name, and the formula where it fits in a line; ``frequency`` (Hz) what it
    gives, ``difference`` how far the computed one is off it. ``source`` is where it is published,
    ``assumes`` what it takes for granted.
    """

    formula: str
    frequency: float
    difference: float
    source: str
    assumes: str
