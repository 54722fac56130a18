"""What a worker process does: one sheet, knobs set, one mode set back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from belltone.errors import UserError
from belltone.mesh.discretisation import Discretisation
from belltone.modes.failure import PointFailure, failure_of
from belltone.modes.modeset import ModeSet
from belltone.modes.slopes import slopes_of_knob
from belltone.modes.solution import Solution
from belltone.modes.solve import ModeRequest, Solved, choose_discretisation, solve
from belltone.reading.family import DesignFamily
from belltone.sheet.document import Sheet

__all__ = [
    "PointWithSlopes",
    "choose_at",
    "solve_point",
    "solve_with_slopes",
]

_LAST: dict[tuple[str, Discretisation], Solution] = {}
"""The point this process solved last."""


def solve_point(
    text: str,
    turned: Mapping[str, float],
    request: ModeRequest,
    discretisation: Discretisation | None,
    folder: Path | None = None,
    told: bool = False,
) -> ModeSet | PointFailure:
    """Solve a sheet with knobs turned to numbers in base units, or say why it has no answer.

    Without a discretisation one is found by the accuracy asked for. Errors are no numbers where
    they are not to be ``told`` at one given. A process begins from the point it
    solved before, which is never far.
    """
    near = None if discretisation is None else _LAST.get((text, discretisation))
    try:
        design = _family(text, folder).at(turned)
        found = solve(design, request, discretisation, told=told, near=near)
    except UserError as error:
        return failure_of(error)
    _remember(text, found)
    return found.modes


@dataclass(frozen=True)
class PointWithSlopes:
    """A point solved: its modes, and how fast each flexible frequency (Hz) moves with a knob.

    Slopes are for a base unit of the knob, and no numbers where it cannot move both ways.
    """

    modes: ModeSet
    slopes: NDArray[np.float64]


def solve_with_slopes(
    text: str,
    turned: Mapping[str, float],
    knob: str,
    request: ModeRequest,
    discretisation: Discretisation | None = None,
    folder: Path | None = None,
    told: bool = True,
) -> PointWithSlopes | PointFailure:
    """The same as `solve_point`, with slopes; with no discretisation given, one by accuracy."""
    family = _family(text, folder)
    near = None if discretisation is None else _LAST.get((text, discretisation))
    try:
        found = solve(family.at(turned), request, discretisation, told=told, near=near)
    except UserError as error:
        return failure_of(error)
    _remember(text, found)
    try:
        slopes = slopes_of_knob(family, turned, knob, found.solution).frequencies
    except UserError:
        slopes = np.full(len(found.modes.flexible), np.nan)
    return PointWithSlopes(found.modes, slopes)


def _remember(text: str, found: Solved) -> None:
    _LAST.clear()
    _LAST[text, found.modes.discretisation] = found.solution


def choose_at(
    text: str, turned: Mapping[str, float], request: ModeRequest, folder: Path | None = None
) -> Discretisation | PointFailure:
    """The discretisation a point needs, or why it has no answer."""
    try:
        return choose_discretisation(_family(text, folder).at(turned), request)
    except UserError as error:
        return failure_of(error)


@lru_cache(maxsize=4)
def _family(text: str, folder: Path | None) -> DesignFamily:
    return DesignFamily(Sheet.from_text(text, folder))
