"""What a report is made of: sections of paragraphs, tables, charts, pictures and cards."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar, Final

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_NUMBER: Final = re.compile(r"(below )?[+−-]?\d[\d.]*(e[+-]?\d+)?( ?[%°×]| [A-Za-z/]{1,5})?")

_CAPTION: Final = 70.0  # px above the first row
_BESIDE_PICTURE: Final = 108.0  # px: heading, words and facts of a card

__all__ = [
    "Block",
    "Card",
    "Cards",
    "Chart",
    "Pages",
    "Photo",
    "Points",
    "Rows",
    "Section",
    "Words",
]


@dataclass(frozen=True)
class Words:
    """A paragraph; its ``tone`` is “plain”, “quiet”, “good”, “bad” or “code”, written as it is."""

    text: str
    tone: str = "plain"


@dataclass(frozen=True)
class Points:
    """A list of short lines."""

    lines: tuple[str, ...]


@dataclass(frozen=True)
class Rows:
    """A table. ``strong`` are rows that stand out, by their numbers."""

    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    caption: str = ""
    strong: frozenset[int] = frozenset()

    def is_number(self, column: int) -> bool:
        """Whether a column reads best from the right: numbers, with a unit at most."""
        texts = [row[column] for row in self.rows if row[column]]
        return bool(texts) and all(_NUMBER.fullmatch(text) for text in texts)


@dataclass(frozen=True, eq=False)
class Chart:
    """A chart and what it shows."""

    figure: Figure
    caption: str


@dataclass(frozen=True)
class Photo:
    """A picture (WebP) of so many pixels; ``overlay`` is an SVG element drawn over it."""

    data: bytes
    width: int
    height: int
    caption: str = ""
    overlay: str = ""


@dataclass(frozen=True)
class Card:
    """One mode: what it is called, facts on it, its picture, and its motion (animated WebP)."""

    head: str
    text: str
    facts: tuple[str, ...]
    photo: Photo
    motion: bytes | None
    bad: bool


@dataclass(frozen=True)
class Cards:
    """Modes side by side."""

    PRINTED: ClassVar[int] = 290
    """How wide a picture is printed (px)."""

    cards: tuple[Card, ...]
    caption: str = ""

    def rows_on_page(self, height: float) -> int:
        """How many rows of two a page so high (px) holds, since none may be torn apart."""
        photo = self.cards[0].photo
        picture = photo.height * self.PRINTED / photo.width
        return max(1, int((height - _CAPTION) / (picture + _BESIDE_PICTURE)))


Block = Words | Points | Rows | Chart | Photo | Cards


@dataclass(frozen=True)
class Section:
    """A numbered part of the report, known by its ``key`` in the sheet."""

    key: str
    title: str
    blocks: Sequence[Block]


@dataclass(frozen=True)
class Pages:
    """A whole report: its title, a line below it, how the design stands, and its sections."""

    title: str
    under: str
    head: str
    tone: str
    sections: tuple[Section, ...]
    foot: str
