"""Why a point of a sweep has no answer."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from belltone.errors import UserError
from belltone.modes.errors import BuckledModesError, LostModesError
from belltone.sheet.errors import SheetError

__all__ = ["PointFailure", "Reason", "failure_of"]


class Reason(StrEnum):
    """What kind of failure it is."""

    SHEET = "sheet"  # the sheet says something impossible there
    BUCKLED = "buckled"
    LOST = "lost"  # the preload could not be followed to its end
    UNMET = "unmet"  # a reduced model does not meet its bound there
    REFUSED = "refused"  # anything else that has no answer


@dataclass(frozen=True)
class PointFailure:
    """A point without an answer: what kind of failure it is, and the words for the user."""

    reason: Reason
    detail: str

    @property
    def buckled(self) -> bool:
        """Whether the preload buckles the component there."""
        return self.reason is Reason.BUCKLED


def failure_of(error: UserError) -> PointFailure:
    """What an error says, as a value."""
    if isinstance(error, SheetError):
        reason = Reason.SHEET
    elif isinstance(error, BuckledModesError):
        reason = Reason.BUCKLED
    elif isinstance(error, LostModesError):
        reason = Reason.LOST
    else:
        reason = Reason.REFUSED
    return PointFailure(reason, str(error))
