"""What modes to find."""

from __future__ import annotations

import math
from dataclasses import dataclass

__all__ = ["ModeRequest"]


@dataclass(frozen=True)
class ModeRequest:
    """What to find: the ``count`` lowest flexible modes and all others up to ``up_to`` (Hz).

    With ``above`` (Hz) instead: all modes from there to ``up_to``, or the first ``count`` of them.
    """

    count: int
    up_to: float | None
    accuracy: float
    above: float | None = None

    @property
    def low(self) -> float:
        """The eigenvalue (rad²/s²) above which modes are asked for."""
        return 0.0 if self.above is None else (2 * math.pi * self.above) ** 2

    @property
    def high(self) -> float | None:
        """The eigenvalue (rad²/s²) up to which all modes are asked for, if any is."""
        return None if self.up_to is None else (2 * math.pi * self.up_to) ** 2

    @property
    def key(self) -> str:
        """Part of the key results are stored under."""
        window = "" if self.above is None else f" above={self.above!r}"
        return f"count={self.count} up_to={self.up_to!r} accuracy={self.accuracy!r}{window}"
