"""One discretisation for many designs."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from concurrent.futures import Executor

from belltone.errors import UserError
from belltone.mesh.discretisation import Discretisation, fine_enough
from belltone.modes.failure import PointFailure
from belltone.modes.level import planned
from belltone.modes.request import ModeRequest
from belltone.progress import Progress
from belltone.reading.family import DesignFamily
from belltone.sheet.document import Sheet
from belltone.sweep.pool import SweepError, results_of
from belltone.sweep.work import Turned, choose_at

__all__ = ["chosen_at", "one_for_all"]


def chosen_at(
    sheet: Sheet,
    places: Sequence[Turned],
    request: ModeRequest,
    workers: Executor,
    progress: Progress,
) -> tuple[list[Discretisation], str]:
    """The discretisations some designs need, and why one of them has none."""
    found = results_of(
        [workers.submit(choose_at, sheet.text, turned, request, sheet.folder) for turned in places],
        progress,
    )
    failures = [each for each in found if isinstance(each, PointFailure)]
    chosen = [each for each in found if not isinstance(each, PointFailure)]
    return chosen, failures[0].detail if failures else ""


def one_for_all(
    sheet: Sheet,
    ends: Sequence[Turned],
    middle: Turned,
    request: ModeRequest,
    workers: Executor,
    progress: Progress,
) -> Discretisation:
    """One discretisation for designs of a sheet, fine enough for those at the ends.

    Surfaces are cut as in the middle; whether it will do there is told by the error found. Raises
    `SweepError` where none of them has an answer.
    """
    chosen, reason = chosen_at(sheet, ends, request, workers, progress)
    if len(chosen) < len(ends):
        more, _ = chosen_at(sheet, [middle], request, workers, progress)
        chosen += more
    if not chosen:
        raise SweepError(f"the sweep has no answer at its ends or its middle: {reason}")
    with contextlib.suppress(UserError):
        cut = planned(DesignFamily(sheet).at(middle), Discretisation(1, 1))
        chosen.insert(len(chosen) // 2, cut)
    return fine_enough(chosen)
