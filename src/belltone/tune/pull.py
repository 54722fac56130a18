"""Pulls: how far each mode, the mass and the buckling load move for each percent of a knob."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from belltone.errors import UserError
from belltone.modes.mass_properties import mass_properties
from belltone.modes.slopes import hair, slopes
from belltone.modes.solution import Solution
from belltone.progress import Progress
from belltone.reading.evaluate import evaluate
from belltone.sheet.document import Sheet

__all__ = ["Pull", "pulls"]

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Pull:
    """What a percent more of a knob does, in percent: to frequencies, mass, buckling factors."""

    frequencies: Array
    mass: float
    factors: Array


def pulls(
    sheet: Sheet,
    solution: Solution,
    settings: Mapping[str, str] | None = None,
    progress: Progress | None = None,
) -> Mapping[str, Pull]:
    """Return the pull of every knob.

    ``solution`` is that of the sheet with the ``settings``; nothing is solved again. A knob at
    zero, one computed from others, or one that cannot move both ways is left out.
    """
    progress = progress or Progress()
    chosen = dict(settings or {})
    result: dict[str, Pull] = {}
    design = solution.level.design
    step = hair(design)
    mass = mass_properties(design).mass
    buckling = solution.level.buckling
    factors = np.empty(0) if buckling is None else buckling.factors
    for name, knob in design.knobs.items():
        if not knob.literal or knob.value == 0:
            continue
        progress.check()
        try:
            sides = [
                evaluate(sheet, {**chosen, name: knob.exact_text(knob.value * (1 + side))})
                for side in (-step, step)
            ]
            found = slopes(solution, sides[0], sides[1], 2 * step, progress)
        except UserError:
            continue
        result[name] = Pull(
            np.asarray(found.frequencies / solution.frequencies),
            found.mass / mass if mass else 0.0,
            np.asarray(found.factors / factors),
        )
    return result
