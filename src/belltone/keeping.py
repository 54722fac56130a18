"""What is kept for those who ask again: with what it belongs to, or while there is room."""

from __future__ import annotations

import weakref
from collections.abc import Callable, Sequence
from typing import Generic, Protocol, TypeVar

import numpy as np

__all__ = ["KeptWith", "newest"]

T = TypeVar("T")


class _Sized(Protocol):
    @property
    def entries(self) -> int:
        """How many numbers it holds."""


S = TypeVar("S", bound=_Sized)


class KeptWith(Generic[T]):
    """One value for each object, by its identity, which goes when the object does."""

    def __init__(self, make: Callable[[], T]) -> None:
        self._make = make
        self._values: dict[int, T] = {}

    def __contains__(self, key: int) -> bool:
        return key in self._values

    def of(self, owner: object) -> T:
        """The value of an object, made when it is first asked for."""
        key = id(owner)
        if key not in self._values:
            self._values[key] = self._make()
            weakref.finalize(owner, self._values.pop, key, None).atexit = False
        return self._values[key]


def newest(used: S, kept: Sequence[S], room: int, least: int, most: int) -> list[S]:
    """What was used last, and of what was kept the newest for which there is ``room`` (entries)."""
    wanted = [used, *(each for each in kept if each is not used)]
    held = np.cumsum([each.entries for each in wanted])
    return wanted[: min(max(int(np.sum(held <= room)), least), most)]
