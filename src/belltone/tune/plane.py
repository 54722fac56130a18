"""Two knobs at once: every frequency over both, and how far each design is from the bands."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import BandValue
from belltone.modes.failure import PointFailure
from belltone.modes.request import ModeRequest
from belltone.progress import Progress
from belltone.reduce.model import Gap, ReducedModel, ReducedModes

__all__ = ["Plane", "least_margins", "planes"]

Array = NDArray[np.float64]

_LEVELS: Final = (10, 20, 40)  # values of each knob: coarse first


@dataclass(frozen=True, eq=False)
class Plane:
    """Frequencies (Hz) over two ``knobs``, read off a model: ``(up, across, modes)``, ascending.

    ``across`` and ``up`` are values in base units. Where there is no answer, or the model does not
    say, are no numbers; ``failed`` marks the first, ``unknown`` the second. ``kinds`` are the
    places of the modes' kinds in ``names``. ``error`` is the largest the model tells of itself,
    relative. ``whole`` tells that nothing finer will come.
    """

    knobs: tuple[str, str]
    across: Array
    up: Array
    frequencies: Array
    failed: NDArray[np.bool_]
    unknown: NDArray[np.bool_]
    kinds: NDArray[np.intp]
    names: tuple[str, ...]
    error: float
    whole: bool

    def finer(self, times: int) -> Plane:
        """The same with so many steps in each, frequencies carried straight across it by order."""
        rows, columns = (
            np.arange((len(own) - 1) * times + 1) / times for own in (self.up, self.across)
        )
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
    coarse_only: bool = False,
) -> Iterator[Plane]:
    """The plane of a model's first two knobs, coarse first and finer after.

    ``others`` are the values of the rest of them (base units).
    """
    levels = _LEVELS[:1] if coarse_only else _LEVELS
    for level in levels:
        yield _plane(model, level, progress, others, level == _LEVELS[-1])


def _plane(
    model: ReducedModel, count: int, progress: Progress, others: Sequence[float], whole: bool
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
    error = 0.0
    for row, second in enumerate(up):
        progress.report(row, count, f"map of {count} by {count}")
        for column, first in enumerate(across):
            found = model.at(float(first), float(second), *others)
            if isinstance(found, ReducedModes):
                own = found.flexible[:modes]
                frequencies[row, column, : len(own)] = own
                for at, kind in enumerate(found.kinds[found.rigid_count :][:modes]):
                    kinds[row, column, at] = names.setdefault(kind, len(names))
                error = max(error, float(found.errors.max(initial=0.0)))
            elif isinstance(found, PointFailure):
                failed[row, column] = True
            else:
                unknown[row, column] = True
    knobs = model.knobs[0], model.knobs[1]
    parts = (failed, unknown, kinds, tuple(names), error, whole)
    return Plane(knobs, across, up, frequencies, *parts)


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
        shaken = np.array([band.shakes(name) for name in plane.names] or [True])
        apart = np.where(shaken[plane.kinds], apart, np.inf)
        least = np.fmin(least, np.nanmin(np.where(np.isnan(apart), np.inf, apart), axis=2))
    known = np.isfinite(plane.frequencies).any(axis=2) & np.isfinite(least)
    return np.where(known, least, np.nan)
