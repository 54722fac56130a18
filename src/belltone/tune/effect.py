"""What a change did: every mode before and after it, paired by shape."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from belltone.modes.matching import EQUAL
from belltone.modes.modeset import ModeSet
from belltone.modes.pairing import pair

__all__ = ["Effect", "effects"]


_ALIKE: Final = 0.3  # assurance; less is another mode
_NOTHING: Final = 1e-4  # relative; a frequency that moves less stays


@dataclass(frozen=True)
class Effect:
    """One mode before and after a change: its numbers and frequencies (Hz).

    A mode that has no partner among those found on the other side has ``None`` there.
    """

    number: int | None
    before: float | None
    number_after: int | None
    after: float | None

    @property
    def paired(self) -> bool:
        """Whether the mode is known before and after."""
        return self.number is not None and self.number_after is not None

    @property
    def change(self) -> float | None:
        """Relative change of the frequency, where both are known."""
        if self.before is None or self.after is None:
            return None
        return self.after / self.before - 1 if self.before else 0.0

    @property
    def words(self) -> str:
        """What happened to it, in words."""
        if self.change is None:
            return f"not among the modes found {'with' if self.after is None else 'without'} it"
        if abs(self.change) < _NOTHING:
            what = "stays"
        else:
            what = "stiffens" if self.change > 0 else "softens"
        if self.number_after == self.number:
            return what
        return f"{what}, now mode {self.number_after}"


def effects(before: ModeSet, after: ModeSet) -> tuple[Effect, ...]:
    """Pair the flexible modes of two solutions by shape; those without a partner come alone.

    They run by their number before the change; what is only there after it comes last.
    """
    partners, certainty = pair(before, after)

    def number(place: int, partner: int) -> int:
        """Of equal modes it does not matter which is called which."""
        if place < len(after.flexible):
            here, there = after.flexible[place], after.flexible[partner]
            if abs(here - there) <= EQUAL * there:
                return place
        return partner

    found: list[Effect] = []
    taken: set[int] = set()
    for place, (partner, sure) in enumerate(zip(partners, certainty, strict=True)):
        own = before.skipped + place + 1, float(before.flexible[place])
        if partner < 0 or sure < _ALIKE:
            found.append(Effect(*own, None, None))
            continue
        now = number(place, int(partner))
        taken.add(now)
        found.append(Effect(*own, after.skipped + now + 1, float(after.flexible[partner])))
    alone = (place for place in range(len(after.flexible)) if place not in taken)
    found += [
        Effect(None, None, after.skipped + place + 1, float(after.flexible[place]))
        for place in alone
    ]
    return tuple(found)
