"""What comes of a file that somebody sent: a sheet, and what is told before it becomes one."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

from belltone.sheet.units import format_number

__all__ = [
    "Arrival",
    "millimetres",
    "part_name",
    "place_words",
    "plural",
    "quoted",
    "triple",
    "turned_along",
]

_PLACES: Final = 9  # of a millimetre; what is left behind is rounding


@dataclass(frozen=True)
class Arrival:
    """A sheet's text, what was ``found``, and what is in ``doubt``."""

    text: str
    found: tuple[str, ...]
    doubts: tuple[str, ...] = ()

    @property
    def lines(self) -> tuple[str, ...]:
        """All there is to say, doubts last."""
        return self.found + tuple(f"in doubt: {doubt}" for doubt in self.doubts)


def part_name(stem: str) -> str:
    """A part's name from that of a file: letters, digits and single underscores."""
    plain = re.sub(r"\W+", "_", stem.strip().lower()).strip("_")
    return plain or "part"


def quoted(text: str) -> str:
    """A text as TOML writes it."""
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


def plural(count: int, what: str) -> str:
    """A number of things."""
    return f"{count} {what}" if count == 1 else f"{count} {what}s"


def millimetres(length: float, digits: int = 6) -> str:
    """A length (m) as a sheet writes it, without quotes."""
    return f"{format_number(round(1e3 * length, _PLACES) + 0.0, digits)} mm"


def triple(point: tuple[float, float, float]) -> str:
    """A place (m) as a sheet writes it."""
    return "[" + ", ".join(quoted(millimetres(each, 9)) for each in point) + "]"


def place_words(point: Iterable[float]) -> str:
    """A place (m) in words."""
    numbers = (format_number(round(1e3 * float(each), _PLACES) + 0.0, 6) for each in point)
    return f"({', '.join(numbers)}) mm"


def turned_along(way: tuple[float, float, float]) -> str:
    """Turns that bring x to a unit direction, as a sheet writes them."""
    x, y, z = way
    turns = (0.0, -math.degrees(math.asin(max(-1.0, min(1.0, z)))), math.degrees(math.atan2(y, x)))
    return "[" + ", ".join(quoted(f"{format_number(each + 0.0, 9)} deg") for each in turns) + "]"
