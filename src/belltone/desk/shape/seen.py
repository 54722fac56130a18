"""What a canvas shows the modes of: the open sheet, or one side of a comparison."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import SignalInstance

from belltone.design.values import Design
from belltone.desk.session.answer import Answer

__all__ = ["Seen"]


class Seen(Protocol):
    """A design with its answer and the mode chosen in it; ``opened`` counts sheets."""

    answer_changed: SignalInstance
    sheet_changed: SignalInstance
    choice_changed: SignalInstance

    answer: Answer | None
    design: Design
    failure: str
    opened: int

    @property
    def chosen_index(self) -> int | None:
        """The place of the mode that is shown."""

    @property
    def bare(self) -> Answer | None:
        """The modes without preload, once they are known."""

    @property
    def bare_partner(self) -> int | None:
        """The place of that mode among those without preload."""
