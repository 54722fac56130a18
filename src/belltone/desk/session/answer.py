"""An answer about the modes of a sheet."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from belltone.design.values import Design
from belltone.modes.modeset import ModeSet
from belltone.sheet.document import Sheet
from belltone.tune.pull import Pull

__all__ = ["Answer"]


@dataclass(frozen=True)
class Answer:
    """Modes, the very sheet and design they belong to, and the seconds of work they took.

    One that is not ``final`` is a look on the way: better modes follow, unless that is stopped.
    One with a ``source`` (“model”, “older model”, “slopes” or “before”) was not solved: it follows
    a knob being turned, and what it says beyond frequencies and shapes is of the design before.
    """

    sheet: Sheet
    design: Design
    modes: ModeSet
    identities: tuple[int, ...]
    seconds: float
    pulls: Mapping[str, Pull] | None = None
    final: bool = True
    source: str = ""

    @property
    def worst(self) -> float:
        """The largest error of any frequency, relative."""
        return float(self.modes.errors.max(initial=0.0))

    def index_of(self, identity: int) -> int | None:
        """The place in the mode list of a branch, if it is among the modes found."""
        if identity in self.identities:
            return self.modes.rigid_count + self.identities.index(identity)
        return None

    def identity_at(self, index: int) -> int | None:
        """The branch of the mode at a place; rigid modes have none."""
        flexible = index - self.modes.rigid_count
        return self.identities[flexible] if flexible >= 0 else None
