"""Tracks: modes followed by shape over neighbouring designs, in a line, a grid or a tree."""

from __future__ import annotations

import heapq
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.modes.matching import clusters
from belltone.modes.modeset import Spectrum
from belltone.modes.pairing import pair
from belltone.sweep.branches import LOST, SURE

__all__ = ["Link", "Track", "linked", "open_loops", "tracked"]

_TOP: Final = 2  # so many modes at the top of a list may leave or enter it unseen
_HALVINGS: Final = 4


@dataclass(frozen=True, eq=False)
class Link:
    """Two neighbouring designs: the place each mode of one has in the other, and how surely.

    ``partners`` are -1 where a mode is not found again; ``certainty`` is the least assurance met.
    """

    first: int
    second: int
    partners: NDArray[np.intp]
    certainty: NDArray[np.float64]

    @property
    def sure(self) -> float:
        """How surely the least sure mode is known again, but for the top of the list."""
        watched = self.certainty[: max(1, len(self.certainty) - _TOP)]
        return float(watched.min()) if len(watched) else 0.0


@dataclass(frozen=True)
class Track:
    """One mode over the designs: its place among the flexible modes of each, or -1."""

    places: tuple[int, ...]
    kind: str

    def frequency(self, number: int, found: Spectrum | None) -> float:
        """Its frequency at a design (Hz); no number where it is not among the modes found."""
        place = self.places[number]
        return float("nan") if found is None or place < 0 else float(found.flexible[place])


Between = Callable[[int, int, float], Spectrum | None]
"""The modes at a share of the way from one design to another, where there are any."""


def linked(
    edges: Iterable[tuple[int, int]], sets: Sequence[Spectrum | None], between: Between | None
) -> list[Link]:
    """Link neighbours that have an answer; where a mode is not surely known, by designs between."""
    links = []
    for first, second in edges:
        one, other = sets[first], sets[second]
        if one is None or other is None:
            continue
        partners, certainty = pair(one, other)
        found = Link(first, second, partners, certainty)
        if found.sure < SURE and between is not None:
            partners, certainty = _stepped(one, other, first, second, between, (0.0, 1.0), 0)
            stepped = Link(first, second, partners, certainty)
            if stepped.sure > found.sure:
                found = stepped
        links.append(found)
    return links


def _stepped(
    one: Spectrum,
    other: Spectrum,
    first: int,
    second: int,
    between: Between,
    ends: tuple[float, float],
    depth: int,
) -> tuple[NDArray[np.intp], NDArray[np.float64]]:
    """Pair two sets by way of designs between them, as far as steps are to be halved."""
    partners, certainty = pair(one, other)
    watched = certainty[: max(1, len(certainty) - _TOP)]
    if depth == _HALVINGS or not len(watched) or watched.min() >= SURE:
        return partners, certainty
    middle = 0.5 * (ends[0] + ends[1])
    half = between(first, second, middle)
    if half is None:
        return partners, certainty
    there, sure = _stepped(one, half, first, second, between, (ends[0], middle), depth + 1)
    onward, surer = _stepped(half, other, first, second, between, (middle, ends[1]), depth + 1)
    known = there >= 0
    at = np.maximum(there, 0)
    return (
        np.where(known, onward[at], -1),
        np.where(known, np.minimum(sure, surer[at]), 0.0),
    )


