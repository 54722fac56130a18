"""What a worker process does: one sheet, knobs set, one mode set back."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

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
from belltone.sweep.stopping import here

__all__ = [
    "PointWithSlopes",
    "Turned",
    "choose_at",
    "solve_onward",
    "solve_point",
    "solve_with_slopes",
]

Array = NDArray[np.float64]
Turned = Mapping[str, float]
"""Numbers knobs are turned to, in base units."""

_LAST: dict[tuple[str, Discretisation], Solution] = {}
"""The point this process solved last, for a search that goes from one to the next."""
_LIKE: dict[tuple[Any, ...], Solution | None] = {}
"""The point others are begun from, as this process solved it."""


def solve_point(
    text: str,
    turned: Turned,
    request: ModeRequest,
    discretisation: Discretisation | None,
    folder: Path | None = None,
    told: bool = False,
    like: Turned | None = None,
) -> ModeSet | PointFailure:
    """Solve a sheet with knobs turned to numbers in base units, or say why it has no answer.

    Without a discretisation one is found by the accuracy asked for. Errors are no numbers where
    they are not to be ``told`` at one given. Modes are begun from those of a design ``like`` it,
    which each process solves once: so every digit is the same, whoever solves what.
    """
    parts = (text, folder, request, discretisation)
    near = None
    if like is not None and discretisation is not None and like != turned:
        near = _solved_like(like, *parts)
    try:
        design = _family(text, folder).at(turned)
        found = solve(design, request, discretisation, here(), told, near)
    except UserError as error:
        return failure_of(error)
    if like == turned:
        _LIKE.clear()
        _LIKE[*parts, *sorted(turned.items())] = found.solution
    return found.modes


def solve_onward(
    text: str,
    turned: Turned,
    request: ModeRequest,
    discretisation: Discretisation | None,
    folder: Path | None = None,
    told: bool = False,
    begun: Array | None = None,
) -> tuple[ModeSet | PointFailure, Array | None]:
    """As `solve_point`, of a large deflection ``begun`` from the state of another point.

    Returns its own state, too, for others to begin from.
    """
    try:
        design = _family(text, folder).at(turned)
        found = solve(design, request, discretisation, here(), told, begun=begun)
    except UserError as error:
        return failure_of(error), None
    state = found.solution.level.state
    return found.modes, None if state is None else state.onward


def _solved_like(
    turned: Turned,
    text: str,
    folder: Path | None,
    request: ModeRequest,
    discretisation: Discretisation | None,
) -> Solution | None:
    name = (text, folder, request, discretisation, *sorted(turned.items()))
    known = _LIKE.copy()  # a worker of a cluster may have several threads
    if name in known:
        return known[name]
    found = None
    with contextlib.suppress(UserError):
        design = _family(text, folder).at(turned)
        found = solve(design, request, discretisation, here(), False).solution
    _LIKE.clear()
    _LIKE[name] = found
    return found


@dataclass(frozen=True)
class PointWithSlopes:
    """A point solved: its modes, and how fast each flexible frequency (Hz) moves with a knob.

    Slopes are for a base unit of the knob, and no numbers where it cannot move both ways.
    """

    modes: ModeSet
    slopes: NDArray[np.float64]


def solve_with_slopes(
    text: str,
    turned: Turned,
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
        found = solve(family.at(turned), request, discretisation, here(), told, near)
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
    text: str, turned: Turned, request: ModeRequest, folder: Path | None = None
) -> Discretisation | PointFailure:
    """The discretisation a point needs, or why it has no answer."""
    try:
        return choose_discretisation(_family(text, folder).at(turned), request, here())
    except UserError as error:
        return failure_of(error)


@lru_cache(maxsize=4)
def _family(text: str, folder: Path | None) -> DesignFamily:
    return DesignFamily(Sheet.from_text(text, folder))
