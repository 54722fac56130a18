"""The search over some knobs, on one model after another, each proposal solved."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.errors import UserError
from belltone.modes.solution import Solution
from belltone.modes.solve import ModeRequest, request_for, solve
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.reduce.designs import DEFAULT_BOUND
from belltone.reduce.model import ReducedModel
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.store.results import ResultStore, model_key
from belltone.sweep.models import model_of
from belltone.tune.bands import least_separation
from belltone.tune.demands import Demands, Known, Missed
from belltone.tune.fits import Fit
from belltone.tune.following import Followed
from belltone.tune.outputs import columns_of
from belltone.tune.proposals import Cleared, Proposal, Tried, rank
from belltone.tune.search import Aim, Candidate, Search
from belltone.tune.space import Space

__all__ = ["KnobSearch"]

Array = NDArray[np.float64]

_COLUMNS: Final = {
    "stress": ("stress", "largest von Mises stress"),
    "displacement": ("displacement", "largest displacement"),
    "buckling": ("buckling", "buckling factor"),
}
_EXTRA: Final = 4  # modes beyond those asked for, so that they may change places
_ROUNDS: Final = 6  # exact answers taken in before what is best so far is given
_WHOLE: Final = 2  # so many knobs are modelled over their whole ranges
_SMALL: Final = 2_000  # unknowns, with which one knob more is
_MOST_WHOLE: Final = 4  # and so many where nothing is clear about the design
_BESIDE: Final = 0.15  # of a knob's value, or range; so far knobs are modelled about a design
_FARTHER: Final = 0.4  # the same of more knobs, whose models cost little more for it
_FARTHEST: Final = 0.6  # and where what is best may lie far from the design
_PATCHES: Final = 5
_HOPELESS: Final = 0.02  # missed by so much in all, no exact answer makes it good
_WORTH: Final = 0.04  # of a change squared; what saves less is not looked for
_NEAR_END: Final = 0.02  # of a patch; a design so near its end is gone on from
_SAME: Final = 1e-3  # of a range; places nearer than that are one
_OUTWARD: Final = 1e-6


class KnobSearch:
    """One search, over one model after another."""

    def __init__(
        self,
        sheet: Sheet,
        design: Design,
        space: Space,
        demands: Demands,
        aim: Aim,
        bound: float,
        store: ResultStore | None,
        progress: Progress,
        seed: int,
        numbers: Sequence[int],
    ) -> None:
        self._sheet, self._design, self._space = sheet, design, space
        self._numbers = numbers
        self._followed: Followed | None = None
        self._demands, self._aim, self._bound = demands, aim, bound
        self._store, self._progress, self._seed = store, progress, seed
        self._like: Solution | None = None
        self._solved: dict[tuple[str, ...], Proposal] = {}
        self._places: dict[tuple[str, ...], Array] = {}
        self._fits: dict[str, Fit] = {}
        self._solutions = 0
        self._last: Search | None = None

    def done(self, margins: Sequence[float]) -> Cleared:
        """What the search comes to; with ``margins`` what each of them would cost, too."""
        present = self._solve(self._space.start, start=True)
        trade: list[tuple[float, float | None]] = []
        early: tuple[str, ...] = ()
        try:
            if self._space.knobs and not (present.clear and self._aim is Aim.CHANGE):
                self._look(present)
            trade.extend(self._traded(margins))
        except UserError as error:
            if len(self._solved) == 1:
                raise
            early = (f"the search ended early: {error}",)  # what was found is not lost
        ranked = sorted(self._solved.values(), key=lambda each: rank(each, self._aim))
        binding = (*(() if ranked[0].clear else self._binding(ranked[0])), *early)
        parts = (tuple(ranked), present, binding, tuple(trade), self._solutions)
        return Cleared(self._demands, self._aim, *parts)

    # -- exact answers --------------------------------------------------------------------------

    def _solve(self, place: Array, start: bool = False) -> Proposal:
        """Solve a design to the sheet's accuracy, or recall it."""
        texts = self._space.texts(place)
        key = tuple(texts.values())
        if key in self._solved:
            return self._solved[key]
        self._progress.report(len(self._solved), 0, "solving a design")
        values: dict[Path, str] = {("knobs", name, "value"): text for name, text in texts.items()}
        sheet = self._sheet if start else self._sheet.with_values(values)
        design = evaluate(sheet)
        found = solve(design, self._request(design), progress=self._progress, like=self._like)
        self._like = found.solution
        self._solutions += 1
        told = {"mass": found.modes.mass}
        for condition in self._demands.conditions:
            if condition.name in _COLUMNS:
                output, name = _COLUMNS[condition.name]
                columns = columns_of([output], found.modes)
                value = next(c for c in columns if c.name == name).read(found.modes, design)
                if isinstance(value, float):
                    told[condition.name] = value
                    fit = self._fits.setdefault(condition.name, Fit(self._space))
                    fit.add(place, value)
        if start and self._numbers:
            self._followed = Followed(self._numbers, place, found.modes)
        known: Known | None = None
        stands: tuple[int, ...] = ()
        if self._followed is not None:
            stands = self._followed.settle(place, found.modes)
            known = self._followed.known(stands)
        least = least_separation(found.modes, self._demands.shaking())
        proposal = Proposal(
            texts=texts,
            words=self._space.words(place),
            modes=found.modes,
            text=sheet.text,
            folder=sheet.folder,
            change=self._space.change(place),
            margin=np.inf if least is None else least,
            told=told,
            missed=(*self._demands.missed(found.modes, known), *self._unkept(told)),
            stands=stands,
        )
        self._solved[key] = proposal
        self._places[key] = place
        return proposal

    def _place_of(self, found: Proposal) -> Array:
        return self._places[tuple(found.texts.values())]

    def _request(self, design: Design, extra: int = 0) -> ModeRequest:
        """The modes a sheet asks for, and those up to every target, all of them from the lowest.

        No model knows those above a frequency alone.
        """
        count = max(design.count, 0 if design.above is None else max(self._numbers, default=0))
        targets = self._demands.targets
        return request_for(replace(design, targets=targets, count=count, above=None), extra)

    def _unkept(self, told: Mapping[str, float]) -> Iterator[Missed]:
        for condition in self._demands.conditions:
            value = told.get(condition.name)
            if value is None:
                yield Missed(f"nothing is known of “{condition.words}”", np.inf)
            elif not condition.holds(value):
                words = f"{condition.name} is {value:.4g} {condition.unit}".strip()
                yield Missed(f"{words}, not {condition.words}", max(condition.excess(value), 1e-12))

    # -- looking --------------------------------------------------------------------------------

    def _look(self, present: Proposal) -> None:
        """Search with one model after another until what is best is known exactly."""
        space, center = self._space, np.clip(self._space.start, 0.0, 1.0)
        few = self._few(present)
        if self._aim is Aim.CHANGE or not few:
            best: Proposal | None = None
            for _ in range(1 if few else _PATCHES):
                search = self._search(self._about(center))
                found = self._settled(search, present)
                if found is None:
                    break
                place, proposal = found
                better = best is None or rank(proposal, self._aim) < rank(best, self._aim)
                best = proposal if better else best
                if self._is_nearest(search, proposal):
                    return
                if not better or not self._gains(search, place, proposal):
                    break
                center = place
        clear = any(found.clear for found in self._solved.values())
        if few or (not clear and len(space.knobs) <= _MOST_WHOLE):
            self._settled(self._search(self._whole()), present)

    def _few(self, present: Proposal) -> bool:
        """Whether knobs are few enough to be modelled over their whole ranges at once."""
        more = present.modes.unknowns <= _SMALL
        return len(self._space.knobs) <= _WHOLE + more

    def _whole(self) -> dict[str, tuple[float, float]]:
        """All of the ranges; but no farther off than a design that is clear, for a least change."""
        clear = [self._moved(found) for found in self._solved.values() if found.clear]
        if self._aim is not Aim.CHANGE or not clear:
            return self._space.ends
        near = self._space.start - min(clear), self._space.start + min(clear)
        low, high = (np.clip(each, 0.0, 1.0) for each in near)
        return self._between(low, high)

    def _is_nearest(self, search: Search, found: Proposal) -> bool:
        """Whether nothing beyond a model can be a smaller change than a design that is clear."""
        if self._aim is not Aim.CHANGE or not found.clear:
            return False
        start = self._space.start
        ways = [
            *np.where(search.low > _SAME, start - search.low, np.inf),
            *np.where(search.high < 1 - _SAME, search.high - start, np.inf),
        ]
        return bool(self._moved(found) <= min(ways))

    def _moved(self, found: Proposal) -> float:
        return self._space.moved(self._place_of(found))

    def _about(self, center: Array) -> dict[str, tuple[float, float]]:
        """From where to where knobs are modelled about a place, in base units."""
        space = self._space
        values = space.values(center)
        farther = _FARTHER if self._aim is Aim.CHANGE else _FARTHEST
        share = _BESIDE if len(space.knobs) <= _WHOLE else farther
        reach = share * np.where(values != 0, np.abs(values), space.width) / space.width
        low, high = np.maximum(center - reach, 0.0), np.minimum(center + reach, 1.0)
        return self._between(low, high)

    def _between(self, low: Array, high: Array) -> dict[str, tuple[float, float]]:
        below, above = self._space.base(low), self._space.base(high)
        names = (knob.name for knob in self._space.knobs)
        return {name: (a, b) for name, a, b in zip(names, below, above, strict=True)}

    def _search(self, ends: Mapping[str, tuple[float, float]]) -> Search:
        assert self._like is not None
        level = self._like.level.discretisation
        request = self._request(self._design, _EXTRA)
        parts = (self._sheet, ends, request, level)
        model: ReducedModel | None = None
        if self._store is not None:  # what the window has made is better
            model = self._store.get_model(model_key(*parts, DEFAULT_BOUND))
        if model is None:
            many = len(ends) > _WHOLE
            bound = self._bound * (2 if many else 1)
            model = model_of(*parts, bound, self._store, self._progress)
            self._solutions += model.solutions
        asked = (self._space, self._demands, self._aim, self._progress, self._seed)
        search = Search(model, *asked, self._followed)
        search.fits = self._fits
        for proposal in self._solved.values():
            place = self._place_of(proposal)
            if search.holds(place):
                search.correct(place, proposal.modes.flexible, proposal.told["mass"])
        self._last = search
        return search

    def _settled(self, search: Search, present: Proposal) -> tuple[Array, Proposal] | None:
        """The best of a search, solved; what exact answers say is taken in until both agree."""
        best: tuple[Array, Proposal] | None = None
        for _ in range(_ROUNDS):
            found = search.best(show=self._show)
            if not found:
                break
            candidate = found[0]
            place = self._short(search, candidate)
            if np.all(np.abs(place - self._space.start) < 1e-12):
                proposal = present
            else:
                proposal = self._solve(place)
            known = best is not None and rank(proposal, self._aim) >= rank(best[1], self._aim)
            if not known:
                best = place, proposal
            if proposal.clear == candidate.meets and proposal.clear:
                break
            if not candidate.meets and (known or candidate.missed > _HOPELESS):
                break
            search.correct(place, proposal.modes.flexible, proposal.told["mass"])
        return best

    def _short(self, search: Search, candidate: Candidate) -> Array:
        """The design with as few digits as still meet the demands, by the model."""
        if not candidate.meets:
            return next(iter(self._space.rounded(candidate.place)))
        for place in self._space.rounded(candidate.place):
            seen = search.at(place) if search.holds(place) else None
            if seen is None:
                continue
            judged = search.judged(seen)
            size = abs(candidate.worth) or 1.0
            if judged.meets and judged.worth <= candidate.worth + 2e-3 * size:
                return place
        return candidate.place

    def _show(self, candidate: Candidate) -> None:
        self._progress.show(
            Tried(
                candidate.place,
                self._space.texts(candidate.place),
                candidate.seen.frequencies,
                candidate.meets,
                self._space.words(candidate.place, 4),
            )
        )

    def _gains(self, search: Search, place: Array, found: Proposal) -> bool:
        """Whether a design stands at ends of its model beyond which a better one may be."""
        room = _NEAR_END * (search.high - search.low)
        at_low = (place <= search.low + room) & (search.low > _SAME)
        at_high = (place >= search.high - room) & (search.high < 1 - _SAME)
        ends = at_low | at_high
        if self._aim is not Aim.CHANGE or not found.clear:
            return bool(np.any(ends))
        # At most all that the knobs at those ends were moved can be saved.
        moved = (place - self._space.start) ** 2
        return bool(moved[ends].sum() > _WORTH * moved.sum())

    # -- what is told besides -------------------------------------------------------------------

    def _binding(self, best: Proposal) -> tuple[str, ...]:
        """What stands in the way, and which knob's wider range would help."""
        words = [each.words for each in best.missed]
        search = self._last
        if search is None:
            return tuple(words)
        place = self._place_of(best)
        for number, knob in enumerate(self._space.knobs):
            for end, side in ((0.0, 1.0), (1.0, -1.0)):
                if abs(place[number] - end) > _SAME:
                    continue
                inward = place.copy()
                inward[number] += side * 0.01
                here, there = search.at(place), search.at(inward)
                if here is None or there is None:
                    continue
                helps = search.judged(there).missed - search.judged(here).missed
                if helps > _OUTWARD:
                    at = knob.text(float(self._space.values(place)[number]), 4)
                    below = "below" if end == 0.0 else "beyond"
                    words.append(f"“{knob.name}” stands at its end, {at}; {below} it is better")
        return tuple(words)

    def _traded(self, margins: Sequence[float]) -> Iterator[tuple[float, float | None]]:
        """What each margin would cost, by the model of the last search."""
        if not margins:
            return
        if not self._space.knobs:
            (only,) = self._solved.values()
            for margin in margins:
                unmet = self._demands.with_margin(margin).missed(only.modes)
                cost = only.told["mass"] if self._aim is Aim.MASS else only.change
                unmet = (*unmet, *self._unkept(only.told))
                yield margin, None if unmet else cost
            return
        # A least change was looked for no farther off than needed; wider margins may lie beyond.
        few = self._few(next(iter(self._solved.values())))
        center = np.clip(self._space.start, 0.0, 1.0)
        search = self._search(self._space.ends if few else self._about(center))
        for margin in margins:
            found = search.best(self._demands.with_margin(margin))
            met = [each for each in found if each.meets]
            if not met:
                yield margin, None
            elif self._aim is Aim.MASS:
                yield margin, met[0].seen.mass
            else:
                yield margin, self._space.change(met[0].place)
