"""The user's own materials, kept between sheets: a TOML file in the settings folder."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import platformdirs
import tomlkit

from belltone.files import write_text

__all__ = ["keep_material", "library", "library_path"]


def library_path() -> Path:
    """Where the library is."""
    return Path(platformdirs.user_config_dir("belltone")) / "materials.toml"


def library() -> dict[str, dict[str, Any]]:
    """The materials kept, as a sheet writes them; empty when there are none or none readable."""
    try:
        found = tomllib.loads(library_path().read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    return {name: entry for name, entry in found.items() if isinstance(entry, dict)}


def keep_material(name: str, entry: Mapping[str, Any]) -> None:
    """Add a material, or replace the one of that name; raises ``OSError``."""
    path = library_path()
    path.parent.mkdir(parents=True, exist_ok=True)
    write_text(tomlkit.dumps({**library(), name: dict(entry)}), path)
