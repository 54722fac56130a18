"""Colours: paper and ink by day, lamp-lit slate by night."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = ["DARK", "LIGHT", "MARKS", "Palette", "ramp", "rgb"]


@dataclass(frozen=True)
class Palette:
    """One theme. Branch colours go with marks, so that no meaning hangs on colour alone."""

    name: str
    desk: str
    card: str
    ledge: str
    ink: str
    muted: str
    line: str
    live: str
    alarm: str
    alarm_wash: str
    margin_wash: str
    clear: str
    energy: str
    nodal: str
    branches: tuple[str, ...]
    motion: tuple[str, ...]
    state: tuple[str, ...]
    load: str

    def branch(self, identity: int) -> str:
        """The colour of a branch."""
        return self.branches[identity % len(self.branches)]


LIGHT: Final = Palette(
    name="paper",
    desk="#f7f1e3",
    card="#fffdf6",
    ledge="#ece3cd",
    ink="#26231d",
    muted="#716a5c",
    line="#dcd2bb",
    live="#1f4e8c",
    alarm="#ab3722",
    alarm_wash="#f0cfc3",
    margin_wash="#f8e6dc",
    clear="#33702f",
    energy="#c39a3d",
    nodal="#c8861d",
    branches=(
        "#1d6e78",
        "#a9781a",
        "#574a9c",
        "#3d7437",
        "#9a3a74",
        "#4f5560",
        "#b2552f",
        "#2f62a0",
        "#6d6a1f",
        "#7d3f3f",
    ),
    motion=("#e9e0ca", "#c6d0bb", "#8db6ae", "#4b8f99", "#2a6480", "#163a5c"),
    state=("#f0e8d6", "#ecd0a4", "#dda76f", "#c2774f", "#964a41", "#5c2438"),
    load="#8a2f6b",
)

DARK: Final = Palette(
    name="lamp",
    desk="#22262a",
    card="#2b3035",
    ledge="#1b1e21",
    ink="#ece6d8",
    muted="#a59d8c",
    line="#434a50",
    live="#8ab8ee",
    alarm="#ec8b70",
    alarm_wash="#5b342c",
    margin_wash="#41312d",
    clear="#8cc583",
    energy="#d0ab57",
    nodal="#ffb347",
    branches=(
        "#5fb8c2",
        "#dcaf55",
        "#a99bea",
        "#84bd7c",
        "#d984b5",
        "#b4bac2",
        "#e3946e",
        "#7fadea",
        "#bdb95f",
        "#cc8d8d",
    ),
    motion=("#3d4448", "#44606a", "#4b8591", "#74aca9", "#b4ccb0", "#f3e6c2"),
    state=("#453f3d", "#6b4a44", "#96584a", "#c17a55", "#e2aa78", "#f9e2bf"),
    load="#e08fc6",
)

MARKS: Final = ("round", "square", "kite", "hexagon", "shield")
"""Outlines of a branch's peg, in turn."""


def rgb(name: str) -> tuple[float, float, float]:
    """Red, green and blue of a colour written “#rrggbb”, each from 0 to 1."""
    red, green, blue = (int(name[at : at + 2], 16) / 255 for at in (1, 3, 5))
    return red, green, blue


def ramp(names: tuple[str, ...], count: int = 256) -> NDArray[np.uint8]:
    """Colours between some, none to most, as ``(count, 3)``; lightness is monotone."""
    stops = 255 * np.array([rgb(name) for name in names])
    at = np.linspace(0, len(stops) - 1, count)
    columns = [np.interp(at, np.arange(len(stops)), stops[:, channel]) for channel in range(3)]
    return np.column_stack(columns).round().astype(np.uint8)
