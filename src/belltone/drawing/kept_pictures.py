"""Where small pictures of sheets are kept; loads nothing of what draws them."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path
from typing import Final

import platformdirs

__all__ = ["SmallPicture", "kept_small"]

_DRAWN: Final = 1  # raise when pictures come to look otherwise


@dataclass(frozen=True)
class SmallPicture:
    """What is to be drawn: a sheet's text, where its files are, the theme and size (pixels)."""

    text: str
    folder: Path | None
    theme: str
    width: int
    height: int

    @property
    def path(self) -> Path:
        """Where its picture is kept."""
        told = (self.text, str(self.folder), self.theme, self.width, self.height, _DRAWN)
        name = hashlib.sha256(repr(told).encode()).hexdigest()[:32]
        return Path(platformdirs.user_cache_dir("belltone")) / "pictures" / f"{name}.png"


def kept_small(picture: SmallPicture) -> bytes | None:
    """The PNG of a picture drawn before, if it is kept."""
    try:
        return picture.path.read_bytes()
    except OSError:
        return None
