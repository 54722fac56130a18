"""Where pegs stand on the ruler: side by side, raised in turn, or in a stack with a count."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Final

__all__ = ["PEG", "PegPlaces", "fanned", "peg_places"]

PEG: Final = 10.0
"""Half the width of a peg's head (pixels)."""
_WIDE: Final = 2 * PEG + 1
_LEVELS: Final = 3
_STACK: Final = 52.0  # pixels a stack takes in, so that two of them never overlap
_FAN_STEP: Final = 25.0
_FAN_ROWS: Final = 3


@dataclass(frozen=True)
class PegPlaces:
    """``levels`` of the pegs that have a head of their own, and the ``stacks`` of the others.

    Both name pegs by their place in the list; a stack has its centre beside them.
    """

    levels: dict[int, int]
    stacks: tuple[tuple[float, tuple[int, ...]], ...]


def peg_places(xs: Sequence[float]) -> PegPlaces:
    """Places for pegs at ascending ``xs`` (pixels), such that no two heads cover one another."""
    levels: dict[int, int] = {}
    stacks: list[tuple[float, tuple[int, ...]]] = []
    for run in _runs(xs):
        raised = _raised(xs, run)
        if raised is not None:
            levels |= raised
            continue
        for bucket in _buckets(xs, run):
            if len(bucket) <= 1:
                levels |= dict.fromkeys(bucket, 0)
            else:
                stacks.append((0.5 * (xs[bucket[0]] + xs[bucket[-1]]), tuple(bucket)))
    return PegPlaces(levels, tuple(stacks))


def fanned(centre: float, count: int, width: float) -> list[tuple[float, int]]:
    """Where the heads of an open stack stand: ``(x, row)`` for each, within ``width`` (pixels)."""
    across = max(1, min(int((width - 2 * _FAN_STEP) / _FAN_STEP), max(12, -(-count // _FAN_ROWS))))
    across = min(across, count)
    left = centre - 0.5 * (across - 1) * _FAN_STEP
    left = min(max(left, _FAN_STEP), max(_FAN_STEP, width - across * _FAN_STEP))
    return [(left + (place % across) * _FAN_STEP, place // across) for place in range(count)]


def _runs(xs: Sequence[float]) -> Iterator[list[int]]:
    """Pegs nearer to their neighbours than a head is wide."""
    run: list[int] = []
    for place, x in enumerate(xs):
        if run and x - xs[run[-1]] > _WIDE:
            yield run
            run = []
        run.append(place)
    if run:
        yield run


def _raised(xs: Sequence[float], run: Sequence[int]) -> dict[int, int] | None:
    """Each peg on the lowest level that is free there; ``None`` where none is."""
    last: dict[int, float] = {}
    levels: dict[int, int] = {}
    for place in run:
        free = [n for n in range(_LEVELS) if xs[place] - last.get(n, -1e9) >= _WIDE]
        if not free:
            return None
        levels[place], last[free[0]] = free[0], xs[place]
    return levels


def _buckets(xs: Sequence[float], run: Sequence[int]) -> Iterator[list[int]]:
    bucket: list[int] = []
    for place in run:
        if bucket and xs[place] - xs[bucket[0]] > _STACK:
            yield bucket
            bucket = []
        bucket.append(place)
    yield bucket
