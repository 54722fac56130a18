"""The part of the frequency axis that is in view."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

__all__ = ["Scale"]

_CLOSEST: Final = 1e-5  # of the whole; nearer, labels of the axis would need more digits


@dataclass(frozen=True)
class Scale:
    """Frequencies (Hz) from ``low`` to ``high`` over pixels from ``left`` on."""

    low: float
    high: float
    left: float
    width: float

    @property
    def span(self) -> float:
        """How much is in view (Hz)."""
        return self.high - self.low

    def x_of(self, frequency: float) -> float:
        """Where a frequency stands (pixels)."""
        return self.left + self.width * (frequency - self.low) / self.span

    def frequency_at(self, x: float) -> float:
        """The frequency at a place, at least nought (Hz)."""
        return max(0.0, self.low + (x - self.left) / self.width * self.span)

    def zoomed(self, x: float, factor: float, whole: float) -> Scale:
        """Nearer by a factor, with what is at ``x`` left in its place; never beyond the whole."""
        span = min(max(self.span / factor, _CLOSEST * whole), whole)
        share = (x - self.left) / self.width
        low = self.low + share * (self.span - span)
        return self._at(low, span, whole)

    def slid(self, share: float, whole: float) -> Scale:
        """Moved by a share of what is in view."""
        return self._at(self.low + share * self.span, self.span, whole)

    def _at(self, low: float, span: float, whole: float) -> Scale:
        low = min(max(low, 0.0), whole - span)
        return replace(self, low=low, high=low + span)
