"""What a new part of each kind starts as."""

from __future__ import annotations

from typing import Any, Final

__all__ = ["FIRST_PARTS", "first_part"]

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

_RIB_ENDS: Final = {
    "from": {"at": ["-50 mm", "0 mm"]},
    "to": {"at": ["50 mm", "0 mm"]},
}


def first_part(kind: str, material: str, wall: str) -> dict[str, Any]:
    """A new part; a rib is laid on ``wall``."""
    entry = dict(FIRST_PARTS[kind])
    entry["material"] = material
    if kind == "rib":
        entry |= {"on": wall, **_RIB_ENDS}
    return entry
