"""Bands of the ruler under the hand: dragged by an end or as a whole, and added."""

from __future__ import annotations

from dataclasses import dataclass, replace

from belltone.design.values import BandValue, Design
from belltone.desk.session.session import Session
from belltone.desk.values import ShownValue, shown_value
from belltone.sheet.errors import Path
from belltone.sheet.units import format_number

__all__ = ["BandHands"]

_NEAR = 4.0  # pixels from an end that take hold of it
_NEW = 0.05  # half width of a band that is added


@dataclass(frozen=True)
class _Grip:
    """What the hand holds: a band of the sheet by one of its ends, or both; from where."""

    index: int
    low: bool
    high: bool
    start: float
    band: BandValue


class BandHands:
    """Bands stated by their two frequencies; those of a source follow its speed and stay."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._grip: _Grip | None = None
        self.moved: BandValue | None = None

    @property
    def holding(self) -> bool:
        """Whether the hand holds a band."""
        return self._grip is not None

    def bands(self, design: Design) -> tuple[BandValue, ...]:
        """The bands as the hand has them."""
        if self._grip is None or self.moved is None:
            return design.bands
        found = list(design.bands)
        found[self._grip.index] = self.moved
        return tuple(found)

    def over(self, frequency: float, pixel: float) -> str:
        """What a hand at a frequency (Hz) would hold: “end”, “body” or nothing."""
        grip = self._at(frequency, pixel)
        if grip is None:
            return ""
        return "body" if grip.low and grip.high else "end"

    def take(self, frequency: float, pixel: float) -> bool:
        """Take hold of what is at a frequency; ``pixel`` is how many Hz one is."""
        self._grip, self.moved = self._at(frequency, pixel), None
        return self.holding

    def drag(self, frequency: float) -> None:
        """Move what is held, without writing it."""
        grip = self._grip
        if grip is None:
            return
        by = frequency - grip.start
        low = max(0.0, grip.band.low + by * grip.low)
        high = grip.band.high + by * grip.high
        if low < high:
            self.moved = replace(grip.band, low=low, high=high)

    def let_go(self) -> None:
        """Write where the band was dragged to, as one step."""
        grip, moved = self._grip, self.moved
        self._grip = self.moved = None
        if grip is None or moved is None:
            return
        texts: dict[Path, str] = {}
        for key, before, after, own in (
            ("from", grip.band.low, moved.low, grip.low),
            ("to", grip.band.high, moved.high, grip.high),
        ):
            shown = self._literal(grip.index, key)
            if own and shown is not None and shown.number is not None and before > 0:
                number = float(f"{shown.number * after / before:.4g}")
                texts[shown.target] = f"{format_number(number)} {shown.unit}"
        problem = self._session.edit(
            f"band {grip.band.name}", lambda sheet: sheet.with_values(texts)
        )
        if problem is not None:
            self._session.told.emit(problem)

    def add(self, frequency: float) -> None:
        """Add a band about a frequency (Hz), as one step."""
        low, high = (float(f"{frequency * (1 + side * _NEW):.3g}") for side in (-1, 1))
        if not 0 < low < high:
            return
        units = self._session.design.shown
        entry = {
            "name": "new band",
            "from": units.frequency_text(low, 6),
            "to": units.frequency_text(high, 6),
        }
        problem = self._session.edit(
            "a band", lambda sheet: sheet.with_entry(("excitation", "bands"), entry)
        )
        if problem is not None:
            self._session.told.emit(problem)

    def _at(self, frequency: float, pixel: float) -> _Grip | None:
        design = self._session.design
        count = len(self._session.sheet.content.excitation.bands)
        near = _NEAR * pixel
        for index, band in enumerate(design.bands[:count]):
            ends = [
                (abs(frequency - band.low), "from", True, False),
                (abs(frequency - band.high), "to", False, True),
            ]
            for away, key, low, high in sorted(ends):
                if away <= near and self._literal(index, key) is not None:
                    return _Grip(index, low, high, frequency, band)
            both = all(self._literal(index, key) is not None for key in ("from", "to"))
            if band.low < frequency < band.high and both:
                return _Grip(index, True, True, frequency, band)
        return None

    def _literal(self, index: int, key: str) -> ShownValue | None:
        """A frequency that is stated as a number, not by knobs."""
        session = self._session
        shown = shown_value(session.sheet, session.design, ("excitation", "bands", index, key))
        return None if shown.formula or shown.knob is not None else shown
