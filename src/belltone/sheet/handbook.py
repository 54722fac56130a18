"""The handbook list of materials that comes with the program."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from functools import cache
from importlib.resources import files
from types import MappingProxyType

from belltone.sheet.model import Material

__all__ = ["handbook"]


@cache
def handbook() -> Mapping[str, Material]:
    """Return the materials of the handbook list by name."""
    text = files("belltone.sheet").joinpath("handbook.toml").read_text(encoding="utf-8")
    entries = tomllib.loads(text)
    return MappingProxyType(
        {name: Material.model_validate(entry) for name, entry in entries.items()}
    )
