"""What a canvas shows: a mode, the same mode without preload, or what the preload does."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from belltone.modes.base_state import BaseState
from belltone.sheet.shown_units import AS_TYPED, ShownUnits

__all__ = ["CHOSEN", "STATE_KINDS", "Shown", "state_values"]

Array = NDArray[np.float64]

STATE_KINDS = {
    "moved": "displacement under the preload",
    "stress": "stress under the preload",
}


@dataclass(frozen=True)
class Shown:
    """What a canvas shows, by its kind, and its place where there are several.

    A ``mode`` (``None``: the chosen one), the chosen one's ``bare`` partner without preload, what
    the preload has ``moved`` or its ``stress``, or a ``buckling`` shape.
    """

    kind: str = "mode"
    number: int | None = None

    @property
    def of_state(self) -> bool:
        """Whether it shows the preload itself and no mode."""
        return self.kind in STATE_KINDS

    def heading(self, base: BaseState | None) -> str:
        """What stands over the picture of a state."""
        if self.kind == "buckling" and base is not None and self.number is not None:
            return f"Buckling shape {self.number + 1} · {base.factor_words(self.number)}"
        return STATE_KINDS.get(self.kind, "")


CHOSEN = Shown()


def state_values(base: BaseState, kind: str, units: ShownUnits = AS_TYPED) -> tuple[Array, str]:
    """Values at the witness points in the unit they are shown in, and that unit."""
    if kind == "moved":
        lengths = np.linalg.norm(base.displacements[:, :3], axis=1)
        return units.factor("length") * lengths, units.unit("length")
    return 1e-6 * base.equivalent, "MPa"
