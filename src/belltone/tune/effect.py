"""What a change did: every mode before and after it, paired by shape."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from belltone.modes.matching import EQUAL, match
from belltone.modes.modeset import ModeSet

__all__ = ["Effect", "effects"]


_NOTHING: Final = 1e-4  # relative; a frequency that moves less stays


@dataclass(frozen=True)
class Effect:
    """One mode before and after a change: its numbers and frequencies (Hz)."""

    number: int
    before: float
    number_after: int
    after: float

    @property
    def change(self) -> float:
        """Relative change of the frequency."""
        return self.after / self.before - 1 if self.before else 0.0

    @property
    def words(self) -> str:
        """What happened to it, in words."""
        if abs(self.change) < _NOTHING:
            what = "stays"
        else:
            what = "stiffens" if self.change > 0 else "softens"
        if self.number_after == self.number:
            return what
        return f"{what}, now mode {self.number_after}"


def effects(before: ModeSet, after: ModeSet) -> tuple[Effect, ...]:
    """Pair the flexible modes of two solutions by shape; modes without a partner are left out."""
    if not len(before.flexible) or not len(after.flexible):
        return ()
    partners, certainty = match(
        before.signatures[before.rigid_count :],
        after.signatures[after.rigid_count :],
        after.flexible,
        before.flexible,
    )

    def number(place: int, partner: int) -> int:
        """Of equal modes it does not matter which is called which."""
        if place < len(after.flexible):
            here, there = after.flexible[place], after.flexible[partner]
            if abs(here - there) <= EQUAL * there:
                return place
        return partner

    return tuple(
        Effect(
            before.skipped + place + 1,
            float(before.flexible[place]),
            after.skipped + number(place, int(partner)) + 1,
            float(after.flexible[partner]),
        )
        for place, (partner, sure) in enumerate(zip(partners, certainty, strict=True))
        if partner >= 0 and sure >= 0.3
    )
