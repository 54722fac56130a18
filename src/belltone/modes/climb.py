"""From coarse to fine until every frequency is as exact as asked.

Modes are solved for where the climb begins, and once more, with the count that proves the list
complete, where it ends. Between, and to the orders an error is told from, they are carried over.
"""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.mesh.discretisation import Discretisation, SurfacePlan, fineness
from belltone.modes.describe import mode_set
from belltone.modes.errors import BuckledModesError, LostModesError, NoModesError
from belltone.modes.estimates import member_estimate, wall_estimate
from belltone.modes.ladder import forecast, ladder, most_unknowns, shortened, usual_last
from belltone.modes.level import MOST_MODES, Level
from belltone.modes.marking import divided_where_short, divided_where_wrong, shortfalls
from belltone.modes.matching import EQUAL, paired
from belltone.modes.modeset import ModeSet
from belltone.modes.request import ModeRequest
from belltone.modes.solution import Solution, alike, carried, solved
from belltone.progress import Progress
from belltone.system.division import welds_unfollowed
from belltone.system.kinds import face_cuts
from belltone.system.pattern import Structure
from belltone.system.threads import numpy_threads

__all__ = ["Climb", "Solved"]

Array = NDArray[np.float64]
Elements = tuple[int, tuple[SurfacePlan, ...]]

_WORTH_GOING_ON: Final = 0.8  # times the error before; flat faces halve it, or bring nothing
_WARY_OF_FACES: Final = 2.0  # measured: without it the lowest twist of a plate is told too exact
_WARY_OF_RIB_ENDS: Final = 3.0  # measured on ribs of several lengths and directions
_STALLED: Final = 0.8  # times the error on larger elements; the sharpest corners halve it
_UNRESOLVED: Final = 0.5  # error of modes a mesh is still too coarse to show
_FAR_OFF: Final = 2.0  # times the accuracy; what is nearer gets there by a higher order
_RESOLVED: Final = (
    8  # motions for each mode found; with so many, no mode is missing for want of them
)
_BETTER: Final = 0.25  # times the error foreseen; errors fall faster once they have begun to
_RECOGNISED: Final = 0.8  # assurance between neighbouring orders; less means not resolved yet
_MIXING: Final = 0.4  # of the accuracy: between frequencies whose modes are one subspace
_WORTH_A_LOOK: Final = 0.3  # errors beyond which modes are no first look
_SHORT: Final = 0.03  # of the accuracy: more than that is missing where elements are too large
_FAR_TOO_SHORT: Final = 2.0  # times the accuracy; less than that is made up for by a higher order
_DEAR: Final = 10_000  # unknowns from which a level is not solved for a narrower error alone
_LARGE: Final = 30_000  # unknowns from which numpy's own threads bring more than they cost
_TELLING: Final = 4  # order; what a lower one does not show, a higher one on the same elements may
_SETTLED_SHARE: Final = 2e-3
_TRIES: Final = 3
_JUDGE: Final = 5  # order


@dataclass(frozen=True)
class Solved:
    """What is told of modes, and the solution with the vectors it was read from."""

    modes: ModeSet
    solution: Solution


