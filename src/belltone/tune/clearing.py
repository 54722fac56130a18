"""Clear: the least change, the least mass or the widest margin that meets all demands of a sheet.

Looked for on models of the knobs, and solved to the sheet's accuracy before it is called clear.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Final

from belltone.design.values import KnobValue
from belltone.errors import UserError
from belltone.progress import Progress
from belltone.reading.family import DesignFamily, evaluate
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path
from belltone.store.results import ResultStore
from belltone.sweep.plan import PlanError
from belltone.system.threads import numpy_threads
from belltone.tune.conditions import Condition, ConditionError
from belltone.tune.demands import Demands, demands_of
from belltone.tune.knob_search import KnobSearch
from belltone.tune.proposals import Cleared, rank
from belltone.tune.search import Aim
from belltone.tune.space import Counted, Space, ranged

__all__ = ["CONDITIONS", "clear", "search_for"]

CONDITIONS: Final = {
    "mass": "kg",
    "stress": "MPa",
    "displacement": "mm",
    "buckling": "",
}
"""What conditions may be on, with the units of bare numbers."""

_MOST_COUNTS: Final = 24  # numbers of things, each a search of its own
_BOUND: Final = 5e-3  # of the models: what they propose is solved, and taken in


def clear(
    sheet: Sheet,
    names: Sequence[str],
    aim: Aim = Aim.CHANGE,
    conditions: Sequence[Condition] = (),
    spared: Sequence[str] = (),
    bound: float = _BOUND,
    store: ResultStore | None = None,
    progress: Progress | None = None,
    seed: int = 0,
    margins: Sequence[float] = (),
    margin: float | None = None,
) -> Cleared:
    """Find the best design that meets all demands of a sheet, by some of its knobs.

    No mode in a band or its margin but those whose kind begins with one of ``spared``, every
    target met, every condition kept (of `CONDITIONS`). Designs on the way are shown to
    ``progress`` as `Tried`. With a ``margin`` that is asked for instead of the
    sheet's; with ``margins`` it is told what each would cost. Raises `PlanError`,
    `ConditionError`, ``NoModesError`` where the present design has no answer, and ``Cancelled``.
    """
    design = evaluate(sheet)
    demands = demands_of(design, conditions, spared)
    if margin is not None:
        demands = demands.with_margin(margin)
    for condition in conditions:
        if condition.name not in CONDITIONS or not isinstance(condition.bound, float):
            known = ", ".join(CONDITIONS)
            raise ConditionError(f"“{condition.words}”: conditions may be on {known}")
        if condition.name != "mass" and design.preload is None:
            raise ConditionError(f"“{condition.words}”: nothing loads this sheet")
    if not design.bands and not design.targets:
        raise ConditionError(
            "the sheet states neither bands nor targets, so nothing is asked of its modes"
        )
    return search_for(sheet, names, demands, aim, bound, store, progress, seed, margins)


def search_for(
    sheet: Sheet,
    names: Sequence[str],
    demands: Demands,
    aim: Aim,
    bound: float = _BOUND,
    store: ResultStore | None = None,
    progress: Progress | None = None,
    seed: int = 0,
    margins: Sequence[float] = (),
    numbers: Sequence[int] = (),
) -> Cleared:
    """The same for any demands, whatever the sheet states.

    With ``numbers`` of flexible modes, from 1, targets name those of the present design, and they
    are followed by their shapes.
    """
    family = DesignFamily(sheet)
    design = family.at()
    knobs = ranged(design, names)
    counts = [knob for knob in knobs if family.counts(knob.name)]
    if counts and numbers:
        raise PlanError(
            f"“{counts[0].name}” is a number of things: with another one there is nothing by which "
            "to know a mode's shape again. Reach it by other knobs"
        )
    free = tuple(knob for knob in knobs if knob not in counts)
    progress = progress or Progress()
    runs: list[Cleared] = []
    failed: list[str] = []
    with numpy_threads(many=False):
        for counted in _combinations(counts):
            space = Space(free, counted)
            nearest = 0.0, space.change(space.start)
            found = [rank(each.best, aim) for each in runs]
            if aim is Aim.CHANGE and not margins and found and min(found) <= nearest:
                break  # the others are farther off, whatever the rest of the knobs do
            own: dict[Path, str] = {
                ("knobs", each.knob.name, "value"): each.knob.exact_text(each.value)
                for each in counted
            }
            here = sheet.with_values(own) if runs else sheet  # as typed, where it is the present
            parts = (demands, aim, bound, store, _told(progress, space), seed, numbers)
            try:
                runs.append(KnobSearch(here, evaluate(here), space, *parts).done(margins))
            except UserError as error:
                if not runs:
                    raise
                failed.append(f"with {space.counted_words} there is no answer: {error}")
    return runs[0] if len(runs) == 1 and not failed else _merged(runs, failed)


def _told(progress: Progress, space: Space) -> Progress:
    """Progress that says of which numbers of things it is."""
    if progress.listener is None or not space.counted:
        return progress
    listener = progress.listener
    words = space.counted_words
    return replace(
        progress, listener=lambda done, total, text: listener(done, total, f"{words}: {text}")
    )


def _combinations(counts: Sequence[KnobValue]) -> list[tuple[Counted, ...]]:
    """All choices of numbers of things within their ranges, the present one first."""
    choices = [_numbers(knob) for knob in counts]
    many = math.prod(map(len, choices))
    if many > _MOST_COUNTS:
        names = " and ".join(f"“{knob.name}”" for knob in counts)
        raise PlanError(
            f"{names} can be {many} numbers of things, each a search of its own; narrow “from” and "
            f"“to” to {_MOST_COUNTS} at most, or leave one out"
        )
    return sorted(
        itertools.product(*choices), key=lambda each: math.hypot(*(own.share for own in each))
    )


def _numbers(knob: KnobValue) -> list[Counted]:
    """The whole numbers a knob can be."""
    low, high = knob.range
    allowed = knob.allowed() or range(math.ceil(low - 1e-9), math.floor(high + 1e-9) + 1)
    numbers = {float(each) for each in allowed if float(each).is_integer()} | {knob.value}
    return [Counted(knob, each, (each - knob.value) / (high - low)) for each in sorted(numbers)]


def _merged(runs: Sequence[Cleared], failed: Sequence[str]) -> Cleared:
    """What searches for several numbers of things came to, as one."""
    first = runs[0]
    best = min(runs, key=lambda each: rank(each.best, first.aim))
    proposals = sorted(
        (each for run in runs for each in run.proposals), key=lambda each: rank(each, first.aim)
    )
    trade = [
        (own[0][0], min((cost for _, cost in own if cost is not None), default=None))
        for own in zip(*(run.trade for run in runs if run.trade), strict=False)
    ]
    return replace(
        first,
        proposals=tuple(proposals),
        binding=(*best.binding, *failed),
        trade=tuple(trade),
        solutions=sum(run.solutions for run in runs),
    )
