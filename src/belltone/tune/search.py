"""The search for a design that meets all demands, on a model of its knobs.

Of every band it matters how many modes stand below it: with those numbers fixed the demands are
smooth, and sequential quadratic programming (D. Kraft, "A software package for sequential
quadratic programming", DFVLR-FB 88-28, 1988) finds the best design. Which numbers are worth a try
is seen from designs spread evenly over the space.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import partial
from typing import Any, Final

import numpy as np
import scipy
from numpy.typing import NDArray

from belltone.modes.failure import PointFailure
from belltone.progress import Progress
from belltone.reduce.model import Gap, Piece, ReducedModel, ReducedModes
from belltone.tune.bands import separation, shaken
from belltone.tune.demands import Demands, Known, named_mode
from belltone.tune.fits import Fit
from belltone.tune.following import Followed
from belltone.tune.space import Space
from belltone.tune.spreading import evenly

__all__ = ["Aim", "Candidate", "Search", "Seen"]

Array = NDArray[np.float64]

_ALL: Final = 10_000
_SAMPLES: Final = {1: 129, 2: 256, 3: 384}
_MOST_SAMPLES: Final = 512
_STARTS: Final = 8  # numbers of modes below the bands that are tried
_EACH: Final = 2  # starts for each of them
_ITERATIONS: Final = 30
_SLACK: Final = 3e-4  # of a frequency; so far within its limits a design is looked for
_MET: Final = 1e-7
_MOST_LISTED: Final = 4_000  # designs that are looked at one by one, where all knobs have steps
_MOST_MIXED: Final = 48  # choices of knobs with steps, tried with all others free
_TIE: Final = 1e-3  # of the change, beside a mass that is to be least
_STEP: Final = 1e-3  # of a range; for the slope of the mass


class Aim(StrEnum):
    """What is to be best of a design that meets the demands."""

    CHANGE = "change"
    MASS = "mass"
    MARGIN = "margin"


@dataclass(frozen=True, eq=False)
class Seen:
    """What a model says of a place: its modes, and how frequencies (Hz) and mass (kg) move.

    ``slopes`` (knobs, modes) and ``mass_slopes`` (knobs,) are for a whole range of each knob.
    """

    place: Array
    modes: ReducedModes
    frequencies: Array
    slopes: Callable[[], Array]
    mass: float
    mass_slopes: Callable[[], Array]


@dataclass(frozen=True, eq=False)
class Candidate:
    """A place with what is to be least there, and the share by which demands are missed in all."""

    place: Array
    worth: float
    missed: float
    seen: Seen

    @property
    def meets(self) -> bool:
        """Whether the model says that it meets all demands."""
        return self.missed <= _MET

    @property
    def rank(self) -> tuple[float, float]:
        """Smaller is better: first the demands, then what is to be best."""
        return (0.0, self.worth) if self.meets else (self.missed, self.worth)


class _LostError(Exception):
    """The model does not say what stands there."""


@dataclass(frozen=True)
class _Limits:
    """Numbers of watched modes below each keepout."""

    below: tuple[int, ...]


class Search:
    """Looks for the best place of a space by a model of it.

    ``corrections`` are exact answers: by how much frequencies and mass there are off the model's,
    and where. What is nearest to a place holds for it. ``fits`` tell what the model does not.
    Modes that are ``followed`` are those that targets name by number.
    """

    def __init__(
        self,
        model: ReducedModel,
        space: Space,
        demands: Demands,
        aim: Aim,
        progress: Progress | None = None,
        seed: int = 0,
        followed: Followed | None = None,
    ) -> None:
        self.model, self.space, self.demands, self.aim = model, space, demands, aim
        self._followed = followed
        self._progress = progress or Progress()
        self._seed = seed
        # As many as there are anywhere: demands are on numbers of modes.
        self._asked = replace(model.request, count=_ALL, up_to=None)
        order = [model.knobs.index(knob.name) for knob in space.knobs]
        self._order = np.array(order)
        self.low, self.high = (
            np.clip(space.place([ends[at] for at in order]), 0.0, 1.0)
            for ends in (model.low, model.high)
        )
        self.fits: dict[str, Fit] = {}
        self._exact: list[tuple[Array, Array, float]] = []
        self._samples: list[Seen] = []
        self._known: dict[bytes, Seen | None] = {}
        self.looks = 0

    # -- what the model says --------------------------------------------------------------------

    def correct(self, place: Array, frequencies: Array, mass: float) -> None:
        """Take an exact answer in: what it says of a place is what the model says from now on."""
        seen = self._plain(place)
        if seen is None:
            return
        count = min(len(frequencies), len(seen.modes.flexible))
        ratios = np.ones(len(seen.modes.flexible))
        ratios[:count] = frequencies[:count] / seen.modes.flexible[:count]
        self._exact.append((place, ratios, mass - seen.modes.mass))

    def _base(self, place: Array) -> tuple[float, ...]:
        values = self.space.base(np.clip(place, self.low, self.high))
        found = [0.0] * len(values)
        for at, value in zip(self._order, values, strict=True):
            found[at] = value
        return tuple(found)

    def _plain(self, place: Array) -> Seen | None:
        """What the model says by itself."""
        base = self._base(place)
        piece = self.model.piece_at(*base)
        if piece is None or isinstance(piece, Gap):
            return None
        found = piece.at(base, self._asked)
        self.looks += 1
        if isinstance(found, PointFailure):
            return None
        own, per_place = piece, self.space.per_place

        def slopes() -> Array:
            return np.asarray(own.slopes(base, found)[self._order] * per_place[:, None])

        return Seen(
            place, found, found.flexible, slopes, found.mass, lambda: self._mass_slopes(own, base)
        )

    def _mass_slopes(self, piece: Piece, base: tuple[float, ...]) -> Array:
        found = np.empty(len(base))
        for number, at in enumerate(self._order):
            step = _STEP * self.space.per_place[number]
            sides = [
                piece.tables.at(*base[:at], base[at] + side, *base[at + 1 :]).total
                for side in (-step, step)
            ]
            found[number] = (sides[1] - sides[0]) / (2 * _STEP)
        return found

    def at(self, place: Array) -> Seen | None:
        """What is known of a place, exact answers nearby taken in."""
        key = np.round(place, 12).tobytes()
        if key not in self._known:
            self._known[key] = self._plain(place)
        return self._corrected(self._known[key])

    def _corrected(self, seen: Seen | None) -> Seen | None:
        if seen is None or not self._exact:
            return seen
        here = seen.place
        exact = min(self._exact, key=lambda own: float(np.linalg.norm(own[0] - here)))
        return _corrected(seen, exact[1], exact[2])

    def known(self, seen: Seen) -> Known:
        """Which modes of a place targets mean."""
        if self._followed is None:
            return partial(named_mode, modes=seen.modes)
        stands = self._followed.at(seen.place, seen.modes, self._modes)
        return self._followed.known(stands)

    def _modes(self, place: Array) -> ReducedModes | None:
        seen = self.at(place) if self.holds(place) else None
        return None if seen is None else seen.modes

    def holds(self, place: Array) -> bool:
        """Whether a place is within what the model is of."""
        return bool(np.all(place >= self.low - 1e-9) and np.all(place <= self.high + 1e-9))

    # -- demands as numbers ---------------------------------------------------------------------

    def judged(self, seen: Seen, demands: Demands | None = None) -> Candidate:
        """A place judged, whatever numbers of modes stand below the bands."""
        wanted = demands or self.demands
        limits = self._limits(seen, wanted)
        values, _ = self._demands(seen, limits, wanted, tight=False, slopes=False)
        missed = float(np.maximum(-values, 0.0).sum()) if len(values) else 0.0
        return Candidate(seen.place, self._worth(seen, wanted), missed, seen)

    def _worth(self, seen: Seen, demands: Demands) -> float:
        change = self.space.change(seen.place)
        if self.aim is Aim.CHANGE:
            return change
        if self.aim is Aim.MASS:
            return seen.mass * (1 + _TIE * change**2)
        return -self.margin(seen, demands) + _TIE * 1e-3 * change

    def margin(self, seen: Seen, demands: Demands | None = None) -> float:
        """How far the mode nearest to any band stands from it, as a share of the band's edge."""
        wanted = demands or self.demands
        return min(
            (
                separation(float(frequency), band)
                for band in wanted.shaking()
                for frequency in seen.frequencies[shaken(seen.modes, band)]
            ),
            default=math.inf,
        )

    def _limits(self, seen: Seen, demands: Demands) -> _Limits:
        below = []
        for keepout in demands.keepouts():
            watched = seen.frequencies[demands.watched(seen.modes, keepout.band)]
            below.append(int(np.count_nonzero(watched < keepout.middle)))
        return _Limits(tuple(below))

    def _demands(
        self, seen: Seen, limits: _Limits, demands: Demands, tight: bool, slopes: bool
    ) -> tuple[Array, Array]:
        """All demands as numbers that must not be negative, and their ``slopes`` (demands, knobs).

        Where they are ``tight`` a little is left to the ends of what is allowed.
        """
        own = seen.slopes() if slopes else np.zeros((len(self.space.knobs), len(seen.frequencies)))
        values: list[float] = []
        moves: list[Array] = []

        def add(value: float, move: Array) -> None:
            values.append(value)
            moves.append(move)

        slack = _SLACK if tight else 0.0
        for keepout, below in zip(demands.keepouts(), limits.below, strict=False):
            watched = demands.watched(seen.modes, keepout.band)
            if 0 < below <= len(watched) and keepout.low > 0:
                at = watched[below - 1]
                low = keepout.low * (1 - slack)
                add(1 - seen.frequencies[at] / low, -own[:, at] / low)
            if below < len(watched):
                at = watched[below]
                high = keepout.high * (1 + slack)
                add(seen.frequencies[at] / high - 1, own[:, at] / high)
        known = self.known(seen)
        for target in demands.targets:
            place = known(target.mode)
            other = None if target.of is None else known(target.of)
            if place is None or (target.of is not None and other is None):
                add(-1.0, np.zeros(len(own)))
                continue
            wanted, within = target.frequency or 0.0, target.within
            frequency, move = seen.frequencies[place], own[:, place]
            if other is not None:
                wanted = target.times * seen.frequencies[other]
                within = target.within * wanted
                move = move - target.times * own[:, other]
            room = within * (0.5 if tight else 1.0)
            add((room - (frequency - wanted)) / wanted, -move / wanted)
            add((room + (frequency - wanted)) / wanted, move / wanted)
            if target.apart > 0:
                if place > 0:
                    low = wanted * (1 - target.apart) * (1 - slack)
                    add(1 - seen.frequencies[place - 1] / low, -own[:, place - 1] / low)
                if place + 1 < len(seen.frequencies):
                    high = wanted * (1 + target.apart) * (1 + slack)
                    add(seen.frequencies[place + 1] / high - 1, own[:, place + 1] / high)
        for condition in demands.conditions:
            size = abs(float(condition.bound)) or 1.0
            if condition.name == "mass":
                value, move = seen.mass, seen.mass_slopes() if slopes else np.zeros(len(own))
            elif condition.name in self.fits:
                value, move = self.fits[condition.name].at(seen.place)
            else:
                continue  # nothing is known of it yet
            sign = 1.0 if condition.sense.startswith("<") else -1.0
            room = 1e-6 if tight else 0.0
            add(sign * (float(condition.bound) - value) / size - room, -sign * move / size)
        if not values:
            return np.empty(0), np.empty((0, len(own)))
        return np.array(values), np.array(moves)

    # -- looking --------------------------------------------------------------------------------

    def samples(self) -> list[Seen]:
        """Designs spread evenly over what the model knows, the present one first."""
        if not self._samples:
            count = len(self.space.knobs)
            number = _SAMPLES.get(count, _MOST_SAMPLES)
            if count == 1:
                spread = np.linspace(0.0, 1.0, number)[:, None]
            else:
                spread = evenly(count, number, self._seed)
            corners = np.array(list(itertools.product((0.0, 1.0), repeat=min(count, 6))))
            corners = np.pad(corners, ((0, 0), (0, count - corners.shape[1])))
            inside = np.vstack([spread, corners])
            places = [self.space.start, *(self.low + inside * (self.high - self.low))]
            places.sort(key=self.space.change)  # modes are followed from one to the next
            for done, place in enumerate(places):
                if done % 16 == 0:
                    self._progress.report(done, len(places), "looking over the designs")
                if self.holds(place):
                    seen = self._plain(place)
                    if seen is not None:
                        self._samples.append(seen)
        told = (self._corrected(seen) for seen in self._samples)
        return [seen for seen in told if seen is not None]

    def best(
        self, demands: Demands | None = None, show: Callable[[Candidate], None] | None = None
    ) -> list[Candidate]:
        """The best places found, the best first; none where the model says nothing anywhere."""
        wanted = demands or self.demands
        found: list[Candidate] = []
        best: Candidate | None = None
        for candidate in self._tried(wanted):
            found.append(candidate)
            if best is None or candidate.rank < best.rank:
                best = candidate
                if show is not None:
                    show(candidate)
        return sorted(found, key=lambda own: own.rank)

    def _tried(self, demands: Demands) -> Iterator[Candidate]:
        if self.space.discrete and self.space.choices <= _MOST_LISTED:
            yield from self._listed(demands)
            return
        judged = sorted(
            (self.judged(seen, demands) for seen in self.samples()), key=lambda own: own.rank
        )
        if not judged:
            return
        free = all(each is None for each in self.space.allowed)
        if free:
            yield judged[0]
        polished = list(self._polished(judged, demands))
        if free:
            yield from polished
            return
        # Knobs with steps: the choices about the best designs, with all others free.
        tried: set[bytes] = set()
        ranked = sorted([*polished, judged[0]], key=lambda own: own.rank)
        for near in ranked[:3]:
            for place in self.space.combinations(near.place, _MOST_MIXED):
                fixed = np.array([each is not None for each in self.space.allowed])
                key = np.round(place[fixed], 12).tobytes()
                if key in tried:
                    continue
                tried.add(key)
                seen = self.at(place)
                if seen is None:
                    continue
                yield self.judged(seen, demands)
                if not np.all(fixed):
                    end = self._stepped(seen, self._limits(seen, demands), demands, fixed)
                    if end is not None:
                        yield end

    def _listed(self, demands: Demands) -> Iterator[Candidate]:
        """Every design of knobs with steps; where the first that does is the best, no more."""
        inside = [
            place
            for place in self.space.combinations(self.space.start, _MOST_LISTED)
            if self.holds(place)
        ]
        for done, place in enumerate(inside):
            self._progress.report(done, len(inside), "looking over the designs")
            seen = self.at(place)
            if seen is None:
                continue
            candidate = self.judged(seen, demands)
            yield candidate
            if candidate.meets and self.aim is Aim.CHANGE:
                return  # they come with the nearest first

    def _polished(self, judged: Sequence[Candidate], demands: Demands) -> Iterator[Candidate]:
        """The best of every promising arrangement of modes about the bands."""
        groups: dict[_Limits, list[Candidate]] = {}
        for candidate in judged:
            groups.setdefault(self._limits(candidate.seen, demands), []).append(candidate)
        chosen = list(groups.items())[:_STARTS]
        for done, (limits, own) in enumerate(chosen):
            self._progress.report(done, len(chosen), "searching")
            for start in own[:_EACH]:
                end = self._stepped(start.seen, limits, demands, None)
                if end is not None:
                    yield end
                    if end.meets:
                        break

    def _stepped(
        self, start: Seen, limits: _Limits, demands: Demands, fixed: NDArray[np.bool_] | None
    ) -> Candidate | None:
        """The best place with so many modes below each band, from a place on."""
        widest = self.aim is Aim.MARGIN
        count = len(self.space.knobs)
        low, high = self.low.copy(), self.high.copy()
        if fixed is not None:
            low[fixed] = high[fixed] = start.place[fixed]
        own = Demands(demands.bands, 0.0, demands.targets, demands.conditions, demands.spared)

        def seen_at(x: Array) -> Seen:
            self._progress.check()
            seen = self.at(np.clip(x[:count], low, high))
            if seen is None:
                raise _LostError
            return seen

        def worth(x: Array) -> tuple[float, Array]:
            seen = seen_at(x)
            away = seen.place - self.space.start
            if widest:
                slope = np.append(2 * _TIE * 1e-3 * away, -1.0)
                return float(_TIE * 1e-3 * away @ away - x[count]), slope
            if self.aim is Aim.CHANGE:
                return float(away @ away), 2 * away
            tie = 1 + _TIE * float(away @ away)
            slope = (seen.mass_slopes() * tie + 2 * _TIE * seen.mass * away) / scale
            return seen.mass * tie / scale, slope

        def demanded(x: Array, slopes: bool) -> tuple[Array, Array]:
            seen = seen_at(x)
            if not widest:
                return self._demands(seen, limits, demands, True, slopes)
            return self._spaced(seen, limits, own, float(x[count]), slopes)

        scale = start.mass or 1.0
        begin = np.clip(start.place, low, high)
        bounds = [(float(a), float(b)) for a, b in zip(low, high, strict=True)]
        if widest:
            begin = np.append(begin, max(self.margin(start, demands), -0.5))
            bounds.append((-1.0, 10.0))
        asked: dict[str, Any] = {
            "fun": lambda x: worth(x)[0],
            "x0": begin,
            "jac": lambda x: worth(x)[1],
            "bounds": bounds,
            "method": "SLSQP",
            "constraints": [
                {
                    "type": "ineq",
                    "fun": lambda x: demanded(x, slopes=False)[0],
                    "jac": lambda x: demanded(x, slopes=True)[1],
                }
            ],
            "options": {"maxiter": _ITERATIONS, "ftol": 1e-8},
        }
        try:
            end = scipy.optimize.minimize(**asked)
            seen = seen_at(np.asarray(end.x))
        except (_LostError, ValueError):  # numbers of demands that change on the way
            return None
        return self.judged(seen, demands)

    def _spaced(
        self, seen: Seen, limits: _Limits, demands: Demands, margin: float, slopes: bool
    ) -> tuple[Array, Array]:
        """The demands where the margin itself is looked for: its own slope stands last."""
        others = Demands((), 0.0, demands.targets, demands.conditions)
        rest, moves = self._demands(seen, _Limits(()), others, True, slopes)
        values, found = list(rest), [np.append(move, 0.0) for move in moves]
        own = seen.slopes() if slopes else np.zeros((len(self.space.knobs), len(seen.frequencies)))
        for band, below in zip(
            sorted(demands.bands, key=lambda each: each.low),
            self._counts(seen, demands, limits),
            strict=True,
        ):
            watched = demands.watched(seen.modes, band)
            if below > 0 and band.low > 0:
                at = watched[below - 1]
                values.append(1 - seen.frequencies[at] / band.low - margin)
                found.append(np.append(-own[:, at] / band.low, -1.0))
            if below < len(watched):
                at = watched[below]
                values.append(seen.frequencies[at] / band.high - 1 - margin)
                found.append(np.append(own[:, at] / band.high, -1.0))
        return np.array(values), np.array(found)

    def _counts(self, seen: Seen, demands: Demands, limits: _Limits) -> Iterable[int]:
        """Numbers of modes below each band by itself; those of merged ones are of all in them."""
        keepouts = self.demands.keepouts()
        for band in sorted(demands.bands, key=lambda each: each.low):
            watched = demands.watched(seen.modes, band)
            middle = 0.5 * (band.low + band.high)
            home = next(
                (
                    at
                    for at, each in enumerate(keepouts)
                    if each.low <= middle <= each.high and each.band.rule == band.rule
                ),
                None,
            )
            if home is not None and home < len(limits.below):
                yield min(limits.below[home], len(watched))
            else:
                yield int(np.count_nonzero(seen.frequencies[watched] < middle))


def _corrected(seen: Seen, ratios: Array, mass: float) -> Seen:
    """What is seen, with an exact answer nearby taken in."""
    own = np.ones(len(seen.frequencies))
    own[: len(ratios)] = ratios[: len(own)]
    plain = seen.slopes
    return Seen(
        seen.place,
        seen.modes,
        seen.frequencies * own,
        lambda: np.asarray(plain() * own),
        seen.mass + mass,
        seen.mass_slopes,
    )