class Climb:
    """Solves one design at one level after another and tells their errors; used once."""

    def __init__(self, design: Design, request: ModeRequest, progress: Progress) -> None:
        self.design, self.request, self.progress = design, request, progress
        self._levels: dict[Discretisation, Level] = {}
        self._solutions: dict[Discretisation, Solution] = {}
        self._crowded = True  # until it is known that not far too many modes are asked for
        self._solved_at: set[Discretisation] = set()
        self._shown: set[Discretisation] = set()
        self._proving = False  # whether what is asked now has been seen but for its last digits
        self._unresolved = False  # whether a mode was not even known again at the next order
        self._unknown = np.zeros(0, bool)  # modes that were not known at the order below
        self._last: Level | None = None
        self._errors: dict[Elements, Array] = {}  # last told, by the elements
        self._told: dict[Discretisation, tuple[Array, Array]] = {}  # frequencies and their errors
        self._structures: dict[Discretisation, Structure] = {}
        self._rest = False  # whether the error is not where elements were made smaller
        self._seconds = 0.0
        self._wary: dict[tuple[SurfacePlan, ...], float] = {}

    def at(
        self,
        fine: Discretisation,
        told: bool = True,
        near: Solution | None = None,
        begun: Array | None = None,
    ) -> Solved:
        """The modes at a given discretisation, with their errors where these are to be ``told``.

        ``near`` is a solution of a similar design there, to begin from; ``begun`` are the motions
        its loaded state is begun from, of one that was solved elsewhere.
        """
        if begun is not None:
            with numpy_threads(self._unknowns_of(fine) > _LARGE):
                parts = self.design, fine, self.progress, self._structures
                self._last = self._levels[fine] = Level(*parts, begun=begun)
        if near is not None:
            self._structures = near.level.structures
            self._last = near.level
            level = self._level(fine)
            if near.vectors.shape[0] == level.system.stiffness.shape[0] and not level.whirls:
                self._solutions[fine] = replace(near, level=level, proven=False)
                self._crowded = False  # as many as there
        self._prove(fine)
        unknown = np.full(len(self._solutions[fine].frequencies), np.nan)
        return self._described(fine, self.errors(fine) if told else unknown)

    def to_accuracy(self, proven: bool = True) -> tuple[Discretisation, Array]:
        """Climb until the estimates meet the accuracy; returns where, and the errors there.

        Without the last solution, which proves the list, the errors are those of carried modes.
        """
        fractions: list[float] = []
        lost = 0
        by_order: dict[int, Array] = {}
        left: Array | None = None  # errors larger elements were left with
        last: tuple[Discretisation, Array] | None = None
        skipped: Elements | None = None  # those whose higher orders are not worth trying
        best: tuple[Discretisation, Array] | None = None
        for step, fine in enumerate(ladder(self.design, self._finer)):
            if fine.elements == skipped:
                continue
            # The step before has told how large this one is.
            size = 0 if self._last is None else self._last.assembly.size
            forecast(step, size, self._unknowns_of(fine), self._seconds, self.progress)
            try:
                errors = self.errors(fine)
                if self._may_be_lost(errors) and fine not in self._solved_at:
                    # A mode may only have been lost on the way here.
                    self._solve_anew(fine)
                    errors = self.errors(fine)
                if proven and self._good(errors):
                    self._prove(fine)
                    self._proving = True
                    errors = self.errors(fine)
                    self._proving = False
            except BuckledModesError as error:
                # A finer mesh bears a little less; say so only once the share has settled.
                if error.fraction is None:
                    raise
                fractions.append(error.fraction)
                if len(fractions) > 1 and abs(fractions[-1] / fractions[-2] - 1) < _SETTLED_SHARE:
                    raise
                if len(fractions) > _TRIES:
                    raise
                continue
            except LostModesError:
                lost += 1
                if lost > _TRIES:
                    raise
                continue
            if self._good(errors):
                return fine, errors
            if self.design.has_walls and self._enough(errors):
                if last is not None and last[0].elements != fine.elements:
                    left = last[1]
                # What is told of a mode that was not known again at the order below is a guess.
                measured = np.where(self._unknown, 0.0, errors)
                stays = _stays_near(by_order, left, fine, measured, self.request.accuracy)
                if stays and fine.even:
                    raise _out_of_reach(self.request.accuracy, stays)
                self._rest |= bool(stays)
            if self.design.has_received:
                gained = best is None or _worst(errors) < _WORTH_GOING_ON * _worst(best[1])
                best = (fine, errors) if gained else best
                if not gained:
                    break
            if self.design.has_walls and (self._rest or self._too_large(last, fine, errors)):
                skipped = fine.elements
            last = fine, errors
            self._errors[fine.elements] = errors
            self._unresolved = _worst(errors) >= 1
            self._show(fine, errors)
            self._forget(fine)
        if best is not None:
            # A received mesh has the accuracy it was made with; what that is stands by every mode.
            if proven:
                self._prove(best[0])
            return best[0], self.errors(best[0])
        raise NoModesError(
            f"{self.request.count} modes to {self.request.accuracy * 100:g} % are out of reach: "
            f"more than {most_unknowns(self.design)} unknowns would be needed; ask for fewer "
            "modes or a looser accuracy"
        )

    def solved(self) -> Solved:
        """The modes to the accuracy asked for."""
        return self._described(*self.to_accuracy())

    def errors(self, fine: Discretisation) -> Array:
        """Estimate each frequency's relative error at a discretisation."""
        with numpy_threads(self._unknowns_of(fine) > _LARGE):
            mine = self._solution(fine)
            self._unknown = np.zeros(len(mine.frequencies), bool)
            if self.design.has_walls:
                last_step = None
                if fine.order > 1:
                    lower = self._solution(fine.lower())
                    last_step = self._difference(lower, mine)
                    self._unknown = last_step >= 1
                    # What the step up to here changed is more than what is still to come; but that
                    # of a received mesh tells nothing where it was cut no finer.
                    finer = face_cuts(fine) > face_cuts(fine.lower())
                    if finer or not self.design.has_received:
                        self._show(fine, last_step * self._wariness(fine))
                    left = self._left(lower, mine) if self._unknowns_of(fine) > _DEAR else None
                    if left is not None and self._good(left):
                        return left
                higher = self._solution(replace(fine, order=fine.order + 1))
                next_step = self._difference(higher, mine) * self._wariness(fine)
                errors = wall_estimate(next_step, next_step if last_step is None else last_step)
                self._told[fine] = mine.frequencies, errors
            else:
                one = self._difference(self._solution(fine.lower()), mine)
                two = self._difference(self._solution(fine.lower().lower()), mine)
                errors = member_estimate(one, two, fine.order, self._rough)
        return errors if mine.unsettled is None else errors + mine.unsettled

    def _difference(self, other: Solution, fine: Solution) -> Array:
        """Relative difference of each frequency of ``fine`` to the same shape's at another order.

        A mode the other order does not show is not resolved, and differs by all of it. Modes so
        near each other that it does not matter which is which may be any mixture of them there.
        """
        partners = self._partners(other, fine)
        if np.all(partners < 0):
            return np.ones(len(partners))
        theirs = other.all_frequencies[np.maximum(partners, 0)]
        return np.where(partners >= 0, np.abs(theirs / fine.frequencies - 1), 1.0)

    def _partners(self, other: Solution, fine: Solution) -> NDArray[np.intp]:
        """Places of the modes of ``fine`` among all of another order; -1 where not known again."""
        if not other.vectors.shape[1]:
            return np.full(len(fine.frequencies), -1)
        gap = max(EQUAL, _MIXING * self.request.accuracy)
        parts = alike(fine, other), other.all_frequencies, fine.frequencies
        partners, certainty = paired(*parts, gap, either=True)
        return np.where(certainty >= _RECOGNISED, partners, -1)

    def _left(self, lower: Solution, fine: Solution) -> Array | None:
        """What is left of the errors told at the order below, if any were; a bound, mostly wide.

        Each order holds what the one below does, so that frequencies only fall towards the true
        ones: what they have fallen by is no longer missing. That does not hold for the faces of
        received meshes, nor where a state of preload changes along. Of 750 errors of references,
        demos and starting points 98 % lay below it, 37 % above a tenth as well.
        """
        if self.design.has_received or self.design.preload is not None:
            return None
        told = self._told.get(lower.level.discretisation)
        if told is None or len(told[0]) != len(lower.frequencies):
            return None
        frequencies, errors = told
        places = self._partners(lower, fine) - lower.kept.start
        if np.any((places < 0) | (places >= len(frequencies))):
            return None
        fallen = np.maximum(frequencies[places] / fine.frequencies - 1, 0.0)
        return np.asarray(np.maximum(errors[places] - fallen, 0.0))

    def _show(self, fine: Discretisation, errors: Array) -> None:
        """Show what is known so far, where it is worth looking at and nobody has seen it yet."""
        if not self.progress.watched or fine in self._shown or self._proving:
            return
        if len(errors) and self._enough(errors) and _worst(errors) < _WORTH_A_LOOK:
            self._shown.add(fine)
            with numpy_threads(many=False):
                look = mode_set(self._solutions[fine], errors, None, buckled=False)
            self.progress.show(look)

    def _described(self, fine: Discretisation, errors: Array) -> Solved:
        lower = self._levels.get(fine.lower()) if fine.order > 1 else None
        solution = self._solutions[fine]
        with numpy_threads(many=False):
            return Solved(mode_set(solution, errors, lower), solution)

    def _may_be_lost(self, errors: Array) -> bool:
        """Whether a mode may not be known because it was not carried over.

        That matters where it is not known at the next order; at the order below, where all else
        is as exact as asked and that order should have shown it.
        """
        if _worst(errors) >= 1:
            return True
        others = np.where(self._unknown, 0.0, errors)
        return bool(np.any(self._unknown)) and not self._unresolved and self._good(others)

    def _good(self, errors: Array) -> bool:
        return self._enough(errors) and bool(np.all(errors <= self.request.accuracy))

    def _enough(self, errors: Array) -> bool:
        return self.request.above is not None or len(errors) >= self.request.count

    def _wariness(self, fine: Discretisation) -> float:
        """How much more steps count for where flat faces hide what curved elements would show.

        So they do where ribs end inside walls whose elements do not end along them: what they
        carry enters there all at once, and one step to the next order shows little of the error.
        """
        if self.design.has_received:
            return _WARY_OF_FACES
        if fine.plans not in self._wary:
            unfollowed = welds_unfollowed(self.design, fine.plans)
            self._wary[fine.plans] = _WARY_OF_RIB_ENDS if unfollowed else 1.0
        return self._wary[fine.plans]

    @property
    def _rough(self) -> bool:
        """Whether any member's section or direction changes along it."""
        return any(part.tapered or not part.path.straight for part in self.design.members)

    def _unknowns_of(self, fine: Discretisation) -> float:
        """About how many unknowns a level and the one its error is told from will have."""
        if self._last is None:
            return 0.0
        now = self._last.discretisation
        power = 2 if self.design.has_walls else 1
        ratio = fineness(replace(fine, order=fine.order + 1)) / fineness(now)
        return self._last.assembly.size * float(ratio**power)

    def _level(self, fine: Discretisation) -> Level:
        if fine not in self._levels:
            with numpy_threads(self._unknowns_of(fine) > _LARGE):
                self._levels[fine] = Level(
                    self.design, fine, self.progress, self._structures, self._last
                )
        self._last = self._levels[fine]
        return self._levels[fine]

    def _solution(self, fine: Discretisation) -> Solution:
        """What is known at a level: carried over from the nearest one, or solved for."""
        if fine in self._solutions:
            return self._solutions[fine]
        started = time.perf_counter()
        level = self._level(fine)
        source = self._nearest(fine)
        if source is None or not source.vectors.shape[1]:
            found = self._solved(level, None, proven=False)
        else:
            found = carried(source, level, self.request)
            # Modes that larger elements do not show lie in no combination of those they do.
            unseen = self._unresolved and source.level.discretisation.elements != fine.elements
            if unseen or not found.closed(self.request):
                found = self._solved(level, found, proven=False)
        self._solutions[fine] = found
        self._seconds = time.perf_counter() - started
        return found

    def _nearest(self, fine: Discretisation) -> Solution | None:
        """The solution that says most about a level: of the next order, else the last one found."""
        known = [each for each in self._solutions if each.elements == fine.elements]
        if known:
            return self._solutions[min(known, key=lambda each: abs(each.order - fine.order))]
        return next(reversed(self._solutions.values()), None)

    def _finer(self, tried: Discretisation) -> Discretisation:
        """Smaller elements where the errors at the last level are."""
        if self._rest:
            self._rest = False
            return tried.evened()
        highest = self._highest(tried.elements)
        below = (
            None if highest is None else self._solutions.get(highest.level.discretisation.lower())
        )
        if highest is None or below is None or below.lagging is not None:
            return tried.finer()
        errors = self._errors.get(tried.elements)
        if errors is None or len(errors) != len(below.frequencies) or _worst(errors) > _UNRESOLVED:
            # What is hardly shown there says nothing of where its error is.
            short = shortfalls(highest) if self._one_wall(tried) else np.zeros(0)
            if not np.any(short):
                return tried.finer()
            level = highest.level.discretisation
            return divided_where_short(level, short, _SHORT * self.request.accuracy)
        return divided_where_wrong(below, highest, errors > self.request.accuracy)

    def _one_wall(self, level: Discretisation) -> bool:
        """Whether a design is one wall, not divided yet, so that what is shown of it is of all.

        Of several, modes that are not shown may be those of another wall; and once divided where
        spectra said, what is still not shown is elsewhere.
        """
        parts = self.design.solid_parts
        alone = len(parts) == 1 and parts[0].is_wall and not self.design.has_received
        return alone and fineness(level) == level.order

    def _highest(self, elements: Elements) -> Solution | None:
        """The solution of the highest order on some elements."""
        known = [found for at, found in self._solutions.items() if at.elements == elements]
        return max(known, key=lambda found: found.level.discretisation.order, default=None)

    def _too_large(
        self, before: tuple[Discretisation, Array] | None, fine: Discretisation, errors: Array
    ) -> bool:
        """Whether elements are too large for a higher order on them to bring enough."""
        if _worst(errors) < 1:
            return _hopeless(before, fine, errors, self.request.accuracy)
        highest = self._highest(fine.elements)
        if len(self.design.solid_parts) > 1 and fineness(fine) == fine.order < _TELLING:
            return False  # of several walls all would be divided for the sake of one
        if highest is None or highest.lagging is not None or not self._one_wall(fine):
            return True
        return (
            usual_last(fine)
            or float(shortfalls(highest).max()) > _FAR_TOO_SHORT * self.request.accuracy
        )

    def _prove(self, fine: Discretisation) -> None:
        """Solve for the modes at a level to rounding, and count them; other levels follow it."""
        known = self._solutions.get(fine)
        if known is None or not known.proven:
            with numpy_threads(self._unknowns_of(fine) > _LARGE):
                known = self._solved(self._level(fine), known, proven=True)
        if not known.level.whirls:
            self._solutions.clear()
        self._solutions[fine] = known

    def _solve_anew(self, fine: Discretisation) -> None:
        known = self._solutions[fine]
        self._solutions.clear()
        with numpy_threads(self._unknowns_of(fine) > _LARGE):
            self._solutions[fine] = self._solved(known.level, known, proven=False)

    def _solved(self, level: Level, start: Solution | None, proven: bool) -> Solution:
        most = MOST_MODES if self._crowded else None
        found = solved(level, self.request, start, most, proven)
        self._solved_at.add(level.discretisation)
        # Where a mesh has many more motions than modes were found, finer ones have no more.
        if _RESOLVED * len(found.frequencies) <= level.system.stiffness.shape[0]:
            self._crowded = False
        return found

    def _forget(self, fine: Discretisation) -> None:
        """Drop levels that no later one is compared with, but for what the next is begun from."""

        def wanted(level: Discretisation) -> bool:
            return level.elements == fine.elements and level.order >= fine.order - 1

        self._levels = {at: level for at, level in self._levels.items() if wanted(at)}
        self._solutions = {at: found for at, found in self._solutions.items() if wanted(at)}
        self._structures = {at: kept for at, kept in self._structures.items() if wanted(at)}


