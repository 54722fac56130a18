"""What a new part of each kind starts as."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Final

import numpy as np

from belltone.geometry.shapes import Plate, Polygon, extent
from belltone.sheet.units import format_number

__all__ = ["FIRST_PARTS", "first_parts"]

_SECTION: Final = {"shape": "solid rectangle", "width": "40 mm", "height": "20 mm"}

FIRST_PARTS: Final[dict[str, dict[str, Any]]] = {
    "member": {
        "kind": "member",
        "from": ["0 mm", "0 mm", "0 mm"],
        "to": ["0 mm", "0 mm", "300 mm"],
        "section": _SECTION,
    },
    "bent member": {
        "kind": "member",
        "path": [
            {"at": ["0 mm", "0 mm", "0 mm"]},
            {"at": ["0 mm", "0 mm", "300 mm"], "bend": "60 mm"},
            {"at": ["200 mm", "0 mm", "300 mm"]},
        ],
        "section": {"shape": "round tube", "diameter": "30 mm", "wall": "2 mm"},
    },
    "turned member": {
        "kind": "turned",
        "contour": [
            {"at": "0 mm", "radius": "20 mm"},
            {"at": "200 mm", "radius": "20 mm", "throat": "10 mm"},
        ],
    },
    "frame": {
        "kind": "frame",
        "section": _SECTION,
        "nodes": {
            "a": ["0 mm", "0 mm", "0 mm"],
            "b": ["0 mm", "0 mm", "400 mm"],
            "c": ["300 mm", "0 mm", "400 mm"],
        },
        "members": {"post": {"from": "a", "to": "b"}, "arm": {"from": "b", "to": "c"}},
    },
    "rib": {"kind": "rib", "section": {**_SECTION, "width": "4 mm"}},
    "plate": {
        "kind": "plate",
        "thickness": "3 mm",
        "outline": {"shape": "rectangle", "width": "300 mm", "height": "200 mm"},
        "placement": {"at": ["0 mm", "0 mm", "100 mm"]},
    },
}
"""By name, as a sheet writes them; the material is the chosen part's."""

_LINES: Final = (0.0, -0.25, 0.25, -0.4, 0.4)
"""Where across a plate a rib may run, as shares of its height; the first that is free is taken."""


def first_parts(kind: str, material: str, wall: str, shape: object) -> Iterator[dict[str, Any]]:
    """Yield a new part, and where else it might be put; a rib is laid on ``wall`` of a shape."""
    entry = {**FIRST_PARTS[kind], "material": material}
    if kind != "rib":
        yield entry
        return
    reach, high = 0.05, 0.0
    middle = np.zeros(2)
    if isinstance(shape, Plate):
        low, top = extent(shape.outline)
        middle = 0.5 * (low + top)
        # From edge to edge where that is sure to be inside: where a rib ends within its wall, the
        # mesh has to be fine.
        square = isinstance(shape.outline, Polygon) and shape.outline.compass
        reach = (0.5 if square else 0.3) * float(top[0] - low[0])
        high = float(top[1] - low[1])
    for share in _LINES if high else _LINES[:1]:
        ends = {
            key: {"at": [_mm(middle[0] + side * reach), _mm(middle[1] + share * high)]}
            for key, side in (("from", -1), ("to", 1))
        }
        yield entry | {"on": wall, **ends}


def _mm(length: float) -> str:
    return f"{format_number(1e3 * float(length) + 0.0, 4)} mm"
