"""What else moves a mode: numbers of a sheet that are not knobs yet, by how strongly they pull."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from belltone.errors import UserError
from belltone.modes.mass_properties import mass_properties
from belltone.modes.slopes import slopes
from belltone.modes.solution import Solution
from belltone.progress import Progress
from belltone.reading.family import DesignFamily
from belltone.sheet.document import Sheet
from belltone.sheet.errors import Path, SheetError
from belltone.sheet.expressions import ExpressionError, parse
from belltone.tune.pull import Pull

__all__ = ["Other", "others"]

_ASKED: Final = ("knobs", "excitation", "targets", "modes", "accuracy")
_HAIR: Final = 1e-6  # of a number, to both sides
_LOADED_HAIR: Final = 1e-5


@dataclass(frozen=True)
class Other:
    """A number of the sheet: where it stands, how it is written, and its pull as of a knob."""

    path: Path
    text: str
    pull: Pull


def others(sheet: Sheet, solution: Solution, progress: Progress | None = None) -> tuple[Other, ...]:
    """The pull of every number of a sheet that could be a knob.

    ``solution`` is that of the sheet; nothing is solved again. Numbers that are zero, that cannot
    move both ways (a count, or an end that must meet another), or move no mode are left out.
    """
    progress = progress or Progress()
    found: list[Other] = []
    numbers = list(_numbers(sheet))
    design = solution.level.design
    mass = mass_properties(design).mass
    hair = _HAIR if design.preload is None else _LOADED_HAIR
    for done, (path, text) in enumerate(numbers):
        progress.report(done, len(numbers), "what else moves it")
        name = "number_of_the_sheet"
        values: dict[Path, Any] = {("knobs", name, "value"): text, path: name}
        try:
            family = DesignFamily(sheet.with_values(values))
            base = family.at().knobs[name].base
            step = hair * abs(base)
            below, above = (family.at({name: base + side}) for side in (-step, step))
            moved = slopes(solution, below, above, 2 * step, progress)
        except (UserError, SheetError):
            continue
        share = np.asarray(base * moved.frequencies / solution.frequencies)
        if np.abs(share).max(initial=0.0) > _HAIR:
            more = base * moved.mass / mass if mass else 0.0
            found.append(Other(path, text, Pull(share, more, np.empty(0))))
    return tuple(found)


def _numbers(sheet: Sheet) -> Iterator[tuple[Path, str]]:
    """Numbers with their places, that are stated as such."""
    for path, (text, _) in sheet.values.items():
        if path[0] in _ASKED:
            continue
        try:
            literal = parse(text).literal
        except ExpressionError:
            continue
        if literal is not None and literal[0] != 0:
            yield path, text
