"""Pulls: how far each mode moves for each percent of a knob."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.errors import UserError
from belltone.modes.modeset import ModeSet
from belltone.modes.pairing import pair
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.progress import Progress
from belltone.reading.evaluate import evaluate
from belltone.sheet.document import Sheet

__all__ = ["pulls"]

Array = NDArray[np.float64]

_STEP: Final = 0.005  # half a percent each way: far above rounding, small against any curvature


def pulls(
    sheet: Sheet, modes: ModeSet, request: ModeRequest, progress: Progress | None = None
) -> Mapping[str, Array]:
    """Return, by knob, the percent each flexible mode moves per percent of the knob.

    Central differences at the discretisation of ``modes``, modes matched by shape. A knob at
    zero, one computed from others, or one that cannot move both ways is left out.
    """
    progress = progress or Progress()
    result: dict[str, Array] = {}
    for name, knob in evaluate(sheet).knobs.items():
        if not knob.literal or knob.value == 0:
            continue
        moved: list[Array] = []
        for factor in (1 - _STEP, 1 + _STEP):
            progress.check()
            try:
                design = evaluate(sheet, {name: knob.exact_text(knob.value * factor)})
                found = solve_modes(design, request, modes.discretisation, progress)
            except UserError:
                break
            partners, _ = pair(modes, found)
            there = found.flexible[np.maximum(partners, 0)]
            moved.append(np.where(partners >= 0, there, np.nan))
        if len(moved) == 2:
            result[name] = np.asarray((moved[1] - moved[0]) / modes.flexible / (2 * _STEP))
    return result