def _stays_near(
    before: dict[int, Array],
    left: Array | None,
    level: Discretisation,
    errors: Array,
    accuracy: float,
) -> float:
    """What the largest error stays near where smaller elements of the same order bring nothing.

    Zero where they do.

    ``before`` holds the errors of each order on larger elements, and is kept up. Low orders are no
    judge of that: their errors swing with how waves fall on the elements. Nor are modes that a
    higher order on those elements showed well, by what was ``left``: elements were made smaller
    for the sake of others.
    """
    coarser = before.get(level.order)
    before[level.order] = errors
    if coarser is None or level.order < _JUDGE or len(coarser) != len(errors):
        return 0.0
    if left is not None and len(left) == len(errors):
        errors, coarser = errors[left > accuracy], coarser[left > accuracy]
    worst = _worst(errors)
    stays = _FAR_OFF * accuracy < worst < _UNRESOLVED and worst >= _STALLED * _worst(coarser)
    return worst if stays else 0.0


def _out_of_reach(accuracy: float, worst: float) -> NoModesError:
    return NoModesError(
        f"{accuracy * 100:g} % is out of reach: the largest error stays near {worst * 100:.2g} % "
        "however small the elements are. Something holds, loads or joins a wall at a single point, "
        "where it gives way the more the closer one looks; let it act along a length or over a "
        f"spot, ask for fewer modes, or for an accuracy of “{shortened(120 * worst)} %”"
    )


def _hopeless(
    before: tuple[Discretisation, Array] | None,
    level: Discretisation,
    errors: Array,
    accuracy: float,
) -> bool:
    """Whether a higher order on elements of this size would bring too little.

    From the order before to this one errors fell by a factor; the next brings at most somewhat
    more than it again, and beyond the usual orders must bring enough with no more than it.
    """
    if before is None or before[0].elements != level.elements:
        return usual_last(level)
    fell = min(_worst(errors) / _worst(before[1]), 1.0)
    return _worst(errors) * fell * (1.0 if usual_last(level) else _BETTER) > accuracy


def _worst(errors: Array) -> float:
    return float(errors.max(initial=0.0))
