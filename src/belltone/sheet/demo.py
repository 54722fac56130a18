"""Where the demo sheets are: in the installed package, or in the project's own folder."""

from __future__ import annotations

from pathlib import Path
from typing import Final

__all__ = ["demo_sheet", "examples_folder", "is_demo"]

_PACKAGE: Final = Path(__file__).resolve().parents[1]


def examples_folder() -> Path:
    """Return the folder of demo sheets."""
    installed = _PACKAGE / "examples"
    return installed if installed.is_dir() else _PACKAGE.parents[1] / "examples"


def demo_sheet(name: str = "infeed_rail") -> Path:
    """Return the path of a demo sheet."""
    return examples_folder() / f"{name}.toml"


def is_demo(path: Path) -> bool:
    """Whether a sheet is one of the demos, which stay as they came."""
    return path.resolve().parent == examples_folder().resolve()
