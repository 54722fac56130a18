"""Small pictures of sheets, made once and kept: a component at rest, as the window draws it."""

from __future__ import annotations

import contextlib
import hashlib
import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Final

import platformdirs
from PIL import Image

from belltone.drawing.colours import PALETTES
from belltone.drawing.stills import View, taking
from belltone.errors import UserError
from belltone.files import write_bytes
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet

__all__ = ["SmallPicture", "draw_small", "kept_small"]

_DRAWN: Final = 1  # raise when pictures come to look otherwise
_FINER: Final = 2  # drawn so many times larger, then made smaller, which smooths edges


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


def draw_small(pictures: Sequence[SmallPicture], *, progress: Progress) -> int:
    """Draw and keep pictures, each told as ``(its place, PNG)`` when there; returns how many.

    A sheet that says nothing that can be drawn has none.
    """
    drawn = 0
    for place, picture in enumerate(pictures):
        progress.check()
        try:
            found = _drawn(picture)
        except UserError:
            continue
        drawn += 1
        progress.show((place, found))
        with contextlib.suppress(OSError):  # it is drawn again another time
            picture.path.parent.mkdir(parents=True, exist_ok=True)
            write_bytes(found, picture.path)
    return drawn


def _drawn(picture: SmallPicture) -> bytes:
    design = evaluate(Sheet.from_text(picture.text, picture.folder))
    palette = PALETTES[picture.theme]
    view = View(_FINER * picture.width, _FINER * picture.height, filled=0.8)
    with taking(design, None, view, palette) as still:
        pixels = still.rest()
    image = Image.fromarray(pixels[:, :, :3])
    image = image.resize((picture.width, picture.height), Image.Resampling.LANCZOS)
    told = io.BytesIO()
    image.save(told, "PNG")
    return told.getvalue()
