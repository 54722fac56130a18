"""Why there can be no modes."""

from __future__ import annotations

from belltone.errors import UserError
from belltone.system.balance import BuckledError

__all__ = ["BuckledModesError", "LostModesError", "NoModesError"]


class NoModesError(UserError):
    """There is no answer: the accuracy cannot be reached, or there is nothing to solve for."""


class LostModesError(NoModesError):
    """There are no modes: the preload could not be followed to its end on this mesh."""


class BuckledModesError(NoModesError):
    """There are no modes: the preload buckles the component at ``fraction`` of itself."""

    def __init__(self, error: BuckledError) -> None:
        self.fraction = error.fraction
        super().__init__(str(error))
