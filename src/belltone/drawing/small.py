"""Small pictures of sheets, made once and kept: a component at rest, as the window draws it."""

from __future__ import annotations

import contextlib
import io
from collections.abc import Sequence
from typing import Final

from PIL import Image

from belltone.drawing.colours import PALETTES
from belltone.drawing.display import prepare_display
from belltone.drawing.kept_pictures import SmallPicture
from belltone.errors import UserError
from belltone.files import write_bytes
from belltone.progress import Progress
from belltone.reading.family import evaluate
from belltone.sheet.document import Sheet

__all__ = ["draw_small"]

_FINER: Final = 2  # drawn so many times larger, then made smaller, which smooths edges


def draw_small(pictures: Sequence[SmallPicture], *, progress: Progress) -> int:
    """Draw and keep pictures, each told as ``(its place, PNG)`` when there; returns how many.

    A sheet that says nothing that can be drawn has none.
    """
    prepare_display()
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
    from belltone.drawing.stills import View, taking  # loads what draws, which is prepared by now

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