def tracked(
    sets: Sequence[Spectrum | None], links: Sequence[Link], begin: int
) -> tuple[Track, ...]:
    """Follow every mode from one design on, over the surest links first.

    Where modes have one frequency, none of them is known from the others: a way through a design
    with more of those than its neighbours have is taken last.
    """
    reached: dict[int, list[int]] = {}
    around: dict[int, list[tuple[int, float, int, int]]] = {}
    equal = [_equal(_flexible(found)) for found in sets]
    for number, link in enumerate(links):
        most = max(equal[link.first], equal[link.second])
        for end, far in ((link.first, link.second), (link.second, link.first)):
            around.setdefault(end, []).append((most, -link.sure, number, far))
    count = 0
    order = [begin, *(number for number in range(len(sets)) if number != begin)]
    for start in order:
        found = sets[start]
        if found is None or start in reached:
            continue
        reached[start] = list(range(count, count + len(found.flexible)))
        count += len(found.flexible)
        waiting = [(*own[:-1], start, own[-1]) for own in around.get(start, ())]
        heapq.heapify(waiting)
        while waiting:
            *_, number, here, far = heapq.heappop(waiting)
            if far in reached:
                continue
            theirs, new = _carried(links[number], here, reached[here], sets[far], count)
            reached[far], count = theirs, count + new
            for own in around.get(far, ()):
                heapq.heappush(waiting, (*own[:-1], far, own[-1]))
    places = np.full((count, len(sets)), -1)
    for number, identities in reached.items():
        for place, identity in enumerate(identities):
            places[identity, number] = place
    tracks = []
    for row in places:
        at = begin if row[begin] >= 0 else int(np.flatnonzero(row >= 0)[0])
        known = sets[at]
        assert known is not None
        tracks.append(Track(tuple(row.tolist()), known.kinds[known.rigid_count + row[at]]))
    return tuple(tracks)


def _carried(
    link: Link, here: int, known: list[int], there: Spectrum | None, count: int
) -> tuple[list[int], int]:
    """Identities of the modes at the far end of a link, and how many of them are new."""
    assert there is not None
    own = [-1] * len(there.flexible)
    for place, (partner, sure) in enumerate(zip(link.partners, link.certainty, strict=True)):
        if partner < 0 or sure < LOST:
            continue
        if link.first == here:
            own[partner] = known[place]
        elif partner < len(known):
            own[place] = known[partner]
    new = 0
    for place, identity in enumerate(own):
        if identity < 0:
            own[place] = count + new
            new += 1
    return own, new


def open_loops(
    cells: Iterable[tuple[int, int, int, int]],
    sets: Sequence[Spectrum | None],
    links: Sequence[Link],
) -> list[tuple[int, int, int, int]]:
    """Loops of neighbours after which some mode, surely known all the way, is another.

    So it is round a design at which two modes have one frequency without being a pair, or a step
    beside it: J. von Neumann and E. Wigner, "Über das Verhalten von Eigenwerten bei adiabatischen
    Prozessen", Physikalische Zeitschrift 30 (1929) 467-470.
    """
    known = {(link.first, link.second): link for link in links}
    found = []
    for cell in cells:
        ring = [*zip(cell, (*cell[1:], cell[0]), strict=True)]
        if not all(step in known or step[::-1] in known for step in ring):
            continue
        count = len(_flexible(sets[cell[0]]))
        for mode in range(max(1, count - _TOP)):
            place = mode
            for step in ring:
                # Equal modes have no shapes of their own to be known by.
                if place < 0 or not _alone(_flexible(sets[step[0]]), place):
                    place = -1
                    break
                place = _followed(known, step, place)
            if place >= 0 and place != mode:
                found.append(cell)
                break
    return found


def _flexible(found: Spectrum | None) -> NDArray[np.float64]:
    return np.empty(0) if found is None else found.flexible


def _equal(frequencies: NDArray[np.float64]) -> int:
    """How many modes have the frequency of another one."""
    sizes = (int(own.stop) - int(own.start) for own in clusters(frequencies))
    return sum(size for size in sizes if size > 1)


def _alone(frequencies: NDArray[np.float64], place: int) -> bool:
    """Whether no other mode has the frequency of one."""
    group = next(own for own in clusters(frequencies) if own.start <= place < own.stop)
    return int(group.stop) - int(group.start) == 1


def _followed(known: dict[tuple[int, int], Link], step: tuple[int, int], place: int) -> int:
    """Where a mode goes across a link, in either sense; -1 where it is not surely known."""
    link = known.get(step)
    if link is not None:
        sure = place < len(link.partners) and link.certainty[place] >= SURE
        return int(link.partners[place]) if sure else -1
    link = known[step[::-1]]
    back = np.flatnonzero(link.partners == place)
    return int(back[0]) if len(back) == 1 and link.certainty[back[0]] >= SURE else -1
