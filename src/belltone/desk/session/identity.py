"""Which mode of the new answer is which of the old, so that colours and choices stay with it."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import count
from typing import Final

from belltone.modes.modeset import Spectrum
from belltone.modes.pairing import pair

__all__ = ["carry_over"]

_RECOGNISED: Final = 0.5


def carry_over(
    old: Spectrum | None, old_identities: Sequence[int], new: Spectrum
) -> tuple[int, ...]:
    """Give each flexible mode of ``new`` the identity of the old mode it is, or a fresh one."""
    size = len(new.flexible)
    if old is None or not len(old.flexible) or not size:
        return tuple(range(size))
    partners, certainty = pair(old, new)
    identities: dict[int, int] = {
        int(partner): identity
        for partner, sure, identity in zip(partners, certainty, old_identities, strict=True)
        if partner >= 0 and sure >= _RECOGNISED
    }
    taken = set(identities.values())
    fresh = (number for number in count() if number not in taken)
    return tuple(identities[place] if place in identities else next(fresh) for place in range(size))
