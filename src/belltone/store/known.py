"""Modes read from the store where they are known, else solved and kept there."""

from __future__ import annotations

from collections.abc import Mapping

from belltone.modes.modeset import ModeSet
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet
from belltone.store.results import ResultStore, result_key

__all__ = ["known_or_solved"]


def known_or_solved(
    sheet: Sheet,
    settings: Mapping[str, str],
    request: ModeRequest,
    store: ResultStore,
    progress: Progress,
) -> ModeSet:
    """The modes of a sheet with knobs set; raises what `solve_modes` raises."""
    key = result_key(sheet, settings, request, None)
    found = store.get(key)
    if found is None:
        found = solve_modes(evaluate(sheet, settings), request, progress=progress)
        store.put(key, found)
    return found
