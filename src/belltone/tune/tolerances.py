"""What tolerances do to frequencies: their spread, chances of bands, and who is to blame.

First-order and total shares by A. Saltelli et al., "Variance based sensitivity analysis of model
output", Comput. Phys. Commun. 181 (2010) 259-270, with the estimators of M. J. W. Jansen, Comput.
Phys. Commun. 117 (1999) 35-43.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.design.values import BandValue, Design, KnobValue
from belltone.errors import UserError
from belltone.modes.failure import PointFailure
from belltone.modes.modeset import ModeSet
from belltone.modes.solve import request_for, solve
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.reduce.designs import DEFAULT_BOUND, UnmodelledError
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore
from belltone.sweep.models import model_of
from belltone.sweep.work import solve_point
from belltone.system.threads import numpy_threads
from belltone.tune.bands import shaken
from belltone.tune.cloud import Cloud, CloudError, cloud_of
from belltone.tune.demands import named_mode
from belltone.tune.spreading import evenly

__all__ = [
    "BandChance",
    "ModeSpread",
    "TargetChance",
    "ToleranceError",
    "Tolerances",
    "blame",
    "tolerances",
]

Array = NDArray[np.float64]

_REACH: Final = 4.0  # deviations; a part farther off is sent back
_CHECKED: Final = 6  # designs solved, to be held against the model
_ENDS: Final = (0.5, 99.5)  # percent, between which nearly all designs are
_GOOD: Final = 0.01  # chance of a band that is good enough
_SCALES: Final = np.linspace(0.95, 0.05, 19)
_FEWEST: Final = 100
_BLAMED: Final = 0.05  # share from which a knob's own tolerance may be what is to be made less


class ToleranceError(UserError):
    """A question about tolerances that has no answer."""


@dataclass(frozen=True)
class ModeSpread:
    """A mode over all designs within tolerances (Hz): ``low`` to ``high`` holds 99 % of them.

    ``first`` and ``total`` are, for each knob, the share of the variance it makes by itself, and
    with all others together.
    """

    number: int
    kind: str
    nominal: float
    mean: float
    deviation: float
    low: float
    high: float
    first: Mapping[str, float]
    total: Mapping[str, float]


@dataclass(frozen=True)
class BandChance:
    """How many of the designs have a mode in a band, and how many in its margin too.

    As shares, with the standard error that the number of samples leaves.
    """

    name: str
    inside: float
    margin: float
    error: float


@dataclass(frozen=True)
class TargetChance:
    """How many of the designs have a mode where a target wants it, with the standard error."""

    name: str
    met: float
    error: float


@dataclass(frozen=True, eq=False)
class Tolerances:
    """What tolerances come to.

    ``hit`` and ``near`` are the shares of designs with any mode in a band, or in a margin too.
    ``blame`` is each knob's total share of what makes the least margin vary. ``enough`` is the
    factor of all tolerances, and of that alone of each knob that is to blame, at which at most one
    design in a hundred is hit: 1 where it is good as it is, nothing where no tolerance does.
    ``off`` is the largest difference of any frequency from ``checked`` designs that were solved,
    relative.
    """

    knobs: tuple[KnobValue, ...]
    samples: int
    spreads: tuple[ModeSpread, ...]
    chances: tuple[BandChance, ...]
    targets: tuple[TargetChance, ...]
    hit: float
    near: float
    error: float
    blame: Mapping[str, float]
    enough: float | None
    enough_alone: Mapping[str, float | None]
    off: float
    checked: int
    solutions: int


def tolerances(
    sheet: Sheet,
    samples: int = 10_000,
    seed: int = 0,
    store: ResultStore | None = None,
    progress: Progress | None = None,
) -> Tolerances:
    """Follow designs made within the tolerances of a sheet's knobs.

    ``samples`` designs in all, drawn by ``seed``. A knob with a tolerance is as likely anywhere
    within it; one with a standard deviation goes by the bell curve, up to four of them. Raises
    `ToleranceError`, `PlanError`, and ``NoModesError`` where the design has no answer.
    """
    progress = progress or Progress()
    design = evaluate(sheet)
    knobs = tuple(knob for knob in design.knobs.values() if knob.spread is not None)
    if not knobs:
        raise ToleranceError(
            'no knob has a tolerance; state one, such as tolerance = "0.1 mm" or deviation = "2 %"'
        )
    computed = [knob.name for knob in knobs if not knob.literal]
    if computed:
        raise ToleranceError(
            f"“{computed[0]}” is computed from other knobs; state the tolerances of those instead"
        )
    if samples < _FEWEST:
        raise ToleranceError(f"{samples} samples tell nothing; take {_FEWEST} or more")
    with numpy_threads(many=False):
        run = _Run(sheet, design, knobs, samples, seed, store, progress)
        return run.done()


class _Run:
    def __init__(
        self,
        sheet: Sheet,
        design: Design,
        knobs: tuple[KnobValue, ...],
        samples: int,
        seed: int,
        store: ResultStore | None,
        progress: Progress,
    ) -> None:
        self._sheet, self._design, self._knobs = sheet, design, knobs
        self._seed, self._store, self._progress = seed, store, progress
        self._shaken: dict[BandValue, NDArray[np.bool_]] = {}
        # Two sets, and for each knob one that has it of the other (Saltelli's design).
        self._count = max(_FEWEST // 2, samples // (len(knobs) + 2))
        self._middle = np.array([knob.base for knob in knobs])
        self._half = np.array([_half(knob) for knob in knobs])

    def done(self) -> Tolerances:
        present = self._present()
        cloud, solutions = self._cloud(present)
        first, second = self._draws()
        mixed = [np.array(first) for _ in self._knobs]
        for number, own in enumerate(mixed):
            own[:, number] = second[:, number]
        parts = [first, second, *mixed]
        every = np.vstack(parts)
        told = cloud.frequencies(every, self._progress)
        wanted = min(len(present.flexible), self._design.count, told.shape[1])
        limit = self._design.highest_excitation or 0.0
        wanted = max(wanted, int(np.count_nonzero(present.flexible <= limit)))
        scale = _scale(present, cloud, wanted)
        self._shaken = {band: shaken(present, band)[:wanted] for band in self._design.bands}
        told[:, :wanted] *= scale
        sets = np.split(told, len(parts))
        independent = np.vstack(sets[:2])  # the others repeat their values
        chances = self._chances(independent[:, :wanted])
        margins = [self._margins(each[:, :wanted]) for each in sets]
        names = [knob.name for knob in self._knobs]
        spreads = tuple(
            self._spread(number, present, [each[:, number] for each in sets], names)
            for number in range(wanted)
        )
        inside = self._hit(independent[:, :wanted], 0.0)
        near = self._hit(independent[:, :wanted], self._design.margin)
        share = float(near.mean())
        off = self._checked(first, cloud, present, scale, wanted)
        bands = bool(self._design.bands)
        blames = dict(zip(names, blame(margins)[1].tolist(), strict=True)) if bands else {}
        return Tolerances(
            knobs=self._knobs,
            samples=len(every),
            spreads=spreads,
            chances=chances,
            targets=tuple(self._targets(present, independent[:, :wanted])),
            hit=float(inside.mean()),
            near=share,
            error=_error(share, len(independent)),
            blame=blames,
            enough=self._enough(first, cloud, scale, wanted, None) if bands else 1.0,
            enough_alone={
                name: self._enough(first, cloud, scale, wanted, at)
                for at, name in enumerate(names)
                if blames.get(name, 0.0) > _BLAMED
            },
            off=off,
            checked=_CHECKED,
            solutions=solutions + 1 + _CHECKED,
        )

    def _present(self) -> ModeSet:
        solved = solve(self._design, request_for(self._design), progress=self._progress)
        return solved.modes

    def _cloud(self, present: ModeSet) -> tuple[Cloud, int]:
        ends = {
            knob.name: (float(middle - half), float(middle + half))
            for knob, middle, half in zip(self._knobs, self._middle, self._half, strict=True)
        }
        request = request_for(self._design, 4)
        parts = (self._sheet, ends, request, present.discretisation, DEFAULT_BOUND)
        try:
            model = model_of(*parts, self._store, self._progress)
            order = [[knob.name for knob in self._knobs].index(name) for name in model.knobs]
            if order != sorted(order):
                raise ToleranceError("the knobs of the model are in another order")
            return cloud_of(model, self._middle, self._half), model.solutions
        except (UnmodelledError, CloudError) as error:
            raise ToleranceError(f"tolerances cannot be followed here: {error}") from error

    def _draws(self) -> tuple[Array, Array]:
        """Two sets of designs, independent of each other."""
        count = len(self._knobs)
        cube = np.clip(evenly(2 * count, self._count, self._seed), 1e-9, 1 - 1e-9)
        return self._placed(cube[:, :count]), self._placed(cube[:, count:])

    def _placed(self, cube: Array) -> Array:
        found = np.empty_like(cube)
        for number, knob in enumerate(self._knobs):
            assert knob.spread is not None
            if knob.spread.deviation:
                beyond = float(scipy.special.ndtr(-_REACH))
                off = (
                    np.asarray(scipy.special.ndtri(beyond + cube[:, number] * (1 - 2 * beyond)))
                    / _REACH
                )
            else:
                off = 2 * cube[:, number] - 1
            found[:, number] = self._middle[number] + self._half[number] * off
        return found

    def _spread(
        self, number: int, present: ModeSet, sets: Sequence[Array], names: Sequence[str]
    ) -> ModeSpread:
        own = np.concatenate(sets[:2])
        first, total = blame(sets)
        low, high = np.percentile(own, _ENDS)
        return ModeSpread(
            number + 1 + present.skipped,
            present.kinds[present.rigid_count + number],
            float(present.flexible[number]),
            float(own.mean()),
            float(own.std(ddof=1)),
            float(low),
            float(high),
            dict(zip(names, first.tolist(), strict=True)),
            dict(zip(names, total.tolist(), strict=True)),
        )

    def _hit(self, told: Array, margin: float) -> NDArray[np.bool_]:
        """Which designs have a mode in a band widened by a margin."""
        found = np.zeros(len(told), bool)
        for band in self._design.bands:
            found |= _in_band(told[:, self._shaken[band]], band, margin)
        return found

    def _chances(self, told: Array) -> tuple[BandChance, ...]:
        found = []
        for band in self._design.bands:
            own = told[:, self._shaken[band]]
            inside = float(_in_band(own, band, 0.0).mean())
            near = float(_in_band(own, band, self._design.margin).mean())
            found.append(BandChance(band.name, inside, near, _error(near, len(told))))
        return tuple(found)

    def _targets(self, present: ModeSet, told: Array) -> Iterator[TargetChance]:
        """How often each mode stands at its target."""
        for target in self._design.targets:
            place = named_mode(target.mode, present)
            other = None if target.of is None else named_mode(target.of, present)
            known = [at for at in (place, other) if at is not None]
            if place is None or max(known) >= told.shape[1]:
                continue
            wanted, within = np.full(len(told), target.frequency or 0.0), target.within
            if other is not None:
                wanted = target.times * told[:, other]
            room = within if other is None else within * wanted
            met = float((np.abs(told[:, place] - wanted) <= room).mean())
            yield TargetChance(target.name, met, _error(met, len(told)))

    def _margins(self, told: Array) -> Array:
        """The least margin of each design to any band."""
        least = np.full(len(told), np.inf)
        for band in self._design.bands:
            if not np.any(self._shaken[band]):
                continue
            below = 1 - told / band.low if band.low > 0 else np.full_like(told, -np.inf)
            above = told / band.high - 1
            inside = -np.minimum(told - band.low, band.high - told) / band.high
            own = np.where(told < band.low, below, np.where(told > band.high, above, inside))
            least = np.minimum(least, own[:, self._shaken[band]].min(axis=1))
        return least

    def _enough(
        self, draws: Array, cloud: Cloud, scale: Array, wanted: int, only: int | None
    ) -> float | None:
        """The factor of tolerances (of one knob, or of all) that is good enough."""
        factors = np.ones((len(_SCALES) + 2, len(self._knobs)))
        steps = np.concatenate([[1.0], _SCALES, [0.0]])
        factors[:, slice(None) if only is None else only] = (
            steps[:, None] if only is None else steps
        )
        few = draws[: max(_FEWEST, len(draws) // 4)]
        low, high = 0, len(steps) - 1
        if self._share(few, factors[0], cloud, scale, wanted) <= _GOOD:
            return 1.0
        if self._share(few, factors[high], cloud, scale, wanted) > _GOOD:
            return None
        while high - low > 1:
            middle = (low + high) // 2
            if self._share(few, factors[middle], cloud, scale, wanted) <= _GOOD:
                high = middle
            else:
                low = middle
        return float(steps[high])

    def _share(
        self, draws: Array, factors: Array, cloud: Cloud, scale: Array, wanted: int
    ) -> float:
        values = self._middle + (draws - self._middle) * factors
        told = cloud.frequencies(values, self._progress)[:, :wanted] * scale
        return float(self._hit(told, self._design.margin).mean())

    def _checked(
        self, draws: Array, cloud: Cloud, present: ModeSet, scale: Array, wanted: int
    ) -> float:
        """How far frequencies are from solved ones at some of the designs."""
        worst = 0.0
        request = request_for(self._design)
        chosen = draws[:: max(1, len(draws) // _CHECKED)][:_CHECKED]
        told = np.sort(cloud.frequencies(chosen, self._progress)[:, :wanted] * scale, axis=1)
        for done, (values, own) in enumerate(zip(chosen, told, strict=True)):
            self._progress.report(done, _CHECKED, "solving some of them")
            turned = {
                knob.name: float(value) for knob, value in zip(self._knobs, values, strict=True)
            }
            exact = solve_point(
                self._sheet.text, turned, request, present.discretisation, self._sheet.folder
            )
            if isinstance(exact, PointFailure):
                raise ToleranceError(f"a design within the tolerances fails: {exact.detail}")
            count = min(len(exact.flexible), wanted)
            worst = max(worst, float(np.abs(own[:count] / exact.flexible[:count] - 1).max()))
        return worst


def _half(knob: KnobValue) -> float:
    """How far a knob goes to both sides, in base units."""
    assert knob.spread is not None
    size = knob.spread.at(knob.value) * knob.scale
    return size * _REACH if knob.spread.deviation else size


def _scale(present: ModeSet, cloud: Cloud, wanted: int) -> Array:
    """What takes frequencies of the cloud to those solved, by order, at the design itself."""
    return np.asarray(present.flexible[:wanted] / np.sort(cloud.nominal)[:wanted])


def _in_band(told: Array, band: BandValue, margin: float) -> NDArray[np.bool_]:
    low, high = band.low * (1 - margin), band.high * (1 + margin)
    if margin > 0:
        return np.asarray(((told > low) & (told < high)).any(axis=1))
    return np.asarray(((told >= low) & (told <= high)).any(axis=1))


def _error(share: float, count: int) -> float:
    """The standard error of a share of so many samples."""
    return math.sqrt(max(share * (1 - share), 1.0 / count) / count)


def blame(sets: Sequence[Array]) -> tuple[Array, Array]:
    """First-order and total shares of each knob in the variance of something.

    ``sets`` are its values (n,) for two independent sets of designs, and for the first with each
    knob in turn taken from the second.
    """
    first, second, *mixed = sets
    variance = float(np.var(np.concatenate([first, second])))
    if not variance > 0:
        return np.zeros(len(mixed)), np.zeros(len(mixed))
    own = [1 - float(np.mean((second - each) ** 2)) / (2 * variance) for each in mixed]
    total = [float(np.mean((first - each) ** 2)) / (2 * variance) for each in mixed]
    return np.clip(own, 0.0, 1.0), np.array(total)
