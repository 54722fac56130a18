"""What a plan will cost, told before it begins."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass
from typing import Final

import numpy as np

from belltone.modes.modeset import ModeSet
from belltone.sweep.several import Plan

__all__ = ["Cost", "cost_of", "kept_bytes", "pays", "solving_seconds", "time_words"]

_START_SECONDS: Final = 1.0  # worker processes start, and one discretisation is chosen
_PROBES: Final = 3  # designs at which that is done, each about a whole answer
_POINT_SHARE: Final = 0.3  # of an answer to its accuracy, measured on plates and shells
_LOADED_SHARE: Final = 0.5  # where a preload is solved first
_READ_SECONDS: Final = 0.006  # a design read off a model
_PAYS_BEYOND: Final = {1: 16, 2: 24, 3: 60}  # designs
_MODELLED: Final = {1: 8, 2: 24, 3: 60}  # designs solved for the model of so many knobs


@dataclass(frozen=True)
class Cost:
    """How many designs, about how long (s), and how much memory the answers take (bytes)."""

    designs: int
    seconds: float
    memory: float

    @property
    def words(self) -> str:
        """What is told of it before it begins."""
        size = self.memory / 1e6
        memory = f"{max(size, 1.0):.0f} MB" if size < 1000 else f"{size / 1000:.1f} GB"
        return f"{self.designs} designs, about {time_words(self.seconds)} and {memory}"


def time_words(seconds: float) -> str:
    """A time that is only about right, in words."""
    return f"{max(seconds, 1.0):.0f} s" if seconds < 90 else f"{seconds / 60:.0f} min"


def solving_seconds(count: int, modes: ModeSet, seconds: float, workers: int) -> float:
    """About how long designs on one discretisation take.

    They are held against an answer whose ``modes`` took ``seconds`` of work.
    """
    return _START_SECONDS + seconds * (_PROBES + _share(modes) * count) / workers


def _share(modes: ModeSet) -> float:
    """What a point takes of an answer."""
    return _POINT_SHARE if modes.base is None else _LOADED_SHARE


def pays(plan: Plan) -> bool:
    """Whether a model of what is turned is made sooner than all designs are solved.

    One process makes it, while designs are solved by several.
    """
    turned = len(plan.columns)
    if not plan.one_sheet or len(plan) <= _PAYS_BEYOND.get(turned, len(plan)):
        return False
    return all(len(set(values)) > 1 for values in zip(*plan.rows, strict=True))


def kept_bytes(modes: ModeSet) -> float:
    """What one answer takes in memory: all its arrays."""
    arrays = (getattr(modes, field.name) for field in dataclasses.fields(modes))
    return float(sum(own.nbytes for own in arrays if isinstance(own, np.ndarray)))


def cost_of(plan: Plan, modes: ModeSet, seconds: float, workers: int, modelled: bool) -> Cost:
    """What a plan costs beside an answer whose ``modes`` took ``seconds`` of work.

    ``modelled`` tells that its designs are read off a model where one can be made.
    """
    count = len(plan)
    took = solving_seconds(count, modes, seconds, workers)
    if not plan.one_sheet:
        took = _START_SECONDS + seconds * count / workers
    elif modelled and pays(plan):
        solved = solving_seconds(0, modes, seconds, workers)
        made = _MODELLED[len(plan.columns)] * _share(modes) * seconds + _READ_SECONDS * count
        took = min(took, solved + made)
    return Cost(count, took, kept_bytes(modes) * count)
