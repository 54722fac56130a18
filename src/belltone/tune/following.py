"""Modes of the present design, known by their shapes wherever a search looks."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import ModeName
from belltone.modes.matching import assurance, clusters, paired
from belltone.modes.modeset import Spectrum
from belltone.sweep.branches import LOST, SURE
from belltone.tune.demands import Known
from belltone.tune.reach import ReachError

__all__ = ["Followed"]

Array = NDArray[np.float64]
Look = Callable[[Array], Spectrum | None]
"""The modes at a place of the knobs, where a model tells them."""

_ROOM: Final = 64  # places at first
_HALVINGS: Final = 4  # of a step across which a mode is not surely known again


@dataclass(frozen=True, eq=False)
class _Place:
    """A place of the knobs at which the modes are known.

    ``shapes`` (followed, s) are their signatures, ``frequencies`` (Hz) and ``stands`` which of the
    flexible modes they are; ``sure`` is the least assurance of the last step.
    """

    place: Array
    shapes: NDArray[Any]
    frequencies: Array
    stands: tuple[int, ...]
    sure: float

    @property
    def whole(self) -> bool:
        """Whether none is lost: otherwise there is nothing to go on from."""
        return min(self.stands) >= 0

    def onward(self, place: Array, found: Spectrum) -> _Place:
        """The same modes among those at another place."""
        shapes = found.signatures[found.rigid_count :]
        alike = assurance(self.shapes, shapes)
        partners, certainty = paired(alike, found.flexible, self.frequencies)
        common = min(self.shapes.shape[1], shapes.shape[1])
        own = np.empty((len(partners), common), np.result_type(self.shapes, shapes))
        groups = clusters(found.flexible)
        for row, partner in enumerate(partners):
            own[row] = self.shapes[row, :common]
            if partner < 0:
                continue
            # Of equal ones the combination that goes on, so that it is known beyond them, too.
            group = next(each for each in groups if each.start <= partner < each.stop)
            span = shapes[group, :common]
            turned = (own[row] @ span.conj().T) @ span
            own[row] = turned / max(float(np.linalg.norm(turned)), 1e-300)
        stands = tuple(
            int(partner) if partner >= 0 and sure >= LOST else -1
            for partner, sure in zip(partners, certainty, strict=True)
        )
        frequencies = np.where(
            np.array(stands) >= 0, found.flexible[np.maximum(stands, 0)], self.frequencies
        )
        return _Place(place, own, frequencies, stands, float(certainty.min(initial=1.0)))


class Followed:
    """Follows flexible modes of a design, by number from 1, from its place of the knobs on.

    Each look is held against the nearest place known; where a mode is not surely known again by
    its shape, by way of places between. Raises `ReachError` where there is no such mode.
    """

    def __init__(self, numbers: Sequence[int], place: Array, present: Spectrum) -> None:
        self.numbers = tuple(numbers)
        count = len(present.flexible)
        for number in self.numbers:
            if not 1 <= number <= count:
                raise ReachError(f"there is no mode {number}; there are modes 1 to {count}")
        chosen = np.array(self.numbers) - 1
        shapes = present.signatures[present.rigid_count + chosen]
        own = tuple(map(int, chosen))
        self._known: dict[bytes, _Place] = {}
        # Those of them to go on from, and where they are: searches hold thousands of looks.
        self._whole: list[_Place] = []
        self._at = np.empty((_ROOM, len(place)))
        self._take(_key(place), _Place(place, shapes, present.flexible[chosen], own, 1.0))

    def at(self, place: Array, found: Spectrum, look: Look) -> tuple[int, ...]:
        """Which of the flexible modes ``found`` at a place they are; -1 for one that is lost."""
        key = _key(place)
        if key not in self._known:
            self._take(key, _stepped(self._nearest(place), place, found, look, _HALVINGS))
        return self._known[key].stands

    def settle(self, place: Array, exact: Spectrum) -> tuple[int, ...]:
        """The same of an exact answer, which is what the place is known by from now on."""
        near = self._known.get(_key(place)) or self._nearest(place)
        settled = near.onward(place, exact)
        self._take(_key(place), settled)
        return settled.stands

    def known(self, stands: Sequence[int]) -> Known:
        """The same for targets that name the modes by their numbers."""
        found = dict(zip(self.numbers, stands, strict=True))

        def place(name: ModeName) -> int | None:
            at = found[name.place]
            return at if at >= 0 else None

        return place

    def _take(self, key: bytes, found: _Place) -> None:
        """Know a place by this from now on."""
        before = self._known.get(key)
        self._known[key] = found
        if before is not None and before.whole:
            number = self._whole.index(before)
            del self._whole[number]
            self._at = np.delete(self._at, number, axis=0)
        if not found.whole:
            return
        if len(self._whole) == len(self._at):
            self._at = np.concatenate([self._at, np.empty_like(self._at)])
        self._at[len(self._whole)] = found.place
        self._whole.append(found)

    def _nearest(self, place: Array) -> _Place:
        away = self._at[: len(self._whole)] - place
        return self._whole[int(np.argmin(np.einsum("ij,ij->i", away, away)))]


def _stepped(known: _Place, place: Array, found: Spectrum, look: Look, left: int) -> _Place:
    there = known.onward(place, found)
    if there.sure >= SURE or left == 0:
        return there
    middle = 0.5 * (known.place + place)
    half = look(middle)
    if half is None:
        return there
    first = _stepped(known, middle, half, look, left - 1)
    return there if not first.whole else _stepped(first, place, found, look, left - 1)


def _key(place: Array) -> bytes:
    return np.round(place, 12).tobytes()
