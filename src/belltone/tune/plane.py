"""Two knobs at once: every frequency over both, each mode followed, and what is clear."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import BandValue
from belltone.modes.failure import PointFailure
from belltone.modes.modeset import Spectrum
from belltone.modes.pairing import pair
from belltone.modes.request import ModeRequest
from belltone.progress import Progress
from belltone.reduce.model import Gap, ReducedModel, ReducedModes
from belltone.sweep.tracks import Link, tracked

__all__ = ["Plane", "least_margins", "planes"]

Array = NDArray[np.float64]

_LEVELS: Final = (10, 20, 40)  # values of each knob: coarse first


@dataclass(frozen=True, eq=False)
class Plane:
    """Frequencies (Hz) over two ``knobs``, read off a model: ``(up, across, modes)``, ascending.

    ``across`` and ``up`` are values in base units. Where there is no answer, or the model does not
    say, are no numbers; ``failed`` marks the first, ``unknown`` the second. ``kinds`` are the
    places of the modes' kinds in ``names``, ``swings`` (up, across, modes, 3) as of `Spectrum`;
    ``tracks`` says which is which by shape: the modes of
    the present design in their order, then others, -1 where there is none. ``error`` is the largest
    the model tells of itself, relative. ``whole`` tells that nothing finer will come.
    """

    knobs: tuple[str, str]
    across: Array
    up: Array
    frequencies: Array
    failed: NDArray[np.bool_]
    unknown: NDArray[np.bool_]
    kinds: NDArray[np.intp]
    names: tuple[str, ...]
    swings: Array
    tracks: NDArray[np.intp]
    error: float
    whole: bool

    def of_track(self, track: int, times: int = 1) -> Array:
        """The frequency (Hz) of one track, ``(up, across)``, with so many steps in each."""
        own = np.where(self.tracks == track, self.frequencies, np.nan)
        known = np.isfinite(own).any(axis=2)
        values = np.where(known, np.nansum(own, axis=2), np.nan)
        rows, columns = self._places(times)
        return _between(_between(values, rows, 0), columns, 1)

    def _places(self, times: int) -> tuple[Array, Array]:
        """Where rows and columns of so many steps in each stand among these."""
        up, across = (
            np.arange((len(own) - 1) * times + 1) / times for own in (self.up, self.across)
        )
        return up, across

    def finer(self, times: int) -> Plane:
        """The same with so many steps in each, frequencies carried straight across it by order."""
        rows, columns = self._places(times)
        frequencies = _between(_between(self.frequencies, rows, 0), columns, 1)
        nearest = np.ix_(np.rint(rows).astype(int), np.rint(columns).astype(int))
        return replace(
            self,
            across=_between(self.across, columns, 0),
            up=_between(self.up, rows, 0),
            frequencies=frequencies,
            failed=self.failed[nearest],
            unknown=self.unknown[nearest],
            kinds=self.kinds[nearest],
            swings=self.swings[nearest],
            tracks=self.tracks[nearest],
        )


def _between(table: Array, places: Array, axis: int) -> Array:
    """A table at places between its rows along one axis."""
    before = np.minimum(places.astype(int), table.shape[axis] - 2)
    share = np.expand_dims(places - before, tuple(at for at in range(table.ndim) if at != axis))
    low, high = np.take(table, before, axis), np.take(table, before + 1, axis)
    # A place on a row is that row, whatever stands beside it.
    inside = np.where(share == 1, high, low + share * (high - low))
    return np.asarray(np.where(share == 0, low, inside))


def planes(
    model: ReducedModel,
    progress: Progress,
    others: Sequence[float] = (),
    here: Sequence[float] = (),
    coarse_only: bool = False,
) -> Iterator[Plane]:
    """The plane of a model's first two knobs, coarse first and finer after.

    ``others`` are the values of the rest of them, ``here`` those of both at the present design
    (base units), whose modes are followed; without it those in the middle.
    """
    levels = _LEVELS[:1] if coarse_only else _LEVELS
    for level in levels:
        yield _plane(model, level, progress, others, here, level == _LEVELS[-1])


def _plane(
    model: ReducedModel,
    count: int,
    progress: Progress,
    others: Sequence[float],
    here: Sequence[float],
    whole: bool,
) -> Plane:
    across, up = (
        np.linspace(low, high, count)
        for low, high in zip(model.low[:2], model.high[:2], strict=True)
    )
    modes = _modes(model.request, model)
    frequencies = np.full((count, count, modes), np.nan)
    failed = np.zeros((count, count), bool)
    unknown = np.zeros((count, count), bool)
    kinds = np.zeros((count, count, modes), np.intp)
    names: dict[str, int] = {}
    swings = np.zeros((count, count, modes, 3))
    error = 0.0
    followed = _Followed(across, up)
    for row, second in enumerate(up):
        progress.report(row, count, f"map of {count} by {count}")
        for column, first in enumerate(across):
            found = model.at(float(first), float(second), *others)
            followed.take(row, column, found if isinstance(found, ReducedModes) else None)
            if isinstance(found, ReducedModes):
                own = found.flexible[:modes]
                frequencies[row, column, : len(own)] = own
                for at, kind in enumerate(found.kinds[found.rigid_count :][:modes]):
                    kinds[row, column, at] = names.setdefault(kind, len(names))
                swings[row, column, : len(own)] = found.swings[found.rigid_count :][:modes]
                error = max(error, float(found.errors.max(initial=0.0)))
            elif isinstance(found, PointFailure):
                failed[row, column] = True
            else:
                unknown[row, column] = True
    if here:
        column, row = (
            int(np.argmin(np.abs(own - value)))
            for own, value in zip((across, up), here, strict=True)
        )
        there = model.at(float(across[column]), float(up[row]), *others)
        now = model.at(*map(float, here), *others)
        if isinstance(now, ReducedModes) and isinstance(there, ReducedModes):
            followed.begin(now, row * count + column, there)
    knobs = model.knobs[0], model.knobs[1]
    tracks = followed.tracks(modes)
    parts = (failed, unknown, kinds, tuple(names), swings, tracks, error, whole)
    return Plane(knobs, across, up, frequencies, *parts)


class _Followed:
    """Links the modes of neighbouring designs as a map is read, row by row; lives for that.

    Shapes are large, so only those of the last row are kept.
    """

    def __init__(self, across: Array, up: Array) -> None:
        self._across, self._up = across, up
        self._bare: list[Spectrum | None] = []
        self._last: list[Spectrum | None] = []  # with shapes: the row before, and this one so far
        self._links: list[Link] = []
        self._begin = len(across) * (len(up) // 2) + len(across) // 2

    def take(self, row: int, column: int, found: Spectrum | None) -> None:
        """Take the next design of the map."""
        wide, number = len(self._across), len(self._bare)
        if column:
            self._link(number - 1, self._last[-1], number, found)
        if row:
            self._link(number - wide, self._last[-wide], number, found)
        self._last = [*self._last[-wide:], found]
        self._bare.append(None if found is None else _without_shapes(found))

    def begin(self, found: Spectrum, number: int, there: Spectrum) -> None:
        """Take the present design, beside that of a number, as the one all are followed from."""
        self._begin = len(self._bare)
        self._link(number, there, self._begin, found)
        self._bare.append(_without_shapes(found))

    def tracks(self, modes: int) -> NDArray[np.intp]:
        """Which track each mode of the map is, ``(up, across, modes)``."""
        wide, tall = len(self._across), len(self._up)
        found = np.full((tall * wide, modes), -1)
        for number, track in enumerate(tracked(self._bare, self._links, self._begin)):
            places = np.array(track.places[: tall * wide])
            rows = np.flatnonzero((places >= 0) & (places < modes))
            found[rows, places[rows]] = number
        return found.reshape(tall, wide, modes)

    def _link(self, first: int, one: Spectrum | None, second: int, other: Spectrum | None) -> None:
        if one is not None and other is not None:
            self._links.append(Link(first, second, *pair(one, other)))


def _without_shapes(found: Spectrum) -> Spectrum:
    return replace(found, signatures=np.empty((len(found), 0)))


def _modes(request: ModeRequest, model: ReducedModel) -> int:
    """How many modes some piece tells of."""
    told = [len(piece.errors) for piece in model.pieces if not isinstance(piece, Gap)]
    return max([request.count, *told])


def least_margins(plane: Plane, bands: Sequence[BandValue]) -> Array:
    """How far the mode nearest to any band stands from it, as a share of the band's nearer edge.

    ``(up, across)``, negative within a band; no number where nothing is known or no band stated.
    """
    least = np.full(plane.failed.shape, np.inf)
    for band in bands:
        below = 1 - plane.frequencies / band.low if band.low > 0 else np.full(1, -np.inf)
        above = plane.frequencies / band.high - 1 if band.high > 0 else np.full(1, np.inf)
        inside = -np.minimum(plane.frequencies - band.low, band.high - plane.frequencies) / (
            band.high or 1.0
        )
        apart = np.where(
            plane.frequencies < band.low,
            below,
            np.where(plane.frequencies > band.high, above, inside),
        )
        of_kind = np.array([band.shakes(name) for name in plane.names] or [True])
        shaken = of_kind[plane.kinds]
        if band.along is not None:
            shaken &= plane.swings[..., band.along] >= band.least
        apart = np.where(shaken, apart, np.inf)
        least = np.fmin(least, np.nanmin(np.where(np.isnan(apart), np.inf, apart), axis=2))
    known = np.isfinite(plane.frequencies).any(axis=2) & np.isfinite(least)
    return np.where(known, least, np.nan)
