"""What is kept for those who ask again: with what it belongs to, or while there is room."""

from __future__ import annotations

import hashlib
import weakref
from collections.abc import Callable, Mapping, Sequence
from dataclasses import fields, is_dataclass
from typing import Generic, Protocol, TypeVar

import numpy as np

__all__ = ["KeptWith", "fingerprint", "newest"]

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


def fingerprint(*values: object) -> bytes:
    """A hash of all digits of numbers, texts and arrays, and of dataclasses, rows, sets of these.

    Raises ``TypeError`` for anything else.
    """
    found = hashlib.blake2b(digest_size=16)

    def take(value: object) -> None:
        if isinstance(value, np.ndarray):
            found.update(f"{value.dtype.str}{value.shape}".encode())
            found.update(np.ascontiguousarray(value).data)
        elif is_dataclass(value) and not isinstance(value, type):
            found.update(type(value).__qualname__.encode())
            take([getattr(value, each.name) for each in fields(value)])
        elif isinstance(value, Mapping):
            take(list(value.items()))
        elif isinstance(value, frozenset):
            take(sorted(value, key=repr))
        elif isinstance(value, list | tuple):
            found.update(f"[{len(value)}]".encode())
            for each in value:
                take(each)
        elif value is None or isinstance(value, str | int | float | np.generic):
            found.update(f"{type(value).__name__}{value!r};".encode())
        else:
            raise TypeError(f"{type(value).__name__} has no fingerprint")

    take(values)
    return found.digest()
