"""Colours: paper and ink by day, lamp-lit slate by night."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "DARK",
    "HIGH",
    "LIGHT",
    "MARKS",
    "NIGHT",
    "PALETTES",
    "Palette",
    "contrast",
    "ramp",
    "rgb",
]


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
    muted="#635c4f",
    line="#dcd2bb",
    live="#1f4e8c",
    alarm="#a2321e",
    alarm_wash="#f0cfc3",
    margin_wash="#f8e6dc",
    clear="#2d682a",
    energy="#b08629",
    nodal="#c17f16",
    branches=(
        "#1d6e78",
        "#8f6512",
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
    muted="#b3ab9a",
    line="#434a50",
    live="#8ab8ee",
    alarm="#f0957b",
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

HIGH: Final = Palette(
    name="print",
    desk="#ffffff",
    card="#ffffff",
    ledge="#f0f0f0",
    ink="#000000",
    muted="#333333",
    line="#5a5a5a",
    live="#0a2f7a",
    alarm="#8c0f00",
    alarm_wash="#ffd9d0",
    margin_wash="#fff0eb",
    clear="#0c4a0a",
    energy="#7a5800",
    nodal="#9a4f00",
    branches=(
        "#00525c",
        "#694700",
        "#3a2b8c",
        "#1c5216",
        "#7a1153",
        "#2c3138",
        "#8a2f08",
        "#0d3f80",
        "#4a4700",
        "#601f1f",
    ),
    motion=("#f4f4f4", "#c9d4d0", "#8bb0b4", "#4a8593", "#235468", "#08213a"),
    state=("#f7f2ea", "#ecc998", "#d69559", "#ad5f35", "#7c322c", "#420f1a"),
    load="#6d0f50",
)

NIGHT: Final = Palette(
    name="beacon",
    desk="#000000",
    card="#0a0a0a",
    ledge="#161616",
    ink="#ffffff",
    muted="#d6d6d6",
    line="#9a9a9a",
    live="#9fd0ff",
    alarm="#ff9e85",
    alarm_wash="#5c1a0c",
    margin_wash="#331610",
    clear="#9df08f",
    energy="#ffd257",
    nodal="#ffb347",
    branches=(
        "#6fe0ec",
        "#ffcf66",
        "#c3b8ff",
        "#9be391",
        "#ff9fd6",
        "#d5dbe3",
        "#ffab82",
        "#9cc7ff",
        "#e0dc72",
        "#f0a9a9",
    ),
    motion=("#2c2c2c", "#3a5a66", "#4a93a3", "#7dc3be", "#c4e6c4", "#fff2c4"),
    state=("#332d2b", "#6b4036", "#a35a44", "#d68452", "#f5b97f", "#ffe9c4"),
    load="#ffa8e2",
)

PALETTES: Final = {palette.name: palette for palette in (LIGHT, DARK, HIGH, NIGHT)}
"""Every theme by its name."""

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


def contrast(one: str, other: str) -> float:
    """The contrast ratio of two colours, 1 to 21 (Web Content Accessibility Guidelines 2.2)."""
    light, dark = sorted((_luminance(one), _luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def _luminance(name: str) -> float:
    linear = [
        share / 12.92 if share <= 0.04045 else ((share + 0.055) / 1.055) ** 2.4
        for share in rgb(name)
    ]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]
