"""What modes to find."""

from __future__ import annotations

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
    def key(self) -> str:
        """Part of the key results are stored under."""
        window = "" if self.above is None else f" above={self.above!r}"
        return f"count={self.count} up_to={self.up_to!r} accuracy={self.accuracy!r}{window}"
