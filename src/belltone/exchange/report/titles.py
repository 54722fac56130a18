"""What the parts of a report are called; loads nothing that draws."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from belltone.sheet.model import ReportPart

__all__ = ["TITLES"]

TITLES: Final[Mapping[ReportPart, str]] = {
    "component": "The component",
    "excitation": "What shakes it",
    "verdict": "How it stands",
    "modes": "Natural frequencies",
    "shapes": "Mode shapes",
    "one knob": "Over one knob",
    "two knobs": "Over two knobs",
    "variants": "Variants",
    "preload": "What the preload does",
    "by hand": "Held against textbook values",
    "measured": "Held against measurements",
    "proposal": "A design proposed",
    "tolerances": "What tolerances do",
    "grounds": "What this rests on",
}
