"""What is pointed at: from a sentence to its site in the picture, and back to the sentence."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from belltone.sheet.errors import Path

__all__ = ["Point", "Pointing"]

Point = tuple[float, float, float]
"""Of the component as made (m)."""


class Pointing(QObject):
    """The site that a sentence under the hand speaks of, and what somebody looks for."""

    changed = Signal()
    site_sought = Signal(str)
    value_sought = Signal(object)
    name_sought = Signal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.site = ""
        self.gathered: tuple[str, ...] = ()
        self.spots: tuple[Point, ...] = ()

    def gather(self, site: str) -> None:
        """Take one more site for what is done to several at once; one that is there goes."""
        there = site in self.gathered
        rest = tuple(each for each in self.gathered if each != site)
        self.gathered = rest if there else (*rest, site)
        self.changed.emit()

    def forget_gathered(self) -> None:
        """Have none for the next thing that is done."""
        if self.gathered:
            self.gathered = ()
            self.changed.emit()

    def point_at(self, site: str) -> None:
        """Have the picture mark a site; none by an empty name."""
        if site != self.site:
            self.site = site
            self.changed.emit()

    def mark_spots(self, spots: tuple[Point, ...]) -> None:
        """Have the picture mark points of the component."""
        if spots != self.spots:
            self.spots = spots
            self.changed.emit()

    def seek_site(self, site: str) -> None:
        """Have the sheet show what it says of a site."""
        self.site_sought.emit(site)

    def seek_value(self, path: Path) -> None:
        """Have the sheet show the sentence with a value, ready to be typed over."""
        self.value_sought.emit(path)
