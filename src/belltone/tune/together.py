"""Reach with several knobs: the least change of all that brings modes to where they are wanted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from belltone.design.values import ModeName, TargetValue
from belltone.modes.kinds import kind_family
from belltone.modes.solve import request_for, solve_modes
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore
from belltone.tune.clearing import search_for
from belltone.tune.demands import Demands
from belltone.tune.proposals import Cleared
from belltone.tune.reach import ReachError
from belltone.tune.search import Aim

__all__ = ["Stands", "Together", "reach_together", "wanted_at", "wanted_times"]

_WITHIN = 1e-4  # of a target, where nothing is said of how near is near enough


@dataclass(frozen=True)
class Stands:
    """Where a mode that was ``asked`` for by its number stands in the end.

    ``number`` is the one it has there, ``None`` where it is not found; ``frequency`` in Hz. ``was``
    and ``kind`` are what it did and does.
    """

    asked: int
    number: int | None
    frequency: float
    was: str
    kind: str

    @property
    def words(self) -> str:
        """What is to be said of it besides its frequency, if anything."""
        if self.number is None:
            return "not found"
        number = "" if self.number == self.asked else f"as mode {self.number}"
        kind = "" if kind_family(self.kind) == kind_family(self.was) else f"now {self.kind}"
        return ", ".join(each for each in (number, kind) if each)


@dataclass(frozen=True, eq=False)
class Together:
    """What the search came to, and where the modes asked for stand in the best of it."""

    cleared: Cleared
    stands: tuple[Stands, ...]


def wanted_at(
    number: int, frequency: float, within: float | None = None, apart: float = 0.0
) -> TargetValue:
    """Flexible mode ``number`` at a ``frequency`` within so much (Hz; 0.01 % if none).

    All other modes keep ``apart`` (a share) from there. Raises `ReachError`.
    """
    if not frequency > 0:
        raise ReachError("the target must be a frequency above 0 Hz")
    within = _WITHIN * frequency if within is None else within
    if not within > 0:
        raise ReachError("the tolerance must be a frequency above 0 Hz")
    name = f"mode {number}"
    return TargetValue(name, ModeName("", number), frequency, 1.0, None, within, apart)


def wanted_times(
    number: int, times: float, of: int, within: float | None = None, apart: float = 0.0
) -> TargetValue:
    """Flexible mode ``number`` at so many times the frequency of another, within a share of it.

    Raises `ReachError`.
    """
    if not times > 0:
        raise ReachError("the ratio must be above 0")
    if of == number:
        raise ReachError(f"mode {number} cannot be tuned to a ratio to itself")
    within = _WITHIN if within is None else within
    if not within > 0:
        raise ReachError("the tolerance must be a share above 0")
    name = f"mode {number}"
    return TargetValue(name, ModeName("", number), None, times, ModeName("", of), within, apart)


def reach_together(
    sheet: Sheet,
    targets: Sequence[TargetValue],
    names: Sequence[str],
    store: ResultStore | None = None,
    progress: Progress | None = None,
) -> Together:
    """Bring flexible modes to where they are wanted (`wanted_at`, `wanted_times`) by some knobs.

    The modes are those the present design has by these numbers, followed by their shapes. Where
    nothing reaches all targets, the best of what is given is the nearest, and it is said what stops
    it. Raises as `clear`.
    """
    numbers = list(dict.fromkeys(mode.place for each in targets for mode in _modes(each)))
    if len({each.mode for each in targets}) < len(targets):
        raise ReachError("each mode can have one target; name others")
    design = evaluate(sheet)
    if design.above is not None:
        listed = solve_modes(design, request_for(design), progress=progress)
        first, last = listed.skipped + 1, listed.skipped + len(listed.flexible)
        for number in numbers:
            if not first <= number <= last:
                raise ReachError(f"there is no mode {number}; there are modes {first} to {last}")
    demands = Demands((), 0.0, tuple(targets))
    found = search_for(
        sheet, names, demands, Aim.CHANGE, store=store, progress=progress, numbers=numbers
    )
    best, present = found.best, found.present.modes
    stands = []
    for number, at in zip(numbers, best.stands, strict=True):
        was = present.kinds[present.rigid_count + number - 1]
        if at < 0:
            stands.append(Stands(number, None, float("nan"), was, ""))
            continue
        kind = best.modes.kinds[best.modes.rigid_count + at]
        stands.append(Stands(number, at + 1, float(best.modes.flexible[at]), was, kind))
    return Together(found, tuple(stands))


def _modes(target: TargetValue) -> tuple[ModeName, ...]:
    return (target.mode,) if target.of is None else (target.mode, target.of)
