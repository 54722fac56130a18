"""The modes of a design, to the accuracy asked for."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.errors import UserError
from belltone.mesh.discretisation import Discretisation
from belltone.modes.climb import Climb, Solved
from belltone.modes.errors import NoModesError
from belltone.modes.level import planned
from belltone.modes.modeset import ModeSet
from belltone.modes.request import ModeRequest
from belltone.modes.solution import Solution
from belltone.progress import Progress

__all__ = [
    "ModeRequest",
    "NoModesError",
    "Solved",
    "choose_discretisation",
    "request_for",
    "solve",
    "solve_modes",
]

Array = NDArray[np.float64]


def request_for(design: Design, extra: int = 0) -> ModeRequest:
    """What the sheet asks for: its count, and everything up to the highest excitation."""
    if design.above is not None:
        return ModeRequest(design.count + extra, design.up_to, design.accuracy, design.above)
    limits = [limit for limit in (design.up_to, design.highest_excitation) if limit is not None]
    return ModeRequest(design.count + extra, max(limits, default=None), design.accuracy)


def choose_discretisation(
    design: Design, request: ModeRequest, progress: Progress | None = None
) -> Discretisation:
    """Return the smallest discretisation tried whose error estimates all meet the accuracy.

    Where the sheet states divisions and order, those.
    """
    if design.fixed is not None:
        return planned(design, Discretisation(*design.fixed))
    return Climb(design, request, progress or Progress()).to_accuracy(proven=False)[0]


def solve_modes(
    design: Design,
    request: ModeRequest,
    discretisation: Discretisation | None = None,
    progress: Progress | None = None,
) -> ModeSet:
    """The modes asked for, as `solve` finds them."""
    return solve(design, request, discretisation, progress).modes


def solve(
    design: Design,
    request: ModeRequest,
    discretisation: Discretisation | None = None,
    progress: Progress | None = None,
    told: bool = True,
    near: Solution | None = None,
    like: Solution | None = None,
    begun: Array | None = None,
) -> Solved:
    """Solve for the modes asked for; with no discretisation given, the sheet's or one by accuracy.

    Each frequency comes with an estimate of its own relative error, which is no number where it
    is not to be ``told`` at a given discretisation. ``near`` is a solution there of a design
    like this one, to begin from, ``begun`` the loaded state of one alone
    (`Equilibrium.onward`). ``like`` is one of a design that may be like it, whose
    discretisation is tried before any other. Raises `NoModesError` when the accuracy is out of
    reach, ``JointError`` where a joint finds nothing to join, ``ValueError`` for a member's
    order below 3, and ``Cancelled`` when ``progress`` says stop.
    """
    progress = progress or Progress()
    if discretisation is None and design.fixed is not None:
        discretisation = Discretisation(*design.fixed)
    if discretisation is None:
        found = None if like is None else _as_before(design, request, like, progress)
        return Climb(design, request, progress).solved() if found is None else found
    used = planned(design, discretisation)
    if used.order < 3 and not design.has_walls:
        raise ValueError(f"order {used.order} has no two lower orders to compare with")
    return Climb(design, request, progress).at(used, told, near, begun)


def _as_before(
    design: Design, request: ModeRequest, like: Solution, progress: Progress
) -> Solved | None:
    """The modes at the discretisation that did for a design like it, where it does for this one."""
    before = like.level.design
    parts = [[(part.name, type(part)) for part in each.parts] for each in (before, design)]
    if parts[0] != parts[1] or before.fixed is not None or like.level.whirls:
        return None
    try:
        used = planned(design, like.level.discretisation)
        if used != like.level.discretisation:
            return None
        found = Climb(design, request, progress).at(used, near=like)
    except UserError:
        return None  # it may have an answer elsewhere, or says why not in better words
    enough = len(found.modes.flexible) >= request.count or request.above is not None
    return found if enough and np.all(found.modes.errors <= request.accuracy) else None
