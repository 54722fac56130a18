"""Pulls: how far each mode, the mass and the buckling load move for each percent of a knob."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from belltone.errors import UserError
from belltone.modes.mass_properties import mass_properties
from belltone.modes.slopes import slopes_of_knob
from belltone.modes.solution import Solution
from belltone.progress import Progress
from belltone.reading.family import DesignFamily
from belltone.sheet.document import Sheet
from belltone.sheet.expressions import ExpressionError

__all__ = ["Pull", "pulls"]

Array = NDArray[np.float64]

_ASKED: Final = ("excitation", "modes", "accuracy")
"""What of a sheet says which modes are wanted, and where they must not stand."""


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
    family = DesignFamily(sheet, settings)
    result: dict[str, Pull] = {}
    design = solution.level.design
    mass = mass_properties(design).mass
    buckling = solution.level.buckling
    factors = np.empty(0) if buckling is None else buckling.factors
    for name, knob in design.knobs.items():
        if not knob.literal or knob.base == 0:
            continue
        progress.check()
        if not _moves_modes(family, name):
            nothing = np.zeros(len(solution.frequencies))
            result[name] = Pull(nothing, 0.0, np.zeros(len(factors)))
            continue
        try:
            found = slopes_of_knob(family, {}, name, solution, progress)
        except UserError:
            continue
        result[name] = Pull(
            np.asarray(knob.base * found.frequencies / solution.frequencies),
            knob.base * found.mass / mass if mass else 0.0,
            np.asarray(knob.base * found.factors / factors),
        )
    return result


def _moves_modes(family: DesignFamily, knob: str) -> bool:
    """Whether any value changes with a knob that decides modes, and not only what is asked."""
    try:
        return any(path[0] not in _ASKED for path in family.slopes(knob))
    except ExpressionError:  # it has a value here but no slope
        return True
