"""A sweep read off the model of a knob, with nothing solved for it."""

from __future__ import annotations

from typing import Final

import numpy as np

from belltone.design.values import Design
from belltone.modes.failure import PointFailure
from belltone.modes.modeset import Spectrum
from belltone.progress import Progress
from belltone.reduce.model import Line
from belltone.sheet.document import Sheet
from belltone.sweep.branches import follow, poor_steps
from belltone.sweep.runner import Sweep, is_wanted

__all__ = ["modelled_sweep"]

_VALUES: Final = 49
_HALVINGS: Final = 4


def modelled_sweep(
    sheet: Sheet, design: Design, line: Line, progress: Progress | None = None
) -> Sweep:
    """The branches of a knob over the values a model knows of it; the others have no answer."""
    progress = progress or Progress()
    knob = design.knobs[line.knob]
    failures: dict[float, PointFailure] = {}
    sets: dict[float, Spectrum | None] = {}

    def read(value: float) -> None:
        progress.check()
        found = line.at(value * knob.scale)
        sets[value] = None
        if isinstance(found, PointFailure):
            failures[value] = found
        elif found is not None:
            sets[value] = found

    low, high = line.low / knob.scale, line.high / knob.scale
    for value in np.linspace(low, high, _VALUES):
        read(float(value))
    for _ in range(_HALVINGS):
        values = sorted(sets)
        poor = poor_steps(values, [sets[value] for value in values])
        if not poor:
            break
        for index in poor:
            read(0.5 * (values[index] + values[index + 1]))
    values = sorted(sets)
    known = tuple(sets[value] for value in values)
    branches = (
        follow(values, known, knob.value) if any(found is not None for found in known) else ()
    )
    wanted = [branch for branch in branches if is_wanted(branch, known, design)]
    return Sweep(
        sheet=sheet,
        knob=knob,
        values=np.array(values),
        asked=np.zeros(len(values), bool),
        exact=np.zeros(len(values), bool),
        sets=known,
        failures=failures,
        branches=tuple(sorted(wanted, key=lambda branch: float(np.nanmin(branch.frequencies)))),
        request=line.model.request,
        discretisation=line.model.discretisation,
        solutions=line.model.solutions,
    )
