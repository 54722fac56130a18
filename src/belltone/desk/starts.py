"""Starting points: small sheets to begin with."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Final

__all__ = ["Start", "starts"]


@dataclass(frozen=True)
class Start:
    """One starting point: its title, and the text of its sheet."""

    title: str
    text: str


@cache
def starts() -> tuple[Start, ...]:
    """All starting points, in the order they are offered."""
    folder = files("belltone.desk").joinpath("starts")
    texts = [
        entry.read_text(encoding="utf-8")
        for entry in folder.iterdir()
        if entry.name.endswith(".toml")
    ]
    found = [Start(tomllib.loads(text)["title"], text) for text in texts]
    order = {title: place for place, title in enumerate(_ORDER)}
    return tuple(sorted(found, key=lambda start: order.get(start.title, len(order))))


_ORDER: Final = (
    "Guide rail",
    "Tapered arm",
    "Motor frame",
    "Splash plate",
    "Inspection lid",
    "Turntable",
    "Star wheel ring",
    "Drip tray corner",
    "Rinse drum",
    "Funnel",
    "Dome lid",
    "Angle bracket",
    "Return chute",
    "Duct",
    "Guide vane",
)
