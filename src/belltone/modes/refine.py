"""Refine and compare: every frequency on two discretisations, side by side."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from belltone.design.values import Design
from belltone.modes.modeset import ModeSet
from belltone.modes.pairing import pair
from belltone.modes.solve import ModeRequest, solve_modes
from belltone.progress import Progress

__all__ = ["Refinement", "refine"]

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Refinement:
    """Modes as they are solved, and on twice the divisions.

    ``partners`` gives for each flexible mode its place among the finer ones (-1: not found there),
    ``changes`` the relative change of its frequency (NaN likewise).
    """

    modes: ModeSet
    finer: ModeSet
    partners: tuple[int, ...]
    changes: Array

    @property
    def within_estimates(self) -> bool:
        """Whether every change is within the error stated for that frequency."""
        errors = self.modes.errors[self.modes.rigid_count :]
        return bool(np.all(np.abs(self.changes) <= errors))


def refine(design: Design, request: ModeRequest, progress: Progress | None = None) -> Refinement:
    """Solve twice, the second time on twice the divisions, and pair the modes by shape."""
    modes = solve_modes(design, request, progress=progress)
    finer = solve_modes(design, request, modes.discretisation.finer(), progress)
    partners, _ = pair(modes, finer)
    there = np.where(partners >= 0, finer.flexible[np.maximum(partners, 0)], np.nan)
    return Refinement(modes, finer, tuple(int(p) for p in partners), there / modes.flexible - 1)
