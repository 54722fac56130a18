"""Reach with several knobs: the least change of all that brings a mode to a frequency."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from belltone.design.values import ModeName, TargetValue
from belltone.modes.kinds import kind_family
from belltone.modes.pairing import pair
from belltone.modes.solve import request_for, solve_modes
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore
from belltone.tune.clearing import Cleared, search_for
from belltone.tune.demands import Demands, named_mode
from belltone.tune.reach import ReachError
from belltone.tune.search import Aim

__all__ = ["OTHER_SHAPE", "Together", "reach_together"]

OTHER_SHAPE: Final = "It does what the mode did, but its shape is another; compare both."
"""What is told where the shape the mode had has become another mode."""


_EQUAL: Final = 1e-4  # relative; frequencies nearer than this are one


@dataclass(frozen=True, eq=False)
class Together:
    """What the search came to, and where the mode stands in the best of it (Hz).

    On the way it is known by what it does; whether it still has its ``own_shape`` there, or the
    shape it had has become another mode, is told by comparing both.
    """

    cleared: Cleared
    frequency: float
    own_shape: bool


def reach_together(
    sheet: Sheet,
    number: int,
    target: float,
    names: Sequence[str],
    tolerance: float | None = None,
    store: ResultStore | None = None,
    progress: Progress | None = None,
) -> Together:
    """Bring flexible mode ``number`` to ``target`` (Hz) within ``tolerance`` (Hz; 0.01 % if none).

    The mode is known again by what it does: its kind, and which of that kind it is. Where nothing
    reaches the target, the best of what is given is the nearest, and it is said what stops it.
    Raises as `clear`.
    """
    if not target > 0:
        raise ReachError("the target must be a frequency above 0 Hz")
    within = 1e-4 * target if tolerance is None else tolerance
    if not within > 0:
        raise ReachError("the tolerance must be a frequency above 0 Hz")
    design = evaluate(sheet)
    modes = solve_modes(design, request_for(design), progress=progress)
    count = len(modes.flexible)
    if not 1 <= number <= count:
        raise ReachError(f"there is no mode {number}; there are modes 1 to {count}")
    kinds = modes.kinds[modes.rigid_count :]
    kind = kind_family(kinds[number - 1])
    name = ModeName(kind, sum(each.startswith(kind) for each in kinds[:number]))
    wanted = TargetValue(f"mode {number}", name, target, 1.0, None, within, 0.0)
    demands = Demands((), 0.0, (wanted,))
    found = search_for(sheet, names, demands, Aim.CHANGE, store=store, progress=progress)
    place = named_mode(name, found.best.modes)
    if place is None:
        return Together(found, float("nan"), own_shape=False)
    stands = found.best.modes.flexible
    (partner,), _ = pair(found.present.modes, found.best.modes, [number - 1])
    # One of a pair has the shape of either.
    own = partner >= 0 and abs(stands[partner] / stands[place] - 1) < _EQUAL
    return Together(found, float(stands[place]), own_shape=bool(own))
